"""A click in the view that something waits for: it goes there instead of to the tool, until Esc gives it up."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from fictilis.app.view.canvas import Canvas
from fictilis.app.view.tools import Event

Take = Callable[[Event], bool]


class Clicks:
    """``note`` says at the view's foot what to click."""

    def __init__(self, view: Canvas) -> None:
        self.view, self.note = view, ""
        self._take: Take | None = None
        self._holds: Callable[[], bool] = lambda: True

    @property
    def on(self) -> bool:
        return self._take is not None

    def wait(self, note: str, take: Take, holds: Callable[[], bool] = lambda: True) -> None:
        """The next clicks go to ``take`` until it says that it needs no more, or what it is for ``holds`` no more."""
        self.note, self._take, self._holds = note, take, holds
        self.view.drawing.leave()
        self.view.setFocus()
        self.view.update()

    def stop(self) -> None:
        self._take = None
        self.view.update()

    def press(self, press: Event) -> None:
        if self._take is not None and self._take(press):
            self.stop()

    def changed(self) -> None:
        """The document changed."""
        if self.on and not self._holds():
            self.stop()

    def wants(self, event: QKeyEvent) -> bool:
        """Whether a key is meant for it, rather than for a shortcut."""
        return self.on and event.key() == Qt.Key.Key_Escape

    def key(self, event: QKeyEvent) -> bool:
        wanted = self.wants(event)
        if wanted:
            self.stop()
        return wanted
