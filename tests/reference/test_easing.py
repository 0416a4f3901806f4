"""Easings and Béziers against published values and independent solvers."""

import numpy as np
import pytest
import pytweening
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.easing import KEYWORDS, NAMED, ease_at, handles_of
from fictilis.core.ground.errors import EditRefused


def test_keywords_are_the_published_béziers():
    """Source: CSS Easing Functions Level 1, 2.2: the keywords ease, ease-in, ease-out and ease-in-out."""
    assert KEYWORDS == {
        "ease": (0.25, 0.1, 0.25, 1),
        "ease-in": (0.42, 0, 1, 1),
        "ease-out": (0, 0, 0.58, 1),
        "ease-in-out": (0.42, 0, 0.58, 1),
    }
    assert handles_of("cubic-bezier(0.1, -0.6, .2, 2.5)") == (0.1, -0.6, 0.2, 2.5)


@pytest.mark.parametrize(
    ("ease", "value"), [("ease", 0.8024033877399112), ("ease-in", 0.3153568), ("ease-out", 0.6846432), ("ease-in-out", 0.5)]
)
def test_values_half_way(ease, value):
    """Source: values from memory, as browsers compute them half-way; to six digits."""
    assert ease_at(ease, np.array(0.5)) == pytest.approx(value, abs=2e-6)


def test_a_bézier_easing_keeps_its_ends_and_a_wrong_one_is_refused():
    """Source: CSS Easing Functions Level 1, 2.2.1: P0 is (0, 0), P3 is (1, 1), both x within 0…1."""
    for ease in KEYWORDS:
        assert np.allclose(ease_at(ease, np.array([0.0, 1.0])), [0, 1])
    for wrong in ("cubic-bezier(1.2, 0, 0, 1)", "cubic-bezier(0, 0, 1)", "wobbly", "cubic-bezier(0,0,-0.1,1)"):
        with pytest.raises(EditRefused):
            handles_of(wrong)


NAMES = {"in": "easeIn", "out": "easeOut", "in-out": "easeInOut"}


@pytest.mark.parametrize("name", [n for n in NAMED if not n.startswith("elastic")])
def test_named_easings_are_those_of_a_general_tween_library(name):
    """Source: pytweening. Elastic is left out: libraries differ in its period; see the next test."""
    kind, _, way = name.partition("-")
    theirs = getattr(pytweening, NAMES[way] + kind.capitalize())
    t = np.linspace(0, 1, 101)
    ours = ease_at(name, t)
    wanted = np.array([theirs(float(x)) for x in t])
    inner = slice(1, -1)  # libraries set the very ends of expo by hand
    # pytweening places the last bounce at 2.65 / 2.75 of the time, Penner (and CSS libraries) at 2.625 / 2.75
    loose = {"expo": 2e-3, "bounce": 0.02}
    assert np.abs(ours[inner] - wanted[inner]).max() < loose.get(kind, 1e-9)


@pytest.mark.parametrize("way", ["in", "out", "in-out"])
def test_elastic_swings_with_its_period(way):
    """Source: Penner's form with period 0.3 (0.45 for in-out), amplitude 1: value from memory."""
    t = np.linspace(0, 1, 2001)
    value = ease_at(f"elastic-{way}", t)
    assert value[0] == 0 and value[-1] == 1
    assert (value.min() < -0.05) == (way != "out") and (value.max() > 1.05) == (way != "in")
    t = np.linspace(1.3e-4, 1, 1999)
    crossings = np.flatnonzero(np.diff(np.sign(ease_at("elastic-out", t) - 1)) != 0)
    assert np.allclose(np.diff(t[crossings])[1:4], 0.15, atol=2e-3)  # half a period


handle = st.tuples(st.floats(0.0, 30.0), st.floats(-5.0, 5.0))


@given(st.floats(2.0, 40.0), st.floats(-3, 3), handle, handle)
@settings(max_examples=150, deadline=None)
def test_a_curve_with_free_handles_is_the_bézier_by_an_independent_solver(span, rise, out, into):
    """Source: SciPy's brentq on x(s), then y(s); the handles shortened where they reach past the neighbour."""
    curve = AnimationCurve((Key(0, 1.0, "smooth", "broken", None, out), Key(span, 1.0 + rise, "smooth", "broken", into, None)))

    def short(h):
        return h if h[0] <= span else (span, h[1] * span / h[0])

    (a, av), (b, bv) = short(out), short(into)
    x, y = np.array([0, a, span - b, span]), np.array([1.0, 1.0 + av, 1 + rise + bv, 1 + rise])

    def at(c, s):
        return (1 - s) ** 3 * c[0] + 3 * (1 - s) ** 2 * s * c[1] + 3 * (1 - s) * s**2 * c[2] + s**3 * c[3]

    scale = 1 + np.abs(y).max()
    for frame in np.linspace(0.03, 0.97, 9) * span:
        s = brentq(lambda s, f=frame: at(x, s) - f, 0, 1, xtol=1e-15, rtol=1e-15)
        steep = abs(at(x, min(s + 1e-7, 1)) - at(x, max(s - 1e-7, 0)))
        if steep > 1e-9:  # where the curve stands upright in time no value is determined to 1e-9
            assert abs(float(curve.evaluate(frame)) - at(y, s)) < 1e-9 * scale


@pytest.mark.parametrize("number", ["+0.5", ".5", "5e-1", "+5E-1", "50e-2", "0.50", "0.05e+1"])
def test_every_css_number_is_one(number):
    """Source: CSS Values and Units Level 4, 5.3: a sign, digits with or without a point, an exponent with a sign."""
    assert handles_of(f"cubic-bezier({number}, 1e+0, {number}, 1)") == (0.5, 1.0, 0.5, 1.0)


@pytest.mark.parametrize("wrong", ["1.", "1e", "e1", "--1", "+-1", "1 2", "0x1", "1e1.5", ""])
def test_what_css_calls_no_number_is_none(wrong):
    """Source: as above."""
    with pytest.raises(EditRefused):
        handles_of(f"cubic-bezier({wrong}, 0, 1, 1)")
