"""Markers, the part that is played, and the numbers of a sound."""

import numpy as np
import pytest

from fictilis.core.edits import timeline as edits
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.timeline import Sound
from fictilis.core.scene.waveform import Waveform, heard, onsets, outline


def marked(scene):
    for frame, name in ((24, "Two"), (0, "One"), (48, "Three")):
        scene = edits.set_marker(scene, frame, name)
    return scene


def names(scene):
    return [(m.frame, m.name) for m in scene.markers]


def test_markers_stand_in_order_move_and_go(sheet):
    scene = marked(sheet)
    assert names(scene) == [(0, "One"), (24, "Two"), (48, "Three")]
    assert names(edits.set_marker(scene, 24, " Beat ")) == [(0, "One"), (24, "Beat"), (48, "Three")]
    assert names(edits.move_marker(scene, 0, 30)) == [(24, "Two"), (30, "One"), (48, "Three")]
    assert names(edits.move_marker(scene, 0, 48)) == [(24, "Two"), (48, "One")]
    assert names(edits.drop_marker(scene, 24)) == [(0, "One"), (48, "Three")]
    assert names(edits.set_rate(scene, 12, keep_seconds=True)) == [(0, "One"), (12, "Two"), (24, "Three")]
    assert names(edits.set_rate(scene, 12)) == names(scene)
    scene = edits.set_sound(scene, Sound("x", b"", 24.0))
    assert edits.set_rate(scene, 12, keep_seconds=True).sound.start == 12 and edits.set_rate(scene, 12).sound.start == 24


@pytest.mark.parametrize(
    ("work", "said"),
    [(lambda s: edits.drop_marker(s, 3), "no marker at frame 3"), (lambda s: edits.set_marker(s, 3, " "), "needs a name"),
     (lambda s: edits.set_marker(s, float("nan"), "x"), "cannot stand"),
     (lambda s: edits.change_sound(s, muted=True), "no sound"),
     (lambda s: edits.set_sound(s, Sound("x", b"", float("inf"))), "cannot begin"),
     (lambda s: edits.set_sound(s, Sound("x", b"", volume=2)), "from 0 to 1"),
     (lambda s: edits.set_played(s, 50, 40), "must rise: frame 50"), (lambda s: edits.set_played(s, first=96), "must rise")],
)  # fmt: skip
def test_what_cannot_be_is_one_sentence(sheet, work, said):
    with pytest.raises(EditRefused, match=said):
        work(sheet)


def test_the_played_part_lies_within_the_range_and_ends_with_it(sheet):
    scene = edits.set_played(sheet, first=12)
    assert scene.played == (12, 96) and scene.span == (12, 96)
    scene = edits.set_played(scene, last=40)
    assert scene.span == (12, 40)
    assert edits.set_played(scene, -50, 500).played is None and edits.play_all(scene).span == (0, 96)
    assert edits.set_frame_range(scene, 20, 30).played is None
    assert edits.set_frame_range(scene, 0, 30).played == (12, 30)
    assert edits.set_frame_range(scene, 50, 96).played is None
    assert edits.set_rate(scene, 48, keep_seconds=True).played == (24, 80)


RATE = 48_000
RAMP = Waveform(
    np.stack([np.arange(RATE), -np.arange(RATE)], axis=1).astype(np.int32).clip(-32768, 32767).astype(np.int16), RATE
)


def test_what_is_heard_follows_the_frames_at_any_speed():
    """Source: a frame lasts 1 / rate seconds; straight lines between samples."""
    sound = Sound("Ramp", b"", start=10.0)
    frames = 10 + np.arange(4) * 24 / RATE * 0.5  # at half speed every sample counts twice
    assert heard(RAMP, sound, frames, 24.0)[:, 0].tolist() == [0, 0, 1, 2]  # halves are rounded to even
    assert heard(RAMP, sound, np.array([9.9, 34.1]), 24.0).tolist() == [[0, 0], [0, 0]]
    back = heard(RAMP, sound, np.array([10.2, 10.1]), 24.0)[:, 0]
    assert back.tolist() == [400, 200]
    assert heard(RAMP, Sound("Ramp", b"", 10.0, volume=0.5), np.array([10.2]), 24.0).tolist() == [[200, -200]]
    assert not heard(RAMP, Sound("Ramp", b"", 10.0, muted=True), frames + 0.2, 24.0).any()


def test_the_outline_holds_every_peak_and_nothing_outside():
    samples = np.zeros((RATE, 2), np.int16)
    samples[24_000, 1] = 16_384
    samples[30_000, 0] = -32_768
    wave = Waveform(samples, RATE)
    rows = outline(wave, np.linspace(-0.5, 1.5, 201))
    high, low = np.flatnonzero(rows[:, 1] > 0), np.flatnonzero(rows[:, 0] < 0)
    assert rows[high, 1].max() == 0.5 and rows[low, 0].min() == -1
    assert abs(high.mean() - 100) <= 1 and abs(low.mean() - 112.5) <= 1
    assert not outline(Waveform(samples[:0], RATE), np.linspace(0, 1, 5)).any()


def test_peaks_of_a_sound_are_where_it_begins_anew():
    """Clicks and tones at known times over noise, found within a hundredth of a second."""
    rng, at = np.random.default_rng(5), (0.4, 0.9, 1.15, 2.3)
    samples = rng.normal(0, 40, (3 * RATE, 2))
    for n, t in enumerate(at):
        first = int(t * RATE)
        samples[first : first + 2400 * (n + 1)] += 9000 * np.sin(np.arange(2400 * (n + 1)) / (5 + n))[:, None]
    wave = Waveform(samples.astype(np.int16), RATE)
    assert np.allclose(onsets(wave, 4, 0.1), at, atol=0.011)
    assert len(onsets(wave, 2, 0.1)) == 2 and len(onsets(wave, 9, 0.4)) == 3 and np.diff(onsets(wave, 9, 0.4)).min() >= 0.4
    assert not len(onsets(Waveform(samples[:0].astype(np.int16), RATE), 4, 0.1))
