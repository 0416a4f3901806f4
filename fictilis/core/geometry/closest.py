"""The nearest place on a surface."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fictilis.core.geometry.topology import triangles
from fictilis.core.scene import Mesh


@dataclass(frozen=True, eq=False)
class Nearest:
    """For each of k queries: the place (k, 3), its distance (k,), the three points (k, 3) of its triangle and their
    shares (k, 3), which sum to 1."""

    places: np.ndarray
    distances: np.ndarray
    corners: np.ndarray
    shares: np.ndarray


class Surface:
    """A mesh in a shape, ready to be asked."""

    def __init__(self, mesh: Mesh, points: np.ndarray) -> None:
        from scipy.spatial import cKDTree

        self.points = np.asarray(points, np.float64)
        self.corners = triangles(mesh).points
        cloud = self.points[self.corners]
        middle = cloud.mean(axis=1)
        self.reach = float(np.sqrt(((cloud - middle[:, None]) ** 2).sum(2).max(initial=0.0)))
        self.tree = cKDTree(middle) if len(middle) else None

    def nearest(self, queries: np.ndarray) -> Nearest:
        """The nearest place to each of ``queries`` (k, 3), exactly: more triangles are asked until none can be nearer.

        Raises ValueError on a mesh without faces.
        """
        if self.tree is None:
            raise ValueError("a mesh without faces has no surface")
        queries = np.asarray(queries, np.float64)
        count, total = len(queries), len(self.corners)
        places, shares = np.zeros((count, 3)), np.zeros((count, 3))
        corners, distances = np.zeros((count, 3), np.int64), np.full(count, np.inf)
        open_, asked = np.arange(count), min(8, total)
        while len(open_):
            far, which = self.tree.query(queries[open_], k=asked)
            far, which = far.reshape(len(open_), asked), which.reshape(len(open_), asked)
            tri = self.points[self.corners[which]]
            share = nearest_shares(queries[open_][:, None], *(tri[:, :, k] for k in range(3)))
            place = np.einsum("kij,kijc->kic", share, tri)
            gap = np.linalg.norm(place - queries[open_][:, None], axis=2)
            best, row = gap.argmin(axis=1), np.arange(len(open_))
            places[open_], distances[open_] = place[row, best], gap[row, best]
            corners[open_], shares[open_] = self.corners[which[row, best]], share[row, best]
            # a triangle further down the list has its middle no nearer than the last one asked
            unsure = far[:, -1] < distances[open_] + self.reach
            open_ = open_[unsure] if asked < total else open_[:0]
            asked = min(asked * 4, total)
        return Nearest(places, distances, corners, shares)


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
