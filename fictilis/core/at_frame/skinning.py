"""Points that hang on joints, in a pose.

Source: glTF 2.0 specification, 3.7.3 (skins); Kavan, Collins, Žára and O'Sullivan (2007), Skinning with Dual Quaternions.
"""

from __future__ import annotations

import numpy as np

from fictilis.core.ground.arrays import cached_by_identity, lengths
from fictilis.core.rig.binding import hanging
from fictilis.core.rig.posing import Pose, quaternions, rotations
from fictilis.core.scene.rigs import (
    Bound,
)

STRAIGHT = 1e-9


def palette(bound: Bound, pose: Pose) -> np.ndarray:
    """(k, 4, 4) float64: what each joint of a skin does to points of the object, in its own space."""
    return bound.out @ pose.worlds[bound.joints] @ bound.inverse @ bound.into


def blended(bound: Bound, matrices: np.ndarray, dual: bool = False) -> np.ndarray:
    """(n, 3, 4) float64: what each point goes through, for a palette (k, 4, 4)."""
    weights = hanging(bound)
    rows = weights @ matrices[:, :3].reshape(-1, 12) if not dual else _dual(bound, matrices)
    free = np.diff(weights.indptr) == 0
    if free.any():
        rows[free] = np.eye(4)[:3].ravel()
    return rows.reshape(-1, 3, 4)


def _dual(bound: Bound, matrices: np.ndarray) -> np.ndarray:
    """(n, 12): by dual quaternions; what stretches is blended linearly before. Source: Kavan et al. (2007), 4, appendix A."""
    weights, heaviest = hanging(bound), _heaviest(bound)
    linear = matrices[:, :3, :3]
    left, size, right = np.linalg.svd(linear)
    mirrored = np.linalg.det(left @ right) < 0
    left[mirrored, :, 2] *= -1
    turn = left @ right
    real = quaternions(turn)
    x, y, z, w = real.T
    tx, ty, tz = matrices[:, :3, 3].T
    dual = 0.5 * np.stack([tx * w + ty * z - tz * y, -tx * z + ty * w + tz * x, tx * y - ty * x + tz * w,
                           -tx * x - ty * y - tz * z], axis=1)  # fmt: skip
    same = (real[weights.indices] * real[heaviest]).sum(axis=1) < 0
    signed = weights
    if same.any():
        signed = weights.copy()
        signed.data = np.where(same, -weights.data, weights.data)
    mixed = signed @ np.concatenate([real, dual], axis=1)
    mixed /= np.maximum(lengths(mixed[:, :4]), 1e-12)[:, None]
    (x, y, z, w), (dx, dy, dz, dw) = np.ascontiguousarray(mixed.T).reshape(2, 4, -1)
    out = np.empty((len(mixed), 3, 4))
    out[:, :, :3] = rotations(mixed[:, :4])
    out[:, 0, 3] = 2 * (w * dx - dw * x + y * dz - z * dy)
    out[:, 1, 3] = 2 * (w * dy - dw * y + z * dx - x * dz)
    out[:, 2, 3] = 2 * (w * dz - dw * z + x * dy - y * dx)
    if mirrored.any() or np.abs(size - 1).max() > STRAIGHT:
        whole = np.asarray(weights.sum(axis=1)).reshape(-1, 1)
        stretched = (weights @ (np.swapaxes(turn, 1, 2) @ linear).reshape(-1, 9)) / np.where(whole > 0, whole, 1.0)
        out[:, :, :3] = out[:, :, :3] @ stretched.reshape(-1, 3, 3)
    return out.reshape(-1, 12)


@cached_by_identity
def _heaviest(bound: Bound) -> np.ndarray:
    """(e,): for each part that any joint has in a point, the joint that has most to say of that point."""
    weights = hanging(bound)
    counts = np.diff(weights.indptr)
    rows = np.repeat(np.arange(len(counts)), counts)
    order = np.lexsort((weights.data, rows))
    last = weights.indptr[1:][counts > 0] - 1
    return np.repeat(weights.indices[order[last]], counts[counts > 0])


def through(rows: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Points (n, 3), in their dtype, each through its own of ``rows`` (n, 3, 4)."""
    x, y, z = points.T
    out = np.empty_like(points)
    for k in range(3):
        out[:, k] = rows[:, k, 0] * x + rows[:, k, 1] * y + rows[:, k, 2] * z + rows[:, k, 3]
    return out
