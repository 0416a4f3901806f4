"""Twins: points that lie on the same place in the base (seams split by a file format) and move together."""

from __future__ import annotations

import numpy as np

from fictilis.core.ground.arrays import cached_by_array
from fictilis.core.scene.scene import MorphObject


@cached_by_array
def _groups(base: np.ndarray) -> tuple[np.ndarray, int]:
    """A group number a point, and how many groups there are; coincident base points share one."""
    x, y, z = np.round(base / 1e-6).astype(np.int64).T
    order = np.lexsort((z, y, x))
    fresh = np.ones(len(base), bool)
    fresh[1:] = (np.diff(x[order]) != 0) | (np.diff(y[order]) != 0) | (np.diff(z[order]) != 0)
    out = np.empty(len(base), np.int32)
    out[order] = np.cumsum(fresh) - 1
    return out, int(fresh.sum())


def twin_groups(obj: MorphObject) -> np.ndarray:
    """(n,) int32: a group number for each point; coincident base points share one."""
    return _groups(obj.base)[0]


def has_twins(obj: MorphObject) -> bool:
    return _groups(obj.base)[1] < len(obj.base)


@cached_by_array
def pairs_of_twins(base: np.ndarray) -> np.ndarray:
    """(t, 2) int64: pairs of points that link the members of each group in a chain."""
    groups, _ = _groups(base)
    order = np.argsort(groups, kind="stable")
    same = groups[order][1:] == groups[order][:-1]
    return np.stack([order[:-1][same], order[1:][same]], axis=1).astype(np.int64)


def twin_pairs(obj: MorphObject) -> np.ndarray:
    """(t, 2) int64: pairs of points that link the members of each group in a chain."""
    return pairs_of_twins(obj.base)


def spread_to_twins(obj: MorphObject, weights: np.ndarray) -> np.ndarray:
    """Weights (n,) with every twin raised to the largest of its group."""
    if not has_twins(obj):
        return weights
    groups, count = _groups(obj.base)
    top = np.zeros(count, weights.dtype)
    np.maximum.at(top, groups, weights)
    return top[groups]


def twin_mean(obj: MorphObject, indices: np.ndarray, rows: np.ndarray) -> np.ndarray:
    """Rows (k, 3) of the points ``indices`` (k,), each replaced by the mean over those of its twins that are among them."""
    if not has_twins(obj) or not len(indices):
        return rows
    groups = _groups(obj.base)[0][indices]
    _, local = np.unique(groups, return_inverse=True)
    counts = np.bincount(local)
    sums = np.stack([np.bincount(local, rows[:, k]) for k in range(3)], axis=1)
    return np.where((counts[local] > 1)[:, None], sums[local] / counts[local][:, None], rows)
