"""Cues against something outside: SciPy's integration of the damped oscillator and its Hermite cubics, tables of easings, and
what the trade asks of a touch."""

import numpy as np
import pytest
import pytweening
from scipy.integrate import solve_ivp
from scipy.interpolate import CubicHermiteSpline

import fictilis
from fictilis.core.animation.ease_now import ease_now
from fictilis.core.edits.cues import add_cue
from fictilis.core.rehearsal.runner import Runner
from fictilis.core.rehearsal.segment import SETTLED, Segment
from fictilis.core.scene.cues import BACK, CLICK, LEAD, Act, Cue, Lead, Then, When


@pytest.mark.parametrize("ratio", [0.1, 0.5, 0.9, 1.0])
@pytest.mark.parametrize(("away", "rate"), [(-1.0, 0.0), (0.4, -3.0)])
def test_a_spring_is_the_damped_oscillator(ratio, away, rate):
    """Source: scipy.integrate.solve_ivp on x″ + 2ζω x′ + ω² x = 0, its frequency so that exp(-ζω·seconds) is a thousandth."""
    seconds = 0.8
    w = SETTLED / (ratio * seconds)
    times = np.linspace(0, 2.5, 60)
    truth = solve_ivp(lambda _t, y: [y[1], -2 * ratio * w * y[1] - w * w * y[0]], (0, 2.5), [away, rate], "DOP853", times,
                      rtol=1e-10, atol=1e-12).y[0]  # fmt: skip
    segment = Segment(0.0, seconds, f"spring({ratio})", 1.0, away, rate)
    assert np.abs(np.array([segment.left(t) for t in times]) - truth).max() < 1e-8


@pytest.mark.parametrize("rate", [-2.0, 0.0, 5.0])
def test_a_speed_that_is_carried_is_hermites_cubic(rate):
    """Source: scipy.interpolate.CubicHermiteSpline. A linear way that begins with a speed and ends with its own is a cubic with
    those slopes."""
    away, seconds = -1.0, 2.0
    segment = Segment(3.0, seconds, "linear", 0.0, away, rate, carry=True)
    cubic = CubicHermiteSpline([3.0, 5.0], [away, 0.0], [rate, -away / seconds])
    times = np.linspace(3.0, 5.0 - 1e-9, 41)
    assert np.abs(np.array([segment.left(t) for t in times]) - cubic(times)).max() < 1e-9


TABLE = ("sine", "quad", "cubic", "quart", "quint", "circ")


@pytest.mark.parametrize("name", TABLE)
@pytest.mark.parametrize("way", ["in", "out", "in-out"])
def test_named_easings_looked_at_once_are_those_of_a_tween_library(name, way):
    """Source: pytweening, a general-purpose library of Penner's easings."""
    word = "".join(part.capitalize() for part in way.split("-"))
    theirs = getattr(pytweening, f"ease{word}{name.capitalize()}")
    for u in np.linspace(0, 1, 101).tolist():
        assert ease_now(f"{name}-{way}", u) == pytest.approx(theirs(u), abs=1e-9)


def test_a_touch_closes_it_waits_and_it_opens_again():
    """Common practice, no published source: the mix is set off by a click, there is a delay, and a way back."""
    scene = fictilis.moon_jelly()
    bell = scene.objects[0]
    scene, cue = add_cue(scene, Cue("", "Close", When(CLICK, bell.id), Act(LEAD, (Lead(bell.id, "t1"),), seconds=1.0),
                                    Then(3.0, BACK, 1.0)))  # fmt: skip
    runner = Runner(scene)
    runner.cues = [c for c in runner.cues if c.id == cue]
    runner.click(0.0, bell.id)
    seen = {}
    for t in (0.0, 1.0, 3.9, 4.5, 5.0, 60.0):
        runner.advance(t)
        seen[t] = runner.values()[bell.id]["t1"]
    assert seen[0.0] == 0 and seen[1.0] == seen[3.9] == 1 and 0 < seen[4.5] < 1 and seen[5.0] == pytest.approx(0, abs=1e-12)
    assert seen[60.0] == 0 and runner.quiet
