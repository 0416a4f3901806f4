"""How points hang on joints."""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.geometry.finer import Finer
from fictilis.core.ground.arrays import cached_by_both, cached_by_identity
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.rigs import MOST_PARTS, Bound

LEAST_PART = 1e-7
LEAST_TOTAL = 1e-6  # of weights: a point with less hangs on nothing


@cached_by_identity
def hanging(bound: Bound) -> Any:
    """Sparse (n, k) float32: what each joint has to say of each point. One that hangs on nothing has an empty row."""
    from scipy.sparse import csr_array

    count, most = bound.weights.shape
    keep = bound.weights > 0
    keep &= bound.weights.sum(axis=1, keepdims=True) > LEAST_TOTAL
    starts = np.concatenate([[0], np.cumsum(keep.sum(axis=1))])
    out = csr_array((bound.weights[keep], bound.parts[keep], starts), shape=(count, len(bound.joints)))
    out.sum_duplicates()
    return out


@cached_by_both
def finer_bound(bound: Bound, finer: Finer) -> Bound:
    """How the points of a smooth surface hang, of a cage that is bound."""
    return carried_bound(bound, finer.matrix)


def carried_bound(bound: Bound, matrix: Any) -> Bound:
    """How other points hang, each a mean of the old ones by a sparse matrix (n', n)."""
    from scipy.sparse import csr_array

    mixed = csr_array(matrix @ hanging(bound))
    whole = np.asarray(mixed.sum(axis=1)).ravel()
    mixed.data[mixed.data < LEAST_PART] = 0.0  # rules of surfaces go below 0 at borders
    mixed.eliminate_zeros()
    counts = np.diff(mixed.indptr)
    left = np.asarray(mixed.sum(axis=1)).ravel()
    mixed.data *= np.repeat(np.divide(whole, left, out=np.ones_like(whole), where=left > 0), counts)
    if counts.max(initial=0) > MOST_PARTS:
        raise EditRefused(f"A point would hang on {int(counts.max())} joints; up to {MOST_PARTS} can be.")
    most = max(int(counts.max(initial=0)), 1)
    parts, weights = np.zeros((len(counts), most), np.int32), np.zeros((len(counts), most), np.float32)
    row = np.repeat(np.arange(len(counts)), counts)
    place = np.arange(len(row)) - np.repeat(mixed.indptr[:-1], counts)
    parts[row, place], weights[row, place] = mixed.indices, mixed.data
    return replace(bound, parts=parts, weights=weights)
