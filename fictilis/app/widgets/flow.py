"""Widgets one after another like words, in as many lines as they need."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QWidget


class Flow(QLayout):
    """Lays its widgets out in lines, all of them centred on their line. One with the property ``joins`` stands close to the one
    before it, as a comma does."""

    def __init__(self, parent: QWidget | None = None, gap: int = 5, line: int = 4) -> None:
        super().__init__(parent)
        self.gap, self.line = gap, line
        self._items: list[QLayoutItem] = []
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._lay(QRect(0, 0, width, 0), False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay(rect, True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        widest = max((item.minimumSize().width() for item in self._items), default=0)
        return QSize(widest, max((item.sizeHint().height() for item in self._items), default=0))

    def _lay(self, rect: QRect, place: bool) -> int:
        x = y = high = 0
        row: list[tuple[QLayoutItem, int, QSize]] = []

        def end() -> None:
            for item, left, size in row if place else ():
                item.setGeometry(QRect(QPoint(rect.x() + left, rect.y() + y + (high - size.height()) // 2), size))

        for item in self._items:
            size, widget = item.sizeHint(), item.widget()
            if x and widget is not None and widget.property("joins"):
                x -= self.gap - 1
            if x and x + size.width() > rect.width():
                end()
                x, y, high, row = 0, y + high + self.line, 0, []
            row.append((item, x, size))
            x += size.width() + self.gap
            high = max(high, size.height())
        end()
        return y + high
