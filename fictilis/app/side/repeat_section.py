"""The side column's section of a repeat: how copies stand, how much later they move, what they differ by."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QLabel

from fictilis.app.model.document import Document
from fictilis.app.side.held_section import HeldSection
from fictilis.app.widgets.fields import Segments
from fictilis.app.widgets.labelled import NARROW, Labelled
from fictilis.app.widgets.theme import Palette
from fictilis.core.edits.repeats import change_repeat
from fictilis.core.operations.repeats import AWAY, COUNTS, FROM, ORDERS, SHORT_MEASURES, spacing_in
from fictilis.core.scene.repeats import FROM_POINT, GRID, LINE, ON_OTHERS, RANDOM, RING, SIZES, Repeat
from fictilis.core.scene.scene import Scene


class RepeatSection(HeldSection[Repeat]):
    """Shown for an object that is repeated."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(doc, palette, "repeat-grid", "repeat-ring", "repeat-later", "repeat-differ")
        self.on = self.switch()
        self.stands, self.count = QLabel(), QLabel()
        self.row("Placed", self.stands)
        self.counts = self.triple("counts", COUNTS)
        self.count_row = self.row("Copies", *self.counts)
        self.spacing = self.triple("spacing", AWAY)
        self.spacing_row = self.row("Apart", *self.spacing)
        self.measure = Segments("Apart by", [label for label, _ in SHORT_MEASURES])
        self.measure.chosen.connect(self._measure)
        self.measure_row = self.add(Labelled("By", self.measure, width=NARROW))
        self.radius, self.angle = self.number("radius"), self.number("angle")
        self.axis = self.segments("axis", "Ring around", {axis: axis.lower() for axis in "XYZ"})
        self.ring_rows = (self.row("Radius", self.radius), self.row("Over", self.angle), self.row("Around", self.axis))
        self.turn = self.check("turn", "Copies turn")
        self.later = self.number("later", "frames", "Last copy later by")
        self.row("Later by", self.later)
        self.order = self.combo(
            "One after the other", [(label, order) for _, label, order in ORDERS], lambda order: self.set(order=order)
        )
        self.order_row = self.row("Order", self.order)
        self.origin = self.triple("origin", FROM)
        self.origin_row = self.row("The point", *self.origin)
        self.turns, self.sizes, self.seed = self.number("turns"), self.number("sizes"), self.number("seed")
        self.row("Random turn", self.turns)
        self.row("Random size", self.sizes)
        self.seed_row = self.row("Seed", self.seed)
        self.row("In all", self.count)

    def held(self) -> Repeat | None:
        return self.doc.object.repeat if self.doc.object is not None else None

    def changed(self, scene: Scene, **values: Any) -> Scene:
        return change_repeat(scene, self.doc.obj.id, **values)

    def title(self, _held: Repeat) -> str:
        return "Copies"

    def step(self) -> str:
        return f"Repeat of {self.doc.obj.name}"

    def _measure(self, label: str) -> None:
        repeat, measure = self.held(), dict(SHORT_MEASURES)[label]
        if repeat is not None and measure != repeat.measure:
            self.set(measure=measure, spacing=spacing_in(self.doc.obj, measure))
        self.refresh()

    def show_more(self, repeat: Repeat) -> None:
        doc = self.doc
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
        for field, value in zip(self.spacing, repeat.spacing, strict=True):
            field.set_value(value)
        self.measure.set_value(next(label for label, measure in SHORT_MEASURES if measure == repeat.measure))
        self.order.setCurrentIndex(max(self.order.findData(repeat.order), 0))
        self.count.setText(f"{doc.scene.copy_count(doc.obj):,}")
