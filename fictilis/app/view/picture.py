"""The one way a rendered picture reaches the screen: read back into a QImage and painted."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtGui import QImage

from fictilis.render.camera import Camera
from fictilis.render.renderer import DrawItem, Ground, Renderer

AT_ONCE = 0.1  # s of drawing before others get their turn


class Picture:
    """Draws into one buffer that its QImage shares."""

    def __init__(self, renderer: Renderer) -> None:
        self.renderer = renderer
        self._buffer = bytearray()
        self._image = QImage()
        self.unfinished = False

    def draw(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, ratio: float, ground: Ground, fine: bool
    ) -> QImage:
        """A picture of ``width`` × ``height`` points at a screen of ``ratio`` pixels a point. Where many items take long only
        some are drawn: ``unfinished`` says so, and the next call goes on."""
        w, h = max(round(width * ratio), 1), max(round(height * ratio), 1)
        if len(self._buffer) != 4 * w * h:
            self._buffer = bytearray(4 * w * h)
            self._image = QImage(self._buffer, w, h, 4 * w, QImage.Format.Format_RGBX8888)
        self.renderer.draw(items, camera, w, h, ground, fine, self._buffer, AT_ONCE)
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
