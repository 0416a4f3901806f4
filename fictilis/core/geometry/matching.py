"""Whether a mesh can be a target of a base: the same count, the same faces, the same order."""

from __future__ import annotations

from collections import Counter

import numpy as np

from fictilis.core.errors import NotATarget
from fictilis.core.geometry.topology import edges, face_of_corner, next_corner
from fictilis.core.scene import Mesh

SEED_FACES_TRIED = 200


def require_match(base: Mesh, other: Mesh, other_name: str, base_name: str = "the base") -> None:
    """Nothing when ``other`` matches ``base``; otherwise NotATarget with both counts or the first face that differs."""
    if base.point_count != other.point_count:
        raise NotATarget(
            f"{other_name} has {other.point_count:,} points, {base_name} has {base.point_count:,}. "
            "It cannot be a target of this mesh as it is.",
            "counts",
            "Make the copy from this base again, or add or remove points on it until the counts agree.",
        )
    first = first_difference(base, other)
    if first is None:
        return
    if base.face_count == other.face_count and same_in_another_order(base, other):
        raise NotATarget(
            f"{other_name} has the same topology as {base_name}, but its points are in another order. "
            f"The first face that differs is number {first + 1:,}.",
            "order",
            "Export it again with its vertex order kept.",
        )
    raise NotATarget(
        f"{other_name} has {other.point_count:,} points like {base_name}, but other faces "
        f"({other.face_count:,} against {base.face_count:,}). {_difference_text(base, other, first)}",
        "faces",
        "Its mesh was cut differently; make the copy from this base again.",
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


def _face_counter(mesh: Mesh, corners: np.ndarray) -> Counter:
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


def same_in_another_order(a: Mesh, b: Mesh) -> bool:
    """Whether some renumbering of the points of ``b`` turns its faces into those of ``a``.

    Points are first told apart by repeated refinement of their surroundings; then, for each connected part, one face of
    ``a`` is laid on faces of ``b`` and the rest follows face by face, which proves the match. Where the parts of a
    mesh touch nowhere the refinement alone decides which part goes on which.
    Source: colour refinement (Weisfeiler and Leman, 1968), then propagation over shared edges.
    """
    labels_a, labels_b = _refine(a, b)
    if not np.array_equal(np.sort(labels_a), np.sort(labels_b)):
        return False
    ours, theirs = _half_edges(a), _half_edges(b)
    if (ours is None) != (theirs is None):
        return False
    if ours is None or theirs is None:
        return True  # edges shared by more than two faces: the refinement has the last word
    todo = np.ones(a.face_count, bool)
    taken = np.zeros(b.face_count, bool)
    counts = np.bincount(labels_a)
    while todo.any():
        open_faces = np.flatnonzero(todo)
        corner = a.offsets[open_faces]
        face = int(open_faces[np.argmin(counts[labels_a[a.corners[corner]]])])
        label = labels_a[a.corners[a.offsets[face]]]
        candidates = np.flatnonzero((labels_b[b.corners] == label) & ~taken[face_of_corner(b)])
        for seed in candidates[:SEED_FACES_TRIED]:
            walked = _walk(a, b, ours, theirs, int(a.offsets[face]), int(seed))
            if walked is not None and not taken[walked[1]].any():
                todo[walked[0]] = False
                taken[walked[1]] = True
                break
        else:
            return False
    return True


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


def _half_edges(mesh: Mesh) -> np.ndarray | None:
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


def _walk(a: Mesh, b: Mesh, ours: np.ndarray, theirs: np.ndarray, start: int, seed: int):
    """Lay corner ``start`` of ``a`` on corner ``seed`` of ``b`` and follow. None on the first contradiction."""
    to_b = np.full(a.point_count, -1, np.int64)
    to_a = np.full(b.point_count, -1, np.int64)
    faces_a, faces_b = face_of_corner(a), face_of_corner(b)
    done: dict[int, int] = {}
    queue = [(start, seed)]
    while queue:
        mine, its = queue.pop()
        face_a, face_b = int(faces_a[mine]), int(faces_b[its])
        if face_a in done:
            if done[face_a] != face_b:
                return None
            continue
        done[face_a] = face_b
        first_a, first_b, size = int(a.offsets[face_a]), int(b.offsets[face_b]), int(a.face_sizes[face_a])
        if size != b.face_sizes[face_b]:
            return None
        for step in range(size):
            ca, cb = first_a + (mine - first_a + step) % size, first_b + (its - first_b + step) % size
            pa, pb = a.corners[ca], b.corners[cb]
            if to_b[pa] not in (-1, pb) or to_a[pb] not in (-1, pa):
                return None
            to_b[pa], to_a[pb] = pb, pa
            next_a, next_b = ours[ca], theirs[cb]
            if (next_a < 0) != (next_b < 0):
                return None
            if next_a >= 0 and int(faces_a[next_a]) not in done:
                queue.append((int(next_a), int(next_b)))
    return np.fromiter(done, np.int64), np.fromiter(done.values(), np.int64)
