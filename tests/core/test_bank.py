"""Many lanes at once give what each gives alone."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.mix.lane_bank import LaneBank, lane_bank
from fictilis.core.scene.timeline import Lane

FPS = 24.0
handles = st.tuples(st.floats(0.0, 9.0), st.floats(-2, 2))
keys = st.tuples(
    st.integers(-40, 90), st.floats(-3, 3), st.sampled_from(("hold", "linear", "smooth", "ease")),
    st.sampled_from(("auto", "flat", "broken")), handles, handles,
    st.sampled_from(("ease-in", "bounce-out", "cubic-bezier(0.9, -1, 0.1, 2)")),
)  # fmt: skip
curves = st.builds(
    lambda rows, before, after: AnimationCurve.of(
        (Key(float(f), v, i, t, a if t == "broken" else None, b if t == "broken" else None, e) for f, v, i, t, a, b, e in rows),
        AnimationCurve((), before, after),
    ),
    st.lists(keys, min_size=1, max_size=7),
    st.sampled_from(("hold", "linear", "repeat", "ping-pong")),
    st.sampled_from(("hold", "linear", "offset")),
)


@given(st.lists(curves, min_size=1, max_size=6), st.floats(-80, 130))
@settings(max_examples=120, deadline=None)
def test_one_frame_and_many_agree_with_each_curve_alone(made, odd):
    bank = LaneBank([Lane(f"t{n}", curve) for n, curve in enumerate(made)])
    frames = np.unique(np.concatenate([[odd], np.arange(-60.0, 100.0, 7), [k.frame for c in made for k in c.keys]]))
    wanted = np.array([curve.evaluate(frames) for curve in made])
    scale = 1 + np.abs(wanted)
    assert (np.abs(bank.over(frames, FPS) - wanted) < 1e-9 * scale).all()
    for column in (0, len(frames) // 2, len(frames) - 1):
        assert (np.abs(bank.at(float(frames[column]), FPS) - wanted[:, column]) < 1e-9 * scale[:, column]).all()


def test_a_step_counts_from_its_very_frame_on_in_every_lane():
    """The lanes lie end to end with shifts that cost digits; a step must not slip by one piece for it."""
    made = [
        AnimationCurve((Key(0.0, 0.0, "hold"), Key(f, 1.0, "hold"), Key(f + 1e-4, 2.0)))
        for f in np.linspace(0.1, 99_999.7, 700)
    ]
    bank = LaneBank([Lane(f"t{n}", c) for n, c in enumerate(made)])
    for n in (0, 350, 699):
        frame = made[n].keys[1].frame
        assert bank.at(frame, FPS)[n] == 1.0 and bank.at(frame - 1e-9, FPS)[n] == 0.0 and bank.at(frame + 1e-4, FPS)[n] == 2.0


def test_frames_in_any_order_and_modifiers_come_back_in_place():
    curve = AnimationCurve((Key(0, 0), Key(20, 1), Key(40, 0)))
    lanes = (Lane("a", curve), Lane("b", curve, (Modifier("offset"),)), Lane("c", AnimationCurve((Key(5, 3.0),))))
    frames = np.array([30.0, 2.0, 11.0])
    rows = lane_bank(lanes).by_channel(frames, FPS)
    assert np.allclose(rows["a"], curve.evaluate(frames)) and np.allclose(rows["b"], curve.evaluate(frames - 3))
    assert rows["c"].tolist() == [3, 3, 3] and lane_bank(lanes) is lane_bank(lanes)
    grid = lane_bank(lanes).by_channel(frames.reshape(3, 1), FPS)["a"]
    assert grid.shape == (3, 1) and lane_bank(()).by_channel(1.0, FPS) == {}


@pytest.mark.parametrize("count", [1, 3])
def test_a_single_frame_is_a_plain_number(count):
    lanes = tuple(Lane(f"t{n}", AnimationCurve((Key(0, n + 0.5),))) for n in range(count))
    values = lane_bank(lanes).by_channel(7, FPS)
    assert values == {f"t{n}": n + 0.5 for n in range(count)} and all(type(v) is float for v in values.values())
