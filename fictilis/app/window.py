"""The main window: it only puts the parts together, and asks the questions the commands need answered."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, TypeVar

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QFrame,
    QMainWindow,
    QMenu,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from fictilis.app.commands.actions import Actions
from fictilis.app.commands.exchange import ExchangeCommands
from fictilis.app.commands.files import Commands
from fictilis.app.commands.finder import Finder
from fictilis.app.commands.imports import ImportCommands
from fictilis.app.commands.lines import LineCommands
from fictilis.app.commands.operations import OperationCommands
from fictilis.app.commands.pictures import PictureCommands
from fictilis.app.commands.ports import Ports
from fictilis.app.commands.relays import RelayCommands
from fictilis.app.commands.scene_time import SceneTimeCommands
from fictilis.app.commands.shape import ShapeCommands
from fictilis.app.commands.targets import TargetCommands
from fictilis.app.commands.time import TimeCommands
from fictilis.app.lanes.lanes import Lanes
from fictilis.app.lanes.places import HEAD, WIDEST
from fictilis.app.lanes.playback import Playback
from fictilis.app.lanes.sound_player import SoundPlayer
from fictilis.app.lanes.time_rows import MarkerRow, SoundRow
from fictilis.app.lanes.transport import Transport
from fictilis.app.model.document import Document
from fictilis.app.model.making import Making
from fictilis.app.model.memory import give_back
from fictilis.app.model.recovery import Autosave, Recoverable, left_behind, sweep
from fictilis.app.model.settings import Settings
from fictilis.app.model.tasks import QUEUED, Background
from fictilis.app.questions import Questions
from fictilis.app.side.side_column import SideColumn
from fictilis.app.targets.column import Column
from fictilis.app.targets.thumbnails import Thumbnails
from fictilis.app.top_line import TopLine
from fictilis.app.view.view import View
from fictilis.app.view.view_frame import ViewFrame
from fictilis.app.widgets.checks_window import Checker
from fictilis.app.widgets.fields import end_editing, local_files
from fictilis.app.widgets.find_field import named_fields
from fictilis.app.widgets.making_window import MakingWindow
from fictilis.app.widgets.theme import PALETTES, Palette, style_sheet
from fictilis.core.channels import ChannelRef
from fictilis.core.errors import FictilisError
from fictilis.core.geometry.kinds import Geometry
from fictilis.core.shaping.brushes import prepare
from fictilis.render.items import Ground, Light
from fictilis.render.renderer import Renderer

T = TypeVar("T")
WIDTH, HEIGHT = 1280, 800
QWIDGETSIZE_MAX = 16777215
WARMED_FROM = 20_000  # points


class Window(QMainWindow):
    def __init__(self, doc: Document, settings: Settings, recovery_folder: Path) -> None:
        super().__init__()
        self.doc, self.settings, self.recovery_folder = doc, settings, recovery_folder
        self.palette_ = self._coloured(settings.theme())
        self.setStyleSheet(style_sheet(self.palette_))  # before there are widgets, which are dressed once then
        doc.change(
            dark=self.palette_.dark,
            hold_guard=settings.flag("hold_guard", True),
            prove_exports=settings.flag("prove_exports", True),
            tool_names=settings.flag("tool_names", True),  # the first time
        )
        self._shaped = False
        self.setWindowTitle("Fictilis")
        self.resize(WIDTH, HEIGHT)
        self.renderer: Renderer | None = None
        self.sound = SoundPlayer(doc)
        self.playback = Playback(doc, sound=self.sound)
        self.thumbnails = Thumbnails()
        self.autosave = Autosave(doc, recovery_folder)
        self.checker = Checker(doc)
        self._recovered: tuple[Recoverable, int] | None = None  # and which opening it was
        self._warming = Background(self)
        self._warmed: Geometry | None = None  # the mesh that strokes were made ready for
        self._at_rest = QTimer(self)
        self._at_rest.setSingleShot(True)
        self._at_rest.setInterval(600)
        self._at_rest.timeout.connect(self._warm_strokes)
        self._sizes: tuple[list[int], list[int]] | None = None  # before a large view
        self.ask = Questions(self, self)
        self.ports = Ports(self.ask, self, self.playback)
        self.operations = OperationCommands(doc, self.ports)
        self.commands, self.shape_commands = Commands(doc, self.ports), ShapeCommands(doc, self.ports, self.operations)
        self.target_commands = TargetCommands(doc, self.ports, self.operations)
        self.relay_commands = RelayCommands(doc, self.ports, self.operations)
        self.time_commands, self.scene_time_commands = (
            TimeCommands(doc, self.ports, self.operations),
            SceneTimeCommands(doc, self.ports),
        )
        exchange = ExchangeCommands(doc, self.ports)
        self.imports = ImportCommands(doc, self.ports, self.commands, exchange, self.target_commands, self.relay_commands)
        self.making = Making()
        self._making_window: MakingWindow | None = None
        self.pictures = PictureCommands(doc, self.ports, self.making)
        parts = (
            self.operations, self.commands, self.shape_commands, self.target_commands, self.time_commands,
            self.scene_time_commands, self.relay_commands, LineCommands(doc, self.ports), exchange, self.imports,
            self.pictures,
        )  # fmt: skip
        self.actions_ = Actions(self, doc, parts, settings.own_keys())
        self._build()
        self._restore_sizes()
        self.set_theme(self.palette_.name)
        doc.acting.connect(end_editing)
        doc.opened.connect(self.thumbnails.forget)
        doc.opened.connect(lambda: QTimer.singleShot(500, give_back))
        doc.changed.connect(self._on_change)
        self._on_change()
        self.view.picture_shown.connect(self.playback.picture_shown)
        self.playback.changed.connect(lambda: setattr(self.thumbnails, "paused", self.playback.playing))
        self.view.first_painted.connect(self._start_renderer, QUEUED)  # type: ignore[call-arg]

    def _build(self) -> None:
        p, doc = self.palette_, self.doc
        self.view: View = View(doc, p, self.ask.base)
        self.ports.view = self.view
        times = self.scene_time_commands
        self.finder = Finder(doc, self.actions_, self._show_lane, times.choose_camera, times.choose_clip, self._fields)
        self.top = TopLine(doc, self.actions_, p, self._lists(), self.finder.things)
        self.checker.changed.connect(lambda: self.top.show_found(len(self.checker.found)))
        self.frame = ViewFrame(doc, self.view, self.actions_, p)
        self.view.picture_shown.connect(lambda: self.top.state.set_lifted(self.view.stage.lifted))
        self.frame.more.setMenu(self.top.submenus["See"])
        self.column = Column(doc, self.thumbnails, p, self.target_commands.new_target, self.actions_)
        self.ports.cards = self.column.cards
        self.column.cards.shape.connect(doc.start_shaping)
        self.column.dropped.connect(self.imports.drop_on_targets)
        self.side = SideColumn(doc, p, self.commands, self.shape_commands, self.operations, self.actions_)
        self.transport = Transport(doc, self.playback, self.actions_, p, self.ask.keep_rate, times.choose_clip)
        self.checker.changed.connect(lambda: self.transport.show_seam(self.checker.seam))
        self.lanes = Lanes(doc, self.actions_, p, lambda o, ref, colour: self.thumbnails.get(o, ref, Ground(colour, colour)))
        self.thumbnails.ready.connect(self.lanes.picture_ready)
        self.ports.lanes = self.lanes
        self.across = self._splitter(Qt.Orientation.Horizontal, "across", (self.column, self.frame, self.side), (222, 826, 232))
        self.low = low = QWidget()
        stack = QVBoxLayout(low)
        stack.setContentsMargins(0, 0, 0, 0)
        stack.setSpacing(0)
        stack.addWidget(self.transport)
        self.below = QWidget()
        stack.addWidget(self.below, 1)
        stack = QVBoxLayout(self.below)
        stack.setContentsMargins(0, 0, 0, 0)
        stack.setSpacing(0)
        stack.addWidget(self.lanes)
        self.lanes.ready = self.playback.ready = self.view.ready
        self.view.ready.changed.connect(self.lanes.viewport().update)
        self.lanes.dropped.connect(self.scene_time_commands.take_sound)
        self.marker_row = MarkerRow(doc, self.lanes, self.actions_, p)
        self.sound_row = SoundRow(doc, self.lanes, self.actions_, p)
        for row in (self.marker_row, self.sound_row):
            stack.addWidget(row)
            row.refresh()
        self.down = self._splitter(Qt.Orientation.Vertical, "down", (self.across, low), (484, 272))
        whole = QWidget()
        layout = QVBoxLayout(whole)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.top)
        line = QFrame()
        line.setFixedHeight(1)
        line.setObjectName("hairline")
        layout.addWidget(line)
        layout.addWidget(self.down, 1)
        self.setCentralWidget(whole)
        self.setAcceptDrops(True)
        self.setFocusProxy(self.view)
        self.view.setFocus()
        for button in self.findChildren(QAbstractButton):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keys to the view

    def _lists(self) -> tuple[tuple, ...]:
        """Menus that are filled when they open."""
        doc = self.doc

        def of_object(name: str) -> Callable[[], Sequence]:
            return lambda: getattr(doc.object, name) if doc.object is not None else ()

        picks = self._kept(of_object("picks"), lambda kept: self.shape_commands.pick_kept(kept.name))
        mixes = self._kept(of_object("mixes"), lambda mix: self.target_commands.put_back(mix.name))
        views = self._kept(lambda: doc.scene.views, lambda view: self.view.eye.go_to(view))
        cameras = self._kept(lambda: doc.scene.cameras, lambda camera: self.scene_time_commands.choose_camera(camera))
        return (("File", "save", "Open recent", self._fill_recent), ("Pick", "drop-pick", "Kept picks", picks),
                 ("See/From where", "drop-view", "Kept views", views), ("See/Camera", "remove-camera", "Cameras", cameras),
                 ("Target/Groups and mixes", "drop-mix", "Put back a kept mix", mixes))  # fmt: skip

    def event(self, event: QEvent) -> bool:
        """Space and Enter press the button that Tab has reached, instead of playing or shaping."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            press = event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter)
            if press and isinstance(QApplication.focusWidget(), QAbstractButton):
                event.accept()
                return True
        return super().event(event)

    @staticmethod
    def _splitter(way: Qt.Orientation, name: str, parts: Sequence[QWidget], sizes: Sequence[int]) -> QSplitter:
        splitter = QSplitter(way)
        splitter.setObjectName(name)
        splitter.setHandleWidth(1)
        for number, part in enumerate(parts):
            splitter.addWidget(part)
            splitter.setStretchFactor(number, 1 if len(parts) == 3 and number == 1 or len(parts) == 2 and number == 0 else 0)
        splitter.setSizes(list(sizes))
        return splitter

    def _start_renderer(self) -> None:
        try:
            self.renderer = Renderer()
        except FictilisError as error:
            self.doc.say(error.said, "error")
            return
        self.thumbnails.renderer = self.renderer
        self.thumbnails.ratio = self.devicePixelRatioF()
        self.view.set_renderer(self.renderer)
        self.show_light(self.settings.light(), self.settings.picked())
        self.view.eye.fit()
        QTimer.singleShot(300, self._warm_up)

    def _warm_up(self) -> None:
        self._warming.run(warm_up)

    def _warm_strokes(self) -> None:
        """Find what brushes need to know of a large mesh while the pointer is still on its way to it."""
        obj = self.doc.object
        if obj is None or obj.geometry is self._warmed or self._warming.busy:
            return
        if obj.geometry.point_count > WARMED_FROM:
            self._warmed = obj.geometry
            self._warming.run(lambda: prepare(obj))

    # theme and sizes

    def _coloured(self, theme: str) -> Palette:
        palette, picked = PALETTES.get(theme, PALETTES["Bisque"]), self.settings.picked()
        return replace(palette, picked=picked) if picked else palette

    def set_theme(self, name: str) -> None:
        self.palette_ = self._coloured(name)
        self.settings.set_theme(name)
        sheet = style_sheet(self.palette_)
        if self.styleSheet() != sheet:
            self.setStyleSheet(sheet)  # the window's: Qt dresses each widget once, the application's once for each parent
        for part in (self.top, self.frame, self.column, self.side, self.transport):
            part.set_palette_(self.palette_)
        for row in (self.lanes, self.marker_row, self.sound_row):
            row.palette_ = self.palette_
        self.doc.change(dark=self.palette_.dark)

    def _restore_sizes(self) -> None:
        geometry = self.settings.sizes("window")
        if geometry is not None:
            self.restoreGeometry(geometry)
        for splitter in (self.across, self.down):
            state = self.settings.sizes(splitter.objectName())
            if state is not None:
                splitter.restoreState(state)
                splitter.setHandleWidth(1)
        self.lanes.axis.head = min(max(self.settings.number("lane heads", HEAD), HEAD), WIDEST)

    def _keep_sizes(self) -> None:
        self.settings.set_sizes("window", self.saveGeometry())
        self.settings.set_number("lane heads", self.lanes.axis.head)
        known = self.settings.has("tool_names")  # who has seen the names once has them by the switch
        self.settings.set_flag("tool_names", self.doc.tool_names and (known or not self._shaped))
        if self.doc.large:
            self._fold(False)
        for splitter in (self.across, self.down):
            self.settings.set_sizes(splitter.objectName(), splitter.saveState())

    def _show_lane(self, ref: ChannelRef) -> None:
        self.lanes.show_lane(ref)

    def show_making(self) -> None:
        """What is being made, in a window of its own that stays beside this one."""
        if self._making_window is None:
            self._making_window = MakingWindow(self, self.making)
        self._making_window.show()
        self._making_window.raise_()

    def find(self) -> None:
        self.top.find_field.begin()

    def _fields(self) -> list[tuple[str, str, QWidget]]:
        return named_fields((("side column", self.side), ("transport line", self.transport)))

    def _fold(self, large: bool) -> None:
        """Only the view and the transport line, or everything again."""
        if large and not self.below.isHidden():
            self._sizes = (self.across.sizes(), self.down.sizes())
        for part in (self.column, self.side, self.below):
            part.setVisible(not large)
        self.low.setMaximumHeight(self.transport.height() if large else QWIDGETSIZE_MAX)
        if large:
            self.down.setSizes([self.height(), 0])
        elif self._sizes is not None:
            self.across.setSizes(self._sizes[0])
            self.down.setSizes(self._sizes[1])
            self._sizes = None

    def _on_change(self) -> None:
        if self.doc.large == self.below.isVisibleTo(self):
            self._fold(self.doc.large)
        self.setWindowTitle(f"{self.doc.title}[*] — Fictilis")
        self.setWindowModified(self.doc.unsaved)
        self.settings.set_flag("hold_guard", self.doc.hold_guard)
        self.settings.set_flag("prove_exports", self.doc.prove_exports)
        if self.doc.shaping is not None:
            self._shaped = True
            self._warm_strokes()
        else:
            self._at_rest.start()

    def _fill_recent(self, menu: QMenu) -> None:
        menu.clear()
        paths = [Path(p) for p in self.settings.recent()]
        for path in paths:
            action = menu.addAction(path.name, lambda p=path: self.commands.open_path(p))
            action.setToolTip(str(path))
        if not paths:
            menu.addAction("nothing yet").setEnabled(False)

    def _kept(self, things: Callable[[], Sequence], go: Callable[[Any], None]) -> Callable[[QMenu], None]:
        """Fills a menu with things kept under names."""

        def fill(menu: QMenu) -> None:
            menu.clear()
            for thing in things():
                menu.addAction(thing.name, lambda t=thing: go(t))
            if not menu.actions():
                menu.addAction("none yet").setEnabled(False)

        return fill

    def show_light(self, light: Light, picked: str) -> None:
        """Light the view, and colour what is picked; an empty colour is the theme's."""
        if self.renderer is not None:
            self.renderer.light = light
        palette = PALETTES[self.palette_.name]
        self.palette_ = replace(palette, picked=picked) if picked else palette
        self.frame.set_palette_(self.palette_)

    # what commands may ask of the window

    def saved_as(self, path: Path) -> None:
        self.settings.add_recent(path)
        self.autosave.clear()
        if self._recovered is not None and self._recovered[1] == self.doc.openings:
            self._recovered[0].discard()
            self._recovered = None

    def opened(self, path: Path) -> None:
        self.settings.add_recent(path)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and local_files(event):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Files anywhere but on the cards, and sounds on the lanes."""
        if event is not None:
            event.acceptProposedAction()
            self.imports.drop(local_files(event))

    def open_path(self, path: Path) -> None:
        """Open a file in place of what is here, once that may be left."""
        if self.commands.may_leave():
            self.commands.open_path(path)

    def has_speaker(self) -> bool:
        return self.sound.speaker is not None

    def offer_recovery(self) -> None:
        """Offer each scene that a crashed session left behind."""
        sweep(self.recovery_folder)
        for found in left_behind(self.recovery_folder):
            answer = self.ask.recover(found)
            if answer == "discard":
                found.discard()
            elif answer == "recover" and self.commands.may_leave() and self._recover(found):
                return

    def _recover(self, found: Recoverable) -> bool:
        from fictilis.formats.registry import load

        try:
            scene = load(found.file)
        except FictilisError as error:
            self.doc.say(error.said, "error")
            return False
        # a scene of its own, so that saving asks where; the copy stays until it is saved
        self.doc.open_scene(replace(scene, name=f"{found.name} recovered"), None, saved=False)
        self.view.eye.fit()
        self._recovered = (found, self.doc.openings)
        self.doc.say(f"Recovered {found.name}; save it to keep it.", "warning")
        return True

    def closeEvent(self, event: QCloseEvent) -> None:
        self.playback.stop()
        if self.making.busy and not self.ask.stop_making() or not self.commands.may_leave():
            event.ignore()
            return
        self.making.stop()
        if self._making_window is not None:
            self._making_window.close()
        self._keep_sizes()
        self.autosave.stop()
        self.checker.stop()
        event.accept()


def warm_up() -> None:
    """Import what strokes and quick mixing need while the user looks at the first picture."""
    import scipy.linalg.blas
    import scipy.sparse.csgraph
    import scipy.spatial  # noqa: F401
