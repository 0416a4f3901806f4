"""Fewer triangles for pictures that are gone in a moment: corners of small triangles are put on their neighbours.

The points stay what they are, so that whatever moves them moves the coarse surface too: only the list of corners is another.
Source: edge contraction (Hoppe et al. 1993), by a matching of points along their shortest edges.
"""

from __future__ import annotations

from functools import cache, cached_property
from typing import TYPE_CHECKING

import numpy as np

from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.topology import triangles

if TYPE_CHECKING:
    from concurrent.futures import Future, ThreadPoolExecutor

LEAST = 40_000  # triangles in one picture that are worth it
MOST_AT_ONCE = 20_000  # triangles that are looked at while a picture waits
ROUNDS = 4
HALF, QUARTER = 3.0, 1.6  # pixels: surfaces of edges below these are drawn of so many triangles


class Coarse:
    """The coarse corners of one surface, made when they are first wanted; those of a large one while others are drawn."""

    def __init__(self, geometry: Geometry, points: np.ndarray) -> None:
        self._corners, self._points = triangles(geometry).points, points
        self._made: list[Future[np.ndarray]] = []

    @cached_property
    def edge(self) -> float:
        """The mean length of the edges, cm."""
        corners, points = self._corners[:: max(len(self._corners) // 2000, 1)], self._points
        sides = (points[corners] - points[np.roll(corners, 1, axis=1)]).astype(np.float64)
        return float(np.sqrt((sides**2).sum(axis=2)).mean()) if len(corners) else 0.0

    def level(self, pixels: float) -> int:
        """How often halved a surface is drawn whose edges are so long in the picture: 0, as it is, to 2."""
        return 0 if pixels > HALF else 1 if pixels > QUARTER else 2

    def corners(self, level: int) -> np.ndarray | None:
        """(t, 3) int32, once they are there."""
        while len(self._made) < level:
            start = self._made[-1] if self._made else None
            self._made.append(_pool().submit(self._halved, start))
            if len(self._corners) <= MOST_AT_ONCE:
                self._made[-1].result()
        made = self._made[level - 1]
        return made.result() if made.done() else None

    def _halved(self, start: Future[np.ndarray] | None) -> np.ndarray:
        return coarser(self._corners if start is None else start.result(), self._points)


@cache
def _pool() -> ThreadPoolExecutor:
    from concurrent.futures import ThreadPoolExecutor

    return ThreadPoolExecutor(1, thread_name_prefix="mix coarse")


def coarser(corners: np.ndarray, points: np.ndarray) -> np.ndarray:
    """(s, 3) int32 of about half as many triangles as corners (t, 3) of points (n, 3). Borders stay, which may be seams, and no
    triangle turns over."""
    count = len(points)
    sides = np.sort(np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [2, 0]]]).astype(np.int64), axis=1)
    codes, times = _counted(sides[:, 0] * count + sides[:, 1])
    a, b = np.divmod(codes, count)
    rim = np.zeros(count, bool)
    rim[a[times == 1]] = rim[b[times == 1]] = True
    able = ~(rim[a] | rim[b])
    a, b = a[able], b[able]
    rank = np.empty(len(a), np.int64)
    rank[np.argsort(((points[a] - points[b]).astype(np.float64) ** 2).sum(axis=1), kind="stable")] = np.arange(len(a))
    onto = np.arange(count)
    free = np.ones(count, bool)
    for _ in range(ROUNDS):
        left = np.flatnonzero(free[a] & free[b])
        best = np.full(count, len(a))
        np.minimum.at(best, a[left], rank[left])
        np.minimum.at(best, b[left], rank[left])
        met = left[(best[a[left]] == rank[left]) & (best[b[left]] == rank[left])]
        onto[b[met]] = a[met]
        free[a[met]] = free[b[met]] = False
    before = _facing(corners, points)
    for _ in range(3):
        made = onto[corners]
        over = ((_facing(made, points) * before).sum(axis=1) < 0) & _whole(made)
        if not over.any():
            break
        onto[corners[over]] = corners[over]  # these stay as they were
    made = onto[corners]
    return np.ascontiguousarray(made[_whole(made)], np.int32)


def _counted(codes: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The different codes, and how often each stands there."""
    codes = np.sort(codes)
    first = np.flatnonzero(np.append(True, codes[1:] != codes[:-1])) if len(codes) else np.zeros(0, np.int64)
    return codes[first], np.diff(np.append(first, len(codes)))


def _facing(corners: np.ndarray, points: np.ndarray) -> np.ndarray:
    return np.cross(points[corners[:, 1]] - points[corners[:, 0]], points[corners[:, 2]] - points[corners[:, 0]])


def _whole(corners: np.ndarray) -> np.ndarray:
    """Which triangles have three corners still."""
    return (corners[:, 0] != corners[:, 1]) & (corners[:, 1] != corners[:, 2]) & (corners[:, 2] != corners[:, 0])
