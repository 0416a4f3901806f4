"""The side column's sections of what comes after the mix: its list, and bend, twist and taper."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QLabel, QMenu, QToolButton

from fictilis.app.commands.actions import Actions
from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import Labelled, NumberField, Segments
from fictilis.app.widgets.theme import Palette, icon
from fictilis.core.edits.deformers import change_deformer, held_deformer
from fictilis.core.scene.deformers import BEND, MOST_TAPER, MOST_TURN, TAPER, Deformer

ADDED = ("bend", "twist", "taper", "point-spring-points", "smooth-surface", "repeat-grid", "repeat-ring", "repeat-on")
ORDER = "Bend, twist, taper, point spring, smooth surface, rig, copies: always in this order. Then the object’s own place."
FAR = 100.0


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


class DeformerSection(Section):
    """Shown for an object that goes through a bend, a twist or a taper."""

    def __init__(self, doc: Document, palette: Palette, kind: str) -> None:
        super().__init__(palette)
        self.doc, self.kind = doc, kind
        self.on = self.add_switch(lambda on: self._set(on=on))
        most, unit, decimals = (MOST_TAPER, "", 2) if kind == TAPER else (MOST_TURN, "°", 1)
        label = "Wider by" if kind == TAPER else "Angle"
        self.amount = NumberField(f"{kind.capitalize()}: {label.lower()}", unit, decimals, -most, most)
        self.amount.committed.connect(lambda value: doc.channels.set_value(doc.channels.ref(kind), value))
        self.add(Labelled(label, self.amount))
        self.axis = Segments(f"{kind.capitalize()} along", tuple("XYZ"))
        self.axis.chosen.connect(lambda axis: self._set(axis=axis.lower()))
        self.add(Labelled("Along", self.axis))
        self.low, self.high = self._number("low", "from"), self._number("high", "to")
        self.add(Labelled("From, to", self.low, self.high))
        self.still = self._number("still", "still at")
        self.add(Labelled("Still at", self.still))
        self.toward = NumberField(f"{kind.capitalize()} toward", "°", 1, -360.0, 360.0)
        self.toward.committed.connect(lambda value: self._set(toward=value))
        self.add(Labelled("Toward", self.toward)).setVisible(kind == BEND)

    def _number(self, name: str, label: str) -> NumberField:
        field = NumberField(f"{self.kind.capitalize()} {label}", "", 2, -FAR, FAR)
        field.setToolTip("As a part of the object’s length along the axis")
        field.committed.connect(lambda value: self._set(**{name: value}))
        return field

    def _held(self) -> Deformer | None:
        return held_deformer(self.doc.object, self.kind) if self.doc.object is not None else None

    def subject(self) -> object:
        return self.doc.openings, self.doc.object_id, self._held() is not None

    def _set(self, **values: Any) -> None:
        held, doc = self._held(), self.doc
        if held is not None and any(getattr(held, name) != value for name, value in values.items()):
            label = f"{self.kind.capitalize()} of {doc.object.name}"
            doc.edit(label, lambda s: change_deformer(s, doc.object_id, self.kind, **values))
        self.refresh()

    def show_values(self) -> None:
        if self._held() is not None:
            self.amount.set_value(self.doc.channels.values(self.doc.object)[self.kind])

    def refresh(self) -> None:
        held = self._held()
        self.setVisible(held is not None)
        if held is None:
            return
        self.set_heading(self.kind.capitalize())
        self.axis.set_value(held.axis.upper())
        for field, value in (
            (self.low, held.low),
            (self.high, held.high),
            (self.still, held.still),
            (self.toward, held.toward),
        ):
            field.set_value(value)
        self.on.blockSignals(True)
        self.on.setChecked(held.on)
        self.on.blockSignals(False)
        self.show_values()
