"""The base, a target or an in-between as one shape: its parts, and where it has the points."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from fictilis.core.ground.arrays import add_rows, any_in_rows, distinct
from fictilis.core.mix.coefficients import FULL, columns
from fictilis.core.mix.masks import masked, own
from fictilis.core.scene.scene import Deltas, MorphObject


class ShapeRef(Struct, frozen=True):
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


def some_points(obj: MorphObject, indices: np.ndarray, over: np.ndarray) -> np.ndarray:
    """(s, k, 3): the mix of points ``indices`` (k,) for shares ``over`` (c, s) of the columns."""
    out = np.repeat(obj.base[indices][None], over.shape[1], axis=0)
    for share, column in zip(over, columns(obj), strict=True):
        if share.any() and len(column.deltas.indices):
            place = np.searchsorted(column.deltas.indices, indices)
            place = np.minimum(place, len(column.deltas.indices) - 1)
            there = column.deltas.indices[place] == indices
            out[:, there] += share[:, None, None] * column.deltas.offsets[place[there]]
    return out


def shape_parts(obj: MorphObject, target_id: str, at: float = FULL) -> list[Deltas]:
    """The masked deltas that add up to a target at full weight, or to its in-between at ``at``."""
    target = obj.target(target_id)
    stage = None if at == FULL else target.in_between(at)
    if stage is not None:
        return [masked(stage.deltas, target.mask)]
    return [own(part) for part in (target, *obj.ancestors(target))]


def full_shape(obj: MorphObject, target_id: str, at: float = FULL) -> np.ndarray:
    """Points (n, 3) float64 of a target alone at full weight, or of its in-between at ``at``."""
    out = obj.base.copy()
    for deltas in shape_parts(obj, target_id, at):
        add_rows(out, deltas.indices, deltas.offsets)
    return out


def add_deltas(deltas: Deltas, moved: Deltas, factor: float = 1.0) -> Deltas:
    """``deltas + factor * moved``; rows that end exactly at zero are dropped, the others keep their numbers."""
    indices = distinct(np.concatenate([deltas.indices, moved.indices]))
    offsets = np.zeros((len(indices), 3))
    offsets[np.searchsorted(indices, deltas.indices)] = deltas.offsets
    add_rows(offsets, np.searchsorted(indices, moved.indices).astype(np.int32), moved.offsets, factor)
    on = any_in_rows(offsets != 0.0)
    return Deltas(indices[on], offsets[on])
