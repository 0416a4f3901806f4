"""What can be made of a scene as pictures: each kind with its parameters, from which the window, the command line and the
documents are made."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from msgspec import Struct, field

from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Choice, Flag, Number, Parameter, Text, completed
from fictilis.core.scene.scene import Scene
from fictilis.pictures.look import BACKGROUNDS, CLEAR, MOST, Look

OWN = "colour"
AS_SEEN = "As seen"  # the name that the window's own view goes by


def _begin(scene: Scene) -> float:
    return scene.start


def _end(scene: Scene) -> float:
    return scene.end


WIDTH = Number("width", "Width", 1280, unit="px", low=16, high=MOST, decimals=0)
HEIGHT = Number("height", "Height", 720, unit="px", low=16, high=MOST, decimals=0)
SAMPLES = Choice("samples", "Smoothing", 4, options=(("1", "None", 1), ("4", "4 samples", 4), ("16", "16 samples", 16)))
GROUND = Choice(
    "ground", "Background", "light",
    options=(*((name, name.capitalize(), name) for name in BACKGROUNDS), (CLEAR, "Transparent", CLEAR), (OWN, "A colour", OWN)),
)  # fmt: skip
FLOOR = Flag("floor", "Ground below the objects")
COLOUR = Text("colour", "Its colour", "#D8CFC2")
FIRST = Number("first", "From frame", _begin, low=-1e6, high=1e6)
LAST = Number("last", "To frame", _end, low=-1e6, high=1e6)
FRAME = Number("frame", "At frame", _begin, low=-1e6, high=1e6)
RATE = Number("rate", "Pictures a second", lambda scene: scene.fps, low=1, high=240)
SHUTTER = Number("shutter", "Motion blur", 0.0, unit="°", low=0, high=360, decimals=0)
PARTS = Number("parts", "In parts", 8, low=2, high=32, decimals=0)
QUALITY = Choice(
    "quality", "Quality", "good", options=(("fine", "Fine", "fine"), ("good", "Good", "good"), ("small", "Small", "small"))
)
NUMBER = Flag("number", "Frame number")
MARKERS = Flag("markers", "Markers")
NAME = Flag("name", "Scene name")
SILENT = Flag("silent", "Without sound")
LOOPED = Flag("looped", "A loop: leave out the last picture, which is the first again")
SECONDS = Number("seconds", "One turn in", 6.0, unit="s", low=0.1, high=600)
TURNS = Number("turns", "Turns", 1.0, low=-20, high=20)
OF = Choice(
    "of", "Of", "targets",
    options=(("targets", "Targets", "targets"), ("frames", "Frames", "frames"), ("poses", "A relay’s poses", "poses")),
)  # fmt: skip
STEP = Number("step", "Every", 10.0, unit="frames", low=0.01, high=1e6)
COLUMNS = Number("columns", "Columns, 0 as fits", 0, low=0, high=100, decimals=0)
CELL_WIDTH = Number("width", "Picture width", 320, unit="px", low=32, high=2048, decimals=0)
CELL_HEIGHT = Number("height", "Picture height", 240, unit="px", low=32, high=2048, decimals=0)

SIZE = (WIDTH, HEIGHT)
DRAWN = (SAMPLES, GROUND, COLOUR)
BLUR = (SHUTTER, PARTS)
BURNT = (NUMBER, MARKERS, NAME)
MOVIES = (".mp4", ".webm", ".gif", ".png")


class Kind(Struct, frozen=True):
    """``moves``: there is a picture for each of several frames."""

    key: str
    name: str
    about: str
    options: tuple[Parameter, ...]
    suffixes: tuple[str, ...]
    moves: bool = False


KINDS = {
    kind.key: kind
    for kind in (
        Kind("movie", "Movie", "make a movie of a range, or numbered pictures",
             (*SIZE, FIRST, LAST, RATE, QUALITY, *DRAWN, FLOOR, *BLUR, *BURNT, SILENT, LOOPED), MOVIES, True),
        Kind("turntable", "Turntable", "make a movie that goes round one frame",
             (*SIZE, FRAME, SECONDS, TURNS, RATE, QUALITY, *DRAWN, FLOOR), MOVIES, True),
        Kind("snapshot", "Picture", "draw a frame", (WIDTH, HEIGHT, FRAME, *DRAWN, FLOOR, *BLUR, *BURNT), (".png",)),
        Kind("sheet", "Sheet", "draw all targets, every n-th frame or a relay’s poses on one sheet",
             (OF, FIRST, LAST, STEP, COLUMNS, CELL_WIDTH, CELL_HEIGHT, *DRAWN), (".png",)),
    )
}  # fmt: skip


class Order(Struct, frozen=True):
    """What is wanted: a kind, a file, values by the names of the kind's options, through which camera or kept view (nothing
    for the scene's camera, None for a view of all that moves), and of which clip; of a sheet, of which object and relay."""

    kind: str
    path: Path
    values: Mapping[str, Any] = field(default_factory=dict)
    camera: str | None = ""
    object: str = ""
    relay: str = ""
    clip: str = ""


def values_of(order: Order, scene: Scene) -> dict[str, Any]:
    """All values, checked. Raises EditRefused for what does not go together."""
    kind = KINDS[order.kind]
    values = completed(f"A {kind.name.lower()}", kind.options, order.values, scene)
    suffix = Path(order.path).suffix.lower()
    if suffix not in kind.suffixes:
        known = ", ".join(kind.suffixes)
        raise EditRefused(f"A {kind.name.lower()} is written as {known}, not as “{suffix or Path(order.path).name}”.")
    if values["ground"] == CLEAR and suffix != ".png":
        raise EditRefused(f"{suffix[1:].upper()} has no transparent background; numbered PNG files have.")
    if "first" in values and not values["last"] >= values["first"]:
        raise EditRefused(f"A range must rise: {values['first']:g} to {values['last']:g}.")
    return values


def look_of(values: Mapping[str, Any]) -> Look:
    """How its pictures are made."""
    ground = (values.get("colour") or "") if values["ground"] == OWN else values["ground"]
    return Look(
        int(values["width"]), int(values["height"]), values["samples"], ground,
        values.get("shutter", 0.0), int(values.get("parts", 8)), floor=values.get("floor", False),
    )  # fmt: skip


def words_of(order: Order, scene: Path) -> list[str]:
    """The words of the command line that make the same of a scene's file."""
    kind, words = KINDS[order.kind], [order.kind, str(scene), str(order.path)]
    given = dict(order.values)
    if "width" in given or "height" in given:
        wide, high = (given.pop(p.name, p.default) for p in kind.options if p.name in ("width", "height"))
        words += ["--size", f"{wide:.0f}x{high:.0f}"]
    if "first" in given:
        words += ["--range", *(f"{given.pop(name):.17g}" for name in ("first", "last"))]
    for option in kind.options:
        value = given.pop(option.name, None)
        if value is None or value is False:
            continue
        if isinstance(option, Flag):
            words.append(f"--{option.name}")
        elif isinstance(option, Choice):
            words += [f"--{option.name}", next(word for word, _, meant in option.options if value in (word, meant))]
        else:
            words.append(f"--{option.name}={value:.17g}" if isinstance(option, Number) else f"--{option.name}={value}")
    if order.camera is None:
        words.append("--fitted")
    for name, text in (("camera", order.camera), ("object", order.object), ("relay", order.relay), ("clip", order.clip)):
        if text:
            words.append(f"--{name}={text}")
    return words
