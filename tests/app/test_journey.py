"""A whole piece of work by mouse and keys, each action counted: a form, three targets, an in-between, keys, a loop, a movie
and a glTF file, without a sentence of refusal. A word that is typed, a click, a drag and a key are one action each."""

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton

import fictilis
from fictilis.core.mix.key_refs import jumping
from fictilis.core.scene.scene import Scene
from fictilis.pictures.orders import KINDS
from tests.app.conftest import CTRL, LEFT, NONE, SHIFT, User, point

K = Qt.Key
MOST = 60


class Counting:
    """A user whose actions are counted."""

    def __init__(self, user: User) -> None:
        self.user, self.count = user, 0

    def key(self, key, modifiers=NONE, on=None) -> None:
        self.count += 1
        self.user.press(key, modifiers, on or self.user.window.focusWidget())
        self.user.settle(1)

    def word(self, text: str, on=None) -> None:
        self.count += 1
        QTest.keyClicks(on or self.user.window.focusWidget(), text)

    def click(self, widget, at=None) -> None:
        self.count += 1
        QTest.mouseClick(widget, LEFT, NONE, point(at if at is not None else QPointF(widget.rect().center())))
        self.user.settle(1)

    def drag(self, way) -> None:
        self.count += 1
        middle = QPointF(self.user.view.width() / 2, self.user.view.height() / 2)
        self.user.drag(self.user.view, middle, middle + QPointF(*way))

    def find(self, text: str) -> None:
        self.key(K.Key_F, CTRL)
        self.word(text, self.user.window.top.find_field)
        self.key(K.Key_Return, on=self.user.window.top.find_field)

    def slide(self, name: str, part: float) -> None:
        slider = self.user.window.lanes.place_of(name).slider
        self.click(self.user.window.lanes.viewport(), QPointF(slider.left() + part * slider.width(), slider.center().y()))

    def to_frame(self, frame: float) -> None:
        self.click(self.user.window.lanes.viewport(), QPointF(self.user.window.lanes.axis.x(frame), 8))


def test_from_a_form_to_a_movie_and_a_file_in_sixty_actions(open_window, answers, tmp_path):
    user = open_window(Scene())
    hand, window, doc = Counting(user), user.window, user.doc
    window.ask.files.folder = str(tmp_path)

    def new(dialog):
        hand.click(next(b for b in dialog.findChildren(QPushButton) if b.text() == "Ball"))
        hand.click(dialog.buttons["form"])

    def movie(dialog):
        dialog.fields["width"].setText("64")  # only to be quick
        dialog.fields["width"].setModified(True)
        assert dialog.fields["looped"].isChecked()
        hand.click(dialog.buttons["ok"])

    def export(dialog):
        hand.click(dialog.buttons["ok"])

    answers(window, NewSceneDialog=new, PicturesDialog=movie, ExportDialog=export)
    hand.key(K.Key_N, CTRL)
    assert user.comes(lambda: user.view.picture is not None and user.view._image is not None)
    for number, (name, way) in enumerate((("Lean", (60, -30)), ("Sink", (0, 60)), ("Swell", (-60, -40)))):
        hand.key(K.Key_T, CTRL)
        hand.word(name)
        hand.key(K.Key_Return)
        if number == 0:
            hand.key(K.Key_Return)  # shapes it; the next ones are shaped at once
            hand.key(K.Key_6)
        hand.drag(way)
    hand.key(K.Key_Escape)
    hand.slide("Swell", 0.5)
    hand.key(K.Key_I, CTRL)
    hand.drag((0, -40))
    hand.key(K.Key_Escape)
    hand.find("all weights to zero")
    hand.key(K.Key_K, SHIFT)
    for before, name, frame in ((None, "Lean", 24.0), ("Lean", "Sink", 48.0), ("Sink", "Swell", 72.0)):
        hand.to_frame(frame)
        if before is not None:
            hand.slide(before, 0.0)
        hand.slide(name, 1.0)
        hand.key(K.Key_K, SHIFT)
    assert [ref.channel for ref in jumping(doc.scene)] == ["t3"]
    hand.find("close the loop")
    assert not jumping(doc.scene)
    hand.key(K.Key_M, CTRL | SHIFT)
    assert user.comes(lambda: window.making.jobs and window.making.jobs[-1].over, 30)
    hand.key(K.Key_E, CTRL)
    assert hand.count <= MOST
    assert not [said for said, kind in user.said if kind in ("error", "warning")]
    made = {p.suffix: p for p in tmp_path.iterdir()}
    assert set(made) >= {".glb", next(iter(KINDS["movie"].suffixes))}
    again, _ = fictilis.scene_from_file(made[".glb"])
    assert {t.name for t in again.objects[0].targets} >= {"Lean", "Sink", "Swell"}
    for target in user.obj.targets:
        assert target.deltas.largest > 0.1 and target.range == (0, 1), target.name
    doc.set_frame(72.0)
    assert np.allclose(list(doc.channels.weights(user.obj).values()), [0, 0, 1], atol=0.02)
