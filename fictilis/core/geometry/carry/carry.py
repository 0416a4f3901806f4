"""A topology operation as a sparse matrix, so that every shape, mask and pick is carried through.

Each operation returns a Carry: new points are ``matrix @ old * flips + offsets`` for the base and
``matrix @ deltas * flips`` for every set of deltas. Source: own derivation, but for the rules of Catmull and Clark.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from msgspec import Struct, field

from fictilis.core.geometry.kinds import Geometry, Mesh
from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.topology import edges
from fictilis.core.ground.arrays import distinct
from fictilis.core.ground.errors import EditRefused

Shares = Sequence[tuple[int, float]]


class Carry(Struct, frozen=True, eq=False, weakref=True):
    """matrix : sparse (n', n), rows sum to 1; offsets, flips : (n', 3) or None; face_parents : (m',) old face or -1;
    pick : what stands for the faces or points that the operation was about."""

    geometry: Geometry
    matrix: Any
    face_parents: np.ndarray
    offsets: np.ndarray | None = None
    flips: np.ndarray | None = None
    pick: Pick = field(default_factory=Pick)

    def base(self, points: np.ndarray) -> np.ndarray:
        """(n', 3): where the base's points (n, 3) go."""
        out = self.deltas(points)
        return out if self.offsets is None else out + self.offsets

    def deltas(self, dense: np.ndarray) -> np.ndarray:
        """(n', 3): dense deltas (n, 3) carried through."""
        out = self.matrix @ dense
        return out if self.flips is None else out * self.flips

    def scalars(self, values: np.ndarray) -> np.ndarray:
        """(n', …): a mask or another number a point."""
        return self.matrix @ values

    def point(self, old: int) -> int | None:
        """The new point that has most of an old one; None where nothing is left of that."""
        shares = self.matrix[:, [old]].toarray()[:, 0]
        return int(shares.argmax()) if shares.max(initial=0.0) > 0 else None

    def picked(self, pick: Pick, old: Geometry) -> Pick:
        """A pick of the old geometry in the new one: faces by their parents, points where all they come from was picked."""
        if pick.kind == "faces":
            on = np.zeros(old.face_count + 1, bool)
            on[pick.elements] = True
            return Pick("faces", np.flatnonzero(on[self.face_parents]))
        on = np.zeros(old.point_count)
        on[pick.elements if pick.kind == "points" else distinct(edges(old)[pick.elements])] = 1.0
        points = np.flatnonzero(self.matrix @ on > 1 - 1e-9)
        if pick.kind == "points":
            return Pick("points", points)
        there = np.zeros(self.geometry.point_count, bool)
        there[points] = True
        return Pick("edges", np.flatnonzero(there[edges(self.geometry)].all(axis=1)))


class Builder:
    """Gathers new points and faces: a point by its shares of old ones, a corner by its shares of old corners."""

    def __init__(self, mesh: Mesh) -> None:
        self.old = mesh
        self.points: list[Shares] = []
        self.corners: list[int] = []
        self.corner_shares: list[Shares] = []
        self.sizes: list[int] = []
        self.parents: list[int] = []

    def keep_points(self) -> None:
        self.points = [((i, 1.0),) for i in range(self.old.point_count)]

    def point(self, shares: Shares) -> int:
        self.points.append(shares)
        return len(self.points) - 1

    def face(self, corners: Sequence[tuple[int, Shares]], parent: int) -> int:
        """A face of corners (new point, shares of old corners); returns its number."""
        self.corners += [c[0] for c in corners]
        self.corner_shares += [c[1] for c in corners]
        self.sizes.append(len(corners))
        self.parents.append(parent)
        return len(self.sizes) - 1

    def keep_face(self, face: int, to: Sequence[int] | Mapping[int, int] | None = None) -> int:
        """An old face as it was, its points renumbered by ``to``."""
        first, last = int(self.old.offsets[face]), int(self.old.offsets[face + 1])
        points = self.old.corners[first:last].tolist()
        if to is not None:
            points = [to[p] for p in points]
        return self.face([(p, ((c, 1.0),)) for p, c in zip(points, range(first, last), strict=True)], face)

    def done(self, **more: Any) -> Carry:
        corners = np.array(self.corners, np.int32)
        offsets = np.concatenate([[0], np.cumsum(self.sizes)]).astype(np.int32)
        matrix = matrix_of(self.points, self.old.point_count)
        mesh = with_uvs(self.old, len(self.points), corners, offsets, matrix_of(self.corner_shares, len(self.old.corners)))
        return Carry(mesh, matrix, np.array(self.parents, np.int64), **more)


def matrix_of(rows: Sequence[Shares], width: int) -> Any:
    from scipy.sparse import csr_array

    counts = np.fromiter((len(r) for r in rows), np.int64, len(rows))
    columns = np.fromiter((s[0] for r in rows for s in r), np.int64, int(counts.sum()))
    values = np.fromiter((s[1] for r in rows for s in r), np.float64, int(counts.sum()))
    return csr_array((values, columns, np.concatenate([[0], np.cumsum(counts)])), shape=(len(rows), width))


def with_uvs(old: Mesh, count: int, corners: np.ndarray, offsets: np.ndarray, shares: Any) -> Mesh:
    """A mesh whose UVs are the shares (c', c) of the old corners' UVs; a corner made from one without UV has none."""
    if old.uvs is None or old.uv_corners is None:
        return Mesh(count, corners, offsets)
    has = old.uv_corners >= 0
    values = np.where(has[:, None], old.uvs[np.clip(old.uv_corners, 0, None)], 0.0)
    new = shares @ values
    lacking = (abs(shares) @ (~has).astype(np.float64)) > 0
    new = np.round(new, 12)
    order = np.lexsort((new[:, 1], new[:, 0]))  # np.unique sorts rows thirty times as slowly
    first = np.append(True, (np.diff(new[order], axis=0) != 0).any(axis=1))[: len(order)]
    place = np.empty(len(order), np.int64)
    place[order] = np.cumsum(first) - 1
    return Mesh(count, corners, offsets, new[order[first]], np.where(lacking, -1, place).astype(np.int32))


def need_faces(faces: np.ndarray, what: str) -> None:
    if not len(faces):
        raise EditRefused(
            f"{what} needs picked faces, and none is picked whole; pick all points of a face, or faces.", "Pick faces first."
        )
