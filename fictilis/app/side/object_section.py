"""The object: its name, place and size, the form it is, and its surface."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QCheckBox,
    QColorDialog,
    QLabel,
    QPushButton,
)

from fictilis.app.commands.files import Commands
from fictilis.app.commands.operations import OperationCommands
from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import Segments, TextField, show_colour
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.new_scene import form_field
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.edits import objects as object_edits
from fictilis.core.edits.forms import set_form
from fictilis.core.geometry.forms import FORMS, defaults
from fictilis.core.ground.arrays import extent
from fictilis.core.mix.channel_kinds import AXES
from fictilis.core.operations.meshes import SIZES
from fictilis.core.scene.forms import form_of


class ObjectSection(Section):
    def __init__(self, doc: Document, palette: Palette, commands: Commands, operations: OperationCommands) -> None:
        super().__init__(palette)
        self.doc, self.commands, self.operations = doc, commands, operations
        self.name = TextField("Object name")
        self.name.committed.connect(self._rename)
        self.add(Labelled("Name", self.name))
        self.fields: dict[str, list[NumberField]] = {}
        for part, label in (("position", "Position"), ("rotation", "Rotation"), ("scale", "Scale")):
            row = [NumberField(f"{label} {axis}", "", 2 if part == "scale" else 1) for axis in "XYZ"]
            for field in row:
                field.committed.connect(lambda _v, p=part: self._set_transform(p))
            self.fields[part] = row
            self.add(Labelled(label, *row))
        self.sizes = [NumberField(f"Size on {axis}", "", 1, 0, 1e6) for axis in "XYZ"]
        for k, field in enumerate(self.sizes):
            field.committed.connect(lambda value, at=k: self._set_size(at, value))
        self.size_row = self.add(Labelled("Size", *self.sizes))
        self.size_row.setToolTip("How large the base is, in cm; every target goes along")
        self.form_fields: dict[str, NumberField] = {}
        self.form_rows: dict[str, Labelled] = {}
        numbers = {name: first for kind in FORMS for name, first in defaults(kind).items()}
        for name, first in sorted(numbers.items(), key=lambda row: not isinstance(row[1], float)):  # sizes, then counts
            field = self.form_fields[name] = form_field(name, first)
            field.committed.connect(lambda v, n=name: self._set_form(n, v))
            self.form_rows[name] = self.add(Labelled(name.capitalize(), field))
        self.locked = QCheckBox("Locked")
        self.locked.toggled.connect(self._lock)
        self.add(self.locked)
        self.shading = Segments("Shading", ("Smooth", "Flat"))
        self.shading.chosen.connect(lambda c: self._look(smooth=c == "Smooth"))
        surface = [self.add(Labelled("Shading", self.shading))]
        self.opacity = NumberField("Opacity", "", 2, 0, 1)
        self.opacity.committed.connect(lambda v: doc.channels.set_value(doc.channels.ref("opacity"), v))
        self.add(Labelled("Opacity", self.opacity))
        self.colour = QPushButton()
        self.colour.setAccessibleName("Surface colour")
        self.colour.clicked.connect(self._choose_colour)
        self.add(Labelled("Colour", self.colour))
        self.texture = self.chooser("Texture", self._choose_texture)
        surface.append(self.add(Labelled("Texture", self.texture)))
        self.tiles = NumberField("Checker fields", "", 0, 1, 4096)
        self.tiles.committed.connect(self._set_tiles)
        self.tiles_row = self.add(Labelled("Fields", self.tiles))
        self.laid_by = Segments("Texture laid by", ("UVs", "View"))
        self.laid_by.chosen.connect(lambda c: commands.project_texture() if c == "View" else commands.unproject_texture())
        self.laid_row = self.add(Labelled("Laid by", self.laid_by))
        self.points = QLabel()
        self.add(Labelled("Points", self.points))
        self.faces = QLabel()
        surface.append(self.add(Labelled("Faces", self.faces)))
        self._surface_rows = tuple(surface)  # not for lines

    def subject(self) -> object:
        return self.doc.openings, self.doc.object_id

    def _rename(self, text: str) -> None:
        doc = self.doc
        doc.edit(f"Rename {doc.obj.name}", lambda s: object_edits.rename_object(s, doc.obj.id, text))
        self.refresh()

    def _set_transform(self, part: str) -> None:
        doc = self.doc
        values = tuple(field.value for field in self.fields[part])
        now = doc.channels.values(doc.obj)
        ids = [f"{part}.{axis}" for axis in AXES]
        changed = {c: v for c, v in zip(ids, values, strict=True) if abs(v - now[c]) > 1e-12}
        if changed:
            doc.channels.set_values(doc.channels.refs(changed), f"{part.capitalize()} of {doc.obj.name}")
            self.refresh()

    def _set_size(self, axis: int, value: float) -> None:
        now = extent(self.doc.obj.base)
        if value != now[axis]:
            size = [float(n) if k != axis else value for k, n in enumerate(now)]
            self.operations.operate("mesh-size", dict(zip(SIZES, size, strict=True)))
        self.refresh()

    def _set_form(self, name: str, value: float) -> None:
        doc, form = self.doc, form_of(self.doc.obj)
        if form is not None and dict(form.numbers).get(name) != value:
            doc.edit(f"{name.capitalize()} of {doc.obj.name}", lambda s: set_form(s, doc.obj.id, {name: value}))
            self.refresh()

    def _show_form(self) -> None:
        """The numbers of a form that nothing was reshaped of yet."""
        form = form_of(self.doc.obj)
        numbers = {**defaults(form.kind), **dict(form.numbers)} if form is not None else {}
        self.size_row.setVisible(not numbers)
        for field, size in zip(self.sizes, extent(self.doc.obj.base), strict=True):
            field.set_value(size)
        for name, row in self.form_rows.items():
            row.setVisible(name in numbers)
            if name in numbers:
                self.form_fields[name].set_value(numbers[name])

    def _look(self, **values: Any) -> None:
        doc = self.doc
        look = replace(doc.obj.appearance, **values)
        if look != doc.obj.appearance:
            doc.edit(f"Surface of {doc.obj.name}", lambda s: object_edits.set_appearance(s, doc.obj.id, look))

    def _lock(self, on: bool) -> None:
        if self.doc.object is not None and on != self.doc.object.locked:
            self.operations.operate("object-lock", {"off": not on})

    def _choose_texture(self, number: int) -> None:
        (self.commands.plain_texture, self.commands.checker_texture, self.commands.choose_texture)[min(number, 2)]()
        self.refresh()

    def _set_tiles(self, value: float) -> None:
        texture = self.doc.obj.appearance.texture
        if texture is not None and texture.tiles != int(value):
            self._look(texture=replace(texture, tiles=int(value)))

    def _show_texture(self) -> None:
        texture, obj = self.doc.obj.appearance.texture, self.doc.obj
        self.texture.clear()
        self.texture.addItems(["None", "Checker", "Image…"])
        if texture is not None and texture.image is not None:
            self.texture.addItem(texture.name)
            self.texture.setCurrentIndex(3)
        else:
            self.texture.setCurrentIndex(0 if texture is None else 1)
        self.tiles_row.setVisible(texture is not None and texture.image is None)
        self.laid_row.setVisible(texture is not None)
        if texture is not None:
            self.tiles.set_value(texture.tiles)
            self.laid_by.set_value("UVs" if texture.projected is None else "View")
            self.laid_by.buttons["UVs"].setEnabled(obj.geometry.uvs is not None)

    def _choose_colour(self) -> None:
        options = QColorDialog.ColorDialogOption.DontUseNativeDialog
        colour = QColorDialog.getColor(QColor(self.doc.obj.appearance.colour), self, "Surface colour", options)
        if colour.isValid():
            self._look(colour=colour.name().upper())

    def refresh(self) -> None:
        obj = self.doc.object
        self.setVisible(obj is not None)
        if obj is None:
            return
        self.set_heading(obj.name)
        self.name.set_value(obj.name)
        self._show_form()
        self.show_values()
        self.shading.set_value("Smooth" if obj.appearance.smooth else "Flat")
        self.colour.setText(obj.appearance.colour)
        show_colour(self.colour, obj.appearance.colour)
        self.locked.setChecked(obj.locked)
        self._show_texture()
        self.points.setText(f"{len(obj.base):,}")
        self.faces.setText(f"{obj.geometry.face_count:,}")
        for row in self._surface_rows:
            row.setVisible(obj.geometry.kind == "mesh")

    def show_values(self) -> None:
        """Where the object is at this frame."""
        now = self.doc.channels.values(self.doc.obj)
        for part, row in self.fields.items():
            for field, axis in zip(row, AXES, strict=True):
                field.set_value(now[f"{part}.{axis}"])
        self.opacity.set_value(now["opacity"])
