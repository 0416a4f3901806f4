"""Point normals, recomputed from the mixed points: of the whole mesh, or only near points that moved."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fictilis.core.arrays import cached_by_identity
from fictilis.core.geometry.topology import corners_of, faces_at, next_corner
from fictilis.core.scene import Mesh


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
def face_plan(mesh: Mesh) -> FacePlan:
    sizes, starts = mesh.face_sizes, mesh.offsets[:-1]
    row = np.zeros(mesh.face_count, np.int32)

    def table(size: int) -> np.ndarray:
        row[sizes == size] = np.arange((sizes == size).sum())
        return mesh.corners[starts[sizes == size][:, None] + np.arange(size)].astype(np.intp).T.copy()

    return FacePlan(table(3), table(4), np.flatnonzero(sizes > 4), row)


def point_normals(mesh: Mesh, points: np.ndarray) -> np.ndarray:
    """Unit normals (n, 3) of points (n, 3), in the points' dtype; zero where a point has no face.

    Source: sum of the vector areas of the faces at a point; for a triangle half the cross product of two edges, for a
    quad half that of its diagonals, otherwise Newell's sum (vector area of a polygon).
    """
    plan = face_plan(mesh)
    axes = [np.ascontiguousarray(points[:, k]) for k in range(3)]
    total = [np.zeros(mesh.point_count) for _ in range(3)]
    for table in (plan.triangles, plan.quads):
        _add_areas(table, axes, table, total)
    _add_polygons(mesh, points, plan.others, None, total)
    return _unit(total, points.dtype)


def _add_areas(table: np.ndarray, axes: list[np.ndarray], places: np.ndarray, total: list[np.ndarray]) -> None:
    """Add the vector areas of the triangles or quads in ``table`` to ``total`` at ``places``, of the table's shape."""
    if not table.shape[1]:
        return
    first, second = ((0, 1), (0, 2)) if len(table) == 3 else ((0, 2), (1, 3))
    corner = [[np.take(axis, row, mode="clip") for axis in axes] for row in table]
    u = [corner[first[1]][k] - corner[first[0]][k] for k in range(3)]
    v = [corner[second[1]][k] - corner[second[0]][k] for k in range(3)]
    for k in range(3):
        i, j = (k + 1) % 3, (k + 2) % 3
        area = (u[i] * v[j] - u[j] * v[i]).astype(np.float64)
        for place in places:
            total[k] += np.bincount(place, area, len(total[k]))


def _add_polygons(mesh: Mesh, points: np.ndarray, faces: np.ndarray, local: np.ndarray | None, total: list[np.ndarray]) -> None:
    if not len(faces):
        return
    corners = corners_of(mesh, faces)
    sizes = mesh.face_sizes[faces]
    here = points[mesh.corners[corners]].astype(np.float64)
    following = points[mesh.corners[next_corner(mesh)[corners]]]
    area = np.add.reduceat(np.cross(here, following), np.concatenate([[0], np.cumsum(sizes)[:-1]]))
    place = mesh.corners[corners] if local is None else local[mesh.corners[corners]]
    for k in range(3):
        total[k] += np.bincount(place, np.repeat(area[:, k], sizes), len(total[k]))


def _unit(total: list[np.ndarray], dtype: np.dtype) -> np.ndarray:
    x, y, z = total
    length = np.sqrt(x * x + y * y + z * z)
    length[length == 0] = 1.0
    scale = 1.0 / length
    out = np.empty((len(x), 3), dtype)
    for k in range(3):
        np.multiply(total[k], scale, out=out[:, k], casting="same_kind")
    return out


def refresh_normals(mesh: Mesh, points: np.ndarray, normals: np.ndarray, moved: np.ndarray) -> np.ndarray:
    """Recompute ``normals`` (n, 3) in place near ``moved`` (k,) point indices; returns the points it wrote to."""
    if not len(moved):
        return moved
    touched = _points_of(mesh, faces_at(mesh, moved))
    if not len(touched):
        return touched
    faces = faces_at(mesh, touched)
    local = np.full(mesh.point_count, len(touched), np.intp)  # one place more takes what lies outside
    local[touched] = np.arange(len(touched))
    total = [np.zeros(len(touched) + 1) for _ in range(3)]
    plan, sizes = face_plan(mesh), mesh.face_sizes[faces]
    axes = [points[:, k] for k in range(3)]
    for size, table in ((3, plan.triangles), (4, plan.quads)):
        part = np.take(table, plan.row[faces[sizes == size]], axis=1)
        _add_areas(part, axes, local[part], total)
    _add_polygons(mesh, points, faces[sizes > 4], local, total)
    normals[touched] = _unit(total, normals.dtype)[:-1]
    return touched


def _points_of(mesh: Mesh, faces: np.ndarray) -> np.ndarray:
    """Sorted points that ``faces`` (k,) use."""
    used = np.zeros(mesh.point_count, bool)
    used[mesh.corners[corners_of(mesh, faces)]] = True
    return np.flatnonzero(used)
