"""Edits of targets and in-betweens. Each returns the new scene, and the new target's id where it makes one."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.at_frame.pose import Pose
from fictilis.core.geometry.closest import Surface
from fictilis.core.geometry.kinds import Geometry, Mesh
from fictilis.core.geometry.matching import Order, require_match
from fictilis.core.ground.arrays import add_rows
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.names import by_number, fresh_id, fresh_name, given_name, tidy_name
from fictilis.core.mix.channels import settable
from fictilis.core.mix.coefficients import FULL, stage_coefficients
from fictilis.core.mix.driven import driven_by
from fictilis.core.mix.following import followers, weights_kept
from fictilis.core.mix.masks import own, part_below, unmasked
from fictilis.core.mix.relay import relay_of
from fictilis.core.mix.shapes import add_deltas
from fictilis.core.scene.appearance import LANE_COLOURS
from fictilis.core.scene.kept import StoredMix
from fictilis.core.scene.scene import Deltas, Group, InBetween, MorphObject, Scene, Target
from fictilis.core.scene.sweep import front_of
from fictilis.core.scene.timeline import Lane

PATHS = ("straight", "curved")


def _changed(scene: Scene, object_id: str, target_id: str, free: bool = False, **values: Any) -> Scene:
    """A target with other values; ``free`` ones may change while the object is locked."""
    obj = scene.object(object_id) if free else scene.unlocked(object_id)
    return scene.with_object(obj.with_target(replace(obj.target(target_id), **values)))


def append(scene: Scene, obj: MorphObject, new: Target, name: str, after: str = "") -> tuple[Scene, str]:
    """``new`` behind the target ``after``, or behind all, with an id, name and colour of its own; solo while others are,
    so that it acts."""
    made = replace(
        new, id=fresh_id("t", (t.id for t in obj.targets), scene.id_floor),
        name=fresh_name(name, (t.name for t in obj.targets)),
        colour=LANE_COLOURS[len(obj.targets) % len(LANE_COLOURS)], link=None,
        locked=False, solo=any(t.solo for t in obj.targets),
    )  # fmt: skip
    place = next((n for n, t in enumerate(obj.targets, 1) if t.id == after), len(obj.targets))
    return scene.with_object(replace(obj, targets=(*obj.targets[:place], made, *obj.targets[place:]))), made.id


def new_target(scene: Scene, object_id: str, name: str = "Target") -> tuple[Scene, str]:
    """A named copy of the base, ready to be reshaped."""
    return append(scene, scene.unlocked(object_id), Target("", ""), name)


def target_from_points(scene: Scene, object_id: str, name: str, points: np.ndarray) -> tuple[Scene, str]:
    """A target whose full shape is ``points`` (n, 3), in the base's vertex order."""
    obj = scene.unlocked(object_id)
    points = np.asarray(points, np.float64)
    if points.shape != obj.base.shape:
        raise ValueError(f"expected points shaped {obj.base.shape}, got {points.shape}")
    return append(scene, obj, Target("", "", Deltas.from_dense(points - obj.base)), name)


def target_projected(scene: Scene, object_id: str, name: str, mesh: Mesh, points: np.ndarray) -> tuple[Scene, str]:
    """A target from a mesh of any number of points (m, 3): each point of the base goes to the nearest place on it.

    Source: nearest surface point with barycentric shares.
    """
    if not mesh.face_count:
        raise EditRefused(f"{name} has no faces to project onto.")
    base = scene.unlocked(object_id).base
    found = Surface(mesh, points).nearest(base)
    return target_from_points(scene, object_id, name, np.einsum("kc,kcx->kx", found.shares, points[found.corners]))


def target_from_mesh(
    scene: Scene, object_id: str, name: str, geometry: Geometry, points: np.ndarray, order: Order | None = None
) -> tuple[Scene, str]:
    """A target from a copy made elsewhere, its points put in a found ``order`` where one is given.

    Raises NotATarget when the geometry does not match the base.
    """
    obj = scene.unlocked(object_id)
    if order is not None:
        return target_from_points(scene, object_id, name, order.apply(points))
    require_match(obj.geometry, geometry, name, f"the base {obj.name}")
    return target_from_points(scene, object_id, name, points)


def in_between_from_mesh(
    scene: Scene, object_id: str, target_id: str, at: float, name: str, geometry: Geometry, points: np.ndarray
) -> Scene:
    """An in-between at ``at`` whose shape is a copy made elsewhere."""
    obj = scene.unlocked(object_id)
    require_match(obj.geometry, geometry, name, f"the base {obj.name}")
    return _with_stage(scene, obj, target_id, InBetween(at, Deltas.from_dense(points - obj.base), name))


def target_from_seen(
    scene: Scene, object_id: str, frame: float, posed: Mapping[str, float], name: str = "From the mix"
) -> tuple[Scene, str]:
    """A target that freezes the mix as it is seen."""
    obj = scene.unlocked(object_id)
    return target_from_points(scene, object_id, name, Pose(scene, obj, frame, {object_id: posed}).mixed)


def remove_target(scene: Scene, object_id: str, target_id: str, frame: float | None = None) -> Scene:
    """Remove a target and its lane. What was built on it is built on its parent, and keeps its full shape; a corrective it
    drives goes on with its other drivers, and is a plain target at 0 where there are none. What followed it becomes a plain
    target, and keeps the weight that it has at ``frame``, by default the first."""
    obj = scene.unlocked(object_id)
    gone = obj.target(target_id)
    kept = weights_kept(obj, followers(obj, [target_id]), scene.start if frame is None else frame, scene.fps)

    def adopt(target: Target) -> Target:
        if target.built_on != target_id:
            return target
        shown = own(target).dense(len(obj.base)) + own(gone).dense(len(obj.base))
        return replace(target, built_on=gone.built_on, deltas=Deltas.from_dense(unmasked(shown, target.mask)))

    def freed(target: Target) -> Target:
        if target.sweep is not None and target.sweep.until == target_id:
            target = replace(target, sweep=replace(target.sweep, until=None))
        if target.id in kept:
            return replace(target, follows=None, weight=kept[target.id])
        return target if target.rule is None else replace(target, rule=target.rule.without(target_id))

    targets = tuple(freed(adopt(t)) for t in obj.targets if t.id != target_id)
    lanes = tuple(lane for lane in obj.lanes if lane.channel not in (target_id, front_of(target_id)))
    mixes = tuple(replace(m, weights=tuple(w for w in m.weights if w[0] != target_id)) for m in obj.mixes)
    return scene.with_object(tidy_groups(replace(obj, targets=targets, lanes=lanes, mixes=mixes)))


def rename_target(scene: Scene, object_id: str, target_id: str, name: str) -> Scene:
    obj = scene.unlocked(object_id)
    others = (t.name for t in obj.targets if t.id != target_id)
    name = given_name(name, obj.target(target_id).name, others, f"{obj.name} already has a target")
    return _changed(scene, object_id, target_id, name=name)


def rename_targets(scene: Scene, object_id: str, target_ids: Sequence[str], find: str, put: str) -> Scene:
    """Targets with ``put`` in place of ``find`` in their names; with nothing to find they are called ``put`` and a number.
    Raises EditRefused for a name that another target has."""
    obj = scene.unlocked(object_id)
    if not find and not put.strip():
        raise EditRefused("Say what to find in the names, or what the targets are to be called.")
    wide = len(str(len(target_ids)))
    new = {i: f"{put} {n:0{wide}d}" for n, i in enumerate(target_ids, 1)} if not find else {}
    new = new or {t.id: t.name.replace(find, put) for t in obj.targets if t.id in target_ids and find in t.name}
    if not new:
        raise EditRefused(f"No name of the targets has “{find[:40]}” in it.")
    others = [t.name for t in obj.targets if t.id not in new]
    for target_id, name in new.items():
        new[target_id] = given_name(name, obj.target(target_id).name, others, f"{obj.name} already has a target")
        others.append(new[target_id])
    return scene.with_object(replace(obj, targets=tuple(replace(t, name=new.get(t.id, t.name)) for t in obj.targets)))


def sort_targets(scene: Scene, object_id: str) -> Scene:
    """Sort targets by their names, numbers in them by size. Groups stand by their names; a relay keeps its order."""
    obj = scene.unlocked(object_id)
    relays = {g.id for g in obj.groups if g.relay is not None}
    names = {g.id: g.name for g in obj.groups}

    def place(row: tuple[int, Target]) -> tuple[Any, ...]:
        number, target = row
        own = by_number("") if target.group in relays else by_number(target.name)
        return by_number(names.get(target.group or "", target.name)), target.group or "", own, number

    return scene.with_object(replace(obj, targets=tuple(t for _, t in sorted(enumerate(obj.targets), key=place))))


def new_targets(scene: Scene, object_id: str, names: Iterable[str]) -> tuple[Scene, list[str]]:
    """A copy of the base for each name. Raises EditRefused where there is none."""
    made = []
    for name in names:
        if name.strip():
            scene, target_id = new_target(scene, object_id, name.strip())
            made.append(target_id)
    if not made:
        raise EditRefused("There are no names; copy a list of them first, one a line.")
    return scene, made


def move_target(scene: Scene, object_id: str, target_id: str, place: int) -> Scene:
    """Put the target at ``place`` in the order of cards; among the members of a group it joins it."""
    obj = scene.unlocked(object_id)
    moved = obj.target(target_id)
    rest = [t for t in obj.targets if t.id != target_id]
    place = max(0, min(place, len(rest)))
    before = rest[place - 1].group if place > 0 else None
    after = rest[place].group if place < len(rest) else None
    # within a group it joins it; at its own group's edge it stays a member; elsewhere it leaves
    group = after if before == after else moved.group if moved.group in (before, after) else None
    moved = replace(moved, group=group)
    return scene.with_object(tidy_groups(replace(obj, targets=(*rest[:place], moved, *rest[place:]))))


def set_weight(scene: Scene, object_id: str, target_id: str, weight: float) -> Scene:
    """Set the weight that a target has where no lane drives it."""
    if not np.isfinite(weight):
        raise EditRefused(f"A weight must be a finite number, not {weight}.")
    settable(scene.object(object_id), target_id)
    return _changed(scene, object_id, target_id, True, weight=float(weight))


def set_range(scene: Scene, object_id: str, target_id: str, low: float, high: float) -> Scene:
    name = scene.object(object_id).target(target_id).name
    if not (np.isfinite(low) and np.isfinite(high) and low < high):
        raise EditRefused(f"The range of {name} must rise: {low:g} is not below {high:g}.")
    return _changed(scene, object_id, target_id, True, range=(float(low), float(high)))


def set_path(scene: Scene, object_id: str, target_id: str, path: str) -> Scene:
    if path not in PATHS:
        raise EditRefused(f"“{path}” is no path; use straight or curved.")
    return _changed(scene, object_id, target_id, path=path)


def set_muted(scene: Scene, object_id: str, target_id: str, muted: bool) -> Scene:
    return _changed(scene, object_id, target_id, True, muted=muted)


def set_solo(scene: Scene, object_id: str, target_id: str, solo: bool) -> Scene:
    """Make a target solo, or not: while some targets of an object are, its others do not act."""
    return _changed(scene, object_id, target_id, True, solo=solo)


def lock_target(scene: Scene, object_id: str, target_id: str, locked: bool) -> Scene:
    """The shape of a locked target stays as it is; its weight and keys may change."""
    return _changed(scene, object_id, target_id, True, locked=locked)


def set_note(scene: Scene, object_id: str, target_id: str, note: str) -> Scene:
    return _changed(scene, object_id, target_id, True, note=tidy_name(note))


def set_built_on(scene: Scene, object_id: str, target_id: str, parent: str | None) -> Scene:
    """Build a target on another (or on the base): its deltas are then added to the parent's full shape, and its in-betweens get
    their part of it."""
    obj = scene.unlocked(object_id)
    target = obj.target(target_id)
    if parent is not None and target.sweep is not None:
        raise EditRefused(f"{target.name} has a sweep; take it off before it is built on another target.")
    if parent is not None:
        above = obj.target(parent)
        if parent == target_id or any(t.id == target_id for t in obj.ancestors(above)):
            raise EditRefused(
                f"{target.name} cannot be built on {above.name}: that is built on {target.name} itself; "
                "build that one on something else first."
            )
    moved = replace(target, built_on=parent)
    stages = tuple(
        replace(s, deltas=add_deltas(add_deltas(s.deltas, part_below(obj, target, s.at), -1.0), part_below(obj, moved, s.at)))
        for s in target.in_betweens
    )
    return _changed(scene, object_id, target_id, built_on=parent, in_betweens=stages)


def add_in_between(scene: Scene, object_id: str, target_id: str, at: float, posed: Mapping[str, float] | None = None) -> Scene:
    """An in-between at ``at`` that stores the shape the target has there now, so that adding it changes nothing there.

    On a straight path the motion stays the same at every weight; a curved path is a new spline through one more
    stage that already lies on it.
    """
    obj = scene.unlocked(object_id)
    target = obj.target(target_id)
    shares = stage_coefficients(target, float(at))
    seen = np.zeros_like(obj.base)
    for share, stage in zip(shares, target.in_betweens, strict=False):
        add_rows(seen, stage.deltas.indices, stage.deltas.offsets, share)
    add_rows(seen, target.deltas.indices, target.deltas.offsets, shares[-1])
    above = np.zeros_like(obj.base)
    for part in obj.ancestors(target):
        above[own(part).indices] += shares[-1] * own(part).offsets
    seen += unmasked(above, target.mask)
    return _with_stage(scene, obj, target_id, InBetween(float(at), Deltas.from_dense(seen)))


def _with_stage(scene: Scene, obj: MorphObject, target_id: str, stage: InBetween) -> Scene:
    target = obj.target(target_id)
    relay = relay_of(obj, target)
    if target.sweep is not None:
        raise EditRefused(f"{target.name} has a sweep, which brings up one shape; take it off before an in-between.")
    if relay is not None:
        raise EditRefused(
            f"{target.name} is a shape of the relay {relay.name}; a pose between two others takes the motion there."
        )
    if not np.isfinite(stage.at) or abs(stage.at) < 1e-3 or abs(stage.at - FULL) < 1e-3:
        raise EditRefused(
            f"An in-between of {target.name} cannot stand at weight {stage.at:g}: 0 is the base and 1 the target itself.",
            "Set another weight first.",
        )
    if any(abs(s.at - stage.at) < 1e-3 for s in target.in_betweens):
        raise EditRefused(f"{target.name} already has an in-between at {stage.at:.2f}.")
    stages = tuple(sorted((*target.in_betweens, stage), key=lambda s: s.at))
    return _changed(scene, obj.id, target_id, in_betweens=stages)


def remove_in_between(scene: Scene, object_id: str, target_id: str, at: float) -> Scene:
    target = scene.object(object_id).target(target_id)
    stage = target.in_between(at)
    if stage is None:
        raise EditRefused(f"{target.name} has no in-between at {at:.2f}.")
    return _changed(scene, object_id, target_id, in_betweens=tuple(s for s in target.in_betweens if s is not stage))


def set_colour(scene: Scene, object_id: str, target_id: str, colour: str) -> Scene:
    return _changed(scene, object_id, target_id, colour=colour)


# stored mixes


def keep_mix(scene: Scene, object_id: str, name: str, weights: Mapping[str, float]) -> Scene:
    """Keep weights by target id under a name; a mix of the same name is replaced."""
    obj, name = scene.object(object_id), given_name(name, "A kept mix")
    mix = StoredMix(name, tuple((t.id, float(weights[t.id])) for t in obj.targets if t.id in weights and not driven_by(obj, t)))
    return scene.with_object(replace(obj, mixes=(*(m for m in obj.mixes if m.name != name), mix)))


def drop_mix(scene: Scene, object_id: str, name: str) -> Scene:
    obj = scene.object(object_id)
    return scene.with_object(replace(obj, mixes=tuple(m for m in obj.mixes if m.name != name)))


# groups


def group_targets(scene: Scene, object_id: str, target_ids: Sequence[str], name: str = "Group") -> tuple[Scene, str]:
    """A new group of some targets, which then stand together where the first of them stood."""
    obj = scene.unlocked(object_id)
    if not target_ids:
        raise EditRefused("Select the targets to group first.")
    group = Group(fresh_id("g", (g.id for g in obj.groups), scene.id_floor), fresh_name(name, (g.name for g in obj.groups)))
    scene = scene.with_object(replace(obj, groups=(*obj.groups, group)))
    return put_in_group(scene, object_id, target_ids, group.id), group.id


def put_in_group(scene: Scene, object_id: str, target_ids: Sequence[str], group_id: str | None) -> Scene:
    """Put targets in a group, or out of theirs; a group that is left empty goes."""
    obj = scene.unlocked(object_id)
    if group_id is not None and obj.group(group_id) is None:
        raise EditRefused(f"{obj.name} has no group with the id {group_id}.")
    chosen = set(target_ids)
    targets = tuple(replace(t, group=group_id) if t.id in chosen else t for t in obj.targets)
    return scene.with_object(tidy_groups(replace(obj, targets=targets)))


def tidy_groups(obj: MorphObject) -> MorphObject:
    """The members of each group stand together, behind the first of them; empty groups are gone, but for relays with poses.

    The shapes of a relay have no weight or lane of their own, and its poses are of its shapes or the base; the others go.
    Raises EditRefused where a target cannot be one of its shapes.
    """
    out: list[Target] = []
    for target in obj.targets:
        if target in out:
            continue
        out += [t for t in obj.targets if t.group == target.group] if target.group else [target]
    used: set[str | None] = {t.group for t in out}
    led = {g.id: g for g in obj.groups if g.relay is not None}
    out = [_as_shape(t, led[t.group]) if t.group in led else t for t in out]
    shapes = {t.id: t.group for t in out if t.group in led}
    lanes = [_of_shapes(lane, shapes) if lane.channel in led else lane for lane in obj.lanes if lane.channel not in shapes]
    used |= {lane.channel for lane in lanes if lane.curve.keys}
    return replace(
        obj, targets=tuple(out), groups=tuple(g for g in obj.groups if g.id in used),
        lanes=tuple(lane for lane in lanes if lane.curve.keys),
    )  # fmt: skip


def _of_shapes(lane: Lane, shapes: Mapping[str, str | None]) -> Lane:
    """The lane of a relay with those poses that show one of its ``shapes``, or the base."""
    keys = tuple(k for k in lane.curve.keys if not k.shape or shapes.get(k.shape) == lane.channel)
    return lane if len(keys) == len(lane.curve.keys) else replace(lane, curve=replace(lane.curve, keys=keys))


def _as_shape(target: Target, relay: Group) -> Target:
    """A target without a weight of its own. Raises EditRefused for one that a relay cannot lead to."""
    if target.rule is not None or target.follows is not None:
        raise EditRefused(f"{target.name} is driven by others; it cannot be a shape of the relay {relay.name}.")
    if target.sweep is not None:
        raise EditRefused(f"{target.name} has a sweep; take that off before it becomes a shape of the relay {relay.name}.")
    if target.link is not None:
        raise EditRefused(f"{target.name} is linked; unlink it before it becomes a shape of the relay {relay.name}.")
    if target.in_betweens:
        raise EditRefused(f"{target.name} has in-betweens; the relay {relay.name} leads from pose to pose. Remove them first.")
    return target if target.weight == 0.0 else replace(target, weight=0.0)


def change_group(scene: Scene, object_id: str, group_id: str, **values: Any) -> Scene:
    """A group's name, factor or whether it is folded."""
    obj = scene.object(object_id)
    group = obj.group(group_id)
    if group is None:
        raise EditRefused(f"{obj.name} has no group with the id {group_id}.")
    name = tidy_name(str(values.get("name", group.name)))
    if not name or any(g.name == name and g.id != group_id for g in obj.groups):
        raise EditRefused(f"A group needs a name of its own; “{name}” is none.")
    if not abs(float(values.get("factor", 1.0))) <= 100:
        raise EditRefused(f"The slider of {group.name} must be from -100 to 100.")
    changed = replace(group, **{**values, "name": name})
    return scene.with_object(replace(obj, groups=tuple(changed if g.id == group_id else g for g in obj.groups)))
