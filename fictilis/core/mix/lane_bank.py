"""Many lanes evaluated at once: their pieces joined into single arrays.

Source: one binary search in the starts of all lanes, laid end to end, then Horner's scheme on the pieces found; Béziers with
handles of their own by the bracketed Newton of ``easing``.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from fictilis.core.animation.curve import Pieces, pieces_of
from fictilis.core.animation.easing import bezier_parameter, ease_at

if TYPE_CHECKING:
    from fictilis.core.scene.timeline import Lane

CHUNK = 65_536  # values worked on at a time, so that they stay in the processor's cache
KEPT = 32


class LaneBank:
    """Values of many lanes. Those with modifiers, or that go on in turns outside their keys, are evaluated one by one."""

    def __init__(self, lanes: Sequence[Lane]) -> None:
        self.lanes = tuple(lanes)
        plain: list[int] = []
        self.alone: list[int] = []
        for number, lane in enumerate(self.lanes):
            curve = lane.curve
            if {curve.before, curve.after} <= {"hold", "linear"} and not any(m.on and m.amount for m in lane.modifiers):
                plain.append(number)
            else:
                self.alone.append(number)
        self.joined, joined = np.array(plain, np.intp), pieces_of([self.lanes[number].curve for number in plain])
        counts = np.array([len(p.starts) for p in joined], np.intp)
        self.first = np.concatenate([[0], np.cumsum(counts)[:-1]]).astype(np.intp) if len(counts) else np.zeros(0, np.intp)
        self.counts = counts
        self.starts = np.concatenate([p.starts for p in joined]) if joined else np.zeros(0)
        table = np.concatenate([p.coefficients for p in joined]) if joined else np.zeros((0, 4))
        self.c0, self.c1, self.c2, self.c3 = (np.ascontiguousarray(table[:, k]) for k in range(4))
        self._line_up()
        self._gather_beziers(joined)

    def _line_up(self) -> None:
        """Starts of all lanes in one rising row, each lane's shifted on past the one before it."""
        ends = [float(self.starts.min(initial=0.0)) - 1.0, float(self.starts.max(initial=0.0)) + 1.0]
        self._bounds = ends
        self._shifts = np.arange(len(self.joined)) * (ends[1] - ends[0] + 1.0)
        self._row = self.starts + np.repeat(self._shifts, self.counts)
        self._row[self.first] = ends[0] + self._shifts  # the first piece reaches back without end

    def _gather_beziers(self, joined: list[Pieces]) -> None:
        """Béziers as rows of one array, and named easings by name; ``odd`` says of each piece which row, or -1."""
        rows: list[Any] = []
        eased: dict[str, list[tuple[float, float, float]]] = {}
        self.odd = np.full(len(self.starts), -1, np.intp)
        for part, first in zip(joined, self.first, strict=True):
            for number, row in part.beziers.items():
                self.odd[first + number] = len(rows)
                rows.append(row)
            for number, (span, rise, ease) in part.eased.items():
                eased.setdefault(ease, []).append((first + number, span, rise))
        self.beziers = np.array(rows).reshape(-1, 6).T.copy()
        self.eased = {ease: np.array(found) for ease, found in eased.items()}

    def at(self, frame: float, fps: float) -> np.ndarray:
        """(l,) float64: the value of every lane at one frame."""
        out = np.empty(len(self.lanes))
        if len(self.joined):
            which = self._pieces_at(frame)
            t = frame - self.starts[which]
            value = ((self.c3[which] * t + self.c2[which]) * t + self.c1[which]) * t + self.c0[which]
            self._odd(value, which, t)
            if self.alone:
                out[self.joined] = value
            else:
                out = value
        for number in self.alone:
            out[number] = self.lanes[number].values(frame, fps)
        return out

    def _pieces_at(self, frame: float) -> np.ndarray:
        """(j,): for each joined lane its last piece that starts at or before ``frame``, or its first."""
        inside = min(max(frame, self._bounds[0]), self._bounds[1])
        which = self._row.searchsorted(self._shifts + inside, side="right") - 1
        # the shifts cost digits: a piece that starts just after the frame may have been taken for one that has begun
        return np.where((self.starts[which] > frame) & (which > self.first), which - 1, which)

    def _odd(self, value: np.ndarray, which: np.ndarray, t: np.ndarray) -> None:
        """Put right, in place, the values that lie on Béziers or named easings."""
        if self.beziers.size:
            row = self.odd[which]
            on = np.flatnonzero(row >= 0)
            if len(on):
                span, x1, x2, rise, y1, y2 = self.beziers[:, row[on]]
                s = bezier_parameter(x1, x2, t[on] / span)
                r = 1 - s
                value[on] = self.c0[which[on]] + ((3 * r * y1 + 3 * s * y2) * r + s * s * rise) * s
        for ease, found in self.eased.items():
            place = np.searchsorted(found[:, 0], which)
            place = np.minimum(place, len(found) - 1)
            on = np.flatnonzero(found[place, 0] == which)
            if len(on):
                _, span, rise = found[place[on]].T
                value[on] = self.c0[which[on]] + rise * ease_at(ease, t[on] / span)

    def over(self, frames: np.ndarray, fps: float) -> np.ndarray:
        """(l, f) float64: the values of every lane at many frames (f,), in any order."""
        frames = np.asarray(frames, np.float64).reshape(-1)
        order = None
        if len(frames) > 1 and np.any(np.diff(frames) < 0):
            order = np.argsort(frames, kind="stable")
            frames = frames[order]
        out = np.empty((len(self.lanes), len(frames)))
        per = max(CHUNK // max(len(frames), 1), 1)
        for begin in range(0, len(self.joined), per):
            part = slice(begin, min(begin + per, len(self.joined)))
            out[self.joined[part]] = self._chunk(frames, part)
        for number in self.alone:
            out[number] = self.lanes[number].values(frames, fps)
        if order is not None:
            back = np.empty_like(order)
            back[order] = np.arange(len(order))
            out = out[:, back]
        return out

    def _chunk(self, frames: np.ndarray, part: slice) -> np.ndarray:
        """(lanes of ``part``, f): of sorted frames each piece takes a run, whose length is known from where it starts."""
        first, counts = self.first[part], self.counts[part]
        low, high = first[0], first[-1] + counts[-1]
        begin = np.searchsorted(frames, self.starts[low:high], side="left")
        begin[first - low] = 0
        stop = np.append(begin[1:], len(frames))
        stop[first + counts - 1 - low] = len(frames)
        runs = stop - begin
        t = np.tile(frames, len(first)) - np.repeat(self.starts[low:high], runs)
        value = np.repeat(self.c3[low:high], runs)
        for c in (self.c2, self.c1, self.c0):
            value *= t
            value += np.repeat(c[low:high], runs)
        if self.beziers.size or self.eased:
            self._odd(value, np.repeat(np.arange(low, high), runs), t)
        return value.reshape(len(first), len(frames))

    def by_channel(self, frame: float | np.ndarray, fps: float) -> dict[str, Any]:
        """Values by channel id: numbers at one frame, arrays of the shape of ``frame`` at many."""
        if not self.lanes:
            return {}
        shape = np.shape(frame)
        if not shape:
            return dict(zip((lane.channel for lane in self.lanes), self.at(float(frame), fps).tolist(), strict=True))
        rows = self.over(np.asarray(frame), fps)
        return {lane.channel: row.reshape(shape) for lane, row in zip(self.lanes, rows, strict=True)}


_banks: dict[int, LaneBank] = {}


def lane_bank(lanes: tuple[Lane, ...]) -> LaneBank:
    """The bank of a tuple of lanes, kept for the tuples asked for last (by identity)."""
    bank = _banks.get(id(lanes))
    if bank is None or bank.lanes is not lanes:
        while len(_banks) >= KEPT:
            _banks.pop(list(_banks)[0], None)
        bank = _banks[id(lanes)] = LaneBank(lanes)
    return bank
