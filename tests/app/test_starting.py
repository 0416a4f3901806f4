"""The window starts wherever it is asked to, or says in one sentence why it does not."""

import os
import subprocess
import sys

import numpy as np
import pytest
from PyQt6.QtCore import QMargins, QPointF, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest

from fictilis.app import start
from fictilis.app.model.document import Document
from fictilis.app.model.settings import Settings
from fictilis.app.start import NoDisplay, need_display
from fictilis.app.window import AROUND, Window
from fictilis.core.animation.curve import Key
from fictilis.core.edits import timeline
from fictilis.core.edits.keys import set_key
from fictilis.core.ground.errors import FictilisError
from fictilis.core.scene.light import Light
from fictilis.core.scene.timeline import Sound
from fictilis.demo import sample
from fictilis.formats.registry import save
from fictilis.render.renderer import Renderer

DAMAGED = ["{", "[1, 2", "nonsense", "17", '["a", 3]', '{"a": "b"}', "[1e400, 2, 3]", "\\x00", "null"]


@pytest.mark.parametrize("name", ["recent", "keys", "light", "picked", "theme", "flags/hold_guard", "sizes/window"])
@pytest.mark.parametrize("value", DAMAGED)
def test_damaged_settings_count_as_not_set(tmp_path, name, value):
    path = tmp_path / "settings.ini"
    group, _, key = name.rpartition("/")
    path.write_text(f'[{group or "General"}]\n{key}="{value.replace(chr(34), chr(92) + chr(34))}"\n')
    settings = Settings(path)
    assert all(isinstance(p, str) for p in settings.recent()) and isinstance(settings.own_keys(), dict)
    assert settings.light() == Light() and settings.picked() == "" and settings.sizes("window") is None
    settings.flag("hold_guard", True)


def test_a_settings_file_of_rubbish_starts_as_shipped_and_says_so(tmp_path, open_window, sheet):
    path = tmp_path / "settings.ini"
    path.write_bytes(os.urandom(400))
    settings = Settings(path)
    assert settings.recent() == [] and settings.theme() in ("Bisque", settings.theme())
    user = open_window(sheet)
    assert user.window.palette_.name == "Bisque"


def test_a_home_that_cannot_be_written_is_one_sentence(tmp_path, monkeypatch):
    home = tmp_path / "file"
    home.write_text("no folder")
    settings = Settings(home / "fictilis" / "settings.ini")
    assert "cannot be kept" in settings.trouble and settings.trouble.count("\n") == 0 and len(settings.trouble) < 400
    settings.set_theme("Kiln")
    assert settings.recent() == []


@pytest.mark.parametrize(
    ("display", "wayland"),
    [(":9876", ""), ("nowhere.invalid:0", ""), ("rubbish", ""), (":x", ""), ("", "wayland-77"), ("", "")],
)
def test_a_display_that_does_not_answer_is_one_sentence(monkeypatch, tmp_path, display, wayland):
    for name, value in (("DISPLAY", display), ("WAYLAND_DISPLAY", wayland), ("XDG_RUNTIME_DIR", str(tmp_path))):
        monkeypatch.setenv(name, value)
    monkeypatch.delenv("QT_QPA_PLATFORM", raising=False)
    with pytest.raises(NoDisplay, match="no display|does not answer"):
        need_display()


def test_a_display_that_answers_will_do(monkeypatch):
    monkeypatch.delenv("QT_QPA_PLATFORM", raising=False)
    need_display()


def test_a_wrong_display_ends_the_command_with_a_sentence(tmp_path):
    env = {"PATH": "", "DISPLAY": ":9876", "FICTILIS_HOME": str(tmp_path)}
    done = subprocess.run([sys.executable, "-m", "fictilis", "demo"], capture_output=True, text=True, env=env, timeout=60)
    assert done.returncode == 2 and "does not answer" in done.stderr and done.stderr.count("\n") == 1


@pytest.mark.parametrize("text", ["0", "-24", "1e9", "nan", "inf", "", "x" * 300])
def test_an_impossible_rate_is_said_and_nothing_is_asked(user, text):
    user.doc.commit("Key", set_key(user.doc.committed.scene, "o1", "t1", Key(3, 0.5)))
    field = user.window.transport.rate
    field.setEditText(text)
    field.lineEdit().editingFinished.emit()
    assert user.said[-1][1] == "error" and len(user.said[-1][0]) < 300
    assert user.doc.scene.fps == 24 and field.currentText() == "24"


def test_the_pointer_may_stand_over_a_sound_that_is_gone(user):
    scene = timeline.set_sound(user.doc.committed.scene, Sound("surf.wav", b"RIFF not really"))
    user.doc.commit("Sound", scene)
    user.settle(50)
    row = user.window.sound_row
    QTest.mousePress(row, Qt.MouseButton.LeftButton, pos=QPointF(400, 20).toPoint())
    user.doc.undo()
    QTest.mouseMove(row, QPointF(420, 20).toPoint())
    QTest.mouseRelease(row, Qt.MouseButton.LeftButton, pos=QPointF(430, 20).toPoint())
    row.update()
    user.settle(30)
    assert user.doc.scene.sound is None and row.samples.wave() is None


def test_work_that_ends_after_its_owner_is_gone_disturbs_nobody(qtbot):
    import threading

    from PyQt6 import sip
    from PyQt6.QtCore import QObject

    from fictilis.app.model.tasks import BackgroundTask

    owner, go, told = QObject(), threading.Event(), []
    runner = BackgroundTask(owner)
    runner.run(lambda: go.wait(5), told.append)
    task = runner._task
    sip.delete(owner)
    go.set()
    task.wait()
    QTest.qWait(50)
    assert told == []


def test_what_went_wrong_in_the_background_is_told_to_who_asked(qtbot):
    from fictilis.app.model.tasks import BackgroundTask

    runner, told = BackgroundTask(), []
    runner.run(lambda: 1 / 0, told.append)
    qtbot.waitUntil(lambda: bool(told))
    with pytest.raises(ZeroDivisionError):
        told[0].result()
    runner.run(lambda: 7, told.append)
    assert runner.busy
    runner.finish()  # waited for, and forgotten
    QTest.qWait(30)
    assert len(told) == 1 and not runner.busy


@pytest.mark.soak
def test_under_wayland_the_window_takes_menus_strokes_and_drops():
    """Needs weston and xdotool, so it stands with the long runs."""
    from scripts.wayland import lacking

    if not os.environ.get("FICTILIS_SOAK") or lacking():
        pytest.skip("by make soak, with weston and xdotool")
    done = subprocess.run([sys.executable, "-m", "scripts.wayland"], capture_output=True, text=True, timeout=170)
    assert done.returncode == 0, done.stdout


@pytest.fixture
def coming_up(qapp, tmp_path, qtbot):
    """Makes a window that comes up part by part, as the application starts."""
    made = []

    def window(find):
        made.append(Window(find, Settings(tmp_path / f"settings {len(made)}.ini"), tmp_path / "recovery"))
        return made[-1]

    yield window
    for one in made:
        if one.furnished:
            one.doc.saved_version = one.doc.committed.version
        one.close()
        one.deleteLater()


@pytest.fixture
def early(coming_up, sheet):
    return coming_up(lambda: (sheet, None))


def waits(is_so, seconds=10.0):
    for _ in range(round(seconds * 50)):
        if is_so():
            return True
        QTest.qWait(20)
    return is_so()


def colours(early):
    """(h, w, 3) where the view is, or will be."""
    image = early.grab(early.rect().marginsRemoved(QMargins(*AROUND))).toImage().convertToFormat(QImage.Format.Format_RGB32)
    pixels = np.frombuffer(image.constBits().asarray(image.sizeInBytes()), np.uint8)
    return pixels.reshape(image.height(), image.width(), 4)[..., :3].astype(int)


def test_the_model_is_in_the_window_before_its_view_and_that_before_the_rest(early):
    told, places, shown, view_alone = [], [], [], early._view_alone

    def place() -> None:
        places.append((early.view.mapTo(early, early.view.rect().topLeft()), early.view.size()))

    def alone(*words) -> None:
        view_alone(*words)
        early.view.picture_shown.connect(place)

    early._view_alone = alone
    early.ready.connect(lambda: told.append((early.furnished, early.view.picture is not None)))
    early.pictured.connect(lambda: shown.append((hasattr(early, "view"), early.furnished, colours(early))))
    early.resize(1280, 800)
    early.show()
    assert early.isVisible() and not hasattr(early, "view")
    assert waits(lambda: early.furnished) and told == [(True, True)]
    view = early.view
    QTest.qWait(300)
    assert view.isVisible() and early.lanes.isVisible() and early.thumbnails.renderer is early.renderer
    assert places[0] == places[-1]  # it stays where it was
    [(has_view, whole, first)] = shown
    assert not has_view and not whole and np.ptp(first) > 60
    assert (np.abs(first - colours(early)).max(-1) > 40).mean() < 0.02  # the same model, at the same place
    early.activateWindow()
    assert waits(early.isActiveWindow) and early.focusWidget() is view  # keys go to the view
    QTest.keyClick(view, Qt.Key.Key_Space)
    assert early.playback.playing
    early.playback.stop()
    early.furnish()
    assert len(told) == 1


def test_a_window_is_made_whole_without_a_picture_too_and_closes_before_it_is(early, monkeypatch, coming_up):
    def broken(_link):
        raise FictilisError("There is no OpenGL here.")

    monkeypatch.setattr("fictilis.render.beside.Beside", broken)
    monkeypatch.setattr("fictilis.app.window.LATEST", 60)
    said = []
    monkeypatch.setattr(Document, "say", lambda _doc, sentence, kind: said.append((sentence, kind)))
    other = coming_up(lambda: None)
    other.show()
    assert waits(lambda: other.furnished and ("There is no OpenGL here.", "error") in said)
    assert waits(lambda: other.lanes.isVisible())
    other.close()
    early.show()
    early.close()
    assert not early.isVisible() and not early.furnished
    QTest.qWait(100)


def test_where_no_process_can_be_had_it_draws_here(monkeypatch, coming_up):
    def none():
        raise OSError("no more processes")

    monkeypatch.setattr("fictilis.render.beside.link", none)
    window = coming_up(lambda: (sample("jelly"), None))
    window.show()
    assert waits(lambda: window.furnished and window.thumbnails._kept and not window.view.picture.busy)
    assert isinstance(window.renderer, Renderer) and np.ptp(colours(window)) > 60
    window.doc.set_frame(30)
    assert waits(lambda: window.view.showing.fits and not window.view.moving)
    window.close()


@pytest.mark.parametrize(
    ("kind", "at_once", "says"),
    [("small", True, ""), ("large", False, ""), ("damaged", False, "cup.fictilis"), ("missing", False, "cup.fictilis")],
)
def test_a_file_named_at_the_start_comes_with_the_view_or_is_opened_by_the_window(
    coming_up, tmp_path, sheet, monkeypatch, kind, at_once, says
):
    path = tmp_path / "cup.fictilis"
    if kind != "missing":
        save(sheet, path)
    if kind == "damaged":
        path.write_bytes(path.read_bytes()[:40])
    monkeypatch.setattr(start, "SMALL", 100 if kind == "large" else 3_000_000)
    window = coming_up(lambda: start._found(path, ""))
    pictured, said = [], []
    window.pictured.connect(lambda: pictured.append(window.furnished))
    window.ready.connect(lambda: window.doc.said.connect(lambda sentence, kind: said.append((sentence, kind))))
    window.ready.connect(lambda: start._begin(window, path))
    window.show()
    assert waits(lambda: window.furnished and (said or window.doc.scene.objects)) and pictured == [False] * at_once
    if says:
        assert len(said) == 1 and says in said[0][0] and said[0][1] == "error" and window.doc.path is None
    else:
        assert not said and window.doc.title == "cup" and not window.doc.unsaved and window.settings.recent() == [str(path)]
