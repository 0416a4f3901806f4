"""The one way a rendered picture reaches the screen: asked for, and as a QImage when it has come."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QColor, QImage

from fictilis.app.model.tasks import QUEUED
from fictilis.app.widgets.theme import mix
from fictilis.core.ground.errors import FictilisError
from fictilis.render.background import Background
from fictilis.render.beside import Draws, Ticket
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem

SOON = 0.015  # s that the window waits for a picture, so that a small scene shows each at once
PATIENCE = 2.0  # s that a picture may take until it is seen in part

PARTS = (1.0, 0.75, 0.5)  # of the resolution
LATE, EARLY = 0.028, 0.012  # s: a picture that takes longer gets fewer pixels next time, one that takes less gets more


class Pace:
    """Which part of the resolution a moving picture is drawn at, so that pictures keep coming."""

    def __init__(self) -> None:
        self._at = 0
        self._good = 0

    @property
    def part(self) -> float:
        return PARTS[self._at]

    def took(self, seconds: float) -> None:
        """How long the last moving picture took to draw."""
        self._good = self._good + 1 if seconds < EARLY else 0
        if seconds > LATE:
            self._at = min(self._at + 1, len(PARTS) - 1)
        elif self._good >= 8 and self._at:  # some pictures in a row: no going back and forth
            self._at, self._good = self._at - 1, 0


class Picture(QObject):
    """A place for pictures, one after the other. ``came`` tells that the one asked for is there, as ``image``, or was lost."""

    came = pyqtSignal()
    _ended = pyqtSignal(object)

    def __init__(self, renderer: Draws, parent: QObject) -> None:
        """The parent has it end in its own thread, whoever knows it last."""
        super().__init__(parent)
        self.renderer = renderer
        self.image: QImage | None = None
        self.lost, self.error = False, ""  # whether the last one did not come, and why, where it is known
        self.ratio, self.seconds = 1.0, 0.0  # how sharp it is, and how long it took to draw
        self._ticket: Ticket | None = None
        self._ended.connect(self._end, QUEUED)  # type: ignore[call-arg]  # from another thread

    @property
    def busy(self) -> bool:
        return self._ticket is not None

    def ask(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, ratio: float, background: Background,
        fine: bool, part: float = 1.0,
    ) -> None:  # fmt: skip
        """Ask for a picture of ``width`` × ``height`` points at a screen of ``ratio`` pixels a point, at ``part`` of the
        resolution. What was asked for before and has not come is not waited for any more."""
        self.ratio = ratio * part
        size = (max(round(width * self.ratio), 1), max(round(height * self.ratio), 1))
        self._ticket = Ticket(self._tell)
        self.renderer.ask(self._ticket, items, camera, *size, background, fine, swift=not fine)

    def give_up(self) -> None:
        """Wait for nothing any more: what comes late is told to nobody."""
        self._ticket = None
        self.deleteLater()

    def _tell(self, ticket: Ticket) -> None:
        try:
            self._ended.emit(ticket)
        except RuntimeError:  # the window is gone
            pass

    def _end(self, ticket: Ticket) -> None:
        if ticket is self._ticket:
            self._take()
            self.came.emit()

    def _take(self) -> None:
        ticket, self._ticket = self._ticket, None
        if ticket is None:
            return
        self.lost, self.error, self.seconds = ticket.pixels is None, ticket.error, ticket.seconds
        if ticket.pixels is not None:
            self.image = image_of(ticket.pixels)
            self.image.setDevicePixelRatio(self.ratio)

    def wait(self, seconds: float | None) -> bool:
        """Whether the picture asked for comes within so many seconds; then it is not told."""
        if self._ticket is None or not self._ticket.wait(seconds):
            return False
        self._take()
        return True

    def draw(self, *asked: Any, **how: Any) -> QImage:
        """As ``ask``, and wait for it. Raises FictilisError where none comes."""
        self.ask(*asked, **how)
        while self.wait(None) and self.lost and not self.error:
            self.ask(*asked, **how)  # by a process that is started again
        if self.image is None or self.lost:
            raise FictilisError(self.error)
        return self.image

    def depth(self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, background: Background) -> np.ndarray:
        """(height, width) float32 depths of the picture."""
        return self.renderer.depths(items, camera, width, height, background)


class LastWhole:
    """Which picture is seen: the last one that was whole, so that no scene is seen in part; but for no longer than PATIENCE."""

    def __init__(self) -> None:
        self.waits = False  # whether the last picture was not whole
        self._image: QImage | None = None
        self._of, self._since = -1, 0.0

    def take(self, image: QImage, whole: bool, of: int, now: float) -> QImage | None:
        """The picture to be seen at ``now`` s, for one that was drawn of the scene ``of``; None where none was whole."""
        self._since = self._since if self.waits else now
        self.waits = not whole and now - self._since <= PATIENCE
        if not self.waits:
            self._image, self._of = image, of
        return self._image if self._of == of else None


def plain_image(background: Background) -> QImage:
    """One pixel of the background's middle."""
    image = QImage(1, 1, QImage.Format.Format_RGB32)
    image.fill(QColor(mix(background.top, background.bottom, 0.5)))
    return image


def image_of(pixels: np.ndarray) -> QImage:
    """(h, w, 4) uint8 pixels as an image, which keeps and shares them."""
    height, width = pixels.shape[:2]
    image = QImage(pixels.data.cast("B"), width, height, 4 * width, QImage.Format.Format_RGBX8888)
    image.pixels = pixels
    return image
