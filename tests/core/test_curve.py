import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from fictilis.core.animation.curve import INTERPOLATIONS, TANGENTS, AnimationCurve, Key, pieces_of
from fictilis.core.ground.errors import EditRefused

values = st.floats(-5, 5, allow_nan=False)
key_lists = st.lists(
    st.tuples(st.integers(-50, 200), values, st.sampled_from(("hold", "linear", "smooth"))), min_size=1, max_size=9
)


def curve(*keys: tuple) -> AnimationCurve:
    return AnimationCurve.of(Key(float(k[0]), float(k[1]), *k[2:]) for k in keys)


def test_no_keys_is_zero_and_one_key_holds_everywhere():
    assert AnimationCurve().value(7) == 0
    assert np.array_equal(curve((5, 2)).evaluate([-10, 5, 99]), [2, 2, 2])


@pytest.mark.parametrize(
    ("kind", "frame", "value"),
    [("hold", 9.999, 0), ("hold", 10, 1), ("linear", 2.5, 0.25), ("smooth", 5, 0.5), ("smooth", 2.5, 0.15625)],
)
def test_interpolations(kind, frame, value):
    assert curve((0, 0, kind), (10, 1)).value(frame) == pytest.approx(value, abs=1e-12)


def test_outside_the_keys_the_ends_hold():
    c = curve((0, 1), (10, 3))
    assert np.array_equal(c.evaluate([-5, 15]), [1, 3])
    assert np.array_equal(c.slope([-5, 15]), [0, 0])


def test_smooth_is_flat_at_extremes_and_does_not_overshoot():
    c = curve((0, 0), (10, 1), (20, 1), (30, 0.2), (40, 0.9))
    assert np.array_equal(c.slope([10, 20, 30]), [0, 0, 0])
    inside = c.evaluate(np.linspace(0, 40, 1001))
    assert inside.min() >= 0 and inside.max() <= 1


@given(key_lists)
@settings(max_examples=200, deadline=None)
def test_a_curve_passes_its_keys_and_stays_between_neighbours(keys):
    c = curve(*keys)
    for a in c.keys:
        assert c.value(a.frame) == pytest.approx(a.value, abs=1e-9)
    for a, b in zip(c.keys, c.keys[1:], strict=False):
        between = c.evaluate(np.linspace(a.frame, b.frame, 33)[:-1])
        low, high = sorted((a.value, b.value))
        assert between.min() >= low - 1e-9 and between.max() <= high + 1e-9


def test_of_two_keys_at_one_frame_the_later_stays():
    c = curve((3, 1), (3, 2), (1, 0))
    assert [(k.frame, k.value) for k in c.keys] == [(1, 0), (3, 2)]


def test_keys_are_found_replaced_and_taken_away():
    c = curve((0, 0), (10, 1))
    assert c.key_at(10).value == 1 and c.key_at(10.5) is None
    assert c.with_key(Key(10, 4)).value(10) == 4
    assert [k.frame for k in c.without([0.0]).keys] == [10]
    assert c.set_interpolation([0.0], "hold").value(9) == 0


def test_stillness():
    c = curve((0, 0), (20, 0), (40, 1))
    assert c.is_still(0, 20) and not c.is_still(0, 21) and c.is_still(50, 90)


@pytest.mark.parametrize("bad", [(0, float("nan")), (float("inf"), 1), (0, 1, "bouncy")])
def test_impossible_keys_are_refused(bad):
    with pytest.raises(EditRefused):
        Key(*bad)


def test_a_curve_refuses_falling_frames():
    with pytest.raises(EditRefused):
        AnimationCurve((Key(3, 0), Key(1, 0)))


@pytest.mark.parametrize(
    ("way", "value"), [("hold", 1), ("linear", -0.2), ("repeat", 3.8), ("offset", -0.2), ("ping-pong", 2.2)]
)
def test_ways_to_go_on_before_the_first_key(way, value):
    """A straight lane from 1 at 10 to 5 at 20, looked at 3 frames before its first key."""
    curve = AnimationCurve((Key(10, 1.0, "linear"), Key(20, 5.0, "linear")), before=way)
    assert curve.evaluate(7.0) == pytest.approx(value) and curve.evaluate(10.0) == 1.0


def test_many_curves_cut_at_once_are_what_each_is_alone():
    rng = np.random.default_rng(4)
    eases = ("ease-in-out", "bounce-out", "cubic-bezier(0.2, 0.1, 0.7, 1.4)")

    def some() -> AnimationCurve:
        frames = np.cumsum(rng.uniform(0.2, 9, rng.integers(1, 7)))
        keys = [
            Key(
                f,
                v,
                str(rng.choice(INTERPOLATIONS)),
                str(rng.choice(TANGENTS)),
                (2.0, -0.3),
                (4.0, 0.5),
                str(rng.choice(eases)),
            )
            for f, v in zip(frames.tolist(), rng.normal(size=len(frames)).tolist(), strict=True)
        ]
        before, after = (str(rng.choice(("hold", "linear"))) for _ in range(2))
        return AnimationCurve(tuple(keys), before=before, after=after)

    curves = [some() for _ in range(200)]
    at = np.linspace(-5, 60, 301)
    for curve, part in zip(curves, pieces_of(curves), strict=True):
        (alone,) = pieces_of([replace(curve)])
        assert np.array_equal(alone.coefficients, part.coefficients) and np.array_equal(alone.starts, part.starts)
        assert np.array_equal(alone.handles, part.handles) and np.array_equal(alone.values(at), part.values(at))
