"""The targets column: the object chooser, the filter, the cards, and the button for a new target."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QScrollArea, QToolButton, QVBoxLayout, QWidget

from fictilis.app.cards import Cards
from fictilis.app.document import Document
from fictilis.app.fields import ArrowCombo
from fictilis.app.theme import Palette, icon
from fictilis.app.thumbnails import Thumbnails
from fictilis.core.edits.objects import set_visible

FILTER_ABOVE = 8


class Column(QWidget):
    """The whole left column. Mesh files dropped on it go to ``dropped``."""

    dropped = pyqtSignal(list)

    def __init__(self, doc: Document, thumbnails: Thumbnails, palette: Palette, new_target: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("column")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.doc, self.palette_ = doc, palette
        self.setAcceptDrops(True)
        self.setMinimumWidth(150)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 6, 10)
        layout.setSpacing(8)
        top = QHBoxLayout()
        top.setContentsMargins(0, 0, 4, 0)
        self.chooser = ArrowCombo(palette)
        self.chooser.setAccessibleName("Object")
        self.chooser.activated.connect(lambda i: doc.select_object(self.chooser.itemData(i)))
        self.eye = QToolButton()
        self.eye.setProperty("flat", True)
        self.eye.clicked.connect(self._toggle_visible)
        top.addWidget(self.chooser, 1)
        top.addWidget(self.eye)
        layout.addLayout(top)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Filter targets")
        self.search.setClearButtonEnabled(False)
        self.search.textChanged.connect(self._filter)
        layout.addWidget(self.search)
        self.cards = Cards(doc, thumbnails, palette)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        inside = QVBoxLayout(inner)
        inside.setContentsMargins(0, 0, 4, 0)
        inside.setSpacing(8)
        inside.addWidget(self.cards)
        self.new = QPushButton("New target")
        self.new.clicked.connect(new_target)
        inside.addWidget(self.new)
        inside.addStretch()
        scroll.setWidget(inner)
        layout.addWidget(scroll, 1)
        doc.changed.connect(self.refresh)
        self.set_palette_(palette)

    def set_palette_(self, palette: Palette) -> None:
        self.palette_ = self.cards.palette_ = self.chooser.palette_ = palette
        self.new.setIcon(icon("plus", palette))
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
        obj = doc.object
        self.eye.setEnabled(obj is not None)
        self.eye.setIcon(icon("eye" if obj is None or obj.visible else "eye-slash", self.palette_))
        self.eye.setToolTip("Hide object" if obj is None or obj.visible else "Show object")
        self.new.setEnabled(obj is not None)
        many = obj is not None and len(obj.targets) > FILTER_ABOVE
        self.search.setVisible(many)
        if not many and self.search.text():
            self.search.clear()
        self.cards.update()

    def _filter(self, text: str) -> None:
        self.cards.filter = text
        self.cards.refresh()

    def _toggle_visible(self) -> None:
        obj = self.doc.object
        word = "Hide" if obj.visible else "Show"
        self.doc.edit(f"{word} {obj.name}", lambda s: set_visible(s, obj.id, not obj.visible))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        files = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        event.acceptProposedAction()
        self.dropped.emit(files)
