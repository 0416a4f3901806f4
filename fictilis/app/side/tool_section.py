"""The side column's first section: the numbers of the tool that is on. Which rows show follows from the tool's family."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QCheckBox, QLabel, QPushButton, QWidget

from fictilis.app.commands.shape import ShapeCommands
from fictilis.app.model.document import Document
from fictilis.app.model.tool_settings import AXES, MIX, OWN, PICK_WAYS, PIVOTS
from fictilis.app.side.profile_field import ProfileField
from fictilis.app.side.section import Section
from fictilis.app.view.tools import TOOLS
from fictilis.app.widgets.fields import Segments
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.geometry.picked import PICK_KINDS
from fictilis.core.ground.errors import FictilisError, there
from fictilis.core.ground.parameters import Number
from fictilis.core.shaping.brushes import BRUSHES
from fictilis.core.shaping.exact import EXACT_CHANGES
from fictilis.core.shaping.mirror import unpaired

UNITS = {"move": "cm", "rotate": "°", "scale": "×"}
SOFT = ("handles", "slide", "exact")


class ToolSection(Section):
    """Rows are made once; ``refresh`` shows those that the tool uses."""

    def __init__(self, doc: Document, palette: Palette, commands: ShapeCommands) -> None:
        super().__init__(palette)
        self.doc, self.commands = doc, commands
        self._shown_numbers: tuple = ()
        self.own: dict[tuple[str, str], tuple[QWidget, NumberField | QCheckBox]] = {}
        self._pick_rows()
        self._exact_rows()
        self._brush_rows()
        self._falloff_rows()
        self._handle_rows()
        self._mirror_rows()
        self.note = QLabel()
        self.note.setProperty("quiet", True)
        self.note.setWordWrap(True)
        self.add(self.note)

    def _row(self, label: str, *fields: QWidget, width: int = 75) -> Labelled:
        return self.add(Labelled(label, *fields, width=width))

    def _number(self, name: str, unit: str, decimals: int, low: float, high: float, setting: str) -> NumberField:
        field = NumberField(name, unit, decimals, low, high)
        field.committed.connect(lambda v: self.doc.set_tools(**{setting: v}))
        return field

    def _check(self, text: str, setting: str) -> QCheckBox:
        box = QCheckBox(text)
        box.toggled.connect(lambda on: on != getattr(self.doc.tools, setting) and self.doc.set_tools(**{setting: on}))
        return box

    def _choice(self, name: str, choices: tuple[str, ...], setting: str) -> Segments:
        field = Segments(name, choices)
        field.chosen.connect(lambda c: self.doc.set_tools(**{setting: c}))
        return field

    def _pick_rows(self) -> None:
        self.kind = Segments("Pick", tuple(k.capitalize() for k in PICK_KINDS))
        self.kind.chosen.connect(lambda c: self.commands.pick_kind(c.lower()))
        self.kind_row = self.add(self.kind)
        self.pick_way = self._choice("Pick by", PICK_WAYS, "pick_way")
        self.pick_way_row = self._row("By", self.pick_way, width=32)
        self.through = self._check("Through: hidden ones too", "through")
        self.add(self.through)

    def _exact_rows(self) -> None:
        self.exact = self.chooser("Exact change", lambda n: self.doc.set_tools(exact=self.exact.itemData(n)))
        for change in EXACT_CHANGES.values():
            self.exact.addItem(change.label, change.id)
        self.exact_row = self.add(self.exact)
        self._own_rows(*EXACT_CHANGES)
        self.exact_shown = self._check("Show it before", "exact_shown")
        self.add(self.exact_shown)
        self.apply_exact = QPushButton("Apply")
        self.apply_exact.setProperty("primary", True)
        self.apply_exact.clicked.connect(self.commands.apply_exact)
        self.add(self.apply_exact)

    def _own_rows(self, *ids: str) -> None:
        """A row for each thing that only one brush or exact change asks for."""
        for own_id in ids:
            for parameter in OWN.get(own_id, ()):
                key = (own_id, parameter.name)
                if isinstance(parameter, Number):
                    field = NumberField(parameter.label, parameter.unit, parameter.decimals, parameter.low, parameter.high)
                    field.committed.connect(lambda v, k=key: self._set_own(k, v))
                    self.own[key] = (self._row(parameter.label, field), field)
                else:
                    box = QCheckBox(parameter.label)
                    box.toggled.connect(lambda on, k=key: self._set_own(k, on))
                    self.own[key] = (self.add(box), box)

    def _set_own(self, key: tuple[str, str], value: float | bool) -> None:
        tools = self.doc.tools
        if key[0] == tools.own_id and tools.own_values()[key[1]] != value:
            self.doc.set_tools(own={**tools.own, key: value})

    def _brush_rows(self) -> None:
        self.brush_size = self._number("Size", "cm", 1, 0.001, 1e6, "size")
        self.size_px = self._number("Size in pixels", "px", 0, 1, 2000, "size_px")
        self.size_row = self._row("Size", self.brush_size)
        self.brush_px_row = self._row("Size", self.size_px)
        self.size_of = Segments("Size in", ("cm", "px"))
        self.size_of.chosen.connect(lambda c: self.doc.set_tools(in_px=c == "px"))
        self.size_of_row = self._row("Size in", self.size_of)
        self.strength = self._number("Strength", "", 2, 0.01, 1.0, "strength")
        self.strength_row = self._row("Strength", self.strength)
        self.spacing = self._number("Spacing", "", 2, 0.02, 2.0, "spacing")
        self.spacing.setToolTip("From dab to dab, as a part of the size")
        self.spacing_row = self._row("Spacing", self.spacing)
        self.blend_to = self.chooser("Blend toward", lambda n: self.doc.set_tools(blend_to=self.blend_to.itemData(n)))
        self.blend_row = self._row("Toward", self.blend_to)
        self._own_rows(*BRUSHES)
        self.pressure = self._check("Pen pressure", "pressure")
        self.add(self.pressure)

    def _falloff_rows(self) -> None:
        self.radius = self._number("Falloff radius", "cm", 1, 0.0, 1e6, "radius")
        self.radius_row = self._row("Radius", self.radius)
        self.falloff = Segments("Falloff", ("Surface", "Space"))
        self.falloff.chosen.connect(lambda c: self.doc.set_tools(along_surface=c == "Surface"))
        self.falloff_row = self._row("Falloff", self.falloff)
        self.profile = ProfileField(self.palette_)
        self.profile.activated.connect(lambda n: self.doc.set_tools(profile=self.profile.itemData(n)))
        self.profile_row = self._row("Profile", self.profile)
        self.connected = self._check("Within the connected part", "connected")
        self.add(self.connected)

    def _handle_rows(self) -> None:
        self.pivot = self.chooser("Pivot", self._set_pivot)
        for text, value in zip(("The pick", "The object", "Each island", "Placed point"), PIVOTS, strict=True):
            self.pivot.addItem(text, value)
        self.pivot_row = self._row("Pivot", self.pivot)
        self.axes = self._choice("Axes", AXES, "axes")
        self.axes_row = self.add(self.axes)
        self.by_to = Segments("Numbers say", ("By", "To"))
        self.by_to.set_value("By")
        self.by_to.chosen.connect(lambda _c: self.refresh())
        self.xyz = [NumberField(f"Amount {axis}", "", 2) for axis in "XYZ"]
        self.apply = QPushButton("Apply")
        self.apply.clicked.connect(self._apply)
        self.xyz_row = self.add(Labelled("Numbers", *self.xyz))
        self.apply_row = self.add(Labelled("", self.by_to, self.apply, width=56))

    def _mirror_rows(self) -> None:
        self.mirror = Segments("Mirror", ("X", "Y", "Z"), several=True)
        self.mirror.chosen.connect(self.commands.mirror)
        self.mirror_row = self._row("Mirror", self.mirror)
        self.mirror_by = Segments("Mirror by", ("Position", "Topology"))
        self.mirror_by.chosen.connect(lambda c: self._set_mirror(by_topology=c == "Topology"))
        self.mirror_by_row = self.add(self.mirror_by)
        self.tolerance = NumberField("Mirror tolerance", "%", 2, 0.0, 20.0)
        self.tolerance.setToolTip("How far a partner may be from the exact place, as a part of the object's size")
        self.tolerance.committed.connect(lambda v: self._set_mirror(tolerance=v / 100))
        self.tolerance_row = self._row("Within", self.tolerance)
        self.unpaired = QLabel()
        self.unpaired.setProperty("quiet", True)
        self.unpaired.setWordWrap(True)
        self.add(self.unpaired)

    def _set_mirror(self, **values: Any) -> None:
        self.doc.set_tools(mirror=replace(self.doc.tools.mirror, **values))

    def _set_pivot(self, number: int) -> None:
        pivot = self.pivot.itemData(number)
        if pivot == "Placed" and self.doc.tools.pivot_place is None:
            self.commands.place_pivot()
        else:
            self.doc.set_tools(pivot=pivot)

    def _apply(self) -> None:
        for field in self.xyz:
            field.finish()
        to = self.by_to.buttons["To"].isChecked() and self.doc.tools.tool != "rotate"
        x, y, z = self.xyz
        self.commands.apply_numbers(self.doc.tools.tool, (x.value, y.value, z.value), to)

    def set_palette_(self, palette: Palette) -> None:
        super().set_palette_(palette)
        self.profile.paint_icons(palette)

    def refresh(self) -> None:
        doc, tools = self.doc, self.doc.tools
        self.setVisible(doc.shaping is not None)
        if doc.shaping is None:
            return
        tool = TOOLS[tools.tool]
        brush = tool.family == "brush"
        self.set_heading(f"{tool.name} brush" if brush else tool.name)
        self._show_rows(tool.id, tool.family)
        for field, value in (
            (self.brush_size, tools.size), (self.size_px, tools.size_px), (self.strength, tools.strength),
            (self.spacing, tools.spacing), (self.radius, tools.radius), (self.tolerance, tools.mirror.tolerance * 100),
        ):  # fmt: skip
            field.set_value(value)
        for box, on in ((self.through, tools.through), (self.pressure, tools.pressure),
                        (self.connected, tools.connected), (self.exact_shown, tools.exact_shown)):  # fmt: skip
            box.setChecked(on)
        self.kind.set_value(tools.kind.capitalize())
        self.pick_way.set_value(tools.pick_way)
        self.size_of.set_value("px" if tools.in_px else "cm")
        self.falloff.set_value("Surface" if tools.along_surface else "Space")
        self.profile.setCurrentIndex(self.profile.findData(tools.profile))
        self.pivot.setCurrentIndex(self.pivot.findData(tools.pivot))
        self.axes.set_value(tools.axes)
        self.exact.setCurrentIndex(self.exact.findData(tools.exact))
        self.mirror.set_values(tools.mirror.axes)
        self.mirror_by.set_value("Topology" if tools.mirror.by_topology else "Position")
        for name, value in tools.own_values().items():
            own = self.own[tools.own_id, name][1]
            if isinstance(own, QCheckBox):
                own.setChecked(bool(value))
            else:
                own.set_value(value)
        if tools.tool == "blend":
            self._fill_blend()
        self._show_amounts()
        self._say_unpaired()
        border = brush and len(doc.pick()) > 0
        self.radius_row.label.setText("Soft border" if border else "Radius")
        self.apply_exact.setEnabled(len(doc.pick()) > 0)
        self.apply_exact.setToolTip("" if len(doc.pick()) else "Nothing is picked; pick points first")
        self.note.setText(self._note())

    def _show_rows(self, tool: str, family: str) -> None:
        tools = self.doc.tools
        brush, soft, handles = family == "brush", family in SOFT, family == "handles"
        by_brush = family == "pick" and tools.pick_way == "Brush"
        dabs = brush and tool != "grab"
        mirrored = bool(tools.mirror.axes) and (brush or soft)
        rows = (
            (self.kind_row, not brush), (self.pick_way_row, family == "pick"), (self.through, not brush),
            (self.exact_row, family == "exact"), (self.exact_shown, family == "exact"), (self.apply_exact, family == "exact"),
            (self.size_row, brush and not tools.in_px), (self.brush_px_row, brush and tools.in_px or by_brush),
            (self.size_of_row, brush), (self.strength_row, brush), (self.spacing_row, dabs), (self.blend_row, tool == "blend"),
            (self.pressure, brush),
            (self.radius_row, soft or brush and len(self.doc.pick()) > 0), (self.falloff_row, brush or soft),
            (self.profile_row, brush or soft),
            (self.connected, soft and not tools.along_surface), (self.pivot_row, handles), (self.axes_row, handles),
            (self.xyz_row, handles), (self.apply_row, handles), (self.mirror_row, brush or soft),
            (self.mirror_by_row, mirrored), (self.tolerance_row, mirrored and not tools.mirror.by_topology),
            (self.unpaired, mirrored),
            *((row, key[0] == tools.own_id) for key, (row, _) in self.own.items()),
        )  # fmt: skip
        for row, shown in rows:
            row.setVisible(shown)

    def _show_amounts(self) -> None:
        """The X Y Z form begins anew with each tool and pick: by nothing, or with where and how large the pick is."""
        tool = self.doc.tools.tool
        if tool not in UNITS:
            return
        to = tool != "rotate" and self.by_to.buttons["To"].isChecked()
        self.by_to.setVisible(tool != "rotate")
        self.by_to.setToolTip(
            "By so much, or to the place where the pivot comes" if tool == "move" else "By a factor, or to a size in cm"
        )
        start = tuple(self.commands.numbers(tool, to))
        state = (tool, to, start if to else None)
        if state != self._shown_numbers:
            self._shown_numbers = state
            for field, value in zip(self.xyz, start, strict=True):
                field.set_value(value)

    def _fill_blend(self) -> None:
        obj, now = self.doc.obj, self.doc.tools.blend_to
        self.blend_to.clear()
        self.blend_to.addItem("The mix", MIX)
        for target in obj.targets:
            if target.id != there(self.doc.shaping).target:
                self.blend_to.addItem(target.name, target.id)
        self.blend_to.setCurrentIndex(max(self.blend_to.findData(now), 0))

    def _say_unpaired(self) -> None:
        mirror = self.doc.tools.mirror
        if not mirror.axes or self.unpaired.isHidden():
            return
        try:
            count = unpaired(self.doc.obj, mirror)
            said = f"{count:,} point{'' if count == 1 else 's'} without a partner" if count else "Every point has a partner"
        except FictilisError as error:
            said = error.said
        self.unpaired.setText(said)

    def _note(self) -> str:
        tool, pick = TOOLS[self.doc.tools.tool], self.doc.pick()
        count = len(pick)
        word = pick.kind[:-1] if count == 1 else pick.kind
        picked = f"{count:,} {word} picked"
        if len(self.doc.picks()) > 1 and tool.family != "brush":
            picked += f", {' × '.join(f'{side:,.2f}' for side in self.commands.pick_size())} cm"
        if tool.family == "brush":
            return f"{tool.note} Only the pick can change: {picked}." if count else tool.note
        if tool.family == "handles":
            return f"{picked}. Drag a handle, or type an amount." if count else (
                "Pick points first: click, Shift-click or drag a box."
            )  # fmt: skip
        if tool.family == "exact":
            note = EXACT_CHANGES[self.doc.tools.exact].note
            return f"{note} {picked}." if count else f"{note} Pick points first, then apply it."
        return f"{picked}. {tool.note}".strip()
