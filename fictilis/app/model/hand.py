"""What the pointer does from a press to a release: at most one gesture at a time, of which nothing is left when it is over.

Whatever else acts on the document meanwhile first interrupts it. So no widget has to know what the others are in the
middle of.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt


class Gesture:
    """A press, its moves and its end. It shows what it would do as a preview of the document, and commits at its end.

    ``keeps_scale``: value scales stay while it moves keys. ``by_keys``: no button is held, so that the next press is a new one.
    """

    keeps_scale = False
    by_keys = False

    def move(self, event: Any) -> None:
        """The pointer went on."""

    def end(self, event: Any) -> None:
        """The button was released: commit, or do what a click does."""

    def cancel(self) -> None:
        """Take back what is no preview of the document; that one goes by itself."""

    def interrupt(self) -> None:
        """Something else acts: by default the gesture is given up."""
        self.cancel()


class Hand:
    """Holds the gesture that goes on. ``ground`` says what it stands on: once that is another, the gesture is over."""

    def __init__(self, ground: Callable[[], tuple], drop_preview: Callable[[], None]) -> None:
        self._ground, self._drop_preview = ground, drop_preview
        self._stood_on: tuple = ()
        self.gesture: Gesture | None = None

    @property
    def busy(self) -> bool:
        """Whether a button is held for something."""
        return self.gesture is not None and not self.gesture.by_keys

    def take(self, gesture: Gesture) -> None:
        """A gesture begins; another one is over."""
        self.leave()
        self.gesture, self._stood_on = gesture, self._ground()

    def move(self, event: Any) -> None:
        if self.gesture is not None:
            self.gesture.move(event)

    def release(self, event: Any = None) -> None:
        """The gesture ends as it was meant to; it commits when it is no longer held, so nothing interrupts it."""
        self._over(lambda gesture: gesture.end(event))

    def leave(self) -> None:
        """Something else acts: the gesture is interrupted."""
        self._over(lambda gesture: gesture.interrupt())

    def cancel(self) -> None:
        """The gesture is given up."""
        self._over(lambda gesture: gesture.cancel())

    def _over(self, how: Callable[[Gesture], None]) -> None:
        gesture, self.gesture, self._stood_on = self.gesture, None, ()  # a scene that is left does not stay for it
        if gesture is not None:
            how(gesture)
            self._drop_preview()

    def check(self) -> None:
        """The document changed: a gesture does not go on upon another ground."""
        if self.gesture is not None:
            now = self._ground()
            if any(a is not b and a != b for a, b in zip(self._stood_on, now, strict=True)):
                self.leave()


class FineWay:
    """Where a slider's knob is while it is dragged: with Shift it goes a tenth of the pointer's way."""

    def __init__(self, event: Any) -> None:
        self._at = self._last = event.position().x()

    def x(self, event: Any) -> float:
        now = event.position().x()
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._at += (now - self._last) * (0.1 if fine else 1.0)
        self._last = now
        return self._at
