"""Picks: points, edges or faces of a geometry, and what can be done with them. Only topology decides, never the view."""

from __future__ import annotations

from typing import Any

import numpy as np

from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.picked import Pick, element_count
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
from fictilis.core.ground.arrays import any_in_rows, distinct
from fictilis.core.mix.masks import masked
from fictilis.core.scene.scene import MorphObject


def points_of(geometry: Geometry, pick: Pick) -> np.ndarray:
    """(k,) int64: sorted points that a pick touches."""
    if pick.kind == "points":
        return pick.elements
    if pick.kind == "edges":
        return _each_once(edges(geometry)[pick.elements], geometry.point_count)
    return _each_once(geometry.corners[corners_of(geometry, pick.elements)], geometry.point_count)


def _each_once(numbers: np.ndarray, count: int) -> np.ndarray:
    """(k,) int64: numbers below ``count``, sorted, each once; quicker than to sort them."""
    on = np.zeros(count, bool)
    on[numbers] = True
    return np.flatnonzero(on)


def faces_of(geometry: Geometry, pick: Pick) -> np.ndarray:
    """(k,) int64: the picked faces; of picked points or edges, the faces all of whose points are picked."""
    if pick.kind == "faces":
        return pick.elements
    on = np.zeros(geometry.point_count, bool)
    on[points_of(geometry, pick)] = True
    missing = np.bincount(face_of_corner(geometry)[~on[geometry.corners]], minlength=geometry.face_count)
    return np.flatnonzero(missing == 0)


def edges_of(geometry: Geometry, pick: Pick) -> np.ndarray:
    """(k,) int64: the picked edges; of faces their edges, of points the edges between two picked ones."""
    if pick.kind == "edges":
        return pick.elements
    if pick.kind == "faces":
        place = edge_of_corner(geometry)[corners_of(geometry, pick.elements)]
        return _each_once(place[place >= 0], len(edges(geometry)))
    on = np.zeros(geometry.point_count, bool)
    on[pick.elements] = True
    return np.flatnonzero(on[edges(geometry)].all(axis=1))


def as_kind(geometry: Geometry, pick: Pick, kind: str) -> Pick:
    """The pick in terms of points, edges or faces."""
    if kind == pick.kind:
        return pick
    return Pick(kind, {"points": points_of, "edges": edges_of, "faces": faces_of}[kind](geometry, pick))


def _from_points(geometry: Geometry, kind: str, on: np.ndarray) -> Pick:
    return as_kind(geometry, Pick("points", np.flatnonzero(on)), kind)


def grow(geometry: Geometry, pick: Pick) -> Pick:
    """With everything that touches the pick."""
    points = points_of(geometry, pick)
    if pick.kind == "faces":
        return Pick("faces", faces_at(geometry, points))
    if pick.kind == "edges":
        on = np.zeros(geometry.point_count, bool)
        on[points] = True
        return Pick("edges", np.flatnonzero(any_in_rows(on[edges(geometry)])))
    return Pick("points", _each_once(np.concatenate([points, neighbours(geometry).of(points)]), geometry.point_count))


def element_beside(geometry: Geometry, pick: Pick, pixels: np.ndarray, middle: np.ndarray, way: np.ndarray) -> int | None:
    """The element that lies beside a pick in a picture: the one in the straightest direction among those it touches.

    ``pixels`` (n, 2) says where the points are seen, ``way`` (2,) is a direction in pixels; of a pick of several the
    furthest in that direction counts. Where nothing is picked, the element nearest to ``middle`` (2,). None where nothing
    lies within 60 degrees of the direction.
    """
    if not len(pick):
        everything = inverse(geometry, pick).elements
        if not len(everything):
            return None
        gaps = np.linalg.norm(_middles(geometry, pick.kind, everything, pixels) - middle, axis=1)
        return int(everything[np.argmin(gaps)])
    here = pick.elements[np.argmax(_middles(geometry, pick.kind, pick.elements, pixels) @ way)]
    around = np.setdiff1d(grow(geometry, Pick(pick.kind, np.array([here]))).elements, [here])
    if not len(around):
        return None
    steps = _middles(geometry, pick.kind, around, pixels) - _middles(geometry, pick.kind, np.array([here]), pixels)
    long = np.linalg.norm(steps, axis=1)
    straight = (steps @ way) / np.maximum(long * np.linalg.norm(way), 1e-9)
    best = int(np.argmax(straight))
    return int(around[best]) if straight[best] >= 0.5 else None


def _middles(geometry: Geometry, kind: str, elements: np.ndarray, places: np.ndarray) -> np.ndarray:
    """(k, 2): where the middles of some elements are, of places (n, 2) of the points."""
    if kind == "points":
        return places[elements]
    if kind == "edges":
        return places[edges(geometry)[elements]].mean(axis=1)
    corners = corners_of(geometry, elements)
    owner = np.searchsorted(elements, face_of_corner(geometry)[corners])
    counts = np.bincount(owner, minlength=len(elements))
    sums = [np.bincount(owner, weights=places[geometry.corners[corners], axis], minlength=len(elements)) for axis in (0, 1)]
    return np.stack(sums, axis=1) / np.maximum(counts, 1)[:, None]


def shrink(geometry: Geometry, pick: Pick) -> Pick:
    """Without what touches something that is not picked."""
    rest = inverse(geometry, pick)
    return (
        Pick(pick.kind, np.setdiff1d(pick.elements, grow(geometry, rest).elements, assume_unique=True)) if len(rest) else pick
    )


def inverse(geometry: Geometry, pick: Pick) -> Pick:
    on = np.ones(element_count(geometry, pick.kind), bool)
    on[pick.elements] = False
    return Pick(pick.kind, np.flatnonzero(on))


def connected(geometry: Geometry, pick: Pick) -> Pick:
    """Everything joined to the pick by edges."""
    parts = components(geometry)
    return _from_points(geometry, pick.kind, np.isin(parts, distinct(parts[points_of(geometry, pick)])))


def moved_by(obj: MorphObject, target_id: str, kind: str = "points") -> Pick:
    """The points that a target or one of its in-betweens moves."""
    target = obj.target(target_id)
    on = np.zeros(len(obj.base), bool)
    for deltas in (target.deltas, *(stage.deltas for stage in target.in_betweens)):
        on[masked(deltas, target.mask).indices] = True
    return _from_points(obj.geometry, kind, on)


def side(obj: MorphObject, axis: int, way: float, kind: str = "points") -> Pick:
    """The points of the base on one side of the plane through the origin across an axis: ``way`` -1 or 1."""
    return _from_points(obj.geometry, kind, obj.base[:, axis] * way > -1e-9)


def edge_loop(geometry: Geometry, edge: int) -> np.ndarray:
    """(k,) int64: the edges that go on straight from ``edge`` at points with four edges; at a border, along it.

    Source: own derivation; straight on means the edge that shares no face with the one before.
    """
    all_edges = edges(geometry)
    sides = edge_faces(geometry)
    border = sides[edge] == 1
    around = _edges_at(geometry)
    shared = _faces_of_edges(geometry)
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


def edge_ring(geometry: Geometry, edge: int) -> np.ndarray:
    """(k,) int64: the edges across from one another in a row of faces with four corners, ``edge`` among them."""
    shared = _faces_of_edges(geometry)
    place = edge_of_corner(geometry)
    found = {edge}
    for first in shared(edge):
        here, face = edge, first
        while geometry.offsets[face + 1] - geometry.offsets[face] == 4:
            row = place[geometry.offsets[face] : geometry.offsets[face + 1]].tolist()
            here = row[(row.index(here) + 2) % 4]
            if here in found or here < 0:
                break
            found.add(here)
            beyond = shared(here) - {face}
            if len(beyond) != 1:
                break
            face = beyond.pop()
    return np.array(sorted(found), np.int64)


def _edges_at(geometry: Geometry) -> Any:
    pairs = edges(geometry)
    order = np.argsort(pairs.ravel(), kind="stable")
    starts = np.searchsorted(pairs.ravel()[order], np.arange(geometry.point_count + 1))

    def at(point: int) -> list[int]:
        return (order[starts[point] : starts[point + 1]] // 2).tolist()

    return at


def _faces_of_edges(geometry: Geometry) -> Any:
    place = edge_of_corner(geometry)
    order = np.argsort(place, kind="stable")
    starts = np.searchsorted(place[order], np.arange(len(edges(geometry)) + 1))
    faces = face_of_corner(geometry)

    def of(edge: int) -> set[int]:
        return set(faces[order[starts[edge] : starts[edge + 1]]].tolist())

    return of


def chains(geometry: Geometry, points: np.ndarray) -> list[np.ndarray]:
    """Rows of points joined by edges among ``points`` (k,): each in order, a closed one with its first point again.

    Points with more than two picked neighbours belong to no row.
    """
    on = np.zeros(geometry.point_count, bool)
    on[points] = True
    beside = {int(p): [int(q) for q in neighbours(geometry).of(np.array([p])) if on[q]] for p in points}
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
