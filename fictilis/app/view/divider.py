"""The line between before and after, dragged."""

from __future__ import annotations

from PyQt6.QtGui import QMouseEvent

from fictilis.app.model.hand import Gesture
from fictilis.app.view.canvas import Canvas


class MoveDivider(Gesture):
    def __init__(self, view: Canvas) -> None:
        self.view, self.was = view, float(view.divider)

    def move(self, event: QMouseEvent) -> None:
        self.view.divider = min(max(event.position().x() / max(self.view.width(), 1), 0.02), 0.98)
        self.view.update()

    def cancel(self) -> None:
        self.view.divider = self.was
        self.view.update()
