"""Every action is found by a word; and what the window offers where: menus, the find field, context menus, dialogs, folding."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit, QMenu

from fictilis.app.commands.actions import MENUS
from fictilis.app.commands.finder import other_words
from fictilis.app.commands.rows import ROWS
from fictilis.app.lanes.places import HEAD
from fictilis.app.model.finding import Findable, find, spans
from fictilis.app.shortcuts import ShortcutsDialog
from fictilis.app.widgets.dialogs import Dialog
from fictilis.app.widgets.file_dialog import FileChooser, SaveDialog
from fictilis.app.widgets.new_scene import NewSceneDialog
from fictilis.app.widgets.theme import BISQUE
from fictilis.core.animation.curve import Key
from fictilis.core.edits.forms import add_form, set_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.targets import keep_mix, new_target
from fictilis.core.edits.timeline import add_camera, set_marker
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.forms import form_of
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import SceneCamera
from fictilis.formats.native import read_native, write_native
from tests.app.conftest import CTRL, LEFT, NONE, RIGHT, SHIFT, bead, move, point

K = Qt.Key


def ask(user, text) -> list[Findable]:
    user.press(K.Key_F, CTRL)
    QTest.keyClicks(user.window.top.find_field, text)
    return user.window.top.find_field.list.found


def test_at_most_nine_menus_hold_every_action(user):
    assert [a.text() for a in user.window.top.menu.actions()] == list(MENUS) and len(MENUS) <= 9
    shown = {name: menu.actions() for name, menu in user.window.top.submenus.items()}
    for row in ROWS:
        assert user.window.actions_.by_id[row.id] in shown[row.menu], row.id
        assert row.top in MENUS
    assert max(len(actions) for actions in shown.values()) <= 36


# what animators type, and the action that is meant; own choice, no published source
QUERIES = """
blend shape = new-target; blendshape = new-target; morph target = new-target; shape of the mix = new-from-seen; import shapes
= add-targets; onion skin = ghosts-frames; onion = ghosts-frames; curve editor = together; graph = together; flip target =
swap-sides; flip = swap-sides; sculpt = shape; preview movie = movie; wireframe = wire; resolution = movie; autosave = save;
units = import; csv = weights-out; html = page; web = page; web page = page; fps = time-seconds; reset = key-neutral; zero =
key-neutral; isolate = hide; solo = hide; cycle = loop-clip; walk cycle = close-loop; select all = pick-all; deselect =
pick-none; invert = pick-inverse; settings = light; preferences = theme; delay = repeat-later; trigger = new-cue; falloff =
larger; lip sync = sound; inbetween = in-between; in between = in-between; full screen = large-view; fullscreen =
large-view; dark mode = theme; frame all = fit; orthographic = parallel; waveform = sound; statistics = checks; insert key =
key; keyframe = key; set keyframe = key; video = movie; mp4 = movie; gif = movie; screenshot = snapshot; png = snapshot;
contact sheet = sheet; spin = turntable; glb = export; obj = import; usd = export; point cache = points-out; numpy =
points-out; load scene = open; vertices = pick-points; polygons = pick-faces; grow selection = pick-grow; select loop =
pick-loop; island = pick-connected; mirror selection = pick-mirrored; symmetry = mirror; delete target = remove-target;
delete keyframe = delete; duplicate target = duplicate; copy shape = copy-onto; merge targets = join; left and right =
split; combination = corrective; corrective shape = corrective; exaggerate = scale-deltas; wrap = transfer; retarget =
transfer; paint mask = tool-mask; brush size = larger; brush strength = stronger; inflate = exact-inflate; relax =
exact-relax; noise = exact-noise; spherize = exact-sphere; pen = draw-line; spline = smooth; text = text-line; pipe =
line-tube; array = repeat-grid; scatter = repeat-on; radial array = repeat-ring; random = repeat-differ; jiggle =
point-spring-points; soft body = point-spring-points; wobble = point-spring-points; curl = bend; subdivision =
smooth-surface; catmull clark = smooth-surface; bones = joints; dual quaternion = rig-way; merge vertices = weld-middle;
merge near points = weld-near; apply transform = freeze; dimensions = size; heat map = displacement; trajectory = motion;
zoom in = nearer; zoom to fit = fit; front view = front; camera path = camera-along; add camera = new-camera; slow motion =
speed-50; ping pong = back-and-forth; audio = sound; beat = marker; autokey = auto-key; stepped = hold; easing = ease;
bezier = smooth; extrapolation = beyond; reverse keys = reverse; offset keys = stagger; time scale = retime; bake animation
= bake-keys; simplify = reduce-keys; crossfade = blend-clips; record = take; interactive = cues; hotkeys = shortcuts;
tutorial = first-steps; image plane = reference; stop motion = relay; replacement animation = relay; drive = follow;
expression = follow; preset = keep-mix; save selection = keep-pick; wipe = sweep; hide object = hide; unhide = show-all;
interploation ease = ease; wireframr = wire; key insert = key; exprot = export; miror = mirror; skin onion = ghosts-frames;
vidoe = movie; sculpt grblx = shape; sculpting = shape; stop sculpting = done; save pose = keep-mix
"""


def things() -> list[Findable]:
    def words(row) -> str:
        return f"{row.id.replace('-', ' ')} {row.operation.sentence if row.operation else ''}"

    also = other_words()
    return [Findable(r.text, lambda: None, place=r.place, keys=r.id, words=words(r), also=also[r.id]) for r in ROWS]


def test_every_action_is_found_by_its_name_with_its_place_and_has_other_words():
    assert set(other_words()) == {row.id for row in ROWS}
    for row in ROWS:
        found = find(things(), row.text.rstrip("…"))
        assert row.id in [thing.keys for thing in found[:3]], row.text
        assert next(t for t in found if t.keys == row.id).place


def test_what_animators_type_leads_to_what_they_mean():
    """Words of the trade, parts of words, small typing errors, words in any order, and one that means nothing."""
    asked = dict(row.split(" = ") for row in QUERIES.replace("\n", " ").strip().split("; "))
    found = {text: [thing.keys for thing in find(things(), text)[:3]] for text in asked}
    assert len(asked) > 150 and not {text: found[text] for text, meant in asked.items() if meant not in found[text]}


def test_in_a_narrow_window_there_is_room_to_type_and_the_list_lies_beneath(user):
    window, field = user.window, user.window.top.find_field
    window.resize(900, 600)
    user.settle(60)
    assert field.width() < 100
    ask(user, "previous")
    assert field.width() >= 150 and window.width() == 900

    def right(widget) -> int:
        return widget.mapTo(window, QPoint(widget.width(), 0)).x()

    assert right(field.list) == max(right(field), 608)  # within the window
    QTest.keyClick(field, K.Key_Escape)
    user.settle(60)
    assert field.width() < 100 and window.width() == 900


def test_a_greyed_action_says_what_it_needs(user):
    user.doc.open_scene(Scene(), None)
    actions = user.window.actions_
    for row in ROWS:
        why = actions.why_not(row.id)
        assert bool(why) == (not actions.by_id[row.id].isEnabled()), row.id
        assert not why or why[0].islower() or why.split()[0].istitle(), (row.id, why)


def test_the_find_field_runs_goes_there_and_says_why_not(user):
    doc, field = user.doc, user.window.top.find_field
    doc.edit("Marker", lambda s: set_marker(s, 31.0, "Split second"))
    found = ask(user, "split")
    assert found[0].title == "Split second" or "split" in found[0].title.lower()
    split = next(t for t in found if t.title.startswith("Split into") or t.title.startswith("Split") and t.why)
    assert "select a target first" in split.why and split.place.startswith("Target")
    marker = next(t for t in found if t.title == "Split second")
    user.window.top.find_field.list.at = found.index(marker)
    user.press(K.Key_Return, on=field)
    assert doc.frame == 31.0 and not field.list.isVisible() and user.view.hasFocus()
    assert ask(user, "slide tar")[0].note == "target of Sheet"
    user.press(K.Key_Return, on=field)
    assert doc.target.name == "Slide"
    ask(user, "dark")
    user.press(K.Key_Return, on=field)
    assert doc.dark
    lane = next(t for t in ask(user, "position y") if t.note.startswith("lane"))
    lane.run()
    assert doc.chosen.id == "position.y"
    setting = next(t for t in ask(user, "opacity") if t.note == "setting")
    setting.run()
    assert QApplication.focusWidget() is user.window.side.object.opacity


def test_what_is_greyed_does_not_run_and_esc_leaves(user):
    field, before = user.window.top.find_field, user.doc.committed.scene
    found = ask(user, "paste keys")
    assert found[0].why and field.list.chosen is found[0]
    user.press(K.Key_Return, on=field)
    assert field.list.isVisible() and user.doc.committed.scene is before
    user.press(K.Key_Escape, on=field)
    assert not field.list.isVisible() and user.view.hasFocus() and not field.text()
    assert ask(user, "zzzz") == []


def test_words_are_found_whatever_their_marks_and_order():
    things = [Findable(name, lambda: None) for name in ("Größe left", "Left curl", "Curl in", "Uncurl")]
    assert [t.title for t in find(things, "curl")] == ["Curl in", "Left curl", "Uncurl"]
    assert [t.title for t in find(things, "curl left")] == ["Left curl"] and find(things, "GROSSE LEFT")
    assert spans("Left curl", "curl") == [(5, 9)] and find(things, " ") == []


def menu_at(user, widget, at) -> list[str]:
    user.click(widget, at, button=RIGHT)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    texts = [a.text() for a in menu.actions() if not a.isSeparator()]
    user.menu = menu
    menu.close()
    return texts


def test_context_menus_offer_what_makes_sense_where_nothing_is_selected(user):
    user.doc.commit("Key", set_key(set_key(user.doc.committed.scene, "o1", "t1", Key(0, 0)), "o1", "t1", Key(20, 1)))
    lanes = user.window.lanes
    place = lanes.place_of("Lift")
    texts = menu_at(user, lanes.viewport(), QPointF(lanes.axis.x(50), place.body.center().y() - 10))
    assert {"Key Lift here", "New marker here…", "Go to this frame"} <= set(texts) and "Hold" not in texts
    user.menu.actions()[0].trigger()
    assert user.doc.scene.object("o1").lane("t1").curve.key_at(50.0) is not None
    assert "New marker here…" in menu_at(user, lanes.viewport(), QPointF(lanes.axis.x(40), 6))
    assert "Delete" in menu_at(user, lanes.viewport(), bead(lanes, "Lift", 20))
    assert "New target" in menu_at(user, user.view, QPointF(40, 300))
    user.doc.start_shaping(ShapeRef("t1"))
    assert "Pick all" in menu_at(user, user.view, QPointF(40, 300))


def test_a_turn_by_the_right_button_opens_no_menu(user):
    user.drag(user.view, (200, 200), (260, 220), button=RIGHT)
    assert QApplication.activePopupWidget() is None


def test_heads_are_dragged_wider_and_sliders_take_the_room(user):
    lanes = user.window.lanes
    was = lanes.place_of("Lift").slider.width()
    user.drag(lanes.viewport(), (HEAD, 100), (HEAD + 150, 100))
    assert lanes.axis.head == HEAD + 150 and lanes.place_of("Lift").slider.width() > was + 90
    assert lanes.axis.x(0) > HEAD + 150 and user.window.marker_row.lanes.axis.head == HEAD + 150
    user.window._keep_sizes()
    assert user.window.settings.number("lane heads", 0) == HEAD + 150


def test_shift_drags_a_slider_finely(user):
    lanes, got = user.window.lanes, []
    for keys in (NONE, SHIFT):
        user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
        slider = lanes.place_of("Lift").slider
        start = slider.center()
        user.drag(lanes.viewport(), start, start + QPointF(10, 0), keys)
        got.append(user.doc.object.target("t1").weight - 0.5)
    assert got[0] == pytest.approx(10 / slider.width(), abs=0.01) and got[1] == pytest.approx(1 / slider.width(), abs=0.006)


def test_the_wheel_over_heads_and_fields_changes_no_value(user):
    before = user.doc.committed.scene
    lanes = user.window.lanes
    fields = (user.window.side.object.opacity, user.window.transport.rate)
    for widget, at in ((lanes.viewport(), lanes.place_of("Lift").slider.center()), *((f, QPointF(5, 5)) for f in fields)):
        none = Qt.MouseButton.NoButton
        QApplication.sendEvent(widget, QWheelEvent(
            at, QPointF(widget.mapToGlobal(point(at))), QPoint(), QPoint(0, 120), none, NONE, Qt.ScrollPhase.NoScrollPhase,
            False))  # fmt: skip
    assert user.doc.committed.scene is before


def test_one_key_folds_all_for_a_large_view_and_back(user):
    window = user.window
    user.settle()
    wide = window.view.width(), window.view.height()
    user.press(K.Key_V, SHIFT)
    user.settle()
    parts = (window.column, window.side, window.lanes)
    assert not any(part.isVisible() for part in parts) and window.transport.isVisible()
    assert window.view.width() > wide[0] + 300 and window.view.height() > wide[1] + 150
    user.press(K.Key_V, SHIFT)
    user.settle()
    assert all(part.isVisible() for part in parts) and (window.view.width(), window.view.height()) == wide


def test_the_title_carries_name_and_unsaved_state(user):
    assert user.window.windowTitle() == "Sheet[*] — Fictilis" and not user.window.isWindowModified()
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
    assert user.window.isWindowModified()


def test_the_tool_strip_has_names_the_first_time(user):
    frame = user.window.frame
    user.doc.start_shaping(ShapeRef("t1"))
    assert frame.tools["tool-grab"].toolButtonStyle() == Qt.ToolButtonStyle.ToolButtonTextBesideIcon
    frame.names.click()
    assert frame.tools["tool-grab"].toolButtonStyle() == Qt.ToolButtonStyle.ToolButtonIconOnly
    frame.names.click()
    user.window._keep_sizes()
    assert not user.window.settings.flag("tool_names", True), "from the second time on they come by the switch"


def test_a_long_object_name_is_elided_with_a_tip(user):
    from fictilis.core.edits.objects import rename_object

    name = "A very long name of an object that nobody can read to its end"
    user.doc.edit("Rename", lambda s: rename_object(s, "o1", name))
    user.settle()
    assert user.window.column.chooser.toolTip() == name and name in user.window.side.object.heading.toolTip()


@pytest.mark.parametrize(("typed", "kind"), [("a.obj", "OBJ"), ("a.glb", "glTF"), ("a.unknown", "glTF")])
def test_the_kind_of_an_export_follows_its_name(qtbot, tmp_path, typed, kind):
    dialog = SaveDialog(None, BISQUE, "Export", str(tmp_path), "s.glb", "glTF binary (*.glb);;OBJ (*.obj)", [])
    qtbot.addWidget(dialog)
    dialog.name.setText("")
    QTest.keyClicks(dialog.name, typed)
    assert dialog.selectedNameFilter().startswith(kind) and dialog.name.text() == typed
    dialog.filterSelected.emit("OBJ (*.obj)")
    assert dialog.name.text() == ("a.unknown.obj" if typed == "a.unknown" else "a.obj")


@pytest.mark.parametrize("way", ["open", "several", "save", "folder", "cancel"])
def test_a_file_is_chosen_and_its_folder_comes_first_from_then_on(user, tmp_path, way):
    (tmp_path / "takes").mkdir()
    (tmp_path / "a.obj").write_text("")
    window = user.window
    chooser, before = FileChooser(window, window), window.settings.folders()
    chooser.folder = str(tmp_path)

    words = []

    def answer():
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, QFileDialog):
            return
        words.append(dialog.labelText(dialog.DialogLabel.FileName))
        dialog.findChild(QLineEdit, "fileNameEdit").setText({"folder": "takes", "save": "b"}.get(way, "a.obj"))
        dialog.accept() if way != "cancel" and len(words) < 20 else dialog.reject()

    beat = QTimer(window)
    beat.timeout.connect(answer)
    beat.start(50)
    kinds = "OBJ (*.obj)"
    got = {"open": lambda: chooser.open("Open", kinds), "cancel": lambda: chooser.open("Open", kinds),
           "several": lambda: chooser.open_several("Open", kinds), "save": lambda: chooser.save("Save", "b.obj", kinds),
           "folder": lambda: chooser.folder_for("Where to")}[way]()  # fmt: skip
    beat.stop()
    assert words[0] == "Name"
    wanted = {"open": "a.obj", "several": "a.obj", "save": "b.obj", "folder": "takes"}.get(way)
    assert got == {"several": [tmp_path / "a.obj"], "cancel": None}.get(way, tmp_path / (wanted or ""))
    folder = str(tmp_path / "takes" if way == "folder" else tmp_path)
    assert window.settings.folders()[:1] == (before[:1] if way == "cancel" else [folder])
    assert way == "cancel" or FileChooser(window, window).folder == folder


def test_the_shortcut_window_is_filtered_by_words(user, qtbot):
    dialog = ShortcutsDialog(user.window, {})
    qtbot.addWidget(dialog)
    dialog.filter.setText("key mix")
    shown = [row.id for number, row in enumerate(ROWS) if not dialog.table.isRowHidden(number)]
    assert "key-mix" in shown and len(shown) < 8
    dialog.filter.setText("ctrl+z")
    assert "undo" in [row.id for number, row in enumerate(ROWS) if not dialog.table.isRowHidden(number)]


# the dialog of a new scene


def in_dialog(user, act, action="new"):
    """Opens the dialog of an action, lets ``act`` use it, and closes it where that did not."""
    seen = []

    def show(dialog: Dialog):
        dialog.setModal(True)
        dialog.show()
        dialog.activateWindow()
        user.qtbot.waitUntil(dialog.isActiveWindow)
        seen.append(dialog)
        act(dialog)
        dialog.hide()
        return dialog.answer

    user.window.ask.show = show
    user.window.actions_.by_id[action].trigger()
    return seen[0]


def test_a_name_that_a_form_needs_is_typed_at_once(user):
    user.doc.edit("Keep", lambda s: keep_mix(s, "o1", "Calm", {"t1": 0.5}))
    in_dialog(user, lambda _dialog: QTest.keyClicks(QApplication.focusWidget(), "Storm\r"), "rename-mix")
    assert [m.name for m in user.obj.mixes] == ["Storm"]


def test_a_new_form_is_seen_while_its_numbers_are_typed_and_gone_when_given_up(user):
    before, session, camera = user.doc.committed, user.doc.session, user.view.camera

    def act(dialog: NewSceneDialog):
        high = dialog.height()
        dialog.form_button("Ball").click()
        assert user.doc.object.name == "Ball" and dialog.height() == high
        dialog.field("radius").setFocus()
        dialog.field("radius").selectAll()
        QTest.keyClicks(dialog.field("radius"), "20")
        assert np.ptp(user.doc.object.base, axis=0).max() == pytest.approx(40)
        dialog.form_button("Globe").click()
        assert dialog.field("radius").value == 50 or dialog.field("radius").value == 20
        dialog.buttons["cancel"].click()

    in_dialog(user, act)
    assert user.doc.state is before and user.doc.session is session and user.view.camera == camera
    scene, _ = add_camera(before.scene, SceneCamera("", "Camera", (0.0, 0.0, 0.0), 120.0, 20.0, 30.0))
    user.doc.commit("Camera", scene)
    user.doc.change(through_camera=True)
    in_dialog(user, act)
    user.settle(300)
    assert user.doc.committed.scene is scene and user.doc.undo_label() == "Camera" and user.doc.through_camera


def test_enter_is_the_main_button_from_anywhere(user):
    for focus in ("form", "field", "check"):

        def act(dialog, focus=focus):
            dialog.form_button("Plane").click()
            widget = {"form": dialog.form_button("Plane"), "field": dialog.field("width"), "check": dialog.beside}[focus]
            widget.setFocus()
            QTest.keyClick(widget, K.Key_Return)

        user.doc.saved_version = user.doc.committed.version
        dialog = in_dialog(user, act)
        assert dialog.answer == "form" and user.doc.object.name == "Plane", focus


def test_the_numbers_of_a_form_stay_editable_until_something_is_reshaped(user, tmp_path):
    doc, side = user.doc, user.window.side.object
    doc.open_scene(add_form(Scene(), "Box", {"width": 30.0, "segments": 2})[0], None)
    field = side.form_fields["width"]
    assert field.isVisible() and not side.form_fields["radius"].isVisible()
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "44\r")
    assert np.ptp(doc.object.base[:, 0]) == 44 and doc.undo_label() == "Width of Box"
    write_native(tmp_path / "s.fictilis", doc.committed.scene)
    assert form_of(read_native(tmp_path / "s.fictilis").objects[0]) == doc.object.form
    doc.undo()
    assert np.ptp(doc.object.base[:, 0]) == 30
    doc.edit("Target", lambda s: new_target(s, "o1", "Puff")[0])
    assert form_of(doc.object) is None and not field.isVisible()
    with pytest.raises(EditRefused, match="no simple form"):
        set_form(doc.committed.scene, "o1", {"width": 3})


@pytest.mark.parametrize("kind", ["Box", "Ball", "Plane", "Globe", "Cylinder"])
def test_a_form_knows_its_points_and_its_numbers(kind):
    scene, object_id = add_form(Scene(), kind, {})
    obj = scene.object(object_id)
    assert form_of(obj) is not None
    finer = set_form(scene, object_id, {"rows" if kind in ("Plane", "Cylinder") else "segments": 7})
    assert form_of(finer.object(object_id)) is not None and len(finer.object(object_id).base) != len(obj.base)


@pytest.mark.own_window
def test_nothing_of_this_is_left_open(user):
    ask(user, "mirror")
    user.click(user.view, (40, 300))
    assert not user.window.top.find_field.list.isVisible()
    lanes = user.window.lanes
    QTest.mousePress(lanes.viewport(), LEFT, NONE, point((HEAD, 90)))
    move(lanes.viewport(), (HEAD + 60, 90))
    user.press(K.Key_Escape)
    assert lanes.axis.head == HEAD
    assert not [w for w in user.window.findChildren(QLineEdit) if w.hasFocus()] and KeyRef
