"""The camera that is looked through."""

from __future__ import annotations

from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import TextField
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.edits import timeline
from fictilis.core.ground.errors import there
from fictilis.core.mix.channel_kinds import AXES


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
        self.add(Labelled("Looks at", *row))
        for channel_id, name, unit in (
            ("distance", "Distance", "cm"), ("yaw", "Turn", "°"), ("pitch", "Tilt", "°"), ("lens", "Field of view", "°")
        ):  # fmt: skip
            self.add(Labelled(name, self._field(channel_id, name, unit)))

    def subject(self) -> object:
        camera = self.doc.scene.camera
        return self.doc.openings, self.doc.through_camera, camera.id if camera is not None else None

    def _rename(self, text: str) -> None:
        camera = there(self.doc.scene.camera)
        self.doc.edit(f"Rename {camera.name}", lambda s: timeline.rename_camera(s, camera.id, text))
        self.refresh()

    def _field(self, channel_id: str, name: str, unit: str) -> NumberField:
        field = self.fields[channel_id] = NumberField(name, unit, 1)
        field.committed.connect(lambda v: self._set(channel_id, v))
        return field

    def _set(self, channel_id: str, value: float) -> None:
        if abs(value - self.doc.channels.values(there(self.doc.scene.camera))[channel_id]) > 1e-12:
            self.doc.channels.set_value(self.doc.channels.ref(channel_id, self.doc.scene.camera), value)
            self.refresh()

    def refresh(self) -> None:
        self.setVisible(self.doc.through_camera)
        if self.doc.through_camera:
            self.set_heading(there(self.doc.scene.camera).name)
            self.name.set_value(there(self.doc.scene.camera).name)
            self.show_values()

    def show_values(self) -> None:
        now = self.doc.channels.values(there(self.doc.scene.camera))
        for channel_id, field in self.fields.items():
            field.set_value(now[channel_id])
