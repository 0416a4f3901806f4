"""Sweeps in the window: made, their front dragged over the surface, their numbers set."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from fictilis.app.view.front import front_in, on_front
from fictilis.core.edits import sweeps
from fictilis.core.mix.channels import set_value
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.sweep import Sweep
from fictilis.core.shaping import fields
from tests.app.conftest import CTRL

K = Qt.Key
OBJ = "o1"


@pytest.fixture
def user(open_window, sheet):
    """Lift comes up along X, half way; seen from above."""
    scene = sweeps.set_sweep(sheet, OBJ, "t1", Sweep(fields.along_axis(sheet.object(OBJ), 0), 0.5, 0.5, way="x"))
    user = open_window(set_value(scene, OBJ, "t1", 1.0))
    user.view.eye.look("top")
    user.view.eye.aim_done()
    user.doc.select_target("t1")
    user.settle(60)
    return user


def front(user) -> float:
    return user.doc.channels.values(user.obj)["t1.front"]


def test_the_front_is_a_line_that_is_dragged_over_the_surface_in_one_step(user):
    shown = front_in(user.view)
    assert len(shown.line) == 4 and on_front(user.view, shown.grip) is not None
    way = user.pixel(14) - user.pixel(10)
    user.drag(user.view, shown.grip, shown.grip + way * 0.25)
    assert front(user) > 0.6 and user.doc.undo_label() == "Front of Lift"
    assert front_in(user.view).grip.x() > shown.grip.x()
    user.press(K.Key_Z, CTRL)
    assert front(user) == 0.5


def test_a_drag_of_the_front_that_is_given_up_or_undone_under_leaves_nothing(user):
    shown = front_in(user.view)
    way = user.pixel(14) - user.pixel(10)
    user.drag(user.view, shown.grip, shown.grip + way * 0.25, between=lambda: user.press(K.Key_Escape))
    assert front(user) == 0.5 and user.doc.state is user.doc.committed
    user.doc.select_target("t2")
    assert front_in(user.view) is None
    user.doc.select_target("t1")
    user.doc.start_shaping(ShapeRef("t1"))
    assert front_in(user.view) is None


def test_its_lane_is_keyed_and_the_front_poses_over_it(user):
    lanes = user.window.lanes
    place = lanes.place_of("Front of Lift")
    user.click(lanes.viewport(), place.dot.center())
    assert user.obj.lane("t1.front").curve.keys[0].value == 0.5
    user.doc.set_frame(12.0)
    section = user.window.side.sweep
    section.front.setFocus()
    section.front.selectAll()
    user.type("0.9", section.front)
    user.press(K.Key_Return, on=section.front)
    assert front(user) == 0.9 and user.doc.state.posed == {OBJ: {"t1.front": 0.9}}


def test_the_side_column_sets_where_it_runs_how_soft_it_is_and_says_what_it_gives_way_to(user):
    section = user.window.side.sweep
    assert not section.isHidden() and section.gives.isHidden()
    section.profile.buttons["Linear"].click()
    section.softness.setFocus()
    section.softness.selectAll()
    user.type("0.1", section.softness)
    user.press(K.Key_Return, on=section.softness)
    assert user.target("Lift").sweep.profile == "linear" and user.target("Lift").sweep.softness == 0.1
    section.way.activated.emit(section.way.findData("z"))
    assert np.allclose(user.target("Lift").sweep.field, fields.along_axis(user.obj, 2))
    user.doc.select_target("t2")
    user.window.operations.operate("target-sweep-after", {"earlier": "t1", "frames": 6.0})
    user.doc.select_target("t1")
    assert section.gives.text() == "Gives way to Slide."
    user.window.actions_.by_id["no-sweep"].trigger()
    assert user.target("Lift").sweep is None and section.isHidden()


def test_it_is_shaped_whole_and_a_click_beside_the_front_picks_as_ever(user):
    assert on_front(user.view, QPointF(3, 3)) is None
    user.press(K.Key_Return)
    item = user.view.shaped_item()
    assert user.doc.shaping == ShapeRef("t1") and user.view.stage.solo
    assert np.allclose(item.points[:, 1] - user.obj.base[:, 1], 10.0, atol=1e-4)
