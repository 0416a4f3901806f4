"""All targets of an object as a table: names and ranges can be typed, rows sorted by their heading, all copied as text."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from fictilis.app.model.document import Document
from fictilis.app.widgets.dialogs import Dialog
from fictilis.core.edits.targets import rename_target, set_range
from fictilis.core.scene.scene import MorphObject

COLUMNS = ("Name", "Group", "From", "To", "Points moved", "Largest, cm", "Keys")
NAME, GROUP, LOW, HIGH = range(4)
Value = str | float | int


class TargetsDialog(Dialog):
    """What is typed is an edit at once, which can be undone; what cannot be is said and put back."""

    def __init__(self, parent: QWidget, doc: Document) -> None:
        super().__init__(parent, "Targets", 760)
        self.doc = doc
        self.sentence("A click on a heading sorts the rows. Names and ranges can be typed.", True)
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setHorizontalHeaderLabels(COLUMNS)
        self.table.verticalHeader().hide()
        self.table.setMinimumHeight(420)
        self.table.setAlternatingRowColors(True)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        head = self.table.horizontalHeader()
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(NAME, QHeaderView.ResizeMode.Stretch)
        self.body.addWidget(self.table)
        self.button("copy", "Copy as text")
        self.button("close", "Close", True)
        self._fill()
        self.table.setSortingEnabled(True)
        self.table.sortItems(0)
        self.table.itemChanged.connect(self._typed)

    def _fill(self) -> None:
        obj = self.doc.object
        self.table.blockSignals(True)
        self.table.setSortingEnabled(False)
        self.table.setRowCount(len(obj.targets))
        for row, values in enumerate(rows_of(obj)):
            for column, value in enumerate(values):
                item = QTableWidgetItem()
                item.setData(Qt.ItemDataRole.EditRole, value)
                item.setData(Qt.ItemDataRole.UserRole, obj.targets[row].id)
                if column in (NAME, LOW, HIGH):
                    item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
                else:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                if column > GROUP:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, column, item)
        self.table.setSortingEnabled(True)
        self.table.blockSignals(False)

    def _typed(self, item: QTableWidgetItem) -> None:
        doc, target_id, column = self.doc, item.data(Qt.ItemDataRole.UserRole), item.column()
        target, value = doc.object.target(target_id), item.data(Qt.ItemDataRole.EditRole)
        if column == NAME:
            doc.edit(f"Rename {target.name}", lambda s: rename_target(s, doc.object_id, target_id, str(value)))
        else:
            low, high = (float(value), target.range[1]) if column == LOW else (target.range[0], float(value))
            doc.edit(f"Range of {target.name}", lambda s: set_range(s, doc.object_id, target_id, low, high))
        self._fill()

    def text(self) -> str:
        """The rows as they are sorted, columns apart by tabs."""
        cells = [[self.table.item(r, c).text() for c in range(len(COLUMNS))] for r in range(self.table.rowCount())]
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
        (t.name, groups.get(t.group or "", ""), *t.range, len(t.deltas.indices), round(t.deltas.largest, 3), keys.get(t.id, 0))
        for t in obj.targets
    ]
