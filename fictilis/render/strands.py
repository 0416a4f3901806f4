"""What the graphics side keeps of a line: the points of its curve, how wide it is there, and which follow one another."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np

from fictilis.core.geometry.kinds import WHOLE, Line
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.tubes import in_part

LEAST_WIDTH = 2.0  # pixels


def followers(line: Line, opened: bool = False) -> np.ndarray:
    """(k, 4) int32: for each segment the point before it, its two ends, and the point behind it; ends stand for what is
    missing there. ``opened`` leaves out what closes a strand."""
    points = np.arange(line.point_count)
    strand = np.repeat(np.arange(line.strand_count), line.counts)
    first, last = line.starts[:-1][strand], line.starts[1:][strand] - 1
    closed = line.closed[strand] & (not opened)
    after = np.where(points < last, points + 1, np.where(closed, first, points))
    before = np.where(points > first, points - 1, np.where(closed, last, points))
    segments = np.flatnonzero(after != points)
    ends = after[segments]
    return np.stack([before[segments], segments, ends, after[ends]], axis=1).astype(np.int32)


class Strands:
    """The buffers of one line."""

    def __init__(self, ctx: moderngl.Context, program: Any, line: Line) -> None:
        self.drawn, self._program = drawn(line), program
        fine = self.drawn.line
        count = fine.point_count
        widths = np.zeros(count, np.float32) if fine.widths is None else fine.widths.astype(np.float32)
        self._position = ctx.buffer(reserve=max(12 * count, 12), dynamic=True)
        self._tint = ctx.buffer(reserve=max(4 * count, 4), dynamic=True)
        self._width = ctx.buffer(widths.tobytes() or b"\0" * 4)
        self._orders = [ctx.buffer(followers(fine, opened).tobytes() or b"\0" * 16) for opened in (False, True)]
        parts = [(self._position, "3f", "position"), (self._width, "1f", "width"), (self._tint, "1f", "tint")]
        self._arrays = [ctx.vertex_array(program, parts, order) for order in self._orders]
        self._opened = False

    def fill(self, points: np.ndarray, tint: np.ndarray | None, part: tuple[float, float] = WHOLE) -> None:
        """points : (n, 3) float32, the line's own; tint : (n,) or None; ``part`` of each strand's length that is drawn."""
        self._opened = part != WHOLE
        fine = in_part(self.drawn.line, self.drawn.of(points), part)
        if len(fine):
            self._position.write(np.ascontiguousarray(fine, np.float32))
            shade = np.zeros(len(fine), np.float32) if tint is None else self.drawn.of(tint.astype(np.float32))
            self._tint.write(np.ascontiguousarray(shade, np.float32))

    def render(self) -> None:
        self._arrays[self._opened].render(moderngl.LINES_ADJACENCY)

    def release(self) -> None:
        parts: list[Any] = [*self._arrays, self._position, self._tint, self._width, *self._orders]
        for part in parts:
            part.release()
