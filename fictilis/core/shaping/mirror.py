"""Mirror pairs: by the base's positions, or by its topology where the positions are uneven already."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.matching import half_edges, walk
from fictilis.core.geometry.topology import next_corner
from fictilis.core.ground.arrays import any_in_rows, cached_by_array, cached_by_both, extent, lengths
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.scene import Deltas, MorphObject

TOLERANCE = 1e-3  # of the object's size
MIDDLE_EDGES_TRIED = 24


class Mirror(Struct, frozen=True):
    """Across which planes through the origin (letters of ``XYZ``), and how pairs are found.

    ``tolerance`` is a part of the object's size, for pairs by position.
    """

    axes: str = ""
    by_topology: bool = False
    tolerance: float = TOLERANCE

    def pairs(self, obj: MorphObject) -> list[tuple[int, np.ndarray]]:
        """The number of each axis with its map (n,)."""
        return [(n, mirror_map(obj, n, self.by_topology, self.tolerance)) for n in range(3) if "XYZ"[n] in self.axes]


NO_MIRROR = Mirror()


def mirror_map(obj: MorphObject, axis: int = 0, by_topology: bool = False, tolerance: float = TOLERANCE) -> np.ndarray:
    """(n,) int64: for each point its partner across ``axis`` = 0; -1 where there is none.

    Raises EditRefused when the topology is asked and shows no mirror image of itself.
    """
    if not by_topology:
        return _by_position(obj.base, axis, tolerance)
    found = _find_by_topology(obj.mesh, obj.base, axis)
    if found is None:
        raise EditRefused(
            f"{obj.name} is not its own mirror image across {'XYZ'[axis]} by its topology: no edge near the middle leads "
            "to the same faces on both sides.",
            "Mirror by position instead.",
        )
    return found


@cached_by_array
def _by_position(base: np.ndarray, axis: int, tolerance: float) -> np.ndarray:
    from scipy.spatial import cKDTree

    if not len(base):
        return np.zeros(0, np.int64)
    flip = np.ones(3)
    flip[axis] = -1
    limit = tolerance * max(float(extent(base).max()), 1e-9)
    distance, found = cKDTree(base).query(base * flip, distance_upper_bound=limit)
    out = np.where(np.isfinite(distance), found, -1)
    # keep only pairs that agree both ways, unless twins share the place
    back = np.where(out >= 0, out[np.clip(out, 0, None)], -1)
    agree = back == np.arange(len(base))
    near = lengths(base[np.clip(back, 0, len(base) - 1)] - base) <= limit
    return np.where(agree | ((back >= 0) & near), out, -1)


@cached_by_both
def _find_by_topology(mesh: Mesh, base: np.ndarray, axis: int) -> np.ndarray | None:
    """Lay the mesh on its own mirror image, starting at an edge in or across the middle.

    Parts without such an edge keep their pairs by position. Source: propagation over shared edges, own derivation.
    """
    turned = _turned(mesh)
    ours, theirs = half_edges(mesh), half_edges(turned)
    if ours is None or theirs is None or not len(mesh.corners):
        return None
    a, b = mesh.corners, mesh.corners[next_corner(mesh)]
    x = base[:, axis]
    lying = np.maximum(np.abs(x[a]), np.abs(x[b]))
    across = np.abs(x[a] + x[b]) + 0.25 * lengths(np.delete(base[a] - base[b], axis, 1))
    length = np.maximum(lengths(base[a] - base[b]), 1e-12)
    score = np.minimum(lying, across) / length
    out = np.full(len(base), -1, np.int64)
    corners = np.lexsort((np.abs(x[a] + x[b]), np.round(score, 6)))
    tried = 0
    for corner in corners:
        if tried >= MIDDLE_EDGES_TRIED or score[corner] > 0.5:
            break
        if out[a[corner]] >= 0:
            continue
        tried += 1
        # in the turned mesh the edge runs the same way in the face beyond it, or the other way in the same face
        wanted = (a[corner], b[corner]) if lying[corner] <= across[corner] else (b[corner], a[corner])
        seed = _corner_of(turned, *wanted)
        laid = walk(mesh, turned, ours, theirs, int(corner), seed) if seed >= 0 else None
        if laid is not None:
            out = np.where(laid.points >= 0, laid.points, out)
    if (out < 0).all():
        return None
    return np.where(out >= 0, out, _by_position(base, axis, TOLERANCE))


def _turned(mesh: Mesh) -> Mesh:
    """The mesh with every face run through the other way."""
    face = np.repeat(np.arange(mesh.face_count), mesh.face_sizes)
    place = mesh.offsets[face] + mesh.offsets[face + 1] - 1 - np.arange(len(mesh.corners))
    return Mesh(mesh.point_count, mesh.corners[place], mesh.offsets)


def _corner_of(mesh: Mesh, a: int, b: int) -> int:
    found = np.flatnonzero((mesh.corners == a) & (mesh.corners[next_corner(mesh)] == b))
    return int(found[0]) if len(found) else -1


def unpaired(obj: MorphObject, mirror: Mirror) -> int:
    """How many points have no partner across any of the mirror's planes."""
    lacking = np.zeros(len(obj.base), bool)
    for _, pairs in mirror.pairs(obj):
        lacking |= pairs < 0
    return int(lacking.sum())


def reflected(
    obj: MorphObject, indices: np.ndarray, weights: np.ndarray, moved: np.ndarray, mirror: Mirror
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Indices (k,), weights (k,) and displacement (k, 3), already weighted, together with their mirror images.

    Smooth where both meet: on a plane itself the motion across cancels, and the rest is not doubled.
    """
    for axis, pairs in mirror.pairs(obj):
        there = pairs[indices]
        paired = there >= 0
        flip = np.ones(3)
        flip[axis] = -1
        both = np.concatenate([indices, there[paired]])
        indices, local = np.unique(both, return_inverse=True)
        strength = np.concatenate([weights, weights[paired]])
        total = np.bincount(local, strength, len(indices))
        most = np.zeros(len(indices))
        np.maximum.at(most, local, strength)
        every = np.concatenate([moved, moved[paired] * flip])
        summed = np.stack([np.bincount(local, every[:, k], len(indices)) for k in range(3)], axis=1)
        moved = summed * (most / np.where(total > 0, total, 1))[:, None]
        weights = most
    return indices, weights, moved


def reflected_weights(obj: MorphObject, weights: np.ndarray, mirror: Mirror) -> np.ndarray:
    """Weights (n,) with those of the mirror images."""
    for _, pairs in mirror.pairs(obj):
        weights = np.maximum(weights, np.where(pairs >= 0, weights[pairs], 0.0))
    return weights


def as_deltas(indices: np.ndarray, moved: np.ndarray) -> Deltas:
    """A displacement (k, 3) of sorted points as deltas, without the rows that stay."""
    on = any_in_rows(moved != 0.0)
    return Deltas(indices[on], moved[on])
