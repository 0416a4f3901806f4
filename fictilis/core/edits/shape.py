"""Edits of shapes: the base, a target or an in-between."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from fictilis.core.errors import EditRefused
from fictilis.core.evaluate import full_shape
from fictilis.core.mix.coefficients import FULL, column_number
from fictilis.core.scene import Deltas, MorphObject, Scene, Target

FOLLOW, STAY = "follow", "stay"


@dataclass(frozen=True)
class ShapeRef:
    """What a stroke changes: the base (``target`` None), a target (``at`` 1), or its in-between at ``at``."""

    target: str | None = None
    at: float = FULL

    @property
    def is_base(self) -> bool:
        return self.target is None

    def label(self, obj: MorphObject) -> str:
        if self.target is None:
            return "the base"
        name = obj.target(self.target).name
        return name if self.at == FULL else f"{name} at {self.at:.2f}"

    def exists_in(self, obj: MorphObject) -> bool:
        target = next((t for t in obj.targets if t.id == self.target), None)
        return self.is_base or (target is not None and (self.at == FULL or target.in_between(self.at) is not None))


def shape_points(obj: MorphObject, ref: ShapeRef) -> np.ndarray:
    """(n, 3) float64: the shape alone, at full weight."""
    return obj.base.copy() if ref.target is None else full_shape(obj, ref.target, ref.at)


def share_shown(obj: MorphObject, ref: ShapeRef, coefficients: np.ndarray) -> float:
    """How much of a change to the shape shows in a mix of these coefficients: 1 for the base."""
    return 1.0 if ref.target is None else float(coefficients[column_number(obj, ref.target, ref.at)])


def move_shape(scene: Scene, object_id: str, ref: ShapeRef, displacement: np.ndarray, targets: str = FOLLOW) -> Scene:
    """The scene with a shape moved by ``displacement`` (n, 3), cm in object space.

    ``targets`` matters for the base only: ``follow`` keeps every delta, ``stay`` keeps every target's shape.
    Points with a displacement of exactly zero keep their numbers bit for bit.
    """
    obj = scene.object(object_id)
    moved = np.asarray(displacement, np.float64)
    if moved.shape != obj.base.shape:
        raise ValueError(f"expected a displacement shaped {obj.base.shape}, got {moved.shape}")
    if not np.isfinite(moved).all():
        raise EditRefused(f"A stroke on {ref.label(obj)} would move points to no finite place; nothing was changed.")
    if ref.target is None:
        obj = _move_base(obj, moved, targets)
    else:
        target = obj.target(ref.target)
        if ref.at == FULL:
            target = replace(target, deltas=add_deltas(target.deltas, moved))
        else:
            target = replace(
                target,
                in_betweens=tuple(
                    replace(s, deltas=add_deltas(s.deltas, moved)) if abs(s.at - ref.at) < 1e-9 else s
                    for s in target.in_betweens
                ),
            )
        obj = obj.with_target(target)
    return scene.with_object(obj)


def add_deltas(deltas: Deltas, moved: np.ndarray) -> Deltas:
    """Deltas plus a dense displacement (n, 3); rows that end exactly at zero are dropped."""
    dense = deltas.dense(len(moved))
    dense += moved
    return Deltas.from_dense(dense)


def _move_base(obj: MorphObject, moved: np.ndarray, targets: str) -> MorphObject:
    touched = np.any(moved != 0.0, axis=1)
    base = obj.base.copy()
    base[touched] += moved[touched]
    if targets == FOLLOW:
        return replace(obj, base=base)

    def stay(target: Target) -> Target:
        stages = tuple(replace(s, deltas=add_deltas(s.deltas, -moved)) for s in target.in_betweens)
        own = target.deltas if target.built_on else add_deltas(target.deltas, -moved)
        return replace(target, deltas=own, in_betweens=stages)

    return replace(obj, base=base, targets=tuple(stay(t) for t in obj.targets))
