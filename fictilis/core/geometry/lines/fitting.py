"""A line of few points along many places, as of a hand-drawn stroke, and fewer points along a polygon.

Source: least squares on the spline's linear map (de Boor, A Practical Guide to Splines, ch. XIV, with places by length);
the thinning of a polygon after Douglas and Peucker (1973).
"""

from __future__ import annotations

import numpy as np

from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.lines.splines import shares
from fictilis.core.ground.arrays import lengths
from fictilis.core.ground.errors import EditRefused

MOST_FITTED = 200  # points of a fitted line


def _spaced(places: np.ndarray, closed: bool) -> tuple[np.ndarray, np.ndarray]:
    """The places without repeats, and how far along each lies, 0…1."""
    keep = np.concatenate([[True], lengths(np.diff(places, axis=0)) > 1e-12])
    places = places[keep]
    if closed and len(places) > 1 and np.allclose(places[0], places[-1]):
        places = places[:-1]
    if len(places) < 2:
        raise EditRefused("A line needs two places that differ; draw them further apart.")
    steps = lengths(np.diff(np.concatenate([places, places[:1]]) if closed else places, axis=0))
    run = np.concatenate([[0.0], np.cumsum(steps)])
    return places, run[: len(places)] / run[-1]


def fitted(places: np.ndarray, tolerance: float, closed: bool = False) -> tuple[np.ndarray, Line]:
    """Points (n, 3) and a line of degree 3 through them, no further than ``tolerance`` from places (k, 3) in order: with the
    fewest points that were found to do, up to MOST_FITTED."""
    places, run = _spaced(np.asarray(places, np.float64), closed)
    least = 3 if closed else 2
    count = least
    while True:
        at = run * (count if closed else count - 1)
        system = shares(count, closed, 3, True, at)
        points = _least_squares(system, places, closed)
        off = float(lengths(system @ points - places).max())
        if off <= tolerance or count >= min(MOST_FITTED, max(len(places), least)):
            degree = 3 if count > 2 else 1
            return points, Line(starts=np.array([0, count]), closed=np.array([closed]), degree=degree)
        count = max(count + 1, int(count * 1.25))


def _least_squares(system: object, places: np.ndarray, closed: bool) -> np.ndarray:
    dense = system.toarray()  # type: ignore[attr-defined]
    if not closed:  # the ends are where they were drawn
        inner = places - dense[:, :1] * places[0] - dense[:, -1:] * places[-1]
        middle = np.linalg.lstsq(dense[:, 1:-1], inner, rcond=None)[0]
        return np.concatenate([places[:1], middle, places[-1:]])
    return np.linalg.lstsq(dense, places, rcond=None)[0]


def thinned(places: np.ndarray, tolerance: float) -> np.ndarray:
    """(k,) int64: which places (n, 3) of an open polygon are kept, so that none lies further than ``tolerance`` from it."""
    keep = np.zeros(len(places), bool)
    keep[[0, -1]] = True
    waiting = [(0, len(places) - 1)]
    while waiting:
        first, last = waiting.pop()
        if last - first < 2:
            continue
        along = places[last] - places[first]
        inside = places[first + 1 : last] - places[first]
        square = float(along @ along)
        part = np.clip(inside @ along / square, 0, 1) if square > 0 else np.zeros(len(inside))
        off = lengths(inside - part[:, None] * along)
        worst = int(np.argmax(off))
        if off[worst] > tolerance:
            middle = first + 1 + worst
            keep[middle] = True
            waiting += [(first, middle), (middle, last)]
    return np.flatnonzero(keep)
