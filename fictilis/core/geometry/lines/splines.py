"""A line's curve as a linear map of its points, so that whatever mixes the points mixes the curve.

Source: de Boor, A Practical Guide to Splines, ch. IX (B-splines) and XIII (interpolation); uniform knots. The curve beside
its points is the B-spline they control, clamped at open ends; the one through them has its breaks at the points (degree 3,
natural at open ends) or half-way between them (degree 2).
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.geometry.kinds import Line
from fictilis.core.ground.arrays import cached_by_identity, frozen

STEPS = 8  # samples of a segment of a curve
MOST_SAMPLES = 200_000  # of a line, beyond which segments get fewer
LEAST_SHARE = 1e-9  # shares of points far along the strand that are left out
LEAST_SEEN = 1e-5  # those left out for pictures


def degree_of(count: int, degree: int, closed: bool) -> int:
    """The degree a strand of ``count`` points has: one open needs a point more than its degree, one closed three points."""
    return min(degree, 2 if closed and count < 3 else degree) if closed else min(degree, count - 1)


def shares(count: int, closed: bool, degree: int, through: bool, places: np.ndarray) -> Any:
    """Sparse (p, count): the share of each point of a strand in the curve at ``places`` (p,), which count segments from the
    first point: 0 is the first point's place, count - 1 the last one's (count, where it is closed, the first again)."""
    from scipy.sparse import csr_array

    places = np.asarray(places, np.float64)
    degree = degree_of(count, degree, closed)
    if not len(places):  # which SciPy's matrices refuse
        return csr_array((0, count))
    if degree == 1:
        first = np.clip(np.floor(places).astype(int), 0, count - 1 if closed else count - 2)
        part = places - first
        rows = np.repeat(np.arange(len(places)), 2)
        columns = np.stack([first, (first + 1) % count], axis=1).ravel()
        return csr_array((np.stack([1 - part, part], axis=1).ravel(), (rows, columns)), shape=(len(places), count))
    if closed:
        found = _closed_basis(count, degree, through, places)
    elif through:
        found = _open_basis(count, degree, places) @ _interpolating(count, degree)
    else:
        found = _clamped_basis(count, degree, places * ((count - degree) / (count - 1)))
    found = csr_array(found)
    found.data[np.abs(found.data) < LEAST_SHARE] = 0.0
    found.eliminate_zeros()
    return found


def _clamped_basis(count: int, degree: int, at: np.ndarray) -> Any:
    from scipy.interpolate import BSpline

    last = count - degree
    knots = np.concatenate([np.zeros(degree), np.arange(last + 1.0), np.full(degree, float(last))])
    return BSpline.design_matrix(np.clip(at, 0, last), knots, degree)


def _breaks(count: int, degree: int) -> np.ndarray:
    """Knots of a curve through points 0 … count - 1: at the points, or half-way between them where the degree is even."""
    last = count - 1.0
    inner = np.arange(1.0, last) if degree == 3 else np.arange(1.5, last - 1)
    return np.concatenate([np.zeros(degree + 1), inner, np.full(degree + 1, last)])


def _open_basis(count: int, degree: int, at: np.ndarray) -> Any:
    from scipy.interpolate import BSpline

    return BSpline.design_matrix(np.clip(at, 0, count - 1), _breaks(count, degree), degree)


@lru_cache(64)
def _interpolating(count: int, degree: int) -> Any:
    """(c, count): the controls of the open curve through points, natural at its ends for degree 3."""
    from scipy.interpolate import BSpline
    from scipy.sparse import csr_array, vstack

    knots = _breaks(count, degree)
    system = BSpline.design_matrix(np.arange(float(count)), knots, degree)
    goal = np.eye(count)
    if degree == 3:
        ends = np.zeros((2, len(knots) - degree - 1))
        for row, place in zip(ends, (0.0, count - 1.0), strict=True):
            for column in _near(place, len(row)):
                alone = np.zeros(len(row))
                alone[column] = 1.0
                row[column] = BSpline(knots, alone, degree)(place, nu=2)
        system = vstack([system, csr_array(ends)])
        goal = np.vstack([goal, np.zeros((2, count))])
    return _solved(system, goal)


def _near(place: float, count: int) -> range:
    return range(min(4, count)) if place == 0 else range(max(count - 4, 0), count)


def _solved(system: Any, goal: np.ndarray) -> Any:
    """The sparse matrix that solves a banded system: shares die away along the strand."""
    from scipy.sparse import csc_array, csr_array
    from scipy.sparse.linalg import splu

    found = splu(csc_array(system)).solve(np.ascontiguousarray(goal))
    found[np.abs(found) < LEAST_SHARE] = 0.0
    return csr_array(found)


def _closed_basis(count: int, degree: int, through: bool, places: np.ndarray) -> Any:
    """Uniform periodic B-splines; those of degree 2 through points have their breaks half-way between them."""
    basis = _periodic(count, degree, places)
    if not through:
        return basis
    return basis @ _solved(_periodic(count, degree, np.arange(float(count))), np.eye(count))


def _periodic(count: int, degree: int, places: np.ndarray) -> Any:
    """(p, count): uniform B-splines, the one of control i centred at place i."""
    from scipy.sparse import csr_array

    shift = 0.5 if degree == 2 else 0.0
    span = np.floor(places + shift).astype(int)
    u = places + shift - span
    if degree == 2:
        weights = np.stack([0.5 * (1 - u) ** 2, 0.5 + u * (1 - u), 0.5 * u**2], axis=1)
    else:
        weights = np.stack([(1 - u) ** 3, 3 * u**3 - 6 * u**2 + 4, 1 + 3 * u + 3 * u**2 - 3 * u**3, u**3], axis=1) / 6
    columns = (span[:, None] - 1 + np.arange(degree + 1)) % count
    rows = np.repeat(np.arange(len(places)), degree + 1)
    return csr_array((weights.ravel(), (rows, columns.ravel())), shape=(len(places), count))


def lead_places(count: int, closed: bool, degree: int) -> np.ndarray:
    """(count,): for each point of a strand the place, in segments, at which it leads a curve beside its points most. At these
    the points that make a curve pass given places are found safely, whatever the count.

    Source: the Greville abscissae, knot averages; de Boor, A Practical Guide to Splines, ch. XIII.
    """
    degree = degree_of(count, degree, closed)
    if closed:
        return np.arange(float(count))
    last = count - degree
    knots = np.concatenate([np.zeros(degree), np.arange(last + 1.0), np.full(degree, float(last))])
    means = np.convolve(knots, np.full(degree, 1.0 / degree), "valid")[1:-1]
    return means * ((count - 1) / last)


def controls(count: int, closed: bool, degree: int) -> np.ndarray:
    """(count, count): the points beside which a curve passes given places at ``lead_places``, one for each point."""
    return np.linalg.inv(shares(count, closed, degree, False, lead_places(count, closed, degree)).toarray())


class Drawn(Struct, frozen=True, eq=False, weakref=True, dict=True):
    """What is drawn of a line: ``line``, of degree 1, whose points are ``matrix`` (q, n) times the line's own (None: they are
    the same); ``places`` (q,): how far each lies along its strand, in segments, counted on through all strands' points."""

    line: Line
    matrix: Any
    places: np.ndarray

    def of(self, points: np.ndarray) -> np.ndarray:
        """(q, …): the drawn points of a line's points (n, …), or of any numbers that its points have."""
        if self.matrix is None:
            return points
        return (self._for_pictures if points.dtype == np.float32 else self.matrix) @ points

    @cached_property
    def _for_pictures(self) -> Any:
        """In float32, without the shares that it cannot show."""
        out = self.matrix.astype(np.float32)
        out.data[np.abs(out.data) < LEAST_SEEN] = 0.0
        out.eliminate_zeros()
        return out


@cached_by_identity
def drawn(line: Line) -> Drawn:
    """The line as it is drawn, at up to STEPS samples a segment."""
    if line.degree == 1:
        return Drawn(line, None, frozen(np.arange(line.point_count), np.float64))
    steps = int(np.clip(MOST_SAMPLES // max(line.point_count, 1), 2, STEPS))
    counts, parts, places, known = line.counts, [], [], {}
    for first, count, closed in zip(line.starts[:-1], counts, line.closed, strict=True):
        at = np.arange(count * steps) / steps if closed else np.arange((count - 1) * steps + 1) / steps
        key = (int(count), bool(closed))
        if key not in known:
            known[key] = shares(*key, line.degree, line.through, at)
        parts.append(known[key])
        places.append(first + at)
    matrix = side_by_side(parts)
    starts = np.cumsum([0, *(len(at) for at in places)])
    widths = None if line.widths is None else np.maximum(matrix @ line.widths, 0.0)
    fine = Line(starts=starts, closed=line.closed, widths=widths, tube=line.tube)
    return Drawn(fine, matrix, frozen(np.concatenate(places) if places else [], np.float64))


def side_by_side(parts: Sequence[Any]) -> Any:
    """Sparse matrices as blocks down the diagonal of one, each with rows and columns of its own."""
    from scipy.sparse import csr_array

    if len(parts) == 1:
        return csr_array(parts[0])
    firsts = np.cumsum([0, *(part.shape[1] for part in parts)])
    ends = np.cumsum([0, *(part.nnz for part in parts)])
    indices = np.concatenate([part.indices + first for part, first in zip(parts, firsts, strict=False)])
    indptr = np.concatenate([part.indptr[:-1] + end for part, end in zip(parts, ends, strict=False)] + [ends[-1:]])
    data = np.concatenate([part.data for part in parts])
    return csr_array((data, indices, indptr), shape=(sum(part.shape[0] for part in parts), firsts[-1]))


def curve_at(line: Line, strand: int, places: np.ndarray) -> Any:
    """Sparse (p, n): the share of every point of the line in one strand's curve at ``places``, in segments from its start."""
    from scipy.sparse import csr_array

    first, count = int(line.starts[strand]), int(line.counts[strand])
    own = shares(count, bool(line.closed[strand]), line.degree, line.through, places).tocoo()
    return csr_array((own.data, (own.row, own.col + first)), shape=(len(np.atleast_1d(places)), line.point_count))
