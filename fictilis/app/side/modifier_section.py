"""The side column's section of modifiers: what acts over the curve of the selected lane."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QCheckBox, QPushButton, QToolButton, QWidget

from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.layouts import across
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette, icon
from fictilis.core.animation.modifiers import KINDS, PRESETS, Modifier
from fictilis.core.edits import timing
from fictilis.core.ground.errors import there
from fictilis.core.scene.timeline import Lane


class ModifierSection(Section):
    """A block for each modifier, made anew when there are others; its numbers are set without remaking it."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.blocks: list[dict[str, Any]] = []
        self._shown: tuple | None = None
        self.more = self.chooser("New modifier", self._new)
        self.more.addItem("New modifier…")
        for kind in KINDS:
            self.more.addItem(kind.capitalize(), kind)
        self.add(self.more)
        self.bake = QPushButton("Bake to keys")
        self.bake.clicked.connect(self._bake)
        self.add(self.bake)

    def _modifiers(self) -> tuple[Modifier, ...]:
        lane = self._lane()
        return lane.modifiers if lane is not None else ()

    def subject(self) -> object:
        chosen = self.doc.chosen
        return self.doc.openings, chosen and chosen.ref, tuple(m.kind for m in self._modifiers())

    def _lane(self) -> Lane | None:
        """The lane selected last."""
        chosen = self.doc.chosen
        return None if chosen is None else self.doc.channels.lane(chosen.ref)

    def _set(self, modifiers: tuple[Modifier, ...], label: str) -> None:
        doc, chosen = self.doc, there(self.doc.chosen)
        doc.edit(f"{label} of {chosen.name}", lambda s: timing.set_modifiers(s, *chosen.ref, modifiers))

    def _change(self, number: int, change) -> None:
        now = self._modifiers()
        new = self.doc.attempt(lambda: tuple(change(m) if n == number else m for n, m in enumerate(now)))
        if new is not None and new != now:
            self._set(new, now[number].kind.capitalize())

    def _new(self, row: int) -> None:
        kind = self.more.itemData(row)
        self.more.setCurrentIndex(0)
        if kind is not None:
            self._set((*self._modifiers(), Modifier(kind)), f"New {kind}")

    def _remove(self, number: int) -> None:
        now = self._modifiers()
        self._set(tuple(m for n, m in enumerate(now) if n != number), f"Remove {now[number].kind}")

    def _bake(self) -> None:
        doc, chosen, scene = self.doc, there(self.doc.chosen), self.doc.committed.scene
        frames = [k.frame for k in there(self._lane()).curve.keys]
        first, last = min(scene.start, *frames), max(scene.end, *frames)
        doc.edit(f"Bake {chosen.name}", lambda s: timing.bake(s, [chosen.ref], first, last))

    def _preset(self, number: int, name: str) -> None:
        stiffness, damping = PRESETS[name]
        self._change(number, lambda m: m.with_number("stiffness", stiffness).with_number("damping", damping))

    def _block(self, number: int, modifier: Modifier) -> dict[str, QWidget]:
        row = QWidget()
        line = across(row)
        on = QCheckBox(modifier.kind.capitalize())
        on.toggled.connect(lambda v, n=number: self._change(n, lambda m: replace(m, on=v)))
        gone = QToolButton()
        gone.setProperty("flat", True)
        gone.setIcon(icon("x", self.palette_))
        gone.setToolTip(f"Remove the {modifier.kind}")
        gone.setAccessibleName(gone.toolTip())
        gone.clicked.connect(lambda _on, n=number: self._remove(n))
        line.addWidget(on, 1)
        line.addWidget(gone)
        block: dict[str, QWidget] = {"on": on, "gone": gone, "row": row}
        self.inside.insertWidget(self.inside.count() - 2, row)
        if modifier.kind == "spring":
            chosen = lambda k, n=number: k and self._preset(n, list(PRESETS)[k - 1])  # noqa: E731
            preset = self.chooser("Preset of the spring", chosen)
            preset.addItems(["Preset…", *(p.capitalize() for p in PRESETS)])
            block["preset"] = preset
            self.inside.insertWidget(self.inside.count() - 2, preset)
        amount = NumberField("Amount", "", 2, -10, 10)
        amount.committed.connect(lambda v, n=number: self._change(n, lambda m: replace(m, amount=v)))
        block["amount"] = amount
        rows = [("Amount", amount)]
        for setting in KINDS[modifier.kind].settings:
            field = NumberField(setting.name.capitalize(), setting.unit, 2, setting.low, setting.high)
            field.committed.connect(lambda v, n=number, s=setting.name: self._change(n, lambda m: m.with_number(s, v)))
            block[setting.name] = field
            rows.append((setting.name.capitalize(), field))
        for name, field in rows:
            line_ = Labelled(name, field)
            block[f"row {name}"] = line_
            self.inside.insertWidget(self.inside.count() - 2, line_)
        return block

    def refresh(self) -> None:
        lane = self._lane()
        self.setVisible(lane is not None and there(self.doc.chosen).slides)
        if lane is None or not there(self.doc.chosen).slides:
            return
        self.set_heading(f"Modifiers of {there(self.doc.chosen).name}")
        kinds = (there(self.doc.chosen).id, self.palette_.name, tuple(m.kind for m in lane.modifiers))
        if kinds != self._shown:
            self._shown = kinds
            for block in self.blocks:
                for name, widget in block.items():
                    if name == "row" or name == "preset" or name.startswith("row "):
                        widget.hide()
                        widget.deleteLater()
            self.blocks = [self._block(n, m) for n, m in enumerate(lane.modifiers)]
        for block, modifier in zip(self.blocks, lane.modifiers, strict=True):
            block["on"].setChecked(modifier.on)
            block["amount"].set_value(modifier.amount)
            for setting in KINDS[modifier.kind].settings:
                block[setting.name].set_value(modifier.number(setting.name))
        self.bake.setVisible(bool(lane.modifiers))
