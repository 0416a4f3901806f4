"""Facts of the trade. Source of each: common practice, no published source."""

import numpy as np
import pytest

from fictilis.app.lanes.playback import frame_after
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits.targets import add_in_between
from fictilis.core.mix.acting import shares
from fictilis.core.mix.coefficients import stage_coefficients
from fictilis.core.mix.delta_bank import mixed_points
from fictilis.demo.jelly import moon_jelly
from fictilis.formats.gltf_moves import METRES


@pytest.mark.parametrize(("frames", "fps", "seconds"), [(72, 24, 3), (90, 30, 3), (10, 30, 1 / 3), (48, 24, 2)])
def test_rates_and_durations(frames, fps, seconds):
    assert frame_after(seconds, 0, 0, 1000, fps, False)[0] == frames
    assert frame_after(seconds - 0.001, 0, 0, 1000, fps, False)[0] == frames - 1


def test_half_way_between_in_between_and_target(sheet):
    target = add_in_between(sheet, "o1", "t1", 0.5).object("o1").target("t1")
    assert stage_coefficients(target, 0.5).tolist() == [1.0, 0.0]
    assert stage_coefficients(target, 0.75).tolist() == [0.5, 0.5]


def test_the_creeping_lane():
    late = AnimationCurve((Key(40, 0), Key(60, 1)))
    assert not late.evaluate(np.arange(0, 41)).any() and late.value(41) > 0
    creeping = AnimationCurve((Key(0, 0), Key(40, 1)))
    assert creeping.value(1) > 0
    held = creeping.with_key(Key(20, 0))
    assert not held.evaluate(np.arange(0, 21)).any() and held.value(21) > 0


def test_a_snap_is_done_within_one_frame():
    snap = AnimationCurve((Key(0, 0), Key(11, 0), Key(12, 1), Key(30, 1)))
    assert (snap.value(11), snap.value(12)) == (0, 1)


def test_two_targets_at_one_add_in_full(sheet):
    obj = sheet.object("o1")
    both = mixed_points(obj, shares(obj, {"t1": 1.0, "t2": 1.0}))
    one, two = (mixed_points(obj, shares(obj, {t: 1.0})) for t in ("t1", "t2"))
    assert np.allclose(both - obj.base, (one - obj.base) + (two - obj.base))


def test_the_sample_loops_without_a_seam():
    scene = moon_jelly()
    for lane in scene.objects[0].lanes:
        assert lane.curve.value(scene.start) == lane.curve.value(scene.end)
        assert lane.curve.slope(scene.start) == pytest.approx(lane.curve.slope(scene.end - 1e-9), abs=1e-6)


def test_centimetres_become_metres():
    assert METRES == 0.01
