"""Lanes of all kinds in the real window: which are shown, heights, order, scales, Together, and keys on any of them."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from fictilis.app.lanes.curve import value_ticks
from fictilis.app.lanes.menus import told_at
from fictilis.app.lanes.places import LANE, TALL, THIN
from fictilis.core.animation.curve import Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.edits import keys as edits
from fictilis.core.edits import timing
from fictilis.core.edits.targets import group_targets, new_target
from fictilis.core.mix.key_refs import KeyRef
from tests.app.conftest import CTRL, bead, run

K = Qt.Key
OBJ = "o1"


@pytest.fixture
def moving(open_window, sheet):
    """Lift keyed 0 … 1, Slide less; the sheet moves up by 30 cm over 40 frames and fades."""
    scene = sheet
    for target, rows in (("t1", ((0, 0), (20, 1), (40, 0))), ("t2", ((0, 0.1), (30, 0.4))),
                         ("position.y", ((0, 0), (40, 30))), ("opacity", ((0, 1), (40, 0.5)))):  # fmt: skip
        for frame, value in rows:
            scene = edits.set_key(scene, OBJ, target, Key(frame, value))
    user = open_window(scene)
    user.lanes = user.window.lanes
    user.port = user.lanes.viewport()
    return user


def names(user):
    return [p.channel.name for p in user.lanes.places()]


def keys_of(user, channel):
    lane = user.obj.lane(channel)
    return [(k.frame, round(k.value, 3)) for k in lane.curve.keys] if lane else []


def colour_at(user, at) -> str:
    return user.port.grab().toImage().pixelColor(round(at.x()), round(at.y())).name()


def wheel(user, at, turn, modifiers):
    event = QWheelEvent(
        QPointF(at), QPointF(user.port.mapToGlobal(QPoint(round(at.x()), round(at.y())))), QPoint(), QPoint(0, turn),
        Qt.MouseButton.NoButton, modifiers, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(user.port, event)


def test_the_objects_own_lanes_stand_under_a_heading_that_unfolds(moving):
    assert names(moving) == ["Lift", "Slide", "Position Y", "Opacity"]  # what is keyed shows though folded
    heading = moving.lanes.headings[-1]
    assert heading.text == "Place and look of Sheet" and heading.folded
    moving.click(moving.port, heading.rect.center())
    assert len(names(moving)) == 13 and "Rotation Z" in names(moving)
    run(moving, "lanes-object")
    assert names(moving)[0] == "Position X" and len(names(moving)) == 11
    run(moving, "lanes-weight")
    assert names(moving) == ["Lift", "Slide"]
    run(moving, "lanes-camera")
    assert names(moving) == [] and moving.lanes.which.text().startswith("Camera")
    moving.settle(30)


def test_the_filter_finds_lanes_by_name(moving):
    QTest.keyClicks(moving.lanes.filter, "ro")
    assert names(moving) == ["Rotation X", "Rotation Y", "Rotation Z"]
    moving.lanes.filter.clear()
    assert names(moving) == ["Lift", "Slide", "Position Y", "Opacity"]


def test_groups_have_headings_and_can_be_shown_alone(moving):
    moving.doc.edit("Group", lambda s: group_targets(s, OBJ, ["t2"], "Sides")[0])
    assert [h.text for h in moving.lanes.headings] == ["Sides", "Place and look of Sheet"]
    moving.click(moving.port, moving.lanes.headings[0].rect.center())
    assert "Slide" not in names(moving)
    moving.click(moving.port, moving.lanes.headings[0].rect.center())
    moving.lanes.which.menu().aboutToShow.emit()
    next(a for a in moving.lanes.which.menu().actions() if a.text() == "Sides").trigger()
    assert names(moving) == ["Slide"] and moving.lanes.which.text().startswith("Sides")


def test_a_heads_lower_edge_makes_a_lane_higher_or_thin(moving):
    place = moving.lanes.place_of("Lift")
    edge = QPointF(place.head.left() + 60, place.head.bottom() - 1)
    moving.drag(moving.port, edge, edge + QPointF(0, 90))
    assert moving.lanes.place_of("Lift").head.height() == pytest.approx(LANE + 90, abs=2)
    assert moving.lanes.place_of("Lift").is_open
    edge = QPointF(60, moving.lanes.place_of("Lift").head.bottom() - 1)
    moving.drag(moving.port, edge, edge - QPointF(0, 300))
    thin = moving.lanes.place_of("Lift")
    assert thin.head.height() == THIN and thin.slider.isEmpty()
    start = bead(moving.lanes, "Lift", 20.0)
    moving.drag(moving.port, start, QPointF(moving.lanes.axis.x(26), start.y()))
    assert [f for f, _ in keys_of(moving, "t1")] == [0, 26, 40]
    moving.doc.select_target("t2")
    run(moving, "lane-open")
    assert moving.lanes.place_of("Slide").head.height() == TALL
    moving.click(moving.port, moving.lanes.place_of("Slide").caret.center())
    assert moving.lanes.place_of("Slide").head.height() == LANE


def test_a_head_dragged_elsewhere_reorders_targets_and_undo_puts_it_back(moving):
    moving.doc.edit("New", lambda s: new_target(s, OBJ, "Third")[0])
    third, lift = moving.lanes.place_of("Third"), moving.lanes.place_of("Lift")
    moving.drag(moving.port, third.name.center(), lift.name.center() - QPointF(0, 12))
    assert [t.name for t in moving.obj.targets] == ["Third", "Lift", "Slide"]
    assert names(moving)[:3] == ["Third", "Lift", "Slide"] and moving.doc.selected_targets == ("t3",)
    moving.doc.undo()
    assert [t.name for t in moving.obj.targets] == ["Lift", "Slide", "Third"]
    lift, slide = moving.lanes.place_of("Lift"), moving.lanes.place_of("Slide")
    moving.drag(moving.port, lift.name.center(), slide.name.center() + QPointF(0, 10))
    assert [t.name for t in moving.obj.targets] == ["Slide", "Lift", "Third"]
    place = moving.lanes.place_of("Position Y")
    moving.drag(moving.port, place.name.center(), lift.name.center())
    assert names(moving)[-2:] == ["Position Y", "Opacity"]


def test_a_slider_poses_the_object_and_the_dot_keys_it(moving):
    moving.doc.set_frame(10)
    place = moving.lanes.place_of("Opacity")
    moving.drag(moving.port, QPointF(place.slider.right(), place.slider.center().y()), place.slider.center())
    assert moving.doc.channels.values(moving.obj)["opacity"] == pytest.approx(0.5, abs=0.05)
    assert moving.lanes.dot_state(place) == "posed" and len(keys_of(moving, "opacity")) == 2
    item = moving.view.items()[0]
    assert item.opacity == pytest.approx(0.5, abs=0.05)
    moving.click(moving.port, moving.lanes.place_of("Opacity").dot.center())
    assert [f for f, _ in keys_of(moving, "opacity")] == [0, 10, 40]
    moving.doc.undo()
    moving.doc.undo()
    assert moving.doc.channels.values(moving.obj)["opacity"] == pytest.approx(0.92, abs=0.02)


def test_the_side_column_poses_what_is_keyed_and_writes_what_is_not(moving):
    fields = moving.window.side.object.fields
    moving.doc.set_frame(20)
    assert fields["position"][1].value == pytest.approx(15)
    for axis, text in ((0, "4"), (1, "9")):
        field = fields["position"][axis]
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, K.Key_Return)
    assert moving.obj.transform.position == (4, 0, 0)
    assert moving.doc.state.posed == {OBJ: {"position.y": 9.0}} and moving.view.items()[0].matrix[1, 3] == 9
    moving.doc.change(auto_key=True)
    fields["position"][1].setFocus()
    fields["position"][1].selectAll()
    QTest.keyClicks(fields["position"][1], "12")
    QTest.keyClick(fields["position"][1], K.Key_Return)
    assert (20.0, 12.0) in keys_of(moving, "position.y") and moving.said[-1][0] == "Auto-key wrote Position Y at frame 20."


def test_an_object_is_hidden_by_its_lane(moving):
    moving.doc.edit(
        "Hide", lambda s: edits.set_key(edits.set_key(s, OBJ, "visible", Key(0, 1, "hold")), OBJ, "visible", Key(10, 0))
    )
    moving.doc.set_frame(9)
    assert len(moving.view.items()) == 1
    moving.doc.set_frame(10)
    assert moving.view.items() == []
    run(moving, "lanes-keyed")
    assert "Visible" in names(moving)


def test_together_lays_the_selected_lanes_over_each_other_and_the_tools_stay(moving):
    moving.press(K.Key_L)
    lanes = moving.lanes
    assert moving.doc.together and moving.window.transport.plot.buttons["Together"].isChecked()
    drawn = lanes.in_sight()
    assert len(drawn) == 4 and len({(p.body.top(), p.body.bottom()) for p in drawn}) == 1
    moving.click(moving.port, lanes.place_of("Lift").name.center())
    moving.click(moving.port, lanes.place_of("Slide").name.center(), CTRL)
    assert [p.channel.name for p in lanes.in_sight()] == ["Lift", "Slide"]
    assert lanes.place_of("Lift").low == lanes.place_of("Slide").low
    start = bead(lanes, "Slide", 30.0)
    moving.drag(moving.port, start, QPointF(lanes.axis.x(34), lanes.place_of("Slide").y(0.8)))
    assert keys_of(moving, "t2")[1][0] == 34 and keys_of(moving, "t2")[1][1] == pytest.approx(0.8, abs=0.02)
    assert moving.doc.selected_targets == ("t1", "t2") and keys_of(moving, "t1")[1] == (20, 1)
    body = lanes.place_of("Lift").body
    moving.drag(moving.port, (lanes.axis.x(15), body.top() + 2), (lanes.axis.x(50), body.bottom() - 2))
    assert {(k.channel, k.frame) for k in moving.doc.keys} == {("t1", 20), ("t1", 40), ("t2", 34)}
    moving.doc.change(keys=frozenset({KeyRef(OBJ, "t1", 20.0)}))
    assert {side for _, side, _, _ in lanes.handles()} == {"into", "out"}  # the plot is open: handles show
    frame, near = 10.0, lanes.place_of("Lift")
    moving.double_click(moving.port, QPointF(lanes.axis.x(frame), near.y(near.curve.value(frame)) + 3))
    assert len(keys_of(moving, "t1")) == 4 and len(keys_of(moving, "t2")) == 2
    moving.press(K.Key_L)
    assert not moving.doc.together and lanes.place_of("Lift").body.height() == LANE


def test_the_scale_stands_still_while_a_bead_is_dragged_and_values_snap(moving):
    lanes, seen = moving.lanes, []
    start = bead(lanes, "Lift", 20.0)
    moving.drag(moving.port, start, start - QPointF(0, 33), between=lambda: seen.append(lanes.place_of("Lift").high))
    value = moving.obj.lane("t1").curve.keys[1].value
    assert seen == [1] and lanes.place_of("Lift").high == value > 1.5 and value == round(value, 2)
    start = bead(lanes, "Position Y", 40.0)
    moving.drag(moving.port, start, start + QPointF(0, 7))
    value = moving.obj.lane("position.y").curve.keys[1].value
    assert value < 30 and value == round(value, 1)


def test_values_zoom_at_the_pointer_and_come_back(moving):
    moving.lanes.set_height("t1", TALL)
    place = moving.lanes.place_of("Lift")
    at = QPointF(moving.lanes.axis.x(50), place.y(0.25))
    for _ in range(3):
        wheel(moving, at, 120, CTRL)
    place = moving.lanes.place_of("Lift")
    assert place.high - place.low < 0.7 and place.y(0.25) == pytest.approx(at.y(), abs=0.5)
    assert moving.lanes.place_of("Slide").high == 1
    run(moving, "fit-values")
    assert (moving.lanes.place_of("Lift").low, moving.lanes.place_of("Lift").high) == (0, 1)


def test_one_scale_for_all_of_a_unit(moving):
    moving.doc.edit("High", lambda s: edits.set_key(s, OBJ, "t1", Key(20, 3.0)))
    assert moving.lanes.place_of("Slide").high == 1
    run(moving, "shared-scale")
    assert moving.lanes.place_of("Slide").high == 3 and moving.lanes.place_of("Position Y").high == 30
    wheel(moving, QPointF(moving.lanes.axis.x(50), moving.lanes.place_of("Lift").y(0.0)), 120, CTRL)
    assert moving.lanes.place_of("Slide").high == moving.lanes.place_of("Lift").high == pytest.approx(3 * 0.85)
    assert moving.lanes.place_of("Position Y").high == 30


def test_what_leaves_the_range_and_snaps_is_seen_at_a_glance(moving):
    lanes = moving.lanes
    warn, body = moving.window.palette_.error.lower(), moving.window.palette_.lane_body.lower()
    moving.doc.edit("High", lambda s: edits.set_key(s, OBJ, "t1", Key(20, 2.0)))
    lanes.set_height("t1", TALL)
    place = lanes.place_of("Lift")
    image = moving.port.grab().toImage()
    at = QPointF(lanes.axis.x(19), place.y(place.curve.value(19)))
    near = {image.pixelColor(round(at.x()), round(at.y()) + d).name() for d in (-1, 0, 1)}
    assert warn in near
    # fmt: skip
    high = QPointF(lanes.axis.x(30.5), place.body.top() + 12)
    assert colour_at(moving, high) == body
    moving.doc.edit("Snap", lambda s: edits.set_key(edits.set_key(s, OBJ, "t1", Key(30, 0.2)), OBJ, "t1", Key(31, 0.9)))
    assert colour_at(moving, high) != body


def test_modifiers_of_any_lane_are_in_the_side_column(moving):
    moving.doc.select_channel(moving.doc.channels.ref("position.y"))
    section = moving.window.side.modifiers
    assert section.isVisible()
    moving.doc.edit("Spring", lambda s: timing.set_modifiers(s, OBJ, "position.y", (Modifier("spring"),)))
    moving.settle(30)
    assert len(section.blocks) == 1
    moving.doc.set_frame(41)
    sprung = moving.doc.channels.values(moving.obj)["position.y"]
    assert sprung != pytest.approx(30, abs=1e-3) and moving.view.items()[0].matrix[1, 3] == pytest.approx(sprung)
    section.bake.click()
    assert moving.obj.lane("position.y").modifiers == ()
    assert moving.doc.channels.values(moving.obj)["position.y"] == pytest.approx(sprung, abs=1e-6)


def test_keys_of_several_kinds_are_copied_and_pasted_at_their_distance(moving):
    moving.doc.change(keys=frozenset({KeyRef(OBJ, "t1", 20.0), KeyRef(OBJ, "position.y", 40.0)}))
    run(moving, "copy-keys")
    moving.doc.select_target(None)
    moving.doc.set_frame(60)
    run(moving, "paste-keys")
    assert (60.0, 1.0) in keys_of(moving, "t1") and (80.0, 30.0) in keys_of(moving, "position.y")


def test_values_are_nudged_by_a_hundredth_of_the_range(moving):
    moving.doc.change(keys=frozenset({KeyRef(OBJ, "t1", 20.0), KeyRef(OBJ, "t2", 30.0)}))
    moving.press(K.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert keys_of(moving, "t1")[1] == (20, 1.01) and keys_of(moving, "t2")[1] == (30, 0.41)
    moving.press(K.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert keys_of(moving, "t1")[1] == (20, 1) and len(moving.doc.keys) == 2


def test_the_played_part_is_dragged_at_the_foot_of_the_ruler(moving):
    doc, lanes = moving.doc, moving.lanes
    first, last = lanes.played_places()
    moving.drag(moving.port, last.center(), QPointF(lanes.axis.x(40) + 3, last.center().y()))
    assert doc.scene.span == (0, 40) and doc.frame == 0
    first, _ = lanes.played_places()
    moving.drag(moving.port, first.center(), QPointF(lanes.axis.x(10) - 3, first.center().y()))
    assert doc.scene.played == (10, 40) and doc.undo_label() == "Play a part"
    moving.press(K.Key_Space)
    assert doc.frame == 10
    moving.settle(200)
    assert 10 <= doc.frame <= 40
    moving.press(K.Key_Space)
    doc.set_frame(20)
    moving.press(K.Key_Home, CTRL)
    doc.set_frame(30)
    moving.press(K.Key_End, CTRL)
    assert doc.scene.played == (20, 30)
    run(moving, "play-all")
    assert doc.scene.played is None


def test_the_ruler_counts_in_frames_seconds_or_timecode(moving):
    step, labels = moving.lanes.axis.ticks()
    assert step == 6 and labels[:2] == [0, 6] or labels[1] - labels[0] == step
    run(moving, "time-seconds")
    step, labels = moving.lanes.axis.ticks()
    assert step / 24 in (0.05, 0.1, 0.25, 0.5, 1.0)
    moving.settle(30)
    run(moving, "time-timecode")
    moving.settle(30)
    assert moving.window.transport.time.text() == "00:00:00:00"


@pytest.mark.parametrize(
    ("low", "high", "height", "wanted", "decimals"),
    [
        (0, 1, 100, [0, 0.5, 1], 1),
        (0, 1, 200, [0, 0.2, 0.4, 0.6, 0.8, 1.0], 1),
        (-30, 400, 120, [0, 200, 400], 0),
        (0, 1, 10, [0, 1], 0),
    ],
)
def test_scales_are_labelled_at_round_values(low, high, height, wanted, decimals):
    values, places = value_ticks(low, high, height)
    assert np.allclose(values, wanted) and places == decimals


def test_what_lies_under_the_pointer_is_told(moving):
    lanes = moving.lanes
    place = lanes.place_of("Position Y")
    assert told_at(lanes, place.name.center()) == "Position Y, usually -80 to 80 cm"
    assert told_at(lanes, QPointF(lanes.axis.x(20), place.body.center().y())) == "Position Y: 15.0 cm at frame 20"
    assert told_at(lanes, QPointF(lanes.axis.x(20), 8)) == ""


def test_up_and_down_go_from_card_to_card(moving):
    cards = moving.window.column.cards
    cards.setFocus()
    for key, wanted in (
        (K.Key_Down, ("t1",)),
        (K.Key_Down, ("t2",)),
        (K.Key_Down, ("t2",)),
        (K.Key_Up, ("t1",)),
        (K.Key_Up, ()),
    ):
        QTest.keyClick(cards, key)
        assert moving.doc.selected_targets == wanted


def test_up_and_down_go_from_lane_to_lane(moving):
    moving.port.setFocus()
    moving.lanes.setFocus()
    for wanted in ("t1", "t2", "position.y", "opacity", "opacity"):
        QTest.keyClick(moving.lanes, K.Key_Down)
        assert moving.doc.selected == (moving.doc.channels.ref(wanted),)
    QTest.keyClick(moving.lanes, K.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert moving.doc.selected == (moving.doc.channels.ref("opacity"), moving.doc.channels.ref("position.y"))


def test_together_draws_what_is_selected_on_top(moving):
    run(moving, "together")
    for chosen in ("t1", "t2", "position.y"):
        moving.doc.change(selected=())
        moving.doc.select_channel(moving.doc.channels.ref(chosen), add=True)
        moving.settle(5)
        assert moving.lanes.in_sight()[-1].ref == moving.doc.channels.ref(chosen)


def test_a_filter_finds_lanes_of_a_folded_group(moving):
    moving.doc.edit("Group", lambda s: group_targets(s, OBJ, ["t1"], "Sides")[0])
    moving.doc.change(selected=())
    heading = next(h for h in moving.lanes.headings if h.text == "Sides")
    moving.click(moving.port, heading.rect.center())
    assert "Lift" not in names(moving)
    moving.type("lif", moving.lanes.filter)
    assert names(moving) == ["Lift"]
