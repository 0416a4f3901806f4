"""A rehearsal in the view: what a click touches, and the keys that cues wait for."""

from __future__ import annotations

from PyQt6.QtGui import QKeyEvent

from fictilis.app.model.rehearsing import Rehearsing
from fictilis.app.view.canvas import Canvas, touched_under
from fictilis.app.view.tools import Event
from fictilis.app.widgets.fields import key_name


class Touching:
    """``rehearsing`` is handed in once the window is whole."""

    def __init__(self, view: Canvas) -> None:
        self.view = view
        self.rehearsing: Rehearsing | None = None

    @property
    def on(self) -> bool:
        return self.rehearsing is not None and self.view.doc.rehearsing

    def press(self, press: Event) -> None:
        """A click, on what is seen there."""
        view = self.view
        hit = touched_under(view.items(), view.camera, (press.x, press.y), (view.width(), view.height()))
        if hit is not None and self.rehearsing is not None:
            self.rehearsing.click(*hit)

    def wants(self, event: QKeyEvent) -> bool:
        """Whether a cue waits for this key."""
        return self.on and self.rehearsing is not None and self.rehearsing.listens(key_name(event))

    def key(self, event: QKeyEvent) -> bool:
        """A key for a cue; whether it was one."""
        wanted = self.wants(event)
        if wanted and self.rehearsing is not None and not event.isAutoRepeat():
            self.rehearsing.key(key_name(event))
        return wanted
