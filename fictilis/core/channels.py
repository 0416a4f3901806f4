"""Animated numbers in one table: what they are called, their unit and usual range, and how an owner keeps them.

A channel id is a target's id for its weight, or one of the words below.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from fictilis.core.animation.bank import lane_bank
from fictilis.core.arrays import cached_by_identity
from fictilis.core.errors import EditRefused
from fictilis.core.scene import MorphObject, Scene, SceneCamera, Transform

AXES = "xyz"
LEAST_SCALE = 1e-6  # a lane that runs through 0 must not make the object vanish into a plane
LEAST_DISTANCE = 1e-3
OBJECT_WORDS = (*(f"{part}.{a}" for part in ("position", "rotation", "scale") for a in AXES), "opacity", "visible")
CAMERA_WORDS = (*(f"centre.{a}" for a in AXES), "distance", "yaw", "pitch", "lens")
RESERVED = OBJECT_WORDS + CAMERA_WORDS
AXIS_COLOURS = ("#A8432F", "#6E7F2B", "#2F5DA8")
GREY = "#55606E"


def part_of(channel_id: str) -> str:
    """What a channel is a part of: ``weight``, ``object`` or ``camera``. Moves of one part follow each other."""
    return "object" if channel_id in OBJECT_WORDS else "camera" if channel_id in CAMERA_WORDS else "weight"


@dataclass(frozen=True)
class Channel:
    """``value`` is what it has where no lane drives it; ``low`` … ``high`` the soft range of its slider; ``rest`` the neutral
    value; a ``stepped`` one is on or off. ``part`` is ``weight``, ``object`` or ``camera``."""

    id: str
    name: str
    value: float
    low: float
    high: float
    colour: str
    part: str = "weight"
    unit: str = ""
    rest: float = 0.0
    decimals: int = 2
    stepped: bool = False
    quiet: bool = False


@cached_by_identity
def channels(owner: MorphObject | SceneCamera) -> tuple[Channel, ...]:
    """All channels of an object or a camera, in the order of its lanes."""
    if isinstance(owner, SceneCamera):
        return tuple(_camera_channels(owner))
    weights = [Channel(t.id, t.name, t.weight, *t.range, t.colour, quiet=t.muted) for t in owner.targets]
    return (*weights, *_object_channels(owner))


def _object_channels(obj: MorphObject) -> list[Channel]:
    t = obj.transform
    reach = float(f"{max(float(np.ptp(obj.base, axis=0).max(initial=0.0)) if len(obj.base) else 0.0, 1.0) * 2:.1g}")
    rows = []
    for part, values, low, high, unit, rest, decimals in (
        ("position", t.position, -reach, reach, "cm", 0.0, 1),
        ("rotation", t.rotation, -180.0, 180.0, "°", 0.0, 1),
        ("scale", t.scale, 0.05, 2.0, "×", 1.0, 2),
    ):
        for axis, (letter, value) in enumerate(zip(AXES, values, strict=True)):
            name = f"{part.capitalize()} {letter.upper()}"
            rows.append(Channel(f"{part}.{letter}", name, value, low, high, AXIS_COLOURS[axis], "object", unit, rest, decimals))
    rows.append(Channel("opacity", "Opacity", obj.appearance.opacity, 0.0, 1.0, GREY, "object", "", 1.0))
    rows.append(Channel("visible", "Visible", float(obj.visible), 0.0, 1.0, GREY, "object", "", 1.0, 0, True))
    return rows


def _camera_channels(camera: SceneCamera) -> list[Channel]:
    reach = float(f"{max(camera.distance * 2, 1.0):.1g}")
    rows = [
        Channel(f"centre.{a}", f"Looks at {a.upper()}", v, -reach, reach, AXIS_COLOURS[n], "camera", "cm", 0.0, 1)
        for n, (a, v) in enumerate(zip(AXES, camera.centre, strict=True))
    ]
    rows.append(Channel("distance", "Distance", camera.distance, LEAST_DISTANCE, reach, GREY, "camera", "cm", reach / 2, 1))
    rows.append(Channel("yaw", "Turn", camera.yaw, -180.0, 180.0, "#B9821A", "camera", "°", 0.0, 1))
    rows.append(Channel("pitch", "Tilt", camera.pitch, -90.0, 90.0, "#2A8FA3", "camera", "°", 0.0, 1))
    rows.append(Channel("lens", "Field of view", camera.lens, 5.0, 120.0, "#8C7BB8", "camera", "°", 30.0, 1))
    return rows


def channel(owner: MorphObject | SceneCamera, channel_id: str) -> Channel:
    """One channel by its id. Raises EditRefused when the owner has none such."""
    for found in channels(owner):
        if found.id == channel_id:
            return found
    raise EditRefused(f"{owner.name} has nothing called {channel_id} to animate.")


def channel_named(owner: MorphObject | SceneCamera, name: str) -> Channel:
    """One channel by its name, or by its id where that is a word of its own."""
    for found in channels(owner):
        if name == found.name or name == found.id and found.id in RESERVED:
            return found
    names = ", ".join(found.name for found in channels(owner))
    raise EditRefused(f"{owner.name} has nothing named {name} to animate; it has: {names}.")


def set_value(scene: Scene, owner_id: str, channel_id: str, value: float) -> Scene:
    """The value a channel has where no lane drives it. Raises EditRefused for a value it cannot have."""
    owner = scene.owner(owner_id)
    what = channel(owner, channel_id)
    if not np.isfinite(value):
        raise EditRefused(f"{what.name} must be a finite number, not {value}.")
    return scene.with_owner(_with_value(owner, what, float(value)))


def _with_value(owner: MorphObject | SceneCamera, what: Channel, value: float) -> MorphObject | SceneCamera:
    part, _, letter = what.id.partition(".")
    if what.part == "weight":
        return owner.with_target(replace(owner.target(what.id), weight=value))
    if what.id == "opacity":
        return replace(owner, appearance=replace(owner.appearance, opacity=min(max(value, 0.0), 1.0)))
    if what.id == "visible":
        return replace(owner, visible=value >= 0.5)
    if part == "scale" and abs(value) < 1e-9:
        raise EditRefused("An object's scale must not be 0 on any axis.")
    if letter:
        home = owner.transform if what.part == "object" else owner
        values = list(getattr(home, part))
        values[AXES.index(letter)] = value
        moved = replace(home, **{part: tuple(values)})
        return replace(owner, transform=moved) if what.part == "object" else moved
    if part == "distance" and value < LEAST_DISTANCE:
        raise EditRefused(f"A camera must stand at least {LEAST_DISTANCE:g} cm away, not {value:g}.")
    if part == "lens" and not 1 <= value <= 170:
        raise EditRefused(f"A field of view must be from 1 to 170 degrees, not {value:g}.")
    return replace(owner, **{part: value})


def values_at(
    owner: MorphObject | SceneCamera, frame: float | np.ndarray, posed: Mapping[str, float] | None = None, fps: float = 24.0
) -> dict:
    """Every channel's value by id: of its lane at ``frame``, else its own; ``posed`` values win over both.

    ``frame`` may be an array; then every value is one of its shape. ``fps`` matters to modifiers only, which know seconds.
    """
    shape = np.shape(frame)
    out = {c.id: np.full(shape, c.value) if shape else float(c.value) for c in channels(owner)}
    out.update(lane_bank(owner.lanes).by_channel(frame, fps))
    out.update(posed or {})
    return out


@dataclass(frozen=True)
class Stand:
    """How an object stands at a frame."""

    transform: Transform
    opacity: float
    visible: bool


def stand_at(obj: MorphObject, frame: float, posed: Mapping[str, float] | None = None, fps: float = 24.0) -> Stand:
    """Where an object is at a frame, how opaque, and whether it is seen."""
    keyed = [lane for lane in obj.lanes if lane.channel in RESERVED]
    own = {k: v for k, v in (posed or {}).items() if k in RESERVED}
    if not keyed and not own:
        return Stand(obj.transform, obj.appearance.opacity, obj.visible)
    at = {c.id: c.value for c in channels(obj) if c.part == "object"}
    at |= {lane.channel: float(lane.values(frame, fps)) for lane in keyed} | own
    rows = {part: tuple(at[f"{part}.{a}"] for a in AXES) for part in ("position", "rotation", "scale")}
    rows["scale"] = tuple(v if abs(v) >= LEAST_SCALE else LEAST_SCALE for v in rows["scale"])
    return Stand(replace(obj.transform, **rows), min(max(at["opacity"], 0.0), 1.0), at["visible"] >= 0.5)


def camera_at(camera: SceneCamera, frame: float, posed: Mapping[str, float] | None = None, fps: float = 24.0) -> SceneCamera:
    """A camera as it stands at a frame, without lanes."""
    at = values_at(camera, frame, posed, fps)
    return replace(
        camera, centre=tuple(at[f"centre.{a}"] for a in AXES), distance=max(at["distance"], LEAST_DISTANCE), yaw=at["yaw"],
        pitch=min(max(at["pitch"], -90.0), 90.0), lens=min(max(at["lens"], 1.0), 170.0), lanes=(),
    )  # fmt: skip
