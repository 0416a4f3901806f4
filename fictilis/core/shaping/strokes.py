"""Strokes: from a pick or a dab to displacements of the shown points."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fictilis.core.geometry.twins import spread_to_twins
from fictilis.core.scene import MorphObject
from fictilis.core.shaping.falloff import profile, space_distances, surface_distances
from fictilis.core.shaping.mirror import mirror_map, mirrored


@dataclass(frozen=True)
class Reach:
    """How far a change reaches: radius in cm (0: only the points themselves), along the surface or through space."""

    radius: float = 0.0
    along_surface: bool = True
    mirror: bool = False


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
        weights = np.maximum(weights, spread_to_twins(obj, profile(distances, reach.radius)))
    return weights


def dab_weights(obj: MorphObject, points: np.ndarray, centre: np.ndarray, face_points: np.ndarray, reach: Reach) -> np.ndarray:
    """(n,) float64 in 0…1 around ``centre`` (3,), a place on the face whose points are ``face_points`` (k,)."""
    if reach.along_surface:
        start = np.linalg.norm(points[face_points] - centre, axis=1)
        distances = surface_distances(obj, points, face_points, reach.radius, at=start)
        # where the straight way is inside the first face it is the surface distance
        distances[face_points] = start
    else:
        distances = space_distances(points, centre, reach.radius)
    return spread_to_twins(obj, profile(distances, reach.radius))


def displace(obj: MorphObject, weights: np.ndarray, move: np.ndarray, mirror: bool) -> np.ndarray:
    """(n, 3): each point moved by ``move`` (3,) times its weight, on both sides of X = 0 when ``mirror``."""
    return reflect(obj, weights, weights[:, None] * np.asarray(move, np.float64), mirror)


def reflect(obj: MorphObject, weights: np.ndarray, displacement: np.ndarray, mirror: bool) -> np.ndarray:
    """A weighted ``displacement`` (n, 3) as it is, or with its mirror image across X = 0."""
    return mirrored(displacement, weights, mirror_map(obj, 0), 0) if mirror else displacement


def rotation(points: np.ndarray, weights: np.ndarray, pivot: np.ndarray, axis: np.ndarray, degrees: float) -> np.ndarray:
    """(n, 3): the displacement that turns points (n, 3) about ``axis`` (3,) through ``pivot`` (3,).

    Each point turns by the angle times its weight, so that a soft rotation bends instead of shrinking.
    Source: Rodrigues' rotation formula.
    """
    axis = np.asarray(axis, np.float64) / np.linalg.norm(axis)
    angle = np.radians(degrees) * weights[:, None]
    arm = points - pivot
    turned = arm * np.cos(angle) + np.cross(axis, arm) * np.sin(angle) + (arm @ axis)[:, None] * axis * (1 - np.cos(angle))
    return np.where(weights[:, None] > 0, turned - arm, 0.0)


def scaling(points: np.ndarray, weights: np.ndarray, pivot: np.ndarray, factors: np.ndarray) -> np.ndarray:
    """(n, 3): the displacement that scales points (n, 3) about ``pivot`` (3,) by ``factors`` (3,) along X, Y, Z.

    0 on one axis flattens, 0 on all gathers to the pivot.
    """
    return weights[:, None] * (points - pivot) * (np.asarray(factors, np.float64) - 1.0)
