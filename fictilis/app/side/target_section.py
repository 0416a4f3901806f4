"""The selected target: its range, what it is built on, its in-betweens and mask."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLabel

from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import Segments, TextField
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.edits import targets as edits
from fictilis.core.ground.errors import there
from fictilis.core.mix.driven import driven_by
from fictilis.core.mix.masks import LEAST
from fictilis.core.mix.relay import relay_of
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.scene import Scene

FLAGS = {
    "muted": (("Mute", "Unmute"), edits.set_muted),
    "solo": (("Solo", "End solo of"), edits.set_solo),
    "locked": (("Lock", "Unlock"), edits.lock_target),
}


class TargetSection(Section):
    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.low = NumberField("Range from", "", 2)
        self.high = NumberField("Range to", "", 2)
        for field in (self.low, self.high):
            field.committed.connect(self._set_range)
        self.range_row = self.add(Labelled("Range", self.low, self.high))
        self.built_on = self.chooser("Built on", self._set_built_on)
        self._parents: list[str | None] = [None]  # by the index of the choice
        self.add(Labelled("Built on", self.built_on))
        self.stages = self.chooser("In-betweens", self._shape_stage)
        self.stages_row = self.add(Labelled("In-betweens", self.stages))
        self.path = Segments("Path", ("Straight", "Curved"))
        self.path.chosen.connect(lambda c: self._edit("Path of", edits.set_path, c.lower()))
        self.path_row = self.add(Labelled("Path", self.path))
        self.mask_note = QLabel()
        self.mask_row = self.add(Labelled("Mask", self.mask_note))
        self.flags = {name: QCheckBox(name.capitalize()) for name in FLAGS}
        row = QHBoxLayout()
        for name, box in self.flags.items():
            box.toggled.connect(partial(self._flag, name))
            row.addWidget(box)
        self.inside.addLayout(row)
        self.note = TextField("Note")
        self.note.setPlaceholderText("none")
        self.note.committed.connect(lambda note: self._edit("Note of", edits.set_note, note))
        self.add(Labelled("Note", self.note))
        self.moves, self.largest = QLabel(), QLabel()
        self.add(Labelled("Moves", self.moves))
        self.add(Labelled("Largest", self.largest))

    def subject(self) -> object:
        return self.doc.openings, self.doc.object_id, self.doc.target.id if self.doc.target is not None else None

    def _edit(self, verb: str, change: Callable[[Scene, str, str, Any], Scene], value: Any, how: str = "") -> None:
        """Change the target that is selected; its name stands between the two parts of the label."""
        target, object_id = self.doc.target, self.doc.object_id
        if target is not None and object_id is not None:
            self.doc.edit(f"{verb} {target.name}{how}", lambda s: change(s, object_id, target.id, value))
            self.refresh()

    def _set_range(self, _value: float) -> None:
        low, high = self.low.value, self.high.value
        if (low, high) != there(self.doc.target).range:
            self._edit("Range of", lambda s, o, t, ends: edits.set_range(s, o, t, *ends), (low, high))

    def _set_built_on(self, index: int) -> None:
        if self._parents[index] != there(self.doc.target).built_on:
            self._edit("Build", edits.set_built_on, self._parents[index], f" on {self.built_on.itemText(index)}")

    def _shape_stage(self, index: int) -> None:
        at = self.stages.itemData(index)
        if at is not None:
            self.doc.start_shaping(ShapeRef(there(self.doc.target).id, at))

    def _flag(self, name: str, on: bool) -> None:
        if on != getattr(self.doc.target, name, on):
            words, change = FLAGS[name]
            self._edit(words[not on], change, on)

    def refresh(self) -> None:
        doc, target = self.doc, self.doc.target
        self.setVisible(target is not None)
        if target is None:
            return
        self.set_heading(target.name)
        self.range_row.setVisible(not driven_by(doc.obj, target))
        led = relay_of(doc.obj, target) is not None
        self.stages_row.setVisible(not led)
        self.path_row.setVisible(not led)
        self.low.set_value(target.range[0])
        self.high.set_value(target.range[1])
        others = [t for t in doc.obj.targets if t.id != target.id]
        self._parents = [None, *(t.id for t in others)]
        self.built_on.clear()
        self.built_on.addItems(["Base", *(t.name for t in others)])
        self.built_on.setCurrentIndex(self._parents.index(target.built_on))
        self.stages.clear()
        count = len(target.in_betweens)
        self.stages.addItem("none" if not count else f"{count}: choose", None)
        for stage in target.in_betweens:
            self.stages.addItem(f"{stage.at:.2f} {stage.name}".strip(), stage.at)
        if doc.shaping is not None and doc.shaping.target == target.id and doc.shaping.at != 1.0:
            self.stages.setCurrentIndex(max(self.stages.findData(doc.shaping.at), 0))
        self.stages.setEnabled(count > 0)
        self.path.set_value(target.path.capitalize())
        self.path_row.setEnabled(count > 0)
        for name, box in self.flags.items():
            box.setChecked(getattr(target, name))
        self.note.set_value(target.note)
        self.note.setToolTip(target.note)
        self.mask_row.setVisible(target.mask is not None)
        if target.mask is not None:
            self.mask_note.setText(f"shut on {int((target.mask < LEAST).sum()):,} points")
        self.moves.setText(f"{len(target.deltas.indices):,} of {len(doc.obj.base):,}")
        self.largest.setText(f"{target.deltas.largest:.1f} cm")
