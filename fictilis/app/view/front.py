"""The front of a sweep in the view: a line over the surface where it has come half up, with a grip that drags it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen

from fictilis.app.model.hand import Gesture
from fictilis.app.view.canvas import Canvas
from fictilis.core.geometry.topology import face_of_corner, next_corner
from fictilis.core.ground.affine import placed
from fictilis.core.ground.arrays import cached_by_both
from fictilis.core.scene.scene import MorphObject, Target
from fictilis.core.scene.sweep import Sweep, front_of
from fictilis.render.picking import hit_shape
from fictilis.render.stage import IN_THE_MIX, StageItem

NEAR, GRIP = 9, 6.5


class Front(NamedTuple):
    """The line in pixels, (k, 2, 2); which pieces (k,) look away; where its grip is; its item and target."""

    line: np.ndarray
    behind: np.ndarray
    grip: QPointF
    item: StageItem
    target: Target


def _shown(view: Canvas) -> tuple[StageItem, Target, Sweep] | None:
    """The selected target's sweep, while the mix is shown and nothing is shaped."""
    doc = view.doc
    if doc.way != IN_THE_MIX or doc.shaping is not None or doc.target is None or doc.target.sweep is None or doc.playing:
        return None
    item = next((i for i in view.items() if i.obj.id == doc.object_id), None)
    if item is None or len(item.points) != len(doc.target.sweep.field):
        return None
    return item, doc.target, doc.target.sweep


def _level(view: Canvas, target: Target, sweep: Sweep) -> float:
    """The place of the field that has come half up."""
    front = view.doc.channels.values(view.doc.obj)[front_of(target.id)]
    return float(front * (1 + sweep.softness) - sweep.softness / 2)


@cached_by_both
def _crossings(obj: MorphObject, field: np.ndarray, level: float) -> tuple[np.ndarray, np.ndarray]:
    """The edges (k, 2) that the line crosses, in pairs (s, 2) of their numbers that share a face."""
    corners, follow = obj.geometry.corners.astype(np.int64), next_corner(obj.geometry)
    a, b = corners, corners[follow]
    over = (field[a] > level) != (field[b] > level)
    at, faces = np.flatnonzero(over), face_of_corner(obj.geometry)[over]
    if not len(at):
        return np.zeros((0, 2), np.int64), np.zeros((0, 2), np.int64)
    pairs = np.flatnonzero(faces[:-1] == faces[1:])
    keep = np.ones(len(pairs), bool)
    keep[1:] = np.diff(pairs) > 1  # each crossing ends one piece of the line
    pairs = pairs[keep]
    return np.stack([a[at], b[at]], axis=1), np.stack([pairs, pairs + 1], axis=1)


def front_in(view: Canvas) -> Front | None:
    """The front in sight, or None where none is shown."""
    found = _shown(view)
    if found is None:
        return None
    item, target, sweep = found
    level = _level(view, target, sweep)
    crossed, pairs = _crossings(item.obj, sweep.field, round(level, 4))
    if not len(pairs):
        low = sweep.field <= min(max(level, 0.0), 1.0) + 1e-6 if level < 0.5 else sweep.field >= 1.0 - 1e-6
        if level < 0.0:
            low = sweep.field <= sweep.field.min() + 1e-6
        ends = placed(item.points[low].astype(np.float64), item.matrix)
        if not len(ends):
            return None
        middle = view.camera.project(ends, view.width(), view.height())[0].mean(axis=0)
        return Front(np.zeros((0, 2, 2)), np.zeros(0, bool), QPointF(*middle), item, target)
    a, b = sweep.field[crossed[:, 0]], sweep.field[crossed[:, 1]]
    part = ((level - a) / np.where(b == a, 1.0, b - a)).clip(0, 1)[:, None]
    places = item.points[crossed[:, 0]] * (1 - part) + item.points[crossed[:, 1]] * part
    scene_places = placed(places.astype(np.float64), item.matrix)
    pixels, depth = view.camera.project(scene_places, view.width(), view.height())
    line = pixels[pairs]
    normals = item.normals[crossed[:, 0]].astype(np.float64) @ item.matrix[:3, :3].T
    away = ((scene_places - view.camera.position()) * normals).sum(axis=1) > 0
    grip = pixels[np.argmin(depth + away * 10.0)]  # where it comes nearest
    return Front(line, away[pairs].any(axis=1), QPointF(*grip), item, target)


def paint_front(view: Canvas, painter: QPainter) -> None:
    front = front_in(view)
    if front is None:
        return
    p = view.palette_
    faint = QColor(p.primary)
    faint.setAlpha(70)
    for pen, chosen in ((QPen(faint, 1.2), front.behind), (QPen(QColor(p.primary), 2.4), ~front.behind)):
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        painter.drawLines([QLineF(*a, *b) for a, b in front.line[chosen].tolist()])
    painter.setPen(QPen(QColor(p.primary), 2.2))
    painter.setBrush(QColor(p.raised))
    painter.drawEllipse(front.grip, GRIP, GRIP)


def on_front(view: Canvas, at: QPointF) -> Front | None:
    """The front whose grip or line lies under a pixel."""
    front = front_in(view)
    if front is None:
        return None
    if (front.grip - at).manhattanLength() <= GRIP + NEAR:
        return front
    if not len(front.line):
        return None
    a, b, here = front.line[:, 0], front.line[:, 1], np.array([at.x(), at.y()])
    way = b - a
    part = ((here - a) * way).sum(axis=1) / np.maximum((way**2).sum(axis=1), 1e-9)
    gap = a + way * part.clip(0, 1)[:, None] - here
    return front if float((gap**2).sum(axis=1).min()) <= NEAR**2 / 2 else None


class MoveFront(Gesture):
    """The front follows the pointer over the surface; off it, it stays."""

    def __init__(self, view: Canvas, front: Front) -> None:
        self.view, self.doc, self.item = view, view.doc, front.item
        self.ref, self.sweep = view.doc.channels.ref(front_of(front.target.id)), front.target.sweep
        self.points = front.item.in_scene()
        self.value: float | None = None

    def _under(self, event: QMouseEvent) -> float | None:
        at = (event.position().x(), event.position().y())
        hit = hit_shape(self.item.obj.geometry, self.points, self.view.camera, at, (self.view.width(), self.view.height()))
        if hit is None or self.sweep is None:
            return self.value
        gap = np.linalg.norm(self.points[hit.points] - hit.place, axis=1)
        near = 1.0 / np.maximum(gap, 1e-9)
        return round(self.sweep.place(float((self.sweep.field[hit.points] * near).sum() / near.sum())), 3)

    def move(self, event: QMouseEvent) -> None:
        self.value = self._under(event)
        if self.value is not None:
            self.doc.channels.set_value(self.ref, self.value, final=False)

    def end(self, event: QMouseEvent) -> None:
        if self.value is not None:
            self.doc.channels.set_value(self.ref, self.value)
