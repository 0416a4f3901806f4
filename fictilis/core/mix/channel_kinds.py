"""The kinds of numbers that an object or a camera has of its own: where it is, how it looks, what it looks at."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.ground.arrays import cached_by_array, cached_by_identity, extent
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.deformers import DEFORMERS, MOST_TAPER, MOST_TURN, TAPER, in_order
from fictilis.core.scene.places import ALONG
from fictilis.core.scene.rigs import CLIP, TIME, Rig, angle_id, joint_names, turn_id
from fictilis.core.scene.scene import BLEND, MorphObject
from fictilis.core.scene.timeline import SceneCamera

AXES = "xyz"
LEAST_SCALE = 1e-6  # a lane that runs through 0 must not make the object vanish into a plane
LEAST_DISTANCE = 1e-3
AXIS_COLOURS = ("#A8432F", "#6E7F2B", "#2F5DA8")
GREY = "#55606E"


class ChannelKind(Struct, frozen=True):
    """What a channel is, and how its owner keeps it. ``part`` is ``weight``, ``relay``, ``sweep``, ``object``, ``camera``,
    ``rig`` or ``joint``: moves of one part follow each other. ``rest`` is the neutral value; a ``stepped`` one is a whole
    number that its ``words`` name; a ``driven`` one follows what is named there, and can be neither set nor keyed. One of
    ``poses`` is the lane of a relay: its keys name shapes."""

    id: str
    name: str
    part: str
    get: Callable[[Any], float]
    set: Callable[[Any, float], Any]
    bounds: Callable[[Any], tuple[float, float]]
    unit: str = ""
    rest: float = 0.0
    decimals: int = 2
    colour: str = GREY
    stepped: bool = False
    quiet: bool = False
    driven: str = ""
    poses: bool = False
    words: tuple[str, ...] = ("off", "on")


def _axis_of(
    name: str, home: Callable[[Any], Any], back: Callable[[Any, Any], Any], axis: int
) -> tuple[Callable[[Any], float], Callable[[Any, float], Any]]:
    """How one number of a triple, a field of ``home(owner)``, is got and set."""

    def get(owner: Any) -> float:
        return getattr(home(owner), name)[axis]

    def put(owner: Any, value: float) -> Any:
        triple = list(getattr(home(owner), name))
        triple[axis] = value
        return back(owner, replace(home(owner), **{name: tuple(triple)}))

    return get, put


@cached_by_array
def _extent(points: np.ndarray) -> float:
    return float(extent(points).max(initial=0.0))


def _reach(length: float) -> tuple[float, float]:
    reach = float(f"{max(length, 1.0) * 2:.1g}")
    return -reach, reach


def fixed(low: float, high: float) -> Callable[[Any], tuple[float, float]]:
    return lambda _owner: (low, high)


def _set_scale(put: Callable[[Any, float], Any]) -> Callable[[Any, float], Any]:
    def checked(owner: Any, value: float) -> Any:
        if abs(value) < 1e-9:
            raise EditRefused("An object's scale must not be 0 on any axis.")
        return put(owner, value)

    return checked


def _object_kinds() -> list[ChannelKind]:
    rows = []
    for part, unit, rest, decimals, bounds in (
        ("position", "cm", 0.0, 1, lambda o: _reach(_extent(o.base))),
        ("rotation", "°", 0.0, 1, fixed(-180.0, 180.0)),
        ("scale", "×", 1.0, 2, fixed(0.05, 2.0)),
    ):
        for axis, letter in enumerate(AXES):
            get, put = _axis_of(part, lambda o: o.transform, lambda o, t: replace(o, transform=t), axis)
            put = _set_scale(put) if part == "scale" else put
            name, colour = f"{part.capitalize()} {letter.upper()}", AXIS_COLOURS[axis]
            rows.append(ChannelKind(f"{part}.{letter}", name, "object", get, put, bounds, unit, rest, decimals, colour))
    return [
        *rows,
        ChannelKind("opacity", "Opacity", "object", lambda o: o.appearance.opacity,
                    lambda o, v: replace(o, appearance=replace(o.appearance, opacity=min(max(v, 0.0), 1.0))),
                    fixed(0.0, 1.0), rest=1.0),
        ChannelKind("visible", "Visible", "object", lambda o: float(o.visible), lambda o, v: replace(o, visible=v >= 0.5),
                    fixed(0.0, 1.0), rest=1.0, decimals=0, stepped=True),
    ]  # fmt: skip


def _set_distance(camera: SceneCamera, value: float) -> SceneCamera:
    if value < LEAST_DISTANCE:
        raise EditRefused(f"A camera must stand at least {LEAST_DISTANCE:g} cm away, not {value:g}.")
    return replace(camera, distance=value)


def _set_lens(camera: SceneCamera, value: float) -> SceneCamera:
    if not 1 <= value <= 170:
        raise EditRefused(f"A field of view must be from 1 to 170 degrees, not {value:g}.")
    return replace(camera, lens=value)


def _camera_kinds() -> list[ChannelKind]:
    rows = []
    for axis, letter in enumerate(AXES):
        get, put = _axis_of("centre", lambda c: c, lambda _c, new: new, axis)
        rows.append(
            ChannelKind(f"centre.{letter}", f"Looks at {letter.upper()}", "camera", get, put, lambda c: _reach(c.distance),
                        "cm",
                        0.0, 1, AXIS_COLOURS[axis])
        )  # fmt: skip
    return [
        *rows,
        ChannelKind("distance", "Distance", "camera", lambda c: c.distance, _set_distance,
                    lambda c: (LEAST_DISTANCE, _reach(c.distance)[1]), "cm", decimals=1),
        ChannelKind("yaw", "Turn", "camera", lambda c: c.yaw, lambda c, v: replace(c, yaw=v), fixed(-180.0, 180.0), "°", 0.0,
                    1,
                    "#B9821A"),
        ChannelKind("pitch", "Tilt", "camera", lambda c: c.pitch, lambda c, v: replace(c, pitch=v), fixed(-90.0, 90.0), "°",
                    0.0,
                    1, "#2A8FA3"),
        ChannelKind("lens", "Field of view", "camera", lambda c: c.lens, _set_lens, fixed(5.0, 120.0), "°", 30.0, 1,
                    "#8C7BB8"),
    ]  # fmt: skip


def _set_blend(obj: MorphObject, value: float) -> MorphObject:
    assert obj.blend is not None
    return replace(obj, blend=replace(obj.blend, amount=value))


BLEND_KIND = ChannelKind(
    BLEND, "Blend", "object", lambda o: o.blend.amount if o.blend else 0.0, _set_blend, fixed(0.0, 1.0), colour="#B9821A"
)


def _drawn_kind(end: int, name: str) -> ChannelKind:
    def put(obj: MorphObject, value: float) -> MorphObject:
        return replace(obj, drawn=(value, obj.drawn[1]) if end == 0 else (obj.drawn[0], value))

    channel_id = LINE_IDS[end]
    return ChannelKind(
        channel_id, name, "object", lambda o: o.drawn[end], put, fixed(0.0, 1.0), rest=float(end), colour="#2A8FA3"
    )


LINE_IDS = ("line.start", "line.end")
LINE_KINDS = {kind.id: kind for kind in (_drawn_kind(0, "Drawn from"), _drawn_kind(1, "Drawn to"))}


def _set_along(obj: MorphObject, value: float) -> MorphObject:
    assert obj.along is not None
    return replace(obj, along=replace(obj.along, place=value))


ALONG_KIND = ChannelKind(
    ALONG,
    "Along the line",
    "object",
    lambda o: o.along.place if o.along else 0.0,
    _set_along,
    fixed(0.0, 1.0),
    colour="#6E7F2B",
)


def _deformer_kind(kind: str) -> ChannelKind:
    def get(obj: MorphObject) -> float:
        return next((d.amount for d in obj.deformers if d.kind == kind), 0.0)

    def put(obj: MorphObject, value: float) -> MorphObject:
        held = next(d for d in obj.deformers if d.kind == kind)
        most = MOST_TAPER if kind == TAPER else MOST_TURN
        if abs(value) > most:
            raise EditRefused(f"A {kind} goes up to {most:g}, not {value:g}.")
        return replace(obj, deformers=in_order(obj.deformers, replace(held, amount=value)))

    turns = kind != TAPER
    bounds = fixed(-180.0, 180.0) if turns else fixed(-1.0, 1.0)
    unit, decimals = ("°", 1) if turns else ("", 2)
    return ChannelKind(kind, kind.capitalize(), "object", get, put, bounds, unit, decimals=decimals, colour="#7B3F6B")


DEFORMER_KINDS = {kind: _deformer_kind(kind) for kind in DEFORMERS}


@cached_by_identity
def rig_kinds(rig: Rig) -> dict[str, ChannelKind]:
    """What an object has that hangs on a rig: which of its clips is played and where in it, and of each joint by how much it is
    turned by hand, and how far it is from its rest."""
    last = max(len(rig.clips) - 1, 0)
    longest = max((clip.seconds for clip in rig.clips), default=0.0)

    def setter(name: str) -> Callable[[Any, float], Any]:
        return lambda o, v: replace(o, skin=replace(o.skin, **{name: int(np.round(v)) if name == "clip" else v}))

    out = {
        CLIP: ChannelKind(CLIP, "Clip of the rig", "rig", lambda o: float(o.skin.clip), setter("clip"), fixed(0.0, float(last)),
                          decimals=0, stepped=True, colour="#55606E", words=tuple(clip.name for clip in rig.clips)),
        TIME: ChannelKind(TIME, "Time in the clip", "rig", lambda o: o.skin.time, setter("time"),
                          fixed(0.0, longest or 1.0), "s", colour="#2A8FA3"),
    }  # fmt: skip
    for number, name in enumerate(joint_names(rig)):
        for k, axis in enumerate(AXES):
            out[turn_id(number, axis)] = _turn_kind(turn_id(number, axis), f"{name} turned {axis.upper()}", AXIS_COLOURS[k])
        for axis in ("", *AXES):
            word = f"{name} bent {axis.upper()}".strip()
            out[angle_id(number, axis)] = ChannelKind(
                angle_id(number, axis), word, "joint", lambda _o: 0.0, lambda o, _v: o, fixed(-180.0 if axis else 0.0, 180.0),
                "°", decimals=1, colour=GREY, driven="the rig",
            )  # fmt: skip
    return out


def _turn_kind(channel: str, name: str, colour: str) -> ChannelKind:
    def put(obj: MorphObject, value: float) -> MorphObject:
        assert obj.skin is not None
        others = tuple(pair for pair in obj.skin.turns if pair[0] != channel)
        return replace(obj, skin=replace(obj.skin, turns=others + (((channel, value),) if value else ())))

    return ChannelKind(
        channel, name, "joint", lambda o: dict(o.skin.turns).get(channel, 0.0), put, fixed(-180.0, 180.0), "°", 0.0, 1, colour
    )


OBJECT_KINDS: dict[str, ChannelKind] = {kind.id: kind for kind in _object_kinds()}
CAMERA_KINDS: dict[str, ChannelKind] = {kind.id: kind for kind in _camera_kinds()}
LED_CAMERA_KINDS = {ALONG: ALONG_KIND} | CAMERA_KINDS
OWN_IDS = (
    frozenset(OBJECT_KINDS) | frozenset(CAMERA_KINDS) | frozenset(LINE_IDS) | {BLEND, ALONG, *DEFORMERS, CLIP, TIME}
)  # ids that no target may have
