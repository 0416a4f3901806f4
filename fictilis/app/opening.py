"""How the window comes up: itself first, then the model, its view, and what stands around it.

What is imported at the top of this module, and of those it imports, is loaded before the first frame: nothing numeric.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QMargins, QRect, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QMainWindow, QVBoxLayout, QWidget

from fictilis.app.model.settings import Settings
from fictilis.app.widgets.layouts import later
from fictilis.app.widgets.theme import Palette
from fictilis.core.ground.errors import FictilisError

if TYPE_CHECKING:
    from fictilis.app.model.document import Document
    from fictilis.app.view.view import View
    from fictilis.core.scene.scene import Scene
    from fictilis.render.beside import Draws
    from fictilis.render.stage import Stage

Found = Callable[[], "tuple[Scene, Path | None] | None"]  # reads what is to be opened, and says of which file it is
AROUND = (223, 45, 233, 273)  # the parts around the view: left, above, right, below
LATEST = 1500  # ms until the next part is made, painted or not


class Opening(QMainWindow):
    """A window that shows itself before what it shows is loaded, and is ``ready`` once it is whole."""

    ready = pyqtSignal()
    pictured = pyqtSignal()  # the model is in the window, not yet in its view

    doc: Document
    view: View

    def __init__(self, settings: Settings, palette: Palette) -> None:
        super().__init__()
        self.settings, self.palette_ = settings, palette
        self.renderer: Draws | None = None
        self.furnished = self.closed = False
        self._find: Found | None = None  # until it is called
        self._first: tuple[QRect, QImage] | None = None
        self._latest = later(self, LATEST, self.furnish)

    def come_up(self, doc: Document | Found) -> None:
        """Be whole at once with a document, or begin with what finds the scene."""
        if callable(doc):
            self._find = doc
            self._latest.start()
        else:
            self.make_view(doc)
            self.furnish()

    def make_view(self, doc: Document) -> None:
        """Make the view of a document, which is the window's from then on."""
        raise NotImplementedError

    def make_rest(self) -> None:
        """Make and connect all parts but the view."""
        raise NotImplementedError

    def renderer_made(self) -> None:
        """There is a renderer, or a part that needs it."""

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
        place = self.rect().marginsRemoved(QMargins(*AROUND))
        wide, high = max(place.width(), 1), max(place.height(), 1)
        stage = first_stage(scene)
        items = [
            worn_item(item, (IN_THE_MIX, number, item.obj.id, None), textured=False)
            for number, item in enumerate(stage.items(StageWish(scene, scene.start)))
        ]
        camera, ratio = first_camera(scene, wide / high), self.devicePixelRatioF()
        picture = Picture(self.renderer, self)
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
            self.make_rest()
            self.furnished = True
            self.renderer_made()
            self.ready.emit()
