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
    if not mirror:
        return weights[:, None] * np.asarray(move, np.float64)
    field = np.broadcast_to(np.asarray(move, np.float64), (len(weights), 3))
    return mirrored(field, weights, mirror_map(obj, 0))
