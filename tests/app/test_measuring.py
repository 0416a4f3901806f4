"""Measures in the view and in *Together*, made by hand."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from fictilis.core.edits.measures import add_measure
from fictilis.core.edits.objects import add_object
from fictilis.core.geometry.primitives import plane
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.kept import Measure, PointOf
from fictilis.core.scene.scene import Scene
from tests.app.conftest import alike, pixels, run

K = Qt.Key
OBJ = "o1"


def at(user, index, inward=0.0):
    """Where a point is seen, or a little toward the middle of the sheet, so that its faces lie under the pointer."""
    place, middle = user.pixel(index), user.pixel(12)
    return place + (middle - place) * inward


def measure(user, first, second):
    user.press(K.Key_D)
    user.click(user.view, at(user, first, 0.1))
    user.click(user.view, at(user, second, 0.1))


@pytest.mark.parametrize("state", ["mixing", "alone", "shaping", "line-up", "through a camera"])
def test_two_clicks_measure_and_change_nothing_else(user, state):
    if state == "shaping":
        user.doc.start_shaping(ShapeRef(user.target("Lift").id))
    if state in ("alone", "line-up"):
        user.doc.change(way=state.capitalize())
    if state == "through a camera":
        run(user, "new-camera")
    user.settle()
    objects = user.doc.scene.objects
    measure(user, 0, 24)
    assert user.doc.scene.measures == (Measure("Distance", PointOf(OBJ, 0), PointOf(OBJ, 24)),)
    assert user.doc.scene.objects == objects and not len(user.doc.pick()) and not user.view.clicks.on
    user.doc.undo()
    assert user.doc.scene.measures == ()
    user.doc.redo()
    assert len(user.doc.scene.measures) == 1


def test_beside_the_object_a_click_says_so_and_esc_leaves_without_a_measure(user):
    user.doc.start_shaping(ShapeRef(user.target("Lift").id))
    user.press(K.Key_D)
    user.click(user.view, QPointF(5, 300))
    assert user.said[-1] == ("There is no surface under the pointer; click on an object.", "warning")
    user.click(user.view, at(user, 0, 0.1))
    user.press(K.Key_Escape)
    assert not user.view.clicks.on and user.doc.shaping is not None and not user.doc.scene.measures
    user.press(K.Key_Escape)
    assert user.doc.shaping is None
    user.press(K.Key_D)
    assert user.view.measuring.first is None


def test_hands_in_a_hurry_leave_nothing_that_is_gone(user):
    points, mesh = plane(20, 20, 2, 2)
    user.doc.edit("Add", lambda s: add_object(s, "Other", mesh, points + [40, 0, 0])[0])
    user.view.eye.fit()
    user.press(K.Key_D)
    user.view.measuring.first = PointOf("o2", 3)
    user.doc.undo()  # its object is gone
    assert user.view.clicks.on and user.view.measuring.first is None
    user.view.eye.fit()
    user.settle()
    user.click(user.view, at(user, 0, 0.1))
    run(user, "draw-line")
    assert not user.view.clicks.on and user.view.drawing.on
    user.press(K.Key_D)
    assert user.view.clicks.on and not user.view.drawing.on
    user.doc.open_scene(Scene(), None)
    assert not user.view.clicks.on


def test_two_picked_points_are_measured_at_once_and_the_side_says_how_large_a_pick_is(user):
    user.doc.start_shaping(ShapeRef(user.target("Lift").id))
    user.doc.set_tools(tool="move")
    user.doc.set_picks(np.array([0, 4]))
    user.settle()
    assert "2 points picked, 40.00 × 0.00 × 0.00 cm" in user.window.side.tool.note.text()
    user.press(K.Key_D)
    assert user.doc.scene.measures == (Measure("Distance", PointOf(OBJ, 0), PointOf(OBJ, 4)),) and not user.view.clicks.on


def test_they_are_seen_named_hidden_and_removed(user, forms):
    user.doc.see(compass=False)
    user.settle()
    bare = pixels(user.view)
    user.doc.edit("Measure", lambda s: add_measure(s, PointOf(OBJ, 0), PointOf(OBJ, 24)))
    seen = pixels(user.view)
    run(user, "measures")
    assert not alike(bare, seen) and alike(bare, pixels(user.view))
    measure(user, 4, 20)
    assert user.doc.seeing.measures, "a new one is seen"
    forms(user, {"name": "Distance 2", "to": "Slant"}, {"name": "Distance"})
    run(user, "rename-measure")
    run(user, "remove-measure")
    assert [m.name for m in user.doc.scene.measures] == ["Slant"]


def test_together_it_is_a_curve_that_nothing_takes_hold_of(user):
    lanes = user.window.lanes
    user.doc.change(together=True)
    user.settle()
    bare = pixels(lanes.viewport())
    user.doc.edit("Measure", lambda s: add_measure(s, PointOf(OBJ, 0), PointOf(OBJ, 24)))
    user.settle()
    drawn = pixels(lanes.viewport())
    assert not alike(bare, drawn)
    scene = user.doc.committed.scene
    user.drag(lanes.viewport(), QPointF(500, 120), QPointF(560, 160))
    assert user.doc.committed.scene is scene
    run(user, "measures")
    assert alike(bare, pixels(lanes.viewport()))
