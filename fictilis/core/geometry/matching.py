"""Whether a mesh can be a target of a base: the same count, the same faces, the same order."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.geometry.kinds import Geometry, Mesh
from fictilis.core.geometry.topology import edges, face_of_corner, next_corner
from fictilis.core.ground.arrays import lengths
from fictilis.core.ground.errors import NotATarget

SEED_FACES_TRIED = 200
WAYS_WEIGHED = 6  # ways to lay a symmetric mesh on another that are compared by distance


def require_match(base: Geometry, other: Geometry, other_name: str, base_name: str = "the base") -> None:
    """Nothing when ``other`` matches ``base``; otherwise NotATarget with both counts or the first face that differs."""
    if base.point_count != other.point_count:
        raise NotATarget(
            f"{other_name} has {other.point_count:,} points, {base_name} has {base.point_count:,}. "
            "It cannot be a target of it as it is.",
            "counts",
            "Make the copy from this base again, or add or remove points on it until the counts agree.",
        )
    if not isinstance(base, Mesh) or not isinstance(other, Mesh):
        _require_same_strands(base, other, other_name, base_name)
        return
    first = first_difference(base, other)
    if first is None:
        return
    if base.face_count == other.face_count and find_order(base, other) is not None:
        raise NotATarget(
            f"{other_name} has the same topology as {base_name}, but its points are in another order. "
            f"The first face that differs is number {first + 1:,}.",
            "order",
            "Put its points in the base's order, or export it again with its vertex order kept.",
        )
    raise NotATarget(
        f"{other_name} has {other.point_count:,} points like {base_name}, but other faces "
        f"({other.face_count:,} against {base.face_count:,}). {_difference_text(base, other, first)}",
        "faces",
        "Its mesh was cut differently; make the copy from this base again.",
    )


def _require_same_strands(base: Geometry, other: Geometry, other_name: str, base_name: str) -> None:
    if base.kind != other.kind:
        raise NotATarget(
            f"{other_name} is a {other.kind}, {base_name} is a {base.kind}.", "faces", "Make the copy from this base again."
        )
    ours, theirs = ({(a, b) for a, b in edges(g).tolist()} for g in (base, other))
    if ours != theirs:
        a, b = min(ours ^ theirs)
        have = base_name if (a, b) in ours else other_name
        raise NotATarget(
            f"{other_name} has {other.point_count:,} points like {base_name}, but other strands: "
            f"only {have} joins the points {a + 1} and {b + 1}.",
            "faces",
            "Make the copy from this base again.",
        )


def _difference_text(base: Mesh, other: Mesh, first: int) -> str:
    def text(mesh: Mesh) -> str:
        if first >= mesh.face_count:
            return "missing"
        return "points " + " ".join(str(int(i) + 1) for i in mesh.face(first)[:12])

    return f"The first face that differs is number {first + 1:,}: {text(other)} there, {text(base)} in the base."


def first_difference(base: Mesh, other: Mesh) -> int | None:
    """The number of the first face that differs, or None when the faces are the same.

    Faces are the same when they name the same points in the same direction around, from any start corner, in any
    order of faces.
    """
    if np.array_equal(base.offsets, other.offsets):
        if np.array_equal(base.corners, other.corners):
            return None
        a, b = canonical_faces(base), canonical_faces(other)
        differs = np.flatnonzero(a != b)
        if not len(differs):
            return None
        first = int(face_of_corner(base)[differs[0]])
    else:
        a, b = canonical_faces(base), canonical_faces(other)
        first = _first_unequal_face(base, a, other, b)
    if base.face_count == other.face_count and _face_counter(base, a) == _face_counter(other, b):
        return None
    return first


def _first_unequal_face(base: Mesh, a: np.ndarray, other: Mesh, b: np.ndarray) -> int:
    for face in range(min(base.face_count, other.face_count)):
        mine = a[base.offsets[face] : base.offsets[face + 1]]
        if not np.array_equal(mine, b[other.offsets[face] : other.offsets[face + 1]]):
            return face
    return min(base.face_count, other.face_count)


def _face_counter(mesh: Mesh, corners: np.ndarray) -> Counter[Any]:
    raw = corners.astype(np.int32).tobytes()
    return Counter(raw[4 * a : 4 * b] for a, b in zip(mesh.offsets[:-1], mesh.offsets[1:], strict=True))


def canonical_faces(mesh: Mesh) -> np.ndarray:
    """(c,) int32: the corner list with each face turned so that its lowest point comes first."""
    sizes = mesh.face_sizes
    full = sizes > 0
    starts = mesh.offsets[:-1][full]
    if not len(starts):
        return mesh.corners
    lowest = np.minimum.reduceat(mesh.corners, starts)
    face = np.repeat(np.arange(len(starts)), sizes[full])
    place = np.arange(len(mesh.corners)) - starts[face]
    at_lowest = np.where(mesh.corners == lowest[face], place, np.iinfo(np.int64).max)
    turn = np.minimum.reduceat(at_lowest, starts)
    return mesh.corners[starts[face] + (place + turn[face]) % sizes[full][face]]


class Order(Struct, frozen=True, eq=False, weakref=True):
    """A proved renumbering: ``points`` (n,) int64 is the other mesh's point for each point of the base.

    ``choices`` counts the ways found to lay the one on the other, up to the number that was looked at.
    """

    points: np.ndarray
    faces: int
    choices: int

    def apply(self, other_points: np.ndarray) -> np.ndarray:
        """The other mesh's points (n, 3) in the base's order."""
        return np.asarray(other_points)[self.points]


def find_order(
    a: Mesh, b: Mesh, a_points: np.ndarray | None = None, b_points: np.ndarray | None = None,
    seeds: Sequence[tuple[int, int]] = (),
) -> Order | None:  # fmt: skip
    """A renumbering of the points of ``b`` that turns its faces into those of ``a``; None when there is none.

    Points are first told apart by repeated refinement of their surroundings; then, for each connected part, one face of
    ``a`` is laid on faces of ``b`` and the rest follows face by face, which proves the match. Where several ways are
    left (a symmetric mesh) the one whose points lie nearest is taken, if points (n, 3) of both are given.
    ``seeds`` are pairs (point of ``a``, point of ``b``) that must belong together.
    Source: colour refinement (Weisfeiler and Leman, 1968), then propagation over shared edges.
    """
    if a.point_count != b.point_count or a.face_count != b.face_count:
        return None
    labels_a, labels_b = _refine(a, b)
    if not np.array_equal(np.sort(labels_a), np.sort(labels_b)):
        return None
    ours, theirs = half_edges(a), half_edges(b)
    if ours is None or theirs is None:
        return None  # edges with more than two faces: no way to follow them
    search = _Search(a, b, ours, theirs, labels_a, labels_b, _offsets(a_points), _offsets(b_points), tuple(seeds))
    return search.run()


def _offsets(points: np.ndarray | None) -> np.ndarray | None:
    return None if points is None else np.asarray(points, np.float64) - np.mean(points, axis=0)


class _Search(Struct, eq=False):
    a: Mesh
    b: Mesh
    ours: np.ndarray
    theirs: np.ndarray
    labels_a: np.ndarray
    labels_b: np.ndarray
    places_a: np.ndarray | None
    places_b: np.ndarray | None
    seeds: tuple[tuple[int, int], ...]

    def run(self) -> Order | None:
        a, b = self.a, self.b
        todo, taken = np.ones(a.face_count, bool), np.zeros(b.face_count, bool)
        out = np.full(a.point_count, -1, np.int64)
        counts, choices = np.bincount(self.labels_a), 1
        while todo.any():
            corner = self._start(todo, counts)
            best, ways = self._best(corner, taken)
            if best is None:
                return None
            choices = max(choices, ways)
            out[best.points >= 0] = best.points[best.points >= 0]
            todo[best.mine], taken[best.its] = False, True
        loose, free = np.flatnonzero(out < 0), np.setdiff1d(np.arange(b.point_count), out)
        out[loose] = free
        return Order(out, a.face_count, choices)

    def _start(self, todo: np.ndarray, counts: np.ndarray) -> int:
        """A corner of an open face: at a seed, else at the rarest kind of point."""
        corners = np.flatnonzero(todo[face_of_corner(self.a)])
        points = self.a.corners[corners]
        for mine, _ in self.seeds:
            at = np.flatnonzero(points == mine)
            if len(at):
                return int(corners[at[0]])
        return int(corners[np.argmin(counts[self.labels_a[points]])])

    def _best(self, corner: int, taken: np.ndarray) -> tuple[Laid | None, int]:
        a, b = self.a, self.b
        point = a.corners[corner]
        allowed = (self.labels_b[b.corners] == self.labels_a[point]) & ~taken[face_of_corner(b)]
        for mine, its in self.seeds:
            if mine == point:
                allowed &= b.corners == its
        candidates = np.flatnonzero(allowed)
        if self.places_a is not None and self.places_b is not None:
            following = (a.corners[next_corner(a)][corner], b.corners[next_corner(b)][candidates])
            gap = lengths(self.places_b[b.corners[candidates]] - self.places_a[point])
            gap += lengths(self.places_b[following[1]] - self.places_a[following[0]])
            candidates = candidates[np.argsort(gap, kind="stable")]
        best, least, ways = None, np.inf, 0
        for seed in candidates[:SEED_FACES_TRIED]:
            laid = walk(a, b, self.ours, self.theirs, corner, int(seed))
            if laid is None or taken[laid.its].any() or not self._keeps_seeds(laid):
                continue
            ways += 1
            size = self._distance(laid)
            if size < least:
                best, least = laid, size
            if ways >= WAYS_WEIGHED or self.places_a is None and ways > 1:
                break
        return best, ways

    def _keeps_seeds(self, laid: Laid) -> bool:
        return all(laid.points[mine] in (-1, its) for mine, its in self.seeds)

    def _distance(self, laid: Laid) -> float:
        if self.places_a is None or self.places_b is None:
            return 0.0
        on = laid.points >= 0
        return float(((self.places_b[laid.points[on]] - self.places_a[on]) ** 2).sum())


def _refine(a: Mesh, b: Mesh) -> tuple[np.ndarray, np.ndarray]:
    """Labels of the points of both meshes, equal where the surroundings look the same."""
    pairs = np.concatenate([edges(a), edges(b) + a.point_count])
    count = a.point_count + b.point_count
    ends, others = np.concatenate([pairs[:, 0], pairs[:, 1]]), np.concatenate([pairs[:, 1], pairs[:, 0]])
    rng = np.random.default_rng(20)
    label = np.zeros(count, np.int64)
    for mesh, shift in ((a, 0), (b, a.point_count)):
        sizes = mesh.face_sizes[face_of_corner(mesh)].astype(np.int64)
        np.add.at(label, mesh.corners + shift, sizes**3 + 17)
    label = np.unique(label, return_inverse=True)[1].reshape(-1)
    while True:
        colours = rng.integers(1, 2**62, label.max() + 1, dtype=np.int64)
        around = np.zeros(count, np.int64)
        np.add.at(around, ends, colours[label[others]])
        finer = np.unique(np.stack([label, around], axis=1), axis=0, return_inverse=True)[1].reshape(-1)
        if finer.max() == label.max():
            return finer[: a.point_count], finer[a.point_count :]
        label = finer


def half_edges(mesh: Mesh) -> np.ndarray | None:
    """(c,) int64: the corner whose edge runs the other way along the edge of this one, -1 at a border.

    None when an edge is run along in one direction more than once.
    """
    a, b = mesh.corners.astype(np.int64), mesh.corners[next_corner(mesh)].astype(np.int64)
    forward, backward = a * mesh.point_count + b, b * mesh.point_count + a
    order = np.argsort(forward)
    if (np.diff(forward[order]) == 0).any():
        return None
    place = np.clip(np.searchsorted(forward[order], backward), 0, max(len(order) - 1, 0))
    return np.where(forward[order][place] == backward, order[place], -1) if len(order) else order


class Laid(Struct, frozen=True, eq=False, weakref=True):
    """One connected part laid on another: ``points`` (n,) of the other mesh, -1 where not reached; faces of both."""

    points: np.ndarray
    mine: np.ndarray
    its: np.ndarray


def walk(a: Mesh, b: Mesh, ours: np.ndarray, theirs: np.ndarray, start: int, seed: int) -> Laid | None:
    """Lay corner ``start`` of ``a`` on corner ``seed`` of ``b`` and follow. None on the first contradiction.

    ``ours`` and ``theirs`` are the half_edges of both.
    """
    # plain lists: single look-ups are quicker than in arrays
    corners_a, corners_b = a.corners.tolist(), b.corners.tolist()
    faces_a, faces_b = face_of_corner(a).tolist(), face_of_corner(b).tolist()
    starts_a, starts_b = a.offsets.tolist(), b.offsets.tolist()
    across_a, across_b = ours.tolist(), theirs.tolist()
    to_b, to_a = [-1] * a.point_count, [-1] * b.point_count
    done: dict[int, int] = {}
    queue = [(start, seed)]
    while queue:
        mine, its = queue.pop()
        face_a, face_b = faces_a[mine], faces_b[its]
        if face_a in done:
            if done[face_a] != face_b:
                return None
            continue
        done[face_a] = face_b
        first_a, first_b = starts_a[face_a], starts_b[face_b]
        size = starts_a[face_a + 1] - first_a
        if size != starts_b[face_b + 1] - first_b:
            return None
        for step in range(size):
            ca, cb = first_a + (mine - first_a + step) % size, first_b + (its - first_b + step) % size
            pa, pb = corners_a[ca], corners_b[cb]
            if to_b[pa] not in (-1, pb) or to_a[pb] not in (-1, pa):
                return None
            to_b[pa], to_a[pb] = pb, pa
            next_a, next_b = across_a[ca], across_b[cb]
            if (next_a < 0) != (next_b < 0):
                return None
            if next_a >= 0 and faces_a[next_a] not in done:
                queue.append((next_a, next_b))
    return Laid(np.array(to_b), np.fromiter(done, np.int64), np.fromiter(done.values(), np.int64))
