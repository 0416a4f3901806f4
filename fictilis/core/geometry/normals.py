"""Point normals, recomputed from the mixed points: of the whole mesh, or only near points that moved."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fictilis.core.arrays import cached_by_identity
from fictilis.core.geometry.topology import corners_of, faces_at, next_corner
from fictilis.core.scene import Mesh


@dataclass(frozen=True, eq=False)
class FacePlan:
    """Faces grouped by size: (k, 3), (k, 4) point indices, and the larger ones by their numbers."""

    triangles: np.ndarray
    quads: np.ndarray
    others: np.ndarray


@cached_by_identity
def face_plan(mesh: Mesh) -> FacePlan:
    sizes, starts = mesh.face_sizes, mesh.offsets[:-1]

    def table(size: int) -> np.ndarray:
        return mesh.corners[starts[sizes == size][:, None] + np.arange(size)].astype(np.intp).T.copy()

    return FacePlan(table(3), table(4), np.flatnonzero(sizes > 4))


def point_normals(mesh: Mesh, points: np.ndarray) -> np.ndarray:
    """Unit normals (n, 3) of points (n, 3), in the points' dtype; zero where a point has no face.

    Source: sum of the vector areas of the faces at a point; for a triangle half the cross product of two edges, for a
    quad half that of its diagonals, otherwise Newell's sum (vector area of a polygon).
    """
    plan = face_plan(mesh)
    axes = [np.ascontiguousarray(points[:, k]) for k in range(3)]
    total = np.zeros((mesh.point_count, 3))
    for table, u, v in ((plan.triangles, (0, 1), (0, 2)), (plan.quads, (0, 2), (1, 3))):
        if table.shape[1]:
            corner = [[np.take(axis, row, mode="clip") for axis in axes] for row in table]
            first = [corner[u[1]][k] - corner[u[0]][k] for k in range(3)]
            second = [corner[v[1]][k] - corner[v[0]][k] for k in range(3)]
            for k in range(3):
                i, j = (k + 1) % 3, (k + 2) % 3
                area = first[i] * second[j] - first[j] * second[i]
                for row in table:
                    total[:, k] += np.bincount(row, area, mesh.point_count)
    if len(plan.others):
        _add_polygons(mesh, points, plan.others, total)
    return _unit(total).astype(points.dtype)


def _add_polygons(mesh: Mesh, points: np.ndarray, faces: np.ndarray, total: np.ndarray) -> None:
    corners = corners_of(mesh, faces)
    sizes = mesh.face_sizes[faces]
    here = points[mesh.corners[corners]].astype(np.float64)
    following = points[mesh.corners[next_corner(mesh)[corners]]]
    area = np.add.reduceat(np.cross(here, following), np.concatenate([[0], np.cumsum(sizes)[:-1]]))
    np.add.at(total, mesh.corners[corners], np.repeat(area, sizes, axis=0))


def _unit(vectors: np.ndarray) -> np.ndarray:
    length = np.sqrt(np.einsum("ij,ij->i", vectors, vectors))
    np.divide(vectors, length[:, None], out=vectors, where=length[:, None] > 0)
    return vectors


def refresh_normals(mesh: Mesh, points: np.ndarray, normals: np.ndarray, moved: np.ndarray) -> np.ndarray:
    """Recompute ``normals`` (n, 3) in place near ``moved`` (k,) point indices; returns the points it wrote to."""
    if not len(moved):
        return moved
    touched = np.unique(mesh.corners[corners_of(mesh, faces_at(mesh, moved))])
    if not len(touched):
        return touched
    part = sub_mesh(mesh, faces_at(mesh, touched))
    fresh = point_normals(part.mesh, points[part.points])
    normals[touched] = fresh[np.searchsorted(part.points, touched)]
    return touched


@dataclass(frozen=True, eq=False)
class SubMesh:
    """Some faces as a mesh of their own; ``points`` (k,) are the numbers of its points in the whole."""

    mesh: Mesh
    points: np.ndarray


def sub_mesh(mesh: Mesh, faces: np.ndarray) -> SubMesh:
    corners = mesh.corners[corners_of(mesh, faces)]
    points, local = np.unique(corners, return_inverse=True)
    offsets = np.concatenate([[0], np.cumsum(mesh.face_sizes[faces])])
    return SubMesh(Mesh(len(points), local, offsets), points)
