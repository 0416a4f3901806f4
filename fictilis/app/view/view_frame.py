"""The view in its frame: the buttons along the top, the tool strip at the left edge, and the toast."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.model.document import Document
from fictilis.app.view.tools import TOOLS
from fictilis.app.view.view import View
from fictilis.app.widgets.fields import Segments
from fictilis.app.widgets.theme import Palette, icon
from fictilis.app.widgets.toast import Toast
from fictilis.render.stage import WAYS

SHOW_ICONS = {"wire": "graph", "displacement": "thermometer", "ghost": "stack", "texture": "checkerboard"}
BUTTON, GAP_AFTER = 26, ("slide", "pinch", "mask")  # pixels of a tool's button; tools with a line behind them


class ViewFrame(QWidget):
    """The view with its buttons along the top and the tool strip at its left edge."""

    def __init__(self, doc: Document, view: View, actions: Actions, palette: Palette) -> None:
        super().__init__()
        self.doc, self.view, self.actions_ = doc, view, actions
        view.setParent(self)
        self.ways = Segments("Way to see", WAYS)
        self.ways.chosen.connect(lambda way: doc.change(way=way))
        self.ways.setParent(self)
        self.looks = Segments("View", ("free", "front", "side", "top"), shown=("Free", "Front", "Side", "Top"))
        self.looks.chosen.connect(view.eye.look)
        self.looks.setParent(self)
        self.shows = self._buttons(SHOW_ICONS)
        self.more = QToolButton()
        self.more.setProperty("segment", True)
        self.more.setProperty("place", "last")
        self.more.setToolTip("More to see")
        self.more.setIconSize(QSize(18, 18))
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.shows.layout().addWidget(self.more)
        self.strip = QFrame(self)
        self.strip.setObjectName("strip")
        self.tools: dict[str, QToolButton] = {}
        for name in TOOLS:
            button = QToolButton(self.strip)
            button.setDefaultAction(actions.by_id[f"tool-{name}"])
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonIconOnly)
            button.setIconSize(QSize(16, 16))
            button.setFixedSize(BUTTON, BUTTON)
            self.tools[f"tool-{name}"] = button
        self.toast = Toast(self, palette)
        doc.said.connect(self.toast.say)
        doc.noticed.connect(self.toast.notice)
        doc.changed.connect(self.refresh)
        view.picture_shown.connect(self.refresh_look)
        self.refresh()

    def _lay_out_strip(self, room: int) -> None:
        """The tools in one column, or in as many as the height asks for."""
        lines = len(GAP_AFTER) * 5
        columns = 1
        while columns < 4 and -(-len(self.tools) // columns) * (BUTTON + 1) + lines + 8 > room:
            columns += 1
        rows = -(-len(self.tools) // columns)
        y, low = 4, 0
        for number, (name, button) in enumerate(self.tools.items()):
            column, row = divmod(number, rows)
            if row == 0:
                y = 4
            button.move(4 + column * (BUTTON + 1), y)
            y += BUTTON + 1 + (5 if name.removeprefix("tool-") in GAP_AFTER and columns == 1 else 0)
            low = max(low, y)
        self.strip.resize(8 + columns * (BUTTON + 1) - 1, low + 3)

    def _buttons(self, names: Iterable[str]) -> QWidget:
        row = QWidget(self)
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        for number, name in enumerate(names):
            button = QToolButton()
            button.setProperty("segment", True)
            button.setProperty("place", "first" if number == 0 else "middle")
            button.setDefaultAction(self.actions_.by_id[name])
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonIconOnly)
            button.setIconSize(QSize(18, 18))
            layout.addWidget(button)
        return row

    def set_palette_(self, palette: Palette) -> None:
        by_id = self.actions_.by_id
        for name, picture in SHOW_ICONS.items():
            by_id[name].setIcon(icon(picture, palette))
        for tool in TOOLS.values():
            by_id[f"tool-{tool.id}"].setIcon(icon(tool.icon, palette, palette.on_primary))
        self.more.setIcon(icon("dots-three", palette))
        self.toast.palette_ = palette
        self.view.set_palette_(palette)

    def refresh(self) -> None:
        self.ways.set_value(self.doc.way)
        self.ways.setEnabled(self.doc.object is not None)
        self.strip.setVisible(self.doc.shaping is not None)
        self.refresh_look()

    def refresh_look(self) -> None:
        c = self.view.camera
        names = {(0.0, 0.0): "front", (90.0, 0.0): "side", (0.0, 90.0): "top"}
        self.looks.set_value("free" if not c.parallel else names.get((c.yaw, c.pitch), ""))

    def resizeEvent(self, _event: object) -> None:
        self.view.setGeometry(self.rect())
        for part in (self.ways, self.looks, self.shows):
            part.adjustSize()
        edge, gap = self.width() - 12, 10
        self.ways.move(12, 12)
        beside = edge - self.ways.geometry().right() - gap  # what is left of the first row; what does not fit goes below
        if self.shows.width() + gap + self.looks.width() <= beside:
            self.looks.move(edge - self.looks.width(), 12)
            self.shows.move(self.looks.x() - gap - self.shows.width(), 12)
        else:
            row = 12 if self.shows.width() <= beside else 50
            self.shows.move(edge - self.shows.width(), row)
            self.looks.move(edge - self.looks.width(), row + 38)
        self._lay_out_strip(self.height() - 66)
        self.strip.move(12, 54)
        self.toast.place()
