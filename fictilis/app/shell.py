"""The main window but for its parts: what it does when it is shown, changed, dropped on and closed."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING
from weakref import ref

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QSplitter,
    QWidget,
)

from fictilis.app.model.settings import Settings
from fictilis.app.opening import Found, Opening
from fictilis.app.widgets.layouts import later
from fictilis.app.widgets.theme import PALETTES, Palette, style_sheet
from fictilis.core.ground.errors import FictilisError

if TYPE_CHECKING:
    from fictilis.app.commands.actions import Actions
    from fictilis.app.commands.cues import CueCommands
    from fictilis.app.commands.files import Commands
    from fictilis.app.commands.finder import Finder
    from fictilis.app.commands.imports import ImportCommands
    from fictilis.app.commands.operations import OperationCommands
    from fictilis.app.commands.pictures import PictureCommands
    from fictilis.app.commands.ports import Ports
    from fictilis.app.commands.relays import RelayCommands
    from fictilis.app.commands.scene_time import SceneTimeCommands
    from fictilis.app.commands.shape import ShapeCommands
    from fictilis.app.commands.targets import TargetCommands
    from fictilis.app.commands.time import TimeCommands
    from fictilis.app.cues.panel import CuePanel
    from fictilis.app.lanes.lanes import Lanes
    from fictilis.app.lanes.playback import Playback
    from fictilis.app.lanes.sound_player import SoundPlayer
    from fictilis.app.lanes.time_rows import MarkerRow, SoundRow
    from fictilis.app.lanes.transport import Transport
    from fictilis.app.model.document import Document
    from fictilis.app.model.making import Making
    from fictilis.app.model.recovery import Autosave, Recoverable
    from fictilis.app.model.rehearsing import Rehearsing
    from fictilis.app.model.tasks import Background
    from fictilis.app.questions import Questions
    from fictilis.app.side.side_column import SideColumn
    from fictilis.app.targets.column import Column
    from fictilis.app.targets.thumbnails import Thumbnails
    from fictilis.app.top_line import TopLine
    from fictilis.app.view.start_page import StartPage
    from fictilis.app.view.view_frame import ViewFrame
    from fictilis.app.widgets.checks_window import Checker
    from fictilis.app.widgets.making_window import MakingWindow
    from fictilis.core.geometry.kinds import Geometry
    from fictilis.core.mix.channels import ChannelRef
    from fictilis.render.items import Light

WIDTH, HEIGHT = 1280, 800
QWIDGETSIZE_MAX = 16777215
WARMED_FROM = 20_000  # points
PICTURED = 1200  # ms after opening, when the picture stands


class Shell(Opening):
    """The window without what makes the rest of it: the view is its own, all other parts are declared here."""

    _warming: Background
    sound: SoundPlayer
    playback: Playback
    thumbnails: Thumbnails
    autosave: Autosave
    checker: Checker
    ask: Questions
    ports: Ports
    operations: OperationCommands
    commands: Commands
    shape_commands: ShapeCommands
    target_commands: TargetCommands
    relay_commands: RelayCommands
    time_commands: TimeCommands
    scene_time_commands: SceneTimeCommands
    imports: ImportCommands
    rehearsing: Rehearsing
    cue_commands: CueCommands
    cues: CuePanel
    making: Making
    pictures: PictureCommands
    actions_: Actions
    finder: Finder
    top: TopLine
    frame: ViewFrame
    start_page: StartPage
    column: Column
    side: SideColumn
    transport: Transport
    lanes: Lanes
    across: QSplitter
    down: QSplitter
    low: QWidget
    below: QWidget
    timed: QWidget
    marker_row: MarkerRow
    sound_row: SoundRow

    def __init__(self, doc: Document | Found, settings: Settings, recovery_folder: Path) -> None:
        """Whole with a document; with what finds a scene it comes up part by part."""
        super().__init__(settings, self._coloured(settings))
        self.recovery_folder = recovery_folder
        self.setStyleSheet(style_sheet(self.palette_))  # before there are widgets, which are dressed once then
        self._shaped = False
        self.setWindowTitle("Fictilis")
        self.resize(WIDTH, HEIGHT)
        self._recovered: tuple[Recoverable, int] | None = None  # and which opening it was
        self._warmed: ref[Geometry] | None = None  # the mesh that strokes were made ready for; it may go with its scene
        self._at_rest = later(self, 600, self._warm_strokes)
        self._pictured = later(self, PICTURED, self._keep_picture)
        self._sizes: tuple[list[int], list[int]] | None = None  # before a large view
        self._making_window: MakingWindow | None = None
        self._restore_geometry()
        self.come_up(doc)

    def make_view(self, doc: Document) -> None:
        from fictilis.app.model.tasks import QUEUED, Background
        from fictilis.app.view.view import View

        self.doc, settings = doc, self.settings
        doc.change(
            dark=self.palette_.dark,
            hold_guard=settings.flag("hold_guard", True),
            prove_exports=settings.flag("prove_exports", True),
            tool_names=settings.flag("tool_names", True),  # the first time
        )
        self._warming, self._warm = Background(self), False
        self.view = View(doc, self.palette_, lambda moved: self.ask.base(moved))
        self.view.first_painted.connect(self.start_renderer, QUEUED)  # type: ignore[call-arg]

    def event(self, event: QEvent) -> bool:
        """Esc gives a gesture up, wherever the keys are, and does nothing else; Space and Enter press the button that Tab has
        reached, instead of playing or shaping."""
        if self.furnished and event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            if event.key() == Qt.Key.Key_Escape and self.doc.hand.busy:
                self.doc.hand.cancel()
                event.accept()
                return True
            press = event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter)
            if press and isinstance(QApplication.focusWidget(), QAbstractButton):
                event.accept()
                return True
        return super().event(event)

    def renderer_made(self) -> None:
        if self.renderer is None:
            return
        if not self._warm:
            self._warm = True
            QTimer.singleShot(300, self._warm_up)
        if not self.furnished:
            return
        self.thumbnails.renderer = self.renderer
        self.thumbnails.ratio = self.devicePixelRatioF()
        self.show_light(self.settings.light(), self.settings.picked())

    def _warm_up(self) -> None:
        self._warming.run(warm_up)

    def _warm_strokes(self) -> None:
        """Find what brushes need to know of a large mesh while the pointer is still on its way to it."""
        obj = self.doc.object
        if obj is None or self._warming.busy or self._warmed is not None and self._warmed() is obj.geometry:
            return
        if obj.geometry.point_count > WARMED_FROM:
            self._warmed = ref(obj.geometry)
            from fictilis.core.shaping.brushes import prepare

            self._warming.run(lambda: prepare(obj))

    # theme and sizes

    @staticmethod
    def _coloured(settings: Settings) -> Palette:
        palette, picked = PALETTES.get(settings.theme(), PALETTES["Bisque"]), settings.picked()
        return replace(palette, picked=picked) if picked else palette

    def set_theme(self, name: str) -> None:
        self.settings.set_theme(name)
        self.palette_ = self._coloured(self.settings)
        sheet = style_sheet(self.palette_)
        if self.styleSheet() != sheet:
            self.setStyleSheet(sheet)  # the window's: Qt dresses each widget once, the application's once for each parent
        for part in (self.top, self.frame, self.column, self.side, self.transport, self.start_page, self.cues):
            part.set_palette_(self.palette_)
        for row in (self.lanes, self.marker_row, self.sound_row):
            row.palette_ = self.palette_
        self.doc.change(dark=self.palette_.dark)

    def _restore_geometry(self) -> None:
        geometry = self.settings.sizes("window")
        if geometry is not None:
            self.restoreGeometry(geometry)

    def restore_sizes(self) -> None:
        from fictilis.app.lanes.places import HEAD, WIDEST

        self._restore_geometry()
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

    def show_lane(self, ref: ChannelRef) -> None:
        self.doc.change(cues_shown=False)
        self.lanes.show_lane(ref)

    def show_making(self) -> None:
        """What is being made, in a window of its own that stays beside this one."""
        from fictilis.app.widgets.making_window import MakingWindow

        if self._making_window is None:
            self._making_window = MakingWindow(self, self.making)
        self._making_window.show()
        self._making_window.raise_()

    def find(self) -> None:
        self.top.find_field.begin()

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

    def follow(self) -> None:
        if self.doc.large == self.below.isVisibleTo(self):
            self._fold(self.doc.large)
        self.timed.setVisible(not self.doc.cues_shown)
        self.cues.setVisible(self.doc.cues_shown)
        self.setWindowTitle(f"{self.doc.title}[*] — Fictilis")
        self.setWindowModified(self.doc.unsaved)
        self.settings.set_flag("hold_guard", self.doc.hold_guard)
        self.settings.set_flag("prove_exports", self.doc.prove_exports)
        if self.doc.shaping is not None:
            self._shaped = True
            self._warm_strokes()
        else:
            self._at_rest.start()

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
        self._keep_picture(path)
        self.autosave.clear()
        if self._recovered is not None and self._recovered[1] == self.doc.openings:
            self._recovered[0].discard()
            self._recovered = None

    def opened(self, path: Path) -> None:
        self.settings.add_recent(path)
        self._pictured.start()

    def _keep_picture(self, path: Path | None = None) -> None:
        """A small picture of the scene for the list of the last ones; as it is saved, for the file's ``path`` to be."""
        path = path or self.doc.path
        if path is None or not self.doc.scene.objects or self.view.width() < 2:
            return
        image = self.view.grab().toImage()
        wide = min(image.width(), round(image.height() * 1.6))
        part = image.copy((image.width() - wide) // 2, 0, wide, image.height())
        smooth = Qt.TransformationMode.SmoothTransformation
        small = part.scaled(288, 180, Qt.AspectRatioMode.KeepAspectRatio, smooth)
        self.settings.keep_picture(path, lambda file: small.save(file, "PNG"))

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        from fictilis.app.widgets.fields import local_files

        if event is not None and self.furnished and local_files(event):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Files anywhere but on the cards, and sounds on the lanes."""
        from fictilis.app.widgets.fields import local_files

        if event is not None and self.furnished:
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
        from fictilis.app.model.recovery import left_behind, sweep

        sweep(self.recovery_folder)
        for found in left_behind(self.recovery_folder):
            answer = self.ask.recover(found)
            if answer == "discard":
                found.throw_away()
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
        if not self.furnished:
            self.closed = True
            event.accept()
            return
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
        if self.renderer is not None:  # the graphics card's memory, too, is given back
            self.view.set_renderer(None)
            self.thumbnails.renderer = None
            self.renderer.release()
            self.renderer = None


def warm_up() -> None:
    """Import what strokes and quick mixing need while the user looks at the first picture."""
    import scipy.linalg.blas
    import scipy.sparse.csgraph
    import scipy.spatial  # noqa: F401
