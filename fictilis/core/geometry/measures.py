"""Numbers that are shown as colour: how far points move, and how much edges stretch."""

from __future__ import annotations

import numpy as np

from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.topology import edges
from fictilis.core.ground.arrays import lengths, pair_lengths


def displacement_lengths(base: np.ndarray, points: np.ndarray) -> np.ndarray:
    """(n,) cm: how far each point is from the base."""
    return lengths(points - base)


def stretch(geometry: Geometry, base: np.ndarray, points: np.ndarray) -> np.ndarray:
    """(n,): mean over a point's edges of log2(length / length in the base): 0 as it was, 1 twice as long, -1 half.

    Edges without length in either do not count. Source: logarithmic (Hencky) strain, base 2.
    """
    pairs = edges(geometry)
    now = pair_lengths(points, pairs)
    then = pair_lengths(base, pairs)
    ok = (now > 1e-12) & (then > 1e-12)
    value = np.log2(np.where(ok, now, 1.0) / np.where(ok, then, 1.0))
    ends, both = pairs[ok].ravel(), np.repeat(value[ok], 2)
    counts = np.bincount(ends, minlength=len(base))
    return np.bincount(ends, both, len(base)) / np.maximum(counts, 1)
