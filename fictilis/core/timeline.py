"""What goes on in time: lanes and what has them, the camera of a scene, its markers and its sound. All are values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Self

import numpy as np

from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.animation.modifiers import Modifier, modified
from fictilis.core.arrays import cached_by_identity, plain_numbers


@dataclass(frozen=True, eq=False)
class Lane:
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


@dataclass(frozen=True, eq=False)
class SceneCamera(Animated):
    """A camera that turns about what it looks at. Places in cm; yaw, pitch and the field of view ``lens`` in degrees."""

    id: str
    name: str
    centre: tuple[float, float, float]
    distance: float
    yaw: float
    pitch: float
    lens: float = 30.0
    parallel: bool = False
    lanes: tuple[Lane, ...] = ()

    def __post_init__(self) -> None:
        plain_numbers(self, "centre", "distance", "yaw", "pitch", "lens")


@dataclass(frozen=True)
class Marker:
    """A name at a frame: a word, a beat."""

    frame: float
    name: str

    def __post_init__(self) -> None:
        plain_numbers(self, "frame")


@dataclass(frozen=True, eq=False)
class Sound:
    """A sound file's bytes, kept with the scene. It begins at frame ``start``; ``volume`` 0…1."""

    name: str
    data: bytes
    start: float = 0.0
    muted: bool = False
    volume: float = 1.0

    def __post_init__(self) -> None:
        plain_numbers(self, "start", "volume")
