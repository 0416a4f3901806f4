"""Tubes: a profile led along a line, and lines that are drawn in part.

Source: frames that turn least by the double reflection of Wang, Jüttler, Zheng and Liu, Computation of Rotation Minimizing
Frames, ACM Transactions on Graphics 27 (2008); around a closed strand what is left of a turn is shared out evenly.
"""

from __future__ import annotations

import numpy as np

from fictilis.core.geometry.kinds import MOST_PROFILE, WHOLE, Line, Mesh, Tube
from fictilis.core.geometry.lines.measuring import Measured
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.ground.arrays import cached_by_identity
from fictilis.core.ground.errors import EditRefused

REGULAR = ("round", "box")  # profiles that a turn by one corner lays on themselves
THIN = 2.0  # cm, of a tube whose line has no width of its own


def round_profile(sides: int) -> np.ndarray:
    """(sides, 2): a circle of diameter 1."""
    angle = np.arange(sides) * 2 * np.pi / sides
    return 0.5 * np.stack([np.cos(angle), np.sin(angle)], axis=1)


def box_profile() -> np.ndarray:
    """(4, 2): a square of side 1."""
    return np.array([[0.5, 0.5], [-0.5, 0.5], [-0.5, -0.5], [0.5, -0.5]])


def line_profile(line: Line, points: np.ndarray) -> np.ndarray:
    """(k, 2): the first closed strand of another line, flat in X and Y, centred, its larger side 1, counter-clockwise."""
    closed = np.flatnonzero(line.closed)
    if not len(closed):
        raise EditRefused("The line has no closed strand, which a profile needs.")
    strand = Measured(line, points, int(closed[0]))
    if len(strand.own) > MOST_PROFILE:
        raise EditRefused(f"The line has a closed strand of {len(strand.own):,} places; a profile has up to {MOST_PROFILE:,}.")
    flat = strand.own[:, :2] - (strand.own[:, :2].min(axis=0) + strand.own[:, :2].max(axis=0)) / 2
    size = float(np.ptp(flat, axis=0).max())
    if size <= 0:
        raise EditRefused("The line is a single place in X and Y, and no profile.")
    flat = flat / size
    x, y = flat.T
    area = float(x @ np.roll(y, -1) - y @ np.roll(x, -1))
    return flat if area >= 0 else flat[::-1].copy()


def closing(tube: Tube) -> tuple[int, float]:
    """How a twisted tube closes: by how many corners of the profile the last ring meets the first one, and the twist in
    degrees that this takes: of a regular profile the nearest that fits onto itself, of any other whole turns."""
    sides = len(tube.profile)
    if tube.word not in REGULAR:
        return 0, 360.0 * round(tube.twist / 360.0)
    corners = round(tube.twist / 360.0 * sides)
    return corners % sides, 360.0 * corners / sides


def clamped(line: Line, points: np.ndarray, span: tuple[float, float]) -> tuple[np.ndarray, np.ndarray]:
    """Which two of a line's points each point lies between, drawn only from ``span[0]`` to ``span[1]`` of each strand's length:
    (q, 2) int64, and the part (q,) of the way. What lies outside is drawn together into the ends. Degree 1 only."""
    count = line.point_count
    pairs, part = np.stack([np.arange(count)] * 2, axis=1), np.zeros(count)
    low, high = min(span), max(span)
    if (low, high) == WHOLE or low <= 0 and high >= 1:
        return pairs, part
    for strand in range(line.strand_count):
        own = Measured(line, points, strand)
        at = own.fractions(np.arange(own.count, dtype=np.float64))
        place = own.places(np.clip(at, max(low, 0.0), min(high, 1.0 - 1e-12) if own.closed else min(high, 1.0)))
        first = np.minimum(np.floor(place).astype(int), own.count - 1)
        rows = slice(line.starts[strand], line.starts[strand + 1])
        after = (first + 1) % own.count if own.closed else np.minimum(first + 1, own.count - 1)
        pairs[rows] = line.starts[strand] + np.stack([first, after], axis=1)
        part[rows] = place - first
    return pairs, part


def in_part(line: Line, points: np.ndarray, span: tuple[float, float]) -> np.ndarray:
    """(q, 3): the points of a line of degree 1 as it is drawn in part; closed strands open there."""
    if span == WHOLE:
        return points
    pairs, part = clamped(line, points, span)
    share = part[:, None].astype(points.dtype)
    return points[pairs[:, 0]] * (1 - share) + points[pairs[:, 1]] * share


def _tangents(points: np.ndarray, closed: bool) -> np.ndarray:
    """(s, r, 3) unit tangents of strands (s, r, 3) of one count; where a strand stands still, those before it."""
    if closed:
        along = np.roll(points, -1, axis=1) - np.roll(points, 1, axis=1)
    else:
        steps = np.diff(points, axis=1)
        along = np.concatenate([steps[:, :1], steps[:, :-1] + steps[:, 1:], steps[:, -1:]], axis=1)
    size = np.linalg.norm(along, axis=2)
    known = size > 1e-12 * max(float(np.abs(points).max(initial=0.0)), 1e-9)
    last = np.maximum.accumulate(np.where(known, np.arange(known.shape[1]), 0), axis=1)
    along = np.take_along_axis(along, last[..., None], axis=1)
    first = np.argmax(known, axis=1)
    lead = np.take_along_axis(along, first[:, None, None], axis=1)
    empty = ~np.take_along_axis(known, last, axis=1)
    along = np.where(empty[..., None], lead, along)
    size = np.linalg.norm(along, axis=2, keepdims=True)
    return np.where(size > 0, along / np.where(size > 0, size, 1), [1.0, 0.0, 0.0])


def _reflections(v: np.ndarray) -> np.ndarray:
    """(…, 3, 3): reflections at the planes across v (…, 3); nothing where v is nothing."""
    square = (v * v).sum(axis=-1)[..., None, None]
    outer = v[..., :, None] * v[..., None, :]
    return np.eye(3) - np.where(square > 1e-30, 2 * outer / np.where(square > 1e-30, square, 1), 0.0)


def frames(points: np.ndarray, closed: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(s, r, 3) each: tangents, and two sides across them that turn as little as they can, of strands (s, r, 3)."""
    t = _tangents(np.asarray(points, np.float64), closed)
    v1 = np.diff(points, axis=1)
    first = _reflections(v1)
    v2 = t[:, 1:] - np.einsum("srij,srj->sri", first, t[:, :-1])
    turns = _reflections(v2) @ first
    reach = 1
    while reach < turns.shape[1]:  # all products so far at once, by doubling
        turns[:, reach:] = turns[:, reach:] @ turns[:, :-reach].copy()
        reach *= 2
    start = np.eye(3)[np.argmin(np.abs(t[:, 0]), axis=1)]
    side = np.cross(t[:, 0], start)
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    sides = np.concatenate([side[:, None], np.einsum("srij,sj->sri", turns, side)], axis=1)
    sides -= (sides * t).sum(axis=2, keepdims=True) * t
    sides /= np.linalg.norm(sides, axis=2, keepdims=True)
    other = np.cross(t, sides)
    if closed:  # the frame that comes back is turned against the first; the turn is taken back along the way
        back = _reflections(points[:, :1] - points[:, -1:])[:, 0]
        v = t[:, 0] - np.einsum("sij,sj->si", back, t[:, -1])
        come = np.einsum("sij,sj->si", _reflections(v) @ back, sides[:, -1])
        angle = np.arctan2((come * other[:, 0]).sum(axis=1), (come * sides[:, 0]).sum(axis=1))
        turn = -angle[:, None] * np.arange(points.shape[1]) / points.shape[1]
        sides, other = _turned(sides, other, turn)
    return t, sides, other


def _turned(sides: np.ndarray, other: np.ndarray, angle: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    c, s = np.cos(angle)[..., None], np.sin(angle)[..., None]
    return c * sides + s * other, c * other - s * sides


@cached_by_identity
def tube_mesh(line: Line) -> Mesh:
    """The faces of a line's tube: a ring of the profile at every drawn point, and where asked caps at open ends. UVs run once
    around and once along every strand."""
    return _ringed(line, opened=False)


@cached_by_identity
def opened_tube_mesh(line: Line) -> Mesh:
    """The same of a line that is drawn in part: closed strands are open there."""
    return _ringed(line, opened=True)


def _ringed(line: Line, opened: bool) -> Mesh:
    assert line.tube is not None
    fine, sides = drawn(line).line, len(line.tube.profile)
    quads, uv_quads, caps, uvs, uv_first = [], [], [], [], 0
    k = np.arange(sides)
    for start, end, closed in zip(fine.starts.tolist(), fine.starts[1:].tolist(), fine.closed.tolist(), strict=False):
        count, closed = end - start, closed and not opened
        rows = np.arange(count if closed else count - 1)[:, None]
        after = (rows + 1) % count
        a, b = (start + rows) * sides + k, (start + rows) * sides + (k + 1) % sides
        shift = np.where(after == 0, closing(line.tube)[0], 0) if closed else 0
        c, d = (start + after) * sides + (k + 1 + shift) % sides, (start + after) * sides + (k + shift) % sides
        quads.append(np.stack([a, b, c, d], axis=2).reshape(-1, 4))
        u, v = uv_first + rows * (sides + 1) + k, uv_first + (rows + 1) * (sides + 1) + k
        uv_quads.append(np.stack([u, u + 1, v + 1, v], axis=2).reshape(-1, 4))
        around, along = np.meshgrid(np.arange(sides + 1) / sides, np.linspace(0, 1, len(rows) + 1))
        uvs.append(np.stack([around.ravel(), along.ravel()], axis=1))
        uv_first += (len(rows) + 1) * (sides + 1)
        if not closed and line.tube.caps:
            caps += [(start * sides + k)[::-1], (end - 1) * sides + k]
    corners = np.concatenate([np.concatenate(quads).ravel(), *caps])
    sizes = np.concatenate([np.full(sum(map(len, quads)), 4), np.full(len(caps), sides)])
    uv_corners = np.concatenate([np.concatenate(uv_quads).ravel(), np.full(len(caps) * sides, -1)])
    offsets = np.concatenate([[0], np.cumsum(sizes)])
    return Mesh(fine.point_count * sides, corners, offsets, np.concatenate(uvs), uv_corners)


@cached_by_identity
def _wide(line: Line) -> np.ndarray:
    """(q,): how wide the tube is at each drawn point."""
    assert line.tube is not None
    fine = drawn(line).line
    wide = np.full(fine.point_count, THIN) if fine.widths is None else fine.widths.copy()
    if line.tube.radius is not None:
        for start, end, closed in zip(fine.starts, fine.starts[1:], fine.closed, strict=False):
            along = np.arange(end - start) / max(end - start - (0 if closed else 1), 1)
            wide[start:end] *= np.maximum(line.tube.radius.evaluate(along), 0.0)
    return wide


def ring_radii(line: Line) -> np.ndarray:
    """(q,): how far the tube reaches from the line at each drawn point."""
    assert line.tube is not None
    return _wide(line) * float(np.linalg.norm(line.tube.profile, axis=1).max())


def _turning(tube: Tube, along: np.ndarray, closed: bool) -> np.ndarray:
    """(r,) degrees by the curve; around a closed strand without what would keep it from closing."""
    if tube.turning is None:
        return np.zeros(len(along))
    turned = tube.turning.evaluate(along)
    first, last = (float(tube.turning.evaluate(at)) for at in (0.0, 1.0))
    return turned - (last - first) * along if closed else turned


def tube_points(line: Line, points: np.ndarray, span: tuple[float, float] = WHOLE) -> np.ndarray:
    """(q sides, 3) float64: the points of a line's tube where the line's own points are at (n, 3)."""
    assert line.tube is not None
    fine = drawn(line).line
    places = drawn(line).of(np.asarray(points, np.float64))
    side, other = np.empty_like(places), np.empty_like(places)
    wide = _wide(line)
    counts = fine.counts
    for count, closed in {(int(c), bool(r)) for c, r in zip(counts, fine.closed, strict=True)}:
        strands = np.flatnonzero((counts == count) & (fine.closed == closed))
        rows = fine.starts[strands][:, None] + np.arange(count)
        _, one, two = frames(places[rows], closed)
        whole = closing(line.tube)[1] if closed else line.tube.twist
        along = np.arange(count) / max(count - (0 if closed else 1), 1)
        twist = np.radians(whole * along + _turning(line.tube, along, closed))
        side[rows], other[rows] = _turned(one, two, np.broadcast_to(twist, one.shape[:2]))
    if span != WHOLE:
        pairs, part = clamped(fine, places, span)
        near = pairs[np.arange(len(pairs)), (part > 0.5).astype(int)]
        places = in_part(fine, places, span)
        side, other, wide = side[near], other[near], wide[near]
    x, y = line.tube.profile.T
    rings = (side[:, None] * x[:, None] + other[:, None] * y[:, None]) * wide[:, None, None] + places[:, None]
    return rings.reshape(-1, 3)
