"""Curved paths against SciPy's natural spline; smooth curves against SciPy's cubic solutions and Fritsch and Carlson."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import CubicHermiteSpline, CubicSpline, PchipInterpolator

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.mix.coefficients import cardinals


@pytest.mark.parametrize("inner", [(0.5,), (0.2, 0.7), (-0.4, 0.3, 1.6), (0.1, 0.2, 0.85)])
def test_curved_path_is_the_natural_spline(inner):
    """Source: scipy.interpolate.CubicSpline(bc_type="natural"); linear beyond its ends is model.md's rule."""
    knots = (*inner, 1.0)
    xs = np.array(sorted((0.0, *knots)))
    rng = np.random.default_rng(4)
    stages = rng.normal(size=(len(knots), 30))
    shapes = np.array([np.zeros(30) if x == 0 else stages[knots.index(x)] for x in xs])
    spline = CubicSpline(xs, shapes, bc_type="natural")
    inside = np.linspace(xs[0], xs[-1], 101)
    ours = cardinals(knots, "curved", inside).T @ stages
    assert np.abs(ours - spline(inside)).max() < 1e-11
    for beyond in (xs[0] - 0.7, xs[-1] + 0.7):
        end = min(max(beyond, xs[0]), xs[-1])
        line = spline(end) + spline(end, 1) * (beyond - end)
        assert np.abs(cardinals(knots, "curved", beyond) @ stages - line).max() < 1e-11


frames_and_values = st.lists(
    st.tuples(st.integers(0, 400), st.floats(-10, 10).filter(lambda v: v == 0 or abs(v) > 1e-3)), min_size=3, max_size=10,
    unique_by=lambda p: p[0],
)  # fmt: skip


@given(frames_and_values)
@settings(max_examples=150, deadline=None)
def test_smooth_slopes_are_those_of_a_monotone_interpolant(keys):
    """Source: scipy.interpolate.PchipInterpolator (Fritsch and Butland 1984) between the ends; flat at the ends."""
    keys = sorted(keys)
    frames, values = np.array(keys, float).T
    curve = AnimationCurve(tuple(Key(f, v) for f, v in keys))
    slopes = PchipInterpolator(frames, values).derivative()(frames)
    slopes[[0, -1]] = 0.0
    at = np.linspace(frames[0], frames[-1], 301)
    solution = CubicHermiteSpline(frames, values, slopes)
    assert np.abs(curve.evaluate(at) - solution(at)).max() < 1e-9
    assert np.abs(curve.slope(at[:-1]) - solution(at[:-1], 1)).max() < 1e-9


@given(frames_and_values)
@settings(max_examples=150, deadline=None)
def test_slopes_keep_fritsch_and_carlsons_condition(keys):
    """Source: Fritsch and Carlson (1980): alpha and beta at most 3, and of the secant's sign, is enough to be monotone."""
    keys = sorted(keys)
    frames, values = np.array(keys, float).T
    slopes = AnimationCurve(tuple(Key(f, v) for f, v in keys)).slope(frames)
    secants = np.diff(values) / np.diff(frames)
    for secant, a, b in zip(secants, slopes[:-1], slopes[1:], strict=True):
        if secant == 0:
            assert a == 0 and b == 0
        else:
            assert -1e-12 <= a / secant <= 3 + 1e-9 and -1e-12 <= b / secant <= 3 + 1e-9
