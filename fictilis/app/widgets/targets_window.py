"""All targets of an object as a table: names and ranges can be typed, rows sorted by their heading, all copied as text."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from fictilis.app.model.arithmetic import number_from
from fictilis.app.model.document import Document
from fictilis.app.widgets.dialogs import Dialog
from fictilis.core.edits.targets import rename_target, set_note, set_range
from fictilis.core.ground.errors import there
from fictilis.core.ground.names import by_number
from fictilis.core.scene.scene import MorphObject, Target

COLUMNS = ("Name", "Group", "From", "To", "Points moved", "Largest, cm", "Keys", "Note")
NAME, GROUP, LOW, HIGH, *_, NOTE = range(len(COLUMNS))
Value = str | float | int


class Cell(QTableWidgetItem):
    """What stands in the table; numbers are told in full, and sorted by their size."""

    def __init__(self, value: Value, target_id: str) -> None:
        super().__init__(value if isinstance(value, str) else f"{value:,}" if isinstance(value, int) else f"{value:,.3g}")
        self.value, self.target_id = value, target_id

    def __lt__(self, other: QTableWidgetItem) -> bool:
        if not isinstance(other, Cell) or isinstance(self.value, str) or isinstance(other.value, str):
            return by_number(self.text()) < by_number(other.text())
        return self.value < other.value


class TargetsDialog(Dialog):
    """What is typed is an edit at once, which can be undone; what cannot be is said and put back."""

    def __init__(self, parent: QWidget, doc: Document) -> None:
        super().__init__(parent, "Targets", 880)
        self.doc = doc
        self.sentence("A click on a heading sorts the rows. Names, ranges and notes can be typed.", True)
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setHorizontalHeaderLabels(COLUMNS)
        there(self.table.verticalHeader()).hide()
        self.table.setMinimumHeight(420)
        self.table.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        head = there(self.table.horizontalHeader())
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(NAME, QHeaderView.ResizeMode.Stretch)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.body.addWidget(self.table)
        self.button("copy", "Copy as text")
        self.button("close", "Close", True)
        self._fill()
        self.table.setSortingEnabled(True)
        self.table.sortItems(0)
        self.table.itemChanged.connect(self._typed)

    def _fill(self) -> None:
        obj = self.doc.obj
        self.table.blockSignals(True)
        self.table.setSortingEnabled(False)
        self.table.setRowCount(len(obj.targets))
        self.table.setColumnHidden(GROUP, not obj.groups)
        for row, values in enumerate(rows_of(obj)):
            for column, value in enumerate(values):
                item = Cell(value, obj.targets[row].id)
                if column not in (NAME, LOW, HIGH, NOTE):
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                if GROUP < column < NOTE:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, column, item)
        self.table.setSortingEnabled(True)
        self.table.blockSignals(False)

    def _typed(self, item: QTableWidgetItem) -> None:
        assert isinstance(item, Cell)  # there are no others
        doc, target_id, text = self.doc, item.target_id, item.text()
        target = doc.obj.target(target_id)
        if item.column() == NAME:
            doc.edit(f"Rename {target.name}", lambda s: rename_target(s, doc.obj.id, target_id, text))
        elif item.column() == NOTE:
            doc.edit(f"Note of {target.name}", lambda s: set_note(s, doc.obj.id, target_id, text))
        else:
            self._set_range(target, item.column(), text)
        self._fill()

    def _set_range(self, target: Target, column: int, text: str) -> None:
        doc = self.doc
        try:
            value = number_from(text)
        except ValueError:
            doc.say(f"“{text[:40]}” is not a number; the range of {target.name} stays.", "error")
        else:
            low, high = (value, target.range[1]) if column == LOW else (target.range[0], value)
            doc.edit(f"Range of {target.name}", lambda s: set_range(s, doc.obj.id, target.id, low, high))

    def text(self) -> str:
        """The rows as they are sorted, columns apart by tabs."""
        cells = [[there(self.table.item(r, c)).text() for c in range(len(COLUMNS))] for r in range(self.table.rowCount())]
        return "\n".join("\t".join(row) for row in (COLUMNS, *cells)) + "\n"

    def _close(self, name: str) -> None:
        clipboard = QApplication.clipboard()
        if name != "copy":
            super()._close(name)
        elif clipboard is not None:
            clipboard.setText(self.text())


def rows_of(obj: MorphObject) -> list[tuple[Value, ...]]:
    """What the table says of each target of an object, by its columns."""
    groups = {g.id: g.name for g in obj.groups}
    keys = {lane.channel: len(lane.curve.keys) for lane in obj.lanes}
    return [
        (t.name, groups.get(t.group or "", ""), *t.range, len(t.deltas.indices), t.deltas.largest, keys.get(t.id, 0), t.note)
        for t in obj.targets
    ]
