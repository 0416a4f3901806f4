"""The window of movies and pictures, and what is made beside the window."""

import av
import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image
from PyQt6.QtTest import QTest

from fictilis.app.model.making import DONE, FAILED, GOES, STOPPED, WAITS
from fictilis.core.animation.curve import Key
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.relays import make_relay
from fictilis.core.edits.timeline import add_camera, change_reference
from fictilis.core.scene.light import Light
from fictilis.core.scene.timeline import Marker, SceneCamera
from fictilis.formats.native import write_native
from fictilis.formats.registry import load
from fictilis.pictures.movie import write_movie
from fictilis.pictures.orders import AS_SEEN, KINDS, Order
from tests.app.conftest import LEFT, choose
from tests.app.doing import OBJ, act

SMALL = {"width": 64, "height": 48, "samples": 1}


def fill(dialog, path, **numbers):
    dialog.place.name.setText(str(path))
    dialog.place.name.textEdited.emit(str(path))
    for name, value in numbers.items():
        dialog.fields[name].set_value(value)
    dialog._tell()


@pytest.mark.parametrize(
    ("kind", "name"), [("movie", "m.webm"), ("turntable", "t.gif"), ("snapshot", "p.png"), ("sheet", "s.png")]
)
def test_each_kind_is_chosen_in_its_window_and_made_beside_it(user, kind, name, answers, tmp_path):
    user.doc.commit("Keys", set_key(user.doc.scene, OBJ, "t1", Key(3, 1.0)))
    seen = []

    def order(dialog):
        assert (
            dialog.key == kind and dialog.windowTitle() == "Movies and pictures" and dialog.place.suffix in KINDS[kind].suffixes
        )
        numbers = {"width": 64, "height": 48} | (
            {"last": 4.0} if kind == "movie" else {"seconds": 0.25} if kind == "turntable" else {}
        )
        fill(dialog, tmp_path / name, **numbers)
        seen.append((dialog.facts.text(), dialog.wrong.text(), dialog.picture.pixmap().isNull()))
        dialog.buttons["ok"].click()

    answers(user.window, PicturesDialog=order)
    act(user, kind)
    (facts, wrong, empty), job = seen[0], user.window.making.jobs[0]
    assert (
        not wrong and not empty and "64 × 48 pixels" in facts and job.state == GOES and user.window._making_window.isVisible()
    )
    assert user.comes(lambda: job.over, 30) and job.state == DONE, job.said
    path = tmp_path / name
    if path.suffix == ".webm":
        with av.open(str(path)) as container:
            assert sum(1 for _ in container.decode(video=0)) == 5 and "5 pictures" in facts
    else:
        with Image.open(path) as image:
            assert getattr(image, "n_frames", 1) == (6 if kind == "turntable" else 1)
            assert image.size == (64, 48) or kind == "sheet"
    assert user.comes(lambda: (f"{KINDS[kind].name} made: {name}.", "note") in user.said)
    assert job.picture is not None and not job._folder.exists()
    row = user.window._making_window.rows[job]
    assert row.verb.text() == "Show" and "Made, in" in row.said.text()
    user.window.making.clear()
    assert not user.window._making_window.rows
    act(user, "make-again")
    again = user.window.making.jobs[0]
    assert user.comes(lambda: again.over, 30) and again.state == DONE and again.order == job.order


def test_the_window_follows_what_is_chosen_and_remembers_it(user, answers, tmp_path):
    scene, _ = make_relay(user.doc.scene, OBJ, ["t1", "t2"], "Walk", 0.0, 4.0)
    scene, _ = add_camera(replace(scene, markers=(Marker(2.0, "Up"),)), SceneCamera("", "Cam", (0.0, 0.0, 0.0), 90.0, 0.0, 0.0))
    user.doc.commit("More", scene)
    user.doc.change(through_camera=True)
    rows = {}

    def look(dialog):
        def seen():
            return {name for name, row in dialog._rows.items() if not row.isHidden()}

        assert dialog.eye == "Cam" and dialog._eyes == [AS_SEEN, "Cam", None]
        assert {"first", "last", "markers", "quality"} <= seen() and not seen() & {
            "colour",
            "parts",
            "silent",
            "frame",
            "object",
        }
        pick = {"ground": "A colour", "shutter": 180}
        dialog.fields["ground"].setCurrentIndex(dialog.fields["ground"].findText(pick["ground"]))
        dialog.fields["shutter"].set_value(180)
        dialog._soon()
        assert {"colour", "parts"} <= seen()
        dialog.fields["colour"].setText("blue")
        dialog._tell()
        assert "not “blue”" in dialog.wrong.text() and not dialog.buttons["ok"].isEnabled() and dialog.picture.pixmap().isNull()
        dialog.fields["colour"].setText("#0000FF")
        (tmp_path / "old.gif").write_bytes(b"old")
        fill(dialog, tmp_path / "old.gif")
        assert dialog.buttons["ok"].text() == "Replace" and "old.gif there is replaced" in dialog.place.folder.text()
        assert "quality" not in seen()
        blue = dialog.picture.pixmap().toImage().pixelColor(2, 2)
        assert blue.blue() == 255 and blue.red() == 0
        dialog.fields["first"].set_value(20)
        dialog.fields["last"].set_value(3)
        dialog._tell()
        assert "A range must rise: 20 to 3" in dialog.wrong.text()
        dialog.kind.buttons["Sheet"].click()
        user.settle()
        assert dialog.place.path == tmp_path / "old.png" and {"object", "of", "columns"} <= seen() and "relay" not in seen()
        dialog.fields["of"].setCurrentIndex(2)
        dialog._tell()
        rows["poses"] = dialog.facts.text()
        assert {"relay", "object"} <= seen() and not {"step", "first"} & seen()
        dialog.kind.buttons["Movie"].click()
        assert dialog.fields["shutter"].value == 180 and dialog.fields["last"].value == scene.end  # but not the range
        fill(dialog, tmp_path / "new.gif", width=32, height=32, last=0.0, first=0.0)
        dialog.buttons["ok"].click()

    answers(user.window, PicturesDialog=look)
    act(user, "movie")
    assert rows["poses"].startswith("2 pictures of 320 × 240")
    job = user.window.making.jobs[0]
    assert job.order.values["shutter"] == 180 and job.order.camera == "Cam"
    assert user.comes(lambda: job.over, 30) and (tmp_path / "old.gif").read_bytes() == b"old"

    def later(dialog):
        assert dialog.fields["shutter"].value == 180 and dialog.place.path == tmp_path / "new.gif"
        dialog.buttons["cancel"].click()

    answers(user.window, PicturesDialog=later)
    act(user, "movie")
    assert len(user.window.making.jobs) == 1


def test_it_is_made_of_the_scene_as_it_was_one_after_another_and_stops_whole(user, tmp_path, answers):
    window, old = user.window, tmp_path / "long.mp4"
    old.write_bytes(b"there before")
    first = window.pictures.make(Order("movie", old, {**SMALL, "width": 1920, "height": 1080, "samples": 16}, AS_SEEN), Light())
    second = window.pictures.make(Order("snapshot", tmp_path / "p.png", SMALL, AS_SEEN), Light())
    third = window.pictures.make(Order("snapshot", tmp_path / "gone" / "p.png", SMALL, AS_SEEN), Light())
    before = user.doc.scene
    user.doc.select_target("t1")
    user.doc.commit("Remove", replace(before, objects=()))
    kept = load(second._folder / "scene.fictilis")
    assert np.array_equal(kept.objects[0].base, before.objects[0].base) and kept.views[-1].name == AS_SEEN
    assert (first.state, second.state, third.state) == (GOES, WAITS, WAITS)
    row = window._making_window.rows[first]
    assert user.comes(lambda: first.number > 0, 30) and "of 49" not in row.said.text() and row.bar.maximum() == first.count
    QTest.mouseClick(row.verb, LEFT)
    assert first.state == STOPPED and old.read_bytes() == b"there before" and not list(tmp_path.glob(".fictilis-*"))
    assert "nothing was written" in row.said.text()
    assert user.comes(lambda: third.over, 30) and second.state == DONE and third.state == FAILED
    assert "could not be saved: no such file or directory" in third.said and "folder" not in third.order.path.name
    assert any("could not be saved" in sentence and kind == "error" for sentence, kind in user.said)
    user.doc.undo()
    assert not window.making.busy


@pytest.mark.own_window
def test_closing_asks_while_something_is_made(user, tmp_path, answers):
    window = user.window
    job = window.pictures.make(Order("movie", tmp_path / "m.mp4", {"width": 1920, "height": 1080, "samples": 16}), Light())
    opened = answers(window, FormDialog="cancel", UnsavedDialog="discard")
    window.close()
    assert len(opened) == 1 and window.isVisible() and job.state == GOES
    answers(window, FormDialog="ok", UnsavedDialog="discard")
    window.close()
    assert not window.isVisible() and job.over and not job._folder.exists()
    assert [p.name for p in tmp_path.iterdir()] == ["settings.ini"]


def test_playing_exactly_makes_the_pictures_first_and_drops_them_when_anything_changes(user, monkeypatch):
    """Filled by frames, shown while time moves, let go by an edit, a turned view, another theme and when it is switched off."""
    scene = set_key(set_key(user.doc.scene, OBJ, "t1", Key(0, 0.0)), OBJ, "t1", Key(8, 1.5))
    user.doc.commit("Keys", replace(scene, end=8.0))
    ready, playback, lanes = user.view.ready, user.window.playback, user.window.lanes
    act(user, "exact")
    act(user, "play")
    assert ready.making and not playback.playing and ("Making 9 pictures before it plays.", "note") in user.said
    assert user.comes(lambda: playback.playing) and ready.spans() == [(0.0, 8.0)] and not ready.left()
    assert user.comes(lambda: user.view.showing._image in ready._pictures.values())
    act(user, "play")
    lanes.viewport().update()
    top = user.window.lanes.viewport().grab().toImage().pixelColor(round(lanes.axis.x(4)), 1)
    assert top.name().upper() == user.window.palette_.primary.upper()
    user.doc.set_frame(5.0)
    user.view.repaint()
    scrubbed = user.view.showing._image
    assert scrubbed is ready._pictures[5.0]
    assert user.comes(lambda: not user.view.moving) and user.comes(lambda: user.view.showing._image is not scrubbed)
    shown, kept = (i.convertToFormat(i.Format.Format_RGB32) for i in (user.view.showing._image, scrubbed))
    assert shown == kept  # exactly what it is at rest

    def again():
        act(user, "play")
        assert user.comes(lambda: playback.playing)
        act(user, "play")
        assert len(ready._pictures) == 9

    for change in (
        lambda: user.doc.commit("Edit", set_key(user.doc.scene, OBJ, "t1", Key(4, 0.3))),
        lambda: user.doc.undo(),
        lambda: user.doc.change(way="Line-up"),
        lambda: user.window.set_theme("Kiln"),
        lambda: user.doc.select_target("t2"),
    ):
        change()
        assert not ready._pictures or not ready._fits()
        again()
    user.view.camera = user.view.camera.turned(30, 10)
    user.view.repaint()
    assert ready.picture() is None and len(ready.left()) == 9
    act(user, "play")
    act(user, "play")  # stops the making
    assert not ready.making and not playback.playing
    monkeypatch.setattr("fictilis.app.view.ready.MOST_BYTES", 10)
    act(user, "play")
    assert playback.playing and "do not fit into memory" in user.said[-1][0]
    act(user, "play")
    act(user, "exact")
    assert not ready._pictures


def test_a_reference_picture_stands_behind_and_before_and_follows_time(user, tmp_path, monkeypatch, forms):
    """From its file to the view: behind the sheet, in front of it, hidden, through a camera alone, undone, saved and opened."""
    red = [np.full((40, 40, 4), [200, 10 * n, 20, 255], np.uint8) for n in range(20)]
    write_movie(tmp_path / "take.mp4", red, (40, 40), 24)
    (tmp_path / "no.mp4").write_bytes(b"nothing")
    view = user.view

    def colour(x=0.5, y=0.5):
        user.settle()
        assert user.comes(lambda: not view.moving and not view.showing.dirty)
        return view.grab().toImage().pixelColor(round(view.width() * x), round(view.height() * y)).getRgb()[:3]

    view.eye.look("top")
    view.eye.fit()
    plain, ground = colour(), colour(0.5, 0.03)
    choose(user, monkeypatch, open=tmp_path / "no.mp4")
    act(user, "reference")
    assert user.doc.scene.reference is None and "no.mp4 cannot be opened as a picture" in user.said[-1][0]
    choose(user, monkeypatch, open=tmp_path / "take.mp4")
    act(user, "reference")
    assert user.doc.undo_label() == "Reference take.mp4" and user.doc.scene.reference.start == 0.0
    assert colour() == plain and colour(0.5, 0.03)[0] > 180 and colour(0.02, 0.5) != colour(0.5, 0.03)  # as high as the view
    green = colour(0.5, 0.03)[1]
    user.doc.set_frame(12.0)
    assert colour(0.5, 0.03)[1] > green + 80
    forms(user, {"before": "In front", "size": 0.5})
    act(user, "reference-numbers")
    assert colour()[0] > 180 and np.abs(np.subtract(colour(0.5, 0.03), ground)).max() < 4
    act(user, "reference-hide")
    assert colour() == plain
    act(user, "reference-hide")
    assert colour()[0] > 180
    user.doc.edit("x", lambda s: change_reference(s, through=True))
    assert colour() == plain
    write_native(tmp_path / "s.fictilis", user.doc.scene)
    user.doc.saved_version = user.doc.committed.version
    user.window.open_path(tmp_path / "s.fictilis")
    assert user.doc.scene.reference.through and user.doc.scene.reference.data == (tmp_path / "take.mp4").read_bytes()
    act(user, "reference-remove")
    assert user.doc.scene.reference is None and colour() == plain
    user.doc.undo()
    assert user.doc.scene.reference is not None
