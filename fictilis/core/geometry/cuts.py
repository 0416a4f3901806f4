"""Where a surface cuts through itself or through another one."""

from __future__ import annotations

import numpy as np

from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.topology import triangles
from fictilis.core.ground.arrays import distinct

CHUNK = 400_000


def self_cuts(geometry: Geometry, points: np.ndarray, twins: np.ndarray | None = None) -> np.ndarray:
    """(k,) int64: sorted faces of a mesh in the shape points (n, 3) that others of its own faces pass through.

    Faces that share a point, or twins of it by the group numbers ``twins`` (n,), are not compared.
    """
    plan = triangles(geometry)
    names = plan.points if twins is None else twins[plan.points]
    pairs = _close_pairs(points[plan.points], points[plan.points], same=True)
    shared = (names[pairs[:, 0]][:, :, None] == names[pairs[:, 1]][:, None, :]).any(axis=(1, 2))
    pairs = pairs[~shared & (plan.faces[pairs[:, 0]] != plan.faces[pairs[:, 1]])]
    cut = pairs[_cutting(points[plan.points], points[plan.points], pairs)]
    return distinct(plan.faces[cut.ravel()]).astype(np.int64)


def cuts_between(
    geometry: Geometry, points: np.ndarray, other: Geometry, other_points: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Sorted faces of both that pass through one another; points (n, 3) and (k, 3) in one space."""
    mine, its = triangles(geometry), triangles(other)
    a, b = points[mine.points], other_points[its.points]
    pairs = _close_pairs(a, b, same=False)
    cut = pairs[_cutting(a, b, pairs)]
    return distinct(mine.faces[cut[:, 0]]).astype(np.int64), distinct(its.faces[cut[:, 1]]).astype(np.int64)


def _close_pairs(a: np.ndarray, b: np.ndarray, same: bool) -> np.ndarray:
    """(p, 2): pairs of triangles (t, 3, 3) whose boxes overlap, by a grid of cells of about their size."""
    if not len(a) or not len(b):
        return np.zeros((0, 2), np.int64)
    low_a, high_a, low_b, high_b = a.min(1), a.max(1), b.min(1), b.max(1)
    low = np.maximum(low_a.min(0), low_b.min(0))
    high = np.minimum(high_a.max(0), high_b.max(0))
    sizes = np.concatenate([high_a - low_a, high_b - low_b])
    cell = max(float(np.percentile(sizes.max(1), 75)), float(sizes.max()) / 24, float((high - low).max()) / 512, 1e-9)

    def cells(low_t: np.ndarray, high_t: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        near = np.flatnonzero(((low_t <= high) & (high_t >= low)).all(1))
        first = np.floor((np.maximum(low_t[near], low) - low) / cell).astype(np.int64)
        last = np.floor((np.minimum(high_t[near], high) - low) / cell).astype(np.int64)
        span = np.maximum(last - first + 1, 0)
        count = span.prod(1)
        which = np.repeat(np.arange(len(near)), count)
        k = np.arange(int(count.sum())) - np.repeat(np.cumsum(count) - count, count)
        s = span[which]
        at = first[which] + np.stack([k % s[:, 0], k // s[:, 0] % s[:, 1], k // (s[:, 0] * s[:, 1])], axis=1)
        return near[which], (at[:, 0] * 4099 + at[:, 1]) * 4099 + at[:, 2]

    who_a, code_a = cells(low_a, high_a)
    who_b, code_b = (who_a, code_a) if same else cells(low_b, high_b)
    order = np.argsort(code_b, kind="stable")
    first, last = np.searchsorted(code_b[order], code_a), np.searchsorted(code_b[order], code_a, side="right")
    counts = last - first
    found = []
    ends = np.cumsum(counts)
    start = 0
    while start < len(code_a):
        stop = max(int(np.searchsorted(ends, (ends[start - 1] if start else 0) + 8 * CHUNK)), start + 1)
        part = slice(start, stop)
        i = np.repeat(who_a[part], counts[part])
        shift = np.repeat(first[part] - (np.cumsum(counts[part]) - counts[part]), counts[part])
        j = who_b[order[np.arange(len(i)) + shift]]
        keep = i < j if same else np.ones(len(i), bool)
        i, j = i[keep], j[keep]
        over = ((low_a[i] <= high_b[j]) & (high_a[i] >= low_b[j])).all(1)
        found.append(np.stack([i[over], j[over]], axis=1))
        start = stop
    pairs = np.concatenate(found) if found else np.zeros((0, 2), np.int64)
    return np.unique(pairs, axis=0)


def _cutting(a: np.ndarray, b: np.ndarray, pairs: np.ndarray) -> np.ndarray:
    """(p,) bool: pairs of triangles of which an edge of one passes through the other.

    Source: segment against triangle, both ways (Möller and Trumbore 1997); triangles that an edge only ends on do not count.
    """
    out = np.zeros(len(pairs), bool)
    for first in range(0, len(pairs), CHUNK):
        part = slice(first, first + CHUNK)
        one, two = a[pairs[part, 0]], b[pairs[part, 1]]
        for edges, target in ((one, two), (two, one)):
            for k in range(3):
                out[part] |= _pierces(edges[:, k], edges[:, (k + 1) % 3], target)
    return out


def _pierces(start: np.ndarray, end: np.ndarray, tri: np.ndarray) -> np.ndarray:
    along, e1, e2 = end - start, tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0]
    p = np.cross(along, e2)
    det = np.einsum("ij,ij->i", e1, p)
    scale = np.einsum("ij,ij->i", e1, e1) * np.einsum("ij,ij->i", along, along)
    flat = np.abs(det) <= 1e-9 * scale**0.5 * np.einsum("ij,ij->i", e2, e2) ** 0.5
    safe = np.where(flat, np.inf, det)
    s = start - tri[:, 0]
    q = np.cross(s, e1)
    u, v = np.einsum("ij,ij->i", s, p) / safe, np.einsum("ij,ij->i", along, q) / safe
    t = np.einsum("ij,ij->i", e2, q) / safe
    tiny = 1e-7
    return ~flat & (u > -tiny) & (v > -tiny) & (u + v < 1 + tiny) & (t > tiny) & (t < 1 - tiny)
