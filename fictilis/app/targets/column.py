"""The targets column: the object chooser, the filter, the cards, and the button for a new target."""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QScrollArea,
    QToolButton,
    QWidget,
)

from fictilis.app.commands.actions import Actions
from fictilis.app.model.document import Document
from fictilis.app.targets.cards import Cards
from fictilis.app.targets.thumbnails import Thumbnails
from fictilis.app.widgets.fields import ArrowCombo, local_files
from fictilis.app.widgets.layouts import across, down, menu_on
from fictilis.app.widgets.theme import Palette, icon
from fictilis.core.edits import objects as object_edits
from fictilis.core.ground.errors import there
from fictilis.core.scene.scene import Scene

FILTER_ABOVE = 8


class ObjectList(QListWidget):
    """All objects of the scene: hidden and locked ones are marked. Drag to order, double-click to rename; Shift+click takes a
    range and Ctrl+click adds, for the menu of all of them."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__()
        self.doc, self.palette_ = doc, palette
        self.setAccessibleName("Objects")
        self.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.setDragDropMode(QListWidget.DragDropMode.InternalMove)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self._filling = False
        self.itemChanged.connect(self._renamed)
        self.currentRowChanged.connect(self._chosen)
        self.customContextMenuRequested.connect(self._menu)
        there(self.model()).rowsMoved.connect(self._moved)

    def refresh(self) -> None:
        self._filling = True
        objects = self.doc.scene.objects
        while self.count() > len(objects):
            self.takeItem(self.count() - 1)
        while self.count() < len(objects):
            item = QListWidgetItem()
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            self.addItem(item)
        for row, obj in enumerate(objects):
            item = there(self.item(row))
            item.setData(Qt.ItemDataRole.UserRole, obj.id)
            item.setText(obj.name)
            picture = "lock" if obj.locked else "eye" if obj.visible else "eye-slash"
            item.setIcon(icon(picture, self.palette_))
            state = [word for word, on in (("hidden", not obj.visible), ("locked", obj.locked)) if on]
            item.setToolTip(f"{obj.name}, {len(obj.base):,} points" + (f", {' and '.join(state)}" if state else ""))
            if obj.id == self.doc.object_id and row != self.currentRow():
                self.setCurrentRow(row)
        row = self.sizeHintForRow(0) if objects else 28
        self.setFixedHeight(min(len(objects), 7) * row + 4)
        self._filling = False

    def _id(self, row: int) -> str:
        return there(self.item(row)).data(Qt.ItemDataRole.UserRole)

    def _chosen(self, row: int) -> None:
        if not self._filling and row >= 0:
            self.doc.select_object(self._id(row))

    def _renamed(self, item: QListWidgetItem) -> None:
        if not self._filling:
            object_id, name = item.data(Qt.ItemDataRole.UserRole), item.text()
            old = self.doc.scene.object(object_id).name
            if name != old:
                self.doc.edit(f"Rename {old}", lambda s: object_edits.rename_object(s, object_id, name))
            self.refresh()

    def _moved(self, *_rows: object) -> None:
        if self._filling:
            return
        wanted, scene = [self._id(row) for row in range(self.count())], self.doc.scene
        if wanted != [o.id for o in scene.objects]:
            names = ", ".join(scene.object(i).name for i in self.chosen())
            self.doc.edit(f"Move {names}", lambda s: object_edits.order_objects(s, wanted))

    def chosen(self) -> list[str]:
        """Ids of the objects that are selected in the list."""
        return [self._id(self.row(item)) for item in self.selectedItems()]

    def _menu(self, at: QPoint) -> None:
        item = self.itemAt(at)
        if item is not None:
            self.menu_for(item.data(Qt.ItemDataRole.UserRole)).popup(self.mapToGlobal(at))

    def menu_for(self, object_id: str) -> QMenu:
        """What can be done with an object of the list."""
        doc, obj = self.doc, self.doc.scene.object(object_id)
        chosen = self.chosen()
        ids = chosen if object_id in chosen else [object_id]
        names = obj.name if len(ids) == 1 else f"{len(ids)} objects"
        menu = menu_on(self)

        def add(word: str, change: Callable[[Scene, str], Scene]) -> None:
            """An edit of each of them, as one step."""
            menu.addAction(f"{word} {names}", lambda: doc.edit(f"{word} {names}", lambda s: reduce(change, ids, s)))

        add("Hide" if obj.visible else "Show", lambda s, i: object_edits.set_visible(s, i, not obj.visible))
        add("Unlock" if obj.locked else "Lock", lambda s, i: object_edits.set_locked(s, i, not obj.locked))
        menu.addAction("Rename", lambda: self.editItem(self._item_of(object_id)))
        add("Remove", object_edits.remove_object)
        return menu

    def _item_of(self, object_id: str) -> QListWidgetItem:
        return next(there(self.item(row)) for row in range(self.count()) if self._id(row) == object_id)


class Column(QWidget):
    """The whole left column. Mesh files dropped on it go to ``dropped``."""

    dropped = pyqtSignal(list)

    def __init__(
        self, doc: Document, thumbnails: Thumbnails, palette: Palette, new_target: Callable[[], None], actions: Actions
    ) -> None:
        super().__init__()
        self.setObjectName("column")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.doc, self.palette_ = doc, palette
        self.setAcceptDrops(True)
        self.setMinimumWidth(150)
        layout = down(self, 8, (10, 10, 6, 10))
        layout.addLayout(self._top_row())
        self.objects = ObjectList(doc, palette)
        self.objects.hide()
        self.list_button.toggled.connect(self.objects.setVisible)
        layout.addWidget(self.objects)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Filter targets")
        self.search.setAccessibleName("Filter targets by name")
        self.search.setClearButtonEnabled(False)
        self.search.textChanged.connect(self._filter)
        layout.addWidget(self.search)
        self.cards = Cards(doc, thumbnails, palette, actions)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        inside = down(inner, 8, (0, 0, 4, 0))
        inside.addWidget(self.cards)
        self.new = QPushButton("New target")
        self.new.clicked.connect(new_target)
        inside.addWidget(self.new)
        inside.addStretch()
        scroll.setWidget(inner)
        layout.addWidget(scroll, 1)
        self.cards.reached.connect(
            lambda rect: scroll.ensureVisible(
                round(rect.center().x()), round(rect.center().y()), 0, round(rect.height() / 2) + 6
            )
        )
        doc.changed.connect(self.refresh)
        self.set_palette_(palette)

    def _top_row(self) -> QHBoxLayout:
        """The chooser of objects, the eye, and the button of the list."""
        top = across(margins=(0, 0, 4, 0))
        self.chooser = ArrowCombo(self.palette_)
        self.chooser.setAccessibleName("Object")
        self.chooser.activated.connect(lambda i: self.doc.select_object(self.chooser.itemData(i)))
        self.eye = QToolButton()
        self.eye.setProperty("flat", True)
        self.eye.clicked.connect(self._toggle_visible)
        self.list_button = QToolButton()
        self.list_button.setProperty("flat", True)
        self.list_button.setCheckable(True)
        self.list_button.setToolTip("List of objects")
        self.list_button.setAccessibleName("List of objects")
        top.addWidget(self.chooser, 1)
        top.addWidget(self.eye)
        top.addWidget(self.list_button)
        return top

    def set_palette_(self, palette: Palette) -> None:
        self.palette_ = self.cards.palette_ = self.chooser.palette_ = self.objects.palette_ = palette
        self.new.setIcon(icon("plus", palette))
        self.list_button.setIcon(icon("list-bullets", palette))
        self.refresh()

    def refresh(self) -> None:
        doc = self.doc
        names = [(o.id, o.name) for o in doc.scene.objects]
        if names != [(self.chooser.itemData(i), self.chooser.itemText(i)) for i in range(self.chooser.count())]:
            self.chooser.clear()
            for object_id, name in names:
                self.chooser.addItem(name, object_id)
        self.chooser.setCurrentIndex(max(self.chooser.findData(doc.object_id), 0) if names else -1)
        self.chooser.setEnabled(bool(names))
        self.objects.refresh()
        obj = doc.object
        self.eye.setEnabled(obj is not None)
        seen = self._is_seen()
        self.eye.setIcon(icon("eye" if seen else "eye-slash", self.palette_))
        self.eye.setToolTip("Hide object" if seen else "Show object")
        self.eye.setAccessibleName(self.eye.toolTip())
        self.new.setEnabled(obj is not None)
        many = obj is not None and len(obj.targets) > FILTER_ABOVE
        self.search.setVisible(many)
        if not many and self.search.text():
            self.search.clear()
        self.cards.update()

    def _filter(self, text: str) -> None:
        self.cards.filter = text
        self.cards.refresh()

    def _is_seen(self) -> bool:
        obj = self.doc.object
        return obj is None or self.doc.channels.values(obj)["visible"] >= 0.5

    def _toggle_visible(self) -> None:
        obj = self.doc.obj
        word = "Hide" if self._is_seen() else "Show"
        self.doc.channels.set_values(self.doc.channels.refs({"visible": 0.0 if word == "Hide" else 1.0}), f"{word} {obj.name}")

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if local_files(event):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self.dropped.emit(local_files(event))
