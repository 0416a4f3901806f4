"""The cards, told to assistive technology."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import Any, Protocol

from PyQt6.QtCore import QRectF

from fictilis.app.model.document import Document
from fictilis.app.targets.card_place import GroupPlace, Place
from fictilis.app.widgets.spoken import Spoken
from fictilis.core.mix.driven import driven_by, states


class CardsShown(Protocol):
    """What of the cards is told."""

    doc: Document
    group_places: list[GroupPlace]

    def places(self) -> list[Place]: ...
    def fold(self, group_id: str) -> None: ...


class SpokenCards(Spoken):
    """The base, the targets and the headings of their groups, from top to bottom."""

    def __init__(self, cards: CardsShown) -> None:
        self.cards = cards
        super().__init__(cards, cards.doc, "Cards of the targets")

    def things(self) -> Sequence[Place | GroupPlace]:
        both: list[Place | GroupPlace] = [*self.cards.places(), *self.cards.group_places]
        return sorted(both, key=lambda place: (place.rect.top(), place.rect.left()))

    def name_of(self, thing: Any) -> Hashable:
        if isinstance(thing, GroupPlace):
            return "group", thing.group.id
        return "target", thing.target.id if thing.target is not None else None

    def said(self, thing: Any) -> tuple[str, str]:
        obj = self.doc.object
        if isinstance(thing, GroupPlace):
            folded = ", folded" if thing.group.folded else ""
            return f"{thing.group.name}, {thing.group.factor:.2f}", f"a group{folded}"
        if thing.target is None or obj is None:
            return "Base", "the shape without targets"
        target = obj.target(thing.target.id)
        drivers = driven_by(obj, target)
        facts = ["a target"]
        facts += [f"driven by {drivers}"] if drivers else [f"usually {target.range[0]:g} to {target.range[1]:g}"]
        facts += [f"in-betweens at {', '.join(f'{stage.at:g}' for stage in target.in_betweens)}"] if target.in_betweens else []
        facts += states(obj, target)
        return f"{target.name}, {self.doc.channels.weights(obj)[target.id]:.2f}", ", ".join(facts)

    def place(self, thing: Any) -> QRectF:
        return thing.rect

    def is_chosen(self, thing: Any) -> bool:
        if isinstance(thing, GroupPlace):
            return False
        return thing.target.id in self.doc.selected_targets if thing.target is not None else not self.doc.selected

    def choose(self, thing: Any) -> None:
        if isinstance(thing, GroupPlace):
            self.cards.fold(thing.group.id)
        else:
            self.doc.select_target(thing.target.id if thing.target is not None else None)
