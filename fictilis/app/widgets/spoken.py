"""What a painted widget shows, told to assistive technology: a list that nobody sees and that lies where things are painted.

Qt tells about the rows of an item view by itself: names, places, what is selected and what the keys have reached. So each
painted widget has one over it that paints nothing and takes no mouse; the keys stay with the painted widget.
"""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import Any

from PyQt6.QtCore import (
    QAbstractListModel,
    QEvent,
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QObject,
    QPoint,
    QRect,
    QRectF,
    Qt,
)
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QAbstractItemView, QFrame, QListView

from fictilis.app.model.document import Document
from fictilis.app.widgets.layouts import later
from fictilis.core.ground.errors import FictilisError, there

GONE = (FictilisError, LookupError, StopIteration, AttributeError)  # what a row was about, since it was told
SOON = 40  # ms after a change; a hurry of changes is told once


class Spoken(QListView):
    """The list over ``painted``. A kind of list says what its rows are."""

    def __init__(self, painted: Any, doc: Document, name: str, keys: Any = None) -> None:
        """Over the widget ``painted``; ``keys`` is the widget that has the focus for it, by default the same."""
        super().__init__(painted)
        self.doc, self.painted = doc, painted
        self._rows = _Rows(self)
        self._telling = False
        self.setObjectName("spoken")
        self.setAccessibleName(name)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setUniformItemSizes(True)  # else a thousand rows are asked for their fonts
        there(self.viewport()).setAutoFillBackground(False)
        self.setFocusProxy(keys or painted)
        self.setModel(self._rows)
        self.lower()
        self.soon = later(self, SOON, self.tell)
        doc.changed.connect(self.soon.start)
        painted.installEventFilter(self)
        self.soon.start()

    # what a kind of list says

    def things(self) -> Sequence[Any]:
        """Whatever stands in the rows now."""
        raise NotImplementedError

    def name_of(self, thing: Any) -> Hashable:
        """What tells a thing from the others, also after a change."""
        raise NotImplementedError

    def said(self, thing: Any) -> tuple[str, str]:
        """What is read first, and what more there is to it."""
        raise NotImplementedError

    def place(self, thing: Any) -> QRectF:
        """Where it is painted."""
        raise NotImplementedError

    def is_chosen(self, thing: Any) -> bool:
        raise NotImplementedError

    def choose(self, thing: Any) -> None:
        """It was selected through assistive technology."""
        raise NotImplementedError

    # the rest is the same for all

    def tell(self) -> None:
        """Bring the rows up to date."""
        self.soon.stop()
        self._telling = True
        self._rows.put(list(self.things()))
        chosen, current = QItemSelection(), QModelIndex()
        for row, thing in enumerate(self._rows.things):
            if self.is_chosen(thing):
                current = self._rows.index(row)
                chosen.select(current, current)
        there(self.selectionModel()).select(chosen, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        there(self.selectionModel()).setCurrentIndex(current, QItemSelectionModel.SelectionFlag.NoUpdate)
        self._telling = False

    def selectionChanged(self, selected: QItemSelection, deselected: QItemSelection) -> None:
        super().selectionChanged(selected, deselected)
        if self._telling or not selected.indexes():
            return
        row = selected.indexes()[0].row()
        if not self.soon.isActive():
            self.choose(self._rows.things[row])
        # else something changed since the rows were told, and this one may be gone

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in (QEvent.Type.Resize, QEvent.Type.Show):
            self.setGeometry(self.painted.rect())
        return False

    def visualRect(self, index: QModelIndex) -> QRect:
        row = index.row()
        return self._rect(self._rows.things[row]) if 0 <= row < len(self._rows.things) else QRect()

    def _rect(self, thing: Any) -> QRect:
        try:
            return self.place(thing).toRect()
        except GONE:
            return QRect()

    def indexAt(self, at: QPoint) -> QModelIndex:
        for row, thing in enumerate(self._rows.things):
            if self._rect(thing).contains(at):
                return self._rows.index(row)
        return QModelIndex()

    def scrollTo(self, index: QModelIndex, hint: Any = None) -> None:
        """Do nothing: the painted widget scrolls itself."""

    def doItemsLayout(self) -> None:
        """Things stand where they are painted."""

    def updateGeometries(self) -> None:
        """Nothing is scrolled."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Nothing is seen of it."""


class _Rows(QAbstractListModel):
    """The things as rows, whose words are made when they are asked for."""

    def __init__(self, spoken: Spoken) -> None:
        super().__init__(spoken)
        self.spoken = spoken
        self.things: list[Any] = []
        self._names: list[Hashable] = []

    def put(self, things: list[Any]) -> None:
        names = [self.spoken.name_of(thing) for thing in things]
        if names == self._names:
            self.things = things
            current = self.spoken.currentIndex()
            if current.isValid():
                self.dataChanged.emit(current, current)
            return
        self.beginResetModel()
        self.things, self._names = things, names
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.things)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> str | None:
        if role not in (Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.AccessibleDescriptionRole):
            return None
        try:
            return self.spoken.said(self.things[index.row()])[role == Qt.ItemDataRole.AccessibleDescriptionRole]
        except GONE:
            return ""
