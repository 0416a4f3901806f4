"""Shaping as a user does it: pick, move, grab, typed amounts, mirror, and what each changes."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from fictilis.app.targets.card_paint import notch
from fictilis.app.view.tools.handling import handle_ends
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.targets import add_in_between, target_from_points
from fictilis.core.geometry.primitives import ball
from fictilis.core.mix.shapes import ShapeRef, full_shape
from tests.app.conftest import CTRL, RIGHT, SHIFT, move
from tests.app.doing import K, shape


def test_enter_shapes_and_escape_is_done_and_the_window_says_so(user):
    state = user.window.top.state
    assert state.word.text() == "Mixing" and not state.done.isVisible()
    shape(user, "Slide")
    assert user.doc.shaping == ShapeRef("t2")
    assert state.word.text() == "Shaping" and state.what.text() == "Slide" and user.window.frame.strip.isVisible()
    user.settle(60)
    assert state.note.text() == "shown at 1.00 meanwhile"
    user.press(K.Key_Escape)
    assert user.doc.shaping is None and not user.window.frame.strip.isVisible()


def test_picking_by_click_shift_click_and_box(user):
    shape(user, tool=K.Key_1)
    user.click(user.view, user.pixel(12))
    assert user.doc.picks().tolist() == [12]
    user.click(user.view, user.pixel(13), SHIFT)
    assert user.doc.picks().tolist() == [12, 13]
    user.click(user.view, user.pixel(12), SHIFT)
    assert user.doc.picks().tolist() == [13]
    a, b = user.pixel(0) - QPointF(9, 9), user.pixel(6) + QPointF(9, 9)
    user.drag(user.view, a, b)
    assert user.doc.picks().tolist() == [0, 1, 5, 6]
    user.drag(user.view, user.pixel(1) - QPointF(9, 9), b, CTRL)
    assert user.doc.picks().tolist() == [0, 5]
    user.press(K.Key_Z, CTRL)
    assert user.doc.picks().tolist() == [0, 1, 5, 6]
    user.press(K.Key_A, CTRL | SHIFT)
    assert len(user.doc.picks()) == 0


def test_hidden_points_are_left_alone_unless_wished(open_window):
    import fictilis

    points, mesh = fictilis.primitives.box(segments=2)
    scene, _ = fictilis.objects.add_object(fictilis.Scene(), "Box", mesh, points)
    user = open_window(scene)
    user.view.eye.look("front")
    user.view.eye.fit()
    shape(user, None, K.Key_1)
    everything = (QPointF(2, 2), QPointF(user.view.width() - 5, user.view.height() - 5))
    user.drag(user.view, *everything)
    assert set(np.round(points[user.doc.picks(), 2])) == {50.0}
    user.window.side.tool.through.click()
    user.drag(user.view, *everything)
    assert len(user.doc.picks()) == len(points)


def test_typed_move_changes_only_the_target_and_comes_back(user):
    shape(user)
    before = user.obj
    user.click(user.view, user.pixel(12))
    user.amount("4.5", key=None)
    field = user.view.amount
    assert field.isVisible() and list(field.boxes) == [0, 1, 2] and field.amounts() == {0: 4.5, 1: 0, 2: 0}
    assert user.view.rect().contains(field.geometry()) and user.doc.committed.scene.object("o1") is before
    user.press(K.Key_Return, on=user.window.focusWidget())
    assert user.doc.shaping is not None  # Enter finished the amount, nothing else
    assert not field.isVisible() and user.view.hasFocus()
    moved = full_shape(user.obj, "t1") - full_shape(before, "t1")
    assert np.allclose(moved[12], [4.5, 0, 0]) and np.count_nonzero(moved.any(1)) == 1
    assert user.obj.base is before.base and user.doc.undo_label() == "Move on Lift"
    user.press(K.Key_Z, CTRL)
    assert np.array_equal(full_shape(user.obj, "t1"), full_shape(before, "t1"))


def test_typing_can_be_mended_and_given_up(user):
    shape(user)
    user.click(user.view, user.pixel(12))
    before = user.doc.committed
    user.amount("1", "-33", key=K.Key_Backspace)
    assert user.view.amount.amounts() == {0: 1.0, 1: -3.0, 2: 0.0}
    assert user.view.shaped_item().points[12, 1] == pytest.approx(7) and user.doc.committed is before  # seen, not done
    user.press(K.Key_Tab, SHIFT, on=user.window.focusWidget())
    assert user.view.amount.boxes[0].hasFocus()
    user.press(K.Key_Escape, on=user.window.focusWidget())
    assert not user.view.amount.isVisible() and user.doc.committed is before and user.doc.shaping is not None
    assert user.view.shaped_item().points[12, 1] == pytest.approx(10)
    user.press(K.Key_Escape)
    assert user.doc.shaping is None


@pytest.mark.parametrize(("typed", "wanted"), [("12/5", 2.4), ("-(1+2)*3", -9), ("1,5", 1.5), (".5", 0.5), ("2e1", 20)])
def test_amounts_may_be_simple_arithmetic(user, typed, wanted):
    shape(user)
    user.doc.set_picks(np.array([12]), "Pick")
    before = full_shape(user.obj, "t1")
    user.amount(typed, key=None)
    assert user.view.amount.unit.text().endswith("cm") and ("=" in user.view.amount.unit.text()) == (typed[1] in "2(e")
    user.press(K.Key_Return, on=user.window.focusWidget())
    assert np.allclose((full_shape(user.obj, "t1") - before)[12], [wanted, 0, 0])


@pytest.mark.parametrize("typed", ["-", "3/0", "4.5.2", "1+", "9x", "2(3", "--"])
def test_what_is_no_number_is_said_and_can_be_mended(user, typed):
    shape(user)
    user.doc.set_picks(np.array([12]), "Pick")
    before = user.doc.committed
    user.amount(typed)
    field = user.view.amount
    assert field.isVisible() and user.doc.committed is before and field.boxes[0].property("bad")
    assert user.said[-1] == (f"“{typed}” is not a number; nothing has moved.", "error")
    assert user.view.strokes.live is not None and not len(user.view.strokes.live.indices)
    field.boxes[0].selectAll()
    user.amount("7")
    assert user.obj.target("t1").deltas.dense(25)[12, 0] == 7 and not field.isVisible()


def test_digits_are_tools_again_when_no_amount_can_be_meant(user):
    shape(user)
    user.click(user.view, user.pixel(12))
    user.amount("5", key=K.Key_Escape)
    move(user.view, (5, 5), Qt.MouseButton.NoButton)
    user.press(K.Key_6)
    assert user.doc.tools.tool == "grab"
    user.press(K.Key_3)
    user.click(user.view, user.pixel(13), SHIFT)
    user.press(K.Key_Minus)  # a minus is no tool's key
    assert user.view.amount.isVisible() and user.doc.tools.tool == "rotate"
    user.amount("90")
    move(user.view, (5, 5), Qt.MouseButton.NoButton)
    user.press(K.Key_2)
    assert user.doc.tools.tool == "move" and user.doc.undo_label() == "Rotate on Lift"


@pytest.mark.parametrize(("key", "axis", "boxes"), [
    (K.Key_2, 2, [0, 1, 2]), (K.Key_2, None, [0, 2]), (K.Key_3, 0, [0]), (K.Key_3, None, [None]), (K.Key_4, 0, [0, 1, 2]),
    (K.Key_4, None, [None]),
])  # fmt: skip
def test_typing_over_a_handle_takes_its_axes(user, key, axis, boxes):
    """The view looks down: the middle handle of Move has the two axes that lie in the picture."""
    shape(user, "Slide", key)
    user.doc.set_picks(np.array([11, 12, 13, 17]), "Pick")
    user.amount("1", key=K.Key_Escape)
    end = handle_ends(user.view.bench(user.view.shaped_item()))[axis]
    before = full_shape(user.obj, "t2")
    move(user.view, end, Qt.MouseButton.NoButton)
    user.amount("3", key=None)
    field = user.view.amount
    assert list(field.boxes) == boxes and field.boxes[axis if axis in boxes else boxes[0]].hasFocus()
    user.press(K.Key_Return, on=user.window.focusWidget())
    moved = full_shape(user.obj, "t2") - before
    assert np.abs(moved).max() > 0.1 and not np.delete(moved, [11, 12, 13, 17], 0).any()


def test_an_amount_field_goes_when_something_else_begins(user):
    shape(user)
    before = user.doc.committed
    ways = {
        "click": lambda: user.click(user.view, user.pixel(3)), "tool": lambda: user.doc.set_tools(tool="scale"),
        "done": user.doc.done_shaping, "other": lambda: user.doc.start_shaping(ShapeRef("t2")),
        "theme": lambda: user.window.set_theme("Kiln"), "pick": lambda: user.doc.set_picks(np.array([3])),
    }  # fmt: skip
    for name, way in ways.items():
        user.doc.start_shaping(ShapeRef("t1"))
        user.doc.set_tools(tool="move")
        user.doc.set_picks(np.array([12]), "Pick")
        user.amount("-7", key=None)
        assert user.view.amount.isVisible() and user.view.strokes.live is not None
        way()
        shown = user.view.amount.isVisible() or user.view.strokes.live is not None or user.view.strokes.on
        assert not shown, name
    assert user.doc.committed.scene is before.scene
    user.window.set_theme("Bisque")


def test_undo_while_an_amount_is_typed_leaves_it(user):
    shape(user)
    user.click(user.view, user.pixel(12))
    user.amount("4")
    user.doc.set_picks(np.array([7]), "Pick")
    user.amount("6", key=None)
    user.window.actions_.by_id["undo"].trigger()
    user.window.actions_.by_id["undo"].trigger()
    assert not user.view.amount.isVisible() and not user.target("Lift").deltas.dense(25)[:, 0].any()


def test_dragging_a_handle_moves_along_its_axis(user):
    shape(user)
    user.click(user.view, user.pixel(12))
    ends = handle_ends(user.view.bench(user.view.shaped_item()))
    before = full_shape(user.obj, "t1")
    user.drag(user.view, ends[0], ends[0] + [60, 25])
    moved = full_shape(user.obj, "t1") - before
    assert moved[12, 0] > 1 and np.allclose(moved[12, 1:], 0, atol=1e-9)
    middle = handle_ends(user.view.bench(user.view.shaped_item()))[None]
    user.drag(user.view, middle, middle + [0, 40])
    again = full_shape(user.obj, "t1") - before
    assert again[12, 2] > 1 and abs(again[12, 0] - moved[12, 0]) < 1e-6


def test_an_amount_typed_while_dragging_a_handle(user):
    shape(user)
    user.click(user.view, user.pixel(12))
    ends = handle_ends(user.view.bench(user.view.shaped_item()))
    before = full_shape(user.obj, "t1")
    user.drag(user.view, ends[2], ends[2] + [0, 30], between=lambda: user.amount("7", key=None))
    user.amount("", "2")
    assert np.allclose((full_shape(user.obj, "t1") - before)[12], [2, 0, 7])


@pytest.mark.parametrize("axis", [0, 2])
def test_digits_typed_while_dragging_belong_to_the_handle_held(user, axis):
    shape(user)
    user.click(user.view, user.pixel(12))
    end = handle_ends(user.view.bench(user.view.shaped_item()))[axis]
    before = full_shape(user.obj, "t1")
    user.drag(user.view, end, end + [45, 60], between=lambda: user.amount("7"))
    assert np.allclose((full_shape(user.obj, "t1") - before)[12], np.eye(3)[axis] * 7)


def test_falloff_radius_takes_neighbours_along_and_shows_as_colour(user):
    shape(user)
    user.click(user.view, user.pixel(12))
    field = user.window.side.tool.radius
    field.setFocus()
    field.selectAll()
    user.type("15", field)
    user.press(K.Key_Return, on=field)
    assert user.doc.tools.radius == 15 and user.doc.shaping is not None
    user.settle()
    drawn = [d for d in user.view.draw_items() if d.tint is not None]
    assert drawn and 0.5 < drawn[0].tint[12] and drawn[0].tint[0] == 0
    before = full_shape(user.obj, "t1")
    user.view.setFocus()
    user.amount("0", "2")
    moved = (full_shape(user.obj, "t1") - before)[:, 1]
    assert np.isclose(moved[12], 2) and 0 < moved[11] < 2 and moved[0] == 0


@pytest.mark.parametrize("mirror", [False, True])
def test_grab_carries_the_surface_under_the_pointer(user, mirror):
    shape(user, "Slide", K.Key_6)
    if mirror:
        user.press(K.Key_M)
    assert user.doc.tools.mirror.axes == ("X" if mirror else "")
    before = full_shape(user.obj, "t2")
    start = user.pixel(11)
    user.drag(user.view, start, start + QPointF(0, 30))
    moved = full_shape(user.obj, "t2") - before
    assert moved[11, 2] > 2 and moved[2, 2] == 0
    assert (moved[13, 2] > 2) == mirror
    assert user.doc.undo_label() == "Grab on Slide"


def test_the_point_under_the_pointer_follows_it_in_a_half_mix(user):
    user.doc.channels.set_value(user.doc.channels.ref("t2"), 0.5)
    shape(user, "Slide", K.Key_6)
    user.doc.set_tools(size=12.0)
    start = user.pixel(12)
    user.drag(user.view, start, start + QPointF(24, 12))
    user.settle()
    end = user.pixel(12)
    assert abs(end.x() - start.x() - 24) < 1.5 and abs(end.y() - start.y() - 12) < 1.5


def test_brush_size_strength_and_hover_colour(user):
    from tests.app.conftest import move

    shape(user, tool=K.Key_6)
    size = user.doc.tools.size
    user.press(K.Key_BracketRight)
    assert user.doc.tools.size > size
    user.press(K.Key_BracketLeft)
    assert user.doc.tools.size == pytest.approx(size)
    user.press(K.Key_BraceLeft, SHIFT)
    assert user.doc.tools.strength == pytest.approx(0.9)
    move(user.view, user.pixel(12), Qt.MouseButton.NoButton)
    user.settle()
    assert user.view.worn.falloff[12] > 0.8


def test_shaping_alone_and_in_the_line_up(user):
    shape(user, "Slide", K.Key_2)
    user.press(K.Key_V)
    assert user.doc.way == "Alone"
    user.settle()
    assert [i.label for i in user.view.items()] == ["Slide"]
    user.click(user.view, user.pixel(12))
    user.amount("0", "0", "3")
    assert np.allclose((full_shape(user.obj, "t2") - user.obj.base)[12], [0, 0, 3])
    user.press(K.Key_V)
    user.settle(60)
    assert [i.label for i in user.view.items()] == ["In the mix", "Base", "Lift", "Slide"]
    rect = next(r for i, r in user.view.label_rects() if i.label == "Lift")
    user.click(user.view, rect.center())
    assert user.doc.shaping == ShapeRef("t1")
    user.click(user.view, user.pixel(7))
    user.amount("1")
    assert np.allclose((full_shape(user.obj, "t1") - user.obj.base)[7], [1, 10, 0])


def test_names_of_a_crowded_line_up_come_with_the_pointer(user):
    """Where shapes stand too close for their names, the one under the pointer is named; else all are."""
    view = user.view

    def named() -> bool:
        rects = user.view.label_rects()
        rect = next(r for i, r in rects if i.label == "Lift")
        pictures = []
        for at in (QPointF(view.width() / 2, view.height() - 2), rect.center()):
            move(view, at, Qt.MouseButton.NoButton)
            user.settle(30)
            pictures.append(view.grab().toImage())
        return pictures[0] != pictures[1]

    user.doc.change(way="Line-up")
    user.settle(300)
    assert not named()
    scene, first = user.doc.scene, user.obj
    for number in range(120):
        scene, _ = target_from_points(scene, first.id, f"Wave {number}", full_shape(first, "t2"))
    user.doc.open_scene(scene, None)
    user.doc.change(way="Line-up")
    user.settle(600)
    assert named()
    rect = next(r for i, r in view.label_rects() if i.label == "Lift")
    user.click(view, rect.center())
    assert user.doc.shaping == ShapeRef("t1")


def test_a_line_up_that_is_seen_whole_stays_so(user):
    """With a target more, one less, and another object; one that was looked at from nearer stays as it is looked at."""
    view, seen = user.view, user.view.rect().toRectF()

    def whole() -> bool:
        user.settle(60)
        return all(seen.contains(rect) for _, rect in view.label_rects())

    user.doc.change(way="Line-up")
    assert whole()
    for _ in range(5):
        user.window.actions_.by_id["new-target"].trigger()
        assert whole() and len(view.label_rects()) == len(user.obj.targets) + 2
    wide = view.camera.distance
    user.doc.undo()
    assert whole() and view.camera.distance <= wide
    points, mesh = ball(90.0, 2)
    user.doc.commit("Add", add_object(user.doc.scene, "Reef", mesh, points)[0])
    user.doc.select_object(user.doc.scene.objects[-1].id)
    assert whole() and view.camera.distance > 1.5 * wide
    view.eye.nearer(0.5)
    near = view.camera
    user.window.actions_.by_id["new-target"].trigger()
    assert not whole() and view.camera == near


def test_the_mix_shows_a_line_up_stroke_while_it_happens(user):
    user.doc.channels.set_value(user.doc.channels.ref("t2"), 1.0)
    user.doc.change(way="Line-up")
    user.doc.start_shaping(ShapeRef("t2"))
    user.doc.set_tools(tool="grab", size=14.0)
    user.view.eye.fit()
    user.settle(60)
    seen = {}

    def look():
        items = user.view.items()
        seen["mix"] = items[0].points[12, 2]
        seen["shape"] = next(i for i in items if i.shaped).points[12, 2]

    start = user.pixel(12)
    user.drag(user.view, start, start + QPointF(0, 15), between=look)
    assert seen["mix"] > 0.5 and seen["mix"] == pytest.approx(seen["shape"], abs=1e-4)


def test_an_in_between_is_shaped_and_removed_on_its_notch(user):
    user.doc.edit("x", lambda s: add_in_between(s, "o1", "t1", 0.5))
    cards = user.window.column.cards
    place = cards.place_of("Lift")
    at = notch(place.bar, place.target, 0.5).center()
    user.double_click(cards, at)
    assert user.doc.shaping == ShapeRef("t1", 0.5)
    user.press(K.Key_2)
    user.click(user.view, user.pixel(12))
    user.amount("2")
    assert np.allclose((full_shape(user.obj, "t1", 0.5) - user.obj.base)[12], [2, 5, 0])
    assert np.allclose((full_shape(user.obj, "t1") - user.obj.base)[12], [0, 10, 0])
    menu = cards.menu_for(cards.place_of("Lift"), at)
    next(a for a in menu.actions() if a.text().startswith("Remove the in-between")).trigger()
    assert user.target("Lift").in_betweens == () and user.doc.shaping is None


@pytest.mark.parametrize("answer", ["follow", "stay", "cancel"])
def test_reshaping_the_base_asks_once_until_done(user, monkeypatch, answer):
    asked = []

    def reply(dialog):
        asked.append(dialog)
        dialog.show()
        button = dialog.buttons["cancel"] if answer == "cancel" else dialog.choices[answer]
        button.click()
        return dialog.answer

    monkeypatch.setattr(user.window.ask, "show", reply)
    before = user.obj
    shape(user, None)
    assert user.window.top.state.what.text() == "the base"
    for index in (12, 13):
        user.click(user.view, user.pixel(index))
        user.amount("3")
    assert len(asked) == (2 if answer == "cancel" else 1)
    moved = user.obj.base - before.base
    shifted = full_shape(user.obj, "t1") - full_shape(before, "t1")
    if answer == "cancel":
        assert not moved.any() and not shifted.any()
    else:
        assert np.allclose(moved[[12, 13], 0], 3)
        assert np.allclose(shifted, moved if answer == "follow" else 0)
        user.press(K.Key_Escape)
        assert user.doc.base_choice is None


def test_a_muted_target_does_not_show_and_says_so(user):
    from fictilis.core.edits.targets import set_muted

    user.doc.edit("m", lambda s: set_muted(s, "o1", "t1", True))
    shape(user, tool=K.Key_6)
    user.drag(user.view, user.pixel(12), user.pixel(12) + QPointF(20, 0))
    assert "muted" in user.said[-1][0]


def test_a_right_drag_turns_shift_moves_and_the_wheel_zooms(user):
    view = user.view
    before = view.camera
    user.drag(view, (300, 200), (360, 220), button=RIGHT)
    assert view.camera.yaw != before.yaw and view.camera.centre == before.centre
    turned = view.camera
    user.drag(view, (300, 200), (360, 220), SHIFT, RIGHT)
    assert view.camera.yaw == turned.yaw and view.camera.centre != turned.centre
    for key, direction in ((K.Key_1, (0, 0)), (K.Key_2, (90, 0)), (K.Key_3, (0, 90))):
        user.press(key, CTRL)
        assert (view.camera.yaw, view.camera.pitch) == direction and view.camera.parallel
    user.press(K.Key_4, CTRL)
    assert not view.camera.parallel
    user.press(K.Key_0, CTRL)
    assert np.allclose(view.camera.centre, 0, atol=6)


def test_mixing_picks_objects_and_leaves_vertices_alone(open_window, sheet):
    import fictilis

    points, mesh = fictilis.primitives.box(10, 10, 10, 1)
    scene, _ = fictilis.objects.add_object(sheet, "Box", mesh, points + [60, 0, 0])
    user = open_window(scene)
    before = user.doc.committed.scene
    user.view.eye.look("top")
    user.view.eye.fit()
    pixels, _ = user.view.camera.project(np.array([[60.0, 5, 0]]), user.view.width(), user.view.height())
    user.click(user.view, pixels[0])
    assert user.doc.object.name == "Box"
    user.press(K.Key_H)
    assert not user.doc.object.visible
    user.press(K.Key_H, SHIFT)
    assert user.doc.object.visible
    user.doc.undo()
    user.doc.undo()
    assert user.doc.committed.scene is before


@pytest.mark.parametrize(("key", "typed", "place"), [(K.Key_3, ("0", "90"), [0, 0, -10]),
                                                     (K.Key_3, ("0", "-45"), [7.0710678, 0, 7.0710678]),
                                                     (K.Key_3, ("90", "0", "90"), [0, 10, 0]), (K.Key_4, ("2.5",), [25, 0, 0]),
                                                     (K.Key_4, ("0", "5"), [0, 0, 0])])  # fmt: skip
def test_turning_and_scaling_by_typed_amounts_about_the_middle_of_the_pick(user, key, typed, place):
    shape(user, "Slide", key)
    user.doc.change(way="Alone")
    user.settle()
    user.doc.set_picks(np.arange(25), "Pick all")
    before = full_shape(user.obj, "t2")
    user.amount(*typed)
    pivot = before.mean(0)
    right = 12 + 1  # on the middle row, right of the centre
    arm = before[right] - pivot
    after = full_shape(user.obj, "t2")[right] - pivot
    assert np.allclose(after / np.linalg.norm(arm) * 10, np.array(place) * np.sign(arm[0]), atol=1e-6)
    assert user.doc.undo_label() in ("Rotate on Slide", "Scale on Slide")


@pytest.mark.parametrize("key", [K.Key_3, K.Key_4])
@pytest.mark.parametrize("axis", [None, 0, 1, 2])
def test_turning_and_scaling_by_handles(user, key, axis):
    shape(user, "Lift", key)
    user.doc.set_picks(np.array([11, 12, 13, 17]), "Pick")
    ends = handle_ends(user.view.bench(user.view.shaped_item()))
    before = full_shape(user.obj, "t1")
    start = ends[axis]
    user.drag(user.view, start, start + [26, 31])
    moved = full_shape(user.obj, "t1") - before
    assert np.abs(moved[[11, 13]]).max() > 0.3 or (key == K.Key_4 and axis == 1)  # a flat pick has no height to scale
    assert not moved[:10].any()
    user.press(K.Key_Z, CTRL)
    assert np.array_equal(full_shape(user.obj, "t1"), before)
