"""The compass of axes in the corner of the view."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, QRect, Qt
from PyQt6.QtTest import QTest

from fictilis.app.view.compass import EDGE, RADIUS, middle_of, needles, on_compass
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.light import Light
from fictilis.core.scene.scene import Scene
from fictilis.render.camera import DIRECTIONS
from tests.app.conftest import move, run

# which way of the scene lies toward the viewer
TOWARD = {
    "side": (1, 0, 0), "other-side": (-1, 0, 0), "top": (0, 1, 0), "bottom": (0, -1, 0), "front": (0, 0, 1), "back": (0, 0, -1),
}  # fmt: skip


def skew(user):
    user.view.eye.look("free")
    user.view.eye.turn(17, 13)
    user.settle()


@pytest.mark.parametrize("state", ["mixing", "shaping", "line-up", "drawing"])
@pytest.mark.parametrize("way", DIRECTIONS)
def test_a_click_on_a_tip_looks_from_there_and_shapes_nothing(user, way, state):
    if state == "shaping":
        user.doc.start_shaping(ShapeRef(user.target("Lift").id))
    if state == "line-up":
        user.doc.change(way="Line-up")
    if state == "drawing":
        run(user, "draw-line")
    skew(user)
    scene = user.doc.committed.scene
    tip = next(n.tip for n in needles(user.view) if n.way == way)
    user.click(user.view, tip)
    assert np.allclose(user.view.camera.axes()[2], TOWARD[way], atol=1e-9) and user.view.camera.parallel
    assert user.doc.committed.scene is scene and user.doc.hand.gesture is None
    skew(user)
    run(user, way if way in ("front", "side", "top") else f"look-{way}")
    assert np.allclose(user.view.camera.axes()[2], TOWARD[way], atol=1e-9), "so does the action"


def test_a_drag_turns_esc_puts_it_back_and_beside_it_is_the_view(user):
    skew(user)
    middle, before = middle_of(user.view), user.view.camera
    user.drag(user.view, middle, middle + QPointF(40, -15))
    turned = user.view.camera
    assert turned.yaw != before.yaw and turned.pitch != before.pitch and turned.centre == before.centre
    user.drag(user.view, middle, middle + QPointF(-60, 30), between=lambda: user.press(Qt.Key.Key_Escape))
    assert user.view.camera == turned
    assert not on_compass(user.view, middle - QPointF(RADIUS + 2, 0)) and EDGE > RADIUS


def test_through_the_camera_it_shows_the_way_and_a_tip_leaves_it(user):
    skew(user)
    run(user, "new-camera")
    assert user.view.eye.looks_through()
    scene, middle = user.doc.committed.scene, middle_of(user.view)
    user.drag(user.view, middle, middle + QPointF(40, 10))
    assert user.doc.committed.scene is scene and user.view.eye.looks_through()
    skewed = user.view.camera
    user.click(user.view, next(n.tip for n in needles(user.view) if n.way == "bottom"))
    assert not user.view.eye.looks_through() and user.view.camera != skewed


def test_it_can_be_switched_off_and_an_empty_scene_has_none(user):
    run(user, "compass")
    assert needles(user.view) == [] and not on_compass(user.view, middle_of(user.view))
    run(user, "compass")
    assert len(needles(user.view)) == 6
    user.doc.open_scene(Scene(), None)
    assert needles(user.view) == []


def test_the_brush_is_not_shown_over_it(user):
    user.doc.start_shaping(ShapeRef(user.target("Lift").id))
    user.doc.set_tools(tool="push")
    middle, wide = middle_of(user.view), user.view.width()
    strip = QRect(round(wide - 2 * EDGE - 60), 0, 60, user.view.height())  # as far as the ring of the brush reaches

    def seen(at):
        move(user.view, at, Qt.MouseButton.NoButton)
        user.settle(60)
        assert user.comes(lambda: user.view.showing.fits and not user.view.moving)  # sharp
        image = user.view.grab(strip).toImage()
        return np.array([[image.pixelColor(x, y).lightness() for x in range(0, 60, 2)] for y in range(300, image.height(), 2)])

    nowhere = seen(QPointF(60, 300))
    over, beside = (np.abs(seen(at) - nowhere).max() for at in (middle, middle - QPointF(RADIUS + 4, 0)))
    assert over < 12 and beside > 40


def test_the_light_is_turned_by_a_drag_with_ctrl_kept_and_put_back(user):
    view, camera = user.view, user.view.camera
    menus, during = [], []
    view.asked.connect(menus.append)
    at, how = QPointF(200, 200), {"modifiers": Qt.KeyboardModifier.ControlModifier, "button": Qt.MouseButton.RightButton}

    def look():
        during.append((view.turning.light, view.picture.renderer.light, user.doc.scene.light))
        if len(during) == 2:
            user.doc.undo()  # in the middle of a drag

    user.drag(view, at, at + QPointF(40, -20), **how, between=look)
    assert during[-1][0] and during[-1][1] != Light() and during[-1][2] is None, "seen at once, kept when it is let go"
    assert user.doc.scene.light == Light(-27.0, 53.0) == user.window.renderer.light and view.camera == camera and not menus
    user.drag(view, at, at + QPointF(-320, -190), **how, between=look)
    assert user.doc.scene.light == Light(173.0, 90.0), "around the back, and no further than straight from above"
    user.doc.undo()
    assert user.doc.scene.light is None and user.window.renderer.light == Light(), "the step before was undone in the drag"
    user.doc.redo()
    QTest.mouseClick(view, how["button"], how["modifiers"], at.toPoint())
    assert user.window.renderer.light == Light(173.0, 90.0) and not menus
    QTest.mouseDClick(view, how["button"], how["modifiers"], at.toPoint())
    QTest.mouseRelease(view, how["button"], how["modifiers"], at.toPoint())
    assert user.doc.scene.light == Light() == user.window.renderer.light and not view.turning.on and view.turning.light is None
    user.doc.open_scene(Scene(), None)
    assert user.doc.scene.light is None and user.window.renderer.light == Light()
