"""How a scene is written: which of it, over which frames, and what becomes of what another program may want otherwise."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from fictilis.core.geometry.units import UNITS
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Choice, Number
from fictilis.core.mix.channel_kinds import OBJECT_KINDS
from fictilis.core.scene.clips import choose_clip, clip
from fictilis.core.scene.scene import MorphObject, Scene

KEEP, DROP = "keep", "drop"
MOST_FILES = 100_000
TO_Z_UP = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])

UNIT = Choice("unit", "Numbers in", "cm", options=tuple((unit, unit, unit) for unit in UNITS))
UP = Choice("up", "Up is", "y", options=(("y", "Y", "y"), ("z", "Z", "z")))
FRAMES = Choice(
    "frames", "Frames", "one", options=(("one", "The one shown", "one"), ("range", "A file for each of the range", "range"))
)
STEP = Number("step", "Every", 1.0, unit="frames", low=1, high=1e6, decimals=0)
PLACES = Choice("motion", "Places", DROP, options=((DROP, "As modelled", DROP), (KEEP, "Where they stand", KEEP)))
MOTION = Choice("motion", "Own motion", KEEP, options=((KEEP, "Written", KEEP), (DROP, "Left out", DROP)))
SPRINGS = Choice("springs", "Springs", KEEP, options=((KEEP, "As targets", KEEP), (DROP, "Left out", DROP)))
CAMERAS = Choice("cameras", "Cameras", KEEP, options=((KEEP, "Written", KEEP), (DROP, "Left out", DROP)))
TEXTURES = Choice("textures", "Textures", KEEP, options=((KEEP, "Written", KEEP), (DROP, "Left out", DROP)))
CUES = Choice("cues", "Cues", KEEP, options=((KEEP, "As JSON beside it", KEEP), (DROP, "Left out", DROP)))
SLIDERS = Choice(
    "sliders",
    "Sliders",
    "all",
    options=(("all", "Of all targets", "all"), ("cues", "Of those that cues lead", "cues"), ("none", "None", "none")),
)
COLOURS = Choice("colours", "Colours", KEEP, options=((KEEP, "At each point", KEEP), (DROP, "Left out", DROP)))
SHAPES = Choice(
    "as",
    "Morphing as",
    "targets",
    options=(("targets", "Targets", "targets"), ("points", "Points, frame by frame", "points")),
)
KEYS = Choice(
    "keys", "Weights by", "exact", options=(("exact", "Their keys", "exact"), ("frames", "A key each frame", "frames"))
)
SUBDIVISION = Choice(
    "subdivision", "Subdivided", "none", options=(("none", "Not", "none"), ("catmull-clark", "Catmull–Clark", "catmullClark"))
)
RESULT, CAGE = "result", "cage"
_SURFACES = ((RESULT, "Written", RESULT), (CAGE, "The cage instead", CAGE))
SURFACE = Choice("surface", "Smooth surfaces", RESULT, options=_SURFACES)
CAGES = Choice("surface", "Smooth surfaces", CAGE, options=_SURFACES)
PERCENT = Choice("weights", "Weights as", "1", options=(("1", "0 to 1", "1"), ("100", "0 to 100", "100")))
ROWS = Choice("rows", "Rows by", "frames", options=(("frames", "Frame", "frames"), ("seconds", "Seconds", "seconds")))

Values = Mapping[str, Any]


class Choices(Struct, frozen=True):
    """``objects`` and ``clips`` are ids; None for all that are visible, and for all. ``first`` and ``last`` frame are the
    scene's where they are None. ``options`` are values of what a format lets one choose, by name; the rest is as it begins."""

    objects: tuple[str, ...] | None = None
    clips: tuple[str, ...] | None = None
    first: float | None = None
    last: float | None = None
    options: Mapping[str, Any] = field(default_factory=dict)


def prepared(scene: Scene, choices: Choices, values: Values) -> Scene:
    """The scene with only what was chosen, to be written whole. Raises EditRefused for a range that does not rise, and for ids
    that the scene does not have."""
    if choices.clips is not None and scene.clips:
        for clip_id in choices.clips:
            clip(scene, clip_id)
        if not choices.clips:
            raise EditRefused("No clip is chosen; choose one at least.")
        if scene.clip not in choices.clips:
            scene = choose_clip(scene, choices.clips[0])
        scene = replace(scene, clips=tuple(c for c in scene.clips if c.id in choices.clips))
    first, last = (
        (scene.start if choices.first is None else choices.first),
        (scene.end if choices.last is None else choices.last),
    )
    if not last > first:
        raise EditRefused(f"A range must rise: {first:g} to {last:g}.")
    if (first, last) != (scene.start, scene.end):
        scene = replace(scene, start=float(first), end=float(last), played=None)
    if choices.objects is not None:
        for object_id in choices.objects:
            scene.object(object_id)
        wanted = frozenset(choices.objects)
        scene = replace(scene, objects=tuple(_shown(obj, obj.id in wanted) for obj in scene.objects))
    if values.get("surface") != RESULT:
        scene = _each(scene, lambda obj: replace(obj, surface=None))
    if values.get("springs") == DROP:
        scene = _each(scene, lambda obj: replace(obj, spring=None))
    if values.get("textures") == DROP:
        scene = _each(scene, lambda obj: replace(obj, appearance=replace(obj.appearance, texture=None)))
    if values.get("motion") == DROP and "frames" not in values:
        scene = _each(scene, _still)
    return replace(scene, cameras=()) if values.get("cameras") == DROP else scene


def _each(scene: Scene, change: Any) -> Scene:
    return replace(scene, objects=tuple(change(obj) for obj in scene.objects))


def _shown(obj: MorphObject, shown: bool) -> MorphObject:
    return obj if obj.visible is shown else replace(obj, visible=shown)


def _still(obj: MorphObject) -> MorphObject:
    """An object without keys of its own place."""
    lanes = tuple(lane for lane in obj.lanes if not ("." in lane.channel and lane.channel in OBJECT_KINDS))
    return replace(obj, lanes=lanes, along=None)


def linear_of(values: Values) -> np.ndarray:
    """(3, 3): what brings a point of the scene, in cm and with Y up, into the unit and the axes that were chosen."""
    linear = np.eye(3) / UNITS[values.get("unit", "cm")]
    return TO_Z_UP @ linear if values.get("up") == "z" else linear


def frames_of(scene: Scene, values: Values) -> list[float]:
    """Every frame of the range, or every so many. Raises EditRefused where they are too many."""
    frames = np.arange(scene.start, scene.end + 1e-6, values.get("step", 1.0))
    if len(frames) > MOST_FILES:
        raise EditRefused(f"The range has {len(frames):,} frames; up to {MOST_FILES:,} are written.")
    return [float(f) for f in frames]


def files_of(path: Path, scene: Scene, frame: float, values: Values) -> list[tuple[Path, float]]:
    """The files that are written, each with its frame: one, or one for each frame, with its number before the suffix."""
    path = Path(path)
    if values.get("frames") != "range":
        return [(path, frame)]
    return [(path.with_name(f"{path.stem}.{round(at):04d}{path.suffix}"), at) for at in frames_of(scene, values)]
