"""What follows from a geometry alone: triangles, edges, incidence. Cached for as long as it lives."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import chain
from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.geometry.kinds import Geometry, Mesh
from fictilis.core.ground.arrays import cached_by_identity, distinct


def mesh_from_faces(point_count: int, faces: Sequence[Any] | np.ndarray) -> Mesh:
    """A mesh without UVs from a list of faces, each a sequence of point indices."""
    sizes = np.array([len(face) for face in faces], np.int32)
    corners = np.fromiter(chain.from_iterable(faces), np.int32, int(sizes.sum()))
    return Mesh(point_count, corners, np.concatenate([[0], np.cumsum(sizes)]))


@cached_by_identity
def face_of_corner(geometry: Geometry) -> np.ndarray:
    """(c,) int32: the face of each corner."""
    return np.repeat(np.arange(geometry.face_count, dtype=np.int32), geometry.face_sizes)


@cached_by_identity
def next_corner(geometry: Geometry) -> np.ndarray:
    """(c,) int64: the corner that follows within the same face."""
    return geometry.next_corners()


class Triangles(Struct, frozen=True, eq=False, weakref=True):
    """corners (t, 3) int32 into the mesh's corner list; points (t, 3) int32; faces (t,) int32."""

    corners: np.ndarray
    points: np.ndarray
    faces: np.ndarray


@cached_by_identity
def triangles(geometry: Geometry) -> Triangles:
    """Every face as a fan from its first corner; faces of fewer than three corners give none."""
    count = np.maximum(geometry.face_sizes - 2, 0)
    faces = np.repeat(np.arange(geometry.face_count, dtype=np.int32), count)
    first = geometry.offsets[:-1][faces]
    step = np.arange(len(faces)) - np.repeat(np.cumsum(count) - count, count) + 1
    corners = np.stack([first, first + step, first + step + 1], axis=1).astype(np.int32)
    return Triangles(corners, geometry.corners[corners] if len(corners) else corners, faces)


@cached_by_identity
def edges(geometry: Geometry) -> np.ndarray:
    """(e, 2) int32: each edge once, lower point first, sorted."""
    a, b = geometry.joined()
    pairs = np.stack([np.minimum(a, b), np.maximum(a, b)], axis=1).astype(np.int64)
    codes = distinct(pairs[:, 0] * geometry.point_count + pairs[:, 1])
    out = np.stack([codes // max(geometry.point_count, 1), codes % max(geometry.point_count, 1)], axis=1).astype(np.int32)
    return out[out[:, 0] != out[:, 1]]


class Incidence(Struct, frozen=True, eq=False, weakref=True):
    """What belongs to each point, its faces or its neighbours: others[starts[i]:starts[i + 1]] are those of point i."""

    starts: np.ndarray
    others: np.ndarray

    def of(self, points: np.ndarray) -> np.ndarray:
        """Those of all ``points`` (k,), one point after another."""
        return self.others.take(ranges(self.starts.take(points), self.starts.take(points + 1)))


@cached_by_identity
def point_faces(geometry: Geometry) -> Incidence:
    order = np.argsort(geometry.corners, kind="stable")
    starts = np.concatenate([[0], np.cumsum(np.bincount(geometry.corners, minlength=geometry.point_count))])
    return Incidence(starts, face_of_corner(geometry)[order])


def ranges(starts: np.ndarray, stops: np.ndarray) -> np.ndarray:
    """The numbers of all half-open ranges, one after another: (sum of lengths,) int64."""
    lengths = stops - starts
    if len(lengths) and (lengths == lengths[0]).all():
        out = np.empty((len(starts), int(lengths[0])), np.int64)
        for k, column in enumerate(out.T):
            np.add(starts, k, out=column)
        return out.ravel()
    shifts = starts - np.concatenate([[0], np.cumsum(lengths)[:-1]])
    return np.repeat(shifts, lengths) + np.arange(int(lengths.sum()))


def corners_of(geometry: Geometry, faces: np.ndarray) -> np.ndarray:
    """Corner numbers of ``faces`` (k,), face after face."""
    return ranges(geometry.offsets.take(faces).astype(np.int64), geometry.offsets.take(faces + 1).astype(np.int64))


@cached_by_identity
def neighbours(geometry: Geometry) -> Incidence:
    """The points joined to each point by an edge."""
    pairs = edges(geometry)
    both = np.concatenate([pairs, pairs[:, ::-1]])
    order = np.argsort(both[:, 0], kind="stable")
    starts = np.concatenate([[0], np.cumsum(np.bincount(both[:, 0], minlength=geometry.point_count))])
    return Incidence(starts, both[order, 1])


@cached_by_identity
def edge_faces(geometry: Geometry) -> np.ndarray:
    """(e,) int64: how many face sides run along each edge; 1 at a border."""
    place = edge_of_corner(geometry)
    return np.bincount(place[place >= 0], minlength=len(edges(geometry)))


@cached_by_identity
def edge_of_corner(geometry: Geometry) -> np.ndarray:
    """(c,) int64: the edge that runs from each corner to the next one of its face; -1 where both are one point."""
    a, b = geometry.corners.astype(np.int64), geometry.corners[next_corner(geometry)].astype(np.int64)
    return edge_numbers(geometry, a, b)


def edge_numbers(geometry: Geometry, a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """(k,) int64: the edges between points ``a`` (k,) and ``b`` (k,); -1 where there is none."""
    all_ = edges(geometry).astype(np.int64)
    if not len(all_):
        return np.full(len(a), -1)
    codes = all_[:, 0] * geometry.point_count + all_[:, 1]
    wanted = np.minimum(a, b) * np.int64(geometry.point_count) + np.maximum(a, b)
    place = np.clip(np.searchsorted(codes, wanted), 0, len(codes) - 1)
    return np.where(codes[place] == wanted, place, -1)


@cached_by_identity
def is_closed(geometry: Geometry) -> bool:
    """Whether it has an inside: every edge has two faces, which run along it in opposite directions."""
    a = geometry.corners.astype(np.int64)
    b = a[geometry.next_corners()]
    forth = np.sort(a * geometry.point_count + b)
    return len(a) > 0 and bool((np.diff(forth) > 0).all()) and np.array_equal(forth, np.sort(b * geometry.point_count + a))


@cached_by_identity
def border_points(geometry: Geometry) -> np.ndarray:
    """(n,) bool, read-only: points on an edge with one face only."""
    out = np.zeros(geometry.point_count, bool)
    out[edges(geometry)[edge_faces(geometry) == 1]] = True
    out.flags.writeable = False
    return out


@cached_by_identity
def components(geometry: Geometry) -> np.ndarray:
    """(n,) int32: a number for each point, the same for points connected by edges."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    pairs = edges(geometry)
    graph = coo_array((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(geometry.point_count,) * 2)
    return connected_components(graph, directed=False)[1].astype(np.int32)


def faces_at(geometry: Geometry, points: np.ndarray) -> np.ndarray:
    """Sorted faces that use any of ``points`` (k,)."""
    used = np.zeros(geometry.face_count, bool)
    used[point_faces(geometry).of(points)] = True
    return np.flatnonzero(used)
