"""Lengths along the strands of a line, places at given lengths, and corners."""

from __future__ import annotations

import numpy as np

from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.lines.splines import curve_at, drawn
from fictilis.core.ground.arrays import lengths, pair_lengths

CORNER = 30.0  # degrees that a strand of degree 1 turns at a corner, or more


class Measured:
    """One strand measured: where it is after how much of its length."""

    def __init__(self, line: Line, points: np.ndarray, strand: int) -> None:
        """points : (n, 3) of the whole line."""
        self.line, self.points, self.strand = line, points, strand
        self.count, self.closed = int(line.counts[strand]), bool(line.closed[strand])
        self.own = points[line.starts[strand] : line.starts[strand + 1]]
        end = float(self.count if self.closed else self.count - 1)
        fine = drawn(line)
        rows = slice(fine.line.starts[strand], fine.line.starts[strand + 1])
        self._seen = self.own if fine.matrix is None else fine.matrix[rows] @ points
        self._places = fine.places[rows] - line.starts[strand]
        if self.closed:
            self._seen = np.concatenate([self._seen, self._seen[:1]])
            self._places = np.append(self._places, end)
        self._run = np.concatenate([[0.0], np.cumsum(lengths(np.diff(self._seen, axis=0)))])

    @property
    def length(self) -> float:
        """In the unit of the points; of a curve, that of the polygon that is drawn."""
        return float(self._run[-1])

    def at(self, places: np.ndarray) -> np.ndarray:
        """(p, 3): the curve at places in segments."""
        if self.line.degree == 1:
            low = np.clip(np.floor(places).astype(int), 0, self.count - (1 if self.closed else 2))
            part = (places - low)[:, None]
            return self.own[low] * (1 - part) + self.own[(low + 1) % self.count] * part
        return curve_at(self.line, self.strand, places) @ self.points

    def near(self, places: np.ndarray) -> np.ndarray:
        """(p, 3): the places as they are drawn, which is quick and near to the curve."""
        return np.stack([np.interp(places, self._places, column) for column in self._seen.T], axis=1)

    def places(self, fractions: np.ndarray) -> np.ndarray:
        """(p,): the places, in segments, after fractions 0…1 of the length; closed strands go round."""
        fractions = np.asarray(fractions, np.float64)
        fractions = fractions % 1.0 if self.closed else np.clip(fractions, 0.0, 1.0)
        if self.length <= 0:
            return fractions * self._places[-1]
        return np.interp(fractions * self.length, self._run, self._places)

    def fractions(self, places: np.ndarray) -> np.ndarray:
        """(p,): which fraction of the length lies before places in segments."""
        if self.length <= 0:
            return np.asarray(places, np.float64) / self._places[-1]
        return np.interp(places, self._places, self._run) / self.length

    def corners(self) -> np.ndarray:
        """(k,) int64: the points at which the strand turns by CORNER or more; ends are none. A curve has none."""
        if self.line.degree > 1 or self.count < 3:
            return np.zeros(0, np.int64)
        before, after = self.own - np.roll(self.own, 1, axis=0), np.roll(self.own, -1, axis=0) - self.own
        product = lengths(before) * lengths(after)
        cosine = np.divide((before * after).sum(axis=1), product, out=np.ones(self.count), where=product > 0)
        turned = cosine <= np.cos(np.radians(CORNER)) + 1e-12
        if not self.closed:
            turned[[0, -1]] = False
        return np.flatnonzero(turned)


def strands(line: Line, points: np.ndarray) -> list[Measured]:
    return [Measured(line, points, strand) for strand in range(line.strand_count)]


def even_places(strand: Measured, count: int, corners: bool) -> np.ndarray:
    """(count,): places of equal lengths along a strand; with ``corners`` each corner keeps a place of its own, and what lies
    between two of them is shared out evenly. Raises ValueError where there are more corners than places."""
    if not corners or not len(strand.corners()):
        return strand.places(np.arange(count) / (count if strand.closed else count - 1))
    fixed = strand.fractions(strand.corners().astype(np.float64))
    if strand.closed:
        fixed = np.concatenate([fixed, [fixed[0] + 1]])
        free = count
    else:
        fixed = np.concatenate([[0.0], fixed, [1.0]])
        free = count - 1
    if free < len(fixed) - 1:
        raise ValueError(f"{len(fixed) - 1} stretches between corners need as many points and {count} were asked for")
    gaps = np.diff(fixed)
    share = np.maximum(np.floor(gaps * free).astype(int), 1)
    while share.sum() > free:
        share[np.argmax(np.where(share > 1, share / np.maximum(gaps, 1e-12), -1))] -= 1
    while share.sum() < free:
        share[np.argmax(gaps / share)] += 1
    steps = [a + (b - a) * np.arange(k) / k for a, b, k in zip(fixed, fixed[1:], share, strict=False)]
    out = np.concatenate([*steps, [] if strand.closed else [1.0]])
    return strand.places(out)


def run_along(line: Line, points: np.ndarray) -> np.ndarray:
    """(n,) float64: how far along its strand each point lies, as a fraction of the strand's length."""
    out = [strand.fractions(np.arange(strand.count, dtype=np.float64)) for strand in strands(line, points)]
    return np.concatenate(out) if out else np.zeros(0)


def total_length(line: Line, points: np.ndarray) -> float:
    """The length of all strands as they are drawn."""
    fine = drawn(line)
    return float(pair_lengths(fine.of(points), np.stack(fine.line.joined(), axis=1)).sum())
