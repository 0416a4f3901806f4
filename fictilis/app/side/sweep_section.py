"""The side column's section of a sweep: where it runs, how soft its front is, and where that stands."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QLabel

from fictilis.app.commands.operations import OperationCommands
from fictilis.app.model.document import Document
from fictilis.app.side.held_section import HeldSection
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.edits.sweeps import change_sweep
from fictilis.core.ground.errors import there
from fictilis.core.operations.sweeps import WAYS
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.sweep import PROFILES, Sweep, front_of


class SweepSection(HeldSection[Sweep]):
    """Shown for a target with a sweep."""

    def __init__(self, doc: Document, palette: Palette, operations: OperationCommands) -> None:
        super().__init__(doc, palette, "target-sweep")
        self.operations = operations
        self.way = self.combo("Where the sweep runs", [(words, way) for way, words in WAYS.items()], self._run_other)
        self.row("Runs", self.way)
        self.front = NumberField("Front", "", 2)
        self.front.committed.connect(self._set_front)
        self.row("Front", self.front)
        self.softness = self.number("softness")
        self.row("Softness", self.softness)
        self.profile = self.segments("profile", "Profile of the front", {p.capitalize(): p for p in PROFILES})
        self.row("Profile", self.profile)
        self.gives = QLabel()
        self.gives.setWordWrap(True)
        self.gives.setProperty("quiet", True)
        self.add(self.gives)

    def held(self) -> Sweep | None:
        return self.doc.target.sweep if self.doc.target is not None else None

    def subject(self) -> object:
        target = self.doc.target
        return *super().subject(), target and target.id

    def changed(self, scene: Scene, **values: Any) -> Scene:
        return change_sweep(scene, self.doc.obj.id, there(self.doc.target).id, **values)

    def title(self, _held: Sweep) -> str:
        return f"Sweep of {there(self.doc.target).name}"

    def step(self) -> str:
        return f"Sweep of {there(self.doc.target).name}"

    def _set_front(self, value: float) -> None:
        self.doc.channels.set_value(self.doc.channels.ref(front_of(there(self.doc.target).id)), value)

    def _run_other(self, way: str) -> None:
        sweep = self.held()
        if sweep is not None and way != sweep.way:
            numbers = {"softness": sweep.softness, "profile": sweep.profile, "noise": 0.0, "reverse": False, "still": True}
            self.operations.operate("target-sweep", {"way": way, **numbers})
        self.refresh()

    def show_more(self, held: Sweep) -> None:
        self.way.setCurrentIndex(max(self.way.findData(held.way), 0))
        self.gives.setVisible(held.until is not None)
        if held.until is not None:
            self.gives.setText(f"Gives way to {self.doc.obj.target(held.until).name}.")

    def show_values(self) -> None:
        target = self.doc.target
        if target is not None and target.sweep is not None:
            self.front.set_value(self.doc.channels.values(self.doc.obj)[front_of(target.id)])
