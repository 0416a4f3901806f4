"""A number with its unit."""

from __future__ import annotations

import math
from contextlib import nullcontext

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFocusEvent,
    QFont,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QStyle, QStyleOptionFrame

from fictilis.app.model.arithmetic import number_from
from fictilis.app.model.document import Document
from fictilis.app.widgets.fields import Editor
from fictilis.app.widgets.layouts import dress
from fictilis.core.ground.errors import there

USUAL, SMALL = 13, 11  # pixels of letters, as in style.qss
EDGES = 4  # pixels that Qt leaves beside a text within a field


class NumberField(Editor):
    """A number with its unit. ``committed`` after Enter or leaving the field, with a number within bounds only."""

    committed = pyqtSignal(float)
    shown = pyqtSignal()  # another text stands in it

    def __init__(
        self, name: str, unit: str = "", decimals: int = 2, low: float = -1e9, high: float = 1e9, trimmed: bool = False,
        none: str = "",
    ) -> None:  # fmt: skip
        """``trimmed``: without zeros behind the point that say nothing. ``none`` is a word for the lowest number."""
        super().__init__()
        self.unit, self.decimals, self.low, self.high, self.trimmed, self.none = unit, decimals, low, high, trimmed, none
        self.value = 0.0
        self._whole = False  # what the click that brought the keys selects
        self._stands: tuple = ()  # what was shown last, and where: working out what has room takes time
        self._tip: str | None = None  # the tip, while one with all digits stands in its place
        self.setAccessibleName(name)
        if unit:
            self.setTextMargins(0, 0, 22 if len(unit) < 3 else 30, 0)

    def set_value(self, value: float) -> None:
        """Show a value without announcing it; a field being edited is left alone."""
        editing = self.hasFocus() and self.begun()
        self.value = float(value)
        if not editing:
            self.leave()

    def leave(self) -> None:
        self._mark(True)
        state = (self.value, self.decimals, self.width(), self.isVisible(), self.hasFocus())
        if (*state, self.text()) == self._stands:
            return
        text = self._fitting(self.value)
        self._stands = (*state, text)
        if text != self.text():
            self.setText(text)
            self.shown.emit()

    def room(self, width: int) -> int:
        """Pixels for letters in a field that is so wide."""
        option, margins = QStyleOptionFrame(), self.textMargins()
        self.initStyleOption(option)
        option.rect.setWidth(width)
        inside = there(self.style()).subElementRect(QStyle.SubElement.SE_LineEditContents, option, self)
        return inside.width() - EDGES - margins.left() - margins.right()

    def wide(self, size: int) -> int:
        """Pixels of all its digits in letters of a size."""
        return self._wide(self._text(self.value), size)

    def _fitting(self, value: float) -> str:
        """All digits, in smaller letters where there is no room, and then as many behind the point as there is room for, while
        the field has not the keys; the tip has them all."""
        text = whole = self._text(value)
        room, kept = self.room(self.width()), self.isVisible() and not self.hasFocus()
        self._set_small(kept and self._wide(text, USUAL) > room)
        places = self.decimals
        while places and kept and self._wide(text, SMALL) > room:
            places -= 1
            text = f"{value:.{places}f}"
        if self._tip is None and text != whole:
            self._tip = self.toolTip()
        if self._tip is not None:
            self.setToolTip(self._tip if text == whole else whole)
            self._tip = None if text == whole else self._tip
        return text

    def _wide(self, text: str, size: int) -> int:
        """Pixels of a text in letters of a size."""
        letters = QFont(self.font())
        letters.setPixelSize(size)
        return QFontMetrics(letters).horizontalAdvance(text)

    def _set_small(self, on: bool) -> None:
        dress(self, small=on)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if not self.hasFocus() and not self.begun():
            self.leave()

    def typed(self) -> float | None:
        """The number that stands in the field; None where none does, or one out of bounds."""
        if self.none and self.text().strip() in ("", self.none):
            return self.low
        try:
            value = number_from(self.text().strip().removesuffix(self.unit))
        except ValueError:
            return None
        return value if math.isfinite(value) and self.low <= value <= self.high else None

    def _text(self, value: float) -> str:
        if self.none and value == self.low:
            return self.none
        text = f"{value:.{self.decimals}f}"
        text = text.rstrip("0").rstrip(".") if self.trimmed and "." in text else text
        return "0" if text == "-0" else text

    def _mark(self, good: bool) -> None:
        if dress(self, bad=not good):
            self.setToolTip("" if good else f"A number from {self.low:g} to {self.high:g} is needed.")

    def take(self) -> None:
        """Take what was typed, where it is a number within bounds."""
        value = self.typed()
        self._mark(value is not None)
        if value is not None:
            self.value = value
            self.setText(self._text(value))
            self.committed.emit(value)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.isModified():
            self.leave()
            return
        super().keyPressEvent(event)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if there(self.window()).focusProxy() is not None:
                event.accept()
                there(self.window()).setFocus()  # to the view, where keys are shortcuts again
            elif self.property("bad"):
                event.accept()
                self.selectAll()
            else:
                event.ignore()  # in a dialog it is the main button

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self._whole = event.reason() == Qt.FocusReason.MouseFocusReason
        if not self.begun():
            self.leave()
        if event.reason() != Qt.FocusReason.ActiveWindowFocusReason:
            self.selectAll()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        if not self.begun() and not self.property("bad"):
            self.leave()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The click that comes to the field takes all of it, a drag what it is drawn over."""
        super().mouseReleaseEvent(event)
        if self._whole and not self.hasSelectedText():
            self.selectAll()
        self._whole = False

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self.selectAll()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """A step up or down, for a field that has the keys; with Shift a tenth of it."""
        turn = event.angleDelta()
        if not self.hasFocus() or not (turn.y() or turn.x()):
            event.ignore()
            return
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.step(math.copysign(1, turn.y() or turn.x()), fine, self)
        self.selectAll()

    def step(self, count: float, fine: bool, run: object) -> None:
        """So many steps more, as what the field's document counts as one step while it comes from the same ``run``."""
        now, wide = self.typed() if self.begun() else self.value, self.high - self.low
        step = 1.0 if self.decimals < 2 else wide / 100 if wide <= 10 else 0.1
        step = max(step * (0.1 if fine else 1.0), 10.0**-self.decimals)
        value = min(max((self.value if now is None else now) + count * step, self.low), self.high)
        if value == self.value:
            return
        doc = getattr(self.window(), "doc", None)
        with doc.one_step(run) if isinstance(doc, Document) else nullcontext():
            self.setText(self._text(value))
            self.setModified(False)
            self.take()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.unit:
            painter = QPainter(self)
            colour = QColor(self.palette().text().color())
            colour.setAlpha(150)
            painter.setPen(colour)
            rect = QRectF(self.rect()).adjusted(0, 0, -9, 0)
            painter.drawText(rect, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self.unit)
