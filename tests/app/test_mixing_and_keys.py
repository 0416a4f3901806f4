"""Weights, keys, lanes and playback by mouse and keys."""

import gc
import weakref

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtWidgets import QApplication, QPushButton

from fictilis.app.lanes.playback import Playback, frame_after
from fictilis.core.animation.curve import Key
from fictilis.core.edits.keys import set_key
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.shapes import ShapeRef, full_shape
from tests.app.conftest import CTRL, NONE, SHIFT, bead, move

K = Qt.Key
ALT = Qt.KeyboardModifier.AltModifier


def offered(user):
    """The buttons of the notices in sight."""
    return [b for b in user.window.frame.toast.findChildren(QPushButton) if b.isVisible()]


def weight(user, name):
    return user.doc.channels.weights(user.obj)[user.target(name).id]


def keys_of(user, name):
    lane = user.obj.lane(user.target(name).id)
    return [(k.frame, round(k.value, 3)) for k in lane.curve.keys] if lane else []


@pytest.fixture
def keyed(open_window, sheet):
    scene = sheet
    for frame, value in ((0, 0), (24, 1), (48, 1), (72, 0)):
        scene = set_key(scene, "o1", "t1", Key(frame, value))
    return open_window(scene)


def test_a_card_bar_sets_the_weight_and_shows_it_meanwhile(user):
    cards = user.window.column.cards
    bar = cards.place_of("Lift").bar
    seen = []
    user.drag(
        cards,
        bar.center() - QPointF(30, 0),
        QPointF(bar.right(), bar.center().y()),
        between=lambda: seen.append(weight(user, "Lift")),
    )
    assert seen == [1.0] and user.target("Lift").weight == 1.0 and user.doc.undo_label() == "Weight of Lift"
    user.press(K.Key_Z, CTRL)
    assert weight(user, "Lift") == 0
    user.press(K.Key_Z, CTRL | SHIFT)
    assert weight(user, "Lift") == 1


def test_a_typed_weight_goes_beyond_the_range(user):
    cards = user.window.column.cards
    user.double_click(cards, cards.place_of("Lift").number.center())
    user.type("-1.5", cards._editor)
    user.press(K.Key_Return, on=cards._editor)
    assert user.target("Lift").weight == -1.5 and user.doc.shaping is None
    user.double_click(cards, cards.place_of("Lift").number.center())
    for wrong in ("inf", "nan", "1e9"):
        user.doc.channels.set_value(user.doc.channels.ref("t1"), float(wrong))
        assert user.target("Lift").weight == -1.5 and user.said[-1][1] == "error"
    user.type("high", cards._editor)
    user.press(K.Key_Return, on=cards._editor)
    assert user.target("Lift").weight == -1.5 and "not a number" in user.said[-1][0]


def test_the_range_of_the_sliders(user):
    user.doc.select_target("t1")
    side = user.window.side.target
    for field, text in ((side.low, "-1"), (side.high, "2")):
        field.setFocus()
        field.selectAll()
        user.type(text, field)
        user.press(K.Key_Return, on=field)
    assert user.target("Lift").range == (-1, 2)
    lanes = user.window.lanes
    slider = lanes.place_of("Lift").slider
    user.drag(lanes.viewport(), slider.center(), QPointF(slider.right(), slider.center().y()))
    assert user.target("Lift").weight == 2
    side.low.setFocus()
    side.low.selectAll()
    user.type("5", side.low)
    user.press(K.Key_Return, on=side.low)
    assert user.target("Lift").range == (-1, 2) and user.said[-1][1] == "error"


def test_targets_are_made_named_ordered_and_removed(user):
    cards = user.window.column.cards
    user.press(K.Key_T, CTRL)
    user.type("Pucker", cards._editor)
    user.press(K.Key_Return, on=cards._editor)
    assert [t.name for t in user.obj.targets] == ["Lift", "Slide", "Pucker"] and user.doc.target.name == "Pucker"
    user.drag(
        cards, cards.place_of("Pucker").rect.center() - QPointF(0, 20), cards.place_of("Lift").rect.center() - QPointF(25, 20)
    )
    assert [t.name for t in user.obj.targets] == ["Pucker", "Lift", "Slide"]
    user.press(K.Key_Delete)
    assert [t.name for t in user.obj.targets] == ["Lift", "Slide"]
    user.press(K.Key_Z, CTRL)
    user.press(K.Key_Z, CTRL)
    assert [t.name for t in user.obj.targets] == ["Lift", "Slide", "Pucker"]


def test_a_target_from_what_is_seen(user):
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
    user.press(K.Key_T, CTRL | SHIFT)
    user.press(K.Key_Escape, on=user.window.column.cards._editor)
    assert np.allclose(full_shape(user.obj, user.doc.target.id) - user.obj.base, [0, 5, 0])


def test_in_between_at_this_weight_changes_nothing_seen(user):
    user.doc.select_target("t1")
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.4)
    before = user.view.items()[0].points.copy()
    user.press(K.Key_I, CTRL)
    assert [s.at for s in user.target("Lift").in_betweens] == [0.4] and user.doc.shaping == ShapeRef("t1", 0.4)
    assert np.allclose(user.view.items()[0].points, before, atol=1e-5)
    user.press(K.Key_Escape)
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.0)
    user.press(K.Key_I, CTRL)
    assert "cannot stand at weight 0" in user.said[-1][0]


@pytest.mark.parametrize(("name", "flag"), [("mute", "muted"), ("solo", "solo"), ("lock-target", "locked")])
def test_a_switch_is_of_the_target_selected_last_whatever_is_selected_after_it(user, name, flag):
    user.doc.select_target("t1")
    user.doc.select_channel(user.doc.channels.ref("position.x"), add=True)
    switch = user.window.actions_.by_id[name]
    switch.trigger()
    assert getattr(user.target("Lift"), flag) and switch.isChecked()
    switch.trigger()
    assert not getattr(user.target("Lift"), flag)


def test_a_note_stays_with_the_target_that_it_was_typed_for(user):
    user.doc.select_target("t1")
    field = user.window.side.target.note
    field.setFocus()
    user.type("Too strong", field)
    user.doc.select_target("t2")  # while it is open, by a key say
    user.window.view.setFocus()
    user.settle(50)
    assert (user.target("Lift").note, user.target("Slide").note) in (("Too strong", ""), ("", ""))
    assert field.text() == "" and user.window.side.target.heading.accessibleName() == "Slide"
    user.doc.select_target("t1")
    field.setFocus()
    field.selectAll()
    user.type("Soft", field)
    user.press(Qt.Key.Key_Return, on=field)
    assert user.target("Lift").note == "Soft"
    user.doc.undo()
    assert user.target("Lift").note != "Soft" and field.text() == user.target("Lift").note


def test_a_locked_target_takes_no_stroke_and_says_so_before_the_hand_begins(user):
    user.doc.select_target("t1")
    user.window.actions_.by_id["lock-target"].trigger()
    user.doc.start_shaping(ShapeRef("t1"))
    before = user.target("Lift").deltas
    middle = QPointF(user.view.width() / 2, user.view.height() / 2)
    user.drag(user.view, middle, middle + QPointF(40, -20))
    assert user.target("Lift").deltas is before and "Lift is locked" in user.said[-1][0]
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
    assert user.target("Lift").weight == 0.5


def test_path_mute_and_built_on_in_the_side_column(user):
    user.doc.edit("x", lambda s: __import__("fictilis").targets.add_in_between(s, "o1", "t1", 0.5))
    user.doc.select_target("t1")
    side = user.window.side.target
    side.path.buttons["Curved"].click()
    assert user.target("Lift").path == "curved"
    side.flags["muted"].click()
    assert user.target("Lift").muted
    user.doc.undo()
    assert not user.target("Lift").muted and not side.flags["muted"].isChecked()
    side.built_on.setCurrentIndex(1)
    side.built_on.activated.emit(1)
    assert user.target("Lift").built_on == "t2"


def test_key_and_key_whole_mix(user):
    user.doc.select_target("t1")
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
    user.press(K.Key_K)
    assert keys_of(user, "Lift") == [(0, 0.5)] and keys_of(user, "Slide") == []
    user.press(K.Key_K, SHIFT)
    assert keys_of(user, "Slide") == [(0, 0)]
    user.press(K.Key_Z, CTRL)
    assert keys_of(user, "Slide") == []


def test_a_weight_over_a_lane_is_posed_until_it_is_keyed(keyed):
    lanes = keyed.window.lanes
    keyed.doc.set_frame(10)
    slider = lanes.place_of("Lift").slider
    keyed.drag(lanes.viewport(), slider.center(), QPointF(slider.right() - 1, slider.center().y()))
    assert weight(keyed, "Lift") > 0.9 and lanes.dot_state(lanes.place_of("Lift")) == "posed"
    assert (10.0, 1.0) not in keys_of(keyed, "Lift")
    keyed.doc.set_frame(11)
    assert weight(keyed, "Lift") < 0.6 and lanes.dot_state(lanes.place_of("Lift")) == "keyed"
    keyed.doc.set_frame(24)
    assert lanes.dot_state(lanes.place_of("Lift")) == "here"
    keyed.click(lanes.viewport(), lanes.place_of("Lift").dot.center())
    assert 24 not in dict(keys_of(keyed, "Lift"))
    keyed.click(lanes.viewport(), lanes.place_of("Slide").dot.center())
    assert keys_of(keyed, "Slide") == [(24, 0)] and lanes.dot_state(lanes.place_of("Slide")) == "here"


def test_auto_key_shows_itself_and_says_what_it_wrote(keyed):
    keyed.press(K.Key_K, ALT)
    assert keyed.doc.auto_key and keyed.window.transport.auto.text() == "Auto-key on"
    keyed.doc.set_frame(36)
    keyed.doc.channels.set_value(keyed.doc.channels.ref("t1"), 0.25)
    assert (36, 0.25) in keys_of(keyed, "Lift")
    assert keyed.said[-1][0] == "Auto-key wrote Lift at frame 36."
    keyed.press(K.Key_Z, CTRL)
    assert (36, 0.25) not in keys_of(keyed, "Lift")


def test_the_hold_guard_adds_the_key_and_says_so_and_one_undo_takes_both(user):
    user.press(K.Key_K, SHIFT)
    user.doc.set_frame(20)
    user.doc.select_target("t1")
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 1.0)
    user.press(K.Key_K)
    user.doc.set_frame(40)
    user.doc.select_target("t2")
    user.doc.channels.set_value(user.doc.channels.ref("t2"), 1.0)
    user.press(K.Key_K)
    assert keys_of(user, "Slide") == [(0, 0), (20, 0), (40, 1)]
    assert user.said[-1] == ("Hold guard: Slide stays at 0.00 until frame 20; the missing key was added.", "warning")
    (button,) = offered(user)
    button.click()
    assert keys_of(user, "Slide") == [(0, 0), (40, 1)] and user.doc.undo_label() == "Take back the hold of Slide"
    assert not user.window.frame.toast.isVisible()
    user.press(K.Key_Z, CTRL)
    assert keys_of(user, "Slide") == [(0, 0), (20, 0), (40, 1)]
    user.press(K.Key_Z, CTRL)
    assert keys_of(user, "Slide") == [(0, 0)]
    user.window.actions_.by_id["hold-guard"].trigger()
    user.doc.channels.set_value(user.doc.channels.ref("t2"), 1.0)
    user.press(K.Key_K)
    assert keys_of(user, "Slide") == [(0, 0), (40, 1)]


def test_away_from_neutral_the_hold_is_offered_by_a_button_of_its_own(user):
    for target, rows in (("t1", ((0, 0), (24, 0), (42, 1))), ("t2", ((0, 0), (24, 0.68)))):
        for frame, value in rows:
            user.doc.commit("Key", set_key(user.doc.committed.scene, "o1", target, Key(frame, value)))
    user.doc.set_frame(60)
    user.doc.select_target("t2")
    user.doc.channels.set_value(user.doc.channels.ref("t2"), 0.93)
    user.press(K.Key_K)
    assert keys_of(user, "Slide") == [(0, 0), (24, 0.68), (60, 0.93)]
    assert "Is a slow move meant?" in user.said[-1][0]
    (button,) = offered(user)
    assert button.text() == "Hold until 42"
    button.click()
    assert keys_of(user, "Slide") == [(0, 0), (24, 0.68), (42, 0.68), (60, 0.93)]
    user.press(K.Key_Z, CTRL)
    assert keys_of(user, "Slide") == [(0, 0), (24, 0.68), (60, 0.93)]


@pytest.mark.parametrize("meanwhile", ["undone", "another key", "another scene"])
def test_a_notice_acts_only_on_the_lane_it_was_said_of(user, meanwhile):
    user.press(K.Key_K, SHIFT)
    user.doc.commit("Key", set_key(user.doc.committed.scene, "o1", "t1", Key(20, 1.0)))
    user.doc.set_frame(40)
    user.doc.select_target("t2")
    user.doc.channels.set_value(user.doc.channels.ref("t2"), 1.0)
    user.press(K.Key_K)
    (button,) = offered(user)
    if meanwhile == "undone":
        user.doc.undo()
    elif meanwhile == "another key":
        user.doc.commit("Key", set_key(user.doc.committed.scene, "o1", "t2", Key(30, 0.5)))
    else:
        user.doc.open_scene(set_key(user.doc.committed.scene, "o1", "t2", Key(50, 0.5)), None)
    before = user.doc.committed.scene
    button.click()
    assert user.doc.committed.scene is before and user.said[-1][0] == "Slide has changed since; nothing was done."


def test_beads_are_dragged_in_time_and_value(keyed):
    lanes = keyed.window.lanes
    keyed.click(lanes.viewport(), lanes.place_of("Lift").caret.center())
    start = bead(lanes, "Lift", 24)
    target = QPointF(lanes.axis.x(30), lanes.place_of("Lift").y(0.5))
    seen = []
    keyed.drag(lanes.viewport(), start, target, between=lambda: seen.append(keys_of(keyed, "Lift")))
    assert keys_of(keyed, "Lift")[1][0] == 30 and keys_of(keyed, "Lift")[1][1] == pytest.approx(0.5, abs=0.02)
    assert seen[0] == keys_of(keyed, "Lift") and keyed.doc.undo_label() == "Move 1 key"
    assert keyed.doc.keys == {KeyRef("o1", "t1", 30.0)}
    keyed.doc.undo()
    assert keys_of(keyed, "Lift")[1] == (24, 1)
    keyed.drag(lanes.viewport(), bead(lanes, "Lift", 24), bead(lanes, "Lift", 24) + QPointF(13, 0), SHIFT)
    # Shift toggled the choice of the bead; dragging it then does not snap
    assert keys_of(keyed, "Lift")[1][0] != round(keys_of(keyed, "Lift")[1][0])


def test_beads_are_boxed_and_deleted(keyed):
    lanes = keyed.window.lanes
    body = lanes.place_of("Lift").body
    keyed.drag(lanes.viewport(), (lanes.axis.x(12), body.top() + 1), (lanes.axis.x(60), body.bottom() - 1))
    assert {k.frame for k in keyed.doc.keys} == {24, 48}
    keyed.press(K.Key_Delete)
    assert keys_of(keyed, "Lift") == [(0, 0), (72, 0)]


@pytest.mark.parametrize(("kind", "middle"), [("hold", 0.0), ("linear", 0.5), ("smooth", 0.5)])
def test_interpolation_of_the_chosen_keys(keyed, kind, middle):
    lanes = keyed.window.lanes
    keyed.click(lanes.viewport(), bead(lanes, "Lift", 0))
    keyed.window.actions_.by_id[kind].trigger()
    assert keyed.obj.lane("t1").curve.value(12) == middle
    assert keyed.obj.lane("t1").curve.keys[0].interpolation == kind


def test_scrubbing_and_stepping(keyed):
    lanes = keyed.window.lanes
    keyed.drag(lanes.viewport(), (lanes.axis.x(5), 10), (lanes.axis.x(31.2), 10))
    assert keyed.doc.frame == 31
    for key, modifiers, frame in ((K.Key_Right, NONE, 32), (K.Key_Left, NONE, 31), (K.Key_Left, SHIFT, 24),
                                  (K.Key_Right, SHIFT, 48),
                                  (K.Key_End, NONE, 96), (K.Key_Home, NONE, 0)):  # fmt: skip
        keyed.press(key, modifiers)
        assert keyed.doc.frame == frame


def test_range_rate_and_current_frame_fields(keyed, monkeypatch):
    monkeypatch.setattr(keyed.window.ask, "form", lambda *_a: {"keep": False})
    t = keyed.window.transport
    for field, text in ((t.end, "48"), (t.frame, "12")):
        field.setFocus()
        field.selectAll()
        keyed.type(text, field)
        keyed.press(K.Key_Return, on=field)
    assert keyed.doc.scene.end == 48 and keyed.doc.frame == 12
    t.rate.lineEdit().setFocus()
    t.rate.lineEdit().selectAll()
    keyed.type("29.97", t.rate.lineEdit())
    keyed.press(K.Key_Return, on=t.rate.lineEdit())
    assert keyed.doc.scene.fps == 29.97
    t.start.setFocus()
    t.start.selectAll()
    keyed.type("60", t.start)
    keyed.press(K.Key_Return, on=t.start)
    assert keyed.doc.scene.start == 0 and keyed.said[-1][1] == "error"


@pytest.mark.parametrize(
    ("seconds", "loop", "frame", "on"),
    [(0, True, 10, True), (1.0, True, 34, True), (3.6, True, 0, True), (3.6, False, 96, False), (7.6, True, 0, True)],
)
def test_frames_follow_the_clock(seconds, loop, frame, on):
    shown, going_on = frame_after(seconds, 10, 0, 96, 24, loop)
    assert (round(shown), going_on) == (frame, on)


def test_slow_pictures_skip_frames_and_the_rate_is_measured(keyed):
    now = [0.0]
    playback = Playback(keyed.doc, clock=lambda: now[0])
    playback.start()
    shown = []
    for _ in range(10):
        now[0] += 0.25
        playback._tick()
        playback.picture_shown()
        shown.append(keyed.doc.frame)
    assert shown == [6, 12, 18, 24, 30, 36, 42, 48, 54, 60] and playback.measured == pytest.approx(4.0)
    playback.stop()


def test_space_plays_in_real_time_and_stops(keyed):
    import time

    keyed.press(K.Key_Space)
    assert keyed.window.playback.playing
    since = time.perf_counter()
    keyed.settle(600)
    assert keyed.comes(lambda: abs(keyed.doc.frame - (time.perf_counter() - since) * 24) < 5)
    assert keyed.window.playback.measured > 1 and "fps" in keyed.window.transport.measured.text()
    keyed.press(K.Key_Space)
    assert not keyed.window.playback.playing
    keyed.window.actions_.by_id["loop"].trigger()
    assert not keyed.doc.loop
    keyed.doc.set_frame(94)
    keyed.press(K.Key_Space)
    keyed.qtbot.waitUntil(lambda: not keyed.window.playback.playing, timeout=3000)
    assert keyed.doc.frame == 96


def test_a_double_click_in_a_lane_adds_a_key_on_the_curve(keyed):
    lanes = keyed.window.lanes
    place = lanes.place_of("Lift")
    keyed.double_click(lanes.viewport(), QPointF(lanes.axis.x(36), place.body.bottom() - 3))
    assert (36, 1.0) in keys_of(keyed, "Lift")


def test_many_targets_become_rows_with_a_filter(open_window, sheet):
    import fictilis

    scene = sheet
    for k in range(40):
        scene, _ = fictilis.targets.new_target(scene, "o1", f"Ripple {k}")
    user = open_window(scene)
    cards = user.window.column.cards
    assert cards.as_rows() and user.window.column.search.isVisible() and len(cards.places()) == 43
    user.type("ripple 1", user.window.column.search)
    assert len(cards.places()) == 1 + 11


def test_a_drag_on_a_bar_beyond_its_end_stays_in_range(user):
    cards = user.window.column.cards
    bar = cards.place_of("Lift").bar
    move(cards, bar.center(), Qt.MouseButton.NoButton)
    user.drag(cards, bar.center(), QPointF(bar.right() + 200, bar.center().y()))
    assert user.target("Lift").weight == 1.0


def test_what_a_notice_offers_goes_with_the_scene_and_holds_on_to_none(user, sheet):
    user.doc.select_target("t1")
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.4)
    user.press(K.Key_K)
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.9)
    user.doc.set_frame(12)
    (button,) = offered(user)
    assert button.text() == "Key it"
    left = weakref.ref(user.obj)
    user.doc.open_scene(sheet, None)
    user.settle(50)
    assert not offered(user) and not user.window.frame.toast.isVisible()
    del button

    def gone() -> bool:
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        gc.collect()
        return left() is None

    assert user.comes(gone), "what is made beside may know it for a moment"
