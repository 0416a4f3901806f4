"""The side column's section of a line's tube: its twist and caps, and two curves along the line."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QCheckBox, QLabel, QPushButton

from fictilis.app.model.document import Document
from fictilis.app.side.curve_section import CurveSection
from fictilis.app.widgets.curve_plot import Bounds, CurvePlot
from fictilis.app.widgets.fields import Segments, show_checked
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits.lines import TUBE_CURVES, set_tube, set_tube_curve
from fictilis.core.geometry.kinds import Line, Tube
from fictilis.core.scene.scene import Scene

WHICH = {"Radius": "radius", "Turning": "turning"}


class TubePlot(CurvePlot):
    """The radius or the turning, from the beginning of the line to its end."""

    which = "radius"

    def tube(self) -> Tube | None:
        obj = self.doc.object
        return obj.geometry.tube if obj is not None and isinstance(obj.geometry, Line) else None

    def curve(self) -> AnimationCurve | None:
        tube = self.tube()
        if tube is None:
            return None
        held: AnimationCurve | None = getattr(tube, self.which)
        even = TUBE_CURVES[self.which]
        return held or AnimationCurve((Key(0.0, even, "smooth"), Key(1.0, even, "smooth")))

    def owner(self) -> str:
        return f"the tube of {self.doc.obj.name}"

    def colour(self) -> str:
        return "#2A8FA3" if self.which == "radius" else "#B9821A"

    def bounds(self) -> Bounds:
        values = [k.value for k in self.keys()] or [0.0]
        low, high = (0.0, 2.0) if self.which == "radius" else (-180.0, 180.0)
        return 0.0, 1.0, min(low, *values), max(high, *values)

    def feet(self) -> tuple[str, str, str]:
        low, high = self.bounds()[2:]
        unit = "×" if self.which == "radius" else "°"
        return "beginning", f"{low:g} to {high:g} {unit}", "end"

    def with_keys(self, scene: Scene, keys: Sequence[Key]) -> Scene:
        return set_tube_curve(scene, self.doc.obj.id, self.which, keys)


class TubeSection(CurveSection[TubePlot]):
    """Shown for a line with a tube."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.word = QLabel()
        self.add(Labelled("Profile", self.word))
        self.twist = NumberField("Twist of the tube", "°", 1, -1e5, 1e5)
        self.twist.committed.connect(lambda value: self._set(twist=value))
        self.add(Labelled("Twist", self.twist))
        self.caps = QCheckBox("Caps at open ends")
        self.caps.toggled.connect(lambda on: self._set(caps=on))
        self.add(self.caps)
        self.which = Segments("Curve of the tube", tuple(WHICH))
        self.which.chosen.connect(self._show_other)
        self.even = QPushButton("Even again")
        self.even.setToolTip("Without points: alike all along the line")
        self.even.setStyleSheet("padding: 4px 6px;")
        self.even.clicked.connect(lambda: self.plot.set_keys("Even out", []))
        self.add(Labelled("Curve", self.which))
        at, value = NumberField("Place of the point", "", 2, 0, 1), NumberField("Value at the point", "", 2)
        self.add_curve(TubePlot(doc, palette, "Curve along the tube"), at, value, "From point to point of the tube")
        self.add(self.even)

    def subject(self) -> object:
        return self.doc.openings, self.doc.object_id, self.plot.tube() is not None, self.plot.which, self.plot.chosen

    def _set(self, **values: Any) -> None:
        tube, doc = self.plot.tube(), self.doc
        if tube is not None and any(getattr(tube, name) != value for name, value in values.items()):
            doc.edit(f"Tube of {doc.obj.name}", lambda s: set_tube(s, doc.obj.id, replace(tube, **values)))
        self.refresh()

    def _show_other(self, word: str) -> None:
        self.plot.which, self.plot.chosen = WHICH[word], 0
        self.refresh()

    def refresh(self) -> None:
        tube = self.plot.tube()
        self.setVisible(tube is not None)
        if tube is None:
            return
        self.set_heading("Tube")
        self.word.setText(f"{tube.word}, {len(tube.profile)} sides")
        self.twist.set_value(tube.twist)
        show_checked(self.caps, tube.caps)
        self.which.set_value(self.plot.which.capitalize())
        self.even.setEnabled(getattr(tube, self.plot.which) is not None)
        self.show_values()
