"""Picks: points, edges or faces of a mesh, and what can be done with them. Only topology decides, never the view."""

from __future__ import annotations

from typing import Any

import numpy as np

from fictilis.core.geometry.topology import (
    components,
    corners_of,
    edge_faces,
    edge_of_corner,
    edges,
    face_of_corner,
    faces_at,
    neighbours,
)
from fictilis.core.mix.masks import masked
from fictilis.core.scene import Mesh, MorphObject, Pick


def points_of(mesh: Mesh, pick: Pick) -> np.ndarray:
    """(k,) int64: sorted points that a pick touches."""
    if pick.kind == "points":
        return pick.elements
    if pick.kind == "edges":
        return np.unique(edges(mesh)[pick.elements]).astype(np.int64)
    return np.unique(mesh.corners[corners_of(mesh, pick.elements)]).astype(np.int64)


def faces_of(mesh: Mesh, pick: Pick) -> np.ndarray:
    """(k,) int64: the picked faces; of picked points or edges, the faces all of whose points are picked."""
    if pick.kind == "faces":
        return pick.elements
    on = np.zeros(mesh.point_count, bool)
    on[points_of(mesh, pick)] = True
    missing = np.bincount(face_of_corner(mesh)[~on[mesh.corners]], minlength=mesh.face_count)
    return np.flatnonzero(missing == 0)


def edges_of(mesh: Mesh, pick: Pick) -> np.ndarray:
    """(k,) int64: the picked edges; of faces their edges, of points the edges between two picked ones."""
    if pick.kind == "edges":
        return pick.elements
    if pick.kind == "faces":
        place = edge_of_corner(mesh)[corners_of(mesh, pick.elements)]
        return np.unique(place[place >= 0])
    on = np.zeros(mesh.point_count, bool)
    on[pick.elements] = True
    return np.flatnonzero(on[edges(mesh)].all(axis=1))


def as_kind(mesh: Mesh, pick: Pick, kind: str) -> Pick:
    """The pick in terms of points, edges or faces."""
    if kind == pick.kind:
        return pick
    return Pick(kind, {"points": points_of, "edges": edges_of, "faces": faces_of}[kind](mesh, pick))


def element_count(mesh: Mesh, kind: str) -> int:
    return {"points": mesh.point_count, "edges": len(edges(mesh)), "faces": mesh.face_count}[kind]


def _from_points(mesh: Mesh, kind: str, on: np.ndarray) -> Pick:
    return as_kind(mesh, Pick("points", np.flatnonzero(on)), kind)


def grow(mesh: Mesh, pick: Pick) -> Pick:
    """With everything that touches the pick."""
    points = points_of(mesh, pick)
    if pick.kind == "faces":
        return Pick("faces", faces_at(mesh, points))
    if pick.kind == "edges":
        on = np.zeros(mesh.point_count, bool)
        on[points] = True
        return Pick("edges", np.flatnonzero(on[edges(mesh)].any(axis=1)))
    return Pick("points", np.union1d(points, neighbours(mesh).of(points)))


def shrink(mesh: Mesh, pick: Pick) -> Pick:
    """Without what touches something that is not picked."""
    rest = inverse(mesh, pick)
    return Pick(pick.kind, np.setdiff1d(pick.elements, grow(mesh, rest).elements)) if len(rest) else pick


def inverse(mesh: Mesh, pick: Pick) -> Pick:
    every = np.arange(element_count(mesh, pick.kind))
    return Pick(pick.kind, np.setdiff1d(every, pick.elements))


def connected(mesh: Mesh, pick: Pick) -> Pick:
    """Everything joined to the pick by edges."""
    parts = components(mesh)
    return _from_points(mesh, pick.kind, np.isin(parts, np.unique(parts[points_of(mesh, pick)])))


def moved_by(obj: MorphObject, target_id: str, kind: str = "points") -> Pick:
    """The points that a target or one of its in-betweens moves."""
    target = obj.target(target_id)
    on = np.zeros(len(obj.base), bool)
    for deltas in (target.deltas, *(stage.deltas for stage in target.in_betweens)):
        on[masked(deltas, target.mask).indices] = True
    return _from_points(obj.mesh, kind, on)


def side(obj: MorphObject, axis: int, way: float, kind: str = "points") -> Pick:
    """The points of the base on one side of the plane through the origin across an axis: ``way`` -1 or 1."""
    return _from_points(obj.mesh, kind, obj.base[:, axis] * way > -1e-9)


def edge_loop(mesh: Mesh, edge: int) -> np.ndarray:
    """(k,) int64: the edges that go on straight from ``edge`` at points with four edges; at a border, along it.

    Source: own derivation; straight on means the edge that shares no face with the one before.
    """
    all_edges = edges(mesh)
    sides = edge_faces(mesh)
    border = sides[edge] == 1
    around = _edges_at(mesh)
    shared = _faces_of_edges(mesh)
    found = {edge}
    for start in all_edges[edge].tolist():
        here, point = edge, start
        while True:
            nearby = [e for e in around(point) if e != here]
            if border:
                onward = [e for e in nearby if sides[e] == 1]
            elif len(nearby) == 3:
                onward = [e for e in nearby if not shared(e) & shared(here)]
            else:
                onward = []
            if len(onward) != 1 or onward[0] in found:
                break
            here = onward[0]
            found.add(here)
            a, b = all_edges[here].tolist()
            point = b if a == point else a
    return np.array(sorted(found), np.int64)


def edge_ring(mesh: Mesh, edge: int) -> np.ndarray:
    """(k,) int64: the edges across from one another in a row of faces with four corners, ``edge`` among them."""
    shared = _faces_of_edges(mesh)
    place = edge_of_corner(mesh)
    found = {edge}
    for first in shared(edge):
        here, face = edge, first
        while mesh.offsets[face + 1] - mesh.offsets[face] == 4:
            row = place[mesh.offsets[face] : mesh.offsets[face + 1]].tolist()
            here = row[(row.index(here) + 2) % 4]
            if here in found or here < 0:
                break
            found.add(here)
            beyond = shared(here) - {face}
            if len(beyond) != 1:
                break
            face = beyond.pop()
    return np.array(sorted(found), np.int64)


def _edges_at(mesh: Mesh) -> Any:
    pairs = edges(mesh)
    order = np.argsort(pairs.ravel(), kind="stable")
    starts = np.searchsorted(pairs.ravel()[order], np.arange(mesh.point_count + 1))

    def at(point: int) -> list[int]:
        return (order[starts[point] : starts[point + 1]] // 2).tolist()

    return at


def _faces_of_edges(mesh: Mesh) -> Any:
    place = edge_of_corner(mesh)
    order = np.argsort(place, kind="stable")
    starts = np.searchsorted(place[order], np.arange(len(edges(mesh)) + 1))
    faces = face_of_corner(mesh)

    def of(edge: int) -> set[int]:
        return set(faces[order[starts[edge] : starts[edge + 1]]].tolist())

    return of


def chains(mesh: Mesh, points: np.ndarray) -> list[np.ndarray]:
    """Rows of points joined by edges among ``points`` (k,): each in order, a closed one with its first point again.

    Points with more than two picked neighbours belong to no row.
    """
    on = np.zeros(mesh.point_count, bool)
    on[points] = True
    beside = {int(p): [int(q) for q in neighbours(mesh).of(np.array([p])) if on[q]] for p in points}
    if any(len(b) > 2 for b in beside.values()):
        return []
    left, out = set(beside), []
    while left:
        ends = [p for p in left if len(beside[p]) < 2]
        row = [min(ends) if ends else min(left)]
        left.discard(row[0])
        while True:
            onward = [q for q in beside[row[-1]] if q in left]
            if not onward:
                break
            row.append(onward[0])
            left.discard(onward[0])
        if len(row) > 2 and not ends and row[0] in beside[row[-1]]:
            row.append(row[0])
        out.append(np.array(row))
    return out
