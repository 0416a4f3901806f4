"""The windows of imports and exports: what they show, take and write, and the tables and lanes beside them."""

import json

import numpy as np
import pytest
from PyQt6.QtWidgets import QLabel

import fictilis
from fictilis.app.widgets.export_window import KINDS
from fictilis.app.widgets.import_window import compared
from fictilis.app.widgets.number_field import NumberField
from fictilis.core.animation.curve import Key
from fictilis.core.edits.clips import duplicate_clip
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.timeline import add_camera
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import SceneCamera
from fictilis.demo.jelly import moon_jelly
from fictilis.formats.choices import Choices
from fictilis.formats.registry import export, scene_from_file
from tests.app.conftest import choose
from tests.app.doing import OBJ, act, drop, pick, settled
from tests.sameness import same_bits


def keyed(scene):
    for frame, value in ((0, 0.0), (12, 1.0), (24, 0.25)):
        scene = set_key(scene, OBJ, "t1", Key(frame, value))
    return scene


def test_weights_go_to_a_table_and_come_from_it_and_exports_are_proven(user, tmp_path, monkeypatch, forms, answers):
    table = tmp_path / "w.csv"
    choose(user, monkeypatch, open=table)
    user.window.ask.files.folder = str(tmp_path)
    names = [t.name for t in user.obj.targets]
    table.write_text(f"frame,{names[0]},Other\n0,0,0\n20,100,50\n")
    opened = forms(user, {"start": "4"})
    act(user, "weights-in")
    assert len(opened) == 1 and list(opened[0].fields)[-1] == "column 0"  # the one that matches no target
    lane = user.obj.lane(user.obj.targets[0].id)
    assert [(k.frame, k.value) for k in lane.curve.keys] == [(4, 0), (24, 1)]

    def to_frame_20(dialog):
        dialog.last.setText("20")
        dialog.last.setModified(True)
        dialog.fields["weights"].buttons["0 to 100"].click()
        dialog.buttons["ok"].click()

    answers(user.window, ExportDialog=to_frame_20)
    act(user, "weights-out")
    rows = (tmp_path / f"{user.obj.name}.csv").read_text().splitlines()
    assert rows[0].split(",") == ["frame", *names] and len(rows) == 22 and float(rows[-1].split(",")[1]) > 50
    answers(user.window, ExportDialog=lambda d: (pick(d.kind, KINDS[".glb"]), d.buttons["ok"].click()))
    act(user, "export")
    assert "Read again, its" in user.said[-1][0]
    act(user, "prove")
    act(user, "export")
    assert "Read again" not in user.said[-1][0]
    written = user.doc.exported[0]
    written.unlink()
    act(user, "undo")  # which takes nothing of the export back
    act(user, "export-again")
    assert written.is_file() and f"Exported {written.name}." in user.said[-1][0]
    user.doc.open_scene(moon_jelly(), None)
    assert not user.window.actions_.by_id["export-again"].isEnabled()  # another scene does not go over its file


@pytest.mark.parametrize("suffix", KINDS)
def test_each_format_is_written_from_its_window_and_says_what_becomes_of_the_scene(user, suffix, answers, tmp_path):
    user.doc.commit("Keys", keyed(user.doc.scene))
    user.window.ask.files.folder = str(tmp_path)
    seen = []

    def write(dialog):
        pick(dialog.kind, KINDS[suffix])
        seen.append((settled(dialog), dialog.path, dialog.proves.isVisible()))
        dialog.buttons["ok"].click()
        seen.append((dialog.wrote.text(), dialog.wrong.text(), dialog.buttons["ok"].text()))

    answers(user.window, ExportDialog=write)
    act(user, "export")
    (fates, path, proves), (wrote, wrong, button) = seen
    assert path == tmp_path / f"{user.doc.title}{suffix}" and path.is_file() and not wrong and button == "Replace"
    assert any(head in fates for head in ("Kept", "Changed")) and f"Wrote {path.name}" in wrote
    assert ("Read again" in wrote) == proves
    assert user.window.ask._asker.settings.export_kind() == suffix


def test_the_window_of_exports_follows_names_ticks_clips_and_what_is_wrong(user, answers, tmp_path, monkeypatch):
    scene, other = add_form(keyed(user.doc.scene), "Globe", {})
    scene, _ = duplicate_clip(scene, "Second")
    user.doc.commit("More", scene)
    user.window.ask.files.folder = str(tmp_path)

    def look(dialog):
        assert dialog.clips.isVisible() and len(dialog.clips.ticked) == 2 and not dialog.range_row.isVisible()
        dialog.objects.tick(other, False)
        assert "Objects (Globe): hidden, or not chosen" in settled(dialog)
        dialog.objects.tick(OBJ, False)
        assert "No object is chosen" in settled(dialog) and not dialog.buttons["ok"].isEnabled()
        dialog.objects.tick_all(True)
        dialog.name.setText("mix v1.2")
        dialog.name.textEdited.emit("mix v1.2")
        assert dialog.path.name == "mix v1.2.glb"  # a dot makes no kind of file
        dialog.name.setText("cup.obj")
        dialog.name.textEdited.emit("cup.obj")
        assert dialog.kind.currentText() == KINDS[".obj"] and dialog.frame_row.isVisible() and not dialog.clips.isVisible()
        pick(dialog.fields["frames"], "A file for each of the range")
        dialog.last.setText("3")
        dialog.last.setModified(True)
        dialog.last.finish()
        pick(dialog.fields["unit"], "mm")
        dialog.fields["up"].buttons["Z"].click()
        assert dialog.range_row.isVisible() and not dialog.frame_row.isVisible()
        choose(user, monkeypatch, save=tmp_path / "row.obj")
        dialog.place._choose_place()
        settled(dialog)
        dialog.buttons["ok"].click()
        assert "over 4 frames" in dialog.wrote.text()
        dialog.first.setText("9")
        dialog.first.setModified(True)
        dialog.buttons["ok"].click()
        assert "A range must rise: 9 to 3" in settled(dialog)

    answers(user.window, ExportDialog=look)
    act(user, "export")
    files = sorted(p.name for p in tmp_path.glob("row*"))
    assert files == [f"row.{n:04d}.obj" for n in range(4)]
    read = fictilis.read_meshes(tmp_path / "row.0000.obj").objects[0].points
    base = user.obj.base
    assert np.allclose(read, base[:, [0, 2, 1]] * [10, -10, 10])  # mm, Z up
    answers(user.window, ExportDialog=lambda d: (pick(d.kind, KINDS[".obj"]), seen.append(d.fields["unit"].currentText())))
    seen = []
    act(user, "export")
    assert seen == ["mm"]  # as it was chosen last


def test_an_export_that_fails_is_said_in_its_window_and_leaves_the_old_file(user, answers, tmp_path):
    folder = tmp_path / "gone"
    user.window.ask.files.folder = str(folder)
    seen = []
    answers(user.window, ExportDialog=lambda d: (d.buttons["ok"].click(), seen.append((d.wrong.text(), d.wrong.isVisible()))))
    act(user, "export")
    assert "could not be saved" in seen[0][0] and seen[0][1] and user.doc.exported is None


def test_a_file_without_a_unit_is_asked_for_one_wherever_it_is_opened(user, sheet_files, answers, monkeypatch):
    before, asked = user.doc.scene, []
    monkeypatch.setattr(user.window.commands, "may_leave", lambda: True)
    width = np.ptp(fictilis.read_meshes(sheet_files["bend"]).objects[0].points[:, 0])
    answers(user.window, ImportDialog="cancel")
    assert not user.window.commands.open_path(sheet_files["bend"]) and user.doc.scene is before

    def in_mm(dialog):
        asked.append(dialog.size_label.text())
        dialog.unit.setCurrentText("mm")
        dialog.ground.setChecked(True)
        asked.append(dialog.size_label.text())
        dialog.buttons["ok"].click()

    answers(user.window, ImportDialog=in_mm)
    assert user.window.commands.open_path(sheet_files["bend"]) and asked[0].startswith("40 ×") and asked[1].startswith("4 ×")
    assert user.obj.name == "Bend" and user.doc.path is None and user.doc.scene.name == "bend"
    assert np.ptp(user.obj.base[:, 0]) == pytest.approx(width / 10)
    lowest = user.obj.base[:, 1].min() + user.obj.transform.position[1]
    assert lowest == pytest.approx(0)
    glb = sheet_files["bend"].with_suffix(".glb")
    fictilis.export(user.doc.scene, glb, 0)
    assert user.window.commands.open_path(glb) and len(asked) == 2  # a format with a unit of its own
    answers(user.window, ImportDialog=lambda d: (asked.append(d.unit.currentText()), d.buttons["cancel"].click()))
    user.window.commands.open_path(sheet_files["lift"])
    assert asked[-1] == "mm", "as it was told last for this folder"


def test_what_becomes_ten_times_as_large_as_another_object_is_remarked_upon(user):
    assert compared(39.0, user.obj) == "" and compared(400.0, user.obj) == ": 10 times as large as Sheet"
    assert compared(0.4, user.obj) == ": Sheet is 100 times as large"


def test_the_question_about_an_order_says_none_in_words(qtbot):
    field = NumberField("Point", decimals=0, low=-1, high=99, none="not said")
    qtbot.addWidget(field)
    field.set_value(-1)
    assert field.text() == "not said" and field.typed() == -1
    field.setText("12")
    assert field.typed() == 12


@pytest.mark.parametrize("way", ["objects", "scene", "targets", "relay"])
def test_files_are_looked_at_and_taken_as_what_is_asked(user, way, sheet_files, answers, monkeypatch):
    monkeypatch.setattr(user.window.commands, "may_leave", lambda: True)
    files = [sheet_files[n] for n in ("bend", "lift")]

    def take(dialog):
        pick(dialog.way, dialog._said_way(way))
        assert dialog.parts.count() == 2 and dialog.unit_row.isVisible()
        dialog.factor.setText("2" if way in ("objects", "scene") else "1")
        dialog.factor.setModified(True)
        dialog.buttons["ok"].click()

    answers(user.window, ImportDialog=take, FormDialog="ok")
    choose(user, monkeypatch, open_several=files)
    count, groups = len(user.doc.scene.objects), len(user.obj.groups)
    act(user, "import")
    if way == "objects":
        assert len(user.doc.scene.objects) == count + 2 and np.ptp(user.obj.base[:, 0]) == pytest.approx(80)
    elif way == "scene":
        assert len(user.doc.scene.objects) == 2 and np.ptp(user.obj.base[:, 0]) == pytest.approx(80)
    elif way == "targets":
        assert [t.name for t in user.obj.targets][-2:] == ["bend", "lift"]
    else:
        assert len(user.obj.groups) == groups + 1 and len(user.obj.targets) == 4
    if way != "scene":
        act(user, "undo")
        assert len(user.doc.scene.objects) == count and len(user.doc.scene.objects[0].targets) == 2


def test_parts_of_a_file_are_ticked_and_a_finished_character_gives_its_targets(user, answers, tmp_path, monkeypatch):
    scene = add_form(keyed(user.doc.scene), "Globe", {})[0]
    scene = add_camera(scene, SceneCamera("", "Close up", (0, 0, 0), 90, 20, 10))[0]
    export(scene, tmp_path / "all.glb")
    choose(user, monkeypatch, open_several=[tmp_path / "all.glb"])

    def only_globe(dialog):
        first, second, third = dialog.parts.ticked
        dialog.parts.tick(first, False)
        dialog.parts.tick(third, False)
        assert dialog.unit_row.isHidden() and "4 targets" not in dialog.parts.item(0).text()
        dialog.parts.tick(second, False)
        assert not dialog.buttons["ok"].isEnabled()
        dialog.parts.tick(second, True)
        dialog.buttons["ok"].click()

    answers(user.window, ImportDialog=only_globe)
    act(user, "import")
    assert [o.name for o in user.doc.scene.objects] == ["Sheet", "Globe"] and not user.doc.scene.cameras
    user.doc.select_object(OBJ)
    row = []

    def as_targets(dialog):
        for key in dialog.parts.ticked[1:]:
            dialog.parts.tick(key, False)
        pick(dialog.way, dialog._said_way("targets"))
        row.append(dialog.stand.isHidden())
        dialog.buttons["ok"].click()

    opened = answers(user.window, ImportDialog=as_targets, SentencesDialog="ok")
    act(user, "import")
    assert row == [True] and len(user.obj.targets) == 2  # its triangles are other faces than the sheet's, which is told
    assert "first face that differs" in " ".join(label.text() for label in opened[-1].findChildren(QLabel))


def test_what_is_dropped_goes_where_it_is_meant(user, sheet_files, answers, tmp_path, monkeypatch):
    from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
    from PyQt6.QtGui import QDragEnterEvent, QDropEvent

    opened = answers(user.window, ImportDialog="cancel", FormDialog="cancel")

    def on_window(path):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        buttons = (data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        enter = QDragEnterEvent(QPointF(600, 300).toPoint(), Qt.DropAction.CopyAction, *buttons)
        user.window.dragEnterEvent(enter)
        assert enter.isAccepted()
        user.window.dropEvent(QDropEvent(QPointF(600, 300), Qt.DropAction.CopyAction, *buttons))

    on_window(sheet_files["bend"])
    assert type(opened[-1]).__name__ == "ImportDialog"
    table = tmp_path / "t.csv"
    table.write_text("frame,Lift\n0,0\n10,1\n")
    on_window(table)
    assert type(opened[-1]).__name__ == "FormDialog"
    lanes = tmp_path / "l.json"
    export(keyed(user.doc.scene), lanes)
    drop(user, [lanes])
    assert len(user.obj.lanes) == 1 and user.doc.undo_label() == "Lanes from l.json"
    mm = tmp_path / "mm.obj"
    export(user.doc.scene, mm, choices=Choices(options={"unit": "mm", "up": "z"}))
    answers(user.window, FormDialog="ok")
    drop(user, [mm])  # of the size of the base only in mm
    assert user.obj.targets[-1].name == "mm" and len(user.obj.targets[-1].deltas.indices) == 0


def test_lanes_go_out_and_come_back_by_names(user, answers, tmp_path, monkeypatch):
    user.doc.commit("Keys", keyed(user.doc.scene))
    before = user.obj.lanes
    user.window.ask.files.folder = str(tmp_path)
    answers(user.window, ExportDialog="ok")
    act(user, "lanes-out")
    path = tmp_path / f"{user.obj.name}.json"
    file = json.loads(path.read_text())
    assert [lane["channel"] for lane in file["owners"][0]["lanes"]] == ["Lift"]
    act(user, "undo")
    choose(user, monkeypatch, open=path)
    act(user, "lanes-in")
    assert same_bits(user.obj.lanes, before) and "1 lane from" in user.said[-1][0]
    file["owners"][0]["lanes"][0]["channel"] = "Nothing"
    path.write_text(json.dumps(file))
    act(user, "lanes-in")
    assert "No lane of the file fits: Sheet: Nothing" in user.said[-1][0] and user.said[-1][1] == "error"


def test_a_scene_file_gives_its_objects_and_its_sound_to_another(user, answers, tmp_path, monkeypatch):
    fictilis.save(add_form(Scene(), "Globe", {})[0], tmp_path / "g.fictilis")
    choose(user, monkeypatch, open_several=[tmp_path / "g.fictilis"])
    answers(user.window, ImportDialog="ok")
    act(user, "import")
    assert [o.name for o in user.doc.scene.objects] == ["Sheet", "Globe"] and user.obj.name == "Globe"
    assert scene_from_file  # the reader that the window shares with the command line
