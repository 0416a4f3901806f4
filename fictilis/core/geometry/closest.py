"""The nearest place on a surface."""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.topology import triangles

MOST_ASKED = 1_000_000  # triangles looked at in one go, so that memory stays bounded


class Nearest(Struct, frozen=True, eq=False, weakref=True):
    """For each of k queries: the place (k, 3), its distance (k,), the three points (k, 3) of its triangle and their
    shares (k, 3), which sum to 1."""

    places: np.ndarray
    distances: np.ndarray
    corners: np.ndarray
    shares: np.ndarray


class Surface:
    """A mesh in a shape, ready to be asked. ``step`` is a length of the order of its faces."""

    def __init__(self, mesh: Mesh, points: np.ndarray) -> None:
        from scipy.spatial import cKDTree

        self.points = np.asarray(points, np.float64)
        self.corners = triangles(mesh).points
        cloud = self.points[self.corners]
        middle = cloud.mean(axis=1)
        reach = np.sqrt(((cloud - middle[:, None]) ** 2).sum(2).max(axis=1)) if len(cloud) else np.zeros(0)
        self.step = float(np.median(reach)) if len(reach) else 0.0
        # triangles of about one size together: how far to look follows from the largest of them
        size = np.floor(np.log2(np.maximum(reach, 1e-9 + 1e-6 * reach.max(initial=0.0)))) if len(reach) else reach
        self._sizes = []
        for value in np.unique(size):
            which = np.flatnonzero(size == value)
            self._sizes.append((cKDTree(middle[which]), which, float(reach[which].max())))
        self._sizes.sort(key=lambda row: -len(row[1]))

    def nearest(self, queries: np.ndarray) -> Nearest:
        """The nearest place to each of ``queries`` (k, 3), exactly: more triangles are asked until none can be nearer.

        Raises ValueError on a mesh without faces.
        """
        if not self._sizes:
            raise ValueError("a mesh without faces has no surface")
        queries = np.asarray(queries, np.float64)
        count = len(queries)
        out = Nearest(np.zeros((count, 3)), np.full(count, np.inf), np.zeros((count, 3), np.int64), np.zeros((count, 3)))
        for size in self._sizes:
            self._ask(queries, np.arange(count), min(4, len(size[1])), size, out)
        return out

    def _ask(self, queries: np.ndarray, open_: np.ndarray, asked: int, size: tuple[Any, ...], out: Nearest) -> None:
        """Better the answers to the queries ``open_`` (k,) by triangles of one size, ``asked`` of them first."""
        tree, which, reach = size
        while len(open_):
            if len(open_) * asked > MOST_ASKED and len(open_) > 1:  # far from the surface many are about as near
                half = len(open_) // 2
                self._ask(queries, open_[:half], asked, size, out)
                open_ = open_[half:]
                continue
            far, found = tree.query(queries[open_], k=asked)
            far, found = far.reshape(len(open_), asked), which[found.reshape(len(open_), asked)]
            useful = far[:, 0] - reach < out.distances[open_]
            open_, far, found = open_[useful], far[useful], found[useful]
            if not len(open_):
                return
            tri = self.points[self.corners[found]]
            share = nearest_shares(queries[open_][:, None], *(tri[:, :, k] for k in range(3)))
            place = np.einsum("kij,kijc->kic", share, tri)
            gap = np.linalg.norm(place - queries[open_][:, None], axis=2)
            best, row = gap.argmin(axis=1), np.arange(len(open_))
            nearer = gap[row, best] < out.distances[open_]
            to, row, best = open_[nearer], row[nearer], best[nearer]
            out.places[to], out.distances[to] = place[row, best], gap[row, best]
            out.corners[to], out.shares[to] = self.corners[found[row, best]], share[row, best]
            # a triangle further down the list has its middle no nearer than the last one asked
            unsure = far[:, -1] - reach < out.distances[open_]
            open_ = open_[unsure] if asked < len(which) else open_[:0]
            asked = min(asked * 4, len(which))


def nearest_shares(p: np.ndarray, a: np.ndarray, b: np.ndarray, c: np.ndarray) -> np.ndarray:
    """(…, 3): shares of a, b and c in the place of their triangle that is nearest to p, all (…, 3).

    Source: Ericson, Real-Time Collision Detection (2005), 5.1.5: Closest Point on Triangle to Point.
    """
    ab, ac, ap, bp, cp = b - a, c - a, p - a, p - b, p - c

    def dot(u: np.ndarray, v: np.ndarray) -> np.ndarray:
        return np.einsum("...i,...i->...", *np.broadcast_arrays(u, v))

    d1, d2, d3, d4, d5, d6 = dot(ab, ap), dot(ac, ap), dot(ab, bp), dot(ac, bp), dot(ab, cp), dot(ac, cp)
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    zero, one = np.zeros_like(d1), np.ones_like(d1)

    def over(x: np.ndarray, y: np.ndarray) -> np.ndarray:
        return x / np.where(y == 0, 1.0, y)

    t_ab, t_ac, t_bc = over(d1, d1 - d3), over(d2, d2 - d6), over(d4 - d3, (d4 - d3) + (d5 - d6))
    inner_v, inner_w = over(vb, va + vb + vc), over(vc, va + vb + vc)
    cases = [
        ((d1 <= 0) & (d2 <= 0), (zero, zero)),
        ((d3 >= 0) & (d4 <= d3), (one, zero)),
        ((vc <= 0) & (d1 >= 0) & (d3 <= 0), (t_ab, zero)),
        ((d6 >= 0) & (d5 <= d6), (zero, one)),
        ((vb <= 0) & (d2 >= 0) & (d6 <= 0), (zero, t_ac)),
        ((va <= 0) & (d4 >= d3) & (d5 >= d6), (1 - t_bc, t_bc)),
    ]
    v = np.select([c[0] for c in cases], [c[1][0] for c in cases], inner_v)
    w = np.select([c[0] for c in cases], [c[1][1] for c in cases], inner_w)
    return np.stack([1 - v - w, v, w], axis=-1)
