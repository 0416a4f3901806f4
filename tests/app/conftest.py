import os
import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from fictilis.app.lanes.places import HEAD
from fictilis.app.model.document import Document
from fictilis.app.model.garbage import keep_loaded
from fictilis.app.model.session import Session
from fictilis.app.model.settings import Settings
from fictilis.app.start import application
from fictilis.app.widgets import dialogs
from fictilis.app.widgets.theme import PALETTES
from fictilis.app.window import HEIGHT, WIDTH, Window
from fictilis.core.scene.scene import Scene
from fictilis.render.camera import Camera
from fictilis.render.snapshot import START_PITCH, START_YAW

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NONE, SHIFT, CTRL = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


@pytest.fixture(scope="session")
def qapp():
    return application()


class User:
    """Drives a window as a person does: mouse, keys, and a look at what is there."""

    def __init__(self, window: Window, qtbot) -> None:
        self.window, self.qtbot, self.doc, self.view = window, qtbot, window.doc, window.view
        self.said: list[tuple[str, str]] = []
        window.doc.said.connect(lambda sentence, kind: self.said.append((sentence, kind)))

    @property
    def obj(self):
        return self.doc.object

    def target(self, name: str):
        return self.obj.target_named(name)

    def press(self, key: Qt.Key, modifiers=NONE, on: QWidget | None = None) -> None:
        at = (on or self.view).window()
        if at is self.window and not self.window.isActiveWindow() and QApplication.activeModalWidget() is None:
            self.take_keys_again()
        QTest.keyClick(on or self.view, key, modifiers)

    def take_keys_again(self) -> None:
        """A slow machine shows the window of progress, which takes the keys; here no window manager gives them back."""
        self.window.activateWindow()
        self.qtbot.waitUntil(self.window.isActiveWindow, timeout=5000)

    def type(self, text: str, on: QWidget | None = None) -> None:
        QTest.keyClicks(on or self.view, text)

    def amount(self, *boxes: str, key: Qt.Key | None = Qt.Key.Key_Return) -> None:
        """Type amounts, Tab between their boxes, then a closing key. The first key goes to the view and opens the field: a
        sign, or = before a digit."""

        def focus() -> QWidget:
            return self.window.focusWidget() if self.view.amount.isVisible() else self.view

        for number, text in enumerate(boxes):
            if number:
                self.press(Qt.Key.Key_Tab, on=focus())
            begins = "=" if not self.view.amount.isVisible() and text[:1].isdigit() else ""
            for character in begins + text:
                QTest.keyClick(focus(), character)
        if key is not None:
            self.press(key, on=focus())

    def click(self, widget: QWidget, at, modifiers=NONE, button=LEFT) -> None:
        QTest.mouseClick(widget, button, modifiers, point(at))

    def double_click(self, widget: QWidget, at) -> None:
        QTest.mouseClick(widget, LEFT, NONE, point(at))
        QTest.mouseDClick(widget, LEFT, NONE, point(at))

    def drag(self, widget: QWidget, start, end, modifiers=NONE, button=LEFT, between: Callable | None = None) -> None:
        """Press, a few moves, release. ``between`` is called before the release."""
        a, b = np.array(xy(start)), np.array(xy(end))
        QTest.mousePress(widget, button, modifiers, point(a))
        for part in (0.2, 0.5, 0.8, 1.0):
            move(widget, a + (b - a) * part, button, modifiers)
        if between is not None:
            between()
        QTest.mouseRelease(widget, button, modifiers, point(b))

    def pixel(self, index: int) -> QPointF:
        """Where a point of the shaped item, or of the first, is in the view."""
        items = self.view.items()
        item = next((i for i in items if i.shaped), items[0])
        pixels, _ = self.view.camera.project(item.in_scene()[[index]], self.view.width(), self.view.height())
        return QPointF(*pixels[0])

    def settle(self, ms: int = 30) -> None:
        QTest.qWait(ms)

    def comes(self, is_so: Callable[[], bool], seconds: float = 10.0) -> bool:
        """Whether something comes to be so: a busy machine draws the last, sharp picture late."""
        for _ in range(round(seconds * 50)):
            if is_so():
                return True
            self.settle(20)
        return is_so()


def xy(at) -> tuple[float, float]:
    return (at.x(), at.y()) if isinstance(at, QPoint | QPointF) else (float(at[0]), float(at[1]))


def bead(lanes, name: str, frame: float) -> QPointF:
    """The pixel of a bead of a channel, by name, at a frame."""
    place = lanes.place_of(name)
    return QPointF(lanes.axis.x(frame), place.y(place.curve.key_at(frame).value))


def pixels(view: QWidget) -> np.ndarray:
    """(h, w, 4) int: what a widget shows."""
    image = view.grab().toImage()
    bits = image.constBits()
    bits.setsize(image.sizeInBytes())
    return np.frombuffer(bits, np.uint8).reshape(image.height(), image.width(), 4).astype(int)


def alike(a: np.ndarray, b: np.ndarray) -> bool:
    """But for letters, which may be drawn a shade otherwise once another size of them was drawn."""
    return bool(np.abs(a - b).max() <= 24)


def point(at) -> QPoint:
    x, y = xy(at)
    return QPoint(round(x), round(y))


def move(widget: QWidget, at, button=LEFT, modifiers=NONE) -> None:
    """A move with a button held, which QTest's own moves do not carry."""
    from PyQt6.QtGui import QMouseEvent

    place = QPointF(point(at))
    event = QMouseEvent(
        QEvent.Type.MouseMove, place, QPointF(widget.mapToGlobal(point(at))), Qt.MouseButton.NoButton, button, modifiers
    )
    QApplication.sendEvent(widget, event)


@pytest.fixture(autouse=True)
def no_waiting_questions(monkeypatch):
    """A question that no test answers fails at once instead of waiting for ever."""

    def refuse(dialog):
        raise AssertionError(f"nobody answers {dialog.windowTitle()}")

    monkeypatch.setattr("fictilis.app.widgets.dialogs.Dialog.exec", refuse)


@pytest.fixture(autouse=True)
def nothing_is_left_behind():
    """No thread that keeps the interpreter alive, no window in sight, no timer that goes on in one that is closed."""
    threads = set(threading.enumerate())
    yield
    if QApplication.instance() is None:
        return
    left = [t.name for t in set(threading.enumerate()) - threads if not t.daemon and not t.name.startswith("mix")]
    assert not left, f"threads go on: {left}"
    windows = [w for w in QApplication.topLevelWidgets() if w not in Windows.shared]
    assert not [w.windowTitle() or type(w).__name__ for w in windows if w.isVisible()], "windows stay open"
    timers = [t for w in windows for t in w.findChildren(QTimer) if t.isActive() and not t.isSingleShot()]
    assert not timers, f"{len(timers)} timers go on in windows that are closed"


@pytest.fixture(autouse=True)
def pictures_are_waited_for(monkeypatch):
    """So that what is looked at is what was asked for last; tests about waiting set it back, and random hands wait for none."""
    if not os.environ.get("FICTILIS_SOAK"):
        monkeypatch.setattr("fictilis.app.view.picture.SOON", 20.0)


@pytest.fixture(autouse=True)
def memory_is_given_back_once_a_module(monkeypatch):
    """Not after each scene that is opened: with all that the tests have loaded that takes seventy milliseconds."""
    if not os.environ.get("FICTILIS_SOAK"):
        monkeypatch.setattr("fictilis.app.furniture.give_back", lambda: None)


@pytest.fixture(autouse=True)
def no_sound_device(monkeypatch):
    """Tests play to nobody; those about sound bring a speaker of their own."""
    monkeypatch.setattr("fictilis.app.lanes.sound_player.find_speaker", lambda _parent: None)


class Windows:
    """The windows of a module: one that a test leaves is made as new for the next, since to make one takes half a second."""

    shared: list[Window] = []  # in sight between two tests

    def __init__(self, alone: bool) -> None:
        """``alone``: each test has a window of its own, where it is about what a window keeps."""
        self.alone = alone

    def take(self, scene: Scene, folder: Path, own: bool = False) -> Window:
        """A window, or one of its ``own``; a new one keeps its settings and copies in a folder."""
        if own:
            self.close()
        if self.shared:
            window = self.shared.pop()
            as_new(window, scene)
        else:
            doc = Document()
            doc.open_scene(scene, None)
            window = Window(doc, Settings(folder / "settings.ini"), folder / "recovery")
            window.show()
        return window

    def give_back(self, window: Window, own: bool = False) -> None:
        rest(window)
        others = [w for w in QApplication.topLevelWidgets() if w.isVisible() and w is not window]
        if own or self.alone or others or window.renderer is None or not window.isVisible():
            self.closed(window)
        else:
            self.shared.append(window)

    def close(self) -> None:
        while self.shared:
            self.closed(self.shared.pop())

    def closed(self, window: Window) -> None:
        window.doc.saved_version = window.doc.committed.version
        window.close()
        window.deleteLater()


def rest(window: Window) -> None:
    """Nothing of a window goes on."""
    window.playback.stop()
    window.making.stop()
    if window.doc.rehearsing or window.doc.taking:
        window.doc.change(rehearsing=False, taking=False)
    window.autosave.stop()
    window.checker.stop()
    window.thumbnails._timer.stop()


def as_new(window: Window, scene: Scene) -> None:
    """A window as it was when it was made, with another scene."""
    window.settings._store.clear()
    doc = window.doc
    doc.session, doc.channels.left_told = Session(), False
    doc.open_scene(scene, None)
    if window.palette_ != PALETTES["Bisque"]:
        window.set_theme("Bisque")
    window.resize(WIDTH, HEIGHT)
    window.across.setSizes([222, 826, 232])
    window.down.setSizes([484, 272])
    eye = window.view.eye
    eye.own = Camera(yaw=START_YAW, pitch=START_PITCH)
    eye.fit()
    window.view._pressure = 1.0
    window.lanes.axis.widen(HEAD)
    window.view.setFocus()


@pytest.fixture(scope="module")
def windows(qapp, request):
    made = Windows(getattr(request.module, "WINDOWS_ALONE", False))
    keep_loaded()  # as the application does, or every scene that is opened looks through all that the tests have loaded
    yield made
    made.close()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture
def open_window(qtbot, windows, tmp_path, request):
    """Opens the real window on a scene; leaves it without questions."""
    opened, own = [], request.node.get_closest_marker("own_window") is not None

    def make(scene: Scene) -> User:
        window = windows.take(scene, tmp_path, own)
        opened.append(window)
        window.activateWindow()
        qtbot.waitUntil(window.isActiveWindow, timeout=5000)
        qtbot.waitUntil(lambda: window.view.picture is not None, timeout=5000)
        return User(window, qtbot)

    yield make
    for window in opened:
        windows.give_back(window, own)


@pytest.fixture
def user(open_window, sheet) -> User:
    user = open_window(sheet)
    user.view.eye.look("top")
    user.view.eye.fit()
    user.settle()
    return user


@pytest.fixture
def answers(monkeypatch):
    """Presses a button in every dialog that opens, by the dialog's class; returns those that opened."""
    opened: list[dialogs.Dialog] = []

    def use(window, **by_class):
        def ask(dialog):
            opened.append(dialog)
            dialog.show()
            answer = by_class[type(dialog).__name__]
            answer(dialog) if callable(answer) else dialog.buttons[answer].click()
            dialog.hide()
            window.activateWindow()  # there is no window manager that would
            return dialog.answer

        monkeypatch.setattr(window.ask, "show", ask)
        return opened

    return use


def choose(user, monkeypatch, **answers):
    for name, value in answers.items():
        monkeypatch.setattr(user.window.ask.files, name, lambda *_a, v=value: v)


@pytest.fixture
def forms(monkeypatch):
    """Answers the forms that open: a dict of values, by label, or None to cancel; keeps the dialogs that opened."""

    def use(user, *answers):
        opened, left = [], list(answers)

        def ask(dialog):
            opened.append(dialog)
            answer = left.pop(0) if left else {}
            if answer is None:
                dialog.buttons["cancel"].click()
                return dialog.answer
            for name, value in answer.items():
                field = dialog.fields[name]
                if isinstance(field, dialogs.NumberField):
                    field.setText(str(value))
                    field.setModified(True)
                elif isinstance(field, dialogs.Segments):
                    field.buttons[value].click()
                elif isinstance(field, dialogs.ArrowCombo):
                    field.setCurrentIndex(field.findText(value))
                else:
                    field.setText(value)
            dialog.buttons["ok" if "ok" in dialog.buttons else "close"].click()
            return dialog.answer

        monkeypatch.setattr(user.window.ask, "show", ask)
        return opened

    return use


def run(user, name):
    action = user.window.actions_.by_id[name]
    assert action.isEnabled(), f"{name} cannot be run here"
    action.trigger()


def answer_all(user, forms, monkeypatch):
    """Every question of a window is answered by itself."""
    forms(user)
    for name in ("open", "save", "folder_for"):
        monkeypatch.setattr(user.window.ask.files, name, lambda *_a: None)
    monkeypatch.setattr(user.window.ask.files, "open_several", lambda *_a: [])
    answers = dict.fromkeys(("new_scene", "shortcuts", "light", "blend", "about", "checks", "targets", "unsaved"))
    for name, answer in {**answers, "colour": "#112233", "ease": "back-in"}.items():
        monkeypatch.setattr(user.window.ask, name, lambda *_a, said=answer: said)
