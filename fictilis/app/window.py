"""The main window: how it comes up, and what it does when it is shown, changed, dropped on and closed.

It comes up itself first, then the model, its view, and last what stands around it (furniture.py). What is imported at the top
of this module, and of those it imports, is loaded before the first frame: nothing numeric.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING
from weakref import ref

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QMargins, QRect, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QImage, QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractButton, QApplication, QMainWindow, QVBoxLayout, QWidget

from fictilis.app.model.settings import Settings
from fictilis.app.widgets.layouts import later
from fictilis.app.widgets.theme import PALETTES, Palette, style_sheet
from fictilis.core.ground.errors import FictilisError, there
from fictilis.core.ground.memory import return_freed

if TYPE_CHECKING:
    from fictilis.app.furniture import Parts
    from fictilis.app.model.document import Document
    from fictilis.app.model.tasks import BackgroundTask
    from fictilis.app.widgets.making_window import MakingWindow
    from fictilis.core.geometry.kinds import Geometry
    from fictilis.core.mix.channels import ChannelRef
    from fictilis.core.scene.light import Light
    from fictilis.core.scene.scene import Scene
    from fictilis.render.beside import Draws
    from fictilis.render.stage import Stage
else:
    Parts = QMainWindow

Found = Callable[[], "tuple[Scene, Path | None] | None"]  # reads what is to be opened, and says of which file it is
AROUND = (223, 45, 233, 273)  # the parts around the view: left, above, right, below
LATEST = 1500  # ms until the next part is made, painted or not
WIDTH, HEIGHT = 1280, 800
QWIDGETSIZE_MAX = 16777215
WARMED_FROM = 20_000  # points
IDLE = 5000  # ms without a change and a picture, after which memory that was freed is given back
PICTURED = 1200  # ms after opening, when the picture stands


class Window(Parts):
    """A window that shows itself before what it shows is loaded, and is ``ready`` once it is whole."""

    ready = pyqtSignal()
    pictured = pyqtSignal()  # the model is in the window, not yet in its view

    _warming: BackgroundTask
    _usual_light: Light

    def __init__(self, doc: Document | Found, settings: Settings, recovery_folder: Path) -> None:
        """Whole with a document; with what finds a scene it comes up part by part."""
        super().__init__()
        self.settings, self.palette_, self.recovery_folder = settings, self._coloured(settings), recovery_folder
        self.renderer: Draws | None = None
        self.furnished = self.closed = False
        self._find: Found | None = None  # until it is called
        self._first: tuple[QRect, QImage] | None = None
        self._latest = later(self, LATEST, self.furnish)
        self.setStyleSheet(style_sheet(self.palette_))  # before there are widgets, which are dressed once then
        self._shaped = False
        self.setWindowTitle("Fictilis")
        self.resize(WIDTH, HEIGHT)
        self._warmed: ref[Geometry] | None = None  # the mesh that strokes were made ready for; it may go with its scene
        self._at_rest = later(self, 600, self._warm_strokes)
        self.idle = later(self, IDLE, self._return_freed)
        self._pictured = later(self, PICTURED, self._keep_picture)
        self._sizes: tuple[list[int], list[int]] | None = None  # before a large view
        self._making_window: MakingWindow | None = None
        self._restore_geometry()
        self.come_up(doc)

    # coming up

    def come_up(self, doc: Document | Found) -> None:
        """Be whole at once with a document, or begin with what finds the scene."""
        if callable(doc):
            self._find = doc
            self._latest.start()
        else:
            self.make_view(doc)
            self.furnish()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self._find is not None:
            QTimer.singleShot(0, self._begin)  # once this has come to the screen
        elif self._first is not None:
            QPainter(self).drawImage(*self._first)

    def _begin(self) -> None:
        find, self._find = self._find, None
        if find is None or self.closed:
            return
        from fictilis.render.beside import link

        with suppress(OSError):
            link()  # what draws starts while the scene is read
        found = find()
        self._latest.start()
        stage = None if found is None else self._picture_of(found[0])
        QTimer.singleShot(0, lambda: self._view_alone(found, stage))

    def _picture_of(self, scene: Scene) -> Stage | None:
        """Show the model where its view will be, drawn as that will draw it; what it took to know is kept."""
        from fictilis.app.view.picture import Picture
        from fictilis.render.dress import worn_item
        from fictilis.render.snapshot import first_camera
        from fictilis.render.stage import IN_THE_MIX, StageWish, first_stage

        if not scene.objects or self._make_renderer():
            return None
        there(self.renderer).light = scene.light or self.settings.light()
        place = self.rect().marginsRemoved(QMargins(*AROUND))
        wide, high = max(place.width(), 1), max(place.height(), 1)
        stage = first_stage(scene)
        items = [
            worn_item(item, (IN_THE_MIX, number, item.obj.id, None), textured=False)
            for number, item in enumerate(stage.items(StageWish(scene, scene.start)))
        ]
        camera, ratio = first_camera(scene, wide / high), self.devicePixelRatioF()
        picture = Picture(there(self.renderer), self)
        self._first = (place, picture.draw(items, camera, wide, high, ratio, self.palette_.view, fine=False))
        picture.deleteLater()
        self.repaint()
        self.pictured.emit()
        return stage

    def _make_renderer(self) -> str:
        """Make what draws, once, in a process of its own where one can be had; returns why there is none."""
        from fictilis.render.beside import Beside, link

        if self.renderer is None:
            try:
                self.renderer = Beside(link())
            except OSError:
                from fictilis.render.renderer import Renderer

                self.renderer = Renderer()
            except FictilisError as error:
                return error.said
            self.renderer.light = self.settings.light()
        return ""

    def _view_alone(self, found: tuple[Scene, Path | None] | None, stage: Stage | None) -> None:
        """The view about where it will be, until the rest is made: one sees the model, and not a window being built."""
        from fictilis.app.model.document import Document

        if self.closed:
            return
        doc = Document()
        if found is not None:
            doc.open_scene(*found)
        self.make_view(doc)
        around = QWidget()
        layout = QVBoxLayout(around)
        layout.setContentsMargins(QMargins(*AROUND))
        layout.addWidget(self.view)
        self.setCentralWidget(around)
        self.view.picture_shown.connect(self._soon_furnished)
        if stage is not None:
            around.setGeometry(self.rect())
            layout.activate()  # the view has its size now, and its picture before it is painted
            self.view.take_stage(stage)
            self.start_renderer()

    def start_renderer(self) -> None:
        """Let the view draw."""
        why = self._make_renderer()
        if why:
            self.doc.say(why, "error")
            return
        self.view.set_renderer(self.renderer)
        self.view.eye.fit()
        self.renderer_made()

    def _soon_furnished(self) -> None:
        self.view.picture_shown.disconnect(self._soon_furnished)
        self._first = None
        QTimer.singleShot(0, self.furnish)

    def furnish(self) -> None:
        """Make the rest of the window, once."""
        if self._find is not None:  # nothing was painted
            self._begin()
        elif not self.furnished and not self.closed:
            self.view.setParent(None)
            from fictilis.app.furniture import furnish

            furnish(self)
            self.furnished = True
            self.renderer_made()
            self.ready.emit()

    def make_view(self, doc: Document) -> None:
        """Make the view of a document, which is the window's from then on."""
        from fictilis.app.model.tasks import QUEUED, BackgroundTask
        from fictilis.app.view.view import View

        self.doc, settings = doc, self.settings
        doc.change(
            dark=self.palette_.dark,
            hold_guard=settings.flag("hold_guard", True),
            prove_exports=settings.flag("prove_exports", True),
            tool_names=settings.flag("tool_names", True),  # the first time
        )
        self._warming, self._warm = BackgroundTask(self), False
        self.view = View(doc, self.palette_, lambda moved: self.ask.base(moved))
        self._take_usual_light()
        doc.opened.connect(self._take_usual_light)
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
        self.show_light(self.light(), self.settings.picked())

    def _warm_up(self) -> None:
        self._warming.run(warm_up)

    def _return_freed(self) -> None:
        if self._warming.busy:
            self.idle.start()
        else:
            self._warming.run(return_freed)

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
        self.idle.start()
        if self.renderer is not None and self.view.turning.light is None and self.renderer.light != self.light():
            self.renderer.light = self.light()
            self.view.refresh()
        if self.doc.shaping is not None:
            self._shaped = True
            self._warm_strokes()
        else:
            self._at_rest.start()

    def light(self) -> Light:
        """That of the scene, else that which the settings had when it was opened: so one that is kept can be undone."""
        return self.doc.scene.light or self._usual_light

    def _take_usual_light(self) -> None:
        self._usual_light = self.settings.light()

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
        self.commands.recovered_is_saved()

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
