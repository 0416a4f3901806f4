"""The one way a rendered picture reaches the screen: read back into a QImage and painted."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtGui import QColor, QImage

from fictilis.app.widgets.theme import mix
from fictilis.render.camera import Camera
from fictilis.render.ground import Ground
from fictilis.render.items import DrawItem
from fictilis.render.renderer import Renderer

AT_ONCE = 0.035  # s of drawing before others get their turn
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
        """How long the last moving picture took, with all that belongs to it."""
        self._good = self._good + 1 if seconds < EARLY else 0
        if seconds > LATE:
            self._at = min(self._at + 1, len(PARTS) - 1)
        elif self._good >= 8 and self._at:  # some pictures in a row: no going back and forth
            self._at, self._good = self._at - 1, 0


class Picture:
    """Draws into a buffer that its QImage shares, and leaves the picture that was whole before as it is."""

    def __init__(self, renderer: Renderer) -> None:
        self.renderer = renderer
        self._sides = [(bytearray(), QImage()), (bytearray(), QImage())]  # the one that is drawn into, and the one before
        self.unfinished = False

    def draw(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, ratio: float, ground: Ground, fine: bool,
        part: float = 1.0, over: bool = False,
    ) -> QImage:  # fmt: skip
        """A picture of ``width`` × ``height`` points at a screen of ``ratio`` pixels a point. Where many items take long only
        some are drawn: ``unfinished`` says so, and the next call goes on. ``part`` of the resolution is drawn.
        It goes ``over`` the last picture, or beside it, so that the last one can still be shown."""
        ratio *= part
        w, h = max(round(width * ratio), 1), max(round(height * ratio), 1)
        if not over:
            self._sides.reverse()
        buffer, image = self._sides[0]
        if image.width() != w or image.height() != h:
            buffer = bytearray(4 * w * h)
            image = QImage(buffer, w, h, 4 * w, QImage.Format.Format_RGBX8888)
            self._sides[0] = buffer, image
        self.renderer.draw(items, camera, w, h, ground, fine, buffer, AT_ONCE, swift=not fine)
        self.unfinished = self.renderer.unfinished
        image.setDevicePixelRatio(ratio)
        return image

    def depth(self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, ground: Ground) -> np.ndarray:
        """(height, width) float32 depths of the picture."""
        self.renderer.draw(items, camera, width, height, ground)
        return self.renderer.depth()


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


def plain_image(ground: Ground) -> QImage:
    """One pixel of the ground's middle."""
    image = QImage(1, 1, QImage.Format.Format_RGB32)
    image.fill(QColor(mix(ground.top, ground.bottom, 0.5)))
    return image


def image_of(pixels: np.ndarray) -> QImage:
    """An image with its own copy of (h, w, 4) uint8 pixels."""
    height, width = pixels.shape[:2]
    return QImage(pixels.tobytes(), width, height, 4 * width, QImage.Format.Format_RGBX8888).copy()
