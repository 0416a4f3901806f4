"""Point normals, recomputed from the mixed points: of the whole mesh, or only near points that moved."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.topology import corners_of, faces_at, ranges
from fictilis.core.ground.arrays import cached_by_identity, lengths, put_rows, spread

ONE_BY_ONE = 20_000  # points of shapes that are not looked at together: they do not fit into the processor's memory


@cached_by_identity
def _tables(geometry: Geometry) -> tuple[np.ndarray, np.ndarray]:
    """(3, t) and (4, q): the corners of all triangles and quads."""
    sizes, starts = geometry.face_sizes, geometry.offsets[:-1]
    three, four = (geometry.corners[starts[sizes == size] + np.arange(size)[:, None]].astype(np.intp) for size in (3, 4))
    return three, four


@cached_by_identity
def _places(geometry: Geometry) -> tuple[np.ndarray, np.ndarray]:
    """The numbers of all triangles, and of all quads."""
    return np.flatnonzero(geometry.face_sizes == 3), np.flatnonzero(geometry.face_sizes == 4)


def point_normals(geometry: Geometry, points: np.ndarray) -> np.ndarray:
    """Unit normals (n, 3) of points (n, 3), in the points' dtype; zero where a point has no face.

    Source: sum of the vector areas of the faces at a point; for a triangle half the cross product of two edges, for a
    quad half that of its diagonals, otherwise Newell's sum (vector area of a polygon).
    """
    return _unit(_sums(geometry, _areas(geometry, _axes(points))), points.dtype)


def normals_of_many(geometry: Geometry, shapes: np.ndarray) -> np.ndarray:
    """point_normals of many shapes of one geometry at once: (p, n, 3) float32 of points (p, n, 3) float32."""
    sizes = geometry.face_sizes
    if not len(sizes) or not np.isin(sizes, (3, 4)).all():
        return np.array([point_normals(geometry, points) for points in shapes], np.float32).reshape(shapes.shape)
    if shapes.shape[1] > ONE_BY_ONE:
        return np.stack([np.stack(normal_axes(geometry, _axes(points)), axis=1) for points in shapes])
    axes = [np.ascontiguousarray(shapes[:, :, k].T) for k in range(3)]  # (n, p): one point of all shapes in a row
    areas = [np.empty((len(sizes), len(shapes)), np.float32) for _ in range(3)]
    for size, table in zip((3, 4), _tables(geometry), strict=True):
        where = sizes == size
        if where.any():
            for out, area in zip(areas, _table_areas(table, axes), strict=True):
                out[where] = area
    gather = _faces_to_points(geometry)
    total = np.stack([gather @ area for area in areas])
    length = np.sqrt((total**2).sum(axis=0))
    length[length == 0] = 1.0
    return np.ascontiguousarray((total / length).transpose(2, 1, 0))


def normal_axes(geometry: Geometry, axes: list[np.ndarray]) -> list[np.ndarray]:
    """x, y and z (n,) float32 of the unit normals of a mesh of triangles and quads, of those of its points; zero where a point
    has no face. In single precision and by columns, in half of the time of point_normals."""
    sizes, gather = geometry.face_sizes, _faces_to_points(geometry)
    areas = [np.zeros(len(sizes), np.float32) for _ in range(3)]
    for where, table in zip(_places(geometry), _tables(geometry), strict=True):
        for out, area in zip(areas, _table_areas(table, axes) if len(where) else (), strict=False):
            out[where] = area
    sums = [gather @ area for area in areas]
    length = np.sqrt(sums[0] * sums[0] + sums[1] * sums[1] + sums[2] * sums[2])
    length[length == 0] = 1.0
    scale = np.float32(1.0) / length
    return [part * scale for part in sums]


@cached_by_identity
def _faces_to_points(geometry: Geometry) -> Any:
    """Sparse (n, m): which faces are at which points."""
    from scipy.sparse import csr_matrix

    faces = np.repeat(np.arange(geometry.face_count), geometry.face_sizes)
    ones = np.ones(len(faces), np.float32)
    return csr_matrix((ones, (geometry.corners, faces)), (geometry.point_count, geometry.face_count))


def face_normals(geometry: Geometry, points: np.ndarray) -> np.ndarray:
    """Unit normals (m, 3) of faces, in the points' dtype; zero where a face has no area."""
    return _unit(_areas(geometry, _axes(points)), points.dtype)


def _axes(points: np.ndarray) -> list[np.ndarray]:
    return [np.ascontiguousarray(points[:, k]) for k in range(3)]


def _sums(geometry: Geometry, areas: np.ndarray) -> np.ndarray:
    out = np.zeros((geometry.point_count, 3))
    spread(out, geometry.corners, geometry.offsets, areas)
    return out


def _areas(geometry: Geometry, axes: list[np.ndarray]) -> np.ndarray:
    """(m, 3) float64: the vector areas, doubled, of all faces; ``axes`` are x, y and z of the points."""
    return _areas_of(geometry.face_sizes, geometry.offsets, geometry.corners, axes, _tables(geometry))


def _areas_of(
    sizes: np.ndarray, starts: np.ndarray, corners: np.ndarray, axes: list[np.ndarray], tables: tuple[np.ndarray, ...] = ()
) -> np.ndarray:
    """(k, 3) float64: the vector areas, doubled, of faces of some sizes (k,), whose corners begin at ``starts``.

    ``tables`` (3, t) and (4, q) are the corners of triangles and quads where they are at hand.
    """
    out = np.zeros((len(sizes), 3))
    for n, size in enumerate((3, 4)):
        where: Any = np.flatnonzero(sizes == size)
        if not len(where):
            continue
        if len(where) < len(sizes):
            table = tables[n] if tables else corners.take(starts.take(where) + np.arange(size)[:, None])
        else:
            table = tables[n] if tables else np.ascontiguousarray(corners.reshape(-1, size).T)
            where = slice(None)
        for k, area in enumerate(_table_areas(table, axes)):
            out[where, k] = area
    large = np.flatnonzero(sizes > 4)
    if len(large):
        first, many = starts[large], sizes[large]
        at, ends = ranges(first, first + many), np.cumsum(many)
        following = at + 1
        following[ends - 1] = first
        a, b = (np.stack([axis[corners[place]] for axis in axes], axis=1).astype(np.float64) for place in (at, following))
        out[large] = np.add.reduceat(np.cross(a, b), ends - many)
    return out


def _table_areas(table: np.ndarray, axes: list[np.ndarray]) -> Iterator[np.ndarray]:
    """Three (k, …): the vector areas, doubled, of triangles (3, k) or quads (4, k); ``axes`` are (n, …)."""
    first, second = ((0, 1), (0, 2)) if len(table) == 3 else ((0, 2), (1, 3))
    corner = [[np.take(axis, row, axis=0, mode="clip") for axis in axes] for row in table]
    u = [corner[first[1]][k] - corner[first[0]][k] for k in range(3)]
    v = [corner[second[1]][k] - corner[second[0]][k] for k in range(3)]
    for k in range(3):
        i, j = (k + 1) % 3, (k + 2) % 3
        yield u[i] * v[j] - u[j] * v[i]


def _unit(total: np.ndarray, dtype: np.dtype) -> np.ndarray:
    length = lengths(total)
    length[length == 0] = 1.0
    scale = 1.0 / length
    out = np.empty(total.shape, dtype)
    for k in range(3):
        np.multiply(total[:, k], scale, out=out[:, k], casting="same_kind")
    return out


class KeptNormals:
    """The normals of a shape that is being changed: renewed near what moved, by the faces whose area became another.

    ``normals`` (n, 3) in the dtype of the points; the sums behind them are kept, so that a face is looked at once.
    """

    def __init__(self, geometry: Geometry, points: np.ndarray, normals: np.ndarray | None = None) -> None:
        """``normals`` are those of the points where they are at hand; they are then written to in place."""
        self.geometry = geometry
        self._areas = _areas(geometry, _axes(points))
        self._sums = _sums(geometry, self._areas)
        self.normals = _unit(self._sums, points.dtype) if normals is None else normals

    def update(self, points: np.ndarray, moved: np.ndarray) -> np.ndarray:
        """Renew near ``moved`` (k,) point indices of points (n, 3); returns the points whose normals were written."""
        geometry = self.geometry
        faces = faces_at(geometry, moved)
        if not len(faces):
            return faces
        corners = geometry.corners.take(corners_of(geometry, faces))
        used = np.zeros(geometry.point_count, bool)
        used[corners] = True
        touched = np.flatnonzero(used)
        local = np.empty(geometry.point_count, np.intp)
        local[touched] = np.arange(len(touched))
        sizes = geometry.face_sizes.take(faces)
        starts = np.concatenate([[0], np.cumsum(sizes)])
        new = _areas_of(sizes, starts, local.take(corners), _axes(points.take(touched, axis=0)))
        change = new - self._areas.take(faces, axis=0)
        put_rows(self._areas, faces, new)
        spread(self._sums, corners, starts, change)
        put_rows(self.normals, touched, _unit(self._sums.take(touched, axis=0), self.normals.dtype))
        return touched
