"""Which lanes are shown: the chooser above the heads."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMenu, QToolButton, QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.lanes.places import RULER
from fictilis.app.model.document import Document
from fictilis.core.ground.errors import there

WHICH = ("lanes-all", "lanes-keyed", "lanes-selected", "lanes-weight", "lanes-object", "lanes-camera")
WORDS = {"all": "All lanes", "keyed": "Keyed lanes", "selected": "Selected", "weight": "Weights", "object": "Object",
         "camera": "Camera"}  # fmt: skip


class LaneChoice(QToolButton):
    """All, those with keys, those selected, of one part, or of a group."""

    def __init__(self, parent: QWidget, doc: Document, actions: Actions) -> None:
        super().__init__(parent)
        self.doc, self.actions_ = doc, actions
        self.setProperty("flat", True)
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.setToolTip("Which lanes are shown")
        menu = QMenu(self)
        menu.aboutToShow.connect(self._fill)
        self.setMenu(menu)
        self._fill()
        self.setFixedHeight(RULER - 3)
        self.move(4, 1)

    def _fill(self) -> None:
        menu = there(there(self.menu()))
        menu.clear()
        self.actions_.add_to(menu, WHICH)
        groups = self.doc.object.groups if self.doc.object else ()
        if groups:
            menu.addSeparator()
        for group in groups:
            action = there(menu.addAction(group.name, lambda g=group.id: self.doc.change(lanes_shown=f"group:{g}")))
            action.setCheckable(True)
            action.setChecked(self.doc.lanes_shown == f"group:{group.id}")
        menu.addSeparator()
        menu.addAction(self.actions_.by_id["shared-scale"])

    def _words(self) -> str:
        which = self.doc.lanes_shown
        if not which.startswith("group:"):
            return WORDS[which]
        group = self.doc.object.group(which.removeprefix("group:")) if self.doc.object else None
        return group.name if group else "No group"

    def refresh(self) -> None:
        words = self.fontMetrics().elidedText(self._words(), Qt.TextElideMode.ElideRight, 96)
        self.setText(words + "  ▾")
        self.adjustSize()
