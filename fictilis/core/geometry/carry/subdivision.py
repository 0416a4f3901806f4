"""Finer faces. Source: Catmull and Clark (1978); the rest is our own derivation."""

from __future__ import annotations

from typing import Any

import numpy as np

from fictilis.core.geometry.carry.carry import Builder, Carry, Shares, need_faces, with_uvs
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.topology import corners_of, edge_faces, edge_of_corner, edges, face_of_corner, next_corner
from fictilis.core.ground.errors import EditRefused


def subdivide(mesh: Mesh, smooth: bool = False) -> Carry:
    """Every face into one quad a corner: linear, or by the smoothing rules.

    Source: Catmull and Clark (1978), Recursively generated B-spline surfaces; borders as cubic B-splines
    (DeRose, Kass and Truong 1998). Edges with more than two faces count as borders, their points stay.
    """
    from scipy.sparse import csr_array, vstack

    n, m, pairs = mesh.point_count, mesh.face_count, edges(mesh)
    place, face = edge_of_corner(mesh), face_of_corner(mesh)
    if (place < 0).any() or (mesh.face_sizes < 3).any():
        raise EditRefused("A face that uses a point twice in a row, or has fewer than three corners, cannot be subdivided.")
    e = len(pairs)
    size = mesh.face_sizes.astype(np.float64)
    centre = csr_array((1.0 / size[face], (face, mesh.corners)), shape=(m, n))
    middle = csr_array((np.full(2 * e, 0.5), (np.repeat(np.arange(e), 2), pairs.ravel())), shape=(e, n))
    point, edge = csr_array((np.ones(n), (np.arange(n), np.arange(n))), shape=(n, n)), middle
    if smooth:
        point, edge = _smooth_rules(mesh, point, middle, centre)
    matrix = vstack([point, edge, centre], format="csr")
    prior = np.empty(len(mesh.corners), np.int64)
    prior[next_corner(mesh)] = np.arange(len(mesh.corners))
    corners = np.stack([mesh.corners, n + place, n + e + face, n + place[prior]], axis=1)
    c = len(mesh.corners)
    every, following = np.arange(c), next_corner(mesh)
    rows = np.concatenate([4 * every, 4 * every + 1, 4 * every + 1, 4 * every + 3, 4 * every + 3])
    columns = np.concatenate([every, every, following, every, prior])
    values = np.concatenate([np.ones(c), np.full(4 * c, 0.5)])
    whole = csr_array((1.0 / size[face], (face, every)), shape=(m, c))[face].tocoo()
    rows, columns = np.concatenate([rows, 4 * whole.coords[0] + 2]), np.concatenate([columns, whole.coords[1]])
    shares = csr_array((np.concatenate([values, whole.data]), (rows, columns)), shape=(4 * c, c))
    new = with_uvs(mesh, n + e + m, corners.ravel().astype(np.int32), np.arange(0, 4 * c + 1, 4, dtype=np.int32), shares)
    return Carry(new, matrix, face.astype(np.int64))


def _smooth_rules(mesh: Mesh, point: Any, middle: Any, centre: Any) -> Any:
    """Rows of the smoothed points and edge points."""
    from scipy.sparse import csr_array, diags_array

    n, pairs, sides = mesh.point_count, edges(mesh), edge_faces(mesh)
    e, place, face = len(pairs), edge_of_corner(mesh), face_of_corner(mesh)
    inner = sides == 2
    beside = csr_array((np.full(len(place), 0.25), (place, face)), shape=(e, mesh.face_count)) @ centre
    keep = diags_array(np.where(inner, 0.5, 1.0)) @ middle
    edge = keep + diags_array(inner.astype(np.float64)) @ beside
    ends = csr_array((np.ones(2 * e), (pairs.ravel(), np.repeat(np.arange(e), 2))), shape=(n, e))
    valence: np.ndarray = np.asarray(ends.sum(axis=1)).ravel()
    border_edges = diags_array((~inner).astype(np.float64))
    on_border: np.ndarray = np.asarray((ends @ border_edges).sum(axis=1)).ravel()
    over = np.bincount(pairs[sides > 2].ravel(), minlength=n) > 0
    v = np.maximum(valence, 1.0)
    around = csr_array((np.ones(len(face)), (mesh.corners, face)), shape=(n, mesh.face_count))
    faces = np.maximum(np.asarray(around.sum(axis=1)).ravel(), 1.0)
    smooth = (
        diags_array(1 / (v * faces)) @ around @ centre
        + diags_array(2 / v**2) @ ends @ middle
        + diags_array((v - 3) / v) @ point
    )
    # the two border neighbours weigh 1/8 each: their edge middles a quarter, the point itself a half
    rim = diags_array(np.full(n, 0.5)) @ point + 0.25 * (ends @ border_edges @ middle)
    inside = (on_border == 0) & (valence > 0)
    at_rim = (on_border == 2) & ~over
    still = ~inside & ~at_rim
    rows = [diags_array(mask.astype(np.float64)) @ rule for mask, rule in ((inside, smooth), (at_rim, rim), (still, point))]
    return sum(rows[1:], rows[0]), edge


def subdivide_faces(mesh: Mesh, faces: np.ndarray) -> Carry:
    """Only ``faces`` (k,) into quads, linearly; faces next to them get a further corner on the shared edge."""
    need_faces(faces, "Subdividing")
    build, chosen = Builder(mesh), set(faces.tolist())
    build.keep_points()
    place, pairs = edge_of_corner(mesh), edges(mesh)
    on_edge: dict[int, int] = {}
    for corner in corners_of(mesh, faces):
        e = int(place[corner])
        if e not in on_edge:
            a, b = pairs[e].tolist()
            on_edge[e] = build.point(((a, 0.5), (b, 0.5)))
    picked = []
    for f in range(mesh.face_count):
        first, last = int(mesh.offsets[f]), int(mesh.offsets[f + 1])
        count = last - first
        if f not in chosen:
            row: list[tuple[int, Shares]] = []
            for c in range(first, last):
                row.append((int(mesh.corners[c]), ((c, 1.0),)))
                if int(place[c]) in on_edge:
                    row.append((on_edge[int(place[c])], ((c, 0.5), (first + (c - first + 1) % count, 0.5))))
            build.face(row, f)
            continue
        middle = build.point([(int(mesh.corners[c]), 1 / count) for c in range(first, last)])
        for c in range(first, last):
            after, before = first + (c - first + 1) % count, first + (c - first - 1) % count
            picked.append(
                build.face(
                    [
                        (int(mesh.corners[c]), ((c, 1.0),)),
                        (on_edge[int(place[c])], ((c, 0.5), (after, 0.5))),
                        (middle, [(k, 1 / count) for k in range(first, last)]),
                        (on_edge[int(place[before])], ((before, 0.5), (c, 0.5))),
                    ],
                    f,
                )
            )
    return build.done(pick=Pick("faces", np.array(picked)))
