"""Edits of shapes: the base, a target or an in-between."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.core.ground.arrays import add_rows
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.coefficients import FULL
from fictilis.core.mix.masks import open_part
from fictilis.core.mix.shapes import ShapeRef, add_deltas
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, Target

FOLLOW, STAY = "follow", "stay"


def move_shape(scene: Scene, object_id: str, ref: ShapeRef, displacement: np.ndarray | Deltas, targets: str = FOLLOW) -> Scene:
    """The scene with a shape moved by ``displacement``, dense (n, 3) or sparse, cm in object space.

    ``targets`` matters for the base only: ``follow`` keeps every delta, ``stay`` keeps every target's shape.
    Points with a displacement of exactly zero keep their numbers bit for bit. On a target with a mask the deltas change
    by the displacement divided by the mask; where the mask is closed nothing changes.
    """
    obj = scene.unlocked(object_id)
    moved = displacement if isinstance(displacement, Deltas) else _sparse(displacement, obj)
    if len(moved.indices) and moved.indices[-1] >= len(obj.base):
        raise ValueError(f"a displacement of point {moved.indices[-1]}, but the object has {len(obj.base)} points")
    if not np.isfinite(moved.offsets).all():
        raise EditRefused(f"A stroke on {ref.label(obj)} would move points to no finite place; nothing was changed.")
    if ref.target is None:
        return scene.with_object(_move_base(obj, moved, targets))
    target = obj.target(ref.target)
    through = open_part(moved, target.mask)
    if ref.at == FULL:
        return scene.with_object(obj.with_target(replace(target, deltas=add_deltas(target.deltas, through))))
    stages = tuple(
        replace(s, deltas=add_deltas(s.deltas, through)) if abs(s.at - ref.at) < 1e-9 else s for s in target.in_betweens
    )
    return scene.with_object(obj.with_target(replace(target, in_betweens=stages)))


def _sparse(displacement: np.ndarray, obj: MorphObject) -> Deltas:
    moved = np.asarray(displacement, np.float64)
    if moved.shape != obj.base.shape:
        raise ValueError(f"expected a displacement shaped {obj.base.shape}, got {moved.shape}")
    return Deltas.from_dense(moved)


def _move_base(obj: MorphObject, moved: Deltas, targets: str) -> MorphObject:
    base = obj.base.copy()
    add_rows(base, moved.indices, moved.offsets)
    if targets == FOLLOW:
        return replace(obj, base=base)

    def stay(target: Target) -> Target:
        through = open_part(moved, target.mask)
        stages = tuple(replace(s, deltas=add_deltas(s.deltas, through, -1.0)) for s in target.in_betweens)
        own = target.deltas if target.built_on else add_deltas(target.deltas, through, -1.0)
        return replace(target, deltas=own, in_betweens=stages)

    return replace(obj, base=base, targets=tuple(stay(t) for t in obj.targets))


def set_mask(scene: Scene, object_id: str, target_id: str, mask: np.ndarray | None) -> Scene:
    """A target's mask (n,) in 0…1; None, or 1 everywhere, takes it off."""
    obj = scene.unlocked(object_id)
    target = obj.target(target_id)
    if mask is not None:
        mask = np.asarray(mask, np.float64)
        if mask.shape != (len(obj.base),):
            raise ValueError(f"expected a mask shaped ({len(obj.base)},), got {mask.shape}")
        if not (np.isfinite(mask).all() and (mask >= 0).all() and (mask <= 1).all()):
            raise EditRefused(f"The mask of {target.name} must be from 0 to 1 everywhere.")
        if (mask == 1).all():
            mask = None
    return scene.with_object(obj.with_target(replace(target, mask=mask)))
