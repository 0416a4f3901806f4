"""Changes of a line's points, each as a matrix, so that every target, mask and pick is carried through."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from fictilis.core.geometry.carry.carry import Carry
from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.lines.measuring import even_places, strands
from fictilis.core.geometry.lines.splines import controls, lead_places, shares, side_by_side
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.errors import EditRefused

Strand = tuple[np.ndarray, bool]  # points of the old line, in order, and whether the strand is closed


def line_of(old: Line, matrix: Any, starts: Any, closed: Any, **more: Any) -> Line:
    """A line whose points are ``matrix`` times those of an old one, drawn as that one but for what ``more`` says."""
    look: dict[str, Any] = {"degree": old.degree, "through": old.through, "tube": old.tube} | more
    widths = None if old.widths is None else np.maximum(matrix @ old.widths, 0.0)
    return Line(starts=starts, closed=closed, widths=widths, **look)


def _carry(old: Line, matrix: Any, starts: Any, closed: Any, pick: Pick, **more: Any) -> Carry:
    return Carry(line_of(old, matrix, starts, closed, **more), matrix, np.zeros(0, np.int64), pick=pick)


def _rows(count: int, indices: np.ndarray) -> Any:
    from scipy.sparse import csr_array

    return csr_array((np.ones(len(indices)), indices, np.arange(len(indices) + 1)), shape=(len(indices), count))


def _strands(line: Line) -> list[Strand]:
    return [(np.arange(a, b), bool(c)) for a, b, c in zip(line.starts, line.starts[1:], line.closed, strict=False)]


def _arranged(line: Line, parts: Sequence[Strand], pick: Sequence[int] | np.ndarray = ()) -> Carry:
    """A line of the same points, arranged in other strands; one with too few for itself goes. ``pick`` are old points."""
    parts = [(points, closed and len(points) > 2) for points, closed in parts if len(points) > 1]
    if not parts:
        raise EditRefused("Nothing would be left of the line; a strand needs two points.")
    indices = np.concatenate([points for points, _ in parts])
    starts = np.cumsum([0, *(len(points) for points, _ in parts)])
    chosen = Pick("points", np.flatnonzero(np.isin(indices, pick)))
    return _carry(line, _rows(line.point_count, indices), starts, [c for _, c in parts], chosen)


def insert_points(line: Line, segments: np.ndarray) -> Carry:
    """A point in the middle of each segment, given by its first point; on the curve where it runs through its points."""
    if not len(segments):
        raise EditRefused("Pick two points that follow one another, or an edge; a point is put between them.")
    blocks, chosen = [], []
    known: dict[tuple[int, bool, bytes], Any] = {}
    degree = line.degree if line.through else 1
    on = np.zeros(line.point_count, bool)
    on[segments] = True
    for start, count, closed in zip(line.starts.tolist(), line.counts.tolist(), line.closed.tolist(), strict=False):
        middles = np.flatnonzero(on[start : start + count])
        places = np.sort(np.concatenate([np.arange(count), middles + 0.5]))
        key = (count, closed, middles.tobytes())
        if key not in known:
            known[key] = _inserted(count, closed, degree, line.through, places)
        blocks.append(known[key])
        chosen.append(places % 1 > 0)
    starts = np.cumsum([0, *(block.shape[0] for block in blocks)])
    pick = Pick("points", np.flatnonzero(np.concatenate(chosen)))
    return _carry(line, side_by_side(blocks), starts, line.closed, pick)


def _inserted(count: int, closed: bool, degree: int, through: bool, places: np.ndarray) -> Any:
    """The points of a strand as they are, and those between them on its curve."""
    from scipy.sparse import csr_array, vstack

    whole = places % 1 == 0
    kept = _rows(count, places[whole].astype(int))
    between = shares(count, closed, degree, through, places[~whole])
    order = np.empty(len(places), int)
    order[np.flatnonzero(whole)] = np.arange(whole.sum())
    order[np.flatnonzero(~whole)] = whole.sum() + np.arange((~whole).sum())
    return csr_array(csr_array(vstack([kept, between], format="csr"))[order])


def delete_points(line: Line, points: np.ndarray) -> Carry:
    """The line without some points; a strand left with one goes, a closed one left with two opens."""
    gone = np.isin(np.arange(line.point_count), points)
    return _arranged(line, [(own[~gone[own]], closed) for own, closed in _strands(line)])


def split(line: Line, points: np.ndarray) -> Carry:
    """Strands cut at points, each of which then stands at both sides; a closed strand opens at its first cut."""
    parts: list[Strand] = []
    cuts = 0
    for own, closed in _strands(line):
        at = np.flatnonzero(np.isin(own, points))
        if closed and len(at):
            own = np.concatenate([np.roll(own, -at[0]), own[at[:1]]])
            at, closed, cuts = at[1:] - at[0], False, cuts + 1
        at = at[(at > 0) & (at < len(own) - 1)] if not closed else at
        cuts += len(at)
        bounds = [0, *at.tolist(), len(own) - 1]
        parts += [(own, True)] if closed else [(own[a : b + 1], False) for a, b in zip(bounds, bounds[1:], strict=False)]
    if not cuts:
        raise EditRefused("Pick points inside a strand; the ends of an open strand have nothing to be cut off.")
    return _arranged(line, parts, points)


def join(line: Line, points: np.ndarray) -> Carry:
    """Two ends joined by a segment: of one strand, which closes, or of two, which become one."""
    ends = [int(p) for p in points]
    strand = line.strand_of(points).tolist() if len(points) else []
    parts = _strands(line)
    if len(ends) != 2 or any(
        parts[s][1] or p not in (parts[s][0][0], parts[s][0][-1]) for s, p in zip(strand, ends, strict=True)
    ):
        raise EditRefused("Pick two ends of open strands to join.")
    first, second = sorted(zip(strand, ends, strict=True))
    if first[0] == second[0]:
        if len(parts[first[0]][0]) < 3:
            raise EditRefused("A strand of two points cannot be closed; put a point between them first.")
        return _arranged(line, [(own, closed or n == first[0]) for n, (own, closed) in enumerate(parts)], points)
    a, b = parts[first[0]][0], parts[second[0]][0]
    a = a if a[-1] == first[1] else a[::-1]
    b = b if b[0] == second[1] else b[::-1]
    joined: list[Strand] = [(np.concatenate([a, b]), False) if n == first[0] else part for n, part in enumerate(parts)]
    return _arranged(line, [part for n, part in enumerate(joined) if n != second[0]], points)


def _named(line: Line, points: np.ndarray) -> np.ndarray:
    """(s,) bool: the strands that have any of the points, or all where there are none."""
    if not len(points):
        return np.ones(line.strand_count, bool)
    return np.isin(np.arange(line.strand_count), line.strand_of(points))


def close(line: Line, points: np.ndarray, on: bool = True) -> Carry:
    """Strands closed, or opened after their last point: those that have any of the points, or all where there are none."""
    named = _named(line, points)
    parts = _strands(line)
    if on and any(len(own) < 3 for (own, _), chosen in zip(parts, named, strict=True) if chosen):
        raise EditRefused("A strand of two points cannot be closed; put a point between them first.")
    return _arranged(line, [(own, on if n else closed) for (own, closed), n in zip(parts, named, strict=True)], points)


def reverse(line: Line, points: np.ndarray) -> Carry:
    """Strands run the other way; a closed one still begins with the same point."""

    def turned(own: np.ndarray, closed: bool) -> np.ndarray:
        return np.roll(own[::-1], 1) if closed else own[::-1]

    named = _named(line, points)
    parts = zip(_strands(line), named, strict=True)
    return _arranged(line, [(turned(own, closed) if n else own, closed) for (own, closed), n in parts], points)


def start_at(line: Line, points: np.ndarray) -> Carry:
    """Closed strands begin at the picked point."""
    parts = []
    for own, closed in _strands(line):
        at = np.flatnonzero(np.isin(own, points))
        if len(at) > 1 or len(at) and not closed:
            raise EditRefused("Pick one point of a closed strand; it becomes its first.")
        parts.append((np.roll(own, -int(at[0])) if len(at) else own, closed))
    return _arranged(line, parts, points)


def rebuild(line: Line, base: np.ndarray, count: int, degree: int, through: bool, corners: bool) -> Carry:
    """Every strand with ``count`` points, evenly along the curve of the base (n, 3), and another degree.

    A curve beside its points gets points whose curve passes places of the old one, each at the length at which a point leads.
    """
    from scipy.sparse import csr_array

    blocks = []
    for strand, measured in enumerate(strands(line, base)):
        least = 3 if measured.closed else 2
        if count < least:
            raise EditRefused(f"{count} points are too few; a {'closed' if measured.closed else 'open'} strand needs {least}.")
        try:
            at = even_places(measured, count, corners and degree == 1)
        except ValueError as error:
            raise EditRefused(f"The strand {strand + 1} has too many corners: {error}.") from None
        if not through:
            at = measured.places(lead_places(count, measured.closed, degree) / (count if measured.closed else count - 1))
        own = shares(measured.count, measured.closed, line.degree, line.through, at)
        if not through:
            own = csr_array(controls(count, measured.closed, degree) @ own)
        blocks.append(own)
    matrix = side_by_side(blocks)
    starts = np.arange(line.strand_count + 1) * count
    return _carry(line, matrix, starts, line.closed, Pick(), degree=degree, through=through)


def grown(line: Line, base: np.ndarray, more: Sequence[tuple[int, bool, np.ndarray]]) -> Carry:
    """The line with strands added that are a single place yet: (points, closed, near where (3,)), at the nearest point."""
    from scipy.sparse import csr_array, eye_array, vstack

    rows, counts, closed = [], line.counts.tolist(), line.closed.tolist()
    for count, round_, where in more:
        nearest = int(np.argmin(((base - where) ** 2).sum(axis=1)))
        rows.append(_rows(line.point_count, np.full(count, nearest)))
        counts.append(count)
        closed.append(round_)
    matrix = csr_array(vstack([eye_array(line.point_count, format="csr"), *rows], format="csr"))
    return _carry(line, matrix, np.cumsum([0, *counts]), closed, Pick())
