"""What a press on the cards begins."""

from __future__ import annotations

from typing import Protocol

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QMouseEvent

from fictilis.app.model.document import Document
from fictilis.app.model.hand import FineWay, Gesture
from fictilis.app.targets.card_place import GroupPlace, Place
from fictilis.core.edits import targets as edits
from fictilis.core.ground.errors import there
from fictilis.core.scene.scene import Scene

FAR = 10  # pixels: less is a click on a card


class CardArea(Protocol):
    """The cards, to their gestures."""

    doc: Document
    drop_at: int | None

    def places(self) -> list[Place]: ...
    def order_at(self, at: QPointF) -> int: ...
    def update(self) -> None: ...


class SlideWeight(Gesture):
    """The bar of a card."""

    def __init__(self, cards: CardArea, event: QMouseEvent, place: Place) -> None:
        self.doc, self.place, self.way = cards.doc, place, FineWay(event)
        self.ref = cards.doc.channels.ref(there(place.target).id)

    def _set(self, event: QMouseEvent, final: bool) -> None:
        low, high = self.doc.obj.target(self.ref.channel).range
        part = min(max((self.way.x(event) - there(self.place.bar).left()) / there(self.place.bar).width(), 0.0), 1.0)
        self.doc.channels.set_value(self.ref, round(low + part * (high - low), 3), final)

    def move(self, event: QMouseEvent) -> None:
        self._set(event, False)

    def end(self, event: QMouseEvent) -> None:
        self._set(event, True)


class SlideFactor(Gesture):
    """The bar of a group."""

    def __init__(self, cards: CardArea, event: QMouseEvent, place: GroupPlace) -> None:
        self.doc, self.place, self.way = cards.doc, place, FineWay(event)

    def _changed(self, event: QMouseEvent, scene: Scene) -> Scene:
        part = (self.way.x(event) - self.place.bar.left()) / self.place.bar.width()
        return edits.change_group(scene, self.doc.obj.id, self.place.group.id, factor=round(min(max(part, 0.0), 1.0), 3))

    def move(self, event: QMouseEvent) -> None:
        self.doc.preview(self._changed(event, self.doc.committed.scene))

    def end(self, event: QMouseEvent) -> None:
        self.doc.edit(f"Slider of {self.place.group.name}", lambda s: self._changed(event, s))


class CarryCard(Gesture):
    """A card dragged elsewhere in the order."""

    def __init__(self, cards: CardArea, event: QMouseEvent, target_id: str) -> None:
        self.cards, self.doc, self.pressed, self.target_id = cards, cards.doc, event.position(), target_id

    def move(self, event: QMouseEvent) -> None:
        if (event.position() - self.pressed).manhattanLength() > FAR:
            self.cards.drop_at = self.cards.order_at(event.position())
            self.cards.update()

    def cancel(self) -> None:
        self.cards.drop_at = None
        self.cards.update()

    def end(self, event: QMouseEvent) -> None:
        dropped = self.cards.drop_at
        self.cancel()
        shown = [p.target.id for p in self.cards.places() if p.target is not None]
        if dropped is None or not shown:
            return
        order = [t.id for t in self.doc.obj.targets]
        now = order.index(self.target_id)
        at = order.index(shown[dropped]) if dropped < len(shown) else order.index(shown[-1]) + 1
        place = at - (1 if at > now else 0)
        if place != now:
            self.doc.edit("Reorder targets", lambda s: edits.move_target(s, self.doc.obj.id, self.target_id, place))
