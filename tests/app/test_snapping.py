"""Shift while points are moved: they snap to a point, a surface, a mirror plane or the steps of the ground."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from fictilis.app.view.tools import Event
from fictilis.app.view.tools.handling import CHANGES, handle_ends
from fictilis.app.view.tools.snapping import TICKS
from fictilis.core.edits.objects import add_object, set_transform
from fictilis.core.edits.shape import set_mask
from fictilis.core.edits.targets import set_built_on, set_muted
from fictilis.core.geometry.primitives import plane
from fictilis.core.mix.shapes import ShapeRef, shape_points
from fictilis.core.scene.places import Transform
from fictilis.render.ground import step_for
from tests.app.conftest import SHIFT

OBJ, CORNER = "o1", 0


@pytest.fixture
def mover(user):
    """Its corner is picked while Lift is shaped, seen from above; a plate of four points hangs beside it, 6 cm lower."""
    points, mesh = plane(20, 20, 1, 1)
    user.doc.edit("Add", lambda s: add_object(s, "Plate", mesh, points + [50, -6, 0])[0])
    user.doc.select_object(OBJ)
    user.doc.start_shaping(ShapeRef(user.target("Lift").id))
    user.doc.set_tools(tool="move", radius=0.0)
    user.view.eye.fit()
    user.view.camera = user.view.camera.zoomed(2.0, 400, 250, user.view.width(), user.view.height())
    user.doc.set_picks(np.array([CORNER]))
    user.settle()
    return user


def corner(user):
    return shape_points(user.obj, user.doc.shaping)[CORNER]


def grip(user, axis):
    return QPointF(*handle_ends(user.view.bench(user.view.shaped_item()))[axis])


def pixel_of(user, place):
    view = user.view
    return QPointF(*view.camera.project(np.array([place]), view.width(), view.height())[0][0])


def drag(user, to, axis=None, shift=True):
    """Drag the pick by a handle's grip so that its middle comes to a pixel; what it said that it snapped to."""
    start, middle, said = grip(user, axis), grip(user, None), []
    end = start + (to - middle)

    def look():
        said.append(user.view.strokes.snap.said if user.view.strokes.snap is not None else "")
        user.view.grab()

    user.drag(user.view, start, end, SHIFT if shift else Qt.KeyboardModifier.NoModifier, between=look)
    user.settle()
    assert user.view.strokes.snap is None
    return said[0]


def test_onto_a_point_of_its_own_and_of_another_object(mover):
    here = shape_points(mover.obj, mover.doc.shaping)
    assert drag(mover, pixel_of(mover, here[12]) + QPointF(3, -2)) == "Point 12 of Sheet"
    assert np.allclose(corner(mover), here[12])
    assert drag(mover, pixel_of(mover, [40, -6, -10]) + QPointF(-2, 3)) == "Point 0 of Plate"
    assert np.allclose(corner(mover), [40, -6, -10]), "also to another height, though the view looks from above"
    mover.doc.undo()
    assert np.allclose(corner(mover), here[12])


def test_onto_the_surface_of_another_object(mover):
    assert drag(mover, pixel_of(mover, [47, -6, 2])) == "Surface of Plate"
    assert np.allclose(corner(mover), [47, -6, 2], atol=0.3) and corner(mover)[1] == pytest.approx(-6)


def test_onto_the_mirror_plane_of_an_object_that_stands_elsewhere(mover):
    mover.doc.edit("Move", lambda s: set_transform(s, OBJ, Transform((-7.0, 0.0, 0.0))))
    mover.doc.set_tools(mirror=mover.doc.tools.mirror.__class__("X"))
    mover.settle()
    assert drag(mover, pixel_of(mover, [-6.8, 10, -13])) == "Mirror plane X"
    assert corner(mover)[0] == 0 and corner(mover)[2] == pytest.approx(-13, abs=0.3)


@pytest.mark.parametrize("axis", [None, 0, 2])
def test_by_steps_of_the_ground(mover, axis):
    before = corner(mover)
    step = step_for(mover.view.camera, mover.view.height()) / TICKS
    assert drag(mover, grip(mover, None) + QPointF(-37, -23), axis) == f"Steps of {step:g} cm"
    after = corner(mover)
    moved = [0, 2] if axis is None else [axis]
    assert np.allclose(after[moved] / step, np.round(after[moved] / step)) and (np.abs(after - before)[moved] >= step).all()
    assert np.allclose(np.delete(after, moved), np.delete(before, moved))


@pytest.mark.parametrize("axis", [0, 2])
def test_along_an_axis_it_goes_as_far_as_what_it_snaps_to(mover, axis):
    before, here = corner(mover), shape_points(mover.obj, mover.doc.shaping)
    goal = pixel_of(mover, here[18])
    start = grip(mover, axis) - grip(mover, None)
    drag(mover, goal - start, axis)  # the pointer itself comes to the point
    after = corner(mover)
    assert after[axis] == pytest.approx(here[18][axis]) and np.allclose(np.delete(after, axis), np.delete(before, axis))


def test_without_the_key_nothing_snaps(mover):
    here = shape_points(mover.obj, mover.doc.shaping)
    assert drag(mover, pixel_of(mover, here[12]) + QPointF(4, -3), shift=False) == ""
    assert not np.allclose(corner(mover), here[12], atol=0.1)


FEATURES = {
    "alone": lambda u: u.doc.change(way="Alone"),
    "built on": lambda u: u.doc.edit("Build", lambda s: set_built_on(s, OBJ, "t1", "t2")),
    "mask": lambda u: u.doc.edit("Mask", lambda s: set_mask(s, OBJ, "t1", np.linspace(0.5, 1, 25))),
    "another muted": lambda u: u.doc.edit("Mute", lambda s: set_muted(s, OBJ, "t2", True)),
    "turned object": lambda u: u.doc.edit("Turn", lambda s: set_transform(s, OBJ, Transform((3, 0, 0), (0, 30, 0), (1, 1, 2)))),
    "falloff": lambda u: u.doc.set_tools(radius=12.0),
}


@pytest.mark.parametrize("feature", FEATURES)
def test_with_what_it_meets_the_pivot_stands_where_it_snapped_to(mover, feature):
    FEATURES[feature](mover)
    mover.settle()
    item = mover.view.shaped_item()
    goal = item.in_scene()[12]
    assert drag(mover, pixel_of(mover, goal) + QPointF(2, 2)) in ("Point 12 of Sheet", "Point 6 of Sheet")
    seen = mover.view.shaped_item().in_scene()
    assert np.allclose(seen[CORNER], goal, atol=1e-3)


def test_undo_in_the_middle_of_a_drag_leaves_no_snap(mover):
    start, end = grip(mover, None), grip(mover, None) + QPointF(40, 30)
    mover.drag(mover.view, start, end, SHIFT, between=mover.doc.undo)
    assert mover.view.strokes.snap is None
    mover.doc.set_picks(np.array([CORNER]))
    before = corner(mover)
    mover.drag(mover.view, grip(mover, None), end, SHIFT, between=lambda: mover.press(Qt.Key.Key_Escape))
    assert mover.view.strokes.snap is None and np.allclose(corner(mover), before)


TURNS = [("rotate", 1, (30, 47), 15), ("rotate", None, (83, 0), 15), ("scale", 0, (33, 0), 0.1), ("scale", None, (41, 0), 0.1)]


@pytest.mark.parametrize(("tool", "axis", "way", "step"), TURNS)
def test_turns_and_scales_go_by_steps(mover, tool, axis, way, step):
    mover.doc.set_picks(np.array([0, 1, 5, 6]))
    mover.doc.set_tools(tool=tool)
    mover.settle()
    made = []
    for shift in (True, False):
        bench = mover.view.bench(mover.view.shaped_item())
        change = CHANGES[tool]
        ends = handle_ends(bench)
        press = Event("press", *ends[axis])
        made.append(change.dragged(bench, axis, ends, press, Event("move", press.x + way[0], press.y + way[1], shift)))
    assert made[0] / step == pytest.approx(round(made[0] / step)) and made[0] == pytest.approx(made[1], abs=step / 2 + 1e-9)
    assert made[0] != made[1]
