"""Solids of outlines: the closed strands of a line filled, holes kept, with a thickness and a bevel.

Source: even-odd rule for holes (as in Scalable Vector Graphics 2, 13.4.2); triangles by ear clipping (mapbox_earcut).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.geometry.kinds import Line, Mesh
from fictilis.core.geometry.lines.splines import Drawn, drawn
from fictilis.core.ground.arrays import frozen
from fictilis.core.ground.errors import EditRefused

SHARPEST = 0.35  # a bevel goes in no further than its size over this at a sharp corner


class Solid(Struct, frozen=True, eq=False):
    """A filled outline: ``mesh`` and how its points follow from the line's. ``rows`` (k,) are the drawn points of its closed
    strands, ``starts`` (s + 1,) where each begins among them, ``ways`` (s,) 1 where a strand runs counter-clockwise about its
    material and -1 where not; ``plane`` (3, 3): across, up and normal of the plane it lies in."""

    line: Line
    mesh: Mesh
    rows: np.ndarray
    starts: np.ndarray
    ways: np.ndarray
    plane: np.ndarray
    thickness: float
    bevel: float

    def points(self, points: np.ndarray) -> np.ndarray:
        """(q, 3): the solid's points while the line's own are at (n, 3)."""
        ring = drawn(self.line).of(np.asarray(points, np.float64))[self.rows]
        normal = self.plane[2]
        if self.thickness <= 0:
            return ring
        half, b = normal * self.thickness / 2, self.bevel
        if b <= 0:
            return np.concatenate([ring + half, ring - half])
        inner = ring + b * self._inward(ring)
        return np.concatenate([inner + half, ring + half - b * normal, ring - half + b * normal, inner - half])

    def _inward(self, ring: np.ndarray) -> np.ndarray:
        """(k, 3): the way into the material at every point, 1 long across each of its two segments."""
        out = np.empty_like(ring)
        for a, b, way in zip(self.starts, self.starts[1:], self.ways, strict=False):
            flat = ring[a:b] @ self.plane[:2].T
            along = np.roll(flat, -1, axis=0) - flat
            size = np.linalg.norm(along, axis=1, keepdims=True)
            along = np.where(size > 1e-12, along / np.where(size > 1e-12, size, 1), 0.0)
            left = way * np.stack([-along[:, 1], along[:, 0]], axis=1)
            both = left + np.roll(left, 1, axis=0)
            length = np.maximum((both**2).sum(axis=1) / 2, 2 * SHARPEST**2)[:, None]
            out[a:b] = (both / length) @ self.plane[:2]
        return out


def plane_of(points: np.ndarray) -> np.ndarray:
    """(3, 3): across, up and normal of the plane that fits points best; its normal toward +Z, else +Y, else +X."""
    _, _, axes = np.linalg.svd(points - points.mean(axis=0), full_matrices=True)
    normal = axes[2]
    for axis in (2, 1, 0):
        if abs(normal[axis]) > 1e-6:
            normal = normal * np.sign(normal[axis])
            break
    across = np.cross([0.0, 1.0, 0.0] if abs(normal[1]) < 0.9 else [0.0, 0.0, -1.0], normal)
    across /= np.linalg.norm(across)
    return np.stack([across, np.cross(normal, across), normal])


def _area(flat: np.ndarray) -> float:
    """The signed area of a polygon (k, 2), by the shoelace formula."""
    x, y = flat.T
    return float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2


def _inside(place: np.ndarray, polygon: np.ndarray) -> bool:
    """Whether a place (2,) lies in a polygon, by the number of sides that a ray to the right crosses."""
    a, b = polygon, np.roll(polygon, -1, axis=0)
    over = (a[:, 1] > place[1]) != (b[:, 1] > place[1])
    rise = np.where(over, b[:, 1] - a[:, 1], 1.0)
    at = a[:, 0] + (place[1] - a[:, 1]) * (b[:, 0] - a[:, 0]) / rise
    return bool((over & (at > place[0])).sum() % 2)


def solid_of(line: Line, base: np.ndarray, thickness: float, bevel: float) -> Solid:
    """The solid of a line's closed strands, its faces found on the base (n, 3). Raises EditRefused where there is nothing to
    fill."""
    fine: Drawn = drawn(line)
    every = fine.of(np.asarray(base, np.float64))
    strands = np.flatnonzero(fine.line.closed)
    if not len(strands):
        raise EditRefused("The line has no closed strand to fill; close one first.")
    if not (np.isfinite(thickness) and thickness >= 0 and np.isfinite(bevel) and 0 <= bevel <= max(thickness, 0) / 2):
        raise EditRefused(f"A bevel of {bevel:g} cm does not go into {thickness:g} cm; it may be half of that.")
    rows = np.concatenate([np.arange(fine.line.starts[s], fine.line.starts[s + 1]) for s in strands])
    starts = np.cumsum([0, *(fine.line.counts[s] for s in strands)])
    plane = plane_of(every[rows])
    flats = [every[rows[a:b]] @ plane[:2].T for a, b in zip(starts, starts[1:], strict=False)]
    areas = np.array([_area(flat) for flat in flats])
    if not (np.abs(areas) > 1e-12).any():
        raise EditRefused("The closed strands enclose no surface; draw them around something.")
    around = [[j for j in range(len(flats)) if j != i and _inside(flats[i][0], flats[j])] for i in range(len(flats))]
    hole = np.array([len(outer) % 2 == 1 for outer in around])
    ways = np.where(areas > 0, 1, -1) * np.where(hole, -1, 1)
    front = _triangles(flats, starts, around, hole)
    return Solid(
        line, _mesh(starts, ways, front, thickness, bevel), frozen(rows, np.int64), starts, ways, plane, thickness, bevel
    )


def _triangles(flats: list[np.ndarray], starts: np.ndarray, around: list[list[int]], hole: np.ndarray) -> np.ndarray:
    """(t, 3): the surface as triangles, counter-clockwise, of the numbers of all rings' points."""
    import mapbox_earcut

    out = []
    for outer in np.flatnonzero(~hole):
        depth = len(around[outer]) + 1
        holes = [n for n in np.flatnonzero(hole) if len(around[n]) == depth and outer in around[n]]
        rings: list[Any] = [int(outer), *(int(n) for n in holes)]
        places = np.concatenate([flats[n] for n in rings])
        numbers = np.concatenate([np.arange(starts[n], starts[n + 1]) for n in rings])
        ends = np.cumsum([len(flats[n]) for n in rings]).astype(np.uint32)
        found = mapbox_earcut.triangulate_float64(places, ends).reshape(-1, 3).astype(np.int64)
        a, b, c = (places[found[:, k]] for k in range(3))
        turned = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0] < 0
        found[turned] = found[turned][:, ::-1]
        out.append(numbers[found])
    return np.concatenate(out) if out else np.zeros((0, 3), np.int64)


def _mesh(starts: np.ndarray, ways: np.ndarray, front: np.ndarray, thickness: float, bevel: float) -> Mesh:
    count = int(starts[-1])
    if thickness <= 0:
        return Mesh(count, front.ravel(), np.arange(len(front) + 1) * 3)
    layers = 4 if bevel > 0 else 2
    after = np.arange(count) + 1
    after[starts[1:] - 1] = starts[:-1]
    way = np.repeat(ways, np.diff(starts))
    first, second = np.where(way > 0, np.arange(count), after), np.where(way > 0, after, np.arange(count))
    quads = [
        np.stack([first + k * count, first + (k + 1) * count, second + (k + 1) * count, second + k * count], axis=1)
        for k in range(layers - 1)
    ]
    back = front[:, ::-1] + (layers - 1) * count
    corners = np.concatenate([front.ravel(), back.ravel(), np.concatenate(quads).ravel()])
    sizes = np.concatenate([np.full(2 * len(front), 3), np.full(sum(map(len, quads)), 4)])
    return Mesh(layers * count, corners, np.concatenate([[0], np.cumsum(sizes)]))
