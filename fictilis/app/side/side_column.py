"""The side column: numbers of the tool, of the target and of the object. Each section folds by its heading."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QCheckBox,
    QColorDialog,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from fictilis.app.commands.actions import Actions
from fictilis.app.commands.files import Commands
from fictilis.app.commands.operations import OperationCommands
from fictilis.app.commands.shape import ShapeCommands
from fictilis.app.model.document import Document
from fictilis.app.side.deformer_section import AfterSection, DeformerSection
from fictilis.app.side.driver_section import DriverSection
from fictilis.app.side.follow_section import FollowSection
from fictilis.app.side.line_section import LineSection
from fictilis.app.side.match_section import MatchSection
from fictilis.app.side.modifier_section import ModifierSection
from fictilis.app.side.relay_section import RelaySection
from fictilis.app.side.repeat_section import RepeatSection
from fictilis.app.side.rig_section import RigSection
from fictilis.app.side.section import Section
from fictilis.app.side.spring_section import SpringSection
from fictilis.app.side.surface_section import SurfaceSection
from fictilis.app.side.sweep_section import SweepSection
from fictilis.app.side.tool_section import ToolSection
from fictilis.app.side.tube_section import TubeSection
from fictilis.app.widgets.fields import ArrowCombo, Labelled, NumberField, Segments, TextField
from fictilis.app.widgets.new_scene import form_field
from fictilis.app.widgets.theme import Palette
from fictilis.core.arrays import extent
from fictilis.core.channel_kinds import AXES
from fictilis.core.deformers import DEFORMERS
from fictilis.core.edits import objects as object_edits
from fictilis.core.edits import targets as edits
from fictilis.core.edits import timeline
from fictilis.core.edits.forms import FORMS, defaults, form_of, set_form
from fictilis.core.edits.shape import ShapeRef
from fictilis.core.mix.driven import driven_by
from fictilis.core.mix.masks import LEAST
from fictilis.core.mix.relay import relay_of
from fictilis.core.operations.meshes import SIZES


class TargetSection(Section):
    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.low = NumberField("Range from", "", 2)
        self.high = NumberField("Range to", "", 2)
        for field in (self.low, self.high):
            field.committed.connect(self._set_range)
        self.range_row = self.add(Labelled("Range", self.low, self.high))
        self.built_on = ArrowCombo(palette)
        self.built_on.setAccessibleName("Built on")
        self.built_on.activated.connect(self._set_built_on)
        self.built_on.setMinimumWidth(60)
        self.add(Labelled("Built on", self.built_on))
        self.stages = ArrowCombo(palette)
        self.stages.setAccessibleName("In-betweens")
        self.stages.setMinimumWidth(60)
        self.stages.activated.connect(self._shape_stage)
        self.stages_row = self.add(Labelled("In-betweens", self.stages))
        self.path = Segments("Path", ("Straight", "Curved"))
        self.path.chosen.connect(
            lambda c: doc.edit(
                f"Path of {doc.target.name}", lambda s: edits.set_path(s, doc.object_id, doc.target.id, c.lower())
            )
        )
        self.path_row = self.add(Labelled("Path", self.path))
        self.mask_note = QLabel()
        self.mask_row = self.add(Labelled("Mask", self.mask_note))
        self.muted = QCheckBox("Muted")
        self.muted.toggled.connect(self._mute)
        self.add(self.muted)
        self.moves, self.largest = QLabel(), QLabel()
        self.add(Labelled("Moves", self.moves))
        self.add(Labelled("Largest", self.largest))

    def subject(self) -> object:
        return self.doc.openings, self.doc.object_id, self.doc.target.id if self.doc.target is not None else None

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
        self.range_row.setVisible(not driven_by(doc.object, target))
        led = relay_of(doc.object, target) is not None
        self.stages_row.setVisible(not led)
        self.path_row.setVisible(not led)
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
        self.mask_row.setVisible(target.mask is not None)
        if target.mask is not None:
            self.mask_note.setText(f"shut on {int((target.mask < LEAST).sum()):,} points")
        self.moves.setText(f"{len(target.deltas.indices):,} of {len(doc.object.base):,}")
        self.largest.setText(f"{target.deltas.largest:.1f} cm")


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
                field.setStyleSheet("padding: 4px 4px;")
                field.committed.connect(lambda _v, p=part: self._set_transform(p))
            self.fields[part] = row
            self.add(Labelled(label, *row, width=56))
        self.sizes = [NumberField(f"Size on {axis}", "", 1, 0, 1e6) for axis in "XYZ"]
        for k, field in enumerate(self.sizes):
            field.setStyleSheet("padding: 4px 4px;")
            field.committed.connect(lambda value, at=k: self._set_size(at, value))
        self.size_row = self.add(Labelled("Size", *self.sizes, width=56))
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
        self.texture = ArrowCombo(palette)
        self.texture.setAccessibleName("Texture")
        self.texture.setMinimumWidth(60)
        self.texture.activated.connect(self._choose_texture)
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
        doc.edit(f"Rename {doc.object.name}", lambda s: object_edits.rename_object(s, doc.object_id, text))
        self.refresh()

    def _set_transform(self, part: str) -> None:
        doc = self.doc
        values = tuple(field.value for field in self.fields[part])
        now = doc.channels.values(doc.object)
        ids = [f"{part}.{axis}" for axis in AXES]
        changed = {c: v for c, v in zip(ids, values, strict=True) if abs(v - now[c]) > 1e-12}
        if changed:
            doc.channels.set_values(doc.channels.refs(changed), f"{part.capitalize()} of {doc.object.name}")
            self.refresh()

    def _set_size(self, axis: int, value: float) -> None:
        now = extent(self.doc.object.base)
        if value != now[axis]:
            size = [float(n) if k != axis else value for k, n in enumerate(now)]
            self.operations.operate("mesh-size", dict(zip(SIZES, size, strict=True)))
        self.refresh()

    def _set_form(self, name: str, value: float) -> None:
        doc, form = self.doc, form_of(self.doc.object)
        if form is not None and dict(form.numbers).get(name) != value:
            doc.edit(f"{name.capitalize()} of {doc.object.name}", lambda s: set_form(s, doc.object_id, {name: value}))
            self.refresh()

    def _show_form(self) -> None:
        """The numbers of a form that nothing was reshaped of yet."""
        form = form_of(self.doc.object)
        numbers = {**defaults(form.kind), **dict(form.numbers)} if form is not None else {}
        self.size_row.setVisible(not numbers)
        for field, size in zip(self.sizes, extent(self.doc.object.base), strict=True):
            field.set_value(size)
        for name, row in self.form_rows.items():
            row.setVisible(name in numbers)
            if name in numbers:
                self.form_fields[name].set_value(numbers[name])

    def _look(self, **values: Any) -> None:
        doc = self.doc
        look = replace(doc.object.appearance, **values)
        if look != doc.object.appearance:
            doc.edit(f"Surface of {doc.object.name}", lambda s: object_edits.set_appearance(s, doc.object_id, look))

    def _lock(self, on: bool) -> None:
        if self.doc.object is not None and on != self.doc.object.locked:
            self.operations.operate("object-lock", {"off": not on})

    def _choose_texture(self, number: int) -> None:
        (self.commands.plain_texture, self.commands.checker_texture, self.commands.choose_texture)[min(number, 2)]()
        self.refresh()

    def _set_tiles(self, value: float) -> None:
        texture = self.doc.object.appearance.texture
        if texture is not None and texture.tiles != int(value):
            self._look(texture=replace(texture, tiles=int(value)))

    def _show_texture(self) -> None:
        texture, obj = self.doc.object.appearance.texture, self.doc.object
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
        colour = QColorDialog.getColor(QColor(self.doc.object.appearance.colour), self, "Surface colour", options)
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
        self.colour.setStyleSheet(f"border-left: 14px solid {obj.appearance.colour};")
        self.locked.setChecked(obj.locked)
        self._show_texture()
        self.points.setText(f"{len(obj.base):,}")
        self.faces.setText(f"{obj.geometry.face_count:,}")
        for row in self._surface_rows:
            row.setVisible(obj.geometry.kind == "mesh")

    def show_values(self) -> None:
        """Where the object is at this frame."""
        now = self.doc.channels.values(self.doc.object)
        for part, row in self.fields.items():
            for field, axis in zip(row, AXES, strict=True):
                field.set_value(now[f"{part}.{axis}"])
        self.opacity.set_value(now["opacity"])


class CameraSection(Section):
    """The numbers of the camera that is looked through."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.name = TextField("Camera name")
        self.name.committed.connect(self._rename)
        self.add(Labelled("Name", self.name))
        self.fields: dict[str, NumberField] = {}
        row = [self._field(f"centre.{axis}", f"Looks at {axis.upper()}", "") for axis in AXES]
        for field in row:
            field.setStyleSheet("padding: 4px 4px;")
        self.add(Labelled("Looks at", *row, width=56))
        for channel_id, name, unit in (
            ("distance", "Distance", "cm"), ("yaw", "Turn", "°"), ("pitch", "Tilt", "°"), ("lens", "Field of view", "°")
        ):  # fmt: skip
            self.add(Labelled(name, self._field(channel_id, name, unit)))

    def subject(self) -> object:
        camera = self.doc.scene.camera
        return self.doc.openings, self.doc.through_camera, camera.id if camera is not None else None

    def _rename(self, text: str) -> None:
        camera = self.doc.scene.camera
        self.doc.edit(f"Rename {camera.name}", lambda s: timeline.rename_camera(s, camera.id, text))
        self.refresh()

    def _field(self, channel_id: str, name: str, unit: str) -> NumberField:
        field = self.fields[channel_id] = NumberField(name, unit, 1)
        field.committed.connect(lambda v: self._set(channel_id, v))
        return field

    def _set(self, channel_id: str, value: float) -> None:
        if abs(value - self.doc.channels.values(self.doc.scene.camera)[channel_id]) > 1e-12:
            self.doc.channels.set_value(self.doc.channels.ref(channel_id, self.doc.scene.camera), value)
            self.refresh()

    def refresh(self) -> None:
        self.setVisible(self.doc.through_camera)
        if self.doc.through_camera:
            self.set_heading(self.doc.scene.camera.name)
            self.name.set_value(self.doc.scene.camera.name)
            self.show_values()

    def show_values(self) -> None:
        now = self.doc.channels.values(self.doc.scene.camera)
        for channel_id, field in self.fields.items():
            field.set_value(now[channel_id])


class SideColumn(QScrollArea):
    """All sections that fit what is selected."""

    def __init__(
        self, doc: Document, palette: Palette, commands: Commands, shape_commands: ShapeCommands, operations: OperationCommands,
        actions: Actions,
    ) -> None:  # fmt: skip
        super().__init__()
        self.doc = doc
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
            ToolSection(doc, palette, shape_commands),
            TargetSection(doc, palette),
            ObjectSection(doc, palette, commands, operations),
        )
        self.modifiers, self.drivers = ModifierSection(doc, palette), DriverSection(doc, palette)
        self.camera = CameraSection(doc, palette)
        self.relay, self.follow = RelaySection(doc, palette, actions, operations), FollowSection(doc, palette)
        self.sweep = SweepSection(doc, palette, operations)
        self.match, self.line = MatchSection(doc, palette), LineSection(doc, palette, operations)
        self.tube, self.surface = TubeSection(doc, palette), SurfaceSection(doc, palette, operations)
        self.repeat, self.spring = RepeatSection(doc, palette), SpringSection(doc, palette)
        self.after, self.rig = AfterSection(doc, palette, actions), RigSection(doc, palette, operations)
        self.deformers = tuple(DeformerSection(doc, palette, kind) for kind in DEFORMERS)
        self.sections: tuple[Any, ...] = (
            self.tool, self.relay, self.target, self.match, self.sweep, self.follow, self.drivers, self.modifiers, self.camera,
            self.line, self.tube, self.after, *self.deformers, self.spring, self.surface, self.rig, self.repeat, self.object,
        )  # fmt: skip
        for section in self.sections:
            layout.addWidget(section)
        layout.addStretch()
        self.setWidget(inner)
        doc.changed.connect(self.refresh)
        doc.moved.connect(self._moved)
        self.refresh()

    def _moved(self) -> None:
        """Show what lanes and previews do to the object and the camera."""
        if self.doc.object is not None and not self.object.isHidden():
            self.object.show_values()
        moving: tuple[Any, ...] = (self.drivers, self.relay, self.follow, self.sweep, self.rig, *self.deformers)
        for section in moving:
            if not section.isHidden():
                section.show_values()
        if not self.camera.isHidden():
            self.camera.show_values()

    def set_palette_(self, palette: Palette) -> None:
        for section in self.sections:
            section.set_palette_(palette)
        for combo in (self.target.built_on, self.target.stages, self.object.texture):
            combo.palette_ = palette
        self.refresh()

    def refresh(self) -> None:
        for section in self.sections:
            section.refresh()
