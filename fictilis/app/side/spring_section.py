"""The side column's section of a point spring."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QCheckBox, QLabel

from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import ArrowCombo, Labelled, NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.animation.modifiers import PRESETS
from fictilis.core.edits.springs import change_spring
from fictilis.core.operations.springs import EVEN, FEELS, WAYS
from fictilis.core.scene.point_spring import DAMPING, MASS, STIFFNESS, PointSpring


class SpringSection(Section):
    """Shown for an object whose points follow the mix on springs."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.feel = ArrowCombo(palette)
        self.feel.setAccessibleName("Feel of the springs")
        self.feel.setMinimumWidth(60)
        for _word, label, name in FEELS:
            self.feel.addItem(label, name)
        self.feel.activated.connect(self._feel)
        self.add(Labelled("Feel", self.feel))
        self.stiffness = self._number("stiffness", "Stiffness", "1/s²", 1, STIFFNESS)
        self.damping = self._number("damping", "Damping", "1/s", 1, DAMPING)
        self.mass = self._number("mass", "Mass", "", 2, MASS)
        self.way = QLabel()
        self.way_row = self.add(Labelled("Shared out", self.way))
        self.twice = self._check("twice", "Two springs in a row")
        self.mix = self._check("mix", "The mix only")
        self.mix.setToolTip("Points do not lag behind the object's own motion")
        self.on = self.add_switch(lambda on: self._set(on=on))

    def _number(self, name: str, label: str, unit: str, decimals: int, bounds: tuple[float, float]) -> NumberField:
        field = NumberField(label, unit, decimals, *bounds)
        field.committed.connect(lambda value: self._set(**{name: value}))
        self.add(Labelled(label, field))
        return field

    def _check(self, name: str, label: str) -> QCheckBox:
        box = self.add(QCheckBox(label))
        box.toggled.connect(lambda on: self._set(**{name: on}))
        return box

    def _spring(self) -> PointSpring | None:
        return self.doc.object.spring if self.doc.object is not None else None

    def subject(self) -> object:
        return self.doc.openings, self.doc.object_id, self._spring() is not None

    def _set(self, **values: Any) -> None:
        spring, doc = self._spring(), self.doc
        if spring is not None and any(getattr(spring, name) != value for name, value in values.items()):
            doc.edit(f"Point spring of {doc.object.name}", lambda s: change_spring(s, doc.object_id, **values))
        self.refresh()

    def _feel(self, row: int) -> None:
        name = self.feel.itemData(row)
        if name is not None:
            stiffness, damping = PRESETS[name]
            self._set(stiffness=stiffness, damping=damping)
        self.refresh()

    def refresh(self) -> None:
        spring = self._spring()
        self.setVisible(spring is not None)
        if spring is None:
            return
        self.set_heading("Point spring")
        known = {numbers: name for name, numbers in PRESETS.items()}
        self.feel.setCurrentIndex(self.feel.findData(known.get((spring.stiffness, spring.damping))))
        for field, value in ((self.stiffness, spring.stiffness), (self.damping, spring.damping), (self.mass, spring.mass)):
            field.set_value(value)
        self.way_row.setVisible(spring.field is not None)
        self.way.setText(WAYS.get(spring.way, WAYS[EVEN]).removeprefix("More ").capitalize())
        self.way.setToolTip(self.way.text())
        for box, on in ((self.twice, spring.twice), (self.mix, spring.mix), (self.on, spring.on)):
            box.blockSignals(True)
            box.setChecked(on)
            box.blockSignals(False)

    def set_palette_(self, palette: Palette) -> None:
        super().set_palette_(palette)
        self.feel.palette_ = palette
