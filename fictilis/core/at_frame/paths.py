"""The ways of points: over frames, and over the weights of one target."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from fictilis.core.at_frame.copies import first_matrix
from fictilis.core.at_frame.pose import Pose, poses_over
from fictilis.core.ground.affine import placed
from fictilis.core.ground.arrays import lengths
from fictilis.core.mix.acting import shares
from fictilis.core.mix.shapes import some_points
from fictilis.core.scene.kept import Measure
from fictilis.core.scene.scene import MorphObject, Scene


def points_over(scene: Scene, obj: MorphObject, indices: np.ndarray, frames: np.ndarray) -> np.ndarray:
    """(f, k, 3) float64 in scene space: where points ``indices`` (k,) are at ``frames`` (f,), those of the first copy."""
    out = np.empty((len(frames), len(indices), 3))
    for row, pose in zip(out, poses_over(scene, obj, frames), strict=True):
        if pose.run is not None:
            found = pose.points[indices]
        else:  # these points only
            found = pose.forward(some_points(obj, indices, pose.shares[:, None])[0], indices)
        row[:] = placed(found, first_matrix(scene, obj, pose.frame))
    return out


def distance_over(scene: Scene, measure: Measure, frames: np.ndarray) -> np.ndarray:
    """(f,) float64, cm: how far the two points of a measure are from one another at ``frames`` (f,)."""
    first, second = (points_over(scene, scene.object(e.owner), np.array([e.point]), frames)[:, 0]
                     for e in (measure.first, measure.second))  # fmt: skip
    return lengths(first - second)


def points_over_weights(
    obj: MorphObject, indices: np.ndarray, target_id: str, weights: np.ndarray, others: Mapping[str, float], pose: Pose | None
) -> np.ndarray:
    """(w, k, 3) float64 in object space: where points ``indices`` (k,) are at each of a target's ``weights`` (w,), bent and
    skinned as in a ``pose``. ``others`` are the weights of the other targets by id, which stay."""
    at = np.asarray(weights, np.float64)
    every = {t: np.full(len(at), value) for t, value in others.items()} | {target_id: at}
    rows = some_points(obj, indices, shares(obj, every))
    return rows if pose is None else np.stack([pose.forward(row, indices) for row in rows])
