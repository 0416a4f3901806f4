"""Bend, twist, taper and rigs in the window: put on, led by numbers and lanes, joints turned for a look, shaped in the pose."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from fictilis.app.view.joints import joint_in_hand, joints_in, take_joint
from fictilis.core.at_frame.pose import Pose
from fictilis.core.edits.forms import add_form
from fictilis.core.scene.deformers import DEFORMERS
from fictilis.core.scene.rigs import TIME, angle_id, turn_id
from fictilis.core.scene.scene import Scene
from fictilis.demo.sea_pen import sea_pen
from tests.app.conftest import LEFT, NONE, move, point
from tests.app.doing import act, shape

K = Qt.Key


@pytest.fixture
def pen(open_window):
    """The sea pen in the window, bowed, its joints seen from the side."""
    user = open_window(sea_pen())
    user.doc.set_frame(40.0)
    user.view.eye.look("side")
    user.view.eye.fit()
    act(user, "joints")
    user.settle(100)
    return user


def place_of(user, joint):
    return QPointF(*joints_in(user.view).pixels[joint])


@pytest.mark.parametrize("kind", DEFORMERS)
def test_it_is_put_on_by_a_form_led_by_its_number_and_taken_off(open_window, forms, kind):
    scene, obj = add_form(Scene("Box", end=24.0), "Box", {"segments": 4})
    user = open_window(scene)
    doc, section = user.doc, getattr(user.window.side, kind)
    assert section.isHidden() and user.window.side.after.note.isHidden()
    forms(user, {"amount": "0.8", "axis": "X", "low": "0.25"})
    act(user, kind)
    held = doc.object.deformer(kind)
    assert (held.amount, held.axis, held.low, held.high) == (0.8, "x", 0.25, 1.0) and not section.isHidden()
    assert doc.undo_label() == f"{kind.capitalize()} Box" and section.axis.buttons["X"].isChecked()
    assert "top to bottom" in user.window.side.after.note.text() and not user.window.side.after.note.isHidden()
    shown = user.view.items()[0].points
    section.amount.setText("1.5")
    section.amount.setModified(True)
    user.press(K.Key_Return, on=section.amount)
    assert doc.object.deformer(kind).amount == 1.5 and np.abs(user.view.items()[0].points - shown).max() > 1e-3
    section.on.click()
    assert not doc.object.deformer(kind).on
    assert np.abs(user.view.items()[0].points - doc.object.base).max() < 1e-4
    act(user, f"rest-{kind}")
    assert doc.object.deformer(kind).on
    doc.set_frame(12.0)
    doc.channels.key_values({doc.channels.ref(kind): 2.0}, "Key")
    assert doc.object.lane(kind) is not None
    doc.set_frame(3.0)
    assert section.amount.value == 2.0
    act(user, f"no-{kind}")
    assert doc.object.deformer(kind) is None and doc.object.lane(kind) is None and section.isHidden()
    for _ in range(6):
        doc.undo()
    assert doc.scene is scene or not doc.object.deformers


def test_joints_are_taken_by_a_click_and_turned_for_a_look(pen):
    user, doc, rig = pen, pen.doc, pen.obj.skin.rig
    scene, section = doc.scene, user.window.side.rig
    user.click(user.view, place_of(user, 4))
    assert joint_in_hand(doc) == 4 and section.joint.currentText() == "Stem 4"
    assert {ref.channel for ref in doc.selected} == {turn_id(4, axis) for axis in "xyz"}
    assert section.bent.text() == f"{doc.channels.values(doc.object)[angle_id(4)]:.1f}°"
    start, below = place_of(user, 5), place_of(user, 4)
    goal = below + (QPointF(start.y() - below.y(), below.x() - start.x()))  # a right angle on
    user.drag(user.view, start, goal)
    assert doc.scene is scene and joint_in_hand(doc) == 4  # nothing is stored
    arrived = place_of(user, 5) - goal
    assert abs(arrived.x()) < 3 and abs(arrived.y()) < 3
    leaves = next(o for o in doc.scene.objects if o.name == "Leaves")
    assert doc.state.posed[leaves.id] == doc.state.posed[doc.object_id]  # what hangs on the same rig goes along
    doc.undo()
    assert abs(place_of(user, 5).x() - start.x()) < 1e-6
    doc.redo()
    doc.set_frame(41.0)
    assert not doc.state.posed  # a look ends with its frame
    doc.set_frame(40.0)
    section.turns[0].setText("25")
    section.turns[0].setModified(True)
    user.press(K.Key_Return, on=section.turns[0])
    assert doc.state.posed[doc.object_id][turn_id(4, "x")] == 25.0 and doc.scene is scene
    act(user, "key")
    assert doc.object.lane(turn_id(4, "x")).curve.keys[0].value == 25.0 and leaves.lane(turn_id(4, "x")) is None
    assert doc.scene.object(leaves.id).lane(turn_id(4, "x")) == doc.object.lane(turn_id(4, "x"))
    act(user, "rig-straight")
    assert doc.object.lane(turn_id(4, "x")) is None and doc.object.lane(TIME) is not None
    assert rig is doc.object.skin.rig


def test_a_drag_of_a_joint_ends_with_what_comes_in_between(pen):
    user, doc = pen, pen.doc
    scene, start = doc.scene, place_of(pen, 3)
    for interrupt in (doc.undo, lambda: doc.select_object(doc.scene.objects[1].id), lambda: doc.set_frame(10.0)):
        doc.select_object(doc.scene.objects[0].id)
        doc.set_frame(40.0)
        start = place_of(user, 3)
        QTest.mousePress(user.view, LEFT, NONE, point(start))
        move(user.view, (start.x() + 30, start.y() + 10))
        assert doc.state.posed
        interrupt()
        move(user.view, (start.x() + 60, start.y() + 10))
        QTest.mouseRelease(user.view, LEFT, NONE, point((start.x() + 60, start.y() + 10)))
        assert doc.scene is scene and not doc.committed.posed


def test_shaping_in_the_pose_moves_what_is_under_the_pointer(pen):
    user, doc = pen, pen.doc
    act(user, "joints")
    shape(user, "Crease", K.Key_1)
    item = user.view.shaped_item()
    seen = item.in_scene()
    top = int(np.argmax(np.where(np.abs(doc.object.base[:, 1] - 16) < 1.5, seen[:, 0], -np.inf)))
    user.click(user.view, user.pixel(top))
    assert len(doc.picks()) == 1
    chosen = int(doc.picks()[0])
    before = Pose(doc.scene, doc.object, 40.0).points
    share = item.share
    user.press(K.Key_2)
    user.amount("0", "6", "0")
    after = Pose(doc.scene, doc.object, 40.0).points
    moved = after - before
    assert np.abs(moved[chosen] - [0, 6, 0]).max() < 1e-5 and np.abs(np.delete(moved, chosen, axis=0)).max() < 1e-9
    deltas = doc.object.target_named("Crease").deltas.dense(len(before))
    was = doc.before.object(doc.object_id).target_named("Crease").deltas.dense(len(before))
    own = (deltas - was)[chosen]
    assert (
        0 < share < 1 and np.linalg.norm(own) == pytest.approx(6 / share, rel=0.25) and abs(own[1]) < 0.98 * np.linalg.norm(own)
    )


def test_a_rig_is_switched_played_and_followed_from_its_section(pen, forms):
    user, doc, section = pen, pen.doc, pen.window.side.rig
    linear = user.view.items()[0].points.copy()
    section.way.buttons["Dual"].click()
    assert doc.object.skin.dual and np.abs(user.view.items()[0].points - linear).max() > 1e-3
    section.on.click()
    assert abs(user.view.items()[0].points.max(axis=0)[1] - 60.6) < 1.0 and not doc.object.skin.on
    section.on.click()
    row = section.clip.findText("Sway")
    section.clip.setCurrentIndex(row)
    section.clip.activated.emit(row)
    assert doc.undo_label() == "Play Sway on Stalk"
    assert all(o.skin.clip == row for o in doc.scene.objects)
    doc.select_target(doc.object.target_named("Crease").id)
    assert user.window.side.follow.source.currentText() == "Stem 4 bent X"
    doc.select_target(doc.object.target_named("Swell").id)
    forms(user, {"source": "Stem 2 bent"})
    act(user, "follow")
    assert doc.object.target_named("Swell").follows.source == angle_id(2)
    take_joint(doc, None)
    assert joint_in_hand(doc) is None and not doc.selected
    act(user, "rig-none")
    assert user.window.side.rig.isVisible() and "follows a joint" in user.said[-1][0]  # refused: a weight follows one
