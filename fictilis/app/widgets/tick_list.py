"""A list of things with a tick each."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout

from fictilis.app.widgets.labelled import Labelled

ROW, MOST_ROWS = 25, 5
KEY = Qt.ItemDataRole.UserRole
ON, OFF = Qt.CheckState.Checked, Qt.CheckState.Unchecked


class TickList(QListWidget):
    """Rows of (key, text, ticked). ``changed`` is called after each tick. Space ticks the row, as a click on it does."""

    def __init__(self, name: str, rows: Iterable[tuple[str, str, bool]], changed: Callable[[], None]) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.set_rows(rows)
        self._changed = changed
        self.itemChanged.connect(lambda _item: changed())

    def set_rows(self, rows: Iterable[tuple[str, str, bool]]) -> None:
        self.blockSignals(True)
        self.clear()
        for key, text, on in rows:
            item = QListWidgetItem(text)
            item.setData(KEY, key)
            item.setToolTip(text)
            item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsSelectable)
            item.setCheckState(ON if on else OFF)
            self.addItem(item)
        self.blockSignals(False)
        self.setFixedHeight(ROW * min(max(self.count(), 1), MOST_ROWS) + 6)

    @property
    def ticked(self) -> tuple[str, ...]:
        """The keys of the rows that have a tick, in their order."""
        items = (self.item(n) for n in range(self.count()))
        return tuple(item.data(KEY) for item in items if item is not None and item.checkState() == ON)

    def tick_all(self, on: bool) -> None:
        """A tick for every row, or for none."""
        self.blockSignals(True)
        for n in range(self.count()):
            item = self.item(n)
            if item is not None:
                item.setCheckState(ON if on else OFF)
        self.blockSignals(False)
        self._changed()

    def tick(self, key: str, on: bool) -> None:
        for n in range(self.count()):
            item = self.item(n)
            if item is not None and item.data(KEY) == key:
                item.setCheckState(ON if on else OFF)


def ticks_row(name: str, ticks: TickList, width: int) -> Labelled:
    """A labelled list, with buttons for all and none of it where it is long."""
    row = Labelled(name, ticks, width=width)
    if ticks.count() > MOST_ROWS:
        both = QVBoxLayout()
        for text, on in (("All", True), ("None", False)):
            button = QPushButton(text)
            button.clicked.connect(lambda _on, on=on: ticks.tick_all(on))
            both.addWidget(button)
        both.addStretch(1)
        row.row.addLayout(both)
    return row
