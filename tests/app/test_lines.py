"""Lines in the window: drawn, matched by their slider, looked at in their section, read from files and letters."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from fictilis.core.edits.forms import add_form
from fictilis.core.edits.lines import target_from_line
from fictilis.core.edits.objects import set_locked
from fictilis.core.geometry.kinds import Match
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.scene import Scene
from tests.app.conftest import CTRL, LEFT, move, point

K = Qt.Key


def run(user, action: str) -> None:
    user.window.actions_.by_id[action].trigger()


@pytest.fixture
def user(open_window):
    """A circle of 60 points with a target made of a star, and the star itself."""
    scene, circle = add_form(Scene(name="Shore"), "Circle", {"points": 60})
    scene, star = add_form(scene, "Star", {})
    other = scene.object(star)
    scene = target_from_line(scene, circle, "Spiky", Match(other.line, other.base, corners=True))[0]
    user = open_window(scene)
    user.view.eye.look("front")
    user.view.eye.aim_done()
    user.doc.select_target("t1")
    user.settle(60)
    return user


def count(user) -> int:
    return len(user.doc.scene.objects)


def test_clicks_put_points_and_enter_ends_the_line(user):
    run(user, "draw-line")
    for at in ((120, 120), (200, 90), (280, 160)):
        user.click(user.view, at)
    user.press(K.Key_Backspace)
    assert count(user) == 2
    user.click(user.view, (300, 60))
    user.press(K.Key_Return)
    line = user.obj
    assert count(user) == 3 and len(line.base) == 3 and line.line.degree == 1 and not line.line.closed[0]
    pixels = user.view.camera.project(line.base + line.transform.position, user.view.width(), user.view.height())[0]
    assert np.allclose(pixels, [(120, 120), (200, 90), (300, 60)], atol=1)
    assert not user.view.drawing.on and user.doc.undo_label() == "Add Line"
    user.press(K.Key_Z, CTRL)
    assert count(user) == 2


@pytest.mark.parametrize("how", ["first point", "free"])
def test_a_line_closes_on_its_first_point(user, how):
    run(user, "draw-line")
    angle = np.linspace(0, 2 * np.pi, 40)
    places = np.stack([240 + 90 * np.cos(angle), 180 + 60 * np.sin(angle)], axis=1)
    if how == "free":
        QTest.mousePress(user.view, LEFT, pos=point(places[0]))
        for at in places[1:]:
            move(user.view, at)
        QTest.mouseRelease(user.view, LEFT, pos=point(places[-1]))
    else:
        for at in (*places[:39:8], places[0]):
            user.click(user.view, at)
    line = user.obj.line
    assert count(user) == 3 and line.closed.tolist() == [True] and line.degree == (3 if how == "free" else 1)
    assert len(user.obj.base) < 25


@pytest.mark.parametrize("leave", ["escape", "shape", "open", "gesture"])
def test_drawing_that_is_left_leaves_nothing(user, leave):
    run(user, "draw-line")
    user.click(user.view, (120, 120))
    user.click(user.view, (200, 90))
    if leave == "escape":
        user.press(K.Key_Escape)
    elif leave == "shape":
        user.doc.start_shaping(ShapeRef("t1"))
    elif leave == "open":
        user.doc.open_scene(Scene(), None)
    else:
        user.press(K.Key_Backspace)
        user.press(K.Key_Backspace)
        QTest.mousePress(user.view, LEFT, pos=point((100, 100)))
        move(user.view, (160, 160))
        user.press(K.Key_Escape)
        QTest.mouseRelease(user.view, LEFT, pos=point((160, 160)))
        assert user.view.drawing.on and not user.view.drawing.free
        user.press(K.Key_Escape)
    assert not user.view.drawing.on and not user.view.drawing.places
    assert count(user) == (0 if leave == "open" else 2)


def test_a_target_is_drawn_over_its_line(user):
    run(user, "draw-target")
    for at in ((120, 120), (300, 90), (280, 260), (120, 120)):
        user.click(user.view, at)
    drawn = user.target("Drawn")
    assert drawn.match is not None and len(drawn.match.points) == 3 and user.doc.target is drawn
    assert drawn.deltas.largest > 1 and user.window.side.match.isVisible()


def test_the_slider_shows_the_half_way_shape_and_commits_once(user):
    section = user.window.side.match
    assert section.isVisible() and section.heading.text() == "Match of Spiky"
    before = user.target("Spiky")
    handle = QPointF(section.start.width() / 2, section.start.height() / 2)
    seen = []
    user.drag(section.start, handle, handle + QPointF(40, 0),
              between=lambda: seen.append((user.doc.channels.weights(user.obj)["t1"], user.target("Spiky"))))  # fmt: skip
    weight, shown = seen[0]
    assert weight == 0.5 and shown.deltas is not before.deltas and user.doc.channels.weights(user.obj)["t1"] == 0
    shift = user.target("Spiky").match.shift
    assert 0.05 < shift < 0.5 and user.doc.undo_label() == "Start of Spiky"
    assert section.number.value == pytest.approx(100 * shift)
    user.press(K.Key_Z, CTRL)
    assert user.target("Spiky").match.shift == 0 and user.doc.redo_label() and section.start.value() == 0


def test_escape_gives_up_the_slider(user):
    section, before = user.window.side.match, user.doc.committed.scene
    handle = QPointF(section.start.width() / 2, section.start.height() / 2)
    user.drag(section.start, handle, handle + QPointF(40, 0),
              between=lambda: user.press(K.Key_Escape, on=section.start))  # fmt: skip
    assert user.doc.scene is before and section.start.value() == 0 and section.number.value == 0
    assert user.doc.hand.gesture is None and user.doc.state.posed == user.doc.committed.posed


def test_undo_in_the_middle_of_the_slider_and_a_reshaped_target(user):
    section = user.window.side.match
    section.corners.click()
    assert not user.target("Spiky").match.corners
    handle, busy = QPointF(section.start.width() / 2, section.start.height() / 2), []
    user.drag(
        section.start, handle, handle + QPointF(20, 0), between=lambda: (busy.append(user.doc.hand.busy), user.doc.undo())
    )
    assert busy == [True] and user.doc.hand.gesture is None and user.doc.state is user.doc.committed
    user.doc.undo()
    assert user.target("Spiky").match.corners and user.doc.state.posed == user.doc.committed.posed
    user.doc.start_shaping(ShapeRef("t1"))
    user.doc.set_tools(tool="grab", size=30.0)
    at = user.pixel(10)
    user.drag(user.view, at, at + QPointF(25, 0))
    assert user.doc.undo_label().startswith("Grab") and not section.isVisible()
    user.press(K.Key_Z, CTRL)
    assert section.isVisible()


def test_the_section_says_and_sets_how_the_line_is_drawn(user):
    section = user.window.side.line
    assert section.isVisible() and section.strands.text() == "1 (1 closed)" and section.segments.text() == "60"
    assert section.length.text() == "314.2 cm" and not user.window.side.object.texture.isVisible()
    section.degree.buttons["1"].click()
    assert user.obj.line.degree == 1 and section.runs_row.isHidden() and user.doc.undo_label() == "Curve of Circle"
    section.degree.buttons["3"].click()
    section.runs.buttons["Beside"].click()
    assert (user.obj.line.degree, user.obj.line.through) == (3, False)
    section.wide.setFocus()
    section.wide.selectAll()
    user.type("2.5", on=section.wide)
    user.press(K.Key_Return, on=section.wide)
    assert np.all(user.obj.line.widths == 2.5)
    for _ in range(4):
        user.doc.undo()
    assert user.obj.line.widths is None and user.obj.line.degree == 3 and user.obj.line.through
    user.doc.select_object(user.doc.scene.objects[1].id)
    assert section.segments.text() == "10" and not user.window.side.match.isVisible()


def test_points_of_a_curve_show_while_it_is_shaped_and_are_deleted_by_their_row(user):
    plain = user.view.grab().toImage()
    user.doc.start_shaping(ShapeRef())
    assert user.comes(lambda: user.view.grab().toImage() != plain)
    user.doc.set_tools(tool="pick", kind="points")
    user.click(user.view, user.pixel(7))
    assert user.doc.pick().elements.tolist() == [7]
    run(user, "delete-points")
    assert len(user.obj.base) == 59 and user.obj.targets[0].match is None and "59 points and 1 strand now" in user.said[-1][0]


def test_text_and_svg_become_lines(user, monkeypatch, tmp_path):
    monkeypatch.setattr(user.window.ask, "form", lambda *_a: {"text": "O", "size": 12.0})
    run(user, "text-line")
    assert user.obj.name == "O" and user.obj.line.closed.tolist() == [True, True]
    file = tmp_path / "two.svg"
    file.write_text('<svg xmlns="http://www.w3.org/2000/svg"><circle r="20"/><rect width="9" height="4"/></svg>')
    user.window.target_commands.targets_from_files([file])
    assert user.obj.targets[-1].name == "two" and user.obj.targets[-1].match.line.strand_count == 2


def test_a_tube_with_the_profile_of_another_line_by_its_form(user, forms):
    opened = forms(user, {"width": 6.0, "twist": 90.0})
    run(user, "line-tube")
    assert len(opened) == 1 and user.obj.line.tube.twist == 90 and np.all(user.obj.line.widths == 6)
    star = user.doc.scene.objects[1].id
    user.window.operations.operate("line-tube", {"profile": "round", "sides": 5, "width": 4.0, "twist": 0.0, "open": True,
                                                 "other": star})  # fmt: skip
    assert user.obj.line.tube.word == "Star" and len(user.obj.line.tube.profile) == 10
    assert user.window.side.tube.word.text() == "Star, 10 sides"
    user.settle(200)
    run(user, "line-no-tube")
    assert user.obj.line.tube is None and user.window.side.tube.isHidden()


def test_an_object_is_led_along_the_line_from_its_menu_and_by_its_lane(user, forms):
    star, circle = user.doc.scene.objects[1], user.obj
    user.doc.select_object(star.id)
    forms(user, {})
    run(user, "follow-line")
    led = user.obj
    assert led.along.line == circle.id and user.window.lanes.place_of("Along the line") is not None
    before = user.view.items()[1].matrix
    user.doc.set_frame(48.0)
    assert not np.allclose(user.view.items()[1].matrix, before)
    run(user, "leave-line")
    assert user.obj.along is None and user.doc.undo_label() == "Star stops following"
    user.doc.undo()
    user.doc.edit("Remove", lambda s: s.without(s.object(circle.id)))
    assert user.obj.along is None and count(user) == 1


def test_the_slider_of_a_locked_object_says_so_and_changes_nothing(user):
    user.doc.edit("Lock", lambda s: set_locked(s, user.obj.id, True))
    section = user.window.side.match
    before = user.doc.committed.scene
    handle = QPointF(section.start.width() / 2, section.start.height() / 2)
    user.drag(section.start, handle, handle + QPointF(30, 0))
    assert user.doc.committed.scene is before and "is locked" in user.said[-1][0] and section.start.value() == 0


def test_the_start_of_an_open_line_cannot_be_slid(user):
    section = user.window.side.match
    assert section.start.isEnabled()
    run(user, "draw-target")
    for at in ((120, 120), (200, 90), (280, 160)):
        user.click(user.view, at)
    user.press(K.Key_Return)
    assert user.doc.target.name == "Drawn" and section.isVisible() and not section.start.isEnabled()


def test_the_radius_of_a_tube_is_drawn_as_a_curve_and_undone(user, forms):
    forms(user, {})
    run(user, "line-tube")
    section = user.window.side.tube
    user.window.side.ensureWidgetVisible(section)
    user.settle(40)
    plot = section.plot
    assert section.isVisible() and [k.value for k in plot.keys()] == [1.0, 1.0] and not section.even.isEnabled()
    user.drag(plot, plot.pixel(1.0, 1.0), plot.pixel(1.0, 0.5))
    radius = user.obj.line.tube.radius
    assert radius.keys[1].value == pytest.approx(0.5, abs=0.03) and radius.keys[1].frame == 1.0
    user.double_click(plot, plot.pixel(0.5, 1.6))
    assert len(user.obj.line.tube.radius.keys) == 3
    section.which.buttons["Turning"].click()
    assert user.obj.line.tube.turning is None and plot.keys()[0].value == 0
    section.way.buttons["Linear"].click()
    assert user.obj.line.tube.turning.keys[0].interpolation == "linear"
    section.even.click()
    assert user.obj.line.tube.turning is None and user.obj.line.tube.radius is not None
    for _ in range(4):
        user.press(K.Key_Z, CTRL)
    assert user.obj.line.tube.radius is None and user.obj.line.tube is not None
