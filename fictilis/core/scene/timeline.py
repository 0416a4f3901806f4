"""What goes on in time: lanes and what has them, the camera of a scene, its markers and its sound. All are values."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Self

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.animation.modifiers import Modifier, modified
from fictilis.core.ground.arrays import cached_by_identity, plain_numbers
from fictilis.core.scene.places import ALONG, Along

LONGEST_RANGE = 1_000_000.0  # frames, on either side of 0
NEAR = 1e-6  # of a frame: a marker is at it


class Lane(Struct, frozen=True, eq=False, weakref=True):
    """Animates one number of its owner, by channel id (see ``channels``): a curve, and modifiers that act one after another."""

    channel: str
    curve: AnimationCurve
    modifiers: tuple[Modifier, ...] = ()

    def values(self, frames: np.ndarray | float, fps: float) -> np.ndarray:
        """Values at ``frames`` (any shape), the modifiers included."""
        return modified(self.curve, self.modifiers, frames, fps)


@cached_by_identity
def lanes_by_channel(owner: Animated) -> dict[str, Lane]:
    """The lanes of an owner by the ids of their channels."""
    return {lane.channel: lane for lane in owner.lanes}


class Animated:
    """Has lanes: an object, or a camera."""

    id: str
    name: str
    lanes: tuple[Lane, ...]

    def lane(self, channel: str) -> Lane | None:
        return lanes_by_channel(self).get(channel)

    def with_lane(self, channel: str, curve: AnimationCurve) -> Self:
        """With the curve of a lane set; a curve without keys takes the lane away."""
        return self.with_lanes({channel: curve})

    def with_lanes(self, curves: Mapping[str, AnimationCurve]) -> Self:
        """With the curves of several lanes set, which then stand behind the others; those without keys are gone."""
        old = lanes_by_channel(self)
        kept = tuple(lane for lane in self.lanes if lane.channel not in curves)
        new = tuple(Lane(c, curve, old[c].modifiers if c in old else ()) for c, curve in curves.items() if curve.keys)
        return replace(self, lanes=kept + new)  # type: ignore[type-var]

    def with_modifiers(self, channel: str, modifiers: tuple[Modifier, ...]) -> Self:
        lanes = tuple(replace(lane, modifiers=modifiers) if lane.channel == channel else lane for lane in self.lanes)
        return replace(self, lanes=lanes)  # type: ignore[type-var]

    def apart(self) -> Self:
        """Following no line."""
        lanes = tuple(lane for lane in self.lanes if lane.channel != ALONG)
        return replace(self, along=None, lanes=lanes)  # type: ignore[type-var]


class SceneCamera(Animated, Struct, frozen=True, eq=False, weakref=True):
    """A camera that turns about what it looks at. Places in cm; yaw, pitch and the field of view ``lens`` in degrees. One that
    follows a line stands there, and looks at its ``centre``, or where it turns along the line and aside by yaw and pitch."""

    id: str
    name: str
    centre: tuple[float, float, float]
    distance: float
    yaw: float
    pitch: float
    lens: float = 30.0
    parallel: bool = False
    lanes: tuple[Lane, ...] = ()
    along: Along | None = None

    def __post_init__(self) -> None:
        plain_numbers(self, "centre", "distance", "yaw", "pitch", "lens")


class SavedView(Struct, frozen=True):
    """A view kept under a name: the numbers of a camera that turns about ``centre``; cm and degrees."""

    name: str
    centre: tuple[float, float, float]
    distance: float
    yaw: float
    pitch: float
    parallel: bool = False

    def __post_init__(self) -> None:
        plain_numbers(self, "centre", "distance", "yaw", "pitch")


class Blend(Struct, frozen=True, eq=False, weakref=True):
    """What an object plays beside its own lanes: ``lanes`` of another clip, ``offset`` frames later. Its channel ``blend`` says
    how far the object is led by them, 0…1."""

    lanes: tuple[Lane, ...]
    offset: float = 0.0
    amount: float = 0.0

    def __post_init__(self) -> None:
        plain_numbers(self, "offset", "amount")


class ClipPart(Struct, frozen=True, eq=False, weakref=True):
    """The lanes of one object in a clip that is not active."""

    owner: str
    lanes: tuple[Lane, ...]
    blend: Blend | None = None


class Clip(Struct, frozen=True, eq=False, weakref=True):
    """Lanes of all objects under a name, with a range of their own and whether it loops. ``parts`` are empty while it is
    active: then the objects themselves hold its lanes, and the scene its range."""

    id: str
    name: str
    start: float
    end: float
    played: tuple[float, float] | None = None
    loop: bool = True
    parts: tuple[ClipPart, ...] = ()

    def __post_init__(self) -> None:
        plain_numbers(self, "start", "end", "played")

    def part(self, owner_id: str) -> ClipPart:
        """What an object does in it."""
        return next((part for part in self.parts if part.owner == owner_id), ClipPart(owner_id, ()))

    def fitted(self, owner_id: str, homes: Mapping[str, frozenset[str]], were: frozenset[str]) -> Clip:
        """Without lanes whose channels an object has no more, and poses of shapes that are gone: ``homes`` are the channels
        that may have a lane now, each with the shapes its poses may name, ``were`` those the object could have had."""

        def fits(lanes: tuple[Lane, ...]) -> tuple[Lane, ...]:
            return fitted_lanes(lanes, homes, were)

        parts = []
        for part in self.parts:
            if part.owner == owner_id:
                blend = part.blend and replace(part.blend, lanes=fits(part.blend.lanes))
                part = replace(part, lanes=fits(part.lanes), blend=blend)
            if part.lanes or part.blend is not None:
                parts.append(part)
        return replace(self, parts=tuple(parts))


def fitted_lanes(lanes: tuple[Lane, ...], homes: Mapping[str, frozenset[str]], were: frozenset[str]) -> tuple[Lane, ...]:
    """See ``Clip.fitted``."""
    out = []
    for lane in lanes:
        if lane.channel in were and lane.channel not in homes:
            continue
        shapes = homes.get(lane.channel, frozenset())
        keys = tuple(key for key in lane.curve.keys if not key.shape or key.shape in shapes)
        if len(keys) != len(lane.curve.keys):
            lane = replace(lane, curve=replace(lane.curve, keys=keys))
        out += [lane] if keys else []
    return tuple(out)


class Marker(Struct, frozen=True):
    """A name at a frame: a word, a beat."""

    frame: float
    name: str

    def __post_init__(self) -> None:
        plain_numbers(self, "frame")


class Sound(Struct, frozen=True, eq=False, weakref=True):
    """A sound file's bytes, kept with the scene. It begins at frame ``start``; ``volume`` 0…1."""

    name: str
    data: bytes
    start: float = 0.0
    muted: bool = False
    volume: float = 1.0

    def __post_init__(self) -> None:
        plain_numbers(self, "start", "volume")


class Reference(Struct, frozen=True, eq=False, weakref=True):
    """An image or a movie behind the objects or before them, to match a drawing or a take: its file's bytes, kept with the
    scene. A movie begins at frame ``start``. ``size`` is its height, ``across`` and ``up`` its middle, in heights of the view
    from the middle of that; ``through`` cameras only."""

    name: str
    data: bytes
    start: float = 0.0
    opacity: float = 1.0
    size: float = 1.0
    across: float = 0.0
    up: float = 0.0
    before: bool = False
    through: bool = False
    shown: bool = True

    def __post_init__(self) -> None:
        plain_numbers(self, "start", "opacity", "size", "across", "up")
