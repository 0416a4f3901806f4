"""The find field of the top line: a few words find actions, objects, targets, lanes, markers and settings."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint, QRectF, Qt
from PyQt6.QtGui import QColor, QFocusEvent, QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QFrame, QWidget

from fictilis.app.model.finding import Findable, find, spans
from fictilis.app.widgets.fields import ArrowCombo, Editor, KeptKeysField
from fictilis.app.widgets.theme import Palette, font, pixmap
from fictilis.core.ground.errors import there

ROW, WIDE, EDGE = 34, 600, 8  # pixels: a row, the list, and its distance from the window's edge
PLACE = 300  # where the middle column begins
LEAST, TYPING, MOST = 64, 150, 190  # of the field


class FindField(KeptKeysField):
    """Typing lists what fits beneath; Up and Down choose, Enter runs or goes there, Esc leaves."""

    def __init__(self, palette: Palette, things: Callable[[], Sequence[Findable]]) -> None:
        super().__init__()
        self.things = things
        self.setMinimumWidth(LEAST)
        self.setMaximumWidth(MOST)
        self.setAccessibleName("Find actions, targets, lanes, markers and settings")
        self.setToolTip("Find an action, a target, a lane, a marker or a setting by a few words (Ctrl+F)")
        self.list = FindList(palette, self)
        self._known: Sequence[Findable] = ()
        self._signed = True
        self.textEdited.connect(self._search)
        self.set_palette_(palette)

    def set_palette_(self, palette: Palette) -> None:
        self.list.palette_ = palette
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self._signed:
            return
        sign = pixmap("magnifying-glass", self.list.palette_.quiet, 15, self.devicePixelRatioF())
        QPainter(self).drawPixmap(9, self.height() // 2 - 7, sign)

    def _fit(self) -> None:
        """In a narrow window the sign makes room for what is typed."""
        self._signed = self.width() > 84 or not self.hasFocus()
        self.setTextMargins(20 if self._signed else 0, 0, 0, 0)
        self.setPlaceholderText("Find" if self.width() > 84 else "")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()
        if self.list.isVisible():
            self.list.place()

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self._need(TYPING)
        self._fit()

    def _need(self, wide: int) -> None:
        """Take so much room at least; in a narrow window what stands beside it steps back at once, as the list lies beneath."""
        self.setMinimumWidth(wide)
        part: QWidget | None = self.parentWidget()
        while part is not None and part is not self.window():
            layout = part.layout()
            if layout is not None:
                layout.activate()
            part = part.parentWidget()

    def begin(self) -> None:
        """Come to the field, with its text selected."""
        self.setFocus(Qt.FocusReason.ShortcutFocusReason)
        self.selectAll()
        self._search(self.text())

    def _search(self, text: str) -> None:
        if not self._known:
            self._known = self.things()
        self.list.show_found(find(self._known, text), text)

    def choose(self, thing: Findable) -> None:
        """Run or go to what was found; what is not possible now stays, and says why."""
        if not thing.why:
            self.leave()
            thing.run()

    def leave(self) -> None:
        self.list.hide()
        self.clear()
        self._known = ()
        if self.hasFocus() and there(self.window()).focusProxy() is not None:
            there(self.window()).setFocus()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._need(LEAST)
        self._fit()
        self.list.hide()
        self._known = ()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        way = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if way is not None:
            self.list.step(way)
        elif event.key() == Qt.Key.Key_Escape:
            self.leave()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self.list.chosen is not None:
                self.choose(self.list.chosen)
        else:
            super().keyPressEvent(event)


class FindList(QFrame):
    """What was found, over the window's other parts."""

    def __init__(self, palette: Palette, field: FindField) -> None:
        super().__init__(field)
        self.palette_, self.field = palette, field
        self.setObjectName("found")
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setMouseTracking(True)
        self.found: list[Findable] = []
        self.text = ""
        self.at = 0
        self.hide()

    @property
    def chosen(self) -> Findable | None:
        return self.found[self.at] if self.isVisible() and self.at < len(self.found) else None

    def show_found(self, found: list[Findable], text: str) -> None:
        self.found, self.text, self.at = found, text, 0
        if not text.strip():
            self.hide()
            return
        self.setParent(self.field.window())  # over everything, and cut by nothing
        self.place()
        self.show()
        self.raise_()
        self.update()

    def place(self) -> None:
        """Beneath the field, within the window."""
        window = there(self.field.window())
        wide = min(WIDE, window.width() - 2 * EDGE)
        below = self.field.mapTo(window, QPoint(0, self.field.height() + 4))
        left = min(max(below.x() + self.field.width() - wide, EDGE), window.width() - wide - EDGE)
        self.setGeometry(left, below.y(), wide, max(len(self.found), 1) * ROW + 8)

    def step(self, way: int) -> None:
        if self.found:
            self.at = (self.at + way) % len(self.found)
            self.update()

    def row(self, number: int) -> QRectF:
        return QRectF(4, 4 + number * ROW, self.width() - 8, ROW)

    def paintEvent(self, _event: object) -> None:
        p, painter = self.palette_, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(p.line))
        painter.setBrush(QColor(p.raised))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 7, 7)
        if not self.found:
            painter.setPen(QColor(p.quiet))
            painter.setFont(font(13))
            painter.drawText(self.row(0).adjusted(10, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, "Nothing is called that here.")
        for number, thing in enumerate(self.found):
            self._paint_row(painter, self.row(number), thing, number == self.at)

    def _paint_row(self, painter: QPainter, rect: QRectF, thing: Findable, on: bool) -> None:
        p = self.palette_
        if on:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(p.primary_soft))
            painter.drawRoundedRect(rect, 5, 5)
        middle = rect.center().y()
        left, column = rect.left() + 10, rect.left() + min(PLACE, rect.width() * 0.52)
        if thing.colour:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(p.lane(thing.colour)))
            painter.drawEllipse(QRectF(left, middle - 4, 8, 8))
        elif thing.icon:
            painter.drawPixmap(round(left) - 2, round(middle) - 7, pixmap(thing.icon, p.quiet, 14))
        if thing.colour or thing.icon:
            left += 16
        quiet = QColor(p.quiet)
        left = self._paint_title(painter, QRectF(left, rect.top(), column - left - 8, rect.height()), thing)
        keys = "Enter" if on and not thing.why and not thing.keys else thing.keys
        painter.setFont(font(12.5))
        painter.setPen(quiet)
        wide = QFontMetricsF(painter.font()).horizontalAdvance(keys)
        painter.drawText(rect.adjusted(0, 0, -10, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, keys)
        place = QRectF(column, rect.top(), rect.right() - column - wide - 20, rect.height())
        said = f"{thing.place} · {thing.why}" if thing.why and thing.place else thing.why or thing.place
        _elided(painter, place, said)

    def _paint_title(self, painter: QPainter, rect: QRectF, thing: Findable) -> float:
        """The title with the words asked for in bold, and its note; where it ends."""
        p, bold, usual = self.palette_, font(13, 700), font(13, 500)
        x, marks = rect.left(), spans(thing.title, self.text)
        for number, letter in enumerate(thing.title):
            style: QFont = bold if any(a <= number < b for a, b in marks) else usual
            wide = QFontMetricsF(style).horizontalAdvance(letter)
            if x + wide > rect.right():
                painter.drawText(QRectF(x, rect.top(), 14, rect.height()), Qt.AlignmentFlag.AlignVCenter, "…")
                return x
            painter.setFont(style)
            painter.setPen(QColor(p.quiet if thing.why else p.text))
            painter.drawText(QRectF(x, rect.top(), wide + 2, rect.height()), Qt.AlignmentFlag.AlignVCenter, letter)
            x += wide
        painter.setFont(font(12.5))
        painter.setPen(QColor(p.quiet))
        _elided(painter, QRectF(x + 7, rect.top(), rect.right() - x - 7, rect.height()), thing.note)
        return x

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        number = int((event.position().y() - 4) // ROW)
        if 0 <= number < len(self.found) and number != self.at:
            self.at = number
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.mouseMoveEvent(event)
        if self.chosen is not None:
            self.field.choose(self.chosen)


def _elided(painter: QPainter, rect: QRectF, text: str) -> None:
    if rect.width() > 12:
        text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(rect.width()))
        painter.drawText(rect, Qt.AlignmentFlag.AlignVCenter, text)


def named_fields(parts: Sequence[tuple[str, QWidget]]) -> list[tuple[str, str, QWidget]]:
    """The fields seen in some parts of a window: name, where it is, and the field."""
    found: list[tuple[str, str, QWidget]] = []
    for place, part in parts:
        for field in part.findChildren(QWidget):
            if isinstance(field, Editor | ArrowCombo) and field.isVisible() and field.isEnabled() and field.accessibleName():
                found.append((field.accessibleName(), place, field))
    return found
