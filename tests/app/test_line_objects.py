"""A line object in the window: seen, chosen, picked, shaped and undone like a mesh."""

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt

from fictilis.app.commands.rows import ROWS
from fictilis.app.view.tools import TOOLS
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.targets import target_from_points
from fictilis.core.geometry.picked import Pick
from fictilis.core.mix.shapes import ShapeRef, full_shape
from tests.app.conftest import answer_all
from tests.sameness import same
from tests.whips import WHIP, whip_points

TOUCHES = ("Shape", "Mesh", "Pick", "See", "Target")


@pytest.fixture
def whip(open_window, sheet):
    points = whip_points() * 4
    scene, _ = add_object(sheet, "Whip", WHIP, points + [0, 10, 0])
    scene, _ = target_from_points(scene, "o2", "Curl", points + [0, 10, 0] + np.sin(points) * [0, 0, 2])
    user = open_window(replace(scene, name="Whip"))
    user.doc.select_object("o2")
    user.view.eye.look("front")
    user.doc.start_shaping(ShapeRef("t1"))
    user.view.eye.fit()
    user.settle()
    return user


def test_a_line_is_chosen_picked_and_moved_by_hand(whip):
    whip.doc.done_shaping()
    whip.doc.select_object("o1")
    whip.settle()
    ends = full_shape(whip.doc.scene.object("o2"), "t1")
    middle = whip.view.camera.project(
        (whip_points()[4:6] * 4 + [0, 10, 0]).mean(0)[None], whip.view.width(), whip.view.height()
    )
    whip.click(whip.view, QPointF(*middle[0][0]))
    assert whip.doc.object_id == "o2"
    whip.doc.start_shaping(ShapeRef("t1"))
    whip.doc.set_tools(tool="pick", kind="points")
    whip.settle()
    whip.click(whip.view, whip.pixel(5))
    assert whip.doc.picks().tolist() == [5]
    whip.doc.set_tools(kind="edges")
    whip.click(whip.view, (whip.pixel(3) + whip.pixel(4)) / 2)
    assert whip.doc.pick().elements.tolist() == [3]
    whip.doc.set_tools(tool="grab", size=6.0, kind="points")
    whip.doc.set_pick(Pick("points", []))
    whip.drag(whip.view, whip.pixel(5), whip.pixel(5) + QPointF(0, -40))
    moved = np.flatnonzero((full_shape(whip.obj, "t1") != ends).any(axis=1))
    assert 5 in moved and set(moved) <= set(range(12)) and whip.doc.undo_label() == "Grab on Curl"
    whip.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert np.array_equal(full_shape(whip.obj, "t1"), ends)


def test_every_tool_and_every_action_on_shapes_takes_a_line_or_says_why(whip, forms, monkeypatch):
    answer_all(whip, forms, monkeypatch)
    start = whip.doc.committed.scene
    for tool in TOOLS:
        whip.doc.set_tools(tool=tool)
        whip.doc.set_pick(Pick("points", [4, 5, 6]))
        whip.drag(whip.view, whip.pixel(5), whip.pixel(5) + QPointF(6, -25))
    for row in (row for row in ROWS if row.menu in TOUCHES):
        if whip.doc.object_id != "o2":
            whip.doc.select_object("o2")
        if whip.doc.shaping is None and whip.obj.targets:
            whip.doc.start_shaping(ShapeRef(whip.obj.targets[0].id))
        whip.doc.set_pick(Pick("points", [4, 5, 6]))
        action = whip.window.actions_.by_id[row.id]
        if action.isEnabled():
            said = len(whip.said)
            action.trigger()
            if row.menu == "Mesh" and row.id not in ("freeze", "origin"):
                assert "Whip is a line and has no faces" in whip.said[-1][0] or "pick" in whip.said[-1][0], row.id
                assert len(whip.said) > said
        whip.settle(1)
    while whip.doc.committed.scene is not start and whip.doc.undo_label():
        whip.doc.undo()
    assert same(whip.doc.committed.scene, start)
