"""Files, questions, recovery, shortcuts and the window itself."""

import fcntl
import itertools
import json
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QApplication, QCheckBox, QLabel

import fictilis
from fictilis.app.commands.cues import CueCommands
from fictilis.app.commands.exchange import ExchangeCommands
from fictilis.app.commands.files import Commands
from fictilis.app.commands.imports import ImportCommands
from fictilis.app.commands.lines import LineCommands
from fictilis.app.commands.operations import OperationCommands
from fictilis.app.commands.pictures import PictureCommands
from fictilis.app.commands.relays import RelayCommands
from fictilis.app.commands.rows import ROWS
from fictilis.app.commands.scene_time import SceneTimeCommands
from fictilis.app.commands.shape import ShapeCommands
from fictilis.app.commands.targets import TargetCommands
from fictilis.app.commands.time import TimeCommands
from fictilis.app.commands.walking import WalkCommands
from fictilis.app.model import recovery
from fictilis.app.model.recovery import left_behind
from fictilis.app.model.stamps import stamp_of
from fictilis.core.edits.objects import remove_object
from fictilis.core.edits.timeline import add_camera
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.cues import Cue
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import SceneCamera
from fictilis.demo.jelly import moon_jelly
from fictilis.formats.native import read_native, write_native
from fictilis.render.beside import link
from fictilis.render.camera import Camera
from fictilis.render.picking import hit_mesh
from tests.app.conftest import CTRL, alike, choose, pixels
from tests.app.doing import drop
from tests.mixes import mix_at
from tests.sameness import same

K = Qt.Key


def test_save_open_and_recent(user, tmp_path, monkeypatch):
    path = tmp_path / "mine.fictilis"
    choose(user, monkeypatch, save=tmp_path / "mine")
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
    assert user.doc.unsaved and user.window.top.saved.text() == "not saved yet"
    user.press(K.Key_S, CTRL)
    assert path.is_file() and not user.doc.unsaved and user.doc.scene.name == "mine"
    assert user.window.top.saved.text() == "saved" and str(path) in user.window.settings.recent()
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.75)
    assert user.window.top.saved.text() == "changed since saved"
    user.press(K.Key_S, CTRL)
    assert fictilis.load(path).objects[0].target("t1").weight == 0.75
    user.doc.undo()
    assert user.doc.unsaved and user.doc.title == "mine" and user.window.top.menu_button.text().startswith("mine")
    user.doc.redo()
    assert not user.doc.unsaved
    user.window.commands.open_demo("jelly")
    user.window.top.lists["Open recent"].aboutToShow.emit()
    user.window.top.lists["Open recent"].actions()[0].trigger()
    assert user.doc.path == path and user.obj.name == "Sheet"


def test_a_save_that_fails_says_so_and_loses_nothing(user, tmp_path, monkeypatch):
    choose(user, monkeypatch, save=tmp_path / "none" / "x.fictilis")
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
    user.press(K.Key_S, CTRL)
    assert user.said[-1][1] == "error" and "could not be saved" in user.said[-1][0]
    assert user.doc.unsaved and user.target("Lift").weight == 0.5 and user.window.frame.toast.isVisible()


def test_bad_files_leave_the_scene_as_it_was(user, tmp_path, monkeypatch):
    (tmp_path / "bad.fictilis").write_bytes(b"nonsense")
    choose(user, monkeypatch, open=tmp_path / "bad.fictilis")
    before = user.doc.scene
    user.press(K.Key_O, CTRL)
    assert user.doc.scene is before and "bad.fictilis cannot be opened" in user.said[-1][0]


@pytest.mark.parametrize(("answer", "left"), [("cancel", False), ("discard", True), ("save", True)])
def test_unsaved_changes_are_asked_about(user, tmp_path, monkeypatch, answers, answer, left):
    opened = answers(user.window, UnsavedDialog=answer)
    choose(user, monkeypatch, save=tmp_path / "kept.fictilis")
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
    user.window.commands.open_demo("jelly")
    assert len(opened) == 1 and (user.doc.scene.name == "Moon jelly") == left
    assert (tmp_path / "kept.fictilis").exists() == (answer == "save")


def test_files_dropped_on_the_column_are_compared_one_by_one(user, sheet_files, answers):
    opened = answers(user.window, SentencesDialog="ok", FormDialog="cancel")
    user.doc.change(way="In the mix")
    drop(user, [sheet_files[n] for n in ("bend", "fewer", "faces", "shuffled", "lift")])
    assert [t.name for t in user.obj.targets] == ["Lift", "Slide", "bend", "lift"]

    said = "\n".join(label.text() for label in opened[-1].findChildren(QLabel))
    for part in (
        "Added bend, lift.",
        "fewer has 20 points, the base Sheet has 25",
        "first face that differs",
        "in another order",
    ):
        assert part in said
    user.doc.undo()
    assert [t.name for t in user.obj.targets] == ["Lift", "Slide"]


@pytest.mark.parametrize("way", ["project", "objects"])
def test_a_mesh_of_another_count_is_projected_or_taken_as_an_object(user, sheet_files, monkeypatch, way):
    asked = []
    monkeypatch.setattr(user.window.ask, "form", lambda *a, **_k: asked.append(a) or {"way": way})
    before = user.doc.committed.scene
    choose(user, monkeypatch, open_several=[sheet_files["fewer"], sheet_files["lift"]])
    user.window.actions_.by_id["add-targets"].trigger()
    assert len(asked) == 1 and "fewer has another number of points than Sheet" in asked[0][1]
    names = [t.name for t in user.obj.targets] if way == "project" else [o.name for o in user.doc.scene.objects]
    assert "fewer" in names and user.doc.scene.objects[0].targets[-1].name in ("fewer", "lift")
    if way == "project":  # a flat sheet of other rows lies where the base does
        assert user.target("fewer").deltas.largest < 1e-6 and "lift" in names
    while user.doc.committed.scene is not before:
        user.doc.undo()


def test_one_bad_target_file_is_a_sentence(user, sheet_files, monkeypatch):
    monkeypatch.setattr(user.window.ask, "form", lambda *_a, **_k: None)
    choose(user, monkeypatch, open_several=[sheet_files["fewer"]])
    user.window.actions_.by_id["add-targets"].trigger()
    assert "20 points, the base Sheet has 25" in user.said[-1][0] and user.said[-1][1] == "error"


@pytest.mark.parametrize("form", ["Box", "Plane", "Globe", "Ball", "Cylinder"])
def test_new_scene_from_a_form(open_window, answers, form):
    user = open_window(Scene())

    def make(dialog):
        dialog.form_button(form).click()
        size = next(f for f in dialog._fields[form].values() if f.unit == "cm")
        size.setFocus()
        size.selectAll()
        user.type("30", size)
        user.press(K.Key_Return, on=size)
        dialog.buttons["form"].click()

    answers(user.window, NewSceneDialog=make)
    user.press(K.Key_N, CTRL)
    assert user.obj.name == form and np.ptp(user.obj.base, axis=0).max() > 25
    assert user.doc.unsaved and user.window.column.chooser.currentText() == form


def test_new_scene_from_a_file_and_beside(user, sheet_files, monkeypatch, answers, tmp_path):
    choose(user, monkeypatch, open=sheet_files["bend"])

    def from_file(dialog):
        dialog.beside.setChecked(True)
        dialog.buttons["file"].click()

    def in_millimetres(dialog):
        assert "25 points" in dialog.parts.item(0).text()
        dialog.unit.setCurrentText("mm")
        dialog.buttons["ok"].click()

    answers(user.window, NewSceneDialog=from_file, ImportDialog=in_millimetres)
    user.press(K.Key_N, CTRL)
    assert [o.name for o in user.doc.scene.objects] == ["Sheet", "Bend"] and user.obj.name == "Bend"
    assert np.ptp(user.obj.base, axis=0).max() == pytest.approx(np.ptp(user.doc.scene.objects[0].base, axis=0).max() / 10)
    user.window.actions_.by_id["remove-object"].trigger()
    assert [o.name for o in user.doc.scene.objects] == ["Sheet"] and user.obj.name == "Sheet"
    user.doc.undo()
    user.doc.undo()
    assert [o.name for o in user.doc.scene.objects] == ["Sheet"]
    alone = add_camera(Scene(cues=(Cue("q1", "Wink"),)), SceneCamera("", "Near", (0, 0, 0), 50, 30, 20))[0]
    write_native(tmp_path / "camera.fictilis", alone)
    choose(user, monkeypatch, open=tmp_path / "camera.fictilis")
    user.press(K.Key_N, CTRL)
    assert (user.doc.undo_label(), user.obj.name) == ("Import cameras", "Sheet")
    assert len(user.doc.scene.cameras) == 1 and [c.name for c in user.doc.scene.cues] == ["Wink"]


def test_exports_from_the_window(user, tmp_path, monkeypatch, answers):
    user.window.ask.files.folder = str(tmp_path)
    for name in ("a.glb", "a.obj"):
        answers(user.window, ExportDialog=lambda d, n=name: (d.name.setText(n), d.buttons["ok"].click()))
        user.take_keys_again()
        user.press(K.Key_E, CTRL)
        assert (tmp_path / name).stat().st_size > 500 and f"Exported {name}" in user.said[-1][0]
    choose(user, monkeypatch, folder_for=tmp_path / "shapes")
    user.window.actions_.by_id["export-shapes"].trigger()
    assert len(list((tmp_path / "shapes").iterdir())) == 3


@pytest.mark.own_window
def test_autosave_and_recovery_after_a_crash(open_window, sheet, answers, tmp_path, monkeypatch):
    user = open_window(sheet)
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
    autosave = user.window.autosave
    autosave.tick()
    autosave.finish()
    assert autosave.file.is_file() and left_behind(autosave.folder) == []  # this session still runs
    told = json.loads(autosave.note.read_text())
    autosave.note.write_text(json.dumps(told | {"pid": 2**22 + 1}))
    assert [r.name for r in left_behind(autosave.folder)] == ["Sheet"]
    other = open_window(Scene())
    answers(other.window, RecoverDialog="recover")
    other.window.commands.offer_recovery(other.window.recovery_folder)
    assert other.obj.target("t1").weight == 0.5 and other.doc.unsaved and other.doc.path is None
    assert other.doc.scene.name == "Sheet recovered"
    assert autosave.file.is_file()  # until it is saved
    recovered = other.doc.committed.scene
    other.doc.open_scene(Scene(), None)  # another scene that is saved is not it
    choose(other, monkeypatch, save=tmp_path / "other.fictilis")
    other.press(K.Key_S, CTRL)
    assert autosave.file.is_file() and (tmp_path / "other.fictilis").is_file()
    other.window.commands._recover(left_behind(autosave.folder)[0])
    assert same(other.doc.committed.scene, recovered)
    choose(other, monkeypatch, save=tmp_path / "again.fictilis")
    other.take_keys_again()
    other.press(K.Key_S, CTRL)
    assert not autosave.file.exists() and not autosave.note.exists() and not other.doc.unsaved


def test_saving_removes_the_recovery_file_and_nothing_unsaved_writes_none(user, tmp_path, monkeypatch):
    autosave = user.window.autosave
    autosave.tick()
    assert not autosave.file.exists()
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
    autosave.tick()
    autosave.finish()
    choose(user, monkeypatch, save=tmp_path / "x.fictilis")
    user.press(K.Key_S, CTRL)
    assert not autosave.file.exists() and not autosave.note.exists()


NOTES = ["{", '{"pid": "x"}', '{"pid": 1e400, "name": 3}', "[]", "7", '{"pid": 99999999999999999999, "name": "a", "path": ""}',
         '{"pid": -1, "name": "a", "path": ""}', '{"pid": null}', "\x00",
         '{"pid": 4194305, "name": "a", "path": {"b": 1}}', None]  # fmt: skip


@pytest.mark.parametrize("note", NOTES)
def test_whatever_is_wrong_with_a_note_the_work_beside_it_is_offered(note, tmp_path, sheet):
    write_native(tmp_path / "4194305-ab.fictilis", sheet)
    if note is not None:
        (tmp_path / "4194305-ab.json").write_text(note)
    (tmp_path / "alone.json").write_text(note or "{}")
    assert [r.file.name for r in left_behind(tmp_path)] == ["4194305-ab.fictilis"]


def test_another_program_with_the_sessions_number_hides_nothing(tmp_path, sheet):
    import os

    write_native(tmp_path / "1-ab.fictilis", sheet)
    told = {"pid": os.getpid(), "name": "Sheet", "path": "", "started": "1"}
    (tmp_path / "1-ab.json").write_text(json.dumps(told))
    assert [r.name for r in left_behind(tmp_path)] == ["Sheet"]
    (tmp_path / "1-ab.json").write_text(json.dumps(told | {"started": recovery._started(os.getpid())}))
    assert left_behind(tmp_path) == []


def test_a_recovery_folder_that_cannot_be_written_is_said_once_and_stops_no_save(user, tmp_path, monkeypatch):
    folder = tmp_path / "file"
    folder.write_text("no folder")
    for part, place in (("folder", folder), ("file", folder / "x.fictilis"), ("note", folder / "x.json")):
        monkeypatch.setattr(user.window.autosave, part, place)
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
    for _ in range(2):
        user.window.autosave.tick()
        user.qtbot.waitUntil(lambda: not user.window.autosave._writing.busy)
    assert sum("cannot be kept for a crash" in said for said, _ in user.said) == 1
    choose(user, monkeypatch, save=tmp_path / "x.fictilis")
    user.press(K.Key_S, CTRL)
    assert user.said[-1][0] == "Saved x.fictilis." and not user.doc.unsaved


def test_recovery_waits_for_the_file_named_at_start(open_window, sheet, answers, tmp_path, monkeypatch):
    """The offer comes when the file is there, so that it cannot be replaced by it."""
    from fictilis.app.start import _begin

    write_native(tmp_path / "named.fictilis", sheet)
    user = open_window(Scene())
    asked = []
    monkeypatch.setattr(user.window.commands, "offer_recovery", lambda _folder: asked.append(user.doc.scene.name))
    _begin(user.window, tmp_path / "named.fictilis")
    assert asked == ["Sheet"]


def test_what_broken_off_writing_left_is_swept_and_what_is_being_written_stays(tmp_path):
    left, written = tmp_path / ".fictilis-a.part", tmp_path / ".fictilis-b.part"
    for part in (left, written):
        part.write_text("x")
    with open(written) as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        recovery.sweep(tmp_path)
        assert not left.exists() and written.exists()
    recovery.sweep(tmp_path)
    assert not written.exists()


@pytest.mark.parametrize("answer", ["save", "as", "look", "cancel"])
def test_a_file_that_another_program_changed_is_not_replaced_unasked(user, answers, tmp_path, monkeypatch, answer):
    path = tmp_path / "x.fictilis"
    choose(user, monkeypatch, save=path)
    user.press(K.Key_S, CTRL)
    theirs = fictilis.targets.rename_target(user.doc.scene, "o1", "t1", "Theirs")
    write_native(path, theirs)
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
    choose(user, monkeypatch, save=tmp_path / "mine.fictilis")
    told = []
    monkeypatch.setattr(user.window.ask, "tell", lambda _title, sentences: told.extend(sentences))
    replies = [answer, "cancel"]
    monkeypatch.setattr(user.window.ask, "changed_on_disk", lambda _path: replies.pop(0))
    user.take_keys_again()
    user.press(K.Key_S, CTRL)
    kept = read_native(path).objects[0].targets[0].name
    assert kept == ("Lift" if answer == "save" else "Theirs")
    assert user.doc.unsaved == (answer in ("look", "cancel")) and (tmp_path / "mine.fictilis").exists() == (answer == "as")
    assert [said for said, _ in told][1:2] == (["Sheet: Theirs is called Lift."] if answer == "look" else [])
    if answer == "save":
        user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.7)
        user.take_keys_again()
        user.press(K.Key_S, CTRL)  # now it is the one that was written here
        assert not user.doc.unsaved


@pytest.mark.parametrize("while_reading", [False, True])
def test_two_windows_on_one_file_that_save_in_turn_ask_each_other(
    open_window, sheet, answers, tmp_path, monkeypatch, while_reading
):
    path = tmp_path / "x.fictilis"
    write_native(path, sheet)
    first, second = open_window(sheet), open_window(sheet)

    def saves(user, value: float) -> list[str]:
        asked: list[str] = []
        monkeypatch.setattr(user.window.ask, "changed_on_disk", lambda _path: asked.append("asked") or "save")
        user.doc.channels.set_value(user.doc.channels.ref("t1"), value)
        assert user.window.commands.save() and not user.doc.unsaved
        assert user.doc.stamp == stamp_of(path)
        return asked

    assert first.window.commands.open_path(path)
    run = second.window.ask.run
    if while_reading:
        monkeypatch.setattr(second.window.ask, "run", lambda *given: (run(*given), saves(first, 0.1))[0])
    assert second.window.commands.open_path(path)
    monkeypatch.setattr(second.window.ask, "run", run)
    assert saves(second, 0.2) == (["asked"] if while_reading else [])
    assert [bool(saves(user, value)) for user, value in ((first, 0.3), (first, 0.4), (second, 0.5), (first, 0.6))] == [
        True, False, True, True,
    ]  # fmt: skip


def test_a_window_that_is_closed_gives_the_graphics_card_back(user, monkeypatch):
    sent = []
    monkeypatch.setattr(link(), "send", lambda ticket, *words: sent.append(words))
    owner = user.window.renderer._owner
    user.window.close()
    assert sent == [("forget", owner)]
    assert user.view.picture is None and user.window.thumbnails.renderer is None


def test_a_fault_inside_keeps_the_work_and_names_the_log(user, monkeypatch, tmp_path):
    import sys

    from fictilis.app.crash import install_crash_log

    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    install_crash_log(tmp_path / "log", user.window)
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 0.5)
    sys.excepthook(ValueError, ValueError("inside"), None)
    user.window.autosave.finish()
    assert "fictilis.log" in user.said[-1][0] and "inside" in (tmp_path / "log" / "fictilis.log").read_text()
    assert user.window.autosave.file.is_file()


def test_every_action_runs_something_and_stands_in_a_menu(user):
    parts = (OperationCommands, Commands, ShapeCommands, TargetCommands, TimeCommands, SceneTimeCommands, RelayCommands,
             LineCommands, ExchangeCommands, ImportCommands, PictureCommands, WalkCommands, CueCommands)  # fmt: skip
    for row in ROWS:
        assert sum(callable(getattr(part, row.run, None)) for part in parts) == 1, row.id
        action = user.window.actions_.by_id[row.id]
        assert action in user.window.top.submenus[row.menu].actions(), row.id
        assert row.enabled(user.doc) in (True, False)


def test_no_two_actions_share_keys():
    keys = [QKeySequence(k).toString() for row in ROWS for k in row.keys]
    assert len(keys) == len(set(keys))


def test_the_table_in_the_docs_is_the_table():
    text = Path(__file__).parents[2].joinpath("docs/shortcuts.md").read_text()
    for row in ROWS:
        if row.keys:
            assert f"| {row.text.rstrip('…')} |" in text and row.keys[0] in text


def test_shortcuts_can_be_changed_and_clashes_are_named(user, answers):
    def change(dialog):
        dialog.editors["play"].setKeySequence(QKeySequence("K"))
        assert "Key selected lanes" in dialog.clash.text() and not dialog.buttons["keep"].isEnabled()
        dialog.editors["play"].setKeySequence(QKeySequence("Y"))
        dialog.buttons["keep"].click()

    answers(user.window, ShortcutsDialog=change)
    user.press(K.Key_F1)
    user.press(K.Key_Y)
    assert user.window.playback.playing
    user.window.playback.stop()
    assert user.window.settings.own_keys() == {"play": ["Y"]}


def test_the_theme_is_remembered(user):
    user.window.actions_.by_id["theme"].trigger()
    assert user.window.palette_.name == "Kiln" and user.window.settings.theme() == "Kiln" and user.doc.dark
    user.window.actions_.by_id["theme"].trigger()
    assert user.window.palette_.name == "Bisque"


@pytest.mark.own_window
def test_sizes_are_remembered(open_window, sheet):
    first = open_window(sheet)
    first.window.across.setSizes([300, 700, 280])
    sizes = first.window.across.sizes()
    first.doc.saved_version = first.doc.committed.version
    first.window.close()
    assert open_window(sheet).window.across.sizes() == sizes


def test_object_name_transform_and_look_in_the_side_column(user):
    side = user.window.side.object
    field = side.fields["position"][1]
    field.setFocus()
    field.selectAll()
    user.type("12.5", field)
    user.press(K.Key_Return, on=field)
    assert user.obj.transform.position == (0, 12.5, 0)
    scale = side.fields["scale"][0]
    scale.setFocus()
    scale.selectAll()
    user.type("0", scale)
    user.press(K.Key_Return, on=scale)
    assert user.obj.transform.scale == (1, 1, 1) and user.said[-1][1] == "error"
    side.shading.buttons["Flat"].click()
    assert not user.obj.appearance.smooth
    side.name.setFocus()
    side.name.selectAll()
    user.type("Blanket", side.name)
    user.press(K.Key_Return, on=side.name)
    assert user.obj.name == "Blanket"
    user.doc.undo()
    assert user.obj.name == "Sheet"


def test_the_demo_draws_what_it_mixes(open_window):
    user = open_window(moon_jelly())
    user.doc.set_frame(20)
    user.settle(80)
    image = user.view.grab().toImage()
    clay = [image.pixelColor(x, y) for x in range(0, image.width(), 9) for y in range(60, image.height(), 9)]
    assert sum(c.red() > c.blue() + 40 for c in clay) > 60
    obj = user.obj
    item = user.view.items()[0]

    assert np.abs(item.points - mix_at(obj, 20)).max() < 1e-3
    hit = hit_mesh(
        obj.mesh,
        item.in_scene(),
        *user.view.camera.ray(user.view.width() / 2, user.view.height() / 2, user.view.width(), user.view.height()),
    )
    assert hit is not None


def test_an_empty_window_says_what_to_do(open_window):
    user = open_window(Scene())
    enabled = {i for i, a in user.window.actions_.by_id.items() if a.isEnabled()}
    assert "new" in enabled and not enabled & {"new-target", "shape", "export", "key", "delete"}
    user.press(K.Key_Space)
    user.window.playback.stop()
    user.settle(50)


@pytest.mark.parametrize("name", ["wire", "displacement", "ghost"])
def test_ways_of_seeing_change_the_picture(user, name):
    user.doc.channels.set_value(user.doc.channels.ref("t1"), 1.0)
    user.view.camera = Camera(pitch=35.0, distance=200.0)
    user.view.refresh()
    user.settle(260)
    assert user.comes(lambda: user.view.showing.fits and not user.view.moving)  # sharp, as it will be again
    before = pixels(user.view)
    for changed in (True, False):
        user.window.actions_.by_id[name].trigger()
        assert user.comes(lambda changed=changed: alike(pixels(user.view), before) != changed)


@pytest.mark.parametrize("part", [1.0, 0.75, 0.5])
def test_a_moving_picture_of_fewer_pixels_fills_the_view(user, part, monkeypatch):
    view = user.view
    user.settle(260)
    wanted = view.grab().toImage()
    monkeypatch.setattr(type(view.showing.pace), "part", part)
    view.moving, view.showing.dirty = True, True
    found = view.grab().toImage()
    assert found.size() == wanted.size()
    for x, y in ((0.97, 0.97), (0.5, 0.97), (0.97, 0.4)):  # where nothing but the ground is
        at = (round(wanted.width() * x), round(wanted.height() * y))
        one, other = (np.array(image.pixelColor(*at).getRgb()) for image in (wanted, found))
        assert np.abs(one - other).max() < 6, (at, one, other)


def test_garbage_is_collected_by_the_interface_thread_only(user):
    import gc
    import threading
    import weakref

    assert not gc.isenabled()

    class Ring:
        pass

    ring = Ring()
    ring.itself = ring
    gone, threads = weakref.ref(ring), []
    del ring

    def tell(phase, _info):
        threads.append(threading.get_ident())

    gc.callbacks.append(tell)
    try:
        kept = user.window.ask.run("Working", lambda progress: [[] for _ in range(5000)])
        # what else goes meanwhile, such as a window of another test, counts against what is made
        user.qtbot.waitUntil(lambda: kept.append([[] for _ in range(2000)]) or gone() is None, timeout=5000)
    finally:
        gc.callbacks.remove(tell)
    assert len(kept) > 5000 and set(threads) == {threading.get_ident()}


def test_cancelled_work_changes_nothing(user):
    from fictilis.app.model.tasks import run_task
    from fictilis.core.ground.errors import Cancelled

    def work(progress):
        raise Cancelled("The work was cancelled; nothing was changed.")

    with pytest.raises(Cancelled):
        run_task(user.window, "Working", work)
    assert user.window.isEnabled()
    assert run_task(user.window, "Working", lambda progress: 7) == 7


@pytest.mark.own_window
def test_keys_belong_to_the_view_after_a_click_and_to_a_button_after_tab(user):
    ways = user.window.frame.ways.buttons
    ways["Alone"].click()
    field = user.window.transport.frame
    field.setFocus()
    field.selectAll()
    user.type("12", field)
    user.press(K.Key_Return, on=field)
    assert QApplication.focusWidget() is user.view and user.doc.frame == 12
    button = user.window.transport.key_mix
    button.setFocus(Qt.FocusReason.TabFocusReason)
    user.press(K.Key_Space, on=button)
    assert not user.window.playback.playing and len(user.obj.lanes) == 2
    for _ in range(10):  # where a window of progress came late, keys are dead until the window is active again
        user.take_keys_again()
        user.settle(100)
        user.click(user.view, (user.view.width() - 20, user.view.height() - 20))
        user.press(K.Key_Space)
        if user.window.playback.playing:
            break
    state = QApplication.focusWidget(), QApplication.activeWindow(), QApplication.activePopupWidget(), user.window.isEnabled()
    assert user.window.playback.playing, state
    user.window.playback.stop()


def test_an_export_without_a_suffix_becomes_glb_and_an_empty_scene_is_left_unasked(user, tmp_path, answers):
    user.window.ask.files.folder = str(tmp_path)
    answers(user.window, ExportDialog=lambda d: (d.name.setText("mix"), d.buttons["ok"].click()))
    user.press(K.Key_E, CTRL)
    assert (tmp_path / "mix.glb").stat().st_size > 1000 and "Exported mix.glb." in user.said[-1][0]
    user.doc.edit("Remove", lambda s: remove_object(s, "o1"))
    assert user.doc.unsaved and user.window.commands.may_leave()  # asked by nobody


@pytest.mark.parametrize("width", [1280, 1000, 900, 760])
def test_the_buttons_over_the_view_never_touch(user, width):
    frame, size = user.window.frame, user.window.size()
    user.window.resize(width, 700)
    QApplication.processEvents()
    rects = [part.geometry() for part in (frame.ways, frame.shows, frame.looks)]
    user.window.resize(size)
    QApplication.processEvents()
    for one, other in itertools.combinations(rects, 2):
        assert not one.adjusted(-6, -6, 6, 6).intersects(other)


@pytest.mark.parametrize("way", ["In the mix", "Line-up"])
def test_what_was_fitted_stays_whole_beneath_the_buttons_in_any_window_until_it_is_turned(user, way):
    window, view = user.window, user.view
    user.doc.change(way=way)
    view.eye.fit()

    def lies() -> tuple[float, float]:
        """The top and the bottom of what is drawn, and that it is within the sides."""
        user.settle(60)
        pixels = np.concatenate([view.camera.project(i.in_scene(), view.width(), view.height())[0] for i in view.items()])
        assert pixels[:, 0].min() >= 0 and pixels[:, 0].max() <= view.width()
        return float(pixels[:, 1].min()), float(pixels[:, 1].max())

    for size in ((1280, 800), (900, 600), (1600, 700), (900, 900)):
        window.resize(*size)
        top, bottom = lies()
        stacked = window.frame.looks.y() > window.frame.ways.y()
        assert bottom <= view.height() and top >= (window.frame.ways.geometry().bottom() if stacked else 0)
    assert stacked
    view.eye.turn(5.0, 0.0)
    turned = view.camera
    window.resize(1280, 800)
    user.settle(60)
    assert view.camera == turned


def test_every_box_of_the_side_column_can_be_ticked_and_ticked_back(user, answers):
    """In each state of the window; what a box says is what the document says."""
    answers(user.window)
    for shaping in (False, True):
        if shaping:
            user.doc.start_shaping(ShapeRef("t1"))
        for box in user.window.side.findChildren(QCheckBox):
            before = box.isChecked()
            for wanted in (not before, before):
                box.click()
                assert box.isChecked() == wanted, box.text()
    user.doc.done_shaping()
    locked = next(b for b in user.window.side.findChildren(QCheckBox) if b.text() == "Locked")
    locked.click()
    assert user.obj.locked and user.doc.undo_label() == "Lock Sheet"
    locked.click()
    assert not user.obj.locked and user.doc.undo_label() == "Unlock Sheet"
