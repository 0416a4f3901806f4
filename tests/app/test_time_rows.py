"""Markers, sound, cameras, ghosts and paths over time, in the real window."""

import os
import subprocess
import sys
import threading
import wave

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from fictilis.app.lanes.playback import Playback, flow, frame_after
from fictilis.app.view.motion import motion_path
from fictilis.core.animation.curve import Key
from fictilis.core.edits import keys as edits
from fictilis.core.edits import timeline
from fictilis.core.geometry.picked import Pick
from fictilis.core.scene.timeline import Sound
from fictilis.formats.registry import load, save
from fictilis.formats.sound import RATE, decoded, read_sound
from tests.app.conftest import CTRL, RIGHT, SHIFT, run
from tests.sounds import TONE, wav

WINDOWS_ALONE = True

K = Qt.Key
OBJ = "o1"


class Listener:
    """A speaker that keeps what it is asked to play, and says what a test says has been heard."""

    def __init__(self):
        self.read, self.heard, self.starts, self.stops = None, 0.0, 0, 0

    def start(self, read):
        self.read, self.starts, self.heard = read, self.starts + 1, 0.0

    def stop(self):
        self.read, self.stops = None, self.stops + 1

    def played(self):
        return self.heard


@pytest.fixture
def tone_file(tmp_path):
    """A second of a rising ramp, so that each sample says when it is."""
    path = tmp_path / "ramp.wav"
    samples = (np.arange(RATE) // 2).astype("<i2")
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(RATE)
        file.writeframes(samples.tobytes())
    return path


@pytest.fixture
def keyed(open_window, sheet):
    scene = sheet
    for frame, value in ((0, 0), (24, 1), (48, 0)):
        scene = edits.set_key(scene, OBJ, "t1", Key(frame, value))
    for frame, value in ((0, 0), (48, 20)):
        scene = edits.set_key(scene, OBJ, "position.x", Key(frame, value, "linear"))
    return open_window(scene)


@pytest.fixture
def sounding(keyed, tone_file):
    """With the ramp from frame 12 on, and a speaker that listens."""
    keyed.ear = Listener()
    keyed.window.sound._find = lambda _parent: keyed.ear
    keyed.doc.edit("Sound", lambda s: timeline.set_sound(s, read_sound(tone_file, 12.0)))
    return keyed


def marks(user):
    return [(m.frame, m.name) for m in user.doc.scene.markers]


# markers


def test_markers_are_set_by_key_dragged_renamed_and_gone_to(keyed, forms):
    row, doc = keyed.window.marker_row, keyed.doc
    assert not row.isVisible()
    forms(keyed, {"name": "Beat"}, {"name": "Word"})
    doc.set_frame(12)
    keyed.press(K.Key_M, CTRL)
    doc.set_frame(36)
    keyed.press(K.Key_M, CTRL)
    assert marks(keyed) == [(12, "Beat"), (36, "Word")] and row.isVisible()
    flags = {m.name: rect for m, rect in row.places()}
    keyed.drag(
        row,
        flags["Beat"].center(),
        flags["Beat"].center() + QPointF(np.ptp([keyed.window.lanes.axis.x(f) for f in (12, 20)]), 0),
    )
    assert marks(keyed) == [(20, "Beat"), (36, "Word")] and doc.frame == 36
    flags = {m.name: rect for m, rect in row.places()}
    keyed.click(row, flags["Beat"].center())
    assert doc.frame == 20
    keyed.press(K.Key_Right, CTRL)
    assert doc.frame == 36
    keyed.press(K.Key_Left, CTRL)
    assert doc.frame == 20
    keyed.double_click(row, flags["Word"].center())
    editor = row.focusWidget()
    QTest.keyClicks(editor, "Ah")
    QTest.keyClick(editor, K.Key_Return)
    assert marks(keyed) == [(20, "Beat"), (36, "Ah")] and doc.undo_label() == "Rename the marker Word"
    assert doc.frame == 36
    run(keyed, "drop-marker")
    assert marks(keyed) == [(20, "Beat")]
    doc.undo()
    keyed.drag(row, (keyed.window.lanes.axis.x(2), 10), (keyed.window.lanes.axis.x(9), 10))
    assert doc.frame == 9 and len(marks(keyed)) == 2
    doc.edit("Clear", lambda s: timeline.drop_marker(timeline.drop_marker(s, 20), 36))
    assert not row.isVisible()


def test_a_markers_menu_offers_its_name_and_its_end(keyed):
    keyed.doc.edit("Mark", lambda s: timeline.set_marker(s, 24, "Beat"))
    row = keyed.window.marker_row
    keyed.settle(20)
    keyed.click(row, row.places()[0][1].center(), button=RIGHT)
    menu = next(w for w in row.children() if w.metaObject().className() == "QMenu")
    next(a for a in menu.actions() if a.text() == "Delete").trigger()
    menu.close()
    assert marks(keyed) == []


# sound


def test_time_flows_as_the_frames_do():
    seconds = np.arange(0, 9, 0.13)
    for loop, back in ((True, False), (True, True), (False, False)):
        where = flow(seconds, 10, 4, 40, 24, loop, back)
        whole = [frame_after(s, 10, 4, 40, 24, loop, back)[0] for s in seconds]
        assert where.min() >= 4 and where.max() <= 40
        assert (np.abs(where - whole) <= 1 + 1e-9).sum() >= len(seconds) - 6  # but where one is past the end already
    assert flow(0.5, 10, 4, 40, 24, True) == 22


def test_sound_plays_in_step_with_the_frames(sounding):
    doc, ear = sounding.doc, sounding.ear
    doc.set_frame(6)
    starts = ear.starts
    sounding.press(K.Key_Space)
    assert ear.starts == starts + 1
    first = ear.read(RATE // 2)  # half a second: frames 6 to 18, the sound begins at 12
    quarter = RATE // 4
    assert not first[:quarter].any()
    assert np.abs(first[quarter:, 0] - (np.arange(quarter) // 2)).max() <= 1
    sounding.press(K.Key_Space)
    assert ear.read is None and not sounding.window.playback.playing


def test_playing_does_not_wait_for_a_sound_that_is_being_read(sounding, monkeypatch):
    doc, ear, samples, go_on = sounding.doc, sounding.ear, sounding.window.sound.samples, threading.Event()
    monkeypatch.setattr("fictilis.app.lanes.samples.decoded", lambda sound: go_on.wait(5) and decoded(sound))
    doc.edit("Another", lambda s: timeline.set_sound(s, replace(s.sound, data=bytes(bytearray(s.sound.data)))))
    doc.set_frame(12)
    sounding.press(K.Key_Space)
    assert not ear.read(RATE // 4).any() and samples.wave() is None and sounding.window.playback.playing
    go_on.set()
    sounding.qtbot.waitUntil(lambda: samples.wave() is not None, timeout=3000)
    joined = ear.read(RATE // 4)
    assert np.abs(joined[:, 0] - (np.arange(RATE // 4) + RATE // 4) // 2).max() <= 1
    sounding.press(K.Key_Space)


def test_the_picture_follows_what_is_heard_and_waits_for_no_device(sounding):
    doc, ear, now = sounding.doc, sounding.ear, [0.0]
    playback = Playback(doc, clock=lambda: now[0], sound=sounding.window.sound)
    playback.start()
    playback._timer.stop()

    def frame_at(clock, heard):
        now[0], ear.heard = clock, heard
        playback._tick()
        return doc.frame

    assert frame_at(0.5, 0.42) == 10  # by the clock it would be 12
    assert frame_at(0.54, 0.42) == 11 and frame_at(1.0, 0.42) == 24  # it stands still: the clock goes on
    assert frame_at(1.5, 0.5) == 36  # it goes on, late: the sound leaps by a second
    leapt = ear.read(10)  # the next samples to be read are of half a second and this second
    assert leapt[0, 0] == pytest.approx(RATE * (1.0 - 0.5) / 2, abs=2)
    assert frame_at(1.6, 0.58) == 37
    playback.stop()


def test_showing_every_frame_is_silent_at_once(sounding):
    sounding.press(K.Key_Space)
    assert sounding.ear.read is not None
    run(sounding, "every-frame")
    sounding.settle(40)
    assert sounding.ear.read is None and sounding.window.playback.playing
    sounding.press(K.Key_Space)


def test_half_speed_mute_and_a_muted_start(sounding):
    doc, ear = sounding.doc, sounding.ear
    doc.change(speed=0.5)
    doc.set_frame(12)
    sounding.press(K.Key_Space)
    assert np.abs(ear.read(4000)[:, 0] - np.arange(4000) // 4).max() <= 1
    run(sounding, "sound-mute")
    sounding.settle(40)
    assert ear.read is None
    sounding.press(K.Key_Space)
    starts = ear.starts
    sounding.press(K.Key_Space)
    assert ear.starts == starts and sounding.window.playback.playing
    sounding.press(K.Key_Space)


def test_scrubbing_is_heard_and_can_be_silent(sounding):
    doc, ear, lanes = sounding.doc, sounding.ear, sounding.window.lanes
    sounding.drag(lanes.viewport(), (lanes.axis.x(14), 8), (lanes.axis.x(24), 8))
    piece = ear.read(RATE)
    assert doc.frame == 24 and 0.05 * RATE < len(piece) < 0.2 * RATE
    assert abs(int(piece[len(piece) // 2, 0]) - (RATE // 2 + len(piece) // 2) // 2) < 50 and piece[0, 0] == 0
    run(sounding, "scrub-sound")
    starts = ear.starts
    doc.set_frame(30)
    assert ear.starts == starts


def test_the_waveform_is_dragged_in_time_and_muted_by_its_icon(sounding):
    row, doc, lanes = sounding.window.sound_row, sounding.doc, sounding.window.lanes
    assert row.isVisible()
    left, right = row.extent(row.samples.wave())
    assert left == pytest.approx(lanes.axis.x(12)) and right == pytest.approx(lanes.axis.x(36))
    sounding.drag(row, (lanes.axis.x(20), 20), (lanes.axis.x(28), 20))
    assert doc.scene.sound.start == 20 and doc.undo_label() == "Move the sound"
    sounding.drag(row, (lanes.axis.x(30), 20), (lanes.axis.x(30.4), 20), SHIFT)
    assert doc.scene.sound.start == pytest.approx(20.4, abs=0.15)
    sounding.click(row, row.icon_place.center())
    assert doc.scene.sound.muted
    sounding.drag(row, (lanes.axis.x(3), 20), (lanes.axis.x(7), 20))
    assert doc.frame == 7
    doc.set_frame(33)
    run(sounding, "sound-here")
    assert doc.scene.sound.start == 33
    sounding.settle(30)
    run(sounding, "sound-remove")
    assert not row.isVisible()
    doc.undo()
    assert row.isVisible()


def test_the_waveforms_peaks_are_painted(sounding, tmp_path):
    swelling = (np.arange(RATE) // 2 * np.where(np.arange(RATE) % 50 < 25, 1, -1)).astype("<i2")
    with wave.open(str(tmp_path / "swell.wav"), "wb") as file:
        file.setparams((1, 2, RATE, 0, "NONE", "not compressed"))
        file.writeframes(swelling.tobytes())
    sounding.doc.edit("Swell", lambda s: timeline.set_sound(s, read_sound(tmp_path / "swell.wav", 12.0)))
    row, lanes = sounding.window.sound_row, sounding.window.lanes
    sounding.settle(30)
    image = row.grab().toImage()

    def filled(frame):
        x = round(lanes.axis.x(frame))
        return sum(
            image.pixelColor(x, y).name() == sounding.window.palette_.lane("#2A8FA3").lower() for y in range(row.height())
        )

    assert filled(8) == 0 and filled(14) < filled(24) < filled(35)


def test_a_sound_is_taken_from_a_file_and_a_machine_without_a_device_says_so(keyed, tone_file, tmp_path):
    keyed.window.ask.files.open = lambda *_a: tone_file
    run(keyed, "sound")
    assert keyed.doc.scene.sound.name == "ramp.wav" and "no sound device" in keyed.said[-1][0]
    keyed.take_keys_again()
    keyed.press(K.Key_Space)
    keyed.qtbot.waitUntil(lambda: keyed.doc.frame > 0, timeout=10_000)
    assert keyed.window.playback.playing
    keyed.press(K.Key_Space)
    wrong = tmp_path / "words.mp3"
    wrong.write_text("no sound")
    keyed.window.ask.files.open = lambda *_a: wrong
    run(keyed, "sound")
    assert keyed.said[-1][1] == "error" and keyed.doc.scene.sound.name == "ramp.wav"


def test_a_sound_dropped_on_the_lanes_is_taken_and_a_reopened_one_is_read_in_the_background(keyed, tone_file, tmp_path):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tone_file))])
    port, copy = keyed.window.lanes.viewport(), Qt.DropAction.CopyAction
    args = (QPoint(400, 60), copy, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(port, QDragEnterEvent(*args))
    QApplication.sendEvent(port, QDropEvent(QPointF(400, 60), *args[1:]))
    assert keyed.doc.scene.sound.name == "ramp.wav"
    save(keyed.doc.scene, tmp_path / "s.fictilis")
    keyed.doc.open_scene(load(tmp_path / "s.fictilis"), None)
    row = keyed.window.sound_row
    keyed.qtbot.waitUntil(lambda: row.samples.wave() is not None, timeout=3000)
    assert row.extent(row.samples.wave())[1] == pytest.approx(keyed.window.lanes.axis.x(24))
    decoded(Sound("other.wav", wav(TONE)))  # somebody reads another one, and the samples of the last are kept only
    assert row.samples.wave() is None
    keyed.qtbot.waitUntil(lambda: row.samples.wave() is not None, timeout=3000)


def test_a_sound_that_cannot_be_read_shows_so_and_stops_nothing(keyed):
    keyed.doc.edit("Sound", lambda s: timeline.set_sound(s, Sound("broken.wav", b"not a sound")))
    row = keyed.window.sound_row
    keyed.qtbot.waitUntil(lambda: row.samples.failed, timeout=3000)
    assert row.isVisible() and row.samples.wave() is None
    keyed.press(K.Key_Space)
    keyed.qtbot.waitUntil(lambda: keyed.doc.frame > 0, timeout=3000)
    keyed.press(K.Key_Space)


@pytest.mark.parametrize("without", ["a device", "the library"])
def test_a_machine_without_sound_is_no_error(without):
    """In a process of its own, where the real device is looked for and none can be reached."""
    missing = "import sys; sys.modules['PyQt6.QtMultimedia'] = None\n" if without == "the library" else ""
    code = missing + (
        "from fictilis.app.start import application\n"
        "from fictilis.app.lanes.sound_player import find_speaker\n"
        "print(find_speaker(application()))"
    )
    env = {**os.environ, "PULSE_SERVER": "unix:/nowhere", "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, env=env, timeout=60)
    assert done.returncode == 0 and "Traceback" not in done.stderr
    # a machine may offer a device by another way
    assert done.stdout.strip() == "None" or without == "a device" and "QtSpeaker" in done.stdout


def test_start_and_volume_are_typed(sounding, forms):
    forms(sounding, {"start": 3.0, "volume": 0.5})
    run(sounding, "sound-numbers")
    assert (sounding.doc.scene.sound.start, sounding.doc.scene.sound.volume) == (3, 0.5)


# cameras


def test_a_camera_sees_what_the_view_saw_and_turning_it_is_one_step(keyed):
    view, doc = keyed.view, keyed.doc
    before = view.camera
    run(keyed, "new-camera")
    assert doc.through_camera and view.camera.centre == before.centre and view.camera.distance == before.distance
    steps = doc.undo_label()
    keyed.drag(view, (300, 200), (360, 220), button=RIGHT)
    assert doc.undo_label() == "Aim Camera" and steps == "New Camera"
    assert doc.scene.cameras[0].yaw == pytest.approx(before.yaw - 24, abs=1)
    doc.undo()
    assert doc.scene.cameras[0].yaw == pytest.approx(before.yaw)
    doc.redo()
    keyed.press(K.Key_5, CTRL)
    assert not doc.through_camera and view.camera == before
    keyed.press(K.Key_5, CTRL)
    keyed.press(K.Key_1, CTRL)
    assert not doc.through_camera and view.camera.yaw == 0
    run(keyed, "remove-camera")
    assert doc.scene.cameras == () and not keyed.window.actions_.by_id["through-camera"].isEnabled()


def test_a_keyed_camera_moves_the_view_and_auto_key_writes_where_it_is_turned(keyed):
    view, doc = keyed.view, keyed.doc
    run(keyed, "new-camera")
    camera = doc.scene.cameras[0].id
    yaw = doc.scene.cameras[0].yaw
    doc.select_channel(doc.channels.ref("yaw", doc.scene.camera))
    keyed.press(K.Key_K)
    doc.set_frame(40)
    doc.change(auto_key=True)
    keyed.drag(view, (300, 200), (400, 200), button=RIGHT)
    lane = doc.scene.owner(camera).lane("yaw")
    assert [k.frame for k in lane.curve.keys] == [0, 40] and lane.curve.keys[1].value == pytest.approx(yaw - 40, abs=1)
    doc.change(auto_key=False)
    doc.set_frame(20)
    assert view.camera.yaw == pytest.approx(yaw - 20, abs=1)
    assert keyed.window.side.camera.isVisible() and keyed.window.side.camera.fields["yaw"].value == pytest.approx(
        yaw - 20, abs=1
    )
    run(keyed, "lanes-camera")
    assert [p.channel.name for p in keyed.window.lanes.places()][-2:] == ["Tilt", "Field of view"]
    field = keyed.window.side.camera.fields["lens"]
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "60")
    QTest.keyClick(field, K.Key_Return)
    assert doc.scene.cameras[0].lens == 60 and view.camera.lens == 60
    name = keyed.window.side.camera.name
    name.setFocus()
    name.selectAll()
    QTest.keyClicks(name, "Close up")
    QTest.keyClick(name, K.Key_Return)
    assert doc.scene.cameras[0].name == "Close up" and keyed.window.lanes.headings[-1].text == "Close up"
    name.selectAll()
    QTest.keyClicks(name, "Sheet")
    QTest.keyClick(name, K.Key_Return)
    assert doc.scene.cameras[0].name == "Close up" and "already has something named Sheet" in keyed.said[-1][0]


# ghosts and paths


def test_ghosts_stand_on_neighbouring_frames_or_keys_and_not_while_playing(keyed, forms):
    doc, view = keyed.doc, keyed.view
    doc.set_frame(20)
    run(keyed, "ghosts-frames")
    plain = len(view.items())
    made = view.draw_items()[plain:]
    assert len(made) == 4 and all(0 < item.alpha < 0.5 for item in made)
    assert sorted(f for f, _ in view.dressing.ghost_frames()) == [12, 16, 24, 28]
    earlier = {item.colour for item, (f, _) in zip(made, view.dressing.ghost_frames(), strict=True) if f < 20}
    assert len(earlier) == 1 and len({item.colour for item in made}) == 2
    height = {f: float(item.points[:, 1].max()) for item, (f, _) in zip(made, view.dressing.ghost_frames(), strict=True)}
    assert height[12] < height[16] < height[24]
    assert made[0].matrix[0, 3] == pytest.approx(20 * 16 / 48)
    forms(keyed, {"count": 1, "step": 10})
    run(keyed, "ghost-numbers")
    assert sorted(f for f, _ in view.dressing.ghost_frames()) == [10, 30]
    run(keyed, "ghosts-keys")
    assert sorted(f for f, _ in view.dressing.ghost_frames()) == [0, 24]
    keyed.press(K.Key_Space)
    assert len(view.draw_items()) == plain
    keyed.press(K.Key_Space)
    run(keyed, "ghosts-keys")
    assert len(view.draw_items()) == plain


def test_a_motion_path_follows_picked_points_or_the_pivot(keyed):
    doc, view = keyed.doc, keyed.view
    run(keyed, "motion")
    keyed.settle(30)
    pivot = motion_path(view)
    assert pivot.shape == (97, 1, 3) and np.allclose(pivot[24, 0], [10, 0, 0]) and np.allclose(pivot[96, 0], [20, 0, 0])
    doc.commit("Pick", picks={OBJ: Pick("points", np.array([3, 7]))})
    path = motion_path(view)
    assert path.shape == (97, 2, 3)
    assert np.allclose(path[24, 0], keyed.obj.base[3] + [10, 10, 0]) and motion_path(view) is path
    doc.edit("Key", lambda s: edits.set_key(s, OBJ, "t1", Key(24, 0.5)))
    assert np.allclose(motion_path(view)[24, 0], keyed.obj.base[3] + [10, 5, 0])
    doc.edit("Part", lambda s: timeline.set_played(s, 10, 20))
    assert len(motion_path(view)) == 11
