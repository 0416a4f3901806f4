"""Correctives: targets whose weight follows from others', to put right what those do wrong together; and driven weights."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits.targets import append
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.following import follow_of, rule_of
from fictilis.core.scene.rules import PRODUCT, Driver, Follow, Rule
from fictilis.core.scene.scene import Scene, Target
from fictilis.core.validity.targets import checked_rule


def set_follow(scene: Scene, object_id: str, target_id: str, follow: Follow | None, weight: float = 0.0) -> Scene:
    """A weight that follows one number by a curve; None makes the target a plain one that stands at ``weight``. What follows
    loses its own lane, and a rule. Raises EditRefused for a circle, by name."""
    return _led_by(scene, object_id, target_id, None, follow, weight)


def _led_by(
    scene: Scene, object_id: str, target_id: str, rule: Rule | None, follow: Follow | None, weight: float
) -> Scene:  # fmt: skip
    obj, driven = scene.unlocked(object_id), rule is not None or follow is not None
    target = replace(obj.target(target_id), rule=rule, follows=follow, weight=0.0 if driven else float(weight))
    lanes = tuple(lane for lane in obj.lanes if lane.channel != target_id) if driven else obj.lanes
    changed = replace(obj.with_target(target), lanes=lanes)
    checked_rule(changed, target)
    return scene.with_object(changed)


def set_follow_keys(scene: Scene, object_id: str, target_id: str, keys: Iterable[Key]) -> Scene:
    """Set the points of the curve by which a weight follows; of two at one number the later one stays."""
    follow = follow_of(scene, object_id, target_id)
    return set_follow(scene, object_id, target_id, replace(follow, curve=AnimationCurve.of(keys, follow.curve)))


def add_corrective(
    scene: Scene, object_id: str, weights: Mapping[str, float], name: str = "", how: str = PRODUCT
) -> tuple[Scene, str]:
    """A corrective, driven in full by targets at these ``weights`` by id, without a shape of its own yet."""
    obj = scene.unlocked(object_id)
    rule = Rule(tuple(Driver(target_id, float(at)) for target_id, at in weights.items()), how)
    names = [obj.target(target_id).name for target_id in weights]
    called = " with ".join(names[:2]) + (f" and {len(names) - 2} more" if len(names) > 2 else "")
    scene, made = append(scene, obj, Target("", "", rule=rule), name or called or "Corrective")
    obj = scene.object(object_id)
    checked_rule(obj, obj.target(made))
    return scene, made


def set_rule(scene: Scene, object_id: str, target_id: str, rule: Rule | None, weight: float = 0.0) -> Scene:
    """Set a target's rule; None makes it a plain one that stands at ``weight``. What has a rule loses its own lane."""
    return _led_by(scene, object_id, target_id, rule, None, weight)


def set_driver(scene: Scene, object_id: str, target_id: str, driver_id: str, **values: Any) -> Scene:
    """Set one driver's numbers (``at``, ``width``), or a new driver of a corrective."""
    rule = rule_of(scene, object_id, target_id)
    known = next((d for d in rule.drivers if d.target == driver_id), None)
    if known is None:
        drivers = (*rule.drivers, Driver(driver_id, **values))
    else:
        drivers = tuple(replace(d, **values) if d is known else d for d in rule.drivers)
    return set_rule(scene, object_id, target_id, replace(rule, drivers=drivers))


def drop_driver(scene: Scene, object_id: str, target_id: str, driver_id: str) -> Scene:
    """Remove a driver; the last one stays, as nothing would be left to follow."""
    rule, obj = rule_of(scene, object_id, target_id), scene.object(object_id)
    name = obj.target(driver_id).name
    if all(d.target != driver_id for d in rule.drivers):
        raise EditRefused(f"{name} does not drive {obj.target(target_id).name}.")
    left = rule.without(driver_id)
    if left is None:
        raise EditRefused(f"{name} is the only driver of {obj.target(target_id).name}; make it a plain target instead.")
    return set_rule(scene, object_id, target_id, left)


def set_how(scene: Scene, object_id: str, target_id: str, how: str) -> Scene:
    """Set whether a corrective takes the product of its drivers' factors, or the smallest."""
    return set_rule(scene, object_id, target_id, replace(rule_of(scene, object_id, target_id), how=how))
