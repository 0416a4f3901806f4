"""Masks: what a target's deltas come to once its mask has been laid on them."""

from __future__ import annotations

import numpy as np

from fictilis.core.ground.arrays import add_rows, cached_by_both
from fictilis.core.scene.scene import Deltas, MorphObject, Target

LEAST = 1e-3  # where a mask is below this nothing can be shaped: it would take a thousandfold stroke to show


def masked(deltas: Deltas, mask: np.ndarray | None) -> Deltas:
    """``mask`` (n,) times the deltas; the very deltas without a mask. Remembered by the identity of both."""
    if mask is None:
        return deltas
    return _multiplied(deltas, mask)


@cached_by_both
def _multiplied(deltas: Deltas, mask: np.ndarray) -> Deltas:
    factors = mask[deltas.indices]
    on = factors != 0
    return Deltas(deltas.indices[on], deltas.offsets[on] * factors[on, None])


def unmasked(offsets: np.ndarray, mask: np.ndarray | None) -> np.ndarray:
    """Dense offsets (n, 3) that the mask turns into ``offsets``; zero where it lets nothing through."""
    if mask is None:
        return offsets
    open_ = mask >= LEAST
    return np.where(open_[:, None], offsets / np.where(open_, mask, 1.0)[:, None], 0.0)


def own(target: Target) -> Deltas:
    """The deltas of a target's full shape, masked."""
    return masked(target.deltas, target.mask)


def open_part(moved: Deltas, mask: np.ndarray | None) -> Deltas:
    """The deltas that the mask turns into ``moved``, without the points where it is closed."""
    if mask is None:
        return moved
    factors = mask[moved.indices]
    on = factors >= LEAST
    return Deltas(moved.indices[on], moved.offsets[on] / factors[on, None])


def part_below(obj: MorphObject, target: Target, at: float) -> Deltas:
    """What of an in-between at ``at`` comes from the targets below: that part of their full shape, before the mask."""
    below = np.zeros_like(obj.base)
    for part in obj.ancestors(target):
        deltas = own(part)
        add_rows(below, deltas.indices, deltas.offsets, at)
    return Deltas.from_dense(unmasked(below, target.mask))
