"""The side column's section of a point spring."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QLabel

from fictilis.app.model.document import Document
from fictilis.app.side.held_section import HeldSection
from fictilis.app.widgets.theme import Palette
from fictilis.core.animation.modifiers import PRESETS
from fictilis.core.edits.springs import change_spring
from fictilis.core.operations.springs import EVEN, FEELS, WAYS
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.scene import Scene


class SpringSection(HeldSection[PointSpring]):
    """Shown for an object whose points follow the mix on springs."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(doc, palette, "spring-points")
        self.feel = self.combo("Feel of the springs", [(label, name) for _, label, name in FEELS], self._feel)
        self.row("Feel", self.feel)
        self.stiffness, self.damping, self.mass = (self.number(name) for name in ("stiffness", "damping", "mass"))
        for field in (self.stiffness, self.damping, self.mass):
            self.row(field.accessibleName(), field)
        self.way = QLabel()
        self.way_row = self.row("Shared out", self.way)
        self.twice = self.check("twice", self.parameter("twice").label)
        self.mix = self.check("mix", "The mix only")
        self.mix.setToolTip("Points do not lag behind the object's own motion")
        self.on = self.switch()

    def held(self) -> PointSpring | None:
        return self.doc.object.spring if self.doc.object is not None else None

    def changed(self, scene: Scene, **values: Any) -> Scene:
        return change_spring(scene, self.doc.obj.id, **values)

    def title(self, _held: PointSpring) -> str:
        return "Point spring"

    def step(self) -> str:
        return f"Point spring of {self.doc.obj.name}"

    def _feel(self, name: str | None) -> None:
        self.set(**dict(zip(("stiffness", "damping"), PRESETS[name], strict=True)) if name is not None else {})

    def show_more(self, held: PointSpring) -> None:
        known = {numbers: name for name, numbers in PRESETS.items()}
        self.feel.setCurrentIndex(self.feel.findData(known.get((held.stiffness, held.damping))))
        self.way_row.setVisible(held.field is not None)
        self.way.setText(WAYS.get(held.way, WAYS[EVEN]).removeprefix("More ").capitalize())
        self.way.setToolTip(self.way.text())
