"""Lines against SciPy's splines and quadrature, closed forms, brute force, and facts of the trade."""

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.interpolate import BSpline, CubicSpline, make_interp_spline

from fictilis.core.geometry.kinds import Line, Match
from fictilis.core.geometry.lines.fitting import fitted, thinned
from fictilis.core.geometry.lines.line_forms import LINE_FORMS, circle, helix, spiral, star
from fictilis.core.geometry.lines.measuring import Measured, even_places, strands, total_length
from fictilis.core.geometry.lines.reshaping import insert_points, rebuild
from fictilis.core.geometry.lines.splines import drawn, lead_places, shares
from fictilis.core.geometry.lines.strand_matching import least_travel, matched, pair_strands
from fictilis.core.geometry.topology import edges

RNG = np.random.default_rng(14)


def cloud(count):
    return RNG.normal(size=(count, 3))


def one(points, closed=False, **look):
    return Line(starts=np.array([0, len(points)]), closed=np.array([closed]), **look)


@pytest.mark.parametrize("count", [4, 5, 9, 40])
@pytest.mark.parametrize("closed", [False, True])
def test_a_cubic_through_its_points_is_scipys(count, closed):
    """Source: scipy.interpolate.CubicSpline, natural or periodic, at unit steps."""
    points = cloud(count)
    at = np.linspace(0, count if closed else count - 1, 101)
    rows = np.concatenate([points, points[:1]]) if closed else points
    wanted = CubicSpline(np.arange(len(rows)), rows, bc_type="periodic" if closed else "natural")(at)
    assert np.allclose(shares(count, closed, 3, True, at) @ points, wanted, atol=1e-7)


@pytest.mark.parametrize("count", [4, 7, 30])
def test_a_quadratic_through_its_points_is_scipys(count):
    """Source: scipy.interpolate.make_interp_spline, degree 2, whose breaks lie half-way between the points."""
    points, at = cloud(count), np.linspace(0, count - 1, 77)
    assert np.allclose(
        shares(count, False, 2, True, at) @ points, make_interp_spline(np.arange(count), points, k=2)(at), atol=1e-7
    )


@pytest.mark.parametrize("degree", [2, 3])
@pytest.mark.parametrize("count", [5, 12])
def test_a_curve_beside_its_points_is_the_b_spline_they_control(count, degree):
    """Source: scipy.interpolate.BSpline, clamped uniform knots at open ends, periodic ones for closed strands."""
    points, last = cloud(count), count - degree
    knots = np.concatenate([np.zeros(degree), np.arange(last + 1.0), np.full(degree, last)])
    at = np.linspace(0, count - 1, 55)
    assert np.allclose(
        shares(count, False, degree, False, at) @ points, BSpline(knots, points, degree)(at * last / (count - 1))
    )
    wrapped = np.concatenate([points] * 3)
    periodic = BSpline(np.arange(len(wrapped) + degree + 1.0), wrapped, degree)
    at = np.linspace(0, count, 61, endpoint=False)
    assert np.allclose(shares(count, True, degree, False, at) @ points, periodic(at + count + (degree + 1) / 2))


@pytest.mark.parametrize("closed", [False, True])
@pytest.mark.parametrize("degree", [1, 2, 3])
@pytest.mark.parametrize("through", [True, False])
def test_shares_sum_to_one_so_that_a_moved_line_moves_its_curve(closed, degree, through):
    """Common practice, no published source: affine invariance."""
    matrix = drawn(one(cloud(9), closed, degree=degree, through=through)).matrix
    assert matrix is None if degree == 1 else np.allclose(matrix.sum(axis=1), 1.0, atol=1e-8)


def test_lengths_against_quadrature_and_closed_forms():
    """Source: circumference 2πr; helix √((2πrn)² + h²); the spiral of Archimedes by scipy.integrate.quad."""
    points, line = circle(50.0, 200)
    assert total_length(line, points) == pytest.approx(2 * np.pi * 50, rel=1e-5)
    points, line = helix(25.0, 100.0, 4.0, 400)
    assert total_length(line, points) == pytest.approx(np.hypot(2 * np.pi * 25 * 4, 100), rel=1e-5)
    points, line = spiral(50.0, 5.0, 3.0, 300)
    turn = 2 * np.pi * 3
    wanted = quad(lambda u: np.hypot(45.0, (5 + 45 * u) * turn), 0, 1)[0]
    assert total_length(line, points) == pytest.approx(wanted, rel=1e-4)


@pytest.mark.parametrize("closed", [False, True])
def test_even_places_lie_at_even_lengths_of_the_curve(closed):
    """Source: scipy.integrate.quad of the speed of SciPy's own spline between neighbouring places."""
    points = cloud(8) * 10
    strand = Measured(one(points, closed, degree=3), points, 0)
    places = even_places(strand, 12, False)
    rows = np.concatenate([points, points[:1]]) if closed else points
    speed = CubicSpline(np.arange(len(rows)), rows, bc_type="periodic" if closed else "natural").derivative()
    ends = np.concatenate([places, [len(points)]]) if closed else places
    steps = [quad(lambda u: np.linalg.norm(speed(u)), a, b, limit=200)[0] for a, b in zip(ends, ends[1:], strict=False)]
    assert np.allclose(steps, np.mean(steps), rtol=0.02)


def test_a_rebuilt_line_keeps_its_corners_where_asked():
    """A star's ten corners are points of the rebuilt line, and lengths between them are shared evenly."""
    points, line = star(50.0, 22.0, 5)
    kept, loose = (rebuild(line, points, 37, 1, True, corners).base(points) for corners in (True, False))
    near = [np.linalg.norm(new[:, None] - points[None], axis=2).min(axis=0).max() for new in (kept, loose)]
    assert len(kept) == len(loose) == 37 and near[0] < 1e-9 < 0.5 < near[1]
    steps = np.linalg.norm(np.roll(kept, -1, axis=0) - kept, axis=1)
    assert steps.max() / steps.min() < 1.5


@pytest.mark.parametrize("seed", range(6))
def test_start_and_direction_are_those_of_the_least_travel(seed):
    """Source: brute force over every shift and both directions."""
    rng = np.random.default_rng(seed)
    a, b = rng.normal(size=(2, 24, 3)).cumsum(axis=1)
    ways = {False: b, True: np.roll(b[::-1], 1, axis=0)}
    tries = {(s, back): ((a - np.roll(way, -s, axis=0)) ** 2).sum() / 24 for s in range(24) for back, way in ways.items()}
    shift, backwards, travel = least_travel(a, b, True)
    best = min(tries, key=tries.get)
    assert (round(shift * 24) % 24, backwards) == best and travel == pytest.approx(tries[best])
    there, back = ((a - b) ** 2).sum(), ((a - b[::-1]) ** 2).sum()
    assert least_travel(a, b, False)[1] == (back < there)


@pytest.mark.parametrize("direction", [1, -1])
def test_a_turned_circle_of_another_count_matches_point_on_point(direction):
    """Closed form: a circle of 3 r lies nearest to one of r where every point stays on its ray."""
    points, line = circle(10.0, 60)
    angle = direction * np.arange(605) * 2 * np.pi / 605 + 1.234
    other = 30 * np.stack([np.cos(angle), np.sin(angle), 0 * angle], axis=1)
    found = matched(line, points, Match(one(other, True), other))
    assert np.abs(found - 3 * points).max() < 1e-3
    shifted = matched(line, points, Match(one(other, True), other, shift=0.25))
    quarter = np.stack([-points[:, 1], points[:, 0], points[:, 2]], axis=1) * 3
    assert np.abs(shifted - quarter).max() < 2e-3
    back = matched(line, points, Match(one(other, True), other, backwards=True))
    assert np.abs(np.linalg.norm(back, axis=1) - 30).max() < 1e-2 and np.abs(back - 3 * points).max() > 20


def test_strands_are_paired_by_least_travel():
    """Source: brute force over all pairings of four strands."""
    from itertools import permutations

    ours = [c + cloud(7) * 0.2 for c in 5 * cloud(4)]
    theirs = [ours[n] + cloud(7) * 0.1 for n in (2, 0, 3, 1)]
    line = Line(starts=np.arange(5) * 7, closed=np.zeros(4, bool))
    pairing = pair_strands(strands(line, np.concatenate(ours)), strands(line, np.concatenate(theirs)))
    middle = [p.mean(axis=0) for p in ours], [p.mean(axis=0) for p in theirs]
    best = min(permutations(range(4)), key=lambda p: sum(((middle[0][i] - middle[1][j]) ** 2).sum() for i, j in enumerate(p)))
    assert pairing.partner.tolist() == list(best) == [1, 3, 0, 2] and not len(pairing.spare)


def test_a_point_put_into_a_curve_through_its_points_keeps_points_and_middles():
    points, line = helix(25.0, 100.0, 4.0, 65)
    carry = insert_points(line, np.arange(64))
    finer = carry.base(points)
    assert len(finer) == 129 and np.array_equal(finer[::2], points)
    assert np.abs(np.hypot(finer[1:-1:2, 0], finer[1:-1:2, 2])[2:-2] - 25).max() < 0.01


def test_a_freehand_stroke_is_fitted_within_its_tolerance():
    """Closed form: a sine drawn with 400 places, noise far below the tolerance."""
    t = np.linspace(0, 4 * np.pi, 400)
    places = np.stack([10 * t, 20 * np.sin(t), 0 * t], axis=1)
    points, line = fitted(places + 0.01 * cloud(400), 0.3)
    fine = drawn(line).of(points)
    off = np.linalg.norm(places[:, None] - fine[None], axis=2).min(axis=1)
    assert len(points) < 40 and off.max() < 0.6 and np.allclose(points[[0, -1]], places[[0, -1]], atol=0.05)


@pytest.mark.parametrize("tolerance", [1.0, 2.0, 5.0])
def test_a_thinned_polygon_stays_within_its_tolerance(tolerance):
    """Source: the definition of Douglas and Peucker: no place is further from the thinned polygon than the tolerance."""
    places = cloud(300).cumsum(axis=0)
    kept = places[thinned(places, tolerance)]
    along = kept[1:] - kept[:-1]
    part = np.clip(((places[:, None] - kept[:-1]) * along).sum(axis=2) / np.maximum((along**2).sum(axis=1), 1e-12), 0, 1)
    off = np.linalg.norm(places[:, None] - kept[:-1] - part[..., None] * along, axis=2).min(axis=1)
    assert off.max() <= tolerance + 1e-9 and 2 <= len(kept) < 300


@pytest.mark.parametrize("kind", LINE_FORMS)
def test_simple_lines_are_drawn_as_their_formula_says(kind):
    """An open line of 605 points has 604 segments, a closed one 605 (work.md, a fact of the trade)."""
    form = LINE_FORMS[kind]
    points, line = form(points=605) if kind != "Star" else form(spikes=300)
    assert len(points) == line.point_count and len(edges(line)) == line.point_count - (not line.closed[0])
    assert np.isfinite(points).all() and np.ptp(points, axis=0).max() <= 101


@pytest.mark.parametrize("degree", [2, 3])
@pytest.mark.parametrize("closed", [False, True])
@pytest.mark.parametrize("count", [5, 24, 100, 400])
def test_points_that_lead_a_curve_are_found_safely(count, closed, degree):
    """Source: de Boor, A Practical Guide to Splines, ch. XIII: interpolation at the Greville abscissae is well conditioned,
    whatever the count (even places at open ends throw points far away)."""
    places = lead_places(count, closed, degree)
    assert np.linalg.cond(shares(count, closed, degree, False, places).toarray()) < 20
    if not closed:
        last = count - degree
        knots = np.concatenate([np.zeros(degree), np.arange(last + 1.0), np.full(degree, last)])
        means = [knots[n + 1 : n + degree + 1].mean() for n in range(count)]
        assert np.allclose(places * last / (count - 1), means)


@pytest.mark.parametrize("count", [12, 100])
def test_a_wave_rebuilt_beside_its_points_stays_the_wave(count):
    """Common practice, no published source: the rebuilt curve lies on the old one, its points near it."""
    at = np.linspace(0, 3 * np.pi, 90)
    points = np.stack([10 * at, 20 * np.sin(at), 3 * np.cos(2 * at)], axis=1)
    old = one(points, False, degree=3)
    made = rebuild(old, points, count, 3, False, False)
    new = made.matrix @ points
    seen, was = drawn(made.geometry).of(new), drawn(old).of(points)
    off = np.sqrt(((seen[:, None] - was[None]) ** 2).sum(axis=2)).min(axis=1)
    assert off.max() < (4.0 if count == 12 else 0.5) and np.abs(new).max() < 1.2 * np.abs(points).max()


def test_a_line_beside_its_points_is_matched_onto_another_line():
    at = np.linspace(0, 2 * np.pi, 100)
    base = np.stack([20 * at, 0 * at, 0 * at], axis=1)
    other = np.stack([20 * at, 15 * np.sin(at), 0 * at], axis=1)
    line = one(base, False, degree=3, through=False)
    found = matched(line, base, Match(one(other, False), other))
    seen = drawn(line).of(found)
    assert np.abs(seen[:, 1] - 15 * np.sin(seen[:, 0] / 20)).max() < 0.1 and np.abs(found[:, 1]).max() < 16
