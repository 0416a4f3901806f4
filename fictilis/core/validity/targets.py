"""What a target may be among those of its object."""

from __future__ import annotations

import numpy as np

from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channel_kinds import OBJECT_KINDS
from fictilis.core.mix.channels import own_kinds
from fictilis.core.mix.driven import driven_targets, drivers_of
from fictilis.core.mix.relay import relay_of
from fictilis.core.rig.posing import is_angle
from fictilis.core.scene.deformers import DEFORMERS
from fictilis.core.scene.rules import HOWS, LEAST, Follow
from fictilis.core.scene.scene import MorphObject, Target, targets_by_id
from fictilis.core.scene.sweep import LEAST_BANDS, MOST_BANDS, PROFILES

LOCKED = "{} is locked; unlock it first."
SHAPE = ("deltas", "in_betweens", "mask")  # with ``path`` and ``built_on`` what a lock keeps


def check_locks(obj: MorphObject, was: MorphObject) -> None:
    """Raises EditRefused where a target that was locked and still is has another shape, or is gone. A change of the base or of
    the mesh is one of the whole object, and allowed."""
    for target in was.targets:
        if not target.locked:
            continue
        now = targets_by_id(obj).get(target.id)
        other = now is not None and now.locked and obj.base is was.base and (
            any(getattr(now, part) is not getattr(target, part) for part in SHAPE)
            or (now.path, now.built_on) != (target.path, target.built_on)
        )  # fmt: skip
        if now is None or other:
            raise EditRefused(LOCKED.format(target.name))


def checked_rule(obj: MorphObject, target: Target) -> None:
    """Raises EditRefused, with names, where a target's rule makes no sense among the targets of its object."""
    rule, relay = target.rule, relay_of(obj, target)
    if (rule is not None or target.follows is not None) and relay is not None:
        raise EditRefused(f"{target.name} is a shape of the relay {relay.name}; it cannot be driven by others too.")
    if (rule is not None or target.follows is not None) and target.link is not None:
        raise EditRefused(f"{target.name} is linked; unlink it before others drive it.")
    if target.follows is not None:
        _checked_follow(obj, target, target.follows)
    if rule is None:
        return
    if rule.how not in HOWS:
        raise EditRefused(f"“{rule.how}” is no way to take drivers together; use {' or '.join(HOWS)}.")
    if not rule.drivers:
        raise EditRefused(f"{target.name} needs a target that drives it; to take the last one away, make it a plain target.")
    seen: set[str] = set()
    for driver in rule.drivers:
        name = obj.target(driver.target).name
        if driver.target in seen:
            raise EditRefused(f"{name} drives {target.name} already.")
        seen.add(driver.target)
        if not np.isfinite(driver.at) or abs(driver.at) < LEAST or abs(driver.at) > 1e6:
            raise EditRefused(f"{name} cannot drive {target.name} in full at {driver.at:g}; use a weight that is not 0.")
        if driver.width is not None and not LEAST <= driver.width <= 1e6:
            raise EditRefused(f"{name} must fade within a weight above 0 as it passes {driver.at:g}, not {driver.width:g}.")
    driven_targets(obj)


def followed(obj: MorphObject) -> dict[str, str]:
    """The numbers of an object itself that a weight may follow, with their names: where it is, how far it is bent, the angles
    of its joints."""
    own = own_kinds(obj)
    return {c: kind.name for c, kind in own.items() if c in OBJECT_KINDS and "." in c or c in DEFORMERS or is_angle(c)}


def _checked_follow(obj: MorphObject, target: Target, follow: Follow) -> None:
    if target.rule is not None:
        raise EditRefused(f"{target.name} is a corrective; it cannot follow a number too.")
    if follow.source not in followed(obj):
        obj.target(follow.source)
    if not follow.curve.keys or any(key.shape for key in follow.curve.keys):
        raise EditRefused(f"{target.name} needs a point at least on the curve by which it follows {drivers_of(obj, target)}.")
    driven_targets(obj)


def checked_sweep(obj: MorphObject, target: Target) -> None:
    """Raises EditRefused, with names, where a target cannot be swept so."""
    sweep = target.sweep
    if sweep is None:
        return
    if len(sweep.field) != len(obj.base):
        raise EditRefused(f"The sweep of {target.name} is over {len(sweep.field):,} points; {obj.name} has {len(obj.base):,}.")
    if not np.isfinite(sweep.field).all() or len(sweep.field) and (sweep.field.min() < 0 or sweep.field.max() > 1):
        raise EditRefused(f"The field of {target.name} must be from 0 to 1.")
    if not 0 <= sweep.softness <= 100 or sweep.profile not in PROFILES or not abs(sweep.front) <= 1e6:
        raise EditRefused(f"The front of {target.name} cannot be {sweep.softness:g} wide and {sweep.profile}.")
    if not LEAST_BANDS <= sweep.bands <= MOST_BANDS:
        raise EditRefused(f"A sweep is cut into {LEAST_BANDS} to {MOST_BANDS} bands, not {sweep.bands}.")
    if target.in_betweens:
        raise EditRefused(f"{target.name} has in-betweens; a sweep brings up one shape. Remove them first.")
    if target.built_on is not None:
        raise EditRefused(f"{target.name} is built on {obj.target(target.built_on).name}; rebuild it on the base first.")
    relay = relay_of(obj, target)
    if relay is not None:
        raise EditRefused(f"{target.name} is a shape of the relay {relay.name}; it cannot be swept too.")
    if sweep.until is not None:
        other = obj.target(sweep.until)
        if other.id == target.id or other.sweep is None or not np.array_equal(other.sweep.field, sweep.field):
            raise EditRefused(f"{target.name} can give way only to a target that is swept over the same field.")
