"""Linked targets in the window: one slider, one pose and one key for all of them."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from fictilis.core.edits import targets
from fictilis.core.edits.objects import add_object
from tests.app.conftest import CTRL

K = Qt.Key
SKIN, LID = "o1", "o2"


@pytest.fixture
def user(open_window, sheet):
    """Two objects with a Lift each, linked from the menu."""
    base, mesh = sheet.object(SKIN).base, sheet.object(SKIN).mesh
    scene, lid = add_object(sheet, "Lid", mesh, base + [30, 0, 0])
    scene, _ = targets.target_from_points(scene, lid, "Lift", base + [30, 0, 3])
    user = open_window(scene)
    user.window.actions_.by_id["link-names"].trigger()
    assert user.said[-1][0] == "Linked: Lift."
    return user


def shown(user) -> list[float]:
    return [round(user.doc.channels.weights(o)["t1"], 6) for o in user.doc.scene.objects]


def test_one_slider_moves_all_and_undo_takes_back_all(user):
    cards = user.window.column.cards
    bar = cards.place_of("Lift").bar
    user.drag(cards, bar.center(), bar.center() + QPointF(20, 0))
    now = shown(user)
    assert now[0] == now[1] > 0.5
    user.press(K.Key_Z, CTRL)
    assert shown(user) == [0, 0]


def test_a_pose_over_the_lane_is_of_all_and_a_key_too(user):
    ref = user.doc.channels.ref("t1")
    user.doc.channels.key_values({ref: 1.0}, "Key Lift")
    assert all(o.lane("t1").curve.keys[0].value == 1.0 for o in user.doc.scene.objects)
    user.doc.set_frame(12.0)
    user.doc.channels.set_value(ref, 0.25)
    assert shown(user) == [0.25, 0.25] and set(user.doc.state.posed) == {SKIN, LID}
    user.doc.select_object(LID)
    user.doc.select_target("t1")
    user.press(K.Key_K)
    assert not user.doc.state.posed and shown(user) == [0.25, 0.25]
    assert [len(o.lane("t1").curve.keys) for o in user.doc.scene.objects] == [2, 2]


def test_a_drag_that_is_given_up_leaves_nothing_on_the_others(user):
    cards = user.window.column.cards
    bar = cards.place_of("Lift").bar
    user.drag(cards, bar.center(), bar.center() + QPointF(20, 0), between=lambda: user.press(K.Key_Escape, on=cards))
    assert shown(user) == [0, 0] and user.doc.state is user.doc.committed


def test_the_line_up_shows_all_parts_and_unlinking_frees_one(user):
    user.doc.select_target("t1")
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 1.0)
    user.doc.change(way="Line-up")
    user.settle(200)
    items = user.view.items()
    assert [i.obj.id for i in items] == [SKIN, LID, SKIN, LID, SKIN, LID, SKIN, LID]
    assert len(user.view.label_rects()) == 4
    lid = [i for i in items if i.obj.id == LID]
    assert np.allclose(lid[2].points - lid[1].points, [0, 0, 3], atol=1e-5)  # Lift beside the base
    assert np.allclose(lid[3].points, lid[1].points)  # nothing of Slide
    user.window.actions_.by_id["unlink"].trigger()
    assert all(o.target("t1").link is None for o in user.doc.scene.objects)
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.0)
    assert shown(user) == [0, 1]
