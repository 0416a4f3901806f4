"""Relays in the window: made, posed, shaped and spread by mouse and keys, on the lane and in the side column."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from fictilis.app.lanes.menus import context_menu, told_at
from fictilis.app.lanes.relay import pose_pictures
from fictilis.core.edits import relays
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.relay import poses, shape_name
from fictilis.core.mix.shapes import ShapeRef
from fictilis.formats.files import MeshData
from fictilis.formats.native import read_native
from fictilis.formats.obj import write_obj
from tests.app.conftest import CTRL, SHIFT, bead

K = Qt.Key
OBJ = "o1"


@pytest.fixture
def user(open_window, sheet):
    """The sheet with a relay of Lift at 0 and Slide at 24, its lane selected."""
    scene, group = relays.make_relay(sheet, OBJ, ["t1", "t2"], "Row", 0.0, 24.0, "linear")
    user = open_window(scene)
    user.doc.select_channel(ChannelRef(OBJ, group))
    user.lanes, user.group = user.window.lanes, group
    return user


def row(user) -> list[tuple[float, str]]:
    return [(key.frame, shape_name(user.obj, key.shape)) for key in poses(user.obj, user.group)]


def act(user, name: str) -> None:
    user.window.actions_.by_id[name].trigger()


def place(user):
    return user.lanes.place(ChannelRef(OBJ, user.group))


def picture(user, frame: float) -> QPointF:
    return next(rect.center() for key, rect in pose_pictures(user.lanes, place(user)) if key.frame == frame)


def test_its_shapes_stand_on_one_lane_and_cards_say_where(user):
    assert [p.channel.name for p in user.lanes.places() if p.channel.part in ("weight", "relay")] == ["Row"]
    cards = user.window.column.cards
    assert all(cards.place_of(name).bar is None for name in ("Lift", "Slide"))
    user.doc.set_frame(6.0)
    assert user.doc.channels.weights(user.obj) == {"t1": 0.75, "t2": 0.25}
    assert told_at(user.lanes, place(user).title.center()) == "Row: Lift → Slide, 0.25"
    user.doc.select_target("t1")
    assert user.window.side.relay.number.text() == "1 of 2, at 0"
    user.press(K.Key_K)
    assert "Lift is driven by Row" in user.said[-1][0]


def test_the_head_makes_a_pose_here_and_shapes_the_one_that_stands(user):
    user.doc.set_frame(12.0)
    user.click(user.lanes.viewport(), place(user).button.center())
    assert row(user) == [(0, "Lift"), (12, "Row 1"), (24, "Slide")] and user.doc.target.name == "Row 1"
    assert np.allclose(user.target("Row 1").deltas.dense(25)[:, 1], 5.0)
    user.click(user.lanes.viewport(), place(user).button.center())
    assert user.doc.shaping == ShapeRef("t3") and len(user.view.dressing.ghost_frames()) == 2
    user.doc.set_tools(tool="grab", size=30.0)
    user.drag(user.view, user.pixel(12), user.pixel(12) + QPointF(0, -30))
    assert user.target("Row 1").deltas.largest > 6.0
    for _ in range(2):
        user.press(K.Key_Z, CTRL)
    assert row(user) == [(0, "Lift"), (24, "Slide")] and user.doc.shaping is None


def test_keys_make_poses_and_enter_shapes_the_one_under_the_playhead(user):
    user.doc.set_frame(8.0)
    user.press(K.Key_P, CTRL)
    user.doc.set_frame(30.0)
    user.press(K.Key_P, CTRL | SHIFT)
    assert row(user) == [(0, "Lift"), (8, "Row 1"), (24, "Slide"), (30, "Row 2")]
    assert np.array_equal(user.target("Row 2").deltas.offsets, user.target("Slide").deltas.offsets)
    user.doc.select_channel(ChannelRef(OBJ, user.group))
    user.doc.set_frame(27.0)
    user.press(K.Key_Return)
    assert user.doc.shaping == ShapeRef("t2") and user.doc.frame == 24.0
    user.press(K.Key_Escape)
    user.doc.select_channel(ChannelRef(OBJ, user.group))
    user.doc.set_frame(18.0)
    user.press(K.Key_K)
    assert row(user)[2] == (18, "Row 3")


def test_a_pose_of_the_base_is_not_shaped_but_given_a_shape(user):
    noticed = []
    user.doc.noticed.connect(noticed.extend)
    act_given = user.window.operations.operate
    act_given("relay-put", {"shape": "", "frame": 12.0})
    user.doc.set_frame(12.0)
    user.press(K.Key_Return)
    assert user.doc.shaping is None and noticed[-1].sentence.startswith("The pose at frame 12 shows the base")
    noticed[-1].run()
    assert row(user)[1] == (12, "Row 1") and user.doc.shaping == ShapeRef("t3")


def test_pictures_are_pressed_dragged_and_shaped(user):
    port = user.lanes.viewport()
    user.drag(port, picture(user, 24.0), picture(user, 24.0) + QPointF(user.lanes.axis.x(36) - user.lanes.axis.x(24), 40))
    assert row(user) == [(0, "Lift"), (36, "Slide")] and poses(user.obj, user.group)[1].value == 0.0
    assert user.doc.keys == {KeyRef(OBJ, user.group, 36.0)}
    user.press(K.Key_Delete)
    assert row(user) == [(0, "Lift")]
    user.press(K.Key_Z, CTRL)
    user.double_click(port, picture(user, 36.0))
    assert user.doc.shaping == ShapeRef("t2") and user.doc.frame == 36.0
    user.press(K.Key_Escape)
    user.double_click(port, QPointF(user.lanes.axis.x(18), place(user).rail))
    assert (18, "Row 1") in row(user)


def test_undo_in_the_middle_of_a_drag_of_a_pose_that_it_removes(user):
    user.doc.set_frame(12.0)
    user.press(K.Key_P, CTRL)
    at = bead(user.lanes, "Row", 12.0)
    user.drag(user.lanes.viewport(), at, at + QPointF(60, 0), between=lambda: user.press(K.Key_Z, CTRL))
    assert row(user) == [(0, "Lift"), (24, "Slide")] and not user.doc.keys
    user.press(K.Key_Z, CTRL | SHIFT)
    assert row(user) == [(0, "Lift"), (12, "Row 1"), (24, "Slide")]


def test_the_side_column_puts_shapes_leads_on_and_spreads(user):
    side = user.window.side.relay
    assert not side.isHidden()
    user.doc.set_frame(30.0)
    side.shape.activated.emit(side.shape.findText("Lift"))
    assert row(user) == [(0, "Lift"), (24, "Lift")]
    side.way.buttons["Hold"].click()
    assert poses(user.obj, user.group)[1].interpolation == "hold"
    side.path.buttons["Through"].click()
    assert user.obj.group(user.group).relay == "through"
    for frame in (40.0, 47.0):
        user.doc.set_frame(frame)
        user.press(K.Key_P, CTRL)
        user.doc.select_channel(ChannelRef(OBJ, user.group))
    assert side.spread.isEnabled()
    act(user, "on-twos")
    assert [f for f, _ in row(user)] == [0, 2, 4, 6]
    user.window.operations.operate("relay-spread", {"by": "frames"})
    assert [f for f, _ in row(user)] == [0, 2, 4, 6]
    act(user, "relay-layers")
    assert user.obj.group(user.group).relay is None and "have keys of their own" in user.said[-1][0]
    assert user.window.side.relay.isHidden()


def test_menus_of_poses_of_the_head_and_of_a_free_place(user):
    texts = [a.text() for a in context_menu(user.lanes, user.lanes.actions_, picture(user, 24.0), print).actions()]
    assert "Shape the pose here" in texts and "Replace the shape…" in texts and "Flatten tangents" not in texts
    assert user.doc.frame == 24.0
    head = context_menu(user.lanes, user.lanes.actions_, place(user).title.center(), print)
    assert "Poses on twos" in [a.text() for a in head.actions()]
    free = QPointF(user.lanes.axis.x(60), place(user).rail)
    assert context_menu(user.lanes, user.lanes.actions_, free, print).actions()[0].text() == "New pose here"


def test_selected_targets_become_a_relay_and_their_keys_are_said_to_go(open_window, sheet, answers):
    user = open_window(sheet)
    user.doc.channels.key_values({user.doc.channels.ref("t1"): 1.0}, "Key Lift")
    user.doc.select_target("t1")
    user.doc.select_target("t2", add=True)
    answers(user.window, FormDialog="ok")
    act(user, "relay")
    (group,) = user.obj.groups
    assert group.relay == "straight" and [k.frame for k in poses(user.obj, group.id)] == [0.0, 96.0]
    assert user.doc.chosen.poses and user.said[-1][0] == "The keys of Lift went; the poses take their place."


def test_numbered_files_become_a_relay_and_unfit_ones_are_named(open_window, sheet, answers, tmp_path, monkeypatch):
    user = open_window(sheet)
    base, mesh = sheet.objects[0].base, sheet.objects[0].mesh
    paths = [tmp_path / f"fin_{n}.obj" for n in (10, 2, 1)]
    for path, lift in zip(paths, (3.0, 2.0, 1.0), strict=True):
        write_obj(path, [MeshData(path.stem, base + [0, lift, 0], mesh)])
    short = tmp_path / "fin_3.obj"
    write_obj(short, [MeshData("fin", base[:3], type(mesh)(3, np.array([0, 1, 2], np.int32), np.array([0, 3], np.int32)))])
    monkeypatch.setattr(user.window.ask.files, "open_several", lambda *_: [*paths, short])
    answers(user.window, FormDialog="ok")
    act(user, "relay-files")
    (group,) = user.obj.groups
    assert group.name == "fin" and [t.name for t in user.obj.targets if t.group] == ["fin_1", "fin_2", "fin_10"]
    assert [k.frame for k in poses(user.obj, group.id)] == [0.0, 48.0, 96.0]
    assert len(user.doc.scene.objects) == 1


def test_shapes_that_go_take_their_poses_along_and_that_is_said(user):
    user.doc.select_target("t2")
    user.press(K.Key_Delete)
    assert row(user) == [(0, "Lift")] and user.said[-1][0] == "1 pose of Row went too."
    user.press(K.Key_Z, CTRL)
    user.doc.select_target("t1")
    act(user, "ungroup")
    assert row(user) == [(24, "Slide")] and user.said[-1][0] == "1 pose of Row went too."
    user.press(K.Key_Z, CTRL)
    cards = user.window.column.cards
    menu = {action.text(): action for action in cards.group_menu(cards.group_places[0]).actions()}
    assert "Dissolve" not in menu
    menu["Relay to weight keys"].trigger()
    assert user.obj.group(user.group).relay is None and sorted(lane.channel for lane in user.obj.lanes) == ["t1", "t2"]


def test_it_survives_save_and_open_and_another_object_while_it_is_selected(user, tmp_path):
    user.doc.set_frame(6.0)
    user.window.commands._save_to(tmp_path / "s.fictilis")
    again = read_native(tmp_path / "s.fictilis").objects[0]
    assert poses(again, user.group) == poses(user.obj, user.group) and again.groups == user.obj.groups
    user.doc.commit("Two", relays.make_relay(user.doc.scene, OBJ, [], "Second")[0])
    assert [p.channel.name for p in user.lanes.places() if p.channel.poses] == ["Row", "Second"]


def test_points_of_a_range_go_out_and_come_back_as_a_relay(user, answers, tmp_path, monkeypatch):
    files = user.window.ask.files
    files.folder = str(tmp_path)
    answers(user.window, FormDialog="ok", ExportDialog="ok")
    act(user, "points-out")
    path = tmp_path / f"{user.obj.name}.npz"
    assert path.is_file() and "Exported" in user.said[-1][0]
    frames = int(user.doc.scene.end - user.doc.scene.start) + 1
    monkeypatch.setattr(files, "open_several", lambda *_: [path])
    groups = len(user.obj.groups)
    act(user, "relay-files")
    assert len(user.obj.groups) == groups + 1 and len(poses(user.obj, user.obj.groups[-1].id)) == frames
    path.write_bytes(b"PK")
    act(user, "relay-files")
    assert "cannot be read" in user.said[-1][0] and len(user.obj.groups) == groups + 1


def test_a_new_scene_is_asked_for_while_a_relay_is_chosen(user, answers):
    """Meanwhile another form is seen, which has no relay; nothing is asked of it."""
    opened = answers(user.window, NewSceneDialog="cancel")
    user.press(K.Key_N, CTRL)
    assert len(opened) == 1 and poses(user.obj, user.group)
