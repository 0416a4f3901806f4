"""From a pick to displacements of the shown points: weights with falloff, moves, turns and scales."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from fictilis.core.scene.scene import Deltas, MorphObject
from fictilis.core.scene.twins import spread_to_twins, twin_mean
from fictilis.core.shaping.falloff import connected_parts, profile, space_distances, surface_distances
from fictilis.core.shaping.mirror import NO_MIRROR, Mirror, as_deltas, reflected


class Reach(Struct, frozen=True):
    """How far a change reaches: radius in cm (0: only the points themselves), along the surface or through space.

    ``profile`` is one of falloff.PROFILES; ``connected`` keeps a reach through space within the connected part.
    """

    radius: float = 0.0
    along_surface: bool = True
    profile: str = "smooth"
    connected: bool = False


def pick_weights(obj: MorphObject, points: np.ndarray, picked: np.ndarray, reach: Reach) -> np.ndarray:
    """(n,) float64 in 0…1: 1 at ``picked`` (k,) point indices and their twins, falling off around them.

    ``points`` (n, 3) is the shape as shown, in which distances are measured.
    """
    weights = np.zeros(len(points))
    weights[picked] = 1.0
    weights = spread_to_twins(obj, weights)
    if reach.radius > 0 and len(picked):
        if reach.along_surface:
            distances = surface_distances(obj, points, picked, reach.radius)
        else:
            distances = space_distances(points, points[picked], reach.radius)
            if reach.connected:
                parts = connected_parts(obj)
                distances = np.where(np.isin(parts, parts[picked]), distances, np.inf)
        weights = np.maximum(weights, spread_to_twins(obj, profile(distances, reach.radius, reach.profile)))
    return weights


def displacement(
    obj: MorphObject, indices: np.ndarray, weights: np.ndarray, moved: np.ndarray, mirror: Mirror = NO_MIRROR
) -> Deltas:
    """What moves: rows ``moved`` (k, 3), weighted already by ``weights`` (k,), with their mirror images; twins together."""
    if mirror.axes:
        indices, weights, moved = reflected(obj, indices, weights, moved, mirror)
    return as_deltas(indices, twin_mean(obj, indices, moved))


def rotation(points: np.ndarray, weights: np.ndarray, pivot: np.ndarray, axis: np.ndarray, degrees: float) -> np.ndarray:
    """(n, 3): the displacement that turns points (n, 3) about ``axis`` (3,) through ``pivot`` (3,) or (n, 3).

    Each point turns by the angle times its weight, so that a soft rotation bends instead of shrinking.
    Source: Rodrigues' rotation formula.
    """
    axis = np.asarray(axis, np.float64) / np.linalg.norm(axis)
    angle = np.radians(degrees) * weights[:, None]
    arm = points - pivot
    turned = arm * np.cos(angle) + np.cross(axis, arm) * np.sin(angle) + (arm @ axis)[:, None] * axis * (1 - np.cos(angle))
    return np.where(weights[:, None] > 0, turned - arm, 0.0)


def scaling(
    points: np.ndarray, weights: np.ndarray, pivot: np.ndarray, factors: np.ndarray, axes: np.ndarray | None = None
) -> np.ndarray:
    """(n, 3): the displacement that scales points (n, 3) about ``pivot`` (3,) or (n, 3) by ``factors`` (3,).

    Along X, Y, Z, or along the rows of ``axes`` (3, 3). 0 on one axis flattens, 0 on all gathers to the pivot.
    """
    arm = points - pivot
    change = np.asarray(factors, np.float64) - 1.0
    return weights[:, None] * (arm * change if axes is None else (arm @ axes.T * change) @ axes)
