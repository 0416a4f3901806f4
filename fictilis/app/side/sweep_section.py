"""The side column's section of a sweep: where it runs, how soft its front is, and where that stands."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QLabel

from fictilis.app.commands.operations import OperationCommands
from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import ArrowCombo, Labelled, NumberField, Segments
from fictilis.app.widgets.theme import Palette
from fictilis.core.edits import sweeps as edits
from fictilis.core.operations.sweeps import WAYS
from fictilis.core.scene.sweep import PROFILES, Sweep, front_of


class SweepSection(Section):
    """Shown for a target with a sweep."""

    def __init__(self, doc: Document, palette: Palette, operations: OperationCommands) -> None:
        super().__init__(palette)
        self.doc, self.operations = doc, operations
        self.way = ArrowCombo(palette)
        self.way.setAccessibleName("Where the sweep runs")
        self.way.setMinimumWidth(60)
        for way, words in WAYS.items():
            self.way.addItem(words, way)
        self.way.activated.connect(self._run_other)
        self.add(Labelled("Runs", self.way))
        self.front, self.softness = NumberField("Front", "", 2), NumberField("Softness", "", 2, 0, 100)
        self.front.committed.connect(self._set_front)
        self.softness.committed.connect(lambda v: self._set(softness=v))
        self.add(Labelled("Front", self.front))
        self.add(Labelled("Softness", self.softness))
        self.profile = Segments("Profile of the front", [p.capitalize() for p in PROFILES])
        self.profile.chosen.connect(lambda p: self._set(profile=p.lower()))
        self.add(Labelled("Profile", self.profile))
        self.gives = QLabel()
        self.gives.setWordWrap(True)
        self.gives.setProperty("quiet", True)
        self.add(self.gives)

    def _sweep(self) -> Sweep | None:
        return self.doc.target.sweep if self.doc.target is not None else None

    def subject(self) -> object:
        target = self.doc.target
        return self.doc.openings, self.doc.object_id, target and target.id, self._sweep() is not None

    def _set(self, **values: Any) -> None:
        sweep, doc, target = self._sweep(), self.doc, self.doc.target
        if sweep is not None and any(getattr(sweep, name) != value for name, value in values.items()):
            doc.edit(f"Sweep of {target.name}", lambda s: edits.change_sweep(s, doc.object_id, target.id, **values))
        self.refresh()

    def _set_front(self, value: float) -> None:
        self.doc.channels.set_value(self.doc.channels.ref(front_of(self.doc.target.id)), value)

    def _run_other(self, row: int) -> None:
        sweep = self._sweep()
        if sweep is not None and self.way.itemData(row) != sweep.way:
            numbers = {"softness": sweep.softness, "profile": sweep.profile, "noise": 0.0, "reverse": False, "still": True}
            self.operations.operate("target-sweep", {"way": self.way.itemData(row), **numbers})
        self.refresh()

    def refresh(self) -> None:
        sweep, target = self._sweep(), self.doc.target
        self.setVisible(sweep is not None)
        if sweep is None or target is None:
            return
        self.set_heading(f"Sweep of {target.name}")
        self.way.setCurrentIndex(max(self.way.findData(sweep.way), 0))
        self.softness.set_value(sweep.softness)
        self.profile.set_value(sweep.profile.capitalize())
        self.gives.setVisible(sweep.until is not None)
        if sweep.until is not None:
            self.gives.setText(f"Gives way to {self.doc.object.target(sweep.until).name}.")
        self.show_values()

    def show_values(self) -> None:
        target = self.doc.target
        if target is not None and target.sweep is not None:
            self.front.set_value(self.doc.channels.values(self.doc.object)[front_of(target.id)])

    def set_palette_(self, palette: Palette) -> None:
        super().set_palette_(palette)
        self.way.palette_ = palette
