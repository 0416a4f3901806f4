"""Point normals, recomputed from the mixed points: of the whole mesh, or only near points that moved."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from fictilis.core.arrays import cached_by_identity
from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.topology import corners_of, face_of_corner, faces_at, next_corner


@dataclass(frozen=True, eq=False)
class FacePlan:
    """Faces grouped by size: tables (3, k) and (4, k) of point indices, and the larger ones by their numbers.

    ``row`` (m,) int32 is the place of each face in the table of its size.
    """

    triangles: np.ndarray
    quads: np.ndarray
    others: np.ndarray
    row: np.ndarray


@cached_by_identity
def face_plan(geometry: Geometry) -> FacePlan:
    sizes, starts = geometry.face_sizes, geometry.offsets[:-1]
    row = np.zeros(geometry.face_count, np.int32)

    def table(size: int) -> np.ndarray:
        row[sizes == size] = np.arange((sizes == size).sum())
        return geometry.corners[starts[sizes == size][:, None] + np.arange(size)].astype(np.intp).T.copy()

    return FacePlan(table(3), table(4), np.flatnonzero(sizes > 4), row)


def point_normals(geometry: Geometry, points: np.ndarray) -> np.ndarray:
    """Unit normals (n, 3) of points (n, 3), in the points' dtype; zero where a point has no face.

    Source: sum of the vector areas of the faces at a point; for a triangle half the cross product of two edges, for a
    quad half that of its diagonals, otherwise Newell's sum (vector area of a polygon).
    """
    plan = face_plan(geometry)
    axes = [np.ascontiguousarray(points[:, k]) for k in range(3)]
    total = [np.zeros(geometry.point_count) for _ in range(3)]
    for table in (plan.triangles, plan.quads):
        _add_areas(table, axes, total)
    if len(plan.others):
        area = np.repeat(_polygon_areas(geometry, points, plan.others), geometry.face_sizes[plan.others], axis=0)
        place = geometry.corners[corners_of(geometry, plan.others)]
        for k in range(3):
            total[k] += np.bincount(place, area[:, k], geometry.point_count)
    return _unit(total, points.dtype)


def _add_areas(table: np.ndarray, axes: list[np.ndarray], total: list[np.ndarray]) -> None:
    """Add the vector areas of the triangles or quads in ``table`` to ``total`` at their points."""
    if not table.shape[1]:
        return
    for area, sums in zip(_table_areas(table, axes), total, strict=True):
        for place in table:
            sums += np.bincount(place, area, len(sums))


def _table_areas(table: np.ndarray, axes: list[np.ndarray]) -> Iterator[np.ndarray]:
    """Three (k,) float64: the vector areas, doubled, of triangles (3, k) or quads (4, k)."""
    first, second = ((0, 1), (0, 2)) if len(table) == 3 else ((0, 2), (1, 3))
    corner = [[np.take(axis, row, mode="clip") for axis in axes] for row in table]
    u = [corner[first[1]][k] - corner[first[0]][k] for k in range(3)]
    v = [corner[second[1]][k] - corner[second[0]][k] for k in range(3)]
    for k in range(3):
        i, j = (k + 1) % 3, (k + 2) % 3
        yield (u[i] * v[j] - u[j] * v[i]).astype(np.float64)


def _polygon_areas(geometry: Geometry, points: np.ndarray, faces: np.ndarray) -> np.ndarray:
    """(k, 3) float64: the vector areas, doubled, of larger faces (k,)."""
    corners = corners_of(geometry, faces)
    sizes = geometry.face_sizes[faces]
    here = points[geometry.corners[corners]].astype(np.float64)
    following = points[geometry.corners[next_corner(geometry)[corners]]]
    return np.add.reduceat(np.cross(here, following), np.concatenate([[0], np.cumsum(sizes)[:-1]]))


def _unit(total: list[np.ndarray], dtype: np.dtype) -> np.ndarray:
    x, y, z = total
    length = np.sqrt(x * x + y * y + z * z)
    length[length == 0] = 1.0
    scale = 1.0 / length
    out = np.empty((len(x), 3), dtype)
    for k in range(3):
        np.multiply(total[k], scale, out=out[:, k], casting="same_kind")
    return out


class KeptNormals:
    """The normals of a shape that is being changed: renewed near what moved, by the faces whose area became another.

    ``normals`` (n, 3) in the dtype of the points; the sums behind them are kept, so that a face is looked at once.
    """

    def __init__(self, geometry: Geometry, points: np.ndarray, normals: np.ndarray | None = None) -> None:
        """``normals`` are those of the points where they are at hand; they are then written to in place."""
        self.geometry = geometry
        self._areas = _areas(geometry, points, np.arange(geometry.face_count))
        face = face_of_corner(geometry)
        self._sums = [np.bincount(geometry.corners, area[face], geometry.point_count) for area in self._areas]
        self.normals = _unit(self._sums, points.dtype) if normals is None else normals

    def update(self, points: np.ndarray, moved: np.ndarray) -> np.ndarray:
        """Renew near ``moved`` (k,) point indices of points (n, 3); returns the points whose normals were written."""
        geometry = self.geometry
        faces = faces_at(geometry, moved)
        if not len(faces):
            return faces
        new = _areas(geometry, points, faces)
        sizes = geometry.face_sizes[faces]
        corners = geometry.corners[corners_of(geometry, faces)]
        used = np.zeros(geometry.point_count, bool)
        used[corners] = True
        touched = np.flatnonzero(used)
        local = np.empty(geometry.point_count, np.int32)
        local[touched] = np.arange(len(touched), dtype=np.int32)
        places = local.take(corners)
        sums = []
        for kept, area, total in zip(self._areas, new, self._sums, strict=True):
            change = np.repeat(area - kept.take(faces), sizes)
            kept[faces] = area
            part = total.take(touched) + np.bincount(places, change, len(touched))
            total[touched] = part
            sums.append(part)
        self.normals[touched] = _unit(sums, self.normals.dtype)
        return touched


def _near(points: np.ndarray, corners: np.ndarray) -> tuple[list[np.ndarray], np.ndarray]:
    """The points of a table (s, k) alone, an array an axis, and the table in their numbers."""
    rows = points.take(corners.ravel(), axis=0)
    return [np.ascontiguousarray(rows[:, k]) for k in range(3)], np.arange(corners.size).reshape(corners.shape)


def _areas(geometry: Geometry, points: np.ndarray, faces: np.ndarray) -> list[np.ndarray]:
    """Three (k,) float64: the vector areas of ``faces`` (k,). Source: as point_normals."""
    plan, sizes = face_plan(geometry), geometry.face_sizes[faces]
    out = [np.zeros(len(faces)) for _ in range(3)]
    few = len(faces) * 8 < geometry.point_count  # a take from what is not contiguous copies the whole first
    axes = None if few else [np.ascontiguousarray(points[:, k]) for k in range(3)]
    for size, table in ((3, plan.triangles), (4, plan.quads)):
        where = slice(None) if (sizes == size).all() else sizes == size
        rows = plan.row[faces[where]]
        if len(rows):
            corners = np.take(table, rows, axis=1)
            near, places = (axes, corners) if axes is not None else _near(points, corners)
            for total, area in zip(out, _table_areas(places, near), strict=True):
                total[where] = area
    large = np.flatnonzero(sizes > 4)
    if len(large):
        for total, area in zip(out, _polygon_areas(geometry, points, faces[large]).T, strict=True):
            total[large] = area
    return out
