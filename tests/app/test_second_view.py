"""*Beside*: a second view of the scene, seen in another way."""

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt

from fictilis.core.animation.curve import Key
from fictilis.core.at_frame.cameras import placed_camera
from fictilis.core.at_frame.pose import Pose
from fictilis.core.edits import clips, targets
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.objects import remove_object
from fictilis.core.edits.timeline import add_camera
from fictilis.core.mix.shapes import ShapeRef, full_shape
from fictilis.core.scene.clips import choose_clip
from fictilis.core.scene.timeline import SceneCamera
from fictilis.render.camera import Camera
from tests.app.conftest import CTRL, RIGHT, alike, pixels, run

K = Qt.Key
OBJ = "o1"


@pytest.fixture
def two(open_window, sheet):
    """The sheet with keys of Lift, a clip in which Slide moves instead, and a camera; both views are seen at frame 10."""
    scene = set_key(set_key(sheet, OBJ, "t1", Key(0, 0, "linear")), OBJ, "t1", Key(20, 1, "linear"))
    scene, first = clips.new_clip(scene, "Rise")
    scene = choose_clip(scene, scene.clips[0].id)
    scene, _ = add_camera(scene, SceneCamera("", "Close", (0.0, 0.0, 0.0), 90.0, 60.0, 20.0))
    user = open_window(scene)
    user.doc.set_frame(10.0)
    user.doc.select_target("t2")
    user.view.eye.fit()
    run(user, "second")
    user.settle()
    return user


def second(user):
    return user.window.frame.second


def points(user):
    """What the second view draws of the sheet."""
    return second(user).draw_items()[0].points


def at(scene, frame):
    return Pose(scene, scene.object(OBJ), frame).points


SEEN = {
    "camera": lambda s, f: at(s, f), "mix": lambda s, f: at(s, f), "before": lambda s, _f: s.object(OBJ).base,
    "target": lambda s, _f: full_shape(s.object(OBJ), "t2"), "frame": lambda s, _f: at(s, 20.0),
    "clip": lambda s, f: at(choose_clip(s, s.clips[1].id), f),
}  # fmt: skip


@pytest.mark.parametrize("what", SEEN)
def test_it_shows_what_is_asked_for(two, what):
    scene = two.doc.scene
    two.doc.see(beside=scene.clips[1].id if what == "clip" else what, beside_frame=20.0)
    two.settle()
    chooser = second(two).what
    assert chooser.currentData() == two.doc.seeing.beside
    assert second(two).frame.isVisible() == (what == "frame") and second(two).alike.isVisible() == (what != "camera")
    assert np.allclose(points(two), SEEN[what](scene, 10.0), atol=1e-5)
    two.doc.set_frame(5.0)
    assert np.allclose(points(two), SEEN[what](scene, 5.0), atol=1e-5)
    expected = Camera.of(placed_camera(scene, scene.cameras[0], 5.0)) if what == "camera" else two.view.camera
    assert second(two).camera == expected


def test_before_is_how_it_was_when_shaping_began_and_strokes_are_seen_live(two):
    two.doc.see(beside="before")
    base = two.obj.base
    two.doc.start_shaping(ShapeRef("t2"))
    was = points(two).copy()
    two.doc.stroke(targets.Deltas(np.array([0], np.int32), np.array([[0.0, 7.0, 0.0]])), 1.0, "Push")
    assert second(two).what.currentText() == "Before"
    assert np.array_equal(points(two), was)
    two.doc.see(beside="target")
    assert np.allclose(points(two)[0], base[0] + [0, 7, 0], atol=1e-5)
    two.view.strokes.live = targets.Deltas(np.array([0], np.int32), np.array([[0.0, 2.0, 0.0]]))
    assert np.allclose(points(two)[0], base[0] + [0, 9, 0], atol=1e-5), "a stroke that goes on"
    two.view.strokes.live = None
    assert np.allclose(points(two)[0], base[0] + [0, 7, 0], atol=1e-5)


def test_the_key_opens_and_takes_it_away_and_so_does_its_button(two):
    frame = two.window.frame
    assert frame.second.isVisible() and frame.view.width() + frame.second.width() < frame.width()
    two.press(K.Key_B)
    assert frame.second.isHidden() and frame.view.size() == frame.size()
    two.press(K.Key_B)
    assert two.doc.seeing.beside == "camera" and frame.second.isVisible()
    two.click(frame.second.close_, frame.second.close_.rect().center())
    assert frame.second.isHidden() and not two.doc.seeing.beside
    run(two, "second-target")
    run(two, "second-target")
    assert not two.doc.seeing.beside
    run(two, "second-frame")
    assert two.doc.seeing.beside_frame == 10.0


def test_another_frame_begins_as_this_one_and_is_typed(two):
    pane = second(two)
    pane.what.setCurrentIndex(pane.what.findData("frame"))
    pane.what.activated.emit(pane.what.currentIndex())
    assert two.doc.seeing.beside_frame == 10.0 and pane.frame.text() == "10"
    pane.frame.selectAll()
    two.type("16\r", on=pane.frame)
    assert two.doc.seeing.beside_frame == 16.0 and two.doc.frame == 10.0
    assert np.allclose(points(two), at(two.doc.scene, 16.0), atol=1e-5)


def test_it_is_turned_alike_or_by_itself(two):
    two.doc.see(beside="mix")
    two.settle()
    middle = QPointF(100, 200)
    first = two.view.camera
    two.drag(second(two), middle, middle + QPointF(40, 10), button=RIGHT)
    assert two.view.camera != first and second(two).camera == two.view.camera
    two.click(second(two).alike, second(two).alike.rect().center())
    turned = two.view.camera
    two.drag(second(two), middle, middle + QPointF(-90, 30), button=RIGHT)
    assert two.view.camera == turned and second(two).camera != turned
    own = second(two).camera
    two.drag(two.view, middle, middle + QPointF(10, 10), button=RIGHT)
    assert second(two).camera == own and two.view.camera != turned
    two.click(second(two).alike, second(two).alike.rect().center())
    assert second(two).camera == two.view.camera
    two.drag(second(two), middle, middle + QPointF(30, 0), CTRL, RIGHT)
    assert two.doc.scene.light is not None and two.doc.undo_label() == "Turn the light"


def test_through_the_camera_a_drag_beside_moves_nothing(two):
    two.doc.see(beside="camera")
    before, scene = (second(two).camera, two.view.camera), two.doc.committed.scene
    two.drag(second(two), QPointF(100, 200), QPointF(160, 230), button=RIGHT)
    assert (second(two).camera, two.view.camera) == before and two.doc.committed.scene is scene


def test_the_divider_is_dragged_and_leaves_both_some_room(two):
    frame = two.window.frame
    for to in (600, -2000, 4000):
        handle = frame.handle
        two.drag(handle, handle.rect().center(), handle.rect().center() + (QPointF(to - handle.x(), 0).toPoint()))
        assert frame.view.width() >= frame.view.minimumWidth() and second(two).width() >= second(two).minimumWidth()
        assert frame.view.width() + frame.handle.width() + second(two).width() == frame.width()


def test_where_there_is_no_room_there_is_one_view_until_there_is_some(two):
    frame = two.window.frame
    frame.resize(2 * frame.view.minimumWidth() - 1, 400)
    assert frame.second.isHidden() and frame.view.size() == frame.size() and two.doc.seeing.beside
    frame.resize(900, 400)
    assert frame.second.isVisible() and frame.view.width() + frame.handle.width() + frame.second.width() == 900


def test_what_is_gone_is_seen_no_more(two):
    two.doc.see(beside=two.doc.scene.clips[1].id)
    two.doc.edit("Clip", lambda s: choose_clip(s, s.clips[1].id))
    assert second(two).sees == second(two).what.currentData() == "mix", "the active clip is the mix"
    two.doc.undo()
    two.doc.edit("Remove", lambda s: clips.remove_clip(s, s.clips[1].id))
    assert second(two).sees == "before" and np.allclose(points(two), two.obj.base, atol=1e-5)
    two.doc.see(beside="camera")
    two.doc.edit("Remove", lambda s: replace(s, cameras=()))
    assert second(two).sees == "before" and second(two).what.findData("camera") < 0
    two.doc.see(beside="target")
    two.doc.edit("Remove", lambda s: remove_object(s, OBJ))
    two.settle()
    assert second(two).draw_items() == []
    two.doc.undo()
    assert len(second(two).draw_items()) == 1


def test_both_are_drawn_in_both_themes_and_while_it_plays(two):
    two.doc.see(beside="before")

    def settled():
        return two.comes(lambda: second(two).showing.fits and not second(two).moving and not second(two).picture.busy)

    assert settled()
    base = pixels(second(two))
    two.doc.see(beside="frame", beside_frame=20.0)
    assert settled() and not alike(base, pixels(second(two)))
    two.window.set_theme("Kiln")
    assert settled() and pixels(second(two))[300, 5, :3].mean() < 90 < base[300, 5, :3].mean()
    two.doc.see(beside="mix")
    two.press(K.Key_Space)
    two.settle(200)
    assert two.doc.playing
    two.press(K.Key_Space)
    two.doc.open_scene(two.doc.scene, None)
    assert two.comes(lambda: second(two).picture.image is not None)
