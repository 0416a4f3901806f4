"""The side column's section of a relay: the pose here, the way on, the path, and how the row is spread."""

from __future__ import annotations

from PyQt6.QtWidgets import QLabel, QPushButton

from fictilis.app.commands.actions import Actions
from fictilis.app.commands.operations import OperationCommands, subject_of
from fictilis.app.model.document import Document
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import Segments
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.theme import Palette
from fictilis.core.animation.curve import Key
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.relay import is_closed, members, pose_at, poses, relays

WAYS = ("Hold", "Linear", "Smooth", "Ease")
PATHS = ("Straight", "Through")


class RelaySection(Section):
    """Shown while the lane of a relay, or one of its shapes, is selected."""

    def __init__(self, doc: Document, palette: Palette, actions: Actions, operations: OperationCommands) -> None:
        super().__init__(palette)
        self.doc, self.actions_, self.operations = doc, actions, operations
        self.number = QLabel()
        self.add(Labelled("Pose", self.number))
        self.shape = self.chooser("Shape of the pose", self._put)
        self.add(Labelled("Shape", self.shape))
        self.way = Segments("To the next pose", WAYS)
        self.way.setToolTip("From this pose to the next")
        self.way.chosen.connect(self._lead)
        self.add(self.way)
        self.path = Segments("Path of the relay", PATHS)
        self.path.chosen.connect(lambda path: self._operate("relay-path", path=path.lower()))
        self.add(Labelled("Path", self.path))
        self.spread = QPushButton("Spread poses…")
        self.spread.setToolTip("As many frames from pose to pose, or so that the points travel at a constant speed")
        self.spread.clicked.connect(lambda _on: self._operate("relay-spread"))
        self.add(self.spread)
        self.loop = QLabel()
        self.loop.setWordWrap(True)
        self.loop.setProperty("quiet", True)
        self.add(self.loop)

    def _relay_id(self) -> str | None:
        """The relay of what is selected; nothing where neither its lane nor a shape of it is."""
        obj = self.doc.object
        if obj is None or self.doc.chosen is None or self.doc.chosen.owner.id != obj.id:
            return None
        target = self.doc.target
        chosen = self.doc.chosen.id if self.doc.chosen.poses else target.group if target is not None else None
        return chosen if chosen in relays(obj) else None

    def subject(self) -> object:
        return self.doc.openings, self.doc.object_id, self._relay_id()

    def _operate(self, operation_id: str, **given: object) -> None:
        self.operations.operate(operation_id, given)
        self.refresh()

    def _pose(self) -> Key | None:
        obj, relay_id = self.doc.object, self._relay_id()
        if obj is None or relay_id is None or not poses(obj, relay_id):
            return None
        return pose_at(obj, relay_id, self.doc.frame)

    def _put(self, row: int) -> None:
        pose = self._pose()
        if pose is not None:
            self._operate("relay-put", shape=self.shape.itemData(row), frame=pose.frame)

    def _lead(self, way: str) -> None:
        """Another way from the pose here to the next."""
        pose, relay_id = self._pose(), subject_of(self.doc).relay
        if pose is None:
            return
        self.doc.change(keys=frozenset({KeyRef(*ChannelRef(self.doc.obj.id, relay_id), pose.frame)}))
        self.actions_.by_id[way.lower()].trigger()
        self.refresh()

    def refresh(self) -> None:
        obj, relay_id = self.doc.object, self._relay_id()
        self.setVisible(relay_id is not None)
        if obj is None or relay_id is None:
            return
        relay, keys = relays(obj)[relay_id], poses(obj, relay_id)
        self.set_heading(f"Relay {relay.name}")
        self.shape.clear()
        self.shape.addItem("Base", "")
        for target in members(obj, relay_id):
            self.shape.addItem(target.name, target.id)
        self.path.set_value((relay.relay or "straight").capitalize())
        self.spread.setEnabled(len(keys) > 2)
        closed = is_closed(keys)
        self.loop.setText("The loop closes: first and last pose are one shape." if closed else "First and last pose differ.")
        self.loop.setVisible(len(keys) > 2)
        self.show_values()

    def show_values(self) -> None:
        """The pose that stands here, or before."""
        pose, obj, relay_id = self._pose(), self.doc.object, self._relay_id()
        for widget in (self.shape, self.way):
            widget.setEnabled(pose is not None)
        if pose is None or obj is None or relay_id is None:
            self.number.setText("none yet")
            return
        keys = poses(obj, relay_id)
        self.number.setText(f"{keys.index(pose) + 1} of {len(keys)}, at {pose.frame:g}")
        self.shape.setCurrentIndex(max(self.shape.findData(pose.shape), 0))
        self.way.set_value(pose.interpolation.capitalize())
