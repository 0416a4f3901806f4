"""The joints of a rig in the view: seen over the surface, taken by a click, turned by a drag for a look."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen

from fictilis.app.model.document import Document
from fictilis.app.model.hand import Gesture
from fictilis.app.view.canvas import Canvas
from fictilis.core.at_frame.copies import first_matrix
from fictilis.core.ground.affine import placed
from fictilis.core.rig.posing import Pose, angles_of_many, euler_matrices, pose_of
from fictilis.core.scene.rigs import Rig, joint_names, joint_of, turn_id
from fictilis.core.scene.scene import MorphObject
from fictilis.render.stage import LINE_UP

DOT, NEAR = 3.5, 9.0
LEAST_ARM = 6.0  # px from a joint, below which a drag says no angle


class Joints(NamedTuple):
    """Where the joints of a rig are: in pixels (j, 2), in the scene (j, 3); the rig, its pose, and what leads from its space to
    the scene (4, 4)."""

    pixels: np.ndarray
    places: np.ndarray
    rig: Rig
    pose: Pose
    to_scene: np.ndarray


def joint_in_hand(doc: Document) -> int | None:
    """The number of the joint whose lane was selected last, of the object shown."""
    obj = doc.object
    if not doc.selected or obj is None or obj.skin is None or doc.selected[-1].owner != obj.id:
        return None
    joint = joint_of(doc.selected[-1].channel)
    return joint if joint is not None and joint < len(obj.skin.rig.joints) else None


def take_joint(doc: Document, joint: int | None) -> None:
    """Select the lanes that turn a joint; none for None."""
    if joint is None:
        doc.select_channel(None)
        return
    for number, axis in enumerate("zyx"):
        doc.select_channel(doc.channels.ref(turn_id(joint, axis)), add=number > 0)


def joints_in(view: Canvas) -> Joints | None:
    """The joints in sight, or None where none are shown."""
    doc, obj = view.doc, view.doc.object
    if obj is None or obj.skin is None or not doc.seeing.joints or doc.way == LINE_UP or doc.playing:
        return None
    return _joints_of(view, obj)


def _joints_of(view: Canvas, obj: MorphObject) -> Joints:
    doc = view.doc
    assert obj.skin is not None
    pose = pose_of(obj.skin, doc.channels.values(obj))
    to_scene = first_matrix(doc.scene, obj, doc.frame, doc.state.posed) @ obj.skin.bound.out
    places = placed(pose.worlds[:, :3, 3], to_scene)
    pixels = view.camera.project(places, view.width(), view.height())[0]
    return Joints(pixels, places, obj.skin.rig, pose, to_scene)


def joint_under(view: Canvas, at: QPointF) -> tuple[Joints, int] | None:
    """The joint under a pixel."""
    found = joints_in(view)
    if found is None:
        return None
    gap = np.abs(found.pixels - [at.x(), at.y()]).sum(axis=1)
    return (found, int(gap.argmin())) if gap.min(initial=np.inf) <= NEAR else None


def paint_joints(view: Canvas, painter: QPainter) -> None:
    found = joints_in(view)
    if found is None:
        return
    p, chosen = view.palette_, joint_in_hand(view.doc)
    line = QColor(p.text)
    line.setAlpha(150)
    painter.setPen(QPen(line, 1.2, Qt.PenStyle.DashLine))
    pairs = [(n, parent) for n, parent in enumerate(found.rig.parents.tolist()) if parent >= 0]
    painter.drawLines([QLineF(*found.pixels[a], *found.pixels[b]) for a, b in pairs])
    for number, (x, y) in enumerate(found.pixels.tolist()):
        on = number == chosen
        painter.setPen(QPen(QColor(p.primary if on else p.text), 2.2 if on else 1.4))
        painter.setBrush(QColor(p.primary if on else p.raised))
        radius = DOT + 2 if on else DOT
        painter.drawEllipse(QPointF(x, y), radius, radius)
    if chosen is not None:
        x, y = found.pixels[chosen]
        painter.setPen(QColor(p.text))
        painter.drawText(QPointF(x + 10, y - 8), joint_names(found.rig)[chosen])


class TurnJoint(Gesture):
    """A click takes a joint. A drag turns the one it hangs on, as seen, so that it comes with the pointer; one that hangs on
    none is turned itself."""

    def __init__(self, view: Canvas, found: Joints, joint: int, event: QMouseEvent) -> None:
        self.view, self.doc, self.found, self.joint = view, view.doc, found, joint
        parent = int(found.rig.parents[joint])
        self.turned = parent if parent >= 0 else joint
        self.centre, self.start = found.pixels[self.turned], event.position()
        self.values: dict[str, float] = {}
        self.frame = self.doc.frame
        self.begun = self.doc.channels.values(self.doc.obj)

    def _angle(self, event: QMouseEvent) -> float | None:
        """Degrees, clockwise on the screen, from the press to the pointer about the joint that is turned."""
        first, now = (np.array([p.x(), p.y()]) - self.centre for p in (self.start, event.position()))
        if min(np.linalg.norm(first), np.linalg.norm(now)) < LEAST_ARM:
            return None
        return float(np.degrees(np.arctan2(first[0] * now[1] - first[1] * now[0], first @ now)))

    def move(self, event: QMouseEvent) -> None:
        if self.doc.frame != self.frame or not self.values and (event.position() - self.start).manhattanLength() < 3:
            return
        angle = self._angle(event)
        if angle is None:
            return
        self.values = self._turns(angle)
        refs = self.doc.channels.refs(self.values)
        self.doc.channels.set_values(refs, self._label(), final=False)

    def _label(self) -> str:
        return f"Turn {joint_names(self.found.rig)[self.turned]}"

    def _turns(self, angle: float) -> dict[str, float]:
        """The turns of the joint that make it stand so many degrees further about the way of looking."""
        found, joint = self.found, self.turned
        way = self.view.camera.position() - np.array(self.view.camera.centre)
        linear = found.to_scene[:3, :3]
        axis = np.linalg.solve(linear, way / max(float(np.linalg.norm(way)), 1e-300))
        axis /= max(float(np.linalg.norm(axis)), 1e-300)
        flip = -1.0 if np.linalg.det(linear) > 0 else 1.0  # pixels run down
        own = np.array([self.begun[turn_id(joint, a)] for a in "xyz"])
        turn = euler_matrices(own)
        world = found.pose.worlds[joint, :3, :3]
        world = world / np.maximum(np.linalg.norm(world, axis=0), 1e-12)
        before = world @ turn.T  # as it stands without what is turned by hand
        further = _about(axis, flip * np.radians(angle))
        degrees = angles_of_many(before.T @ further @ before @ turn)
        return {turn_id(joint, a): round(float(v), 2) for a, v in zip("xyz", degrees, strict=True)}

    def end(self, event: QMouseEvent) -> None:
        if self.doc.frame != self.frame:
            return
        if self.values:
            self.doc.channels.set_values(self.doc.channels.refs(self.values), self._label())
        take_joint(self.doc, self.turned if self.values else self.joint)


def _about(axis: np.ndarray, angle: float) -> np.ndarray:
    """(3, 3) about a unit axis (3,). Source: Rodrigues (1840)."""
    x, y, z = axis
    k = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.eye(3) + np.sin(angle) * k + (1 - np.cos(angle)) * (k @ k)
