"""Edits of whole targets: copies, mirrors, halves, sums. Each takes the in-betweens along."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.edits.shape import FOLLOW, move_shape
from fictilis.core.edits.targets import append, set_built_on, tidy_groups
from fictilis.core.geometry.closest import Surface
from fictilis.core.geometry.seams import seam
from fictilis.core.ground.affine import placed
from fictilis.core.ground.arrays import add_rows, any_in_rows, lengths
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.names import other_side_name
from fictilis.core.mix.coefficients import FULL
from fictilis.core.mix.masks import LEAST, masked, own, part_below, unmasked
from fictilis.core.mix.shapes import ShapeRef, add_deltas, full_shape, shape_parts
from fictilis.core.scene.scene import Deltas, InBetween, MorphObject, Scene, Target
from fictilis.core.shaping.falloff import PROFILES
from fictilis.core.shaping.mirror import Mirror, mirror_map
from fictilis.core.validity.targets import checked_sweep


def map_target(target: Target, change: Callable[[Deltas], Deltas], **values: Any) -> Target:
    """The target with ``change`` made to its deltas and to those of its in-betweens."""
    stages = tuple(replace(stage, deltas=change(stage.deltas)) for stage in target.in_betweens)
    return replace(target, deltas=change(target.deltas), in_betweens=stages, **values)


def _edit(scene: Scene, object_id: str, target_id: str, change: Callable[[float, Deltas], Deltas]) -> Scene:
    """``change(at, deltas)`` made to what a target adds to the one it is built on, at full weight and at its in-betweens.

    An in-between counts from the base, so at its weight it holds that part of the other's full shape too: that stays.
    """
    obj = scene.unlocked(object_id)
    target = obj.target(target_id)
    stages = []
    for stage in target.in_betweens:
        below = part_below(obj, target, stage.at)
        mine = change(stage.at, add_deltas(stage.deltas, below, -1.0))
        stages.append(replace(stage, deltas=add_deltas(mine, below)))
    changed = replace(target, deltas=change(FULL, target.deltas), in_betweens=tuple(stages))
    return scene.with_object(obj.with_target(changed))


def _beside(scene: Scene, obj: MorphObject, after: Target, new: Target, name: str) -> tuple[Scene, str]:
    """``new`` as a target of its own name and id behind ``after``; without weight, and one that is driven muted, so that the
    mix stays as it is."""
    driven = new.rule is not None or new.follows is not None
    return append(scene, obj, replace(new, weight=0.0, muted=new.muted or driven), name, after.id)


def duplicate(scene: Scene, object_id: str, target_id: str) -> tuple[Scene, str]:
    """A copy of a target with its in-betweens, mask and range; without lane and weight."""
    obj = scene.unlocked(object_id)
    target = obj.target(target_id)
    return _beside(scene, obj, target, target, f"{target.name} copy")


def _swapped(obj: MorphObject, axis: int, mirror: Mirror) -> tuple[np.ndarray, np.ndarray]:
    """Pairs (n,) and the flip (3,). Raises EditRefused when no point has a partner."""
    pairs = mirror_map(obj, axis, mirror.by_topology, mirror.tolerance)
    if not (pairs >= 0).any():
        raise EditRefused(
            f"No point of {obj.name} has a mirror image across {'XYZ'[axis]} within the tolerance.",
            "Raise the tolerance, or mirror by topology.",
        )
    flip = np.ones(3)
    flip[axis] = -1
    return pairs, flip


def _mirror_deltas(deltas: Deltas, pairs: np.ndarray, flip: np.ndarray) -> Deltas:
    """Each point takes its partner's offset, flipped; a point without a partner keeps its own."""
    dense = deltas.dense(len(pairs))
    out = np.where((pairs >= 0)[:, None], dense[np.clip(pairs, 0, None)] * flip, dense)
    out[out == 0.0] = 0.0  # no minus zeros
    return Deltas.from_dense(out)


def _mirror_target(obj: MorphObject, target: Target, axis: int, mirror: Mirror) -> Target:
    """The mirror image of a target that is built on the base, its mask too."""
    pairs, flip = _swapped(obj, axis, mirror)
    mask = target.mask
    if mask is not None:
        mask = np.where(pairs >= 0, mask[np.clip(pairs, 0, None)], mask)
    sweep = target.sweep
    if sweep is not None:
        field = np.where(pairs >= 0, sweep.field[np.clip(pairs, 0, None)], sweep.field)
        sweep = replace(sweep, field=field, until=None)
    return map_target(target, lambda d: _mirror_deltas(d, pairs, flip), mask=mask, sweep=sweep)


def _unmasked_on_base(scene: Scene, object_id: str, target_id: str) -> Target:
    """A target as the same shapes, built on the base and without a mask; itself where it is built on the base already."""
    target = scene.object(object_id).target(target_id)
    if target.built_on is None:
        return target
    if target.mask is not None:
        scene = bake_mask(scene, object_id, target_id)
    return rebuild_on(scene, object_id, target_id, None).object(object_id).target(target_id)


def mirror_into_new(
    scene: Scene, object_id: str, target_id: str, axis: int = 0, mirror: Mirror = Mirror("X")
) -> tuple[Scene, str]:
    """A new target that is the mirror image of this one: left becomes right. It is built on the base, since what this one is
    built on may not be its own mirror image."""
    obj = scene.unlocked(object_id)
    target = obj.target(target_id)
    image = _mirror_target(obj, _unmasked_on_base(scene, object_id, target_id), axis, mirror)
    if image.rule is not None:  # driven by the other side's targets, where there are such
        other = {t.id: other_side_name(t.name) for t in obj.targets}
        named = {t.name: t.id for t in obj.targets}
        drivers = tuple(replace(d, target=named.get(other[d.target], d.target)) for d in image.rule.drivers)
        image = replace(image, rule=replace(image.rule, drivers=drivers))
    if image.follows is not None:
        other = {t.id: other_side_name(t.name) for t in obj.targets}
        named = {t.name: t.id for t in obj.targets}
        source = named.get(other.get(image.follows.source, ""), image.follows.source)
        image = replace(image, follows=replace(image.follows, source=source))
    return _beside(scene, obj, target, image, other_side_name(target.name))


def swap_sides(scene: Scene, object_id: str, target_id: str, axis: int = 0, mirror: Mirror = Mirror("X")) -> Scene:
    """The target becomes its own mirror image, and stays built on what it was; twice is the identity.

    Raises EditRefused where the mask hides what would have to move.
    """
    obj = scene.unlocked(object_id)
    target = obj.target(target_id)
    if target.built_on is None:
        return scene.with_object(obj.with_target(_mirror_target(obj, target, axis, mirror)))
    alone = rebuild_on(scene, object_id, target_id, None)
    obj = alone.object(object_id)
    turned = alone.with_object(obj.with_target(_mirror_target(obj, obj.target(target_id), axis, mirror)))
    return rebuild_on(turned, object_id, target_id, target.built_on)


def split_sides(scene: Scene, object_id: str, target_id: str, width: float, axis: int = 0) -> tuple[Scene, tuple[str, str]]:
    """Two new targets, the half at the negative and the half at the positive side of a soft seam, ``width`` in cm.

    At full weight both add up to the original exactly. On X the first is named left, as seen from the front.
    """
    obj = scene.unlocked(object_id)
    if not np.isfinite(width) or width < 0:
        raise EditRefused(f"A seam must be 0 cm wide or wider, not {width:g} cm.")
    original = obj.target(target_id)
    # what it is built on counts once, so both halves are built on the base
    target = rebuild_on(scene, object_id, target_id, None).object(object_id).target(target_id)
    share = seam(obj.base[:, axis], width)

    rest = 1.0 - share

    def half(deltas: Deltas, mine: np.ndarray, others: np.ndarray) -> Deltas:
        """The larger part by its share, the smaller as the rest of it: then both add up to the last bit."""
        larger = deltas.offsets * np.maximum(mine, others)[deltas.indices, None]
        return _kept(deltas.indices, np.where((mine >= others)[deltas.indices, None], larger, deltas.offsets - larger))

    def positive(deltas: Deltas) -> Deltas:
        return half(deltas, share, rest)

    def negative(deltas: Deltas) -> Deltas:
        return half(deltas, rest, share)

    names = (("left", "right"), ("lower", "upper"), ("back", "front"))[axis]
    scene, first = _beside(scene, obj, original, map_target(target, negative), f"{target.name} {names[0]}")
    obj = scene.object(object_id)
    scene, second = _beside(scene, obj, obj.target(first), map_target(target, positive), f"{target.name} {names[1]}")
    return scene, (first, second)


def _kept(indices: np.ndarray, offsets: np.ndarray) -> Deltas:
    on = any_in_rows(offsets != 0.0)
    return Deltas(indices[on], offsets[on])


def join(scene: Scene, object_id: str, target_ids: Sequence[str], name: str = "") -> tuple[Scene, str]:
    """A new target, built on the base, that is what several at full weight add up to.

    In-betweens are joined where all of them have one at the same weight.
    """
    obj = scene.unlocked(object_id)
    if len(target_ids) < 2:
        raise EditRefused("Join needs at least two targets; select them with Ctrl.")
    targets = [obj.target(i) for i in target_ids]

    def added(at: float) -> Deltas:
        return Deltas.from_dense(sum(full_shape(obj, t.id, at) - obj.base for t in targets))

    places = [s.at for s in targets[0].in_betweens if all(t.in_between(s.at) for t in targets)]
    stages = tuple(InBetween(at, added(at)) for at in places)
    new = Target("", "", added(FULL), range=targets[0].range, path=targets[0].path, in_betweens=stages)
    return _beside(scene, obj, targets[-1], new, name or " + ".join(t.name for t in targets))


def scale_deltas(scene: Scene, object_id: str, target_id: str, factor: float) -> Scene:
    """Multiply every offset by ``factor``."""
    if not np.isfinite(factor):
        raise EditRefused(f"The factor must be a finite number, not {factor}.")
    return _edit(scene, object_id, target_id, lambda _at, d: _kept(d.indices, d.offsets * factor))


def clean(scene: Scene, object_id: str, target_id: str, threshold: float) -> tuple[Scene, int]:
    """Remove offsets shorter than ``threshold`` cm; returns how many points no longer move in the full shape.

    In-betweens keep every point that the full shape keeps, since on the way there it must be under way.
    """
    target = scene.unlocked(object_id).target(target_id)
    before = len(target.deltas.indices)
    stays = target.deltas.indices[lengths(target.deltas.offsets) >= threshold]

    def change(_at: float, deltas: Deltas) -> Deltas:
        on = (lengths(deltas.offsets) >= threshold) | np.isin(deltas.indices, stays)
        return Deltas(deltas.indices[on], deltas.offsets[on])

    scene = _edit(scene, object_id, target_id, change)
    return scene, before - len(scene.unlocked(object_id).target(target_id).deltas.indices)


def combine(scene: Scene, object_id: str, target_id: str, other_id: str, factor: float = 1.0) -> Scene:
    """Add ``factor`` times another target's own shape to this one; -1 subtracts it.

    The in-betweens get what the other adds at their weight: its own in-between there, else that part of it.
    """
    obj = scene.unlocked(object_id)
    target, other = obj.target(target_id), obj.target(other_id)

    def added(at: float, deltas: Deltas) -> Deltas:
        stage = None if at == FULL else other.in_between(at)
        if stage is None:
            shape = at * own(other).dense(len(obj.base))
        else:
            shape = masked(add_deltas(stage.deltas, part_below(obj, other, at), -1.0), other.mask).dense(len(obj.base))
        return add_deltas(deltas, Deltas.from_dense(unmasked(shape, target.mask)), factor)

    return _edit(scene, object_id, target_id, added)


def copy_deltas(scene: Scene, object_id: str, target_id: str, onto_id: str) -> Scene:
    """Give another target this one's deltas, in-betweens and mask; its name, weight and lane stay."""
    obj = scene.unlocked(object_id)
    source, onto = obj.target(target_id), obj.target(onto_id)
    if source.id == onto.id:
        raise EditRefused(f"{source.name} is that target already; choose another one.")
    if onto.id in (t.id for t in obj.ancestors(source)):
        raise EditRefused(f"{source.name} is built on {onto.name}; it cannot be copied onto it.")
    changed = replace(
        onto, deltas=source.deltas, in_betweens=source.in_betweens, mask=source.mask, path=source.path, built_on=source.built_on
    )
    obj = tidy_groups(obj.with_target(changed))
    checked_sweep(obj, changed)
    return scene.with_object(obj)


def apply_to_base(scene: Scene, object_id: str, target_id: str, weight: float = 1.0, targets: str = FOLLOW) -> Scene:
    """The base takes on a target's full shape, times ``weight``; other targets follow or stay. The target remains."""
    obj = scene.unlocked(object_id)
    moved = Deltas.from_dense(weight * (full_shape(obj, target_id) - obj.base))
    if not len(moved.indices):
        raise EditRefused(f"{obj.target(target_id).name} moves no point; the base stays as it is.")
    return move_shape(scene, object_id, ShapeRef(), moved, targets)


def keep_region(scene: Scene, object_id: str, target_id: str, weights: np.ndarray) -> Scene:
    """Only what lies under ``weights`` (n,) in 0…1: everything else goes back to what the target is built on."""
    if not (weights > 0).any():
        raise EditRefused("Pick the region to keep first; nothing is picked.")
    return _edit(scene, object_id, target_id, lambda _at, d: _kept(d.indices, d.offsets * weights[d.indices, None]))


def rebuild_on(scene: Scene, object_id: str, target_id: str, parent: str | None) -> Scene:
    """Build a target on another, or on the base, without changing its shape at full weight.

    Raises EditRefused where that would go round in a circle, or where the mask hides what would have to move.
    """
    obj = scene.unlocked(object_id)
    if obj.target(target_id).built_on == parent:
        return scene
    after = set_built_on(scene, object_id, target_id, parent)
    obj = after.object(object_id)
    target = replace(obj.target(target_id), in_betweens=scene.object(object_id).target(target_id).in_betweens)
    moved = _moved(scene.object(object_id), target_id) - _moved(obj, parent)
    if target.mask is not None and np.abs(moved[target.mask < LEAST]).max(initial=0.0) > 1e-9:
        raise EditRefused(f"The mask of {target.name} is closed where it would have to move; take the mask off first.")
    deltas = Deltas.from_dense(unmasked(np.where(np.abs(moved) < 1e-12, 0.0, moved), target.mask))
    return after.with_object(obj.with_target(replace(target, deltas=deltas)))


def _moved(obj: MorphObject, target_id: str | None) -> np.ndarray:
    """(n, 3): how far a target's full shape moves each point, without the rounding of places; None is the base."""
    out = np.zeros_like(obj.base)
    for deltas in shape_parts(obj, target_id) if target_id is not None else ():
        add_rows(out, deltas.indices, deltas.offsets)
    return out


def bake_mask(scene: Scene, object_id: str, target_id: str) -> Scene:
    """The mask multiplied into the deltas and taken off; nothing is seen to change."""
    obj = scene.unlocked(object_id)
    target = obj.target(target_id)
    if target.mask is None:
        raise EditRefused(f"{target.name} has no mask; mask it first.")
    return scene.with_object(obj.with_target(map_target(target, lambda d: masked(d, target.mask), mask=None)))


def transfer(
    scene: Scene, object_id: str, source_object_id: str, source_target_id: str, near: float, far: float
) -> tuple[Scene, str]:
    """A new target on this object from one of an object of another topology, as both stand in the scene.

    Each point takes the offset of the nearest place on the source's base: in full up to ``near`` cm away, none from
    ``far`` cm on. In-betweens come along. Source: nearest surface point with barycentric shares.
    """
    obj, source = scene.unlocked(object_id), scene.object(source_object_id)
    target = source.target(source_target_id)
    if not 0 <= near < far:
        raise EditRefused(f"The falloff must rise from {near:g} cm: {far:g} cm is no further.")
    if not source.geometry.face_count:
        raise EditRefused(f"{source.name} has no faces to transfer from; choose an object that has some.")
    there, here = source.transform.matrix(), obj.transform.matrix()
    cloud = placed(source.base, there)
    found = Surface(source.mesh, cloud).nearest(placed(obj.base, here))
    t = np.clip((found.distances - near) / (far - near), 0.0, 1.0)
    share = np.where(found.distances <= near, 1.0, PROFILES["smooth"](t))
    if not (share > 0).any():
        raise EditRefused(
            f"No point of {obj.name} lies within {far:g} cm of {source.name}; the nearest is "
            f"{found.distances.min():.1f} cm away."
        )
    turn = np.linalg.inv(here[:3, :3]) @ there[:3, :3]

    def carried(offsets: np.ndarray) -> Deltas:
        taken = np.einsum("kc,kcx->kx", found.shares, offsets[found.corners]) * share[:, None]
        return Deltas.from_dense(taken @ turn.T)

    whole = carried(full_shape(source, target.id) - source.base)
    stages = tuple(replace(s, deltas=carried(full_shape(source, target.id, s.at) - source.base)) for s in target.in_betweens)
    new = Target("", "", whole, range=target.range, path=target.path, in_betweens=stages)
    return append(scene, obj, new, target.name)
