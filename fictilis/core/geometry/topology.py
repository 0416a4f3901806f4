"""What follows from a mesh's faces alone: triangles, edges, incidence. Cached for as long as the mesh lives."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fictilis.core.arrays import cached_by_identity
from fictilis.core.scene import Mesh


def mesh_from_faces(point_count: int, faces: list | np.ndarray) -> Mesh:
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
    """The faces at each point: faces[starts[i]:starts[i + 1]] are those of point i."""

    starts: np.ndarray
    faces: np.ndarray


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


def components(mesh: Mesh) -> np.ndarray:
    """(n,) int32: a number for each point, the same for points connected by edges."""
    label = np.arange(mesh.point_count)
    pairs = edges(mesh)
    while True:
        low = np.minimum(label[pairs[:, 0]], label[pairs[:, 1]])
        new = label.copy()
        np.minimum.at(new, pairs[:, 0], low)
        np.minimum.at(new, pairs[:, 1], low)
        new = new[new]
        if np.array_equal(new, label):
            return np.unique(label, return_inverse=True)[1].astype(np.int32)
        label = new
