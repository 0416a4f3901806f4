"""The side column: numbers of the tool, of the target and of the object. Each section folds by its heading."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QCheckBox,
    QColorDialog,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from fictilis.app.document import Document
from fictilis.app.fields import ArrowCombo, KeptKeysField, NumberField, Segments, labelled
from fictilis.app.theme import Palette, icon
from fictilis.core.edits import objects as object_edits
from fictilis.core.edits import targets as edits
from fictilis.core.edits.shape import ShapeRef
from fictilis.core.scene import Transform

TOOL_NAMES = {"pick": "Pick", "move": "Move", "rotate": "Rotate", "scale": "Scale", "grab": "Grab brush"}
TYPED = {"move": "x 4.5", "rotate": "y 40", "scale": "z 0"}


class Section(QWidget):
    """A heading that folds what stands under it."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 12)
        layout.setSpacing(7)
        self.heading = QPushButton()
        self.heading.setProperty("flat", True)
        self.heading.setStyleSheet("text-align: left; font-weight: 600; padding: 3px 0;")
        self.heading.clicked.connect(self._fold)
        self.body = QWidget()
        self.inside = QVBoxLayout(self.body)
        self.inside.setContentsMargins(0, 0, 0, 0)
        self.inside.setSpacing(7)
        layout.addWidget(self.heading)
        layout.addWidget(self.body)

    def _fold(self) -> None:
        self.body.setVisible(self.body.isHidden())
        self.set_heading(self.heading.accessibleName())

    def set_heading(self, text: str) -> None:
        self.heading.setAccessibleName(text)
        shown = self.heading.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 180)
        self.heading.setText(shown)
        self.heading.setIcon(icon("caret-right" if self.body.isHidden() else "caret-down", self.palette_))
        self.heading.setToolTip("Unfold" if self.body.isHidden() else "Fold")

    def add(self, widget: QWidget) -> QWidget:
        self.inside.addWidget(widget)
        return widget


class ToolSection(Section):
    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.size = NumberField("Size", "cm", 1, 0.001, 1e6)
        self.size.committed.connect(lambda v: doc.set_tools(size=v))
        self.strength = NumberField("Strength", "", 2, 0.01, 1.0)
        self.strength.committed.connect(lambda v: doc.set_tools(strength=v))
        self.radius = NumberField("Falloff radius", "cm", 1, 0.0, 1e6)
        self.radius.committed.connect(lambda v: doc.set_tools(radius=v))
        self.size_row = self.add(labelled("Size", self.size))
        self.strength_row = self.add(labelled("Strength", self.strength))
        self.radius_row = self.add(labelled("Radius", self.radius))
        self.falloff = Segments("Falloff", ("Surface", "Space"))
        self.falloff.chosen.connect(lambda c: doc.set_tools(along_surface=c == "Surface"))
        self.falloff_row = self.add(labelled("Falloff", self.falloff))
        self.mirror = Segments("Mirror", ("X",), several=True)
        self.mirror.chosen.connect(lambda _c: doc.set_tools(mirror=not doc.tools.mirror))
        self.mirror_row = self.add(labelled("Mirror", self.mirror))
        self.through = QCheckBox("Take hidden points too")
        self.through.toggled.connect(lambda on: on != doc.tools.through and doc.set_tools(through=on))
        self.add(self.through)
        self.note = QLabel()
        self.note.setProperty("quiet", True)
        self.note.setWordWrap(True)
        self.add(self.note)

    def refresh(self) -> None:
        doc, tools = self.doc, self.doc.tools
        self.setVisible(doc.shaping is not None)
        if doc.shaping is None:
            return
        self.set_heading(TOOL_NAMES[tools.tool])
        self.size.set_value(tools.size)
        self.strength.set_value(tools.strength)
        self.radius.set_value(tools.radius)
        self.falloff.set_value("Surface" if tools.along_surface else "Space")
        self.mirror.buttons["X"].setChecked(tools.mirror)
        self.through.setChecked(tools.through)
        grab, move = tools.tool == "grab", tools.tool in TYPED
        for row, shown in ((self.size_row, grab), (self.strength_row, grab), (self.radius_row, move),
                           (self.falloff_row, grab or move), (self.mirror_row, grab or move), (self.through, not grab)):  # fmt: skip
            row.setVisible(shown)
        count = len(doc.picks())
        picked = f"{count:,} point{'' if count == 1 else 's'} picked"
        self.note.setText(
            "Carries what lies under the brush." if grab
            else f"{picked}. Drag a handle, or type {TYPED[tools.tool]} Enter." if move and count
            else "Pick points first: click, Shift-click or drag a box." if move else picked
        )  # fmt: skip


class TargetSection(Section):
    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.low = NumberField("Range from", "", 2)
        self.high = NumberField("Range to", "", 2)
        for field in (self.low, self.high):
            field.committed.connect(self._set_range)
        self.add(labelled("Range", self.low, self.high))
        self.built_on = ArrowCombo(palette)
        self.built_on.setAccessibleName("Built on")
        self.built_on.activated.connect(self._set_built_on)
        self.built_on.setMinimumWidth(60)
        self.add(labelled("Built on", self.built_on))
        self.stages = ArrowCombo(palette)
        self.stages.setAccessibleName("In-betweens")
        self.stages.setMinimumWidth(60)
        self.stages.activated.connect(self._shape_stage)
        self.add(labelled("In-betweens", self.stages))
        self.path = Segments("Path", ("Straight", "Curved"))
        self.path.chosen.connect(
            lambda c: doc.edit(
                f"Path of {doc.target.name}", lambda s: edits.set_path(s, doc.object_id, doc.target.id, c.lower())
            )
        )
        self.path_row = self.add(labelled("Path", self.path))
        self.muted = QCheckBox("Muted")
        self.muted.toggled.connect(self._mute)
        self.add(self.muted)
        self.moves, self.largest = QLabel(), QLabel()
        self.add(labelled("Moves", self.moves))
        self.add(labelled("Largest", self.largest))

    def _set_range(self, _value: float) -> None:
        doc, low, high = self.doc, self.low.value, self.high.value
        if (low, high) != doc.target.range:
            doc.edit(f"Range of {doc.target.name}", lambda s: edits.set_range(s, doc.object_id, doc.target.id, low, high))
            self.refresh()

    def _set_built_on(self, index: int) -> None:
        doc, parent = self.doc, self.built_on.itemData(index)
        if parent != doc.target.built_on:
            doc.edit(
                f"Build {doc.target.name} on {self.built_on.itemText(index)}",
                lambda s: edits.set_built_on(s, doc.object_id, doc.target.id, parent),
            )
            self.refresh()

    def _shape_stage(self, index: int) -> None:
        at = self.stages.itemData(index)
        if at is not None:
            self.doc.start_shaping(ShapeRef(self.doc.target.id, at))

    def _mute(self, on: bool) -> None:
        doc, target = self.doc, self.doc.target
        if target is not None and on != target.muted:
            word = "Mute" if on else "Unmute"
            doc.edit(f"{word} {target.name}", lambda s: edits.set_muted(s, doc.object_id, target.id, on))

    def refresh(self) -> None:
        doc, target = self.doc, self.doc.target
        self.setVisible(target is not None)
        if target is None:
            return
        self.set_heading(target.name)
        self.low.set_value(target.range[0])
        self.high.set_value(target.range[1])
        choices = [("Base", None)] + [(t.name, t.id) for t in doc.object.targets if t.id != target.id]
        self.built_on.clear()
        for name, target_id in choices:
            self.built_on.addItem(name, target_id)
        self.built_on.setCurrentIndex(max(self.built_on.findData(target.built_on), 0))
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
        self.muted.setChecked(target.muted)
        self.moves.setText(f"{len(target.deltas.indices):,} of {len(doc.object.base):,}")
        self.largest.setText(f"{target.deltas.largest:.1f} cm")


class ObjectSection(Section):
    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.name: QLineEdit = KeptKeysField()
        self.name.setAccessibleName("Object name")
        self.name.editingFinished.connect(self._rename)
        self.add(labelled("Name", self.name))
        self.fields: dict[str, list[NumberField]] = {}
        for part, label in (("location", "Location"), ("rotation", "Rotation"), ("scale", "Scale")):
            row = [NumberField(f"{label} {axis}", "", 2 if part == "scale" else 1) for axis in "XYZ"]
            for field in row:
                field.setStyleSheet("padding: 4px 4px;")
                field.committed.connect(lambda _v, p=part: self._set_transform(p))
            self.fields[part] = row
            self.add(labelled(label, *row, width=56))
        self.shading = Segments("Shading", ("Smooth", "Flat"))
        self.shading.chosen.connect(lambda c: self._look(smooth=c == "Smooth"))
        self.add(labelled("Shading", self.shading))
        self.colour = QPushButton()
        self.colour.setAccessibleName("Surface colour")
        self.colour.clicked.connect(self._choose_colour)
        self.add(labelled("Colour", self.colour))
        self.points = QLabel()
        self.add(labelled("Points", self.points))
        self.faces = QLabel()
        self.add(labelled("Faces", self.faces))

    def _rename(self) -> None:
        doc, text = self.doc, self.name.text()
        if doc.object is not None and text != doc.object.name:
            doc.edit(f"Rename {doc.object.name}", lambda s: object_edits.rename_object(s, doc.object_id, text))
            self.refresh()

    def _set_transform(self, part: str) -> None:
        doc = self.doc
        values = tuple(field.value for field in self.fields[part])
        transform: Transform = replace(doc.object.transform, **{part: values})
        if transform != doc.object.transform:
            doc.edit(
                f"{part.capitalize()} of {doc.object.name}", lambda s: object_edits.set_transform(s, doc.object_id, transform)
            )
            self.refresh()

    def _look(self, **values: object) -> None:
        doc = self.doc
        look = replace(doc.object.appearance, **values)
        if look != doc.object.appearance:
            doc.edit(f"Surface of {doc.object.name}", lambda s: object_edits.set_appearance(s, doc.object_id, look))

    def _choose_colour(self) -> None:
        options = QColorDialog.ColorDialogOption.DontUseNativeDialog
        colour = QColorDialog.getColor(QColor(self.doc.object.appearance.colour), self, "Surface colour", options)
        if colour.isValid():
            self._look(colour=colour.name().upper())

    def refresh(self) -> None:
        obj = self.doc.object
        self.setVisible(obj is not None)
        if obj is None:
            return
        self.set_heading(obj.name)
        if not self.name.hasFocus():
            self.name.setText(obj.name)
            self.name.setCursorPosition(0)
        for part, row in self.fields.items():
            for field, value in zip(row, getattr(obj.transform, part), strict=True):
                field.set_value(value)
        self.shading.set_value("Smooth" if obj.appearance.smooth else "Flat")
        self.colour.setText(obj.appearance.colour)
        self.colour.setStyleSheet(f"border-left: 14px solid {obj.appearance.colour};")
        self.points.setText(f"{len(obj.base):,}")
        self.faces.setText(f"{obj.mesh.face_count:,}")


class SideColumn(QScrollArea):
    """All sections that fit what is selected."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__()
        self.setObjectName("side")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumWidth(150)
        inner = QWidget()
        inner.setObjectName("side")
        inner.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        layout = QVBoxLayout(inner)
        layout.setContentsMargins(12, 10, 8, 10)
        layout.setSpacing(0)
        self.tool, self.target, self.object = (
            ToolSection(doc, palette),
            TargetSection(doc, palette),
            ObjectSection(doc, palette),
        )
        self.sections = (self.tool, self.target, self.object)
        for section in self.sections:
            layout.addWidget(section)
        layout.addStretch()
        self.setWidget(inner)
        doc.changed.connect(self.refresh)
        self.refresh()

    def set_palette_(self, palette: Palette) -> None:
        for section in self.sections:
            section.palette_ = palette
        self.target.built_on.palette_ = self.target.stages.palette_ = palette
        self.refresh()

    def refresh(self) -> None:
        for section in self.sections:
            section.refresh()
