"""Edits of keys, lanes, rate and range."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from fictilis.core.animation.curve import SAME_FRAME, AnimationCurve, Key
from fictilis.core.animation.hold_guard import missing_hold
from fictilis.core.errors import EditRefused
from fictilis.core.scene import Scene

LONGEST_RANGE = 1_000_000.0


@dataclass(frozen=True)
class KeyRef:
    """One key: of which object, which target's lane, at which frame."""

    object: str
    target: str
    frame: float


@dataclass(frozen=True)
class HoldAdded:
    """What the hold guard did: the lane's target, and the key it added."""

    target: str
    key: Key


def set_key(scene: Scene, object_id: str, target_id: str, key: Key) -> Scene:
    """A key written as it is, replacing one at the same frame."""
    obj = scene.object(object_id)
    obj.target(target_id)
    lane = obj.lane(target_id)
    curve = lane.curve if lane else AnimationCurve()
    return scene.with_object(obj.with_lane(target_id, curve.with_key(key)))


def key_weights(
    scene: Scene, object_id: str, frame: float, weights: Mapping[str, float], guard: bool = True
) -> tuple[Scene, list[HoldAdded]]:
    """Key targets at ``frame``, by id and value. With ``guard`` the hold guard adds the hold keys that are missing.

    A key that is there keeps its interpolation; a new one takes that of the key before it, or smooth.
    """
    before = scene.object(object_id)
    added: list[HoldAdded] = []
    for target_id, value in weights.items():
        lane = before.lane(target_id)
        kind = "smooth"
        if lane:
            earlier = [k for k in lane.curve.keys if k.frame <= frame + SAME_FRAME]
            kind = earlier[-1].interpolation if earlier else lane.curve.keys[0].interpolation
        key = Key(float(frame), float(value), kind)
        hold = missing_hold(before, target_id, key) if guard else None
        if hold is not None:
            scene = set_key(scene, object_id, target_id, hold)
            added.append(HoldAdded(target_id, hold))
        scene = set_key(scene, object_id, target_id, key)
    return scene, added


def delete_keys(scene: Scene, keys: Iterable[KeyRef]) -> Scene:
    for (object_id, target_id), frames in _by_lane(keys).items():
        obj = scene.object(object_id)
        lane = obj.lane(target_id)
        if lane:
            scene = scene.with_object(obj.with_lane(target_id, lane.curve.without(frames)))
    return scene


def set_interpolation(scene: Scene, keys: Iterable[KeyRef], interpolation: str) -> Scene:
    for (object_id, target_id), frames in _by_lane(keys).items():
        obj = scene.object(object_id)
        lane = obj.lane(target_id)
        if lane:
            curve = lane.curve.set_interpolation(frames, interpolation)
            scene = scene.with_object(obj.with_lane(target_id, curve))
    return scene


def move_keys(
    scene: Scene, keys: Iterable[KeyRef], frames: float, value: float, snap: bool = True
) -> tuple[Scene, list[KeyRef]]:
    """Move keys by ``frames`` and ``value``; with ``snap`` each lands on a whole frame.

    A moved key that lands on one that stays replaces it. Returns the keys' new places too.
    """
    moved_refs: list[KeyRef] = []
    for (object_id, target_id), chosen in _by_lane(keys).items():
        obj = scene.object(object_id)
        lane = obj.lane(target_id)
        if lane is None:
            continue
        moving = [k for k in lane.curve.keys if any(abs(k.frame - f) <= SAME_FRAME for f in chosen)]
        staying = lane.curve.without(chosen).keys
        landed = []
        for key in moving:
            frame = key.frame + frames
            landed.append(replace(key, frame=float(np.round(frame)) if snap and frames else frame, value=key.value + value))
        curve = AnimationCurve.of((*staying, *landed))
        scene = scene.with_object(obj.with_lane(target_id, curve))
        moved_refs += [KeyRef(object_id, target_id, key.frame) for key in landed]
    return scene, moved_refs


def _by_lane(keys: Iterable[KeyRef]) -> dict[tuple[str, str], list[float]]:
    out: dict[tuple[str, str], list[float]] = {}
    for key in keys:
        out.setdefault((key.object, key.target), []).append(key.frame)
    return out


def set_rate(scene: Scene, fps: float) -> Scene:
    """Another frame rate; keys keep their frames."""
    if not (np.isfinite(fps) and 0.1 <= fps <= 1000):
        raise EditRefused(f"The frame rate must be from 0.1 to 1000 frames a second, not {fps:g}.")
    return replace(scene, fps=float(fps))


def set_frame_range(scene: Scene, start: float, end: float) -> Scene:
    if not (np.isfinite(start) and np.isfinite(end) and start < end):
        raise EditRefused(f"The range must rise: frame {start:g} is not before frame {end:g}.")
    if max(abs(start), abs(end)) > LONGEST_RANGE:
        raise EditRefused(f"The range must stay within ±{LONGEST_RANGE:,.0f} frames.")
    return replace(scene, start=float(start), end=float(end))
