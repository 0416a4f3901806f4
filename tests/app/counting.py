"""A user whose actions are counted: a word that is typed, a click, a drag and a key are one each."""

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton

from tests.app.conftest import CTRL, LEFT, NONE, User, point

K = Qt.Key


class Counting:
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

    def card(self, name: str, keys=NONE) -> None:
        self.count += 1
        cards = self.user.window.column.cards
        self.user.click(cards, cards.place_of(name).name.center(), keys)

    def form(self, dialog, name: str) -> None:
        """Answers the window of a new scene."""
        self.click(next(b for b in dialog.findChildren(QPushButton) if b.text() == name))
        self.click(dialog.buttons["form"])

    def target(self, name: str, way: tuple[float, float]) -> None:
        """A new target of a name, shaped by one stroke."""
        self.key(K.Key_T, CTRL)
        self.word(name)
        self.key(K.Key_Return)
        if self.user.doc.shaping is None:
            self.key(K.Key_Return)
            self.key(K.Key_6)
        self.drag(way)
