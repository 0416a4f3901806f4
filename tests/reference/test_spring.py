"""The spring against the closed-form damped oscillator and an independent integrator."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.easing import corners_of
from fictilis.core.animation.modifiers import Modifier, modified

STEP_AT = 12.0
JUMP = AnimationCurve((Key(0, 0.0, "hold"), Key(STEP_AT, 1.0, "hold"), Key(400, 1.0)))


def spring(k, c, amount=1.0):
    return Modifier("spring", True, amount, (("stiffness", k), ("damping", c)))


CASES = {"under": (100.0, 4.0), "critical": (100.0, 20.0), "over": (100.0, 50.0)}


@pytest.mark.parametrize("case", CASES)
@pytest.mark.parametrize("fps", [24.0, 60.0])
def test_a_step_is_answered_as_the_closed_form_says(case, fps):
    """Source: step response of the damped oscillator with ω₀² = k and ζ = c / (2 √k), any handbook of vibrations."""
    k, c = CASES[case]
    frames = np.linspace(0, 240, 500)
    t = np.maximum((frames - STEP_AT) / fps, 0)
    w0, zeta = np.sqrt(k), c / (2 * np.sqrt(k))
    if zeta < 1:
        wd = w0 * np.sqrt(1 - zeta**2)
        wanted = 1 - np.exp(-zeta * w0 * t) * (np.cos(wd * t) + zeta * w0 / wd * np.sin(wd * t))
    elif zeta == 1:
        wanted = 1 - np.exp(-w0 * t) * (1 + w0 * t)
    else:
        root = np.sqrt(zeta**2 - 1)
        a, b = w0 * (zeta - root), w0 * (zeta + root)
        wanted = 1 - (b * np.exp(-a * t) - a * np.exp(-b * t)) / (b - a)
    assert np.abs(modified(JUMP, (spring(k, c),), frames, fps) - wanted).max() < 1e-9


def test_at_shared_times_the_rate_does_not_matter():
    """Source: the equation knows seconds only. The same keys in seconds, looked at 24 and 60 times a second."""
    seconds = np.arange(0, 6, 1 / 12)

    def curve(fps):
        return AnimationCurve(tuple(Key(s * fps, v, kind) for s, v, kind in
                                    ((0, 0, "smooth"), (1, 1, "linear"), (1.5, 0.2, "smooth"), (4, 0, "hold"))))  # fmt: skip

    chain = (spring(150.0, 9.0), spring(60.0, 6.0, 0.7))
    slow, quick = (modified(curve(fps), chain, seconds * fps, fps) for fps in (24.0, 60.0))
    assert np.abs(slow - quick).max() < 1e-9


@pytest.mark.parametrize("kind", ["smooth", "linear", "ease"])
def test_it_follows_a_moving_curve_as_an_integrator_finds(kind):
    """Source: scipy.integrate.solve_ivp (DOP853) on the same equation."""
    curve = AnimationCurve((Key(0, 0, kind), Key(20, 1, kind), Key(30, -0.5, kind), Key(60, 0.3)))
    k, c, fps = 120.0, 7.0, 24.0
    t = np.linspace(0, 4, 97)
    found = solve_ivp(
        lambda s, y: [y[1], k * (float(curve.evaluate(s * fps)) - y[0]) - c * y[1]], (0, 4), [0.0, 0.0], "DOP853", t,
        rtol=1e-10, atol=1e-12, max_step=0.02,
    )  # fmt: skip
    assert np.abs(modified(curve, (spring(k, c),), t * fps, fps) - found.y[0]).max() < 1e-6


def test_two_springs_in_a_row_as_an_integrator_finds():
    """Source: scipy.integrate.solve_ivp (DOP853) on both equations at once."""
    curve = AnimationCurve((Key(0, 0), Key(20, 1), Key(30, -0.5), Key(60, 0.3)))
    fps, (k1, c1), (k2, c2) = 24.0, (120.0, 7.0), (60.0, 5.0)
    t = np.linspace(0, 4, 97)
    found = solve_ivp(
        lambda s, y: [y[1], k1 * (float(curve.evaluate(s * fps)) - y[0]) - c1 * y[1], y[3], k2 * (y[0] - y[2]) - c2 * y[3]],
        (0, 4), [0.0] * 4, "DOP853", t, rtol=1e-10, atol=1e-12, max_step=0.02,
    )  # fmt: skip
    assert np.abs(modified(curve, (spring(k1, c1), spring(k2, c2)), t * fps, fps) - found.y[2]).max() < 1e-6


@pytest.mark.parametrize(("k", "c"), [(0.1, 1000.0), (0.5, 40.0), (100.0, 21.0), (100.0, 22.5), (9000.0, 400.0)])
def test_heavily_damped_it_still_follows_as_an_integrator_finds(k, c):
    """Source: scipy.integrate.solve_ivp (LSODA) on the same equation. In powers of c / k alone the digits would be lost."""
    curve = AnimationCurve((Key(0, 0), Key(20, 1), Key(30, -0.5), Key(60, 0.3)))
    fps, t = 24.0, np.linspace(0, 4, 49)
    found = solve_ivp(
        lambda s, y: [y[1], k * (float(curve.evaluate(s * fps)) - y[0]) - c * y[1]], (0, 4), [0.0, 0.0], "LSODA", t,
        rtol=1e-10, atol=1e-13, max_step=0.02,
    )  # fmt: skip
    assert np.abs(modified(curve, (spring(k, c),), t * fps, fps) - found.y[0]).max() < 1e-7


@pytest.mark.parametrize("after", ["repeat", "offset", "ping-pong"])
def test_it_goes_on_over_a_curve_that_repeats_as_an_integrator_finds(after):
    """Source: scipy.integrate.solve_ivp (DOP853), begun anew at each key, where the curve may jump."""
    curve = AnimationCurve((Key(0, 0, "hold"), Key(6, 1.0, "ease", ease="quad-in"), Key(18, 0.4)), "hold", after)
    k, c, fps = 90.0, 6.0, 24.0
    edges = sorted({(turn * 18 + f) / fps for turn in range(6) for f in (0, 6, 12, 18)})
    state, times, values = [0.0, 0.0], [0.0], [0.0]
    for a, b in zip(edges, edges[1:], strict=False):
        asked = np.linspace(a, b, 7)
        inside = np.clip(asked, a + 1e-9, b - 1e-9)

        def pull(s, y, a=a, b=b):
            return [y[1], k * (float(curve.evaluate(min(max(s, a + 1e-9), b - 1e-9) * fps)) - y[0]) - c * y[1]]

        found = solve_ivp(pull, (a, b), state, "DOP853", asked, rtol=1e-10, atol=1e-12, max_step=0.01)
        state = found.y[:, -1]
        times += inside[1:].tolist()
        values += found.y[0, 1:].tolist()
    got = modified(curve, (spring(k, c),), np.array(times) * fps, fps)
    assert np.abs(got - values).max() < 1e-6


@pytest.mark.parametrize("ease", ["bounce-out", "bounce-in", "bounce-in-out", "elastic-in-out"])
def test_it_follows_an_easing_that_bounces_as_an_integrator_finds(ease):
    """Source: scipy.integrate.solve_ivp (DOP853) from one corner of the easing to the next."""
    curve, k, c, fps = AnimationCurve((Key(0, 0.0, "ease", ease=ease), Key(24, 1.0), Key(96, 1.0))), 180.0, 12.0, 24.0
    edges = [0.0, *corners_of(ease), 1.0, 2.0]
    state, wanted = [0.0, 0.0], []
    for low, high in zip(edges, edges[1:], strict=False):
        t = np.linspace(low, high, 9)
        inside = np.clip(t, low + 1e-12, high - 1e-12)
        pull = lambda s, y, a=inside[0], b=inside[-1]: [  # noqa: E731
            y[1], k * (float(curve.evaluate(np.clip(s, a, b) * fps)) - y[0]) - c * y[1]]  # fmt: skip
        found = solve_ivp(pull, (low, high), state, "DOP853", t, rtol=1e-12, atol=1e-13)
        state, wanted = found.y[:, -1], [*wanted, *zip(t, found.y[0], strict=True)]
    times, values = np.array(wanted).T
    assert np.abs(modified(curve, (spring(k, c),), times * fps, fps) - values).max() < (1e-7 if "elastic" in ease else 1e-9)
