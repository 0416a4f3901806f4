"""The side column's section of a rig: its clips, how the skin follows, and the joint that is turned."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QLabel

from fictilis.app.commands.operations import OperationCommands
from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.view.joints import joint_in_hand, take_joint
from fictilis.app.widgets.fields import Segments, show_checked
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.edits.rigs import change_skin
from fictilis.core.scene.rigs import CLIP, Skin, angle_id, joint_names, turn_id

WAYS = ("Linear", "Dual")


class RigSection(Section):
    """Shown for an object that hangs on a rig."""

    def __init__(self, doc: Document, palette: Palette, operations: OperationCommands) -> None:
        super().__init__(palette)
        self.doc, self.operations = doc, operations
        self.on = self.add_switch(lambda on: self._set(on=on))
        self.clip = self.chooser("Clip of the rig", self._play)
        self.clip_row = self.add(Labelled("Plays", self.clip))
        self.way = Segments("Skinning method", WAYS)
        self.way.setToolTip("Linearly, or by dual quaternions, which keep the volume where a joint is turned far")
        self.way.chosen.connect(lambda name: self._set(dual=name == WAYS[1]))
        self.add(Labelled("Follows", self.way))
        self.seen = QCheckBox("Joints in the view")
        self.seen.toggled.connect(lambda on: doc.see(joints=on))
        self.add(self.seen)
        self.joint = self.chooser("Joint", lambda row: take_joint(doc, self.joint.itemData(row)))
        self.add(Labelled("Joint", self.joint))
        self.turns = [NumberField(f"Joint turned {axis}", "", 1, -36000.0, 36000.0) for axis in "XYZ"]
        for axis, field in zip("xyz", self.turns, strict=True):
            field.setToolTip("For a look only; a key keeps it")
            field.committed.connect(lambda value, axis=axis: self._turn(axis, value))
        self.turn_row = self.add(Labelled("Turned", *self.turns))
        self.bent = QLabel()
        self.bent.setToolTip("From its rest; what a corrective may follow")
        self.bent_row = self.add(Labelled("Bent by", self.bent))

    def _skin(self) -> Skin | None:
        return self.doc.object.skin if self.doc.object is not None else None

    def subject(self) -> object:
        return self.doc.openings, self.doc.object_id, self._skin() is not None, joint_in_hand(self.doc)

    def _set(self, **values: bool) -> None:
        skin, doc = self._skin(), self.doc
        if skin is not None and any(getattr(skin, name) != value for name, value in values.items()):
            doc.edit(f"Rig of {doc.obj.name}", lambda s: change_skin(s, doc.obj.id, **values))
        self.refresh()

    def _play(self, row: int) -> None:
        if self.clip.itemData(row) is not None:
            self.operations.operate(
                "rig-play", {"clip": self.clip.itemText(row), "start": self.doc.scene.start, "again": False}
            )
        self.refresh()

    def _turn(self, axis: str, value: float) -> None:
        joint = joint_in_hand(self.doc)
        if joint is not None:
            self.doc.channels.set_value(self.doc.channels.ref(turn_id(joint, axis)), value)

    def show_values(self) -> None:
        joint, skin = joint_in_hand(self.doc), self._skin()
        if skin is None:
            return
        values = self.doc.channels.values(self.doc.obj)
        number = round(values[CLIP])
        self.clip.setCurrentIndex(number if 0 <= number < len(skin.rig.clips) else -1)
        if joint is not None:
            for axis, field in zip("xyz", self.turns, strict=True):
                field.set_value(values[turn_id(joint, axis)])
            self.bent.setText(f"{values[angle_id(joint)]:.1f}°")

    def refresh(self) -> None:
        skin, doc = self._skin(), self.doc
        self.setVisible(skin is not None)
        if skin is None:
            return
        rig, joint = skin.rig, joint_in_hand(doc)
        self.set_heading(f"Rig {rig.name}" if rig.name.lower() != "rig" else "Rig")
        if [self.clip.itemText(n) for n in range(self.clip.count())] != [c.name for c in rig.clips]:
            self.clip.clear()
            for number, clip in enumerate(rig.clips):
                self.clip.addItem(clip.name, number)
        self.clip_row.setVisible(bool(rig.clips))
        if [self.joint.itemText(n) for n in range(self.joint.count())] != ["None", *joint_names(rig)]:
            self.joint.clear()
            self.joint.addItem("None", None)
            for number, name in enumerate(joint_names(rig)):
                self.joint.addItem(name, number)
        self.joint.setCurrentIndex(0 if joint is None else joint + 1)
        self.way.set_value(WAYS[skin.dual])
        for row in (self.turn_row, self.bent_row):
            row.setVisible(joint is not None)
        for box, on in ((self.on, skin.on), (self.seen, doc.seeing.joints)):
            show_checked(box, on)
        self.show_values()
