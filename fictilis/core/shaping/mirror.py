"""Mirror pairs by the base's positions."""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np

from fictilis.core.scene import MorphObject

TOLERANCE = 1e-3  # of the object's size
_known: WeakKeyDictionary = WeakKeyDictionary()


def mirror_map(obj: MorphObject, axis: int = 0) -> np.ndarray:
    """(n,) int64: for each point the one at the mirrored base position across ``axis`` = 0; -1 where there is none."""
    maps = _known.setdefault(obj, {})
    if axis not in maps:
        maps[axis] = _find(obj.base, axis)
    return maps[axis]


def _find(base: np.ndarray, axis: int) -> np.ndarray:
    from scipy.spatial import cKDTree

    if not len(base):
        return np.zeros(0, np.int64)
    flip = np.ones(3)
    flip[axis] = -1
    tolerance = TOLERANCE * max(float(np.ptp(base, axis=0).max()), 1e-9)
    distance, found = cKDTree(base).query(base * flip, distance_upper_bound=tolerance)
    out = np.where(np.isfinite(distance), found, -1)
    # keep only pairs that agree both ways, unless twins share the place
    back = np.where(out >= 0, out[np.clip(out, 0, None)], -1)
    agree = back == np.arange(len(base))
    near = np.linalg.norm(base[np.clip(back, 0, len(base) - 1)] - base, axis=1) <= tolerance
    return np.where(agree | ((back >= 0) & near), out, -1)


def mirrored(displacement: np.ndarray, weights: np.ndarray, pairs: np.ndarray, axis: int = 0) -> np.ndarray:
    """(n, 3): a ``displacement`` (n, 3), weighted already by ``weights`` (n,), together with its mirror image.

    Smooth where both meet: on the plane itself the motion across cancels, and the rest is not doubled.
    """
    flip = np.ones(3)
    flip[axis] = -1
    there = np.clip(pairs, 0, None)
    paired = pairs >= 0
    other_weights = np.where(paired, weights[there], 0.0)
    total = weights + other_weights
    share = np.where(total > 0, np.maximum(weights, other_weights) / np.where(total > 0, total, 1), 0.0)
    other = np.where(paired[:, None], displacement[there] * flip, 0.0)
    return share[:, None] * (displacement + other)
