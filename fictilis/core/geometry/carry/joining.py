"""Points and faces taken away, joined, cut into triangles, or mirrored on."""

from __future__ import annotations

import numpy as np

from fictilis.core.geometry.carry.carry import Builder, Carry, need_faces
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.normals import face_normals
from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.topology import corners_of, face_of_corner, point_faces
from fictilis.core.ground.arrays import distinct
from fictilis.core.ground.errors import EditRefused


def delete_faces(mesh: Mesh, faces: np.ndarray) -> Carry:
    """Without ``faces`` (k,), and without points that are then in no face."""
    need_faces(faces, "Deleting faces")
    keep = np.ones(mesh.face_count, bool)
    keep[faces] = False
    used = np.zeros(mesh.point_count, bool)
    used[mesh.corners[corners_of(mesh, np.flatnonzero(keep))]] = True
    used |= np.diff(point_faces(mesh).starts) == 0
    return _selected(mesh, keep, used)


def delete_points(mesh: Mesh, points: np.ndarray) -> Carry:
    """Without ``points`` (k,) and the faces that use them."""
    if not len(points):
        raise EditRefused("Deleting points needs a pick, and nothing is picked; pick points first.")
    used = np.ones(mesh.point_count, bool)
    used[points] = False
    lost = np.bincount(face_of_corner(mesh)[~used[mesh.corners]], minlength=mesh.face_count)
    return _selected(mesh, lost == 0, used)


def _selected(mesh: Mesh, keep: np.ndarray, used: np.ndarray) -> Carry:
    if not keep.any():
        raise EditRefused("That would delete every face; remove the object instead.")
    build = Builder(mesh)
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
        raise EditRefused("No two points are close enough to be welded; allow a larger distance.")
    # keep the order of first appearance, so that untouched points stay in line
    first = np.full(len(counts), mesh.point_count)
    np.minimum.at(first, place, np.arange(mesh.point_count))
    rank = np.empty(len(counts), np.int64)
    rank[np.argsort(first)] = np.arange(len(counts))
    to = rank[place]
    build = Builder(mesh)
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
        raise EditRefused("Welding these points would leave no face; pick fewer.")
    joined = [new for new, row in enumerate(members) if len(row) > 1]
    return build.done(pick=Pick("points", np.array(joined)))


def labels_within(points: np.ndarray, chosen: np.ndarray, distance: float) -> np.ndarray:
    """(n,) labels for weld: those of ``chosen`` (k,) that lie within ``distance`` cm of one another share one."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    if not (np.isfinite(distance) and distance >= 0):
        raise EditRefused(f"Points are welded within 0 cm or more, not {distance:g} cm.")
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
    build = Builder(mesh)
    build.keep_points()
    chosen = set(range(mesh.face_count) if faces is None or not len(faces) else faces.tolist())
    normals = face_normals(mesh, points)
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
    if not (np.isfinite(tolerance) and tolerance >= 0):
        raise EditRefused(f"The middle reaches 0 cm or more to each side, not {tolerance:g} cm.")
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
        raise EditRefused("No face lies on the side to be kept; keep the other one.")
    used = distinct(mesh.corners[corners_of(mesh, faces)])
    build = Builder(mesh)
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
