"""What the view shows: the last picture that has come, while the next one is drawn."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QObject, QRectF, QSize, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QWidget

from fictilis.app.model.document import Document
from fictilis.app.view import picture as pictures
from fictilis.app.view.picture import LastWhole, Pace, Picture, plain_image
from fictilis.render.background import Background
from fictilis.render.beside import Draws
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem

Items = Callable[[], list[DrawItem]]


class Showing(QObject):
    """Asks for pictures of a view, one at a time, and paints what came. ``shown`` tells of each one."""

    shown = pyqtSignal()

    def __init__(self, view: QWidget, doc: Document) -> None:
        super().__init__(view)
        self.view, self.doc = view, doc
        self.picture: Picture | None = None
        self.before: Picture | None = None
        self.whole, self.pace = LastWhole(), Pace()
        self.dirty = True
        self._image: QImage | None = None
        self._size, self._said = QSize(), ""
        self._asked = (0.0, False, 0, True)  # when, whether fine, of which scene and whole

    def set_renderer(self, renderer: Draws | None) -> None:
        for picture in (self.picture, self.before):
            if picture is not None:
                picture.give_up()
        self.picture, self.before = (None if renderer is None else Picture(renderer, self) for _ in range(2))
        if self.picture is not None and self.before is not None:
            self.picture.came.connect(self._came)
            self.before.came.connect(self.view.update)

    def forget(self) -> None:
        """Show nothing of the scene that was left, nor what is drawn of it yet."""
        self._image, self.dirty = None, True
        if self.picture is not None and self.before is not None:
            self.before.image = None
            self.picture.renderer.forget()

    def forget_frames(self) -> None:
        if self.picture is not None:
            self.picture.renderer.forget_frames()

    @property
    def fits(self) -> bool:
        """Whether the last picture that was asked for is of what there is now."""
        return not self.dirty and self._size == self._pixels()

    def _pixels(self) -> QSize:
        return (self.view.size().toSizeF() * self.view.devicePixelRatioF()).toSize()

    def take(self, kept: QImage) -> None:
        """Show a picture that was made before."""
        self._image, self.dirty = self.whole.take(kept, True, self.doc.openings, 0.0), False
        self._size = self._pixels()
        self.shown.emit()

    def ask(
        self, items: Items, camera: Camera, background: Background, fine: bool, late: Callable[[], bool], before: Items | None,
        waits: bool = True,
    ) -> None:  # fmt: skip
        """Ask for a picture of what ``items`` gives, unless one is drawn yet: when that has come, what is so then is drawn.
        ``late`` says whether shapes are missing that take longer; ``before`` gives what stands left of the divider. A small
        scene ``waits`` for its picture."""
        if self.picture is None or self.before is None or self.picture.busy:
            return
        begun = time.perf_counter()
        size = (self.view.width(), self.view.height(), self.view.devicePixelRatioF())
        part = 1.0 if fine or self.doc.seeing.sharp else self.pace.part
        if before is not None:
            self.before.ask(before(), camera, *size, background, fine, part)
        self.picture.ask(items(), camera, *size, background, fine, part)
        self._size, self.dirty = self._pixels(), late()
        self._asked = (begun, fine, self.doc.openings, not (fine and self.dirty))
        if self.picture.wait(pictures.SOON if waits and not self.doc.playing else 0.0):
            self._take()

    def _came(self) -> None:
        """The picture asked for is there, or what draws has ended and is started again."""
        self._take()
        self.view.update()

    def _take(self) -> None:
        begun, fine, opening, whole = self._asked
        if self.picture is None or self.picture.image is None or self.picture.lost:
            self._lost()
            return
        if self.doc.seeing.before and self.before is not None:
            self.before.wait(pictures.SOON)
        if not fine:
            self.pace.took(self.picture.seconds)
        if opening == self.doc.openings:
            self._image = self.whole.take(self.picture.image, whole, opening, begun)
        if self.dirty:
            QTimer.singleShot(0, self.view.update)
        self.shown.emit()

    def _lost(self) -> None:
        """What draws has ended. It is started again, the first time without a word."""
        assert self.picture is not None
        why = self.picture.error
        if why and why != self._said:
            self.doc.say(why, "error")
        elif not why and self.picture.renderer.falls > 1:
            self.doc.say("What draws the pictures ended and was started again. The scene is as it was.", "warning")
        self._said = why
        if not why:
            self.dirty = True
            self.view.update()

    def paint(self, painter: QPainter, background: Background, divider: float | None) -> None:
        """Paint the last picture, whatever part of the resolution it has; left of the divider the one before."""
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(self.view.rect(), self._image or plain_image(background))
        if divider is not None and self.doc.seeing.before and self.before is not None and self.before.image is not None:
            painter.save()
            painter.setClipRect(QRectF(0, 0, divider, self.view.height()))
            painter.drawImage(self.view.rect(), self.before.image)
            painter.restore()
