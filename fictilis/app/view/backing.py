"""The reference picture in the view: behind the objects as a part of the background, or painted over them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QImage, QPainter

from fictilis.app.model.document import Document
from fictilis.app.view.canvas import Turned
from fictilis.app.view.ground import ground_in
from fictilis.core.scene.timeline import Reference
from fictilis.render.background import Background
from fictilis.render.items import Backdrop

Place = tuple[float, float, float, float]  # left, top, width and height, in parts of the view's


def place_of(reference: Reference, image: np.ndarray, width: int, height: int) -> Place:
    """Where a picture (h, w, 4) stands in a view of so many pixels."""
    aspect = image.shape[1] / image.shape[0] * height / max(width, 1)
    wide, high = reference.size * aspect, reference.size
    across = reference.across * height / max(width, 1)
    return 0.5 + across - wide / 2, 0.5 - reference.up - high / 2, wide, high


class Backing:
    """Keeps what was made for the picture shown last. ``through`` says whether the view is that of the scene's camera."""

    def __init__(self, doc: Document, view: Turned, through: Callable[[], bool]) -> None:
        self.doc, self.view, self._through = doc, view, through
        self._kept: tuple[Reference, np.ndarray, tuple[int, int], Backdrop] | None = None

    def _seen(self, before: bool) -> tuple[Reference, np.ndarray] | None:
        """The reference and its picture at the frame, where it stands on that side of the objects."""
        doc, reference = self.doc, self.doc.scene.reference
        if reference is None or not reference.shown or reference.before is not before or reference.opacity <= 0:
            return None
        if reference.through and not self._through():
            return None
        from fictilis.formats.reference import picture_at

        image = picture_at(reference, doc.frame, doc.scene.fps)
        return None if image is None else (reference, image)

    def background(self) -> Background:
        """The background with the picture that stands behind, and the lines below the objects."""
        seen, background = self._seen(before=False), replace(self.view.palette_.view, ground=ground_in(self.view))
        if seen is None:
            return background
        reference, image = seen
        kept, size = self._kept, (self.view.width(), self.view.height())
        if kept is None or kept[0] is not reference or kept[1] is not image or kept[2] != size:
            backdrop = Backdrop(image, place_of(reference, image, *size), reference.opacity)
            kept = self._kept = (reference, image, size, backdrop)
        return replace(background, backdrop=kept[3])

    def paint(self, painter: QPainter) -> None:
        """Paint the picture that stands before the objects."""
        seen = self._seen(before=True)
        if seen is None:
            return
        reference, pixels = seen
        width, height = self.view.width(), self.view.height()
        left, top, wide, high = place_of(reference, pixels, width, height)
        image = QImage(pixels.tobytes(), pixels.shape[1], pixels.shape[0], 4 * pixels.shape[1], QImage.Format.Format_RGBA8888)
        painter.save()
        painter.setOpacity(reference.opacity)
        painter.drawImage(QRectF(left * width, top * height, wide * width, high * height), image)
        painter.restore()
