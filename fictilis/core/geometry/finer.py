"""The smooth surface of a cage of faces, as one sparse matrix that every shape of it goes through."""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.geometry.carry.carry import Carry
from fictilis.core.geometry.carry.subdivision import subdivide
from fictilis.core.geometry.kinds import MOST_POINTS, Mesh
from fictilis.core.geometry.topology import edges
from fictilis.core.ground.arrays import recent_by_identity
from fictilis.core.ground.errors import EditRefused

MOST_LEVELS = 2


class Finer(Struct, frozen=True, eq=False, weakref=True):
    """``geometry`` of n' points, each a mean of the cage's n: ``matrix`` sparse (n', n) float64, its rows summing to 1."""

    geometry: Mesh
    matrix: Any
    single: Any

    def of(self, values: np.ndarray) -> np.ndarray:
        """(n', …) in the dtype of values (n, …), float32 or float64: points, deltas, or a number a point."""
        return (self.single if values.dtype == np.float32 else self.matrix) @ values

    @property
    def carry(self) -> Carry:
        """The same as what carries an object through."""
        return Carry(self.geometry, self.matrix, np.zeros(0, np.int64))


def count_of(mesh: Mesh, levels: int) -> int:
    """Points after so many levels; nothing is made. Each level adds one for each edge and each face."""
    points, sides, faces, corners = mesh.point_count, len(edges(mesh)), mesh.face_count, len(mesh.corners)
    for _ in range(levels):
        points, sides, faces, corners = points + sides + faces, 2 * sides + corners, corners, 4 * corners
    return points


@recent_by_identity(2)
def finer(mesh: Mesh, levels: int) -> Finer:
    """The surface after 1 or 2 levels. Raises EditRefused where it would have too many points, and for faces that cannot be
    divided.

    Source: Catmull and Clark (1978); see ``carry.subdivide``.
    """
    count = count_of(mesh, levels)
    if count > MOST_POINTS:
        raise EditRefused(f"The smooth surface would have {count:,} points; up to {MOST_POINTS:,} are made.")
    step = subdivide(mesh, smooth=True)
    matrix = step.matrix
    for _ in range(levels - 1):
        step = subdivide(step.geometry, smooth=True)  # type: ignore[arg-type]
        matrix = step.matrix @ matrix
    matrix = matrix.tocsr()
    return Finer(step.geometry, matrix, matrix.astype(np.float32))  # type: ignore[arg-type]
