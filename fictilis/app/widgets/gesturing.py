"""The mouse of a painted widget, in one place: a press begins a gesture, a second button gives it up, a release ends it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING
from weakref import ref

from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QWidget

from fictilis.app.model.document import Document
from fictilis.app.model.hand import Gesture
from fictilis.core.ground.errors import FictilisError

if TYPE_CHECKING:
    Beside = QWidget  # which what is painted is
else:
    Beside = object


class Gesturing(Beside):
    """Beside QWidget: ``begin`` says what a press begins, ``hover`` what a move without a press does."""

    doc: Document
    _held: ref[Gesture] | None = None  # of the last press; the hand keeps it for as long as it goes on

    def begin(self, event: QMouseEvent) -> Gesture | None:
        """The gesture that a press begins; None where a click is all, or nothing."""
        raise NotImplementedError

    def hover(self, event: QMouseEvent) -> None:
        """The pointer moves with no button held."""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        hand = self.doc.hand
        self.doc.acting.emit()
        second = hand.busy and event.buttons() != event.button()  # else its release was lost
        hand.cancel() if hand.busy else hand.leave()
        self._held = None
        if not second:
            self.safely(lambda: self._begin(event))

    def _begin(self, event: QMouseEvent) -> None:
        gesture = self.begin(event)
        if gesture is not None:
            self._held = ref(gesture)
            self.doc.hand.take(gesture)

    def _holds(self) -> bool:
        """Whether what goes on is what the last press here began."""
        return self.doc.hand.gesture is not None and self._held is not None and self._held() is self.doc.hand.gesture

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._holds():
            self.safely(lambda: self.doc.hand.move(event))
        elif not event.buttons():
            self.hover(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        holds, self._held = self._holds(), None
        if holds:
            self.safely(lambda: self.doc.hand.release(event))

    def safely(self, act: Callable[[], object]) -> None:
        """An edit that is refused gives the gesture up, and is said."""
        try:
            act()
        except FictilisError as error:
            self.doc.hand.cancel()
            self.doc.cancel_preview()
            self.doc.say(error.said, "error")
