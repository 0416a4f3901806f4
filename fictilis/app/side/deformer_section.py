"""The side column's sections of what comes after the mix: its list, and bend, twist and taper."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QLabel, QMenu, QToolButton

from fictilis.app.commands.actions import Actions
from fictilis.app.model.document import Document
from fictilis.app.side.held_section import HeldSection
from fictilis.app.side.section import Section
from fictilis.app.widgets.theme import Palette, icon
from fictilis.core.edits.deformers import change_deformer
from fictilis.core.scene.deformers import BEND, Deformer
from fictilis.core.scene.scene import Scene

ADDED = ("bend", "twist", "taper", "point-spring-points", "smooth-surface", "repeat-grid", "repeat-ring", "repeat-on")
ORDER = "Bend, twist, taper, point spring, smooth surface, rig, copies: always in this order. Then the object’s own place."


class AfterSection(Section):
    """The heading of all that an object's mix goes through, in the order in which the sections below it stand."""

    def __init__(self, doc: Document, palette: Palette, actions: Actions) -> None:
        super().__init__(palette)
        self.doc, self.actions_ = doc, actions
        self.note = QLabel()
        self.note.setWordWrap(True)
        self.note.setProperty("quiet", True)
        self.add(self.note)
        self.more = QToolButton()
        self.more.setAccessibleName("Add something after the mix")
        self.more.setToolTip("Add…")
        self.more.setProperty("flat", True)
        self.more.setIcon(icon("plus", palette))
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.more)
        actions.add_to(menu, ADDED)
        self.more.setMenu(menu)
        self.beside(self.more)

    def refresh(self) -> None:
        obj = self.doc.object
        self.setVisible(obj is not None)
        if obj is None:
            return
        self.set_heading("After the mix")
        self.heading.setToolTip(ORDER)
        held = [obj.spring, obj.surface, obj.skin, obj.repeat]
        count = len(obj.deformers) + sum(part is not None for part in held)
        self.note.setText("In this order, from top to bottom.")
        self.note.setToolTip(ORDER)
        self.note.setVisible(count > 0)

    def set_palette_(self, palette: Palette) -> None:
        super().set_palette_(palette)
        self.more.setIcon(icon("plus", palette))


class DeformerSection(HeldSection[Deformer]):
    """Shown for an object that goes through a bend, a twist or a taper."""

    def __init__(self, doc: Document, palette: Palette, kind: str) -> None:
        super().__init__(doc, palette, f"deform-{kind}")
        self.kind, word = kind, kind.capitalize()
        self.on = self.switch()
        label = self.parameter("amount").label
        self.amount = self.field(
            "amount", lambda v: doc.channels.set_value(doc.channels.ref(kind), v), f"{word}: {label.lower()}"
        )
        self.row(label, self.amount)
        self.axis = self.segments("axis", f"{word} along", {axis: axis.lower() for axis in "XYZ"})
        self.row("Along", self.axis)
        self.low, self.high, self.still = (
            self.number(name, told=f"{word} {self.parameter(name).label.lower()}") for name in ("low", "high", "still")
        )
        for field in (self.low, self.high, self.still):
            field.setToolTip("As a part of the object’s length along the axis")
        self.row("From, to", self.low, self.high)
        self.row("Fixed at", self.still)
        if kind == BEND:
            self.row("Toward", self.number("toward", told="Bend toward"))

    def held(self) -> Deformer | None:
        return self.doc.object.deformer(self.kind) if self.doc.object is not None else None

    def changed(self, scene: Scene, **values: Any) -> Scene:
        return change_deformer(scene, self.doc.obj.id, self.kind, **values)

    def title(self, _held: Deformer) -> str:
        return self.kind.capitalize()

    def step(self) -> str:
        return f"{self.kind.capitalize()} of {self.doc.obj.name}"

    def show_values(self) -> None:
        if self.held() is not None:
            self.amount.set_value(self.doc.channels.values(self.doc.obj)[self.kind])
