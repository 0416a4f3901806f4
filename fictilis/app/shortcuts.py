"""The window of all shortcuts, made from the actions table."""

from __future__ import annotations

from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QHeaderView, QKeySequenceEdit, QLineEdit, QTableWidget, QTableWidgetItem, QWidget

from fictilis.app.commands.rows import ROWS
from fictilis.app.model.finding import plain
from fictilis.app.widgets.dialogs import Dialog
from fictilis.core.ground.errors import there


class ShortcutsDialog(Dialog):
    """Every action with its keys; a key sequence can be changed in its cell."""

    def __init__(self, parent: QWidget, own: dict[str, list[str]]) -> None:
        super().__init__(parent, "All shortcuts", 620)
        self.own = {k: list(v) for k, v in own.items()}
        self.sentence(
            "Click a shortcut and press the new keys. Left drag is the tool;"
            " right drag turns the view, with Shift it moves it, with Ctrl it turns the light; the wheel zooms at the pointer.",
            True,
        )
        self.table = QTableWidget(len(ROWS), 3)
        self.table.setHorizontalHeaderLabels(["Where", "Action", "Keys"])
        there(self.table.verticalHeader()).hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.table.setMinimumHeight(400)
        self.editors: dict[str, QKeySequenceEdit] = {}
        for number, row in enumerate(ROWS):
            self.table.setItem(number, 0, QTableWidgetItem(row.place))
            self.table.setItem(number, 1, QTableWidgetItem(row.text.rstrip("…")))
            editor = QKeySequenceEdit()
            editor.setMaximumSequenceLength(1)
            keys = self.own.get(row.id, list(row.keys))
            if keys:
                editor.setKeySequence(QKeySequence(keys[0]))
            editor.keySequenceChanged.connect(lambda sequence, r=row: self._changed(r.id, sequence))
            self.editors[row.id] = editor
            self.table.setCellWidget(number, 2, editor)
            self.table.setRowHeight(number, 34)
        header = there(self.table.horizontalHeader())
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        header.resizeSection(0, 80)
        header.resizeSection(2, 170)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter by words or keys")
        self.filter.setAccessibleName("Filter the shortcuts")
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(self._filter)
        self.body.addWidget(self.filter)
        self.body.addWidget(self.table)
        self.filter.setFocus()
        self.clash = self.sentence("")
        self.clash.setProperty("error", True)
        self.clash.hide()
        self.button("reset", "All as shipped")
        self.button("cancel", "Cancel")
        self.button("keep", "Keep", True)

    def _filter(self, text: str) -> None:
        """Only the actions that all words are found in, by name, place or keys."""
        asked = plain(text).split()
        for number, row in enumerate(ROWS):
            keys = self.editors[row.id].keySequence().toString()
            self.table.setRowHidden(number, not all(word in plain(f"{row.text} {row.place} {keys}") for word in asked))

    def _changed(self, action_id: str, sequence: QKeySequence) -> None:
        self.own[action_id] = [sequence.toString()] if not sequence.isEmpty() else []
        users = [
            row.text.rstrip("…") for row in ROWS
            if not sequence.isEmpty() and sequence.toString() in self.own.get(row.id, list(row.keys))
        ]  # fmt: skip
        self.clash.setVisible(len(users) > 1)
        if len(users) > 1:
            self.clash.setText(f"{sequence.toString()} is used by {' and '.join(users)}.")
        self.buttons["keep"].setEnabled(len(users) <= 1)

    def _close(self, name: str) -> None:
        if name == "reset":
            self.own = {}
        super()._close(name)
