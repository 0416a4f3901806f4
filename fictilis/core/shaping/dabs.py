"""One dab of a brush: which points lie under it, and how strongly. Costs follow the dab, not the mesh."""

from __future__ import annotations

import numpy as np

from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.topology import (
    border_points,
    components,
    edge_faces,
    edge_of_corner,
    edges,
    face_of_corner,
    next_corner,
    ranges,
)
from fictilis.core.ground.arrays import cached_by_both, distinct
from fictilis.core.scene.scene import MorphObject
from fictilis.core.scene.twins import pairs_of_twins
from fictilis.core.shaping.falloff import profile

# A way over the links of a square grid with its diagonals is up to 1 / cos(22.5°) too long: own derivation.
DETOUR = 1.0824
PLAIN = float(np.cos(np.radians(35)))


class _Links:
    """Both ways along edges, face diagonals and, between two triangles, to the corner across; and between twins."""

    def __init__(self, geometry: Geometry, base: np.ndarray) -> None:
        twins = pairs_of_twins(base)
        pairs = np.concatenate([edges(geometry).astype(np.int64), _diagonals(geometry), _across(geometry), twins])
        pairs = np.concatenate([pairs, pairs[:, ::-1]])
        codes = distinct(pairs[:, 0] * geometry.point_count + pairs[:, 1])
        self.others = (codes % geometry.point_count).astype(np.int32)
        self.starts = np.searchsorted(codes, np.arange(geometry.point_count + 1) * geometry.point_count)


def _diagonals(geometry: Geometry) -> np.ndarray:
    follow = next_corner(geometry)
    many = geometry.face_sizes[face_of_corner(geometry)] >= 4
    return np.stack([geometry.corners, geometry.corners[follow[follow]]], axis=1)[many].astype(np.int64)


def _across(geometry: Geometry) -> np.ndarray:
    """Corners on both sides of an edge between two triangles."""
    follow = next_corner(geometry)
    place = edge_of_corner(geometry)
    ok = (geometry.face_sizes[face_of_corner(geometry)] == 3) & (place >= 0)
    ok[ok] = edge_faces(geometry)[place[ok]] == 2
    rows = np.flatnonzero(ok)
    rows = rows[np.argsort(place[rows], kind="stable")]
    same = np.flatnonzero(place[rows][1:] == place[rows][:-1])
    far = geometry.corners[follow[follow[rows]]].astype(np.int64)
    out = np.stack([far[same], far[same + 1]], axis=1)
    return out[out[:, 0] != out[:, 1]]


def links(obj: MorphObject) -> _Links:
    return _links(obj.geometry, obj.base)


@cached_by_both
def _links(geometry: Geometry, base: np.ndarray) -> _Links:
    return _Links(geometry, base)


def columns_of(points: np.ndarray) -> np.ndarray:
    """(3, n) float64: x, y and z of points (n, 3) apart, in which looking for what is near is several times quicker."""
    return np.ascontiguousarray(points.T, np.float64)


def near_points(columns: np.ndarray, centre: np.ndarray, radius: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Sorted indices (k,) of points within ``radius`` of ``centre`` (3,), the ways there (3, k), and their lengths (k,).

    ``columns`` (3, n) are columns_of the points.
    """
    first = columns[0]  # two comparisons need no array of numbers between, whose pages take longer than all else
    near = np.flatnonzero((first >= centre[0] - radius) & (first <= centre[0] + radius))
    for axis in (1, 2):
        near = near[np.abs(columns[axis].take(near) - centre[axis]) <= radius]
    ways = columns.take(near, axis=1) - centre[:, None]
    square = ways[0] * ways[0] + ways[1] * ways[1] + ways[2] * ways[2]
    on = np.flatnonzero(square <= radius * radius)
    return near.take(on), ways.take(on, axis=1), np.sqrt(square.take(on))


def dab(
    obj: MorphObject, points: np.ndarray, centre: np.ndarray, face_points: np.ndarray, radius: float,
    along_surface: bool = True, kind: str = "smooth", normals: np.ndarray | None = None, columns: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Sorted indices (k,) and weights (k,) in 0…1 of the points under a dab, twins alike.

    Parameters
        points : (n, 3) the present shape; centre : (3,) a place on the face whose points are ``face_points`` (f,)
        along_surface : take only what is joined to that face within the radius
        normals : (n, 3) of the present shape, to see at once where the surface under the dab has no folds
        columns : columns_of(points)
    Source: along the surface the distance is the straight one, but never less than the shortest way over links divided
    by the links' worst detour, so that it is exact where the surface is flat and never reaches over a gap.
    """
    columns = columns_of(points) if columns is None else columns
    near, ways, straight = near_points(columns, centre, radius)
    if not along_surface:
        return near, profile(straight, radius, kind)
    if normals is not None and _is_plain(obj, near, ways, straight, normals):
        return near, profile(straight, radius, kind)
    inside = np.full(len(points), -1, np.int32)
    inside[near] = np.arange(len(near), dtype=np.int32)
    starts = face_points[inside[face_points] >= 0]
    if not len(starts):  # a face larger than the dab: nothing lies under it but perhaps points of another sheet
        return near[:0], straight[:0]
    far = _ways(obj, columns, near, inside, starts, radius * DETOUR)
    distance = np.maximum(straight, far / DETOUR)
    weights = np.where(np.isfinite(far), profile(distance, radius, kind), 0.0)
    on = weights > 0
    return near[on], weights[on]


def _is_plain(obj: MorphObject, near: np.ndarray, ways: np.ndarray, straight: np.ndarray, normals: np.ndarray) -> bool:
    """Whether what is near lies like one sheet without folds or borders over its mean plane.

    There a way on the surface is hardly longer than the straight one (at most 1 / cos 35°, in practice a few percent).
    """
    if not len(near) or border_points(obj.geometry).take(near).any():
        return False
    parts = components(obj.geometry).take(near)
    if parts[0] != parts.max() or parts[0] != parts.min():
        return False
    turned = normals.take(near, axis=0)
    mean = np.ones(len(turned), turned.dtype) @ turned
    length = float(np.linalg.norm(mean))
    if length < 1e-9 or float((turned @ (mean / length).astype(turned.dtype)).min()) < PLAIN:
        return False
    height = (mean / length).astype(np.float64) @ ways
    slack = 1e-3 * float(straight.max(initial=0.0))
    return bool((np.abs(height) <= np.sqrt(1 - PLAIN**2) * straight + slack).all())


def _ways(
    obj: MorphObject, points: np.ndarray, near: np.ndarray, inside: np.ndarray, starts: np.ndarray, limit: float
) -> np.ndarray:
    """(k,) lengths of the shortest ways over links from any of ``starts`` to the points ``near`` (k,), among these; points
    as columns (3, n)."""
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import dijkstra

    table = links(obj)
    first, last = table.starts[near], table.starts[near + 1]
    rows = np.repeat(np.arange(len(near), dtype=np.int32), last - first)
    columns = inside[table.others[ranges(first, last)]]
    kept = columns >= 0
    rows, columns = rows[kept], columns[kept]
    square = np.zeros(len(rows))
    for column in points.take(near, axis=1):
        step = column.take(rows) - column.take(columns)
        square += step * step
    lengths = np.maximum(np.sqrt(square), 1e-12)
    ends = np.concatenate([[0], np.cumsum(np.bincount(rows, minlength=len(near)))]).astype(np.int32)
    graph = csr_array((lengths, columns, ends), shape=(len(near), len(near)))
    return dijkstra(graph, directed=True, indices=inside[starts], limit=limit, min_only=True)
