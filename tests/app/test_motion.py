"""Motion paths: the keys of a place are beads that can be dragged in the view, and sharp turns are seen."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from fictilis.app.view.motion import PLACE, beads, kinks
from fictilis.core.animation.curve import Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.edits import clips
from fictilis.core.edits.keys import move_place, set_key
from fictilis.core.edits.objects import set_locked, set_transform
from fictilis.core.edits.repeats import set_repeat
from fictilis.core.edits.timing import set_modifiers
from fictilis.core.geometry.picked import Pick
from fictilis.core.scene.places import Transform
from fictilis.core.scene.repeats import Repeat
from tests.app.conftest import alike, pixels, run

OBJ = "o1"
TURNED = Transform((0, 0, 0), (0, 40, 0), (2, 1, 1), (5, 3, 1))
BROKEN = Key(24, 10, "smooth", "broken", (2.0, 1.0), (3.0, -2.0))


@pytest.fixture
def mover(open_window, sheet):
    """The sheet goes along X with keys at 0, 24 and 48.5, and up at 0 and 48.5; it has no lane of Z. Seen from the front."""
    scene = sheet
    for key in (Key(0, 0), BROKEN, Key(48.5, 40)):
        scene = set_key(scene, OBJ, "position.x", key)
    for key in (Key(0, 0, "linear"), Key(48.5, 20, "linear")):
        scene = set_key(scene, OBJ, "position.y", key)
    user = open_window(scene)
    user.doc.see(motion=True)
    user.view.eye.look("front")
    user.view.eye.fit()
    user.settle()
    return user


def key(user, channel, frame):
    return user.obj.lane(channel).curve.key_at(frame)


def where(user, frame):
    frames, places = beads(user.view)
    place = places[frames.tolist().index(frame)]
    return QPointF(*user.view.camera.project(place[None], user.view.width(), user.view.height())[0][0])


def test_a_bead_is_dragged_in_the_plane_of_the_view(mover):
    assert beads(mover.view)[0].tolist() == [0, 24, 48.5]
    at, scene = where(mover, 24), mover.doc.committed.scene
    seen = []
    mover.drag(mover.view, at, at + QPointF(20, -30), between=lambda: seen.append(key(mover, "position.x", 24).value))
    assert mover.doc.undo_label() == "Move Sheet at frame 24" and seen[0] == key(mover, "position.x", 24).value
    assert (where(mover, 24) - at - QPointF(20, -30)).manhattanLength() < 2.1, "it stays under the pointer"
    new = key(mover, "position.x", 24)
    assert new.value > 10 and (new.tangent, new.into, new.out) == ("broken", BROKEN.into, BROKEN.out)
    assert key(mover, "position.y", 24).value > 20 * 24 / 48.5 and mover.obj.lane("position.z") is None
    assert {(k.channel, k.frame) for k in mover.doc.keys} == {("position.x", 24), ("position.y", 24)}
    mover.doc.undo()
    assert mover.doc.committed.scene.object(OBJ) is scene.object(OBJ)


def test_a_click_goes_to_its_frame_and_selects_its_keys(mover):
    scene = mover.doc.committed.scene
    mover.click(mover.view, where(mover, 48.5))
    assert mover.doc.frame == 48.5 and {k.channel for k in mover.doc.keys} == {"position.x", "position.y"}
    assert mover.doc.committed.scene is scene


def test_hands_in_a_hurry_change_nothing(mover):
    at, scene = where(mover, 24), mover.doc.committed.scene
    mover.drag(mover.view, at, at + QPointF(20, -30), between=lambda: mover.press(Qt.Key.Key_Escape))
    assert mover.doc.committed.scene is scene
    mover.drag(mover.view, at, at + QPointF(20, -30), between=lambda: run(mover, "zero-weights"))
    assert mover.obj.lanes == scene.object(OBJ).lanes and mover.doc.hand.gesture is None


FEATURES = {
    "locked": (lambda u: u.doc.edit("Lock", lambda s: set_locked(s, OBJ, True)), True),
    "turned about a pivot": (lambda u: u.doc.edit("Turn", lambda s: set_transform(s, OBJ, TURNED)), True),
    "modifier": (
        lambda u: u.doc.edit("Shake", lambda s: set_modifiers(s, OBJ, "position.x", (Modifier("offset"),))), True,
    ),
    "clips": (lambda u: u.doc.edit("Clip", lambda s: clips.duplicate_clip(s, "Other")[0]), True),
    "through a camera": (lambda u: run(u, "new-camera"), True),
    "copies": (lambda u: u.doc.edit("Repeat", lambda s: set_repeat(s, OBJ, Repeat())), False),
    "picked points": (lambda u: u.doc.commit("Pick", picks={OBJ: Pick("points", np.array([3]))}), False),
    "shaping": (lambda u: run(u, "shape"), False),
    "line-up": (lambda u: u.doc.change(way="Line-up"), False),
    "path off": (lambda u: run(u, "motion"), False),
}  # fmt: skip


@pytest.mark.parametrize("feature", FEATURES)
def test_with_what_it_meets(mover, feature):
    change, draggable = FEATURES[feature]
    change(mover)
    mover.settle()
    assert bool(len(beads(mover.view)[0])) == draggable
    if not draggable:
        return
    at = where(mover, 24)
    mover.drag(mover.view, at, at + QPointF(-15, 12))
    assert (where(mover, 24) - at - QPointF(-15, 12)).manhattanLength() < 2.1
    mover.doc.undo()
    assert (where(mover, 24) - at).manhattanLength() < 1e-6


def test_an_axis_without_a_lane_stays_and_a_lane_without_a_key_gets_one(sheet):
    scene = set_key(set_key(sheet, OBJ, "position.x", Key(0, 1)), OBJ, "position.y", Key(5, 2))
    obj = move_place(scene, OBJ, 0, (3.0, 4.0, 5.0)).object(OBJ)
    assert obj.lane(PLACE[0]).curve.evaluate(0) == 4 and obj.lane(PLACE[1]).curve.key_at(0).value == 6
    assert obj.lane(PLACE[1]).curve.key_at(5).value == 2 and obj.lane(PLACE[2]) is None
    assert move_place(scene, OBJ, 0, (0.0, 0.0, 5.0)).object(OBJ) is scene.object(OBJ)


T = np.linspace(0, 2 * np.pi, 49)[:, None]
PATHS = {  # a path, and the frames at which it turns sharply at speed
    "circle": (np.hstack([np.cos(T), np.sin(T), 0 * T]), []),
    "to and fro, eased": (np.hstack([np.sin(T), 0 * T, 0 * T]), []),
    "ball": (np.hstack([T, 9 - (T % np.pi / np.pi * 6 - 3) ** 2, 0 * T]), [24]),
    "corner": (np.vstack([np.outer(np.arange(5), [1, 0, 0]), np.outer(np.arange(1, 6), [0, 1, 0]) + [4, 0, 0]]), [4]),
    "still": (np.zeros((20, 3)), []), "two places": (np.array([[0, 0, 0], [1, 0, 0]]), []),
}  # fmt: skip


@pytest.mark.parametrize("name", PATHS)
def test_a_sharp_turn_at_speed_is_told_from_a_smooth_arc(name):
    path, expected = PATHS[name]
    assert np.flatnonzero(kinks(path.astype(float))).tolist() == expected


def test_it_is_seen(mover):
    mover.settle()
    smooth = pixels(mover.view)
    mover.doc.edit("Key", lambda s: move_place(s, OBJ, 48.5, (-60.0, 0.0, 0.0)))
    assert kinks(np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0], [1, 0, 0], [0, 0, 0]], float))[2]
    assert not alike(smooth, pixels(mover.view))
