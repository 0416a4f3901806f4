"""Lines of a file, as rows of points, as the strands of one line."""

from __future__ import annotations

from collections import Counter

import numpy as np

from fictilis.core.geometry.kinds import Line


def line_of(rows: list[list[int]]) -> tuple[np.ndarray, Line] | None:
    """The points (n,) of rows in the order of strands, and the line of these; None where no two points differ. A row that comes
    back to its first point is closed; rows that meet end to end become one, where no more than two meet in a point."""
    kept, closed = [], []
    for row in chained(rows):
        row = [p for n, p in enumerate(row) if n == 0 or p != row[n - 1]]
        round_ = len(row) > 3 and row[0] == row[-1]
        row = row[:-1] if round_ else row
        if len(row) > 1:
            kept.append(row)
            closed.append(round_)
    if not kept:
        return None
    line = Line(starts=np.cumsum([0, *(len(r) for r in kept)]), closed=np.array(closed))
    return np.concatenate([np.array(row) for row in kept]), line


def chained(strands: list[list[int]]) -> list[list[int]]:
    """Rows of points with those that meet at their ends put together, unless a point is in more than two segments."""
    met = Counter(p for row in strands for p in (row[0], row[-1]))
    inner = {p for row in strands for p in row[1:-1]}
    if not any(count > 1 for count in met.values()) or any(n > 2 for n in met.values()) or inner & set(met):
        return strands
    at: dict[int, list[int]] = {}
    for number, row in enumerate(strands):
        for end in (row[0], row[-1]):
            at.setdefault(end, []).append(number)
    left, out = dict.fromkeys(range(len(strands))), []
    for first in sorted(left, key=lambda n: (all(met[p] > 1 for p in (strands[n][0], strands[n][-1])), n)):
        if first not in left:
            continue
        del left[first]
        row = strands[first] if met[strands[first][0]] == 1 or met[strands[first][-1]] > 1 else strands[first][::-1]
        row = list(row)
        while (onward := next((n for n in at[row[-1]] if n in left), None)) is not None:
            del left[onward]
            more = strands[onward]
            row += more[1:] if more[0] == row[-1] else more[-2::-1]
        out.append(row)
    return out
