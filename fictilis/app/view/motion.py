"""Motion paths in the view: where points, or an object's pivot, go over time; the keys of its place can be dragged there."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen, QPolygonF

from fictilis.app.model.hand import Gesture
from fictilis.app.view.canvas import Canvas
from fictilis.app.view.handles import paint_letters
from fictilis.core.at_frame.copies import first_matrix
from fictilis.core.at_frame.paths import points_over
from fictilis.core.at_frame.springs import in_time
from fictilis.core.edits.keys import move_place
from fictilis.core.ground.affine import placed
from fictilis.core.ground.errors import there
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.scene.scene import Scene
from fictilis.render.stage import LINE_UP

MOST_PATHS = 24
PATH_SECONDS = 0.02
MOST_STEPS = 2000  # places on a path
PLACE = ("position.x", "position.y", "position.z")
BEAD, NEAR, CLICK = 4.5, 8.0, 3  # pixels
MOST_BEADS = 400
KINK = np.cos(np.radians(50.0))  # a path that turns more from one frame to the next is no smooth arc,
SPEED, WITHIN = 0.35, 3  # if it is no slower there than this part of the speed so many frames around


def motion_path(view: Canvas) -> np.ndarray | None:
    """(f, k, 3) in scene space: picked points, else the object's pivot, at every frame played; None without an object."""
    doc, obj = view.doc, view.doc.object
    if obj is None:
        return None
    start, end = doc.scene.span
    step = max((end - start) / MOST_STEPS, 1.0)
    frames = np.append(np.arange(start, end - 1e-9, step), end)
    indices = doc.picks()[:MOST_PATHS]
    led = obj.along is not None or obj.spring is not None or obj.repeated is not None
    made_of = (obj, indices.tobytes(), start, end, doc.scene.fps, doc.scene if led else None)
    kept = view.motion_kept
    if kept is None or kept[0][0] is not obj or kept[0][1:] != made_of[1:]:
        with in_time(PATH_SECONDS) as asked:
            if len(indices):
                path = points_over(doc.scene, obj, indices, frames)
            else:
                pivot = np.array([*obj.transform.pivot, 1.0])
                stands = [first_matrix(doc.scene, obj, f) for f in frames.tolist()]
                path = np.array([(m @ pivot)[:3] for m in stands])[:, None]
        view.motion_kept = kept = ((None,) if asked.late else made_of, path, frames)
        if asked.late:  # the next picture knows more of it
            view.update()
    return kept[1]


def beads(view: Canvas) -> tuple[np.ndarray, np.ndarray]:
    """The keys of place that can be dragged: their frames (k,), and where the pivot is then, (k, 3) in the scene. None while
    points have paths, and where a line or copies say where the object is."""
    doc, obj = view.doc, view.doc.object
    free = obj is not None and obj.along is None and obj.repeated is None
    if not free or not doc.seeing.motion or doc.way == LINE_UP or doc.shaping is not None or len(doc.picks()) or doc.playing:
        return np.zeros(0), np.zeros((0, 3))
    first, last = doc.scene.span
    lanes = [lane for lane in map(doc.obj.lane, PLACE) if lane is not None]
    frames = sorted({k.frame for lane in lanes for k in lane.curve.keys if first <= k.frame <= last})[:MOST_BEADS]
    pivot = np.array([doc.obj.transform.pivot])
    places = [placed(pivot, first_matrix(doc.scene, doc.obj, frame))[0] for frame in frames]
    return np.array(frames), np.array(places).reshape(-1, 3)


def bead_under(view: Canvas, at: QPointF) -> tuple[float, np.ndarray] | None:
    """The frame and place of the bead under a pixel."""
    frames, places = beads(view)
    if not len(frames):
        return None
    pixels = view.camera.project(places, view.width(), view.height())[0]
    gaps = np.hypot(*(pixels - (at.x(), at.y())).T)
    number = int(gaps.argmin())
    return (float(frames[number]), places[number]) if gaps[number] <= NEAR else None


def kinks(path: np.ndarray) -> np.ndarray:
    """(f,) bool: where a path (f, 3) with a place a frame turns sharply at speed: it is no smooth arc. Slow turns are none."""
    steps = np.diff(path, axis=0)
    long = np.linalg.norm(steps, axis=1)
    out = np.zeros(len(path), bool)
    if len(steps) < 2:
        return out
    around = np.max([np.roll(np.pad(long, WITHIN), k)[WITHIN:-WITHIN] for k in range(-WITHIN, WITHIN + 1)], axis=0)
    fast = long > SPEED * np.maximum(around, 1e-6)
    turn = (steps[:-1] * steps[1:]).sum(axis=1) / np.maximum(long[:-1] * long[1:], 1e-12)
    out[1:-1] = fast[:-1] & fast[1:] & (turn < KINK)
    return out


def paint_motion(view: Canvas, painter: QPainter) -> None:
    """Paths over time: a dot at each frame, a ring where it turns sharply, beads at keys, and where the present frame is."""
    path = motion_path(view)
    if path is None or len(path) < 2:
        return
    doc, p = view.doc, view.palette_
    frames = there(view.motion_kept)[2]
    pixels = view.camera.project(path.reshape(-1, 3), view.width(), view.height())[0].reshape(*path.shape[:2], 2)
    keys = np.array([k.frame for lane in doc.obj.lanes for k in lane.curve.keys])
    at_key = np.isin(np.round(frames, 6), np.round(keys, 6))
    colour = QColor(p.picked)
    now = int(np.argmin(np.abs(frames - doc.frame)))
    for k in range(path.shape[1]):
        row = [QPointF(x, y) for x, y in pixels[:, k].tolist()]
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 1.5))
        painter.drawPolyline(QPolygonF(row))
        painter.setPen(QPen(QColor(p.error), 2))
        for number in np.flatnonzero(kinks(path[:, k])).tolist():
            painter.drawEllipse(row[number], 6, 6)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        for at, large in zip(row, at_key.tolist(), strict=True):
            painter.drawEllipse(at, 3.2 if large else 1.6, 3.2 if large else 1.6)
        painter.setPen(QPen(colour, 2))
        painter.setBrush(QColor(p.raised))
        painter.drawEllipse(row[now], 5, 5)
    _paint_beads(view, painter, colour)


def _paint_beads(view: Canvas, painter: QPainter, colour: QColor) -> None:
    frames, places = beads(view)
    if not len(frames):
        return
    held = view.doc.hand.gesture
    under = held.frame if isinstance(held, MoveBead) else (bead_under(view, view.pointer) or (None,))[0]
    painter.setPen(QPen(QColor(view.palette_.raised), 1.5))
    painter.setBrush(colour)
    pixels = view.camera.project(places, view.width(), view.height())[0]
    for frame, (x, y) in zip(frames.tolist(), pixels.tolist(), strict=True):
        radius = BEAD + (2 if frame == under else 0)
        painter.drawEllipse(QPointF(x, y), radius, radius)
        if frame == under:
            paint_letters(view, painter, QPointF(x, y - 18), f"Frame {frame:g}", quiet=False)


class MoveBead(Gesture):
    """A key of place follows the pointer in the plane of the view. A click selects its keys and goes to its frame."""

    def __init__(self, view: Canvas, bead: tuple[float, np.ndarray], event: QMouseEvent) -> None:
        self.view, self.doc, self.pressed = view, view.doc, event.position()
        self.frame, self.place = bead
        self.object_id = view.doc.obj.id

    def _moved(self, event: QMouseEvent) -> Scene:
        dx, dy = event.position().x() - self.pressed.x(), event.position().y() - self.pressed.y()
        way = self.view.camera.drag(self.place, dx, dy, self.view.height())
        return move_place(self.doc.committed.scene, self.object_id, self.frame, way.tolist())

    def _far(self, event: QMouseEvent) -> bool:
        return (event.position() - self.pressed).manhattanLength() > CLICK

    def move(self, event: QMouseEvent) -> None:
        self.doc.preview(self._moved(event) if self._far(event) else None)

    def end(self, event: QMouseEvent) -> None:
        doc, scene = self.doc, self._moved(event) if self._far(event) else self.doc.committed.scene
        obj = scene.object(self.object_id)
        lanes = [lane for lane in map(obj.lane, PLACE) if lane is not None and lane.curve.key_at(self.frame) is not None]
        keys = frozenset(KeyRef(obj.id, lane.channel, there(lane.curve.key_at(self.frame)).frame) for lane in lanes)
        session = replace(doc.session, keys=keys)
        if self._far(event):
            doc.commit(f"Move {obj.name} at frame {self.frame:g}", scene, session)
        else:
            doc.change(keys=keys)
            doc.set_frame(self.frame)
