"""The side column's section of a smooth surface."""

from __future__ import annotations

from PyQt6.QtWidgets import QLabel

from fictilis.app.commands.operations import OperationCommands
from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import Segments, show_checked
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.theme import Palette
from fictilis.core.at_frame.drawn import finer_of
from fictilis.core.geometry.finer import count_of

LEVELS = ("Once", "Twice")


class SurfaceSection(Section):
    """Shown for a mesh that is seen as its smooth surface."""

    def __init__(self, doc: Document, palette: Palette, operations: OperationCommands) -> None:
        super().__init__(palette)
        self.doc, self.operations = doc, operations
        self.levels = Segments("Faces divided", LEVELS)
        self.levels.chosen.connect(lambda name: self._set("object-smooth", levels=LEVELS.index(name) + 1))
        self.add(Labelled("Divided", self.levels))
        self.points = QLabel()
        self.add(Labelled("Points", self.points))
        self.on = self.add_switch(lambda on: self._set("object-hide-surface", off=on))

    def subject(self) -> object:
        return self.doc.openings, self.doc.object_id

    def _set(self, operation: str, **values: object) -> None:
        self.operations.operate(operation, values)
        self.refresh()

    def refresh(self) -> None:
        obj = self.doc.object
        held = obj.surface if obj is not None else None
        self.setVisible(held is not None)
        if obj is None or held is None:
            return
        self.set_heading("Smooth surface")
        self.levels.set_value(LEVELS[held.levels - 1])
        drawn = f"{count_of(obj.mesh, held.levels):,}"
        allowed = not held.on or finer_of(obj) is not None
        self.points.setText(drawn if allowed else "not drawn: a face cannot be divided")
        show_checked(self.on, held.on)
