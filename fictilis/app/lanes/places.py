"""Where lanes stand: which are shown, the rectangles of their heads and bodies, and values as pixels of a body."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct, field
from PyQt6.QtCore import QRectF

from fictilis.app.model.document import Document
from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.ground.arrays import cached_by_identity, distinct
from fictilis.core.mix.channels import Channel, ChannelRef, Owner, kinds
from fictilis.core.mix.relay import relays as relays_of
from fictilis.core.scene.scene import Group, MorphObject
from fictilis.core.scene.timeline import Lane, lanes_by_channel

RULER, HEAD, WIDEST = 24, 222, 640
THIN, LANE, RELAY, TALL, HEADING = 18, 34, 84, 132, 22
OPEN_FROM, THIN_BELOW, HIGHEST = 70, 26, 400  # pixels: tangents from here on, no slider below, no higher than this
MARGIN = 14
PARTS = {"object": "Place and look", "camera": "Camera", "rig": "Rig", "joint": "Joints"}


class LanePlace(Struct, eq=False):
    """One lane: where it stands, and the values at the bottom and top of its body. All else is worked out for lanes that are
    looked at. ``plot`` is where all bodies are where they lie over each other; ``drawn``: it has a body at all."""

    channel: Channel
    lane: Lane | None
    top: float
    tall: float
    wide: float  # of the head
    room: float  # of the body
    scale: tuple[float, float] | None = None
    plot: QRectF | None = None
    drawn: bool = True

    @property
    def head(self) -> QRectF:
        return QRectF(0, self.top, self.wide, self.tall)

    @property
    def body(self) -> QRectF:
        if not self.drawn:
            return QRectF()
        return self.plot or QRectF(self.wide, self.top, self.room, self.tall)

    def shows(self, low: float, high: float) -> bool:
        """Whether something of its head is between two heights."""
        return self.top + self.tall > low and self.top < high

    @property
    def low(self) -> float:
        return self._scale()[0]

    @property
    def high(self) -> float:
        return self._scale()[1]

    def _scale(self) -> tuple[float, float]:
        """Worked out for lanes that are looked at only."""
        if self.scale is None:
            self.scale = scale_of(self.channel, self.lane)
        return self.scale

    @property
    def curve(self) -> AnimationCurve | None:
        return self.lane.curve if self.lane is not None else None

    @property
    def ref(self) -> ChannelRef:
        return self.channel.ref

    @property
    def owner(self) -> str:
        return self.channel.owner.id

    @property
    def is_open(self) -> bool:
        return self.drawn and (self.plot.height() if self.plot is not None else self.tall) >= OPEN_FROM

    @property
    def is_thin(self) -> bool:
        return self.tall < THIN_BELOW

    @property
    def caret(self) -> QRectF:
        middle = self.title.center().y() if self.channel.poses else self.head.center().y()
        return QRectF(self.head.left() + 4, middle - 8, 14, 16)

    @property
    def name(self) -> QRectF:
        """Over the slider, or alone in a thin lane."""
        return self._line(-7, 18) if not self.is_thin else self._line(0, self.tall)

    @property
    def slider(self) -> QRectF:
        """Empty in a thin lane, and where nothing can be slid."""
        if self.is_thin or not self.channel.slides:
            return QRectF()
        return self._line(9, 4).adjusted(6, 0, 0, 0)  # its bead stays clear of the dot

    @property
    def number(self) -> QRectF:
        return QRectF(self.head.right() - 65, self.head.center().y() - 9, 41, 18)

    def _line(self, below: float, high: float) -> QRectF:
        """A line of the head, so far below its middle, between the dot and the number."""
        left, middle = self.head.left() + 32, self.head.center().y() + below * min(self.tall / LANE, 1.0)
        return QRectF(left, middle - high / 2, self.number.left() - 6 - left, high)

    @property
    def dot(self) -> QRectF:
        """Empty where nothing can be keyed."""
        if not self.channel.slides:
            return QRectF()
        return QRectF(self.head.right() - 21, self.head.center().y() - 8, 16, 16)

    @property
    def title(self) -> QRectF:
        """Where a relay says its name."""
        low = not self.is_open
        return QRectF(self.head.left() + 32, self.head.top() + (0 if low else 5), self.head.width() - 38,
                      self.head.height() if low else 22)  # fmt: skip

    @property
    def button(self) -> QRectF:
        """What a relay has instead of a slider: it makes a pose, or shapes the one that stands here. Empty in a low lane."""
        if not self.channel.poses or not self.is_open:
            return QRectF()
        return QRectF(self.head.left() + 20, self.head.top() + 29, 76, 23)

    @property
    def rail(self) -> float:
        """The pixel of the line on which a relay's poses stand."""
        return self.body.bottom() - 13 if self.is_open else self.body.center().y()

    @property
    def pictures(self) -> QRectF:
        """The band in which a relay's pictures stand."""
        return self.body.adjusted(0, 5, 0, -24)

    @property
    def edge(self) -> QRectF:
        """The lower edge of the head, by which the lane is made higher or lower."""
        return QRectF(self.head.left(), self.head.bottom() - 3, self.head.width(), 5)

    @property
    def inner(self) -> QRectF:
        high = self.body.height()
        room = 16 if high > TALL else 7 if high >= THIN_BELOW else 4
        return self.body.adjusted(0, room, 0, -room)

    def y(self, value: Any) -> Any:
        """The pixel of a value, or of an array of them."""
        if self.channel.poses:
            return self.rail + 0.0 * value
        return self.inner.bottom() - (value - self.low) / (self.high - self.low) * self.inner.height()

    def value(self, y: float) -> float:
        """The value at a pixel; poses have none."""
        if self.channel.poses:
            return 0.0
        return self.low + (self.inner.bottom() - y) / self.inner.height() * (self.high - self.low)

    def part(self, value: float) -> float:
        """Where a value stands on the slider, 0…1 over the soft range."""
        return (value - self.channel.low) / (self.channel.high - self.channel.low)

    def value_on_slider(self, x: float) -> float:
        part = min(max((x - self.slider.left()) / self.slider.width(), 0.0), 1.0)
        value = self.channel.low + part * (self.channel.high - self.channel.low)
        return float(np.round(value)) if self.channel.stepped else round(value, 3)


class Heading(Struct, eq=False):
    """A line that folds the lanes under it: of the object, of the camera, or of a group by its id."""

    part: str
    text: str
    rect: QRectF
    folded: bool


class LaneLook(Struct, eq=False):
    """What the user set on the lanes: heights by channel, folded headings, a filter, and value scales of their own."""

    heights: dict[ChannelRef, int] = field(default_factory=dict)
    folded: set[str] = field(default_factory=lambda: set(PARTS))
    filter: str = ""
    scales: dict[tuple[str, str], tuple[float, float]] = field(default_factory=dict)

    def zoom_values(self, place: LanePlace, at: float, factor: float, shared: bool) -> None:
        """A finer value scale (``factor`` below 1) of a lane, or of its unit, whose value at pixel ``at`` stays there."""
        value = place.value(at)
        low, high = (value + (v - value) * factor for v in (place.low, place.high))
        if 1e-6 < high - low < 1e9:
            self.scales[("shared", place.channel.unit) if shared else place.ref] = (low, high)


@cached_by_identity
def extent(lane: Lane) -> tuple[float, float]:
    """The least and largest value a lane reaches among its keys, its modifiers included at 24 frames a second."""
    keys = lane.curve.keys
    first, last = keys[0].frame, keys[-1].frame
    frames = distinct(np.concatenate([[k.frame for k in keys], np.linspace(first, last, 97)]))
    values = lane.curve.evaluate(frames)
    if any(m.on and m.amount for m in lane.modifiers):
        values = np.concatenate([values, lane.values(np.append(frames, np.linspace(last, last + 24, 25)), 24.0)])
    return float(values.min()), float(values.max())


def scale_of(channel: Channel, lane: Lane | None) -> tuple[float, float]:
    """The values at the bottom and top of a lane's body: of a weight its range and more, of others what they reach."""
    if channel.poses:
        return 0.0, 1.0
    low, high = extent(lane) if lane is not None else (channel.value, channel.value)
    if channel.part == "weight" or channel.id in ("opacity", "visible"):
        low, high = min(channel.low, low, 0.0), max(channel.high, high, 0.0)
    if high - low < 1e-9:
        room = max(abs(high) * 0.1, (channel.high - channel.low) * 0.02)
        low, high = low - room, high + room
    return low, high


def owners_of(doc: Document) -> list[Owner]:
    """The object shown and the camera that is looked through."""
    return [owner for owner in (doc.object, doc.scene.camera) if owner is not None]


class _Row(Struct, eq=False, frozen=True):
    """A lane that may be shown: its channel and lane, and the heading it stands under."""

    channel: Channel
    lane: Lane | None
    part: str | None


def _rows(owner: Owner) -> list[_Row]:
    groups = {t.id: t.group for t in owner.targets} if isinstance(owner, MorphObject) else {}
    lanes = lanes_by_channel(owner)
    return [
        _Row(Channel(owner, kind), lanes.get(name), kind.part if kind.part in PARTS else groups.get(name))
        for name, kind in kinds(owner).items()
    ]


def relays(owner: Owner) -> Mapping[str, Group]:
    return relays_of(owner) if isinstance(owner, MorphObject) else {}


def _shown(doc: Document, look: LaneLook, owner: Owner) -> list[_Row]:
    """The lanes that are asked for."""
    which, wanted, rows, led = doc.lanes_shown, look.filter.lower(), _rows(owner), relays(owner)
    if led and which != "selected" and not wanted:  # a shape of a relay is seen on the relay's lane
        rows = [row for row in rows if row.part not in led]
    if wanted:
        rows = [row for row in rows if wanted in row.channel.name.lower()]
    if which == "all":
        return rows
    if which == "keyed":
        return [row for row in rows if row.lane is not None]
    if which == "selected":
        chosen = frozenset(doc.selected)
        return [row for row in rows if row.channel.ref in chosen]
    if which.startswith("group:"):
        group = which.removeprefix("group:")
        return [row for row in rows if row.channel.part == "weight" and row.part == group]
    return [row for row in rows if which == ("weight" if row.channel.poses else row.channel.part)]


def _is_folded(doc: Document, row: _Row) -> bool:
    """Whether a lane is hidden under its folded heading. What is keyed or selected shows all the same, but for groups."""
    return row.channel.part in ("weight", "relay") or row.lane is None and row.channel.ref not in doc.selected


def _heading(row: _Row, owner: Owner) -> str:
    group = owner.group(row.part) if isinstance(owner, MorphObject) and row.channel.part == "weight" else None
    return group.name if group else owner.name if row.part == "camera" else f"{PARTS[row.part or '']} of {owner.name}"


def rows_of(doc: Document, look: LaneLook) -> list[_Row | tuple[str, str]]:
    """Lanes, and headings as (part, text), from top to bottom."""
    out: list = []
    folded = frozenset() if look.filter or doc.lanes_shown != "all" else look.folded
    for owner in owners_of(doc):
        last = None
        for row in _shown(doc, look, owner):
            if row.part != last:
                last = row.part
                if last is not None:
                    out.append((last, _heading(row, owner)))
            if row.part not in folded or not _is_folded(doc, row):
                out.append(row)
    return out


def lay_out(
    doc: Document, look: LaneLook, width: float, height: float, scroll: float, head: float
) -> tuple[list[LanePlace], list[Heading], int]:
    """Places, headings, and the height of all; ``width`` and ``height`` are of the whole area, ``head`` of the heads."""
    places: list[LanePlace] = []
    headings: list[Heading] = []
    y = RULER - scroll
    wide = max(width - head, 10)
    heights, scales = look.heights if not doc.together else {}, look.scales
    for row in rows_of(doc, look):
        if isinstance(row, tuple):
            headings.append(Heading(row[0], row[1], QRectF(0, y, head, HEADING), row[0] in look.folded))
            y += HEADING
            continue
        channel, tall, scale = row.channel, LANE, None
        if channel.poses and not doc.together:
            tall = RELAY
        if heights or scales:
            tall, scale = heights.get(channel.ref, tall), scales.get(channel.ref)
        places.append(LanePlace(channel, row.lane, y, tall, head, wide, scale))
        y += tall
    if doc.together:
        _lay_together(doc, look, places, QRectF(head, RULER, wide, max(height - RULER, 10)))
    elif doc.shared_scale:
        _share(look, places)
    return places, headings, int(y + scroll - RULER)


def _lay_together(doc: Document, look: LaneLook, places: list[LanePlace], plot: QRectF) -> None:
    """One plot for the lanes selected, else for all that have keys or follow some; those of one unit share a scale."""
    keyed = [p for p in places if (p.lane is not None or p.channel.driven) and not p.channel.poses]
    selected = frozenset(doc.selected)
    chosen = [p for p in keyed if p.ref in selected] or keyed
    for place in places:
        place.plot, place.drawn = plot, False
    for place in chosen:
        place.drawn = True
    _share(look, chosen)


def _share(look: LaneLook, places: list[LanePlace]) -> None:
    by_unit: dict[str, list[LanePlace]] = {}
    for place in places:
        by_unit.setdefault(place.channel.unit, []).append(place)
    for unit, group in by_unit.items():
        kept = look.scales.get(("shared", unit))
        low, high = kept or (min(p.low for p in group), max(p.high for p in group))
        for place in group:
            place.scale = (low, high)
