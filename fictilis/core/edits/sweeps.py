"""Edits of sweeps: a field over the points of a target, and the front that runs over it."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.bands import sweep_of, without_until
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.sweep import Sweep, front_of
from fictilis.core.validity.targets import checked_sweep


def set_sweep(scene: Scene, object_id: str, target_id: str, sweep: Sweep | None) -> Scene:
    """Set a target's sweep, or remove it: then its front's lane goes, and what gave way to it does so no more."""
    obj = scene.unlocked(object_id)
    target = replace(obj.target(target_id), sweep=sweep)
    changed = obj.with_target(target)
    if sweep is None:
        lanes = tuple(lane for lane in changed.lanes if lane.channel != front_of(target_id))
        changed = replace(changed, lanes=lanes, targets=without_until(changed, target_id))
    for one in changed.targets:
        checked_sweep(changed, one)
    return scene.with_object(changed)


def change_sweep(scene: Scene, object_id: str, target_id: str, **values: Any) -> Scene:
    """Change numbers of a sweep: its front, softness, profile, bands or field."""
    return set_sweep(scene, object_id, target_id, replace(sweep_of(scene, object_id, target_id), **values))


def key_front(scene: Scene, object_id: str, target_id: str, first: float, last: float) -> Scene:
    """The front runs over all from frame ``first`` to ``last``; a target that stands at 0 stands at 1 then."""
    obj = scene.object(object_id)
    target = obj.target(target_id)
    if obj.lane(target_id) is None and target.weight == 0.0 and target.rule is None and target.follows is None:
        obj = obj.with_target(replace(target, weight=1.0))
    curve = AnimationCurve.of([Key(first, 0.0), Key(last, 1.0)])
    return scene.with_object(obj.with_lane(front_of(target_id), curve))


def sweep_after(scene: Scene, object_id: str, target_id: str, earlier_id: str, frames: float) -> Scene:
    """A target that takes over from an earlier one, by a front over the same field so many frames behind: A → B."""
    obj = scene.unlocked(object_id)
    earlier = sweep_of(scene, object_id, earlier_id)
    if earlier_id == target_id:
        raise EditRefused(f"{obj.target(target_id).name} cannot follow itself; choose another target.")
    if earlier.until not in (None, target_id):
        raise EditRefused(f"{obj.target(earlier_id).name} gives way to {obj.target(earlier.until or '').name} already.")
    scene = set_sweep(scene, object_id, target_id, replace(earlier, until=None))
    scene = change_sweep(scene, object_id, earlier_id, until=target_id)
    lane = scene.object(object_id).lane(front_of(earlier_id))
    if lane is None:
        return scene
    first, last = lane.curve.keys[0].frame, lane.curve.keys[-1].frame
    scene = key_front(scene, object_id, target_id, first, max(last, first + 1))
    keys = [replace(k, frame=k.frame + frames) for k in lane.curve.keys]
    obj = scene.object(object_id)
    return scene.with_object(obj.with_lane(front_of(target_id), AnimationCurve.of(keys, lane.curve)))
