"""A row of a form, and its label, by which a number can be dragged."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QMouseEvent, QResizeEvent
from PyQt6.QtWidgets import QBoxLayout, QLabel, QLineEdit, QSizePolicy, QWidget

from fictilis.app.widgets.layouts import across
from fictilis.app.widgets.number_field import SMALL, USUAL, NumberField


class ScrubLabel(QLabel):
    """The label of numbers: dragged to the sides it changes the one that has the keys, else the first; finely with Shift."""

    STEP = 4  # pixels

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self.fields: list[NumberField] = []
        self._from: float | None = None
        self._run: object = None
        self._left: object = None

    def about(self, field: QWidget) -> None:
        if isinstance(field, NumberField):
            self.fields.append(field)
            self.setCursor(Qt.CursorShape.SizeHorCursor)

    @property
    def field(self) -> NumberField | None:
        """The one that a drag changes."""
        return next((f for f in self.fields if f.hasFocus()), self.fields[0] if self.fields else None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.field is None or not self.field.isEnabled() or event.button() != Qt.MouseButton.LeftButton:
            super().mousePressEvent(event)
            return
        self._from, self._run, self._left = event.position().x(), object(), self._committed()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is None or self.field is None:
            return
        if self._committed() is not self._left:  # undone, or another scene: the drag is over
            self._from = None
            return
        steps = int((event.position().x() - self._from) / self.STEP)
        if steps:
            self._from += steps * self.STEP
            self.field.step(steps, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier), self._run)
            self._left = self._committed()

    def _committed(self) -> object:
        """What the drag stands on: the state of the window's document, where it has one."""
        return getattr(getattr(self.window(), "doc", None), "committed", None)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._from = None


NARROW = 50  # pixels of a label before three fields


class Labelled(QWidget):
    """A row: a quiet label, then fields that share the rest. Three numbers have room for four digits and a sign each; where
    they need more, they stand one below the other."""

    def __init__(self, name: str, *fields: QWidget, width: int = 0) -> None:
        super().__init__()
        three = len(fields) > 2
        self.row, self._fields = across(self, 3 if three else 5), QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self._fields.setSpacing(3 if three else 5)
        self.label = ScrubLabel(name)
        self.label.setProperty("quiet", True)
        self.label.setFixedWidth(width or (NARROW if three else 75))
        self.label.setStyleSheet("font-size: 12px;")
        self.row.addWidget(self.label)
        self.row.addLayout(self._fields, 1)
        for field in fields:
            self._fields.addWidget(field, 1)
            if isinstance(field, QLineEdit):
                self.label.setBuddy(field)
                self.label.about(field)
                field.setMinimumWidth(28)
                if three:
                    field.setStyleSheet("padding: 4px 1px;")
            elif isinstance(field, QLabel):
                field.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            if three and isinstance(field, NumberField):
                field.shown.connect(self._give_room)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._give_room()

    def _give_room(self) -> None:
        """Set the numbers one below the other where one has no room for its digits beside the others, and back where all have
        room in the usual letters: between the two a row stays as it is, so that none jumps while values play."""
        numbers = self.label.fields
        if len(numbers) < 3 or any(field.hasFocus() for field in numbers):
            return
        beside = self._fields.direction() == QBoxLayout.Direction.LeftToRight
        size = SMALL if beside else USUAL
        share = (self._fields.geometry().width() - 2 * self._fields.spacing()) // len(numbers)
        fits = all(field.wide(size) <= field.room(share) for field in numbers)
        if fits is not beside and share > 0:
            way = QBoxLayout.Direction
            self._fields.setDirection(way.LeftToRight if fits else way.TopToBottom)
