"""The side column's section of a repeat: how copies stand, how much later they move, what they differ by."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QCheckBox, QLabel

from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import ArrowCombo, Labelled, NumberField, Segments
from fictilis.app.widgets.theme import Palette
from fictilis.core.edits.repeats import change_repeat
from fictilis.core.operations.repeats import ORDERS, SHORT_MEASURES, spacing_in
from fictilis.core.scene.repeats import FROM_POINT, GRID, LINE, MOST_COPIES, ON_OTHERS, RANDOM, RING, SIZES, Repeat

FAR = 1e6


class RepeatSection(Section):
    """Shown for an object that is repeated."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.on = self.add_switch(lambda on: self._set(on=on))
        self.stands = QLabel()
        self.add(Labelled("Stands", self.stands))
        self.counts = self._triple("counts", "Copies on", 0, 1, MOST_COPIES)
        self.count_row = self.add(Labelled("Copies", *self.counts, width=56))
        self.spacing = self._triple("spacing", "Apart on", 2, -FAR, FAR)
        self.spacing_row = self.add(Labelled("Apart", *self.spacing, width=56))
        self.measure = Segments("Apart by", [label for label, _ in SHORT_MEASURES])
        self.measure.chosen.connect(self._measure)
        self.measure_row = self.add(Labelled("By", self.measure, width=56))
        self.radius = self._number("radius", "Radius", "cm", 2, -FAR, FAR)
        self.angle = self._number("angle", "Over", "°", 1, -36000, 36000)
        self.axis = Segments("Ring around", tuple("XYZ"))
        self.axis.chosen.connect(lambda axis: self._set(axis=axis.lower()))
        self.ring_rows = (
            self.add(Labelled("Radius", self.radius)), self.add(Labelled("Over", self.angle)),
            self.add(Labelled("Around", self.axis)),
        )  # fmt: skip
        self.turn = QCheckBox("Copies turn")
        self.turn.toggled.connect(lambda on: self._set(turn=on))
        self.add(self.turn)
        self.later = self._number("later", "Last copy later by", "f", 1, -FAR, FAR)
        self.add(Labelled("Later by", self.later))
        self.order = ArrowCombo(palette)
        self.order.setAccessibleName("One after the other")
        self.order.setMinimumWidth(60)
        for _word, label, order in ORDERS:
            self.order.addItem(label, order)
        self.order.activated.connect(lambda row: self._set(order=self.order.itemData(row)))
        self.order_row = self.add(Labelled("Order", self.order))
        self.origin = self._triple("origin", "The point,", 1, -FAR, FAR)
        self.origin_row = self.add(Labelled("The point", *self.origin, width=56))
        self.turns = self._number("turns", "Turned by up to", "°", 1, 0, 360)
        self.sizes = self._number("sizes", "Size by up to", "", 2, 0, 0.99)
        self.seed = self._number("seed", "Draw", "", 0, 0, 10**6)
        self.add(Labelled("Turned by", self.turns))
        self.add(Labelled("Size by", self.sizes))
        self.seed_row = self.add(Labelled("Draw", self.seed))
        self.count = QLabel()
        self.add(Labelled("In all", self.count))

    def _number(self, name: str, label: str, unit: str, decimals: int, low: float, high: float) -> NumberField:
        field = NumberField(label, unit, decimals, low, high)
        field.committed.connect(lambda value: self._set(**{name: int(value) if decimals == 0 else value}))
        return field

    def _triple(self, name: str, label: str, decimals: int, low: float, high: float) -> list[NumberField]:
        row = [NumberField(f"{label} {axis}", "", decimals, low, high) for axis in "XYZ"]
        for field in row:
            field.setStyleSheet("padding: 4px 4px;")
            field.committed.connect(lambda _v: self._set(**{name: tuple(f.value for f in row)}))
        return row

    def _repeat(self) -> Repeat | None:
        return self.doc.object.repeat if self.doc.object is not None else None

    def subject(self) -> object:
        return self.doc.openings, self.doc.object_id, self._repeat() is not None

    def _set(self, **values: Any) -> None:
        repeat, doc = self._repeat(), self.doc
        if repeat is not None and any(getattr(repeat, name) != value for name, value in values.items()):
            doc.edit(f"Repeat of {doc.object.name}", lambda s: change_repeat(s, doc.object_id, **values))
        self.refresh()

    def _measure(self, label: str) -> None:
        repeat, measure = self._repeat(), dict(SHORT_MEASURES)[label]
        if repeat is not None and measure != repeat.measure:
            self._set(measure=measure, spacing=spacing_in(self.doc.object, measure))
        self.refresh()

    def refresh(self) -> None:
        repeat, doc = self._repeat(), self.doc
        self.setVisible(repeat is not None)
        if repeat is None:
            return
        self.set_heading("Copies")
        other = doc.scene.object(repeat.other).name if repeat.other is not None else ""
        words = {GRID: "in a grid", RING: "in a ring", LINE: f"along {other}"}
        self.stands.setText(words.get(repeat.way, f"on the {repeat.way} of {other}"))
        self.stands.setToolTip(self.stands.text())
        grid = repeat.way == GRID
        self.count_row.setVisible(repeat.way in (GRID, RING, LINE))
        self.count_row.label.setFixedWidth(56 if grid else 75)  # in line with the rows of one field
        for field in self.counts[1:]:
            field.setVisible(grid)
        for row in (self.spacing_row, self.measure_row):
            row.setVisible(grid)
        for row in self.ring_rows:
            row.setVisible(repeat.way == RING)
        self.turn.setVisible(repeat.way == RING or repeat.way in ON_OTHERS)
        self.order_row.setVisible(repeat.later != 0)
        self.origin_row.setVisible(repeat.later != 0 and repeat.order == FROM_POINT)
        self.seed_row.setVisible(bool(repeat.turns or repeat.sizes or repeat.later and repeat.order == RANDOM))
        for field in self.spacing:
            field.decimals = 2 if repeat.measure == SIZES else 1
        for fields, values in ((self.counts, repeat.counts), (self.spacing, repeat.spacing), (self.origin, repeat.origin)):
            for field, value in zip(fields, values, strict=True):
                field.set_value(value)
        for field, value in (
            (self.radius, repeat.radius), (self.angle, repeat.angle), (self.later, repeat.later), (self.turns, repeat.turns),
            (self.sizes, repeat.sizes), (self.seed, repeat.seed),
        ):  # fmt: skip
            field.set_value(value)
        self.measure.set_value(next(label for label, measure in SHORT_MEASURES if measure == repeat.measure))
        self.axis.set_value(repeat.axis.upper())
        self.order.setCurrentIndex(max(self.order.findData(repeat.order), 0))
        self.turn.blockSignals(True)
        self.turn.setChecked(repeat.turn)
        self.turn.blockSignals(False)
        self.on.blockSignals(True)
        self.on.setChecked(repeat.on)
        self.on.blockSignals(False)
        self.count.setText(f"{doc.scene.copy_count(doc.object):,}")

    def set_palette_(self, palette: Palette) -> None:
        super().set_palette_(palette)
        self.order.palette_ = palette
