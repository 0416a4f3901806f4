"""What follows from a mesh's faces alone: triangles, edges, incidence. Cached for as long as the mesh lives."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from fictilis.core.arrays import cached_by_identity
from fictilis.core.scene import Mesh


def mesh_from_faces(point_count: int, faces: Sequence[Any] | np.ndarray) -> Mesh:
    """A mesh without UVs from a list of faces, each a sequence of point indices."""
    sizes = np.array([len(face) for face in faces], np.int32)
    corners = np.concatenate([np.asarray(f, np.int32) for f in faces]) if len(sizes) else np.zeros(0, np.int32)
    return Mesh(point_count, corners, np.concatenate([[0], np.cumsum(sizes)]))


@cached_by_identity
def face_of_corner(mesh: Mesh) -> np.ndarray:
    """(c,) int32: the face of each corner."""
    return np.repeat(np.arange(mesh.face_count, dtype=np.int32), mesh.face_sizes)


@cached_by_identity
def next_corner(mesh: Mesh) -> np.ndarray:
    """(c,) int64: the corner that follows within the same face."""
    following = np.arange(1, len(mesh.corners) + 1)
    full = mesh.face_sizes > 0
    following[mesh.offsets[1:][full] - 1] = mesh.offsets[:-1][full]
    return following


@dataclass(frozen=True, eq=False)
class Triangles:
    """corners (t, 3) int32 into the mesh's corner list; points (t, 3) int32; faces (t,) int32."""

    corners: np.ndarray
    points: np.ndarray
    faces: np.ndarray


@cached_by_identity
def triangles(mesh: Mesh) -> Triangles:
    """Every face as a fan from its first corner; faces of fewer than three corners give none."""
    count = np.maximum(mesh.face_sizes - 2, 0)
    faces = np.repeat(np.arange(mesh.face_count, dtype=np.int32), count)
    first = mesh.offsets[:-1][faces]
    step = np.arange(len(faces)) - np.repeat(np.cumsum(count) - count, count) + 1
    corners = np.stack([first, first + step, first + step + 1], axis=1).astype(np.int32)
    return Triangles(corners, mesh.corners[corners] if len(corners) else corners, faces)


@cached_by_identity
def edges(mesh: Mesh) -> np.ndarray:
    """(e, 2) int32: each edge once, lower point first, sorted."""
    a, b = mesh.corners, mesh.corners[next_corner(mesh)]
    pairs = np.stack([np.minimum(a, b), np.maximum(a, b)], axis=1).astype(np.int64)
    codes = np.unique(pairs[:, 0] * mesh.point_count + pairs[:, 1])
    out = np.stack([codes // max(mesh.point_count, 1), codes % max(mesh.point_count, 1)], axis=1).astype(np.int32)
    return out[out[:, 0] != out[:, 1]]


@dataclass(frozen=True, eq=False)
class Incidence:
    """What belongs to each point, its faces or its neighbours: others[starts[i]:starts[i + 1]] are those of point i."""

    starts: np.ndarray
    others: np.ndarray

    def of(self, points: np.ndarray) -> np.ndarray:
        """Those of all ``points`` (k,), one point after another."""
        return self.others[ranges(self.starts[points], self.starts[points + 1])]


@cached_by_identity
def point_faces(mesh: Mesh) -> Incidence:
    order = np.argsort(mesh.corners, kind="stable")
    starts = np.concatenate([[0], np.cumsum(np.bincount(mesh.corners, minlength=mesh.point_count))])
    return Incidence(starts, face_of_corner(mesh)[order])


def ranges(starts: np.ndarray, stops: np.ndarray) -> np.ndarray:
    """The numbers of all half-open ranges, one after another: (sum of lengths,) int64."""
    lengths = stops - starts
    shifts = starts - np.concatenate([[0], np.cumsum(lengths)[:-1]])
    return np.repeat(shifts, lengths) + np.arange(int(lengths.sum()))


def corners_of(mesh: Mesh, faces: np.ndarray) -> np.ndarray:
    """Corner numbers of ``faces`` (k,), face after face."""
    return ranges(mesh.offsets[faces].astype(np.int64), mesh.offsets[faces + 1].astype(np.int64))


@cached_by_identity
def neighbours(mesh: Mesh) -> Incidence:
    """The points joined to each point by an edge."""
    pairs = edges(mesh)
    both = np.concatenate([pairs, pairs[:, ::-1]])
    order = np.argsort(both[:, 0], kind="stable")
    starts = np.concatenate([[0], np.cumsum(np.bincount(both[:, 0], minlength=mesh.point_count))])
    return Incidence(starts, both[order, 1])


@cached_by_identity
def edge_faces(mesh: Mesh) -> np.ndarray:
    """(e,) int64: how many face sides run along each edge; 1 at a border."""
    place = edge_of_corner(mesh)
    return np.bincount(place[place >= 0], minlength=len(edges(mesh)))


@cached_by_identity
def edge_of_corner(mesh: Mesh) -> np.ndarray:
    """(c,) int64: the edge that runs from each corner to the next one of its face; -1 where both are one point."""
    a, b = mesh.corners.astype(np.int64), mesh.corners[next_corner(mesh)].astype(np.int64)
    return edge_numbers(mesh, a, b)


def edge_numbers(mesh: Mesh, a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """(k,) int64: the edges between points ``a`` (k,) and ``b`` (k,); -1 where there is none."""
    all_ = edges(mesh).astype(np.int64)
    if not len(all_):
        return np.full(len(a), -1)
    codes = all_[:, 0] * mesh.point_count + all_[:, 1]
    wanted = np.minimum(a, b) * np.int64(mesh.point_count) + np.maximum(a, b)
    place = np.clip(np.searchsorted(codes, wanted), 0, len(codes) - 1)
    return np.where(codes[place] == wanted, place, -1)


@cached_by_identity
def border_points(mesh: Mesh) -> np.ndarray:
    """(n,) bool: points on an edge with one face only."""
    out = np.zeros(mesh.point_count, bool)
    out[edges(mesh)[edge_faces(mesh) == 1]] = True
    return out


@cached_by_identity
def components(mesh: Mesh) -> np.ndarray:
    """(n,) int32: a number for each point, the same for points connected by edges."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    pairs = edges(mesh)
    graph = coo_array((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(mesh.point_count,) * 2)
    return connected_components(graph, directed=False)[1].astype(np.int32)


def faces_at(mesh: Mesh, points: np.ndarray) -> np.ndarray:
    """Sorted faces that use any of ``points`` (k,)."""
    used = np.zeros(mesh.face_count, bool)
    used[point_faces(mesh).of(points)] = True
    return np.flatnonzero(used)
