"""The window of imports: what files hold, which of it is taken, as what, and how large."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtWidgets import QCheckBox, QLabel, QWidget

from fictilis.app.model.exchange import OBJECTS, RELAY, SCENE, TARGETS, ImportChoice
from fictilis.app.widgets.dialogs import Dialog, watch
from fictilis.app.widgets.fields import ArrowCombo, Segments
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.app.widgets.tick_list import TickList, ticks_row
from fictilis.core.at_frame.sizes import size_of
from fictilis.core.geometry.units import UNITS, fitting_unit
from fictilis.core.ground.arrays import extent
from fictilis.core.ground.errors import FictilisError
from fictilis.core.scene.scene import MorphObject
from fictilis.core.scene.timeline import Animated
from fictilis.formats.importing import Held, Laying, taken

SOUND = "sound"
LABELS = 84


class ImportDialog(Dialog):
    """``ways`` are what it may be taken as, the first as a proposal; ``base`` is the object whose targets it may become.
    ``begin`` are the unit of files of this folder that were taken last, and whether Z was up."""

    def __init__(
        self, parent: QWidget, held: Held, ways: Sequence[str], base: MorphObject | None, palette: Palette,
        begin: tuple[str, bool] = ("", False),
    ) -> None:  # fmt: skip
        super().__init__(parent, "Import", 560)
        self.held, self.base, self.ways, self._begin = held, base, list(ways), begin if begin[0] in UNITS else ("cm", False)
        bare = tuple(replace(obj, targets=()) for obj in held.scene.objects)  # which is all that a size asks for
        self._bases = replace(held, scene=replace(held.scene, objects=bare, clips=(), clip=None))
        self.choice: ImportChoice | None = None
        self.sentence(_said_of(held.paths), True)
        self.parts = TickList("What it holds", self._rows(), self._show)
        self.body.addWidget(ticks_row("It holds", self.parts, LABELS))
        names = [c.name for c in held.scene.clips]
        if len(names) > 1:
            more = f" and {len(names) - 5} more" if len(names) > 5 else ""
            self.sentence(f"Clips: {', '.join(names[:5])}{more}. As a new scene all come, else the active one.", True)
        self.way = ArrowCombo(palette)
        self.way.setAccessibleName("Take it as")
        self.way.addItems([self._said_way(way) for way in self.ways])
        self.way.currentIndexChanged.connect(lambda _row: self._follow_way())
        self.way_row = Labelled("Take it as", self.way, width=LABELS)
        self.way_row.setVisible(len(self.ways) > 1)
        self.body.addWidget(self.way_row)
        self.unit = ArrowCombo(palette)
        self.unit.setAccessibleName("Its numbers are in")
        self.unit.addItems(list(UNITS))
        self.up = Segments("Up is", ["Y up", "Z up"])
        self.factor = NumberField("Scale", "×", 4, 1e-6, 1e6)
        self.factor.set_value(1.0)
        self.unit_row = Labelled("Numbers in", self.unit, self.up, width=LABELS)
        self.unit_row.setVisible(bool(held.bare))
        self.body.addWidget(self.unit_row)
        self.factor.setMaximumWidth(110)
        self.size_label = QLabel()
        scale_row = Labelled("Scale", self.factor, width=LABELS)
        scale_row.row.addStretch(1)
        self.body.addWidget(scale_row)
        self.body.addWidget(Labelled("It becomes", self.size_label, width=LABELS))
        self.centre, self.ground = QCheckBox("Centre it"), QCheckBox("Stand it on the ground")
        self.stand = Labelled("", self.centre, self.ground, width=LABELS)
        self.body.addWidget(self.stand)
        for widget in (self.unit, self.up, self.factor, self.centre, self.ground):
            watch(widget, self._show)
        self.note = self.sentence(" ".join(held.said[:3]), True)
        self.note.setVisible(bool(held.said))
        self.button("cancel", "Cancel")
        self.button("ok", "Take it", True)
        self._begin_unit()
        self._follow_way()

    def _rows(self) -> list[tuple[str, str, bool]]:
        scene = self.held.scene
        rows = []
        for obj in scene.objects:
            faces, alone = obj.geometry.face_count, len(self.held.paths) == 1
            counts = {"points": len(obj.base), "faces": faces, "targets": len(obj.targets), "keys": _keys(obj)}
            told = ", ".join(f"{count:,} {what}" for what, count in counts.items() if count)
            rows.append((obj.id, f"{obj.name if alone else self.held.stems.get(obj.id, obj.name)}   {told}", obj.visible))
        rows += [(c.id, f"{c.name}   camera" + (f", {_keys(c):,} keys" if _keys(c) else ""), True) for c in scene.cameras]
        if scene.sound is not None:
            rows.append((SOUND, f"{scene.sound.name}   sound", True))
        return rows

    def _said_way(self, way: str) -> str:
        name = self.base.name if self.base is not None else ""
        said = {SCENE: "A new scene", OBJECTS: "New objects of this scene"}
        return (said | {TARGETS: f"Targets of {name}", RELAY: f"A relay of {name}"})[way]

    def _begin_unit(self) -> None:
        """The unit and the up axis that a file of the shape of the base most likely has."""
        unit, z_up = self._begin
        self.up.set_value("Z up" if z_up else "Y up")
        self.unit.setCurrentText(unit)
        first = next((o for o in self.held.scene.objects if o.id in self.held.bare), None)
        if first is None or self.base is None or self.way_shown not in (TARGETS, RELAY) or not len(first.base):
            return
        unit, z_up = fitting_unit(first.base, self.base.base)
        self.unit.setCurrentText(unit)
        self.up.set_value("Z up" if z_up else "Y up")

    @property
    def way_shown(self) -> str:
        return self.ways[max(self.way.currentIndex(), 0)]

    def _follow_way(self) -> None:
        self._begin_unit()
        self.stand.setVisible(self.way_shown in (SCENE, OBJECTS))
        self.adjustSize()
        self._show()

    def _chosen(self) -> ImportChoice:
        ticked = self.parts.ticked
        standing = self.way_shown in (SCENE, OBJECTS)
        laying = Laying(
            self.unit.currentText(), self.up.buttons["Z up"].isChecked(), self.factor.value,
            standing and self.centre.isChecked(), standing and self.ground.isChecked(),
        )  # fmt: skip
        return ImportChoice(tuple(i for i in ticked if i != SOUND), self.way_shown, laying, SOUND in ticked)

    def _show(self) -> None:
        """How large it becomes, and whether anything is taken."""
        choice = self._chosen()
        own = [o for o in self.held.scene.objects if o.id in choice.ids]
        try:
            scene = taken(self._bases, choice.ids, choice.laying)
            size = size_of(scene, choice.ids) if own else []
            said = _dimensions(size) if own else "nothing"
            if choice.way == OBJECTS and self.base is not None and own:
                said += compared(max(size), self.base)
        except FictilisError as error:
            said = error.said
        if self.base is not None and choice.way in (TARGETS, RELAY):
            low, high = self.base.base.min(axis=0), self.base.base.max(axis=0)
            said += f", and {self.base.name} is {_dimensions((high - low).tolist())}"
        self.size_label.setText(said)
        self.buttons["ok"].setEnabled(bool(own) or bool(choice.ids) and choice.way == OBJECTS)

    def _close(self, name: str) -> None:
        if name == "ok":
            self.factor.finish()
            if self.factor.property("bad"):
                return
            self.choice = self._chosen()
        super()._close(name)


def _dimensions(size: Sequence[float]) -> str:
    return " × ".join(f"{s:,.4g}" for s in size) + " cm"


def _keys(owner: Animated) -> int:
    return sum(len(lane.curve.keys) for lane in owner.lanes)


def _said_of(paths: Sequence[Path]) -> str:
    if len(paths) == 1:
        return paths[0].name
    return f"{len(paths)} files, {paths[0].name} to {paths[-1].name}"


def compared(size: float, other: MorphObject) -> str:
    """A remark where something becomes ten times as large or as small as another object, which a wrong unit makes."""
    its = float(extent(other.base).max()) if len(other.base) else 0.0
    if its <= 0 or size <= 0 or 0.1 < size / its < 10:
        return ""
    if size > its:
        return f": {size / its:,.0f} times as large as {other.name}"
    return f": {other.name} is {its / size:,.0f} times as large"
