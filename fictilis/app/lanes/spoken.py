"""The lanes, their keys and the markers, told to assistive technology."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import Any, Protocol

from PyQt6.QtCore import QPointF, QRectF

from fictilis.app.lanes.area import LaneArea
from fictilis.app.lanes.menus import value_words
from fictilis.app.lanes.places import Heading, LanePlace
from fictilis.app.model.document import Document
from fictilis.app.widgets.spoken import Spoken
from fictilis.core.animation.curve import Key
from fictilis.core.ground.errors import there
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.relay import shape_name
from fictilis.core.scene.timeline import Marker

HERE = {"posed": "not as keyed", "here": "a key here", "keyed": "", "none": ""}


class SpokenLanes(Spoken):
    """The heads and the headings over them, from top to bottom."""

    def __init__(self, lanes: LaneArea) -> None:
        self.lanes = lanes
        super().__init__(lanes.viewport(), lanes.doc, "Heads of the lanes", lanes)

    def things(self) -> Sequence[LanePlace | Heading]:
        both: list[LanePlace | Heading] = [*self.lanes.places(), *self.lanes.headings]
        return sorted(both, key=lambda thing: self.place(thing).top())

    def name_of(self, thing: Any) -> Hashable:
        return ("heading", thing.part) if isinstance(thing, Heading) else thing.ref

    def said(self, thing: Any) -> tuple[str, str]:
        if isinstance(thing, Heading):
            return thing.text, "folded" if thing.folded else "lanes follow"
        channel, count = thing.channel, len(thing.curve.keys) if thing.curve is not None else 0
        facts = [f"{count} key{'' if count == 1 else 's'}" if count else "no keys", HERE[self.lanes.dot_state(thing)]]
        facts += [f"driven by {channel.driven}" if channel.driven else "", "muted" if channel.quiet else ""]
        facts += [f"{len(thing.lane.modifiers)} modifiers"] if thing.lane is not None and thing.lane.modifiers else []
        words = value_words(channel, self.doc.channels.value(thing.ref))
        return f"{channel.name}, {words}", ", ".join(fact for fact in facts if fact)

    def place(self, thing: Any) -> QRectF:
        return thing.rect if isinstance(thing, Heading) else thing.head

    def is_chosen(self, thing: Any) -> bool:
        return isinstance(thing, LanePlace) and thing.ref in self.doc.selected

    def choose(self, thing: Any) -> None:
        if isinstance(thing, Heading):
            self.lanes.toggle_heading(thing)
        else:
            self.doc.select_channel(thing.ref)


class SpokenKeys(Spoken):
    """The keys of the selected lanes, one lane after another."""

    def __init__(self, lanes: LaneArea) -> None:
        self.lanes = lanes
        super().__init__(lanes.viewport(), lanes.doc, "Keys of the selected lanes", lanes)

    def things(self) -> Sequence[tuple[LanePlace, Key]]:
        chosen = [p for p in self.lanes.places() if p.ref in self.doc.selected and p.drawn and p.curve is not None]
        return [(place, key) for place in chosen for key in there(place.curve).keys]

    def _ref(self, thing: tuple[LanePlace, Key]) -> KeyRef:
        return KeyRef(*thing[0].ref, thing[1].frame)

    def name_of(self, thing: Any) -> Hashable:
        return self._ref(thing)

    def said(self, thing: Any) -> tuple[str, str]:
        place, key = thing
        channel = place.channel
        words = shape_name(channel.owner, key.shape) if channel.poses else value_words(channel, key.value)
        return f"Frame {key.frame:g}, {words}", f"a key of {channel.name}, {key.interpolation} to the next"

    def place(self, thing: Any) -> QRectF:
        place, key = thing
        at = QPointF(self.lanes.axis.x(key.frame), place.y(key.value))
        return QRectF(at.x() - 6, at.y() - 6, 12, 12)

    def is_chosen(self, thing: Any) -> bool:
        return self._ref(thing) in self.doc.keys

    def choose(self, thing: Any) -> None:
        self.doc.set_frame(thing[1].frame)
        self.doc.change(keys=frozenset({self._ref(thing)}))


class MarkersShown(Protocol):
    """What of the row of markers is told."""

    doc: Document

    def places(self) -> list[tuple[Marker, QRectF]]: ...


class SpokenMarkers(Spoken):
    """The markers along time."""

    def __init__(self, row: MarkersShown) -> None:
        self.row = row
        super().__init__(row, row.doc, "Markers along time")

    def things(self) -> Sequence[tuple[Marker, QRectF]]:
        return self.row.places()

    def name_of(self, thing: Any) -> Hashable:
        return thing[0].frame, thing[0].name

    def said(self, thing: Any) -> tuple[str, str]:
        return f"{thing[0].name}, frame {thing[0].frame:g}", "a marker"

    def place(self, thing: Any) -> QRectF:
        return thing[1]

    def is_chosen(self, thing: Any) -> bool:
        return abs(thing[0].frame - self.doc.frame) < 1e-6

    def choose(self, thing: Any) -> None:
        self.doc.set_frame(thing[0].frame)
