"""The one way a rendered picture reaches the screen: read back into a QImage and painted."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtGui import QImage

from fictilis.render.camera import Camera
from fictilis.render.ground import Ground
from fictilis.render.items import DrawItem
from fictilis.render.renderer import Renderer

AT_ONCE = 0.035  # s of drawing before others get their turn


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
    """Draws into one buffer that its QImage shares."""

    def __init__(self, renderer: Renderer) -> None:
        self.renderer = renderer
        self._buffer = bytearray()
        self._image = QImage()
        self.unfinished = False

    def draw(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, ratio: float, ground: Ground, fine: bool,
        part: float = 1.0,
    ) -> QImage:  # fmt: skip
        """A picture of ``width`` × ``height`` points at a screen of ``ratio`` pixels a point. Where many items take long only
        some are drawn: ``unfinished`` says so, and the next call goes on. ``part`` of the resolution is drawn."""
        ratio *= part
        w, h = max(round(width * ratio), 1), max(round(height * ratio), 1)
        if len(self._buffer) != 4 * w * h:
            self._buffer = bytearray(4 * w * h)
            self._image = QImage(self._buffer, w, h, 4 * w, QImage.Format.Format_RGBX8888)
        self.renderer.draw(items, camera, w, h, ground, fine, self._buffer, AT_ONCE, swift=not fine)
        self.unfinished = self.renderer.unfinished
        self._image.setDevicePixelRatio(ratio)
        return self._image

    def depth(self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, ground: Ground) -> np.ndarray:
        """(height, width) float32 depths of the picture."""
        self.renderer.draw(items, camera, width, height, ground)
        return self.renderer.depth()


def image_of(pixels: np.ndarray) -> QImage:
    """An image with its own copy of (h, w, 4) uint8 pixels."""
    height, width = pixels.shape[:2]
    return QImage(pixels.tobytes(), width, height, 4 * width, QImage.Format.Format_RGBX8888).copy()
