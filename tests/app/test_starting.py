"""The window starts wherever it is asked to, or says in one sentence why it does not."""

import os
import subprocess
import sys

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from fictilis.app.model.document import Document
from fictilis.app.model.settings import Settings
from fictilis.app.start import NoDisplay, need_display
from fictilis.app.window import Window
from fictilis.core.animation.curve import Key
from fictilis.core.edits import timeline
from fictilis.core.edits.keys import set_key
from fictilis.core.errors import FictilisError
from fictilis.core.timeline import Sound
from fictilis.render.items import Light

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
    user.doc.commit("Key", set_key(user.doc.settled.scene, "o1", "t1", Key(3, 0.5)))
    field = user.window.transport.rate
    field.setEditText(text)
    field.lineEdit().editingFinished.emit()
    assert user.said[-1][1] == "error" and len(user.said[-1][0]) < 300
    assert user.doc.scene.fps == 24 and field.currentText() == "24"


def test_the_pointer_may_stand_over_a_sound_that_is_gone(user):
    scene = timeline.set_sound(user.doc.settled.scene, Sound("surf.wav", b"RIFF not really"))
    user.doc.commit("Sound", scene)
    user.settle(50)
    row = user.window.sound_row
    QTest.mousePress(row, Qt.MouseButton.LeftButton, pos=QPointF(400, 20).toPoint())
    user.doc.undo()
    QTest.mouseMove(row, QPointF(420, 20).toPoint())
    QTest.mouseRelease(row, Qt.MouseButton.LeftButton, pos=QPointF(430, 20).toPoint())
    row.update()
    user.settle(30)
    assert user.doc.scene.sound is None and row.extent() is None


def test_work_that_ends_after_its_owner_is_gone_disturbs_nobody(qtbot):
    import threading

    from PyQt6 import sip
    from PyQt6.QtCore import QObject

    from fictilis.app.model.tasks import Background

    owner, go, told = QObject(), threading.Event(), []
    runner = Background(owner)
    runner.run(lambda: go.wait(5), told.append)
    task = runner._task
    sip.delete(owner)
    go.set()
    task.wait()
    QTest.qWait(50)
    assert told == []


def test_what_went_wrong_in_the_background_is_told_to_who_asked(qtbot):
    from fictilis.app.model.tasks import Background

    runner, told = Background(), []
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
def early(qapp, tmp_path, sheet, qtbot):
    """A window that shows the view alone first, as the application starts."""
    doc = Document()
    doc.open_scene(sheet, None)
    window = Window(doc, Settings(tmp_path / "settings.ini"), tmp_path / "recovery", early=True)
    yield window
    doc.saved_version = doc.settled.version
    window.close()
    window.deleteLater()


def waits(is_so, seconds=10.0):
    for _ in range(round(seconds * 50)):
        if is_so():
            return True
        QTest.qWait(20)
    return is_so()


def test_the_model_is_in_the_picture_before_the_rest_of_the_window_is_made(early):
    view, told = early.view, []
    early.ready.connect(lambda: told.append((early.furnished, view.picture is not None)))
    early.resize(1280, 800)
    early.show()
    assert not early.furnished and view.isVisible() and not hasattr(early, "lanes")
    place = []
    view.picture_shown.connect(lambda: place.append((view.mapTo(early, view.rect().topLeft()), view.size())))
    assert waits(lambda: early.furnished) and told == [(True, True)]
    QTest.qWait(300)
    assert early.view is view and view.isVisible() and early.lanes.isVisible() and early.thumbnails.renderer is early.renderer
    assert place[0] == place[-1]  # it stays where it was
    early.activateWindow()
    assert waits(early.isActiveWindow) and early.focusWidget() is view  # keys go to the view
    QTest.keyClick(view, Qt.Key.Key_Space)
    assert early.playback.playing
    early.playback.stop()
    early.furnish()
    assert len(told) == 1


def test_a_window_is_made_whole_without_a_picture_too_and_closes_before_it_is(early, monkeypatch, tmp_path, qapp):
    def broken():
        raise FictilisError("There is no OpenGL here.")

    monkeypatch.setattr("fictilis.app.shell.Renderer", broken)
    monkeypatch.setattr("fictilis.app.shell.LATEST", 60)
    other = Window(Document(), Settings(tmp_path / "s.ini"), tmp_path / "r", early=True)
    said = []
    other.doc.said.connect(lambda sentence, kind: said.append((sentence, kind)))
    other.show()
    assert waits(lambda: other.furnished and ("There is no OpenGL here.", "error") in said)
    assert waits(lambda: other.lanes.isVisible())
    other.close()
    early.show()
    early.close()
    assert not early.isVisible() and not early.furnished
    QTest.qWait(100)
