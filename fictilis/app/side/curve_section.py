"""A section with a curve of few points: the plot, the chosen point's numbers, and the way from point to point."""

from __future__ import annotations

from typing import Generic, TypeVar

from msgspec.structs import replace

from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.curve_plot import CurvePlot
from fictilis.app.widgets.fields import Segments
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette

WAYS = ("Linear", "Smooth", "Hold")
P = TypeVar("P", bound=CurvePlot)


class CurveSection(Section, Generic[P]):
    """``add_curve`` makes its part; ``show_values`` brings it up to date."""

    doc: Document
    plot: P

    def add_curve(self, plot: P, at: NumberField, value: NumberField, way: str) -> None:
        self.plot, self.at, self.value = self.add(plot), at, value
        for field in (at, value):
            field.committed.connect(lambda _v: self._set_point())
        self.add(Labelled("Point", at, value, width=56))
        self.way = Segments(way, WAYS)
        self.way.chosen.connect(self._lead)
        self.add(self.way)

    def _set_point(self) -> None:
        key = self.plot.point()
        if key is None or (key.frame, key.value) == (self.at.value, self.value.value):
            return
        moved = self.doc.attempt(lambda: replace(key, frame=self.at.value, value=self.value.value))
        if moved is not None:  # else it was said why not
            self.plot.set_keys("Curve of", [moved if k is key else k for k in self.plot.keys()])
        self.refresh()

    def _lead(self, way: str) -> None:
        self.plot.set_keys("Curve of", [replace(k, interpolation=way.lower()) for k in self.plot.keys()])
        self.refresh()

    def refresh(self) -> None:
        raise NotImplementedError

    def show_values(self) -> None:
        key = self.plot.point()
        if key is not None:
            self.way.set_value(self.plot.keys()[0].interpolation.capitalize())
            self.at.set_value(key.frame)
            self.value.set_value(key.value)
        self.plot.update()

    def set_palette_(self, palette: Palette) -> None:
        super().set_palette_(palette)
        self.plot.palette_ = palette
