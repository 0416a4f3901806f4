"""Amounts typed while a tool with handles is on: they go to the stroke of the view, not to shortcuts."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from fictilis.app.tools import TOOLS, Event
from fictilis.app.tools.handles import Typing

if TYPE_CHECKING:
    from fictilis.app.view import View

CLOSING = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape, Qt.Key.Key_Backspace)


class TypedAmount:
    """The typed amount of one view. ``alone`` while the stroke began with a letter and not with a press."""

    def __init__(self, view: View) -> None:
        self.view, self.typing = view, Typing()
        self.alone = False
        self.held_axis: int | None = None

    @property
    def text(self) -> str:
        return self.typing.text

    def clear(self) -> None:
        self.typing.text = ""

    def is_on(self) -> bool:
        doc = self.view.doc
        return doc.shaping is not None and TOOLS[doc.tools.tool].family == "handles" and len(doc.pick()) > 0

    def wants(self, event: QKeyEvent) -> bool:
        """Whether a key belongs to the amount rather than to a shortcut."""
        if not self.is_on():
            return False
        dragging = self.view.strokes.on
        plain = not event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
        closes = (self.text or dragging) and event.key() in CLOSING
        return bool(closes or (event.text() and plain and self.typing.takes(event.text(), dragging)))

    def key(self, event: QKeyEvent) -> bool:
        """Take a key; whether it was one of ours."""
        view = self.view
        if not self.is_on() and not view.strokes.on:
            return False
        key, character = event.key(), event.text().lower()
        if key == Qt.Key.Key_Escape and (self.text or view.strokes.on):
            view.strokes.cancel()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.text:
            self.finish()
        elif key == Qt.Key.Key_Backspace and self.text:
            self.typing.erase()
            self._show()
        elif self.typing.takes(character, view.strokes.on):
            self.typing.add(character, self.held_axis)
            self._show()
        else:
            return False
        return True

    def is_whole(self) -> bool:
        return self.typing.amount() is not None

    def _event(self) -> Event:
        axis, amount = self.typing.amount()
        return Event("type", 0, 0, axis=axis, amount=amount)

    def _show(self) -> None:
        view, text = self.view, self.text
        if self.is_whole():
            if view.strokes.on:
                view.strokes.send(self._event())
            else:
                view.strokes.start(self._event())
                self.typing.text = text
        elif view.strokes.on and self.alone:
            view.strokes.cancel()
            self.typing.text = text
        view.update()

    def finish(self) -> None:
        """Commit the typed amount; without a whole number nothing changes."""
        view = self.view
        if not self.is_whole() or not view.strokes.on:
            view.strokes.cancel()
            return
        view.strokes.send(self._event())
        view.strokes.send(Event("release", 0, 0))
