"""Clips in the window: made, chosen in the transport line, by keys and by the find field, each with its lanes and range."""

import pytest
from PyQt6.QtCore import Qt

from fictilis.core.animation.curve import Key
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.timeline import set_frame_range
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.scene.clips import clip
from tests.app.conftest import CTRL

K = Qt.Key
OBJ = "o1"


@pytest.fixture
def user(open_window, sheet, answers):
    """Clip 1 with keys of Lift, and a new one, active."""
    user = open_window(set_key(set_key(sheet, OBJ, "t1", Key(0, 0)), OBJ, "t1", Key(24, 1)))
    answers(user.window, FormDialog="ok")
    user.window.actions_.by_id["new-clip"].trigger()
    return user


def keyed(user) -> list[str]:
    return [lane.channel for lane in user.obj.lanes]


def test_a_new_clip_has_no_keys_and_the_transport_goes_back(user):
    chooser = user.window.transport.clip
    assert not chooser.isHidden() and [chooser.itemText(n) for n in range(2)] == ["Clip 1", "Clip"]
    assert keyed(user) == [] and "Clip is active now" in user.said[-1][0]
    chooser.activated.emit(0)
    assert keyed(user) == ["t1"] and user.doc.undo_label() == "Choose Clip 1" and chooser.currentText() == "Clip 1"
    user.press(K.Key_PageDown, CTRL)
    assert keyed(user) == []
    for _ in range(3):
        user.press(K.Key_Z, CTRL)
    assert keyed(user) == ["t1"] and not user.doc.scene.clips and chooser.isHidden()


def test_keys_selected_in_one_clip_are_not_touched_in_another(user):
    user.press(K.Key_PageUp, CTRL)
    user.doc.change(keys=frozenset({KeyRef(OBJ, "t1", 24.0)}))
    user.press(K.Key_PageDown, CTRL)
    assert not user.doc.keys
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.25)
    user.press(K.Key_PageUp, CTRL)
    assert user.obj.lane("t1").curve.keys[1].value == 1.0


def test_each_clip_keeps_its_range_and_whether_it_loops(user):
    user.doc.edit("Range", lambda s: set_frame_range(s, 0, 30))
    user.doc.set_frame(20.0)
    user.window.actions_.by_id["loop-clip"].trigger()
    assert not clip(user.doc.scene).loop
    user.press(K.Key_PageUp, CTRL)
    assert user.doc.scene.end == 96 and user.doc.loop
    user.doc.set_frame(80.0)
    user.press(K.Key_PageUp, CTRL)
    assert user.doc.scene.end == 30 and user.doc.frame == 30 and not user.doc.loop


def test_two_are_blended_by_a_lane(user):
    user.window.operations.operate("clip-blend", {"first": "p1", "second": "p2", "offset": 4.0, "name": ""})
    assert clip(user.doc.scene).name == "Clip 1 to Clip"
    user.window.lanes.look.folded.discard("object")
    user.window.lanes.refresh()
    place = user.window.lanes.place_of("Blend")
    user.doc.set_frame(24.0)
    user.doc.channels.set_value(place.ref, 0.5)
    assert user.doc.channels.weights(user.obj)["t1"] == 0.5
    assert any(found.title == "Clip 1" and found.note == "clip" for found in user.window.finder.things())


def test_the_transport_has_room_for_its_choices_in_every_window(user):
    """A clip's chooser takes some of it; what is left out then is in the menus."""
    line = user.window.transport
    for width in range(730, 1330, 30):
        user.window.resize(width, 480)
        user.settle(20)
        assert line.plot.geometry().right() < line.width() == width
        for part in (line.play, line.clip, line.frame, line.rate, line.auto, line.plot):
            assert part.isVisible() and part.width() >= min(part.minimumSizeHint().width(), part.maximumWidth()), width
