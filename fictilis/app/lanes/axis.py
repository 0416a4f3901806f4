"""The lanes' axis of time: frames as pixels, and which frames are in sight."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from fictilis.app.lanes.places import HEAD, MARGIN, WIDEST
from fictilis.app.model.document import Document


class Axis(QObject):
    """``span``: the first and last frame in sight, None for the whole range; ``looked`` is emitted when it changes."""

    looked = pyqtSignal()

    def __init__(self, doc: Document, port: QWidget) -> None:
        """``port`` is the widget whose width the axis runs across."""
        super().__init__(port)
        self.doc, self._port = doc, port
        self.span: tuple[float, float] | None = None
        self.head = HEAD  # pixels of the heads beside it

    def x_range(self) -> tuple[float, float]:
        return self.head + MARGIN, max(self._port.width() - MARGIN - 8, self.head + MARGIN + 10)

    def x(self, frame: float) -> float:
        """The pixel of a frame."""
        left, right = self.x_range()
        first, last = self.frames_in_sight()
        return left + (frame - first) / (last - first) * (right - left)

    def frame_at(self, x: float) -> float:
        left, right = self.x_range()
        first, last = self.frames_in_sight()
        return first + (x - left) / (right - left) * (last - first)

    def frames_in_sight(self) -> tuple[float, float]:
        return self.span or (self.doc.scene.start, self.doc.scene.end)

    def fit(self, span: tuple[float, float] | None) -> None:
        """Show the frames of ``span`` with a little room beside them, or the whole range."""
        if span is not None:
            room = max((span[1] - span[0]) * 0.06, 0.5)
            span = (span[0] - room, span[1] + room)
        self._look_at(span)

    def _look_at(self, span: tuple[float, float] | None) -> None:
        self.span = span
        self.looked.emit()

    def zoom(self, factor: float, x: float) -> None:
        """Show fewer frames (``factor`` below 1) or more; the one at pixel ``x`` stays."""
        first, last = self.frames_in_sight()
        at = self.frame_at(min(max(x, self.x_range()[0]), self.x_range()[1]))
        wide = min(max((last - first) * factor, 2.0), 2e6)
        part = (at - first) / (last - first)
        span: tuple[float, float] | None = (at - part * wide, at - part * wide + wide)
        scene = self.doc.scene
        whole = scene.end - scene.start
        sees_all = at - part * wide <= scene.start and at - part * wide + wide >= scene.end
        if factor > 1 and whole <= wide < 1.1 * whole and sees_all:
            span = None
        self._look_at(span)

    def pan(self, frames: float) -> None:
        first, last = self.frames_in_sight()
        self._look_at((first + frames, last + frames))

    def widen(self, head: int) -> None:
        """Set the width of the heads, in pixels."""
        self.head = max(HEAD, min(head, WIDEST, max(self._port.width() - 240, HEAD)))
        self.looked.emit()

    def ticks(self) -> tuple[float, list[float]]:
        """Frames between labels, and the labelled frames."""
        left, right = self.x_range()
        room = max((right - left) / 78, 1)
        start, end = self.frames_in_sight()
        steps: list[float] = [1, 2, 3, 4, 6, 12, 24, 48, 96, 120, 240, 480, 960, 2400, 4800, 24000, 240000]
        if self.doc.time_shown != "frames":
            fps = self.doc.scene.fps
            steps = [s * fps for s in (0.05, 0.1, 0.25, 0.5, 1, 2, 5, 10, 30, 60, 300, 600, 3600)]
        step = next((s for s in steps if (end - start) / s <= room), steps[-1] * 10)
        first = np.ceil(start / step - 1e-9) * step
        return step, np.arange(first, end + 1e-9 * step, step).tolist()
