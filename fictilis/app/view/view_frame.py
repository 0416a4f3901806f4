"""The view in its frame: the buttons along the top, the tool strip at the left edge, and the toast."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QFrame, QToolButton, QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.model.document import Document
from fictilis.app.view.guide_card import GuideCard
from fictilis.app.view.second import SecondView
from fictilis.app.view.spoken import SpokenView
from fictilis.app.view.tools import TOOLS
from fictilis.app.view.view import View
from fictilis.app.widgets.fields import Segments
from fictilis.app.widgets.layouts import across, menu_on
from fictilis.app.widgets.theme import Palette, icon
from fictilis.app.widgets.toast import Toast
from fictilis.core.ground.errors import there
from fictilis.render.camera import DIRECTIONS
from fictilis.render.stage import WAYS

SHOW_ICONS = {"wire": "graph", "displacement": "thermometer", "ghost": "stack", "texture": "checkerboard"}
BUTTON, GAP_AFTER = 26, ("slide", "pinch", "mask")  # pixels of a tool's button; tools with a line behind them
HANDLE = 5  # pixels between two views
NAMED, LEAST, FOOT = 126, 22, 16  # pixels: a button with its name, the least height of one, and the strip's foot
MIXING_MENU = ("shape", "new-target", "new-from-seen", "in-between", None, "key-mix", "keep-mix", None, "fit", "front", "side",
               "top", "keep-view", "new-camera", "measure", None, "hide", "show-all", "lock")  # fmt: skip
SHAPING_MENU = ("pick-all", "pick-none", "pick-inverse", "pick-grow", "pick-shrink", "pick-connected", "pick-mirrored",
                "keep-pick", None, "place-pivot", "mask-from-pick", "measure", None, "fit", "about-pick", None,
                "done")  # fmt: skip


class Handle(QFrame):
    """What the two views are divided by; ``part`` of the width is the first one's."""

    def __init__(self, frame: ViewFrame) -> None:
        super().__init__(frame)
        self.frame_, self.part = frame, 0.5
        self.setObjectName("handle")
        self.setCursor(Qt.CursorShape.SplitHCursor)
        self.hide()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.part = (self.x() + event.position().x()) / max(self.frame_.width() - HANDLE, 1)
        self.frame_.lay_out()


class ViewFrame(QWidget):
    """The view with its buttons along the top and the tool strip at its left edge."""

    def __init__(self, doc: Document, view: View, actions: Actions, palette: Palette) -> None:
        super().__init__()
        self.doc, self.view, self.actions_, self.palette_ = doc, view, actions, palette
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
        self.more.setAccessibleName("More to see")
        self.more.setIconSize(QSize(18, 18))
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        there(self.shows.layout()).addWidget(self.more)
        view.asked.connect(self._menu)
        self.strip = QFrame(self)
        self.strip.setObjectName("strip")
        self.tools: dict[str, QToolButton] = {}
        for name in TOOLS:
            button = QToolButton(self.strip)
            button.setDefaultAction(actions.by_id[f"tool-{name}"])
            button.setIconSize(QSize(16, 16))
            self.tools[f"tool-{name}"] = button
        self.names = QToolButton(self.strip)
        self.names.setObjectName("foot")
        self.names.setDefaultAction(actions.by_id["tool-names"])
        self.names.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonIconOnly)
        self.names.setIconSize(QSize(14, 14))
        self._laid: tuple | None = None
        self.second: SecondView | None = None
        self.handle = Handle(self)
        self.toast = Toast(self, palette)
        self.spoken = SpokenView(view)
        self.guide = GuideCard(self, doc, actions, palette)
        doc.said.connect(self.toast.say)
        doc.noticed.connect(self.toast.notice)
        doc.opened.connect(self.toast.withdraw)
        doc.changed.connect(self.refresh)
        view.picture_shown.connect(self.refresh_look)
        self.refresh()

    def _menu(self, at: QPoint) -> None:
        """What makes sense in the view."""
        menu = menu_on(self)
        self.actions_.add_possible(menu, SHAPING_MENU if self.doc.shaping is not None else MIXING_MENU)
        if menu.actions():
            menu.popup(at)

    def _lay_out_strip(self) -> None:
        """The tools in one column, with their names where there is room and they are wanted; else in as many columns as the
        height asks for."""
        room, lines = self.height() - 66, len(GAP_AFTER) * 5
        high = min((room - lines - FOOT - 8) // len(self.tools) - 1, BUTTON)
        fits = high >= LEAST and self.width() >= 420
        named = self.doc.tool_names and fits
        if (room, named, fits) == self._laid:
            return
        self._laid = (room, named, fits)
        wide, high = (NAMED, high) if named else (BUTTON, BUTTON)
        columns = 1
        while columns < 4 and -(-len(self.tools) // columns) * (high + 1) + lines + FOOT + 8 > room:
            columns += 1
        rows = -(-len(self.tools) // columns)
        y, low = 4, 0
        for number, (name, button) in enumerate(self.tools.items()):
            column, row = divmod(number, rows)
            if row == 0:
                y = 4
            button.setToolButtonStyle(
                Qt.ToolButtonStyle.ToolButtonTextBesideIcon if named else Qt.ToolButtonStyle.ToolButtonIconOnly
            )
            button.setFixedSize(wide, high)
            button.move(4 + column * (wide + 1), y)
            y += high + 1 + (5 if name.removeprefix("tool-") in GAP_AFTER and columns == 1 else 0)
            low = max(low, y)
        across = columns * (wide + 1) - 1
        self.names.setVisible(fits)
        self.names.setFixedSize(across, FOOT)
        self.names.move(4, low + 1)
        self.strip.resize(8 + across, low + 3 + (FOOT + 2 if fits else 0))

    def _buttons(self, names: Iterable[str]) -> QWidget:
        row = QWidget(self)
        layout = across(row, 0)
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
        self.palette_ = palette
        self._show_fold()
        self.toast.palette_ = palette
        self.guide.set_palette_(palette)
        self.view.set_palette_(palette)
        if self.second is not None:
            self.second.set_palette_(palette)

    def refresh(self) -> None:
        if self._show_second():
            self.lay_out()
        self.ways.set_value(self.doc.way)
        self.ways.setEnabled(self.doc.object is not None)
        self.strip.setVisible(self.doc.shaping is not None)
        self._show_fold()
        self._lay_out_strip()
        self.refresh_look()

    def _show_fold(self) -> None:
        """The strip's foot makes it wider or narrower."""
        name = "caret-left" if self.doc.tool_names else "caret-right"
        self.actions_.by_id["tool-names"].setIcon(icon(name, self.palette_))

    def refresh_look(self) -> None:
        c = self.view.camera
        names = {DIRECTIONS[name]: name for name in ("front", "side", "top")}
        self.looks.set_value("free" if not c.parallel else names.get((c.yaw, c.pitch), ""))

    def resizeEvent(self, _event: object) -> None:
        self._show_second()
        self.lay_out()

    def _show_second(self) -> bool:
        """Whether the second view comes or goes, where there is room; it is made when it is first wanted."""
        wanted = bool(self.doc.seeing.beside) and self.width() >= 2 * self.view.minimumWidth()
        if wanted and self.second is None:
            self.second = SecondView(self.view, self.doc, self.palette_)
            self.second.setParent(self)
            self.second.lower()
        if self.second is not None and self.second.isHidden() == wanted:
            self.second.setVisible(wanted)
            self.handle.setVisible(wanted)
            return True
        return False

    def lay_out(self) -> None:
        """Put everything where there is room for it."""
        wide, high = self.width(), self.height()
        if self.second is not None and not self.second.isHidden():
            room = wide - HANDLE
            left = min(max(round(room * self.handle.part), self.view.minimumWidth()), room - self.second.minimumWidth())
            self.view.setGeometry(0, 0, left, high)
            self.handle.setGeometry(left, 0, HANDLE, high)
            self.second.setGeometry(left + HANDLE, 0, room - left, high)
        else:
            self.view.setGeometry(self.rect())
        for part in (self.ways, self.looks, self.shows):
            part.adjustSize()
        edge, gap = self.view.width() - 12, 10
        self.ways.move(12, 12)
        beside = edge - self.ways.geometry().right() - gap  # what is left of the first row; what does not fit goes below
        if self.shows.width() + gap + self.looks.width() <= beside:
            self.looks.move(edge - self.looks.width(), 12)
            self.shows.move(self.looks.x() - gap - self.shows.width(), 12)
            covered = 0
        else:
            row = 12 if self.shows.width() <= beside else 50
            covered = self.ways.geometry().bottom()
            self.shows.move(edge - self.shows.width(), row)
            self.looks.move(edge - self.looks.width(), row + 38)
        self._lay_out_strip()
        self.strip.move(12, 54)
        self.view.eye.resized(covered)
        self.toast.place()
        self.guide.place()
