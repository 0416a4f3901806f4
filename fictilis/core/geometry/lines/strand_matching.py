"""One line made to match another: paired strands, a start and a direction of least travel, and places by length or corners.

Source: the shift of a closed strand maximises the circular cross-correlation of evenly spaced places (for a fixed number of
them Σ|aᵢ - bᵢ₊ₖ|² is least where Σ aᵢ·bᵢ₊ₖ is largest), found by the fast Fourier transform; pairs by linear assignment.
"""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from fictilis.core.geometry.kinds import Line, Match
from fictilis.core.geometry.lines.measuring import Measured, strands
from fictilis.core.geometry.lines.splines import controls, lead_places

ROUND = 512  # evenly spaced places that two strands are compared by
MOST_PAIRS = 2500  # pairs of strands that are compared by travel; more of them by their middles
SKIPPED = 0.08  # what leaving a corner without a partner costs, in fractions of the length
NEAR_CORNER = 0.12  # corners further apart along the strands are none of one another


class Pairing(Struct, frozen=True, eq=False):
    """For each strand of the base that of the other line, or -1; and the other's that are left over."""

    partner: np.ndarray
    spare: np.ndarray


def _even(strand: Measured, count: int = ROUND) -> np.ndarray:
    """(count, 3): places at even lengths, the end of an open strand among them."""
    return strand.near(strand.places(np.arange(count) / (count if strand.closed else count - 1)))


def pair_strands(own: list[Measured], others: list[Measured]) -> Pairing:
    """Which strand becomes which, so that all of them together travel least; closed ones become open only where they must."""
    from scipy.optimize import linear_sum_assignment

    cost = np.empty((len(own), len(others)))
    if cost.size <= MOST_PAIRS:
        ours, theirs = [_even(s, 64) for s in own], [_even(s, 64) for s in others]
        for i in range(len(own)):
            for j, b in enumerate(others):
                cost[i, j] = least_travel(ours[i], theirs[j], b.closed)[2]
    else:
        middles, its = (np.array([s.own.mean(axis=0) for s in part]) for part in (own, others))
        cost = ((middles[:, None] - its[None]) ** 2).sum(axis=2)
    ours_closed, its_closed = (np.array([s.closed for s in part], bool) for part in (own, others))
    cost[ours_closed[:, None] != its_closed] += 1.0 + 4 * cost.max(initial=0.0) * max(cost.shape)
    partner = np.full(len(own), -1)
    rows, columns = linear_sum_assignment(cost)
    partner[rows] = columns
    return Pairing(partner, np.setdiff1d(np.arange(len(others)), columns))


def least_travel(
    a: np.ndarray, b: np.ndarray, closed: bool, ways: tuple[bool, ...] = (False, True)
) -> tuple[float, bool, float]:
    """How to run along b so that it lies nearest to a: the shift as a fraction of its length, whether backwards, and the mean
    of squared distances. a, b : (n, 3), evenly spaced; a closed b may begin anywhere; ``ways``: backwards or not."""
    square = (a**2).sum() + (b**2).sum()
    best = (0.0, False, np.inf)
    if not closed:
        for backwards in ways:
            travel = float((square - 2 * (a * (b[::-1] if backwards else b)).sum()) / len(a))
            best = (0.0, backwards, travel) if travel < best[2] else best
        return best
    ahead = np.fft.rfft(a, axis=0)
    for backwards in ways:
        other = np.roll(b[::-1], 1, axis=0) if backwards else b
        likeness = np.fft.irfft(np.conj(ahead) * np.fft.rfft(other, axis=0), len(a), axis=0).sum(axis=1)
        at = int(np.argmax(likeness))
        low, middle, high = likeness[at - 1], likeness[at], likeness[(at + 1) % len(a)]
        bend = low - 2 * middle + high
        part = 0.5 * (low - high) / bend if bend < 0 else 0.0
        travel = float((square - 2 * middle) / len(a))
        if travel < best[2] - 1e-12 * abs(square):
            best = ((at + part) / len(a) % 1.0, backwards, travel)
    return best


def _aligned(ours: np.ndarray, theirs: np.ndarray) -> list[tuple[int, int]]:
    """Pairs of corners, both in order along the strands, near to one another and as few left over as that allows."""
    rows, columns = len(ours), len(theirs)
    cost = np.zeros((rows + 1, columns + 1))
    cost[1:, 0], cost[0, 1:] = SKIPPED * np.arange(1, rows + 1), SKIPPED * np.arange(1, columns + 1)
    for i in range(1, rows + 1):
        for j in range(1, columns + 1):
            gap = abs(ours[i - 1] - theirs[j - 1])
            pair = cost[i - 1, j - 1] + gap if gap <= NEAR_CORNER else np.inf
            cost[i, j] = min(pair, cost[i - 1, j] + SKIPPED, cost[i, j - 1] + SKIPPED)
    out, i, j = [], rows, columns
    while i and j:
        gap = abs(ours[i - 1] - theirs[j - 1])
        if gap <= NEAR_CORNER and np.isclose(cost[i, j], cost[i - 1, j - 1] + gap):
            out.append((i - 1, j - 1))
            i, j = i - 1, j - 1
        elif np.isclose(cost[i, j], cost[i - 1, j] + SKIPPED):
            i -= 1
        else:
            j -= 1
    return out[::-1]


def _kept_corners(own: Measured, fractions: np.ndarray, corners: np.ndarray) -> np.ndarray:
    """Fractions of the other strand for our points: near corners become each other, and any other corner that is left takes
    the point nearest to it. All in fractions as our strand runs; ``corners`` are the other's, rising."""
    ours = fractions[own.corners()]
    pairs = _aligned(ours, corners)
    knots = [(0.0, 0.0), *((float(ours[i]), float(corners[j])) for i, j in pairs), (1.0, 1.0)]
    x, y = (np.array(side) for side in zip(*knots, strict=True))
    order = np.concatenate([[True], np.diff(x) > 1e-12])
    out = np.interp(fractions, x[order], y[order])
    taken = {int(p) for p in own.corners()[[i for i, _ in pairs]]}
    for j in sorted(set(range(len(corners))) - {j for _, j in pairs}):
        for point in np.argsort(np.abs(out - corners[j])):
            if int(point) not in taken:
                taken.add(int(point))
                out[point] = corners[j]
                break
    return np.sort(out)


def matched_strand(own: Measured, other: Measured, match: Match) -> np.ndarray:
    """(k, 3): where our points go on the other strand."""
    line = own.line
    places = np.arange(float(own.count)) if line.through else lead_places(own.count, own.closed, line.degree)
    fractions = own.fractions(places)
    even, its = _even(own), _even(other)
    shift, backwards, _ = least_travel(even, its, other.closed)
    if match.backwards:
        shift, backwards, _ = least_travel(even, its, other.closed, (not backwards,))
    start = shift + match.shift if other.closed else 0.0
    if match.corners and len(other.corners()):
        corners = other.fractions(other.corners().astype(np.float64))
        seen = (1 - corners if backwards else corners) - start
        seen = np.sort(seen % 1.0 if other.closed else seen)
        fractions = _kept_corners(own, fractions, seen)
    run = fractions + start
    return other.at(other.places(1 - run if backwards else run))


def matched(line: Line, base: np.ndarray, match: Match) -> np.ndarray:
    """(n, 3): where the points of a line with base points (n, 3) go on the other line. Of strands without a partner every
    point goes to the nearest place of the other line.

    Where the curves run beside their points the places are those of the curve, and the points follow from them.
    """
    own, others = strands(line, base), strands(match.line, match.points)
    partner = pair_strands(own, others).partner
    out = np.empty((line.point_count, 3))
    for number, strand in enumerate(own):
        rows = slice(line.starts[number], line.starts[number + 1])
        if partner[number] >= 0:
            found = matched_strand(strand, others[partner[number]], match)
            out[rows] = controls(strand.count, strand.closed, line.degree) @ found if not line.through else found
        else:
            middle = strand.own.mean(axis=0)
            every = np.concatenate([_even(s) for s in others])
            out[rows] = every[np.argmin(((every - middle) ** 2).sum(axis=1))]
    return out


def missing_strands(line: Line, base: np.ndarray, match: Match) -> list[tuple[int, bool, np.ndarray]]:
    """What the line lacks to become the other one: (points, closed, middle (3,)) of every strand left over there."""
    others = strands(match.line, match.points)
    spare = pair_strands(strands(line, base), others).spare
    return [(others[n].count, others[n].closed, others[n].own.mean(axis=0)) for n in spare.tolist()]
