"""Loops cut across rows of quads."""

from __future__ import annotations

from typing import Any

import numpy as np

from fictilis.core.geometry.carry.carry import Builder, Carry, Shares
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.topology import corners_of, edge_faces, edge_of_corner, edges, face_of_corner
from fictilis.core.ground.errors import EditRefused


def loop_cut(mesh: Mesh, edge: int, at: float = 0.5, cuts: int = 1) -> Carry:
    """Cut across the row of quads through ``edge``: ``cuts`` evenly, or one ``at`` a part of the way along the edge.

    Where the row ends at a face without four corners that face gets further corners.
    """
    if not 1 <= cuts <= 100:
        raise EditRefused(f"A loop can be cut 1 to 100 times at once, not {cuts}.")
    if not 0 < at < 1:
        raise EditRefused(f"A cut lies between 0 and 1 along the edge, not at {at:g}.")
    parts = [at] if cuts == 1 else [(k + 1) / (cuts + 1) for k in range(cuts)]
    build = Builder(mesh)
    build.keep_points()
    ring, crossed = _ring(mesh, edge)
    if not crossed:
        raise EditRefused("No face with four corners lies at this edge; a loop cannot be cut there.")
    on_edge: dict[int, tuple[int, list[int]]] = {}
    for e, (a, b) in ring.items():
        on_edge[e] = (a, [build.point(((a, 1 - t), (b, t))) for t in parts])
    place = edge_of_corner(mesh)
    for f in range(mesh.face_count):
        first, last = int(mesh.offsets[f]), int(mesh.offsets[f + 1])
        if f in crossed:
            _cut_quad(build, mesh, f, on_edge, place, parts)
        elif any(int(place[c]) in on_edge for c in range(first, last)):
            row: list[tuple[int, Shares]] = []
            for c in range(first, last):
                row.append((int(mesh.corners[c]), ((c, 1.0),)))
                row += _between(mesh, c, first + (c - first + 1) % (last - first), on_edge, place, parts)
            build.face(row, f)
        else:
            build.keep_face(f)
    new = [p for _, points in on_edge.values() for p in points]
    return build.done(pick=Pick("points", np.array(new)))


def _ring(mesh: Mesh, edge: int) -> tuple[dict[int, tuple[int, int]], set[int]]:
    """The edges crossed, each run along in the same sense, and the quads between them."""
    place, pairs = edge_of_corner(mesh), edges(mesh)
    order = np.argsort(place, kind="stable")
    starts = np.searchsorted(place[order], np.arange(len(pairs) + 1))
    faces = face_of_corner(mesh)
    a, b = pairs[edge].tolist()
    ring, crossed = {edge: (a, b)}, set()
    queue = [edge]
    while queue:
        here = queue.pop()
        if edge_faces(mesh)[here] > 2:
            continue
        a, b = ring[here]
        for c in order[starts[here] : starts[here + 1]].tolist():
            f = int(faces[c])
            if f in crossed or mesh.face_sizes[f] != 4:
                continue
            crossed.add(f)
            first = int(mesh.offsets[f])
            p = [int(mesh.corners[first + (c - first + k) % 4]) for k in range(4)]
            opposite = int(place[first + (c - first + 2) % 4])
            along = (p[3], p[2]) if (p[0], p[1]) == (a, b) else (p[2], p[3])
            if opposite not in ring:
                ring[opposite] = along
                queue.append(opposite)
            elif ring[opposite] != along:
                raise EditRefused(
                    "This row of faces is twisted (it meets itself the other way round) and cannot be cut; "
                    "begin at another edge."
                )
    twice = [f for f in crossed if sum(int(place[c]) in ring for c in corners_of(mesh, np.array([f]))) > 2]
    if twice:
        raise EditRefused(
            f"This row of faces crosses itself in {len(twice)} faces and cannot be cut in one go; begin at another edge."
        )
    return ring, crossed


def _between(mesh: Mesh, c: int, d: int, on_edge: Any, place: Any, parts: Any) -> list[tuple[int, Shares]]:
    """New points on the edge from corner ``c`` to ``d``, in that direction."""
    if int(place[c]) not in on_edge:
        return []
    start, points = on_edge[int(place[c])]
    if start == int(mesh.corners[c]):
        return [(p, ((c, 1 - t), (d, t))) for p, t in zip(points, parts, strict=True)]
    return [(p, ((d, 1 - t), (c, t))) for p, t in reversed(list(zip(points, parts, strict=True)))]


def _cut_quad(build: Builder, mesh: Mesh, f: int, on_edge: Any, place: Any, parts: Any) -> None:
    first = int(mesh.offsets[f])
    k = next(k for k in range(4) if int(place[first + k]) in on_edge)
    c = [first + (k + i) % 4 for i in range(4)]
    near = [(int(mesh.corners[c[0]]), ((c[0], 1.0),)), *_between(mesh, c[0], c[1], on_edge, place, parts),
            (int(mesh.corners[c[1]]), ((c[1], 1.0),))]  # fmt: skip
    far = [(int(mesh.corners[c[2]]), ((c[2], 1.0),)), *_between(mesh, c[2], c[3], on_edge, place, parts),
           (int(mesh.corners[c[3]]), ((c[3], 1.0),))][::-1]  # fmt: skip
    for i in range(len(near) - 1):
        build.face([near[i], near[i + 1], far[i + 1], far[i]], f)
