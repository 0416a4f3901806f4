"""What assistive technology is told, and how the window is walked by keys alone."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QItemSelectionModel, Qt
from PyQt6.QtWidgets import QApplication

from fictilis.app.widgets.spoken import Spoken
from fictilis.core.edits import targets as edits
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.timeline import set_marker
from fictilis.core.geometry.picked import Pick
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping.picks import element_beside
from fictilis.demo.jelly import moon_jelly
from fictilis.demo.sea_pen import sea_pen
from tests.app.conftest import CTRL, SHIFT
from tests.app.doing import act, shape
from tests.app.screen_reader import every, named

K, ALT = Qt.Key, Qt.KeyboardModifier.AltModifier
TEXT, MORE = Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.AccessibleDescriptionRole


def told(spoken: Spoken) -> list[tuple[str, str]]:
    """What is read of each row."""
    spoken.tell()
    model = spoken.model()
    return [(model.index(row, 0).data(TEXT), model.index(row, 0).data(MORE)) for row in range(model.rowCount())]


def take(spoken: Spoken, words: str) -> None:
    """Select the row that begins so, as assistive technology does."""
    row = next(n for n, (text, _more) in enumerate(told(spoken)) if text.startswith(words))
    index = spoken.model().index(row, 0)
    spoken.selectionModel().select(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)


def chosen(spoken: Spoken) -> list[str]:
    spoken.tell()
    return [index.data(TEXT) for index in spoken.selectionModel().selectedIndexes()]


@pytest.fixture(scope="module")
def jelly():
    return moon_jelly()


def test_the_real_window_is_read_through_the_accessibility_bus(tmp_path):
    """A reader of its own process finds cards, lanes, keys, markers and objects where they are painted, every control that
    is shown has a name, and selecting through the bus selects. Source of the interfaces: AT-SPI 2, org.a11y.atspi."""
    launcher = next(Path("/usr").glob("lib*/**/at-spi-bus-launcher"), None)
    if shutil.which("dbus-run-session") is None or launcher is None:
        pytest.skip("dbus and at-spi2-core are not installed")
    (tmp_path / "run").mkdir(mode=0o700)
    env = {**os.environ, "HOME": str(tmp_path), "XDG_CACHE_HOME": str(tmp_path), "XDG_RUNTIME_DIR": str(tmp_path / "run")}
    command = ["dbus-run-session", "--", sys.executable, "-m", "tests.app.screen_reader", str(tmp_path / "read.json")]
    done = subprocess.run(command, env=env, capture_output=True, text=True, timeout=180, check=False)
    assert done.returncode == 0, done.stderr[-2000:]
    before, after, cues = (json.loads((tmp_path / "read.json").read_text())[name] for name in ("before", "after", "cues"))
    controls = ("push button", "check box", "text", "button menu", "combo box", "slider", "spin button", "list", "list item")
    for tree in (before, cues):
        shown = [node for node in every(tree) if node["showing"] and node["role"] in controls]
        assert len(shown) > 60 and not [(n["role"], n["place"]) for n in shown if not n["name"]]
    words = [node["name"] for node in every(cues) if node["showing"]]
    assert "What sets it off: On a click on" in words and "Cue Touch" in words and "Test Touch" in words
    strip = named(cues, "Time of Touch")
    assert strip["said"] == "goes 0.5 s, waits 2 s, comes back 1.2 s" and strip["place"][2] > 200
    cards = {node["name"]: node for node in named(before, "Cards of the targets")["children"]}
    assert list(cards)[:3] == ["Base", "Contract, 0.00", "Flare, 0.10"]
    assert cards["Base"]["selected"] and "in-betweens at 0.5" in cards["Contract, 0.00"]["said"]
    left, top, wide, high = cards["Flare, 0.10"]["place"]
    assert wide > 60 and high > 20 and left > 0 and top > cards["Base"]["place"][1]
    assert [n["name"] for n in named(before, "Markers along time")["children"]][0] == "Pulse, frame 8"
    assert [n["name"] for n in named(before, "Objects in the view")["children"]] == ["Bell"]
    assert named(before, "Keys of the selected lanes")["children"] == []
    flare = next(n for n in named(after, "Cards of the targets")["children"] if n["name"].startswith("Flare"))
    assert flare["selected"] and len(named(after, "Keys of the selected lanes")["children"]) == 9
    assert next(n for n in named(after, "Heads of the lanes")["children"] if n["name"].startswith("Flare"))["selected"]


def test_cards_are_told_with_their_states_and_chosen(open_window, jelly):
    user = open_window(jelly)
    doc, spoken = user.doc, user.window.column.cards.spoken
    ids = {t.name: t.id for t in doc.object.targets}
    leans = [ids["Lean left"], ids["Lean right"]]
    doc.edit("Group", lambda s: edits.group_targets(s, doc.object_id, leans, "Leans")[0])
    doc.edit("Mute", lambda s: edits.set_muted(s, doc.object_id, ids["Flare"], True))
    rows = dict(told(spoken))
    assert rows["Leans, 1.00"] == "a group" and rows["Flare, 0.10"].endswith("muted")
    assert rows["Rim over arms, 0.00"] == "a target, driven by Contract and Lean left"
    names = [text for text, _ in told(spoken)]
    assert names.index("Leans, 1.00") < names.index("Lean left, 0.00")
    take(spoken, "Leans")
    assert ("Leans, 1.00", "a group, folded") in told(spoken) and not any("Lean left," in text for text, _ in told(spoken))
    take(spoken, "Dome")
    assert doc.selected_targets == (ids["Dome"],) and chosen(spoken) == ["Dome, 0.00"]
    user.press(K.Key_Up, on=user.window.column.cards)
    assert len(chosen(spoken)) == 1 and chosen(spoken) != ["Dome, 0.00"]
    act(user, "remove-target")
    assert len(told(spoken)) == len(user.window.column.cards.places()) + 1
    assert QApplication.focusWidget() is not spoken and spoken.focusProxy() is user.window.column.cards


def test_lanes_keys_and_markers_are_told_and_chosen(open_window, jelly):
    user = open_window(jelly)
    doc, lanes = user.doc, user.window.lanes
    take(lanes.spoken, "Place and look of Bell")
    rows = dict(told(lanes.spoken))
    assert rows["Opacity, 1.00"] == "no keys" and rows["Position Y, 0.0 cm"].startswith("5 keys")
    assert told(lanes.spoken_keys) == []
    take(lanes.spoken, "Flare")
    assert [c.channel for c in doc.selected] == [doc.object.target_named("Flare").id]
    take(lanes.spoken_keys, "Frame 42")
    assert doc.frame == 42.0 and chosen(lanes.spoken_keys) == ["Frame 42, 0.80"]
    assert ("Flare, 0.80", "9 keys, a key here") in told(lanes.spoken)
    act(user, "delete")
    assert not [text for text, _ in told(lanes.spoken_keys) if text.startswith("Frame 42")]
    act(user, "undo")
    assert told(lanes.spoken_keys)[3][0] == "Frame 42, 0.80"
    place = lanes.spoken_keys.visualRect(lanes.spoken_keys.model().index(3, 0))
    assert lanes.key_under(place.center().toPointF()).frame == 42.0
    row = user.window.marker_row
    take(row.spoken, "Glide")
    assert doc.frame == 40.0 and chosen(row.spoken) == ["Glide, frame 40"]
    doc.edit("A marker", lambda s: set_marker(s, 3.0, "Here"))
    assert told(row.spoken)[0] == ("Here, frame 3", "a marker") and chosen(row.spoken) == ["Glide, frame 40"]


def test_objects_and_shapes_are_told_and_chosen(open_window, sheet):
    scene, added = add_form(sheet, "Ball", {})
    other = scene.object(added)
    user = open_window(scene)
    doc, spoken = user.doc, user.window.frame.spoken
    user.settle(200)
    assert [text for text, _ in told(spoken)] == [o.name for o in scene.objects]
    take(spoken, other.name)
    assert doc.object_id == other.id and chosen(spoken) == [other.name]
    user.press(K.Key_PageDown, ALT)
    assert doc.object_id == scene.objects[0].id
    shape(user, doc.object.targets[0].name)
    doc.set_picks(np.array([1, 2]))
    user.settle(200)
    (said,) = [more for text, more in told(spoken) if text == doc.object.name]
    assert f"shaping {doc.object.targets[0].name}" in said and said.endswith("2 points picked")
    user.press(K.Key_Escape)
    doc.change(way="Line-up")
    user.settle(300)
    shapes = [text for text, more in told(spoken) if more.startswith("a shape")]
    assert doc.object.targets[0].name in shapes and len(shapes) >= 1 + len(doc.object.targets)
    take(spoken, doc.object.targets[0].name)
    assert doc.shaping == ShapeRef(doc.object.targets[0].id)


def test_keys_of_lanes_are_walked_one_after_the_other(open_window, jelly):
    user = open_window(jelly)
    doc = user.doc
    doc.select_target(doc.object.target_named("Flare").id)
    frames = [key.frame for key in doc.channels.lane(doc.selected[0]).curve.keys]
    user.press(K.Key_Right, CTRL | SHIFT)
    assert [key.frame for key in doc.keys] == frames[:1]  # the key here comes first
    for frame in frames[1:]:
        user.press(K.Key_Right, CTRL | SHIFT)
        assert [key.frame for key in doc.keys] == [frame] and doc.frame == frame
    user.press(K.Key_Right, CTRL | SHIFT)
    assert "No key after frame" in user.said[-1][0] and doc.frame == frames[-1]
    user.press(K.Key_Left, CTRL | SHIFT)
    assert [key.frame for key in doc.keys] == [frames[-2]]
    value = doc.channels.lane(doc.selected[0]).curve.key_at(frames[-2]).value
    user.press(K.Key_Up, ALT)
    assert doc.channels.lane(doc.selected[0]).curve.key_at(frames[-2]).value == pytest.approx(value + 0.01)
    doc.select_channel(None)  # all lanes, those of one frame from top to bottom
    doc.set_frame(0.0)
    doc.change(keys=frozenset())
    seen = []
    for _ in range(4):
        user.press(K.Key_Right, CTRL | SHIFT)
        seen += [(key.frame, key.channel) for key in doc.keys]
    assert len(set(seen)) == 4 and [frame for frame, _ in seen] == sorted(frame for frame, _ in seen) and seen[0][0] == 0.0


def test_values_are_raised_by_keys_in_one_step_each(open_window, jelly):
    user = open_window(jelly)
    doc = user.doc
    flare, sway = (doc.object.target_named(name).id for name in ("Dome", "Sway"))
    doc.select_target(flare)
    user.press(K.Key_PageUp)
    user.press(K.Key_PageUp, SHIFT)
    assert doc.channels.weights(doc.object)[flare] == pytest.approx(0.06)
    act(user, "undo")
    assert doc.channels.weights(doc.object)[flare] == pytest.approx(0.05)
    doc.select_target(sway, add=True)
    before = doc.channels.weights(doc.object)[sway]
    user.press(K.Key_PageDown)
    now = doc.channels.weights(doc.object)
    assert now[flare] == pytest.approx(0.0) and now[sway] == pytest.approx(before - 0.1)  # its range is twice as wide
    doc.select_target(doc.object.target_named("Rim over arms").id)
    user.press(K.Key_PageUp)
    assert "Nothing that is selected has a value of its own" in user.said[-1][0]


def test_a_clip_of_a_rig_goes_to_the_next_by_its_words(open_window):
    user = open_window(sea_pen())
    doc = user.doc
    ref = doc.channels.ref("rig.clip")
    doc.select_channel(ref)
    before = doc.channels.value(ref)
    user.press(K.Key_PageUp)
    assert doc.channels.value(ref) == min(before + 1, doc.channels.channel(ref).high)
    for _ in range(9):
        user.press(K.Key_PageDown)
    assert doc.channels.value(ref) == doc.channels.channel(ref).low


@pytest.mark.parametrize("kind", ["points", "edges", "faces"])
def test_a_pick_is_walked_over_the_mesh_as_it_is_seen(user, kind):
    doc = user.doc
    shape(user, doc.object.targets[0].name)
    doc.set_tools(kind=kind)
    user.press(K.Key_Right, CTRL | ALT)
    assert doc.pick().kind == kind and len(doc.pick()) == 1  # nothing was picked: the middle
    start, path = int(doc.pick().elements[0]), []
    for key in (K.Key_Right, K.Key_Up, K.Key_Left, K.Key_Down):
        user.press(key, CTRL | ALT)
        path.append(int(doc.pick().elements[0]))
    assert len({start, *path}) >= (4 if kind != "edges" else 3) and (kind == "edges" or path[-1] == start)
    for _ in range(60):
        user.press(K.Key_Right, CTRL | ALT)
    assert "lies that way from what is picked" in user.said[-1][0]


def test_the_neighbour_is_the_straightest_of_those_that_touch(sheet):
    mesh = sheet.objects[0].geometry
    pixels = sheet.objects[0].base[:, [0, 2]].astype(float)
    middle = pixels.mean(axis=0)
    start = element_beside(mesh, Pick("points"), pixels, middle, np.array([1.0, 0.0]))
    assert np.linalg.norm(pixels[start] - middle) == np.linalg.norm(pixels - middle, axis=1).min()
    found = element_beside(mesh, Pick("points", np.array([start])), pixels, middle, np.array([1.0, 0.0]))
    step = pixels[found] - pixels[start]
    assert step[0] > 0 and step[1] == pytest.approx(0.0, abs=1e-9)
    corner = int(np.argmax(pixels @ [1.0, 1.0]))
    assert element_beside(mesh, Pick("points", np.array([corner])), pixels, middle, np.array([1.0, 0.0])) is None


def test_the_view_is_turned_and_brought_nearer_by_keys(user):
    doc, view = user.doc, user.view
    act(user, "parallel")
    before = view.camera
    user.press(K.Key_Right, ALT | SHIFT)
    assert (view.camera.yaw - before.yaw) % 360 == pytest.approx(15.0)
    act(user, "nearer")
    assert view.camera.distance == pytest.approx(0.8 * before.distance)
    act(user, "new-camera")
    assert doc.through_camera
    was, label = view.camera.yaw, doc.undo_label()
    act(user, "turn-left")
    assert user.comes(lambda: doc.undo_label() != label)
    assert (was - view.camera.yaw) % 360 == pytest.approx(15.0)
    act(user, "undo")
    assert view.camera.yaw == pytest.approx(was)


def test_points_of_a_curve_are_told_and_walked(open_window, sheet):
    user = open_window(sheet)
    user.doc.select_target("t2")
    user.window.operations.operate("target-follow", {"source": "t1", "way": "linear"})
    plot = user.window.side.follow.plot
    assert [text for text, _ in told(plot.spoken)] == ["0 to 0.00", "1 to 1.00"]
    take(plot.spoken, "1 to")
    assert plot.point().frame == 1.0 and chosen(plot.spoken) == ["1 to 1.00"]
    user.press(K.Key_Left, on=plot)
    assert chosen(plot.spoken) == ["0 to 0.00"] and user.doc.frame == 0.0  # the arrow is the plot's own
    place = plot.spoken.visualRect(plot.spoken.model().index(0, 0))
    assert plot.under(place.center().toPointF()) == 0


def test_what_is_gone_before_it_is_told_is_neither_read_nor_chosen(open_window, sheet):
    """A reader may ask at any moment, also between a change and its telling."""
    user = open_window(sheet)
    doc, window = user.doc, user.window
    doc.select_target("t2")
    window.operations.operate("target-follow", {"source": "t1", "way": "linear"})
    lists = [*window.findChildren(Spoken)]
    assert len(lists) >= 6 and [len(told(spoken)) for spoken in lists].count(0) <= 3
    cards = window.column.cards.spoken
    take(cards, "Slide")
    for change in (lambda: act(user, "remove-target"), lambda: doc.open_scene(Scene(), None)):
        for spoken in lists:
            spoken.tell()
        change()
        for spoken in lists:
            for row in range(spoken.model().rowCount()):
                index = spoken.model().index(row, 0)
                assert isinstance(index.data(TEXT), str) and spoken.visualRect(index) is not None
            index = spoken.model().index(spoken.model().rowCount() - 1, 0)
            spoken.selectionModel().select(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)
    assert not doc.scene.objects and not doc.selected
    user.settle(120)
    assert told(cards) == []
