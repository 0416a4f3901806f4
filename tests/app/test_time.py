"""Time in the real window: zoom, handles, eases, the Retime band, copied keys, and edits of many keys."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from fictilis.app.lanes.playback import frame_after
from fictilis.app.model.times import timecode
from fictilis.core.animation.curve import Key
from fictilis.core.edits import keys as edits
from fictilis.core.edits import timeline, timing
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.targets import new_target, rename_target, set_weight, target_from_points
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.scene.scene import Scene
from tests.app.conftest import SHIFT, bead, run

K = Qt.Key
OBJ = "o1"


@pytest.fixture
def timed(open_window, sheet):
    """Lift keyed at 0, 20, 40, 60; Slide at 10 and 30."""
    scene = sheet
    for frame, value in ((0, 0.0), (20, 1.0), (40, 0.5), (60, 0.0)):
        scene = edits.set_key(scene, OBJ, "t1", Key(frame, value))
    for frame, value in ((10, 0.0), (30, 1.0)):
        scene = edits.set_key(scene, OBJ, "t2", Key(frame, value))
    user = open_window(scene)
    user.lanes = user.window.lanes
    return user


def curve(user, target="t1"):
    return user.obj.lane(target).curve


def frames(user, target="t1"):
    return [round(k.frame, 6) for k in curve(user, target).keys]


def wheel(user, at, turn, modifiers=Qt.KeyboardModifier.NoModifier):
    port = user.lanes.viewport()
    event = QWheelEvent(
        QPointF(at), QPointF(port.mapToGlobal(QPoint(round(at.x()), round(at.y())))), QPoint(), QPoint(0, turn),
        Qt.MouseButton.NoButton, modifiers, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(port, event)


def select(user, *at, target="t1"):
    user.doc.change(keys=frozenset(KeyRef(OBJ, target, float(f)) for f in at), selected=(ChannelRef(OBJ, target),))


def test_the_wheel_zooms_at_the_pointer_and_shift_pans(timed):
    lanes = timed.lanes
    at = QPointF(lanes.axis.x(40), 60)
    for _ in range(4):
        wheel(timed, at, 120)
    first, last = lanes.axis.frames_in_sight()
    assert last - first < 60 and lanes.axis.x(40) == pytest.approx(at.x(), abs=0.5)
    wheel(timed, at, -120, SHIFT)
    assert lanes.axis.frames_in_sight()[0] > first and lanes.axis.frames_in_sight()[1] - lanes.axis.frames_in_sight()[
        0
    ] == pytest.approx(last - first)
    timed.drag(lanes.viewport(), QPointF(600, 60), QPointF(500, 60), button=Qt.MouseButton.MiddleButton)
    assert lanes.axis.frames_in_sight()[0] > first + 3
    run(timed, "fit-time")
    assert lanes.axis.frames_in_sight() == (0, 96)
    select(timed, 20, 40)
    run(timed, "fit-keys")
    assert 18 < lanes.axis.frames_in_sight()[0] < 20 and 40 < lanes.axis.frames_in_sight()[1] < 42
    timed.settle(50)


def test_keys_are_dragged_right_when_zoomed(timed):
    timed.lanes.axis.fit((10, 50))
    start = bead(timed.lanes, "Lift", 20.0)
    timed.drag(timed.lanes.viewport(), start, QPointF(timed.lanes.axis.x(25), start.y()))
    assert frames(timed) == [0, 25, 40, 60]


def test_handles_of_a_selected_key_are_dragged(timed):
    timed.lanes.set_height(timed.doc.channels.ref("t1"), 132)
    timed.lanes.refresh()
    select(timed, 40)
    ends = {side: end for _, side, _, end in timed.lanes.handles()}
    assert set(ends) == {"into", "out"}
    before = timed.doc.committed.scene
    timed.drag(timed.lanes.viewport(), ends["out"], ends["out"] + QPointF(30, 20))
    key = curve(timed).key_at(40)
    assert key.tangent == "joined" and key.out[1] < 0 < key.into[1] and timed.doc.undo_label() == "Move a handle"
    run(timed, "tangent-broken")
    ends = {side: end for _, side, _, end in timed.lanes.handles()}
    timed.drag(timed.lanes.viewport(), ends["into"], ends["into"] - QPointF(0, 30))
    assert curve(timed).key_at(40).out == pytest.approx(key.out)
    timed.doc.undo()
    timed.doc.undo()
    timed.doc.undo()
    assert timed.doc.committed.scene is before


@pytest.mark.parametrize(("action", "tangent"), [("tangent-flat", "flat"), ("straighten", "broken"),
                                                 ("tangent-broken", "broken"),
                                                 ("tangent-joined", "joined"), ("tangent-auto", "auto")])  # fmt: skip
def test_tangents_by_the_menu(timed, action, tangent):
    select(timed, 40)
    run(timed, action)
    assert curve(timed).key_at(40).tangent == tangent


def test_an_ease_is_chosen_from_pictures_or_written_as_css(timed, monkeypatch):
    select(timed, 0)

    def choose(dialog):
        dialog.css.setText("cubic-bezier(2, 0, 0, 1)")
        dialog.buttons["ok"].click()
        assert not dialog.wrong.isHidden() and "both x" in dialog.wrong.text()
        assert dialog.list.count() == 34 and not dialog.list.item(3).icon().isNull()
        dialog.list.setCurrentRow(33)
        dialog.buttons["ok"].click()
        return dialog.answer

    monkeypatch.setattr(timed.window.ask, "show", choose)
    run(timed, "ease")
    key = curve(timed).key_at(0)
    assert (key.interpolation, key.ease) == ("ease", "bounce-in-out")


def test_the_band_of_retime_scales_and_shifts(timed):
    lanes, port = timed.lanes, timed.lanes.viewport()
    select(timed, 20, 40)
    timed.window.transport.retime.click()
    assert timed.doc.band == (20, 40)
    timed.doc.change(selected=(), keys=frozenset())
    _, _, last = lanes.band_places()
    timed.drag(port, last.center(), QPointF(lanes.axis.x(50), last.center().y()))
    assert frames(timed) == [0, 20, 50, 60] and frames(timed, "t2") == [10, 35] and timed.doc.band == (20, 50)
    timed.doc.select_target("t2")
    _, body, _ = lanes.band_places()
    timed.drag(port, QPointF(lanes.axis.x(45), body.center().y()), QPointF(lanes.axis.x(48), body.center().y()))
    assert frames(timed) == [0, 20, 50, 60] and frames(timed, "t2") == [10, 38] and timed.doc.undo_label() == "Retime"
    timed.doc.undo()
    timed.doc.undo()
    assert frames(timed) == [0, 20, 40, 60]
    timed.window.transport.retime.click()
    assert timed.doc.band is None and lanes.band_places() is None


def test_keys_are_copied_and_pasted_on_other_lanes_and_sides(timed):
    scene = rename_target(rename_target(timed.doc.committed.scene, OBJ, "t1", "Curl left"), OBJ, "t2", "Curl right")
    timed.doc.commit("Names", scene)
    select(timed, 20, 40)
    timed.press(K.Key_C, Qt.KeyboardModifier.ControlModifier)
    timed.doc.set_frame(70)
    timed.press(K.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert frames(timed) == [0, 20, 40, 60, 70, 90]
    run(timed, "paste-mirrored")
    assert frames(timed, "t2") == [10, 30, 70, 90] and curve(timed, "t2").value(70) == 1.0
    timed.doc.undo()
    timed.doc.select_target("t2")
    timed.doc.set_frame(40)
    run(timed, "paste-keys")
    assert frames(timed, "t2") == [10, 30, 40, 60]


def test_exact_numbers_and_nudges(timed, forms):
    forms(timed, {"frame": 22.5, "value": 1.25}, {"frame": 2, "value": -0.25})
    select(timed, 20)
    run(timed, "key-numbers")
    assert curve(timed).key_at(22.5).value == 1.25 and KeyRef(OBJ, "t1", 22.5) in timed.doc.keys
    select(timed, 40, 60)
    run(timed, "key-numbers")
    assert frames(timed) == [0, 22.5, 42, 62] and curve(timed).value(62) == -0.25
    timed.press(K.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert frames(timed) == [0, 22.5, 41, 61]


MANY = {
    "shift-after": ({"by": 5}, [0, 25, 45, 65]), "reverse": ({}, [36, 56, 76, 96]),
    "mirror-values": ({"about": 0.5}, [0, 20, 40, 60]),
    "stagger": ({"by": 4}, [0, 20, 40, 60]), "bake-keys": ({"every": 48}, [0, 48, 96]), "hold-until": ({}, [0, 15, 20, 40, 60]),
    "key-neutral": ({}, [0, 15, 20, 40, 60]), "close-loop": ({}, [0, 20, 40, 60, 96]),
}  # fmt: skip


@pytest.mark.parametrize("name", MANY)
def test_edits_of_many_keys_by_the_menu(timed, forms, name):
    answer, places = MANY[name]
    forms(timed, answer)
    timed.doc.set_frame(15)
    timed.doc.select_target("t1")
    before = timed.doc.committed.scene
    run(timed, name)
    assert frames(timed) == places and timed.doc.committed.scene is not before
    timed.settle(30)
    timed.doc.undo()
    assert timed.doc.committed.scene is before


def test_cleaning_and_reducing_say_how_many_went(timed, forms):
    forms(timed, {"within": 0.05})
    run(timed, "clean-keys")
    assert timed.said[-1][0] == "Every key is needed."
    scene = timed.doc.committed.scene
    timed.doc.commit("Bake", timing.bake(scene, [(OBJ, "t1")], 0, 60, 2))
    run(timed, "reduce-keys")
    assert "keys went" in timed.said[-1][0] and len(curve(timed).keys) < 20


def test_a_lane_goes_on_beyond_its_keys(timed, forms):
    forms(timed, {"before": "Hold", "after": "There and back"})
    timed.doc.select_target("t1")
    run(timed, "beyond")
    assert curve(timed).after == "ping-pong" and timed.doc.channels.weights(timed.obj)["t1"] == 0.0
    timed.doc.set_frame(80)
    assert timed.doc.channels.weights(timed.obj)["t1"] == pytest.approx(0.5)
    timed.settle(30)


@pytest.mark.parametrize(("keep", "last"), [("Frames", 60), ("Seconds", 120)])
def test_another_rate_asks_what_is_kept(timed, forms, keep, last):
    forms(timed, {"keep": keep})
    rate = timed.window.transport.rate
    rate.setEditText("48")
    rate.lineEdit().editingFinished.emit()
    assert timed.doc.scene.fps == 48 and frames(timed)[-1] == last
    assert timed.doc.scene.end == (96 if keep == "Frames" else 192)


def test_an_animation_with_handles_and_eases_is_exported_as_it_plays(timed, tmp_path):
    from fictilis.formats.tracks import weight_track
    from tests.formats.gltf_player import play

    select(timed, 20)
    scene = edits.set_interpolation(timed.doc.committed.scene, timed.doc.keys, "ease", "back-out")
    scene = edits.set_handle(scene, KeyRef(OBJ, "t1", 40.0), "out", 12.0, 0.4)
    obj = scene.object(OBJ)
    track = weight_track(scene, obj)
    at = np.arange(0.0, 97.0)
    assert np.abs(play(track, at / scene.fps) - shares_at(obj, at).T).max() < 1e-6


def test_checks_are_counted_listed_and_mended(timed, monkeypatch):
    timed.qtbot.waitUntil(lambda: bool(timed.window.checker.found), timeout=8000)
    count = len(timed.window.checker.found)
    assert timed.window.top.checks.text() == f"{count} check{'' if count == 1 else 's'}"
    scene = edits.set_key(timed.doc.committed.scene, OBJ, "t1", Key(20, 1.5))
    scene, rise = target_from_points(scene, OBJ, "Rise", timed.obj.base + [0, 6, 0])
    timed.doc.commit("Too much", set_weight(scene, OBJ, rise, 0.3))
    seen = []

    def look(dialog):
        dialog.show()
        seen.append(dialog)
        finding, go, mend = next(row for row in dialog.buttons_of if row[0].check == "range")
        go.click()
        assert timed.doc.frame == 20 and timed.doc.selected_targets == ("t1",)
        mend.click()
        assert all(row[0].check != "range" for row in dialog.buttons_of)
        assert any(row[0].check == "pile" for row in dialog.buttons_of)
        dialog.pile.setFocus()
        dialog.pile.selectAll()
        QTest.keyClicks(dialog.pile, "3")
        QTest.keyClick(dialog.pile, K.Key_Return)
        assert not any(row[0].check == "pile" for row in dialog.buttons_of)
        dialog.buttons["ok"].click()
        return dialog.answer

    monkeypatch.setattr(timed.window.ask, "show", look)
    timed.window.top.checks.click()
    assert seen and timed.target("Lift").range == (0.0, 1.5)
    timed.doc.undo()
    assert timed.target("Lift").range == (0.0, 1.0)
    timed.doc.open_scene(Scene(), None)
    assert timed.window.top.checks.text() == "No checks"  # at once: those were of another scene


def test_mixes_are_kept_put_back_and_blended(timed, forms, monkeypatch):
    forms(timed, {"name": "Rest"}, {"name": "Reach"})
    run(timed, "keep-mix")
    timed.doc.set_frame(20)
    run(timed, "keep-mix")
    assert [m.name for m in timed.obj.mixes] == ["Rest", "Reach"]
    timed.doc.set_frame(40)
    menu = timed.window.top.lists["Apply a kept mix"]
    menu.aboutToShow.emit()
    menu.actions()[1].trigger()
    assert (
        timed.doc.channels.weights(timed.obj) == pytest.approx({"t1": 1.0, "t2": 0.5})
        and timed.doc.undo_label() == "Apply the mix Reach"
    )

    def blend(dialog):
        dialog.slider.setValue(250)
        assert timed.doc.channels.weights(timed.obj)["t1"] == pytest.approx(0.25)
        dialog.buttons["key"].click()
        return dialog.answer

    monkeypatch.setattr(timed.window.ask, "show", blend)
    run(timed, "blend-mixes")
    assert curve(timed).value(40) == pytest.approx(0.25) and curve(timed, "t2").value(40) == pytest.approx(0.125)
    timed.doc.undo()
    assert curve(timed).value(40) == 0.5


def test_ways_to_play(timed):
    playback = timed.window.playback
    run(timed, "speed-50")
    assert timed.doc.speed == 0.5 and timed.window.actions_.by_id["speed-50"].isChecked()
    assert frame_after(1.0, 0, 0, 96, 24, True, back=True) == (24, True)
    assert frame_after(5.0, 0, 0, 96, 24, True, back=True) == (72, True)
    assert frame_after(9.0, 0, 0, 96, 24, True, back=True) == (24, True)
    now = [0.0]
    playback.clock = lambda: now[0]
    playback.start()
    now[0] = 2.0
    playback._tick()
    assert timed.doc.frame == 24
    playback.stop()
    run(timed, "every-frame")
    timed.doc.set_frame(0)
    playback.start()
    for step in (5.0, 0.0, 5.0):
        now[0] += step
        playback._tick()
        timed.window.view.picture_shown.emit()
    assert timed.doc.frame == 2  # a frame for each picture, however late, and none before its time
    playback.stop()


def test_the_seam_of_the_loop_stands_in_the_transport_line(timed):
    timed.doc.edit("Range", lambda s: timeline.set_frame_range(s, 0, 40))
    label = timed.window.transport.seam
    timed.qtbot.waitUntil(lambda: "jump 6.40 cm" in label.text(), timeout=8000)
    run(timed, "close-loop")
    timed.qtbot.waitUntil(lambda: "loops cleanly" in label.text(), timeout=8000)
    run(timed, "loop")
    timed.qtbot.waitUntil(lambda: label.text() == "", timeout=8000)


def test_modifiers_act_over_the_curve_and_are_baked(timed):
    section = timed.window.side.modifiers
    timed.doc.select_target("t1")
    section.more.activated.emit(1)
    section.more.activated.emit(2)
    assert [m.kind for m in timed.obj.lane("t1").modifiers] == ["spring", "wobble"] and len(section.blocks) == 2
    section.blocks[0]["preset"].activated.emit(3)
    assert timed.obj.lane("t1").modifiers[0].number("damping") == 7.0
    field = section.blocks[1]["height"]
    field.setFocus()
    field.selectAll()
    timed.type("0.2", field)
    timed.press(K.Key_Return, on=field)
    timed.doc.set_frame(30)
    moved = timed.doc.channels.weights(timed.obj)["t1"]
    assert abs(moved - curve(timed).value(30)) > 0.02
    section.blocks[1]["on"].click()
    assert not timed.obj.lane("t1").modifiers[1].on and timed.doc.channels.weights(timed.obj)["t1"] != moved
    section.blocks[1]["gone"].click()
    sprung = timed.doc.channels.weights(timed.obj)["t1"]
    timed.settle(60)
    section.bake.click()
    lane = timed.obj.lane("t1")
    assert (
        lane.modifiers == ()
        and len(lane.curve.keys) == 97
        and timed.doc.channels.weights(timed.obj)["t1"] == pytest.approx(sprung)
    )
    timed.doc.undo()
    assert len(timed.obj.lane("t1").modifiers) == 1 and frames(timed) == [0, 20, 40, 60]


def test_lanes_are_shown_all_keyed_or_selected(timed):
    timed.doc.edit("Spare", lambda s: new_target(s, OBJ, "Spare")[0])
    assert [p.channel.name for p in timed.lanes.places()] == ["Lift", "Slide", "Spare"]
    timed.lanes.which.menu().actions()[1].trigger()
    assert [p.channel.name for p in timed.lanes.places()] == ["Lift", "Slide"] and "Keyed" in timed.lanes.which.text()
    run(timed, "lanes-selected")
    timed.doc.select_target(None)
    assert timed.lanes.places() == []
    timed.settle(30)
    timed.doc.select_target("t2")
    assert [p.channel.name for p in timed.lanes.places()] == ["Slide"]
    run(timed, "lanes-all")
    assert len(timed.lanes.places()) == 3


@pytest.mark.parametrize(("frame", "fps", "text"), [(0, 24, "00:00:00:00"), (95, 24, "00:00:03:23"), (90, 30, "00:00:03:00"),
                                                    (86_400 * 24, 24, "24:00:00:00"), (-1, 25, "-00:00:00:01")])  # fmt: skip
def test_timecode(frame, fps, text):
    """Source: SMPTE non-drop-frame counting: the frames of a second run from 0 to the rate less one; 90 frames are 3 s at
    30 (common practice)."""
    assert timecode(frame, fps) == text


def test_the_time_is_shown_as_timecode(timed):
    timed.doc.set_frame(47)
    assert timed.window.transport.time.text() == "0:01.96"
    run(timed, "time-timecode")
    assert timed.window.transport.time.text() == "00:00:01:23"


def test_keys_copied_from_another_object_go_to_what_has_the_same_name(timed):
    """Ids count for each object: the first target of the other one is not the first of this one."""
    other, _ = add_object(timed.doc.committed.scene, "Other", timed.obj.mesh, timed.obj.base)
    for name in ("Slide", "Lift"):
        other, _ = new_target(other, "o2", name)
    timed.doc.commit("Other", other)
    select(timed, 20, 40)
    timed.press(K.Key_C, Qt.KeyboardModifier.ControlModifier)
    timed.doc.select_object("o2")
    timed.doc.set_frame(10)
    timed.press(K.Key_V, Qt.KeyboardModifier.ControlModifier)
    lanes = {lane.channel: [k.frame for k in lane.curve.keys] for lane in timed.obj.lanes}
    assert timed.obj.name == "Other" and lanes == {timed.target("Lift").id: [10, 30]}
