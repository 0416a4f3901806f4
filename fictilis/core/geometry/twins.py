"""Twins: points that lie on the same place in the base (seams split by a file format) and move together."""

from __future__ import annotations

import numpy as np

from fictilis.core.arrays import cached_by_identity
from fictilis.core.scene import MorphObject


@cached_by_identity
def twin_groups(obj: MorphObject) -> np.ndarray:
    """(n,) int32: a group number for each point; coincident base points share one."""
    rounded = np.round(obj.base / 1e-6).astype(np.int64)
    return np.unique(rounded, axis=0, return_inverse=True)[1].reshape(-1).astype(np.int32)


@cached_by_identity
def _group_count(obj: MorphObject) -> int:
    return int(twin_groups(obj).max()) + 1


def spread_to_twins(obj: MorphObject, weights: np.ndarray) -> np.ndarray:
    """Weights (n,) with every twin raised to the largest of its group."""
    groups = twin_groups(obj)
    if not len(groups) or _group_count(obj) == len(groups):
        return weights
    top = np.zeros(_group_count(obj), weights.dtype)
    np.maximum.at(top, groups, weights)
    return top[groups]
