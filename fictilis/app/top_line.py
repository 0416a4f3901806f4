"""The top line: the menu behind the scene's name, the state line, undo, redo and export; and the toast."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QFrame, QLabel, QMenu, QPushButton, QToolButton, QWidget

from fictilis.app.commands.actions import MENUS, Actions
from fictilis.app.model.document import Document
from fictilis.app.model.finding import Findable
from fictilis.app.widgets.fields import Elided
from fictilis.app.widgets.find_field import FindField
from fictilis.app.widgets.layouts import across, dress
from fictilis.app.widgets.theme import Palette, icon, pixmap
from fictilis.core.ground.errors import there

REHEARSED = "clicks run cues; the scene stays as it is"


class StateLine(QFrame):
    """The only place that says what a stroke changes."""

    def __init__(self, doc: Document, actions: Actions) -> None:
        super().__init__()
        self.setObjectName("state_line")
        self.doc = doc
        layout = across(self, 8, (14, 3, 5, 3))
        self.word, self.what, self.note = QLabel(), Elided(), Elided()
        self.what.setProperty("title", True)
        self.note.setProperty("quiet", True)
        self.done = QPushButton("Done")
        self.done.setProperty("primary", True)
        self.done.setStyleSheet("border-radius: 11px; padding: 2px 12px; min-height: 18px;")
        self.done.clicked.connect(actions.by_id["done"].trigger)
        for part in (self.word, self.what, self.note, self.done):
            layout.addWidget(part)
        self.setFixedHeight(34)
        self.solo = False
        doc.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        doc = self.doc
        shaping = doc.shaping is not None
        self.word.setText("Rehearsing" if doc.rehearsing else "Shaping" if shaping else "Mixing")
        label = there(doc.shaping).label(doc.obj) if shaping else ""
        self.what.setText(label if len(label) <= 42 else label[:40] + "…")
        self.what.setToolTip(label)
        self.what.setVisible(shaping)
        self.note.setText(self._shaping_note() if shaping else REHEARSED if doc.rehearsing else "strokes pick, sliders pose")
        self.note.setVisible(bool(self.note.text()))
        ends = shaping or doc.rehearsing
        self.done.setVisible(ends)
        there(self.layout()).setContentsMargins(14, 3, 5 if ends else 14, 3)
        dress(self, self.done, shaping=shaping, rehearsing=doc.rehearsing)

    def _shaping_note(self) -> str:
        ref, doc = there(self.doc.shaping), self.doc
        if self.solo:
            return f"shown at {ref.at:.2f} meanwhile"
        stage = None if ref.is_base else doc.obj.target(there(ref.target)).in_between(ref.at)
        return stage.name if stage is not None else ""

    def set_solo(self, solo: bool) -> None:
        if solo != self.solo:
            self.solo = solo
            self.refresh()


class TopLine(QWidget):
    def __init__(
        self, doc: Document, actions: Actions, palette: Palette, lists: Sequence[tuple], things: Callable[[], list[Findable]]
    ) -> None:
        """``things`` is what the find field looks among. ``lists`` are menus that are filled when they open: (menu, action
        behind which they stand, title, filler)."""
        super().__init__()
        self.setObjectName("top_line")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.doc, self.actions_ = doc, actions
        self.setFixedHeight(44)
        layout = across(self, margins=(10, 0, 14, 0))
        left = QWidget()
        row = across(left, 6)
        self.menu_button = QPushButton()
        self.menu_button.setProperty("flat", True)
        self.menu_button.setStyleSheet("font-size: 15px; font-weight: 600; padding: 4px 6px;")
        self.menu_button.setIconSize(QSize(22, 22))
        self.menu_button.setAccessibleName("Menu")
        self.saved = QLabel()
        self.saved.setProperty("quiet", True)
        row.addWidget(self.menu_button)
        row.addWidget(self.saved)
        row.addStretch()
        self.state = StateLine(doc, actions)
        right = QWidget()
        end = across(right, 6)
        end.addStretch(1)
        self.find_field = FindField(palette, things)
        self.undo, self.redo = self._tool("undo"), self._tool("redo")
        self.export = QPushButton("Export")
        self.export.setIconSize(QSize(16, 16))
        self.export.clicked.connect(actions.by_id["export"].trigger)
        self.checks = QPushButton("Checks")
        self.checks.setIconSize(QSize(16, 16))
        self.checks.clicked.connect(actions.by_id["checks"].trigger)
        end.addWidget(self.find_field, 3)
        for part in (self.undo, self.redo, self.checks, self.export):
            end.addWidget(part)
        layout.addWidget(left, 1)
        layout.addWidget(self.state, 0)
        layout.addWidget(right, 1)
        self.found = 0
        self.menu = self._build_menu(lists)
        self.menu_button.setMenu(self.menu)
        doc.changed.connect(self.refresh)
        self.set_palette_(palette)

    def _tool(self, action: str) -> QToolButton:
        button = QToolButton()
        button.setProperty("flat", True)
        button.setDefaultAction(self.actions_.by_id[action])
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonIconOnly)
        button.setIconSize(QSize(18, 18))
        return button

    def _build_menu(self, lists: Sequence[tuple]) -> QMenu:
        menu = QMenu(self)
        self.submenus: dict[str, QMenu] = {}
        self.lists: dict[str, QMenu] = {}
        for name in MENUS:
            self.submenus |= self.actions_.fill(there(menu.addMenu(name)), name)
        for name, before, title, fill in lists:
            part = self.submenus[name]
            more = QMenu(title, part)
            part.insertMenu(self.actions_.by_id[before], more)
            more.aboutToShow.connect(lambda m=more, f=fill: f(m))
            self.lists[title] = more
        return menu

    def set_palette_(self, palette: Palette) -> None:
        self.menu_button.setIcon(icon_logo(palette))
        there(self.undo.defaultAction()).setIcon(icon("arrow-counter-clockwise", palette))
        there(self.redo.defaultAction()).setIcon(icon("arrow-clockwise", palette))
        self.export.setIcon(icon("export", palette))
        self.palette_ = palette
        self.find_field.set_palette_(palette)
        self.show_found(self.found)
        self.refresh()

    def show_found(self, count: int) -> None:
        """How many things the checks found."""
        self.found, p = count, self.palette_
        self.checks.setText("No checks" if not count else f"{count} check{'' if count == 1 else 's'}")
        self.checks.setIcon(QIcon(pixmap("warning-circle", p.auto_key if count else p.quiet, 16, 2.0)))
        self.checks.setToolTip("What is suspicious in the scene, with remedies")

    def refresh(self) -> None:
        doc = self.doc
        name = doc.title
        self.menu_button.setText((name if len(name) <= 26 else name[:24] + "…") + "  ▾")
        self.menu_button.setToolTip(str(doc.path) if doc.path else f"{name}: not on the disk yet")
        if doc.path is None:
            self.saved.setText("not saved yet" if doc.unsaved else "")
        else:
            self.saved.setText("changed since saved" if doc.unsaved else "saved")
        self.export.setEnabled(doc.object is not None)


def icon_logo(palette: Palette) -> QIcon:
    return QIcon(pixmap("potted-plant", palette.error, 22, 2.0))
