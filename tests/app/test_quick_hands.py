"""What is done in the middle of something else: gestures × interruptions, fields that stay open, selections and poses that
outlive what they were of."""

import gc
import weakref

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from fictilis.app.lanes.places import TALL
from fictilis.app.lanes.relay import pose_pictures
from fictilis.app.view import picture as pictures
from fictilis.app.view.front import front_in
from fictilis.app.view.tools.handling import handle_ends
from fictilis.app.widgets.fields import _Inline
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.edits.correctives import add_corrective, set_follow
from fictilis.core.edits.keys import delete_keys, set_interpolation, set_key
from fictilis.core.edits.objects import add_object, remove_object, rename_object
from fictilis.core.edits.relays import make_relay
from fictilis.core.edits.sweeps import set_sweep
from fictilis.core.edits.targets import group_targets, new_target, remove_target, target_from_points
from fictilis.core.edits.timeline import add_camera, drop_marker, first_camera, set_frame_range, set_marker, set_sound
from fictilis.core.edits.timing import set_modifiers
from fictilis.core.geometry.primitives import ball
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.rules import Follow
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.sweep import Sweep
from fictilis.core.scene.timeline import SceneCamera, Sound
from fictilis.core.shaping.fields import along_axis
from fictilis.formats.native import read_native, write_native
from fictilis.render.beside import link
from tests.app.conftest import CTRL, LEFT, NONE, bead, move, point
from tests.app.doing import nothing_is_left, nothing_points_astray
from tests.sameness import same
from tests.sounds import RATE, wav

MIDDLE, RIGHT = Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton


@pytest.fixture
def rich(sheet) -> Scene:
    """The sheet in a group, with keys, a camera, a marker, a sound, and a ball beside it."""
    scene = set_key(set_key(sheet, "o1", "t1", Key(0, 0)), "o1", "t1", Key(20, 1))
    scene = set_interpolation(scene, [KeyRef("o1", "t1", 0.0)], "smooth")
    scene, _ = group_targets(scene, "o1", ["t2"], "Pair")
    points, mesh = ball(8.0, 4)
    scene, other = add_object(scene, "Ball", mesh, points + [60, 0, 0])
    scene, _ = target_from_points(scene, other, "Puff", points * 1.3 + [60, 0, 0])
    scene = set_marker(scene, 30.0, "Rise")
    scene = set_sound(scene, Sound("Sea", wav(np.sin(np.arange(2 * RATE) / 9)[:, None].repeat(2, 1)), 10.0))
    return add_camera(scene, SceneCamera("", "Camera", (0.0, 0.0, 0.0), 120.0, 20.0, 30.0))[0]


@pytest.fixture
def hurried(open_window, rich):
    user = open_window(rich)
    user.doc.select_object("o1")
    user.view.eye.look("top")
    user.view.eye.fit()
    for frame in (3.0, 9.0):  # two steps that can be undone, the second can be redone
        user.doc.commit(f"Key {frame:g}", set_key(user.doc.committed.scene, "o1", "position.x", Key(frame, frame)))
    user.doc.undo()
    user.settle()
    return user


def _bead(user):
    return user.window.lanes.viewport(), bead(user.window.lanes, "Lift", 20), QPointF(-60, -6)


def _handle(user):
    lanes = user.window.lanes
    user.doc.change(keys=frozenset({KeyRef("o1", "t1", 0.0)}), selected=(user.doc.channels.ref("t1"),))
    lanes.set_height(lanes.place_of("Lift").ref, TALL)
    return lanes.viewport(), next(end for _, side, _, end in lanes.handles() if side == "out"), QPointF(20, -20)


def _slider(user):
    place = user.window.lanes.place_of("Slide")
    return user.window.lanes.viewport(), place.slider.center(), QPointF(12, 0)


def _ruler(user):
    return user.window.lanes.viewport(), QPointF(user.window.lanes.axis.x(50), 8), QPointF(40, 0)


def _retime(user):
    user.doc.change(band=(0.0, 20.0))
    return user.window.lanes.viewport(), user.window.lanes.band_places()[1].center(), QPointF(50, 0)


def _played(user):
    return user.window.lanes.viewport(), user.window.lanes.played_places()[0].center(), QPointF(80, 0)


def _box(user):
    lanes = user.window.lanes
    return lanes.viewport(), bead(lanes, "Lift", 20) + QPointF(-20, 4), QPointF(60, -16)


def _head(user):
    return user.window.lanes.viewport(), user.window.lanes.place_of("Lift").name.center(), QPointF(0, 60)


def _pan(user):
    return user.window.lanes.viewport(), bead(user.window.lanes, "Lift", 20) + QPointF(60, 0), QPointF(60, 0)


def _bar(user):
    return user.window.column.cards, user.window.column.cards.place_of("Slide").bar.center(), QPointF(15, 0)


def _group(user):
    return user.window.column.cards, user.window.column.cards.group_places[0].bar.center(), QPointF(-12, 0)


def _card(user):
    return user.window.column.cards, user.window.column.cards.place_of("Slide").rect.center() - QPointF(0, 20), QPointF(-90, 0)


def _marker(user):
    return user.window.marker_row, user.window.marker_row.places()[0][1].center(), QPointF(50, 0)


def _sound(user):
    row = user.window.sound_row
    user.qtbot.waitUntil(lambda: row.samples.wave() is not None)
    return row, QPointF(row.extent(row.samples.wave())[0] + 20, 20), QPointF(50, 0)


def _stroke(tool):
    def ready(user):
        user.doc.start_shaping(ShapeRef("t1"))
        user.doc.set_tools(tool=tool, size=12.0)
        if tool in ("move", "rotate", "scale"):
            user.doc.set_picks(np.arange(6))
            user.settle()
            middle = handle_ends(user.view.bench(user.view.shaped_item()))[None]
            return user.view, QPointF(*middle), QPointF(40, 9)
        return user.view, user.pixel(12), QPointF(40, 12)

    return ready


def _divider(user):
    user.doc.see(before=True)
    return user.view, QPointF(user.view.width() / 2, 200), QPointF(70, 0)


def _aim(user):
    user.doc.change(through_camera=True)
    return user.view, QPointF(200, 200), QPointF(60, 20)


def _pose(user):
    """A picture on the lane of a relay made here."""
    doc = user.doc
    scene, made = target_from_points(doc.committed.scene, "o1", "Wave", doc.object.base + [0, 3.0, 0])
    scene, group = make_relay(scene, "o1", [made], "Row", 10.0)
    doc.commit("Relay", scene)
    doc.change(lanes_shown="all")
    lanes = user.window.lanes
    lanes.show_lane(doc.channels.ref(group))
    place = lanes.place(doc.channels.ref(group))
    return lanes.viewport(), pose_pictures(lanes, place)[0][1].center(), QPointF(60, 0)


def _front(user):
    doc = user.doc
    doc.commit("Sweep", set_sweep(doc.committed.scene, "o1", "t2", Sweep(along_axis(doc.object, 0), 0.5, 0.5)))
    doc.select_target("t2")
    user.settle()
    return user.view, front_in(user.view).grip, QPointF(30, 0)


def _point(user):
    """A point of the curve by which a weight follows another."""
    doc = user.doc
    curve = AnimationCurve((Key(0.0, 0.0), Key(1.0, 1.0)))
    doc.commit("Follow", set_follow(doc.committed.scene, "o1", "t2", Follow("t1", curve)))
    doc.select_target("t2")
    user.settle()
    plot = user.window.side.follow.plot
    return plot, plot.pixel(1.0, 1.0), QPointF(-30, 20)


GESTURES = {
    "bead": _bead, "handle": _handle, "slider": _slider, "ruler": _ruler, "retime": _retime, "played": _played, "box": _box,
    "head": _head, "pan": _pan, "bar": _bar, "group": _group, "card": _card, "marker": _marker, "sound": _sound,
    "grab": _stroke("grab"), "push": _stroke("push"), "mask": _stroke("mask"), "move": _stroke("move"),
    "pick": _stroke("pick"), "slide": _stroke("slide"), "divider": _divider, "aim": _aim, "pose": _pose,
    "front": _front, "point": _point,
}  # fmt: skip
BUTTONS = {"pan": MIDDLE, "aim": RIGHT}


def _undo(user):
    user.window.actions_.by_id["undo"].trigger()


def _redo(user):
    user.doc.redo()


def _undo_twice(user):
    user.doc.undo()
    user.doc.undo()


def _open(user):
    user.doc.open_scene(Scene(name="Other"), None)


def _remove(user):
    user.window.operations.operate("object-remove")


def _remove_target(user):
    user.doc.select_target("t1")
    user.window.actions_.by_id["remove-target"].trigger()


def _other_object(user):
    user.doc.select_object("o2")


def _commit(user):
    user.doc.commit("Key", set_key(user.doc.ground, "o1", "t1", Key(20, 0.25)))


def _second(user, button=MIDDLE):
    QTest.mousePress(user.held[0], button, NONE, point(user.held[1]))


def _escape(user):
    QTest.keyClick(user.view, Qt.Key.Key_Escape)


INTERRUPTIONS = {
    "undo": _undo, "redo": _redo, "undo twice": _undo_twice, "open": _open, "remove": _remove, "remove target": _remove_target,
    "other object": _other_object, "commit": _commit, "second button": _second, "escape": _escape,
}  # fmt: skip


@pytest.mark.parametrize("gesture", GESTURES)
def test_whatever_acts_in_the_middle_of_a_gesture_leaves_nothing_of_it(hurried, gesture):
    """Each gesture against every other interruption, and some against all: what is committed after it stays as it is to the
    release. The monkey of ``make soak`` tries all with all."""
    user, button = hurried, BUTTONS.get(gesture, LEFT)
    first, session, number = user.doc.committed.scene, user.doc.session, list(GESTURES).index(gesture)
    every = gesture in ("bead", "bar", "marker", "grab", "aim")
    for name, interrupt in list(INTERRUPTIONS.items())[0 if every else number % 2 :: 1 if every else 2]:
        user.doc.open_scene(first, None)
        user.doc.put(session)
        for frame in (3.0, 9.0):
            user.doc.commit(f"Key {frame:g}", set_key(user.doc.committed.scene, "o1", "position.y", Key(frame, frame)))
        user.doc.undo()
        user.settle(1)
        widget, start, way = GESTURES[gesture](user)
        if name == "second button" and button == MIDDLE:
            continue
        user.held = (widget, start)
        QTest.mousePress(widget, button, NONE, point(start))
        for part in (0.3, 0.7):
            move(widget, start + way * part, button)
        interrupt(user)
        assert nothing_is_left(user), (gesture, name)
        after, label = user.doc.committed.scene, user.doc.undo_label()
        move(widget, start + way, button)
        QTest.mouseRelease(widget, button, NONE, point(start + way))
        if name == "second button":
            QTest.mouseRelease(widget, MIDDLE, NONE, point(start))
        assert nothing_is_left(user) and nothing_points_astray(user), (gesture, name)
        assert user.doc.committed.scene is after and user.doc.undo_label() == label, (gesture, name)
        QTest.qWait(1)


@pytest.mark.parametrize("gesture", [g for g in GESTURES if g not in ("ruler", "box", "pan", "divider")])
def test_a_gesture_dragged_out_and_back_leaves_nothing_or_one_step(hurried, gesture):
    user, button = hurried, BUTTONS.get(gesture, LEFT)
    widget, start, way = GESTURES[gesture](user)
    steps = user.doc._history._at
    user.drag(widget, start, start + way, button=button, between=lambda: move(widget, start, button))
    user.settle(1)
    assert nothing_is_left(user) and user.doc._history._at - steps in (0, 1)


def test_a_wheel_turn_of_the_camera_is_kept_when_an_edit_follows_at_once(hurried):
    user = hurried
    user.doc.change(through_camera=True)
    before = user.doc.scene.camera.distance
    user.view.camera = user.view.camera.zoomed(0.5, 100, 100, user.view.width(), user.view.height())
    user.doc.edit("Rename", lambda s: rename_object(s, "o1", "Sail"))
    assert user.doc.committed.scene.camera.distance < before and user.doc.object.name == "Sail"
    user.doc.undo()
    user.doc.undo()
    assert user.doc.committed.scene.camera.distance == before


def typed(field, text):
    """Text typed into a field that has the keyboard, not taken yet."""
    field.window().activateWindow()
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    return field


OBJECT, SCENE, CAMERA, TARGET = "other object", "other scene", "no camera", "other target"
FIELDS = {  # how to find each one, what is typed, and what takes from it what it was about
    "name": (lambda w: w.side.object.name, "Sail", (OBJECT, SCENE)),
    "position": (lambda w: w.side.object.fields["position"][1], "7", (OBJECT, SCENE)),
    "opacity": (lambda w: w.side.object.opacity, "0.5", (OBJECT, SCENE)),
    "range": (lambda w: w.side.target.low, "-2", (OBJECT, SCENE, TARGET)),
    "camera": (lambda w: w.side.camera.fields["distance"], "44", (SCENE, CAMERA)),
    "camera name": (lambda w: w.side.camera.name, "Eye", (SCENE, CAMERA)),
    "modifier": (lambda w: w.side.modifiers.blocks[0]["amount"], "3", (OBJECT, SCENE, TARGET)),
    "rate": (lambda w: w.transport.rate_text, "30", (SCENE,)),
    "first frame": (lambda w: w.transport.start, "10", (SCENE,)),
}


@pytest.fixture
def fielded(hurried):
    """A window that shows every field: a lane with a modifier is chosen, the camera looked through."""
    user = hurried
    user.window.ask.keep_rate = lambda _rate: False
    user.window.transport._ask_keep = lambda _rate: False
    user.doc.edit("Noise", lambda s: set_modifiers(s, "o1", "t1", (Modifier("wobble"),)))
    user.doc.change(selected=(user.doc.channels.ref("t1"),), through_camera=True)
    user.settle()
    return user


@pytest.mark.own_window
@pytest.mark.parametrize("which", FIELDS)
def test_a_field_that_is_open_is_taken_before_an_action_and_undone_by_it(fielded, which):
    """Typed, then the Undo button: the text is one step, and that step is taken back. A click then changes nothing."""
    user, (find, text, _) = fielded, FIELDS[which]
    before, label = user.doc.committed.scene, user.doc.undo_label()
    typed(find(user.window), text)
    user.click(user.window.top.undo, user.window.top.undo.rect().center())
    assert user.doc.undo_label() == label and same(user.doc.committed.scene, before)
    assert user.doc.redo_label(), "the typed text was lost"
    user.click(user.view, (60, 200))
    assert same(user.doc.committed.scene, before)


@pytest.mark.parametrize(("which", "way"), [(name, way) for name, row in FIELDS.items() for way in row[2]])
def test_what_is_typed_for_one_thing_is_never_written_to_another(fielded, which, way):
    user, (find, text, _), doc = fielded, FIELDS[which], fielded.doc
    typed(find(user.window), text)
    acts = {OBJECT: lambda: doc.select_object("o2"), TARGET: lambda: doc.select_target("t2"),
            SCENE: lambda: doc.open_scene(rename_object(doc.scene, "o1", "Else"), None),
            CAMERA: lambda: doc.commit("Camera", replace(doc.committed.scene, cameras=()))}  # fmt: skip
    acts[way]()
    now = doc.committed
    user.view.setFocus()
    user.click(user.view, (60, 200))
    assert doc.committed.scene is now.scene and doc.committed.posed == now.posed


def test_an_editor_over_a_name_goes_with_what_it_was_opened_for(hurried):
    user, cards, row = hurried, hurried.window.column.cards, hurried.window.marker_row
    user.double_click(cards, cards.place_of("Lift").name.center())
    typed(QApplication.focusWidget(), "Rise")
    user.doc.select_object("o2")
    user.settle()
    assert user.doc.scene.object("o1").target("t1").name == "Rise" and user.doc.object.targets[0].name == "Puff"
    user.double_click(row, row.places()[0][1].center())
    typed(QApplication.focusWidget(), "Fall")
    user.doc.edit("Drop", lambda s: drop_marker(s, 30.0))
    user.view.setFocus()
    assert not user.doc.scene.markers


OVER = {  # what opens an editor over a painted text
    "a target": lambda w: (w.column.cards, w.column.cards.place_of("Lift").name.center()),
    "a marker": lambda w: (w.marker_row, w.marker_row.places()[0][1].center()),
    "a lane": lambda w: (w.lanes.viewport(), w.lanes.place(ChannelRef("o1", "t1")).number.center()),
}


@pytest.mark.parametrize("over", OVER)
def test_an_editor_over_a_painted_text_goes_with_its_scene(hurried, over, tmp_path):
    user, doc = hurried, hurried.doc
    doc.select_object("o1")
    user.double_click(*OVER[over](user.window))
    typed(QApplication.focusWidget(), "1")
    assert isinstance(QApplication.focusWidget(), _Inline)
    write_native(tmp_path / "again.fictilis", doc.committed.scene)
    again = read_native(tmp_path / "again.fictilis")
    doc.open_scene(again, None)
    user.settle()
    user.click(user.view, (60, 200))
    assert doc.committed.scene is again and not any(field.isVisible() for field in user.window.findChildren(_Inline))


def test_a_marker_renamed_and_undone_by_the_button_stays_undone(hurried):
    user, row = hurried, hurried.window.marker_row
    user.double_click(row, row.places()[0][1].center())
    typed(QApplication.focusWidget(), "Fall")
    user.click(user.window.top.undo, user.window.top.undo.rect().center())
    user.click(user.view, (60, 200))
    assert user.doc.scene.markers[0].name == "Rise" and user.doc.redo_label() == "Rename the marker Rise"


def test_keys_of_what_is_no_longer_shown_are_not_selected(hurried):
    user, doc = hurried, hurried.doc
    doc.change(keys=frozenset({KeyRef("o1", "t1", 0.0), KeyRef("o1", "t1", 20.0)}), selected=(doc.channels.ref("t1"),))
    doc.select_object("o2")
    assert not doc.keys and not doc.selected
    doc.change(keys=frozenset({KeyRef("o1", "t1", 0.0)}))
    assert not doc.keys and not user.window.actions_.by_id["delete"].isEnabled()
    scene, second = add_camera(doc.committed.scene, SceneCamera("", "Far", (0.0, 0.0, 0.0), 300.0, 0.0, 0.0))
    doc.commit("Camera", set_key(scene, second, "yaw", Key(5, 1)))
    doc.change(keys=frozenset({KeyRef(second, "yaw", 5.0)}))
    assert doc.keys
    doc.edit("Choose", lambda s: first_camera(s, "c1"))
    assert not doc.keys


def test_ids_are_not_given_again_after_removing_and_after_undo(hurried):
    doc, given = hurried.doc, []
    for way in ("remove", "undo", "remove", "undo"):
        doc.edit("New", lambda s: new_target(s, "o1", "New")[0])
        given.append(doc.object.targets[-1].id)
        doc.edit("Remove", lambda s: remove_target(s, "o1", given[-1])) if way == "remove" else doc.undo()
    points, mesh = ball(4.0, 3)
    for way in ("remove", "undo", "remove"):
        doc.commit("Add", add_object(doc.ground, "Pearl", mesh, points)[0])
        given.append(doc.scene.objects[-1].id)
        doc.edit("Remove", lambda s: remove_object(s, given[-1])) if way == "remove" else doc.undo()
    assert len(set(given)) == len(given)


def test_a_pose_ends_with_its_frame_its_lane_and_its_owner(hurried):
    doc = hurried.doc
    ref = doc.channels.ref("t1")
    doc.set_frame(5.0)
    doc.channels.set_value(ref, 0.9)
    doc.channels.set_value(doc.channels.ref("t2"), 0.3)
    doc.set_frame(20.0)
    doc.undo()
    assert doc.frame == 5.0 and doc.channels.value(ref) == 0.9, "the pose is seen at its own frame"
    doc.redo()
    doc.set_frame(20.0)
    assert not doc.state.posed and doc.channels.value(ref) == 1.0, "the pose of frame 5 shows at 20"
    doc.channels.set_value(ref, 0.4)
    doc.edit("Delete", lambda s: delete_keys(s, [KeyRef("o1", "t1", 0.0), KeyRef("o1", "t1", 20.0)]))
    doc.channels.set_value(ref, 0.7)
    assert doc.channels.value(ref) == 0.7, "the slider is dead"


def test_a_shorter_range_takes_the_playhead_along(hurried):
    doc = hurried.doc
    doc.set_frame(90.0)
    doc.edit("Range", lambda s: set_frame_range(s, 0, 40))
    assert doc.frame == 40.0
    doc.undo()
    doc.set_frame(80.0)
    doc.redo()
    assert doc.frame == 40.0


def test_lanes_look_at_another_scene_afresh(hurried):
    lanes = hurried.window.lanes
    lanes.axis.zoom(0.2, 600)
    lanes.filter.setText("Lift")
    lanes.look.zoom_values(lanes.place_of("Lift"), 60, 0.5, False)
    lanes.set_heights([], TALL)
    hurried.doc.open_scene(hurried.doc.committed.scene, None)
    place = lanes.place_of("Slide")
    assert lanes.axis.span is None and not lanes.filter.text() and not place.is_open
    assert (lanes.place_of("Lift").low, lanes.place_of("Lift").high) == (place.low, place.high) or not lanes.look.scales


def test_numbers_are_followed_after_a_click_on_the_tool_already_chosen(hurried):
    """Reported as “generator already executing”, and as numbers that were not followed any more."""
    user = hurried
    user.doc.start_shaping(ShapeRef("t1"))
    for tool in ("pick", "move", "push"):
        for _ in range(2):
            user.window.actions_.by_id[f"tool-{tool}"].trigger()
        user.click(user.view, user.pixel(12))
        user.click(user.view, user.pixel(12) + QPointF(3, 3), CTRL)
    user.doc.set_tools(tool="grab", size=8.0)
    user.window.actions_.by_id["tool-grab"].trigger()
    start, seen = user.pixel(12), []

    def larger():
        seen.append(len(user.view.strokes.live.indices))
        user.window.actions_.by_id["larger"].trigger()
        for _ in range(6):
            user.window.actions_.by_id["larger"].trigger()
        seen.append(len(user.view.strokes.live.indices))

    user.drag(user.view, start, start + QPointF(30, 0), between=larger)
    assert seen[1] > seen[0]


def test_nothing_of_a_scene_that_was_left_stays_in_memory(hurried, monkeypatch):
    monkeypatch.setattr("fictilis.app.window.WARMED_FROM", 10)
    user, doc = hurried, hurried.doc
    points, mesh = ball(8.0, 6)
    scene, object_id = add_object(Scene(), "Pearl", mesh, points)
    for name in ("Puff", "Bulge"):
        scene, _ = target_from_points(scene, object_id, name, points * 1.5)
    doc.open_scene(add_corrective(scene, object_id, {"t1": 1.0, "t2": 1.0}, "Both")[0], None)
    del scene, points, mesh
    doc.select_target("t3")  # its section names the others
    user.settle()
    assert user.window.side.drivers.isVisible()
    doc.start_shaping(ShapeRef("t1"))
    doc.set_picks(np.arange(6))
    doc.set_tools(tool="move")
    for way in ("Line-up", "Alone", "In the mix"):
        doc.change(way=way)
        user.settle()
    doc.see(ghosts="frames", motion=True, before=True)
    user.settle(400)
    doc.set_tools(tool="grab", size=4.0)
    user.drag(user.view, user.pixel(2), user.pixel(2) + QPointF(30, 0))  # and of what a gesture stood on
    user.settle(700)  # strokes are made ready
    doc.set_tools(tool="move")
    user.type("-5")
    assert user.view.amount.isVisible()
    user.press(Qt.Key.Key_Escape)
    user.settle(60)
    assert not user.view.amount.isVisible()
    doc.edit("Sound", lambda s: set_sound(s, Sound("tide.wav", wav(np.zeros(RATE, np.int16)))))
    samples = user.window.sound.samples
    assert user.comes(lambda: samples.wave() is not None)
    obj = doc.object
    left = [weakref.ref(part) for part in (obj, samples.wave(), obj.geometry, obj.base, *(t.deltas for t in obj.targets))]
    user.double_click(user.window.lanes.viewport(), user.window.lanes.place(ChannelRef("o1", "t1")).number.center())
    assert isinstance(QApplication.focusWidget(), _Inline)
    del obj
    doc.open_scene(Scene(), None)
    user.settle(400)
    gc.collect()
    assert [part() for part in left] == [None] * len(left)


def test_thumbnails_wait_while_the_view_has_no_picture_yet(hurried, monkeypatch):
    view, thumbnails = hurried.view, hurried.window.thumbnails
    monkeypatch.setattr(pictures, "SOON", 0.0)
    assert hurried.comes(lambda: thumbnails.at_rest)
    told = []
    view.picture_shown.connect(lambda: told.append("view"))
    thumbnails.ready.connect(lambda: told.append("thumbnail"))
    thumbnails.forget()
    hurried.doc.set_frame(7)
    hurried.window.column.cards.update()
    assert hurried.comes(lambda: told.count("thumbnail") > 1 and not view.picture.busy)
    assert told[0] == "view"


@pytest.fixture
def late(hurried, monkeypatch):
    """Pictures of the view come when they are let go: for which frames they were asked, and what lets the next one go."""
    renderer, held, frames = hurried.view.picture.renderer, [], []
    ask = renderer.ask

    def hold(ticket, *given, **how):
        frames.append(hurried.doc.frame)
        held.append(lambda: ask(ticket, *given, **how))

    monkeypatch.setattr(pictures, "SOON", 0.0)
    monkeypatch.setattr(renderer, "ask", hold)
    monkeypatch.setattr(hurried.window.thumbnails, "elsewhere", lambda: True)
    yield frames, lambda: held and held.pop(0)()  # on a busy machine the one before may not be drawn yet
    monkeypatch.setattr(renderer, "ask", ask)
    while held:
        held.pop(0)()
    assert hurried.comes(lambda: not hurried.view.picture.busy)


def test_a_picture_that_comes_when_its_window_draws_no_more_is_told_to_nobody(hurried, late):
    """As when a window is closed while one is drawn: of the view, and of the cards."""
    asked, let_go = late
    view, thumbnails = hurried.view, hurried.window.thumbnails
    renderer = view.picture.renderer
    hurried.doc.set_frame(3)
    assert hurried.comes(lambda: asked == [3.0])
    thumbnails.picture.ask([], view.camera, 8, 8, 1.0, view.palette_.view, True)
    thumbnails._drawn = ("a place", ("made of",))
    asking = [(picture, picture._ticket) for picture in (view.picture, thumbnails.picture)]
    view.set_renderer(None)
    thumbnails.renderer = None
    for picture, ticket in asking:
        picture._end(ticket)  # it comes before what was given up is deleted, as within a dialog
    view.set_renderer(renderer)
    thumbnails.renderer = renderer
    hurried.settle(300)
    while view.picture.busy:
        let_go()
        hurried.settle(300)
    assert len(asked) > 2, "it goes on where it draws again"


def test_the_hand_never_waits_for_a_picture(hurried, late):
    """While one is drawn the window goes on; the newest wish is drawn next, and none in between."""
    asked, let_go = late
    for frame in (3, 4, 5):
        hurried.doc.set_frame(frame)
        hurried.view.repaint()
    assert asked == [3] and hurried.view.picture.busy
    let_go()
    assert hurried.comes(lambda: len(asked) == 2) and asked[1] == 5


def test_a_picture_that_comes_late_is_of_no_scene_that_was_left(hurried, late):
    asked, let_go = late
    hurried.doc.set_frame(3)
    hurried.view.repaint()
    hurried.doc.open_scene(Scene(), None)
    hurried.view.repaint()
    assert hurried.view.showing._image is None and len(asked) == 1
    let_go()
    assert hurried.comes(lambda: len(asked) == 2) and hurried.view.showing._image is None


def test_what_cannot_be_drawn_is_not_asked_for_again_and_again(hurried, monkeypatch):
    renderer, asked = hurried.view.picture.renderer, []
    monkeypatch.setattr(renderer, "ask", lambda ticket, *_a, **_h: (asked.append(1), ticket.take(None, "It cannot be drawn.")))
    hurried.window.thumbnails.forget()
    hurried.doc.set_frame(3)
    hurried.settle(600)
    assert 0 < len(asked) < 20 and hurried.said.count(("It cannot be drawn.", "error")) == 1


def test_a_process_that_draws_and_ends_takes_no_work_along(hurried, monkeypatch):
    view, to = hurried.view, link()
    monkeypatch.setattr(to, "falls", 0)
    for fall in (1, 2):
        to.process.kill()
        to.process.wait()
        hurried.doc.set_frame(10 * fall)
        view.repaint()
        assert hurried.comes(lambda f=fall: to.falls >= f and to.alive and not view.picture.busy and not view.showing.dirty)
    pixels = hurried.window.view.grab().toImage()
    assert len({pixels.pixel(x, pixels.height() // 2) for x in range(0, pixels.width(), 7)}) > 5
    monkeypatch.setattr(to, "falls", 0)


def test_edits_leave_no_older_objects_behind(hurried):
    """500 steps are kept, and each holds only what differs; the objects between them must be free to go."""
    doc, seen = hurried.doc, []
    for number in range(30):
        doc.edit("Rename", lambda s, n=number: rename_object(s, "o1", f"Sheet {n}"))
        hurried.window.lanes.refresh()
        doc.channels.values(doc.object)
        seen.append(weakref.ref(doc.object))
    doc.open_scene(Scene(), None)
    gc.collect()
    assert not [part for part in seen if part() is not None]
