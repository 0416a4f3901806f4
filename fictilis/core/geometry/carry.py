"""Topology operations as sparse matrices, so that every shape, mask and pick is carried through.

Each operation returns a Carry: new points are ``matrix @ old * flips + offsets`` for the base and
``matrix @ deltas * flips`` for every set of deltas. Source: own derivation, but for the rules of Catmull and Clark.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

import numpy as np

from fictilis.core.errors import EditRefused
from fictilis.core.geometry.topology import (
    corners_of,
    edge_faces,
    edge_of_corner,
    edges,
    face_of_corner,
    next_corner,
    point_faces,
)
from fictilis.core.scene import Mesh, Pick

Shares = Sequence[tuple[int, float]]


@dataclass(frozen=True, eq=False)
class Carry:
    """matrix : sparse (n', n), rows sum to 1; offsets, flips : (n', 3) or None; face_parents : (m',) old face or -1;
    pick : what stands for the faces or points that the operation was about."""

    mesh: Mesh
    matrix: object
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

    def picked(self, pick: Pick, old: Mesh) -> Pick:
        """A pick of the old mesh in the new one: faces by their parents, points where all they come from was picked."""
        if pick.kind == "faces":
            on = np.zeros(old.face_count + 1, bool)
            on[pick.elements] = True
            return Pick("faces", np.flatnonzero(on[self.face_parents]))
        on = np.zeros(old.point_count)
        on[pick.elements if pick.kind == "points" else np.unique(edges(old)[pick.elements])] = 1.0
        points = np.flatnonzero(self.matrix @ on > 1 - 1e-9)
        if pick.kind == "points":
            return Pick("points", points)
        there = np.zeros(self.mesh.point_count, bool)
        there[points] = True
        return Pick("edges", np.flatnonzero(there[edges(self.mesh)].all(axis=1)))


class _Builder:
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

    def keep_face(self, face: int, to: Sequence[int] | None = None) -> int:
        """An old face as it was, its points renumbered by ``to``."""
        first, last = int(self.old.offsets[face]), int(self.old.offsets[face + 1])
        points = self.old.corners[first:last].tolist()
        if to is not None:
            points = [to[p] for p in points]
        return self.face([(p, ((c, 1.0),)) for p, c in zip(points, range(first, last), strict=True)], face)

    def done(self, **more: object) -> Carry:
        corners = np.array(self.corners, np.int32)
        offsets = np.concatenate([[0], np.cumsum(self.sizes)]).astype(np.int32)
        matrix = _matrix(self.points, self.old.point_count)
        mesh = with_uvs(self.old, len(self.points), corners, offsets, _matrix(self.corner_shares, len(self.old.corners)))
        return Carry(mesh, matrix, np.array(self.parents, np.int64), **more)


def _matrix(rows: Sequence[Shares], width: int):
    from scipy.sparse import csr_array

    counts = np.fromiter((len(r) for r in rows), np.int64, len(rows))
    columns = np.fromiter((s[0] for r in rows for s in r), np.int64, int(counts.sum()))
    values = np.fromiter((s[1] for r in rows for s in r), np.float64, int(counts.sum()))
    return csr_array((values, columns, np.concatenate([[0], np.cumsum(counts)])), shape=(len(rows), width))


def with_uvs(old: Mesh, count: int, corners: np.ndarray, offsets: np.ndarray, shares) -> Mesh:
    """A mesh whose UVs are the shares (c', c) of the old corners' UVs; a corner made from one without UV has none."""
    if old.uvs is None:
        return Mesh(count, corners, offsets)
    has = old.uv_corners >= 0
    values = np.where(has[:, None], old.uvs[np.clip(old.uv_corners, 0, None)], 0.0)
    new = shares @ values
    lacking = (abs(shares) @ (~has).astype(np.float64)) > 0
    uvs, place = np.unique(np.round(new, 12), axis=0, return_inverse=True)
    return Mesh(count, corners, offsets, uvs, np.where(lacking, -1, place.reshape(-1)).astype(np.int32))


def _no_faces(faces: np.ndarray, what: str) -> None:
    if not len(faces):
        raise EditRefused(f"{what} needs picked faces, and none is picked whole.", "Pick faces first.")


# subdivision


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


def _smooth_rules(mesh: Mesh, point, middle, centre):
    """Rows of the smoothed points and edge points."""
    from scipy.sparse import csr_array, diags_array

    n, pairs, sides = mesh.point_count, edges(mesh), edge_faces(mesh)
    e, place, face = len(pairs), edge_of_corner(mesh), face_of_corner(mesh)
    inner = sides == 2
    beside = csr_array((np.full(len(place), 0.25), (place, face)), shape=(e, mesh.face_count)) @ centre
    keep = diags_array(np.where(inner, 0.5, 1.0)) @ middle
    edge = keep + diags_array(inner.astype(np.float64)) @ beside
    ends = csr_array((np.ones(2 * e), (pairs.ravel(), np.repeat(np.arange(e), 2))), shape=(n, e))
    valence = np.asarray(ends.sum(axis=1)).ravel()
    border_edges = diags_array((~inner).astype(np.float64))
    on_border = np.asarray((ends @ border_edges).sum(axis=1)).ravel()
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
    _no_faces(faces, "Subdividing")
    build, chosen = _Builder(mesh), set(faces.tolist())
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


# pushing out and in


def extrude(mesh: Mesh, points: np.ndarray, faces: np.ndarray, offset: float, region: bool = True) -> Carry:
    """Push ``faces`` (k,) out by ``offset`` cm (also 0), as one region or each on its own, with walls around."""
    _no_faces(faces, "Extrude")
    normals = _face_normals(mesh, points)
    build, lifted = (_region if region else _singles)(mesh, faces, None)
    offsets = np.zeros((len(build.points), 3))
    for new, around in lifted.items():
        normal = normals[list(around)].sum(axis=0)
        length = float(np.linalg.norm(normal))
        offsets[new] = offset * normal / length if length else 0.0
    return _placed(build, mesh, faces, region, offsets)


def inset(mesh: Mesh, faces: np.ndarray, part: float, region: bool = True) -> Carry:
    """A rim of new faces inside ``faces`` (k,): their border moves by ``part`` (0…1) toward the faces' middles."""
    _no_faces(faces, "Inset")
    if not 0 <= part < 1:
        raise EditRefused(f"An inset goes a part of the way from 0 to below 1, not {part:g}.")
    build, _ = (_region if region else _singles)(mesh, faces, part)
    return _placed(build, mesh, faces, region, None)


def _placed(build: _Builder, mesh: Mesh, faces: np.ndarray, region: bool, offsets: np.ndarray | None) -> Carry:
    rest = mesh.face_count - len(faces)
    return build.done(offsets=offsets, pick=Pick("faces", np.arange(rest, rest + len(faces))))


def _face_normals(mesh: Mesh, points: np.ndarray) -> np.ndarray:
    here, following = points[mesh.corners], points[mesh.corners[next_corner(mesh)]]
    cross = np.cross(here - points[0] if len(points) else here, following - points[0])
    area = np.add.reduceat(cross, mesh.offsets[:-1], axis=0)
    length = np.linalg.norm(area, axis=1, keepdims=True)
    return area / np.where(length > 0, length, 1.0)


def _toward_middles(mesh: Mesh, point: int, around: Iterable[int], part: float | None) -> Shares:
    """Shares of a point moved by ``part`` toward the mean of the middles of the faces ``around``."""
    if not part:
        return ((point, 1.0),)
    around = list(around)
    shares = {point: 1.0 - part}
    for f in around:
        row = mesh.face(f).tolist()
        for p in row:
            shares[p] = shares.get(p, 0.0) + part / len(around) / len(row)
    return tuple(shares.items())


def _region(mesh: Mesh, faces: np.ndarray, part: float | None) -> tuple[_Builder, dict[int, set[int]]]:
    """The faces lifted off together: new points along their border, walls on it; the faces come after all others.

    Returns the builder and, for each point of the lifted faces, the faces of the region around it.
    """
    build, chosen = _Builder(mesh), set(faces.tolist())
    build.keep_points()
    place, corner_faces, following = edge_of_corner(mesh), face_of_corner(mesh), next_corner(mesh)
    inside = np.bincount(place[corners_of(mesh, faces)], minlength=len(edges(mesh)))
    walls = [int(c) for c in corners_of(mesh, faces) if inside[place[c]] != 2]
    around: dict[int, set[int]] = {}
    for c in corners_of(mesh, faces):
        around.setdefault(int(mesh.corners[c]), set()).add(int(corner_faces[c]))
    rim = sorted({int(mesh.corners[c]) for c in walls} | {int(mesh.corners[following[c]]) for c in walls})
    to = list(range(mesh.point_count))
    for p in rim:
        to[p] = build.point(_toward_middles(mesh, p, around[p], part))
    for f in range(mesh.face_count):
        if f not in chosen:
            build.keep_face(f)
    for f in faces.tolist():
        build.keep_face(f, to)
    for c in walls:
        _wall(build, mesh, c, int(following[c]), to)
    return build, {to[p]: fs for p, fs in around.items()}


def _wall(build: _Builder, mesh: Mesh, c: int, d: int, to) -> None:
    a, b = int(mesh.corners[c]), int(mesh.corners[d])
    low, high = ((c, 1.0),), ((d, 1.0),)
    build.face([(a, low), (b, high), (to[b], high), (to[a], low)], -1)


def _singles(mesh: Mesh, faces: np.ndarray, part: float | None) -> tuple[_Builder, dict[int, set[int]]]:
    """Each face lifted off on its own."""
    build, chosen = _Builder(mesh), set(faces.tolist())
    build.keep_points()
    lifted: dict[int, set[int]] = {}
    maps = []
    for f in faces.tolist():
        to = {p: build.point(_toward_middles(mesh, p, (f,), part)) for p in mesh.face(f).tolist()}
        lifted.update({new: {f} for new in to.values()})
        maps.append(to)
    for f in range(mesh.face_count):
        if f not in chosen:
            build.keep_face(f)
    for f, to in zip(faces.tolist(), maps, strict=True):
        build.keep_face(f, to)
    following = next_corner(mesh)
    for f, to in zip(faces.tolist(), maps, strict=True):
        for c in range(int(mesh.offsets[f]), int(mesh.offsets[f + 1])):
            _wall(build, mesh, c, int(following[c]), to)
    return build, lifted


# cuts


def loop_cut(mesh: Mesh, edge: int, at: float = 0.5, cuts: int = 1) -> Carry:
    """Cut across the row of quads through ``edge``: ``cuts`` evenly, or one ``at`` a part of the way along the edge.

    Where the row ends at a face without four corners that face gets further corners.
    """
    if not 1 <= cuts <= 100:
        raise EditRefused(f"A loop can be cut 1 to 100 times at once, not {cuts}.")
    if not 0 < at < 1:
        raise EditRefused(f"A cut lies between 0 and 1 along the edge, not at {at:g}.")
    parts = [at] if cuts == 1 else [(k + 1) / (cuts + 1) for k in range(cuts)]
    build = _Builder(mesh)
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
                raise EditRefused("This row of faces is twisted (it meets itself the other way round) and cannot be cut.")
    twice = [f for f in crossed if sum(int(place[c]) in ring for c in corners_of(mesh, np.array([f]))) > 2]
    if twice:
        raise EditRefused(f"This row of faces crosses itself in {len(twice)} faces and cannot be cut in one go.")
    return ring, crossed


def _between(mesh: Mesh, c: int, d: int, on_edge, place, parts) -> list[tuple[int, Shares]]:
    """New points on the edge from corner ``c`` to ``d``, in that direction."""
    if int(place[c]) not in on_edge:
        return []
    start, points = on_edge[int(place[c])]
    if start == int(mesh.corners[c]):
        return [(p, ((c, 1 - t), (d, t))) for p, t in zip(points, parts, strict=True)]
    return [(p, ((d, 1 - t), (c, t))) for p, t in reversed(list(zip(points, parts, strict=True)))]


def _cut_quad(build: _Builder, mesh: Mesh, f: int, on_edge, place, parts) -> None:
    first = int(mesh.offsets[f])
    k = next(k for k in range(4) if int(place[first + k]) in on_edge)
    c = [first + (k + i) % 4 for i in range(4)]
    near = [(int(mesh.corners[c[0]]), ((c[0], 1.0),)), *_between(mesh, c[0], c[1], on_edge, place, parts),
            (int(mesh.corners[c[1]]), ((c[1], 1.0),))]  # fmt: skip
    far = [(int(mesh.corners[c[2]]), ((c[2], 1.0),)), *_between(mesh, c[2], c[3], on_edge, place, parts),
           (int(mesh.corners[c[3]]), ((c[3], 1.0),))][::-1]  # fmt: skip
    for i in range(len(near) - 1):
        build.face([near[i], near[i + 1], far[i + 1], far[i]], f)


# taking away and joining


def delete_faces(mesh: Mesh, faces: np.ndarray) -> Carry:
    """Without ``faces`` (k,), and without points that are then in no face."""
    _no_faces(faces, "Deleting faces")
    keep = np.ones(mesh.face_count, bool)
    keep[faces] = False
    used = np.zeros(mesh.point_count, bool)
    used[mesh.corners[corners_of(mesh, np.flatnonzero(keep))]] = True
    used |= np.diff(point_faces(mesh).starts) == 0
    return _selected(mesh, keep, used)


def delete_points(mesh: Mesh, points: np.ndarray) -> Carry:
    """Without ``points`` (k,) and the faces that use them."""
    if not len(points):
        raise EditRefused("Deleting points needs a pick, and nothing is picked.")
    used = np.ones(mesh.point_count, bool)
    used[points] = False
    lost = np.bincount(face_of_corner(mesh)[~used[mesh.corners]], minlength=mesh.face_count)
    return _selected(mesh, lost == 0, used)


def _selected(mesh: Mesh, keep: np.ndarray, used: np.ndarray) -> Carry:
    if not keep.any():
        raise EditRefused("That would delete every face; remove the object instead.")
    build = _Builder(mesh)
    to = np.full(mesh.point_count, -1)
    to[used] = np.arange(int(used.sum()))
    build.points = [((int(p), 1.0),) for p in np.flatnonzero(used)]
    for f in np.flatnonzero(keep).tolist():
        build.keep_face(f, to.tolist())
    return build.done()


def weld(mesh: Mesh, labels: np.ndarray) -> Carry:
    """Points with one and the same label (n,) become one, at their mean; faces that fall together are gone."""
    _, place, counts = np.unique(labels, return_inverse=True, return_counts=True)
    place = place.reshape(-1)
    if len(counts) == mesh.point_count:
        raise EditRefused("No two points are close enough to be welded.")
    # keep the order of first appearance, so that untouched points stay in line
    first = np.full(len(counts), mesh.point_count)
    np.minimum.at(first, place, np.arange(mesh.point_count))
    rank = np.empty(len(counts), np.int64)
    rank[np.argsort(first)] = np.arange(len(counts))
    to = rank[place]
    build = _Builder(mesh)
    members: list[list[int]] = [[] for _ in counts]
    for p, new in enumerate(to.tolist()):
        members[new].append(p)
    build.points = [tuple((p, 1 / len(row)) for p in row) for row in members]
    for f in range(mesh.face_count):
        row = [(int(to[mesh.corners[c]]), ((c, 1.0),)) for c in range(int(mesh.offsets[f]), int(mesh.offsets[f + 1]))]
        row = [x for k, x in enumerate(row) if x[0] != row[k - 1][0]]
        if len({x[0] for x in row}) >= 3:
            build.face(row, f)
    if not build.sizes:
        raise EditRefused("Welding these points would leave no face.")
    joined = [new for new, row in enumerate(members) if len(row) > 1]
    return build.done(pick=Pick("points", np.array(joined)))


def labels_within(points: np.ndarray, chosen: np.ndarray, distance: float) -> np.ndarray:
    """(n,) labels for weld: those of ``chosen`` (k,) that lie within ``distance`` cm of one another share one."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    labels = np.arange(len(points))
    pairs = cKDTree(points[chosen]).query_pairs(distance, output_type="ndarray")
    graph = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(chosen),) * 2)
    parts = connected_components(graph, directed=False)[1]
    first = np.full(parts.max(initial=-1) + 1, len(points))
    np.minimum.at(first, parts, chosen)
    labels[chosen] = first[parts]
    return labels


def triangulate(mesh: Mesh, points: np.ndarray, faces: np.ndarray | None = None) -> Carry:
    """Faces (all, or ``faces`` (k,)) cut into triangles: ears first where they turn in, quads across their shorter way.

    Source: ear clipping (Meisters 1975).
    """
    build = _Builder(mesh)
    build.keep_points()
    chosen = set(range(mesh.face_count) if faces is None or not len(faces) else faces.tolist())
    normals = _face_normals(mesh, points)
    for f in range(mesh.face_count):
        size = int(mesh.face_sizes[f])
        if f not in chosen or size <= 3:
            build.keep_face(f)
            continue
        first = int(mesh.offsets[f])
        for tri in ears(points[mesh.face(f)], normals[f]):
            build.face([(int(mesh.corners[first + k]), ((first + k, 1.0),)) for k in tri], f)
    return build.done()


def ears(points: np.ndarray, normal: np.ndarray) -> list[tuple[int, int, int]]:
    """The polygon (k, 3) with unit ``normal`` as k - 2 triangles of its corner numbers."""
    side = np.cross(normal, [1.0, 0, 0] if abs(normal[0]) < 0.9 else [0, 1.0, 0])
    flat = np.stack([points @ side, points @ np.cross(normal, side)], axis=1)

    def turn(a: int, b: int, c: int) -> float:
        u, v = flat[b] - flat[a], flat[c] - flat[b]
        return float(u[0] * v[1] - u[1] * v[0])

    left, out = list(range(len(points))), []
    while len(left) > 3:
        best, best_score = None, np.inf
        for k, b in enumerate(left):
            a, c = left[k - 1], left[(k + 1) % len(left)]
            if turn(a, b, c) <= 0:
                continue
            others = [p for p in left if p not in (a, b, c)]
            if any(turn(a, b, p) >= 0 and turn(b, c, p) >= 0 and turn(c, a, p) >= 0 for p in others):
                continue
            score = float(np.linalg.norm(points[a] - points[c]))
            if score < best_score:
                best, best_score = k, score
        k = best if best is not None else 1
        out.append((left[k - 1], left[k], left[(k + 1) % len(left)]))
        del left[k]
    return [*out, (left[0], left[1], left[2])]


def mirror_weld(mesh: Mesh, points: np.ndarray, axis: int, side: int, tolerance: float) -> Carry:
    """The half at ``side`` (-1 or 1) of the middle kept, and its mirror image welded on along the middle.

    Points within ``tolerance`` cm of the middle are laid on it, in every shape. Raises EditRefused where faces cross it.
    """
    away = points[:, axis] * side
    middle = np.abs(away) <= tolerance
    kept = middle | (away > 0)
    inside = np.bincount(face_of_corner(mesh)[kept[mesh.corners]], minlength=mesh.face_count) == mesh.face_sizes
    outside = np.bincount(face_of_corner(mesh)[(~kept | middle)[mesh.corners]], minlength=mesh.face_count) == mesh.face_sizes
    crossing = ~inside & ~outside
    if crossing.any():
        raise EditRefused(
            f"{int(crossing.sum()):,} faces cross the middle on {'XYZ'[axis]}; the halves cannot be told apart there.",
            "Cut a loop along the middle first, or raise the tolerance.",
        )
    faces = np.flatnonzero(inside & ~outside)
    if not len(faces):
        raise EditRefused("No face lies on the side to be kept.")
    used = np.unique(mesh.corners[corners_of(mesh, faces)])
    build = _Builder(mesh)
    build.points = [((int(p), 1.0),) for p in used]
    to, back = {int(p): k for k, p in enumerate(used)}, {}
    for p in used.tolist():
        back[p] = to[p] if middle[p] else build.point(((p, 1.0),))
    for f in faces.tolist():
        build.keep_face(f, to)
    for f in faces.tolist():
        row = range(int(mesh.offsets[f + 1]) - 1, int(mesh.offsets[f]) - 1, -1)
        build.face([(back[int(mesh.corners[c])], ((c, 1.0),)) for c in row], f)
    flips = np.ones((len(build.points), 3))
    flips[: len(used)][middle[used], axis] = 0.0
    flips[len(used) :, axis] = -1.0
    return build.done(flips=flips)
