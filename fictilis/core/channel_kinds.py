"""The kinds of numbers that an object or a camera has of its own: where it is, how it looks, what it looks at."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.arrays import cached_by_array, extent
from fictilis.core.errors import EditRefused
from fictilis.core.places import ALONG
from fictilis.core.scene import BLEND, MorphObject
from fictilis.core.timeline import SceneCamera

AXES = "xyz"
LEAST_SCALE = 1e-6  # a lane that runs through 0 must not make the object vanish into a plane
LEAST_DISTANCE = 1e-3
AXIS_COLOURS = ("#A8432F", "#6E7F2B", "#2F5DA8")
GREY = "#55606E"


class ChannelKind(Struct, frozen=True):
    """What a channel is, and how its owner keeps it. ``part`` is ``weight``, ``relay``, ``sweep``, ``object`` or ``camera``:
    moves of one part follow each other. ``rest`` is the neutral value; a ``stepped`` one is on or off; a ``driven`` one follows
    what is named there, and can be neither set nor keyed. One of ``poses`` is the lane of a relay: its keys name shapes."""

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
OBJECT_KINDS: dict[str, ChannelKind] = {kind.id: kind for kind in _object_kinds()}
CAMERA_KINDS: dict[str, ChannelKind] = {kind.id: kind for kind in _camera_kinds()}
LED_CAMERA_KINDS = {ALONG: ALONG_KIND} | CAMERA_KINDS
OWN_IDS = (
    frozenset(OBJECT_KINDS) | frozenset(CAMERA_KINDS) | frozenset(LINE_IDS) | {BLEND, ALONG}
)  # ids that no target may have
