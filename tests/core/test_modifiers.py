import numpy as np
import pytest

from fictilis.core.animation.curve import BEYOND, AnimationCurve, Key
from fictilis.core.animation.modifiers import KINDS, PRESETS, Modifier, modified
from fictilis.core.ground.errors import EditRefused

CURVE = AnimationCurve((Key(0, 0.0), Key(20, 1.0), Key(40, 0.2), Key(60, 0.2)))
FRAMES = np.linspace(-5, 90, 191)


@pytest.mark.parametrize("kind", KINDS)
def test_off_or_without_amount_nothing_changes_and_half_is_half(kind):
    plain = CURVE.evaluate(FRAMES)
    for m in (Modifier(kind, on=False), Modifier(kind, amount=0.0)):
        assert np.array_equal(modified(CURVE, (m,), FRAMES, 24), plain)
    whole, half = (modified(CURVE, (Modifier(kind, amount=a),), FRAMES, 24) for a in (1.0, 0.5))
    assert np.allclose(half, (plain + whole) / 2) and np.abs(whole - plain).max() > 0.01


def test_an_offset_is_late_and_a_smooth_curve_is_flatter():
    late = modified(CURVE, (Modifier("offset", numbers=(("frames", 6.0),)),), FRAMES, 24)
    assert np.allclose(late, CURVE.evaluate(FRAMES - 6))
    smooth = modified(CURVE, (Modifier("smooth", numbers=(("seconds", 0.6),)),), FRAMES, 24)
    assert smooth.max() < 0.97 and np.abs(np.diff(smooth)).max() < np.abs(np.diff(CURVE.evaluate(FRAMES))).max()
    assert np.allclose(modified(AnimationCurve((Key(0, 3.0),)), (Modifier("smooth"),), FRAMES, 24), 3.0)


def test_a_wobble_swings_about_the_curve():
    wave = modified(CURVE, (Modifier("wobble", numbers=(("height", 0.3),)),), FRAMES, 24) - CURVE.evaluate(FRAMES)
    assert 0.2 < wave.max() <= 0.3 and -0.3 <= wave.min() < -0.2


def test_springs_overshoot_by_their_preset_and_rest_in_the_end():
    jump = AnimationCurve((Key(0, 0.0, "hold"), Key(10, 1.0)))
    late = np.linspace(0, 400, 1601)
    tops = {}
    for name, (k, c) in PRESETS.items():
        value = modified(jump, (Modifier("spring", numbers=(("stiffness", k), ("damping", c))),), late, 24)
        tops[name] = value.max()
        assert value[-1] == pytest.approx(1.0, abs=1e-6) and value[0] == 0
    assert tops["crisp"] < tops["springy"] < tops["bouncy"] and tops["crisp"] < 1.1


def test_wrong_numbers_are_refused():
    for make, said in (
        (lambda: Modifier("jelly"), "no modifier"),
        (lambda: Modifier("spring", numbers=(("stiffness", -1.0),)), "Stiffness of spring must be from"),
        (lambda: Modifier("spring", numbers=(("mass", 1.0),)), "no number called mass"),
        (lambda: Modifier("wobble", amount=99.0), "amount of wobble"),
    ):
        with pytest.raises(EditRefused, match=said):
            make()


def some_spring(stiffness=120.0, damping=7.0, amount=1.0):
    return Modifier("spring", True, amount, (("stiffness", stiffness), ("damping", damping)))


CHAINS = {
    "one": (some_spring(),),
    "two": (some_spring(), some_spring(60.0, 5.0)),
    "after an offset": (Modifier("offset"), some_spring(), Modifier("wobble")),
    "about a smooth": (some_spring(50.0, 3.0, 0.4), Modifier("smooth"), some_spring(200.0, 30.0)),
}


@pytest.mark.parametrize("beyond", BEYOND)
@pytest.mark.parametrize("chain", CHAINS)
def test_a_value_does_not_depend_on_which_others_are_asked(chain, beyond):
    keys = (Key(3, 0.1, "ease", ease="bounce-out"), Key(20, 1, "smooth"), Key(30, -0.5, "hold"), Key(61, 0.3))
    frames = np.linspace(-20, 700, 301)

    def asked(at):
        return modified(AnimationCurve(keys, beyond, beyond), CHAINS[chain], at, 24.0)

    whole, back, part = asked(frames), asked(frames[::-1])[::-1], asked(frames[40:47])
    late = asked(float(frames[-2]))
    again = AnimationCurve(keys, beyond, beyond)
    one_by_one = [modified(again, CHAINS[chain], float(f), 24.0) for f in frames[::23]]
    assert np.array_equal(whole, back) and np.array_equal(whole[40:47], part) and late == whole[-2]
    assert np.array_equal(one_by_one, whole[::23]) and np.isfinite(whole).all()


def test_another_key_or_number_gives_another_spring_at_once():
    jump = AnimationCurve((Key(0, 0.0, "ease", ease="quad-in"), Key(10, 1.0)))
    before = modified(jump, (some_spring(),), 30.0, 24)
    assert modified(jump, (some_spring(60.0),), 30.0, 24) != before
    assert modified(jump.with_key(Key(5, 0.9)), (some_spring(),), 30.0, 24) != before
    assert modified(jump, (some_spring(),), 30.0, 30) != before and modified(jump, (some_spring(),), 30.0, 24) == before


@pytest.mark.parametrize("damping", [7.0, 0.6, 90.0])
def test_far_out_a_spring_is_where_the_whole_way_would_have_brought_it(damping, monkeypatch):
    """What was long ago is forgotten but for a part in 10¹¹, so that a late frame needs no way from the beginning."""
    from fictilis.core.animation import spring

    keys = (Key(0, 0.0, "ease", ease="quad-in"), Key(20, 1.0, "hold"), Key(36, 0.2))
    frames = np.array([5000.25, 9001.0, 9100.5])

    def asked():
        return modified(AnimationCurve(keys, "hold", "repeat"), (some_spring(150.0, damping),), frames, 24.0)

    quick = asked()
    monkeypatch.setattr(spring, "LONGEST_MEMORY", 0)
    assert np.allclose(quick, asked(), atol=1e-10, rtol=0)


def test_a_spring_without_damping_is_stopped_where_that_is_asked_and_goes_on_later():
    from fictilis.core.ground.errors import Cancelled
    from fictilis.core.ground.interrupt import interruptible

    curve = AnimationCurve((Key(0, 0.0, "ease", ease="quad-in"), Key(20, 1.0)), "hold", "repeat")
    asked = []

    def stop():
        asked.append(1)
        if len(asked) == 5:
            raise Cancelled("Enough.")

    with interruptible(stop), pytest.raises(Cancelled):
        modified(curve, (some_spring(50.0, 0.0),), 5e6, 24.0)
    assert len(asked) == 5 and np.isfinite(modified(curve, (some_spring(50.0, 0.0),), 300.0, 24.0))
