"""Hours of random input: ``make soak``. Each seed is printed by pytest as the test's name, and can be run alone by it."""

import os
import random

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from fictilis.app.commands.actions import ROWS
from fictilis.core.animation.curve import Key
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.shape import ShapeRef
from fictilis.core.edits.targets import target_from_points
from fictilis.core.geometry.primitives import ball
from fictilis.formats.native import read_native, write_native
from tests.app.conftest import CTRL, NONE, SHIFT
from tests.app.test_bench import forms  # noqa: F401
from tests.formats.test_native import same

SEEDS = range(int(os.environ.get("FICTILIS_SOAK", "1")), int(os.environ.get("FICTILIS_SOAK", "1")) + 12)
STEPS = int(os.environ.get("FICTILIS_SOAK_STEPS", "1500"))
LEAVE = {"quit", "demo", "open", "new", "theme", "play", "save", "save-as", "export", "export-shapes"}

pytestmark = [pytest.mark.soak, pytest.mark.timeout(3600)]


@pytest.fixture
def scene(sheet):
    """Two objects with targets, keys on several lanes."""
    scene = set_key(set_key(set_key(sheet, "o1", "t1", Key(0, 0)), "o1", "t1", Key(20, 1)), "o1", "position.x", Key(10, 3))
    points, mesh = ball(8.0, 4)
    scene, other = add_object(scene, "Ball", mesh, points)
    return target_from_points(scene, other, "Puff", points * 1.3)[0]


class Monkey:
    """Does one thing after another, whatever comes."""

    def __init__(self, user, seed: int) -> None:
        self.user, self.random, self.done = user, random.Random(seed), []

    def place(self, widget) -> QPointF:
        return QPointF(self.random.uniform(2, widget.width() - 2), self.random.uniform(2, widget.height() - 2))

    def widget(self):
        window = self.user.window
        return self.random.choice((window.view, window.view, window.lanes.viewport(), window.column.cards, window.marker_row))

    def action(self) -> None:
        row = self.random.choice([r for r in ROWS if r.id not in LEAVE])
        self.done.append(row.id)
        action = self.user.window.actions_.by_id[row.id]
        if action.isEnabled():
            action.trigger()

    def drag(self) -> None:
        widget, between = self.widget(), None
        if self.random.random() < 0.3:
            between = self.random.choice((self.action, self.key, lambda: self.user.doc.undo(), self.shape))
        keys = self.random.choice((NONE, NONE, SHIFT, CTRL))
        button = self.random.choice((Qt.MouseButton.LeftButton,) * 4 + (Qt.MouseButton.RightButton,))
        self.done.append(f"drag {type(widget).__name__}")
        self.user.drag(widget, self.place(widget), self.place(widget), keys, button, between)

    def key(self) -> None:
        key = self.random.choice("1234567890[]mvlk-.") if self.random.random() < 0.6 else None
        focus = self.user.window.focusWidget() or self.user.view
        self.done.append(f"key {key}")
        if key:
            QTest.keyClick(focus, key)
        else:
            QTest.keyClick(focus, self.random.choice((Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Delete)))

    def shape(self) -> None:
        doc = self.user.doc
        if doc.object is not None:
            refs = [ShapeRef(), *(ShapeRef(t.id) for t in doc.object.targets)]
            self.done.append("shape")
            doc.start_shaping(self.random.choice(refs))

    def object(self) -> None:
        if self.user.doc.scene.objects:
            self.done.append("object")
            self.user.doc.select_object(self.random.choice(self.user.doc.scene.objects).id)

    def frame(self) -> None:
        self.user.doc.set_frame(float(self.random.randrange(0, 60)))

    def pick(self) -> None:
        obj = self.user.doc.object
        if obj is not None and len(obj.base):
            self.user.doc.set_picks(np.unique([self.random.randrange(len(obj.base)) for _ in range(4)]))

    def step(self) -> None:
        self.random.choice(
            (self.action, self.action, self.drag, self.drag, self.key, self.shape, self.object, self.frame, self.pick)
        )()


@pytest.mark.parametrize("seed", SEEDS)
def test_a_monkey_at_the_window_leaves_a_whole_scene(open_window, scene, forms, monkeypatch, tmp_path, seed):  # noqa: F811
    user = open_window(scene)
    forms(user)
    ask, monkey = user.window.ask, Monkey(user, seed)
    for name in ("open", "save", "folder_for"):
        monkeypatch.setattr(ask.files, name, lambda *_a: None)
    monkeypatch.setattr(ask.files, "open_several", lambda *_a: [])
    answers = dict.fromkeys(("new_scene", "shortcuts", "light", "blend", "about", "checks", "unsaved"))
    answers |= {"colour": "#112233", "ease": "back-in", "base": "follow"}
    for name, answer in answers.items():
        monkeypatch.setattr(ask, name, lambda *_a, said=answer: said)
    user.view.ask_base = lambda _moved: "follow"
    for number in range(STEPS):
        monkey.step()
        doc = user.doc
        assert all(doc.channels.find(ref) is not None for ref in doc.selected), monkey.done[-9:]
        assert doc.shaping is None or doc.shaping.exists_in(doc.object), monkey.done[-9:]
        points = sum(len(o.base) for o in user.doc.scene.objects)
        if points > 20_000 or not user.doc.scene.objects:
            user.doc.open_scene(scene, None)
        if number % 50 == 49:
            user.settle(1)
            write_native(tmp_path / "s.fictilis", user.doc.settled.scene)
            assert same(read_native(tmp_path / "s.fictilis"), user.doc.settled.scene), monkey.done[-50:]
    user.view.strokes.cancel()
    user.doc.cancel_preview()
    now = user.doc.settled.scene
    steps = 0
    while user.doc.undo_label():
        user.doc.undo()
        steps += 1
    for _ in range(steps):
        user.doc.redo()
    assert same(user.doc.settled.scene, now)
