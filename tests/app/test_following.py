"""A weight that follows another number, led by a curve in the side column."""

import pytest
from PyQt6.QtCore import QPointF, Qt

from tests.app.conftest import CTRL

K = Qt.Key


@pytest.fixture
def user(open_window, sheet):
    """Slide follows Lift over 0…1."""
    user = open_window(sheet)
    user.doc.select_target("t2")
    user.window.operations.operate("target-follow", {"source": "t1", "way": "linear"})
    return user


def curve(user) -> list[tuple[float, float]]:
    return [(k.frame, k.value) for k in user.target("Slide").follows.curve.keys]


def test_points_are_dragged_added_typed_and_taken_away_each_in_one_step(user):
    section = user.window.side.follow
    plot = section.plot
    assert not section.isHidden() and curve(user) == [(0, 0), (1, 1)]
    user.drag(plot, plot.pixel(1, 1), plot.pixel(0.5, 0.6))
    assert curve(user)[1] == pytest.approx((0.5, 0.6), abs=0.02)
    user.double_click(plot, plot.pixel(0.9, 0.2))
    assert len(curve(user)) == 3 and section.at.value == pytest.approx(0.9, abs=0.02)
    section.value.setFocus()
    section.value.selectAll()
    user.type("0.4", section.value)
    user.press(K.Key_Return, on=section.value)
    assert curve(user)[2][1] == 0.4
    user.press(K.Key_Delete, on=plot)
    assert len(curve(user)) == 2
    section.way.buttons["Smooth"].click()
    assert {k.interpolation for k in user.target("Slide").follows.curve.keys} == {"smooth"}
    for _ in range(5):
        user.press(K.Key_Z, CTRL)
    assert curve(user) == [(0, 0), (1, 1)]


def test_a_point_where_none_can_be_is_refused_in_a_sentence(user):
    section = user.window.side.follow
    user.click(section.plot, section.plot.pixel(1, 1))
    section.at.setFocus()
    section.at.selectAll()
    user.type("1e9", section.at)
    user.press(K.Key_Return, on=section.at)
    assert curve(user) == [(0, 0), (1, 1)] and section.at.value == 1 and "cannot be" in user.said[-1][0]


def test_undo_in_the_middle_of_a_drag_leaves_nothing_of_it(user):
    plot = user.window.side.follow.plot
    user.double_click(plot, plot.pixel(0.5, 0.2))
    start = plot.pixel(1, 1)
    user.drag(plot, start, start + QPointF(-40, 20), between=lambda: user.press(K.Key_Z, CTRL))
    assert curve(user) == [(0, 0), (1, 1)] and user.doc.state is user.doc.committed


def test_its_card_says_what_it_follows_and_another_number_can_be_chosen(user):
    cards = user.window.column.cards
    assert cards.place_of("Slide").bar is None and user.window.lanes.place_of("Slide").slider.isEmpty()
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.25)
    assert user.doc.channels.weights(user.obj)["t2"] == 0.25
    section = user.window.side.follow
    section.source.activated.emit(section.source.findData("rotation.y"))
    assert user.target("Slide").follows.source == "rotation.y"
    user.doc.channels.set_value(user.doc.channels.ref("rotation.y"), 0.5)
    assert user.doc.channels.weights(user.obj)["t2"] == 0.5
    user.window.actions_.by_id["plain-target"].trigger()
    assert user.target("Slide").follows is None and user.target("Slide").weight == 0.5 and section.isHidden()


def test_a_circle_is_said_by_name(user):
    user.doc.select_target("t1")
    user.window.operations.operate("target-follow", {"source": "t2", "way": "linear"})
    assert "drives" in user.said[-1][0] and user.target("Lift").follows is None
