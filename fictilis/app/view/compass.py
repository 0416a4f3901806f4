"""The compass of axes in the view's corner: six half needles. A click on a tip looks from there, a drag turns the view."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen, QPolygonF

from fictilis.app.model.hand import Gesture
from fictilis.app.view.canvas import Canvas
from fictilis.app.view.handles import paint_letters
from fictilis.render.camera import Camera

EDGE, RADIUS, TIP, WIDE = 50.0, 36.0, 24.0, 3.2  # pixels
CATCHES = 9.0  # pixels from a tip
WAYS = {"X": ("side", "other-side"), "Y": ("top", "bottom"), "Z": ("front", "back")}  # seen from its end, and from behind


@dataclass(frozen=True)
class Needle:
    """One half of an axis: the way to look from its end, where that is, and how near it is to the viewer, -1…1."""

    way: str
    letter: str
    axis: int
    tip: QPointF
    near: float


def middle_of(view: Canvas) -> QPointF:
    return QPointF(view.width() - EDGE, view.height() - EDGE)


def needles(view: Canvas) -> list[Needle]:
    """All halves, the farthest first; none where the compass is not shown."""
    if not view.doc.seeing.compass or not view.doc.scene.objects:
        return []
    axes, middle, out = view.camera.axes(), middle_of(view), []
    for number, (letter, ways) in enumerate(WAYS.items()):
        across, up, near = axes[:, number]
        for sign, way in zip((1, -1), ways, strict=True):
            tip = middle + QPointF(sign * across * TIP, -sign * up * TIP)
            out.append(Needle(way, letter if sign > 0 else "", number, tip, float(sign * near)))
    return sorted(out, key=lambda needle: needle.near)


def on_compass(view: Canvas, at: QPointF) -> bool:
    away = at - middle_of(view)
    return bool(needles(view)) and float(np.hypot(away.x(), away.y())) <= RADIUS


def tip_under(view: Canvas, at: QPointF) -> Needle | None:
    """The needle whose tip lies under a pixel, the nearest to the viewer."""
    near = [n for n in needles(view) if np.hypot(n.tip.x() - at.x(), n.tip.y() - at.y()) <= CATCHES]
    return near[-1] if near else None


def paint_compass(view: Canvas, painter: QPainter) -> None:
    halves, palette, middle = needles(view), view.palette_, middle_of(view)
    if not halves:
        return
    held = tip_under(view, view.pointer)
    rim = QColor(palette.quiet)
    rim.setAlpha(120 if on_compass(view, view.pointer) else 50)
    painter.setPen(QPen(rim, 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawEllipse(middle, RADIUS, RADIUS)
    for needle in halves:
        colour = QColor(palette.primary if needle == held else palette.axes[needle.axis])
        way = needle.tip - middle
        long = max(float(np.hypot(way.x(), way.y())), 1e-6)
        side = QPointF(-way.y(), way.x()) * (WIDE / long)
        painter.setPen(QPen(colour, 1))
        painter.setBrush(colour if needle.letter or needle == held else QColor(palette.raised))
        painter.drawPolygon(QPolygonF([middle + side, needle.tip, middle - side]))
        if needle.letter:
            paint_letters(view, painter, needle.tip + way * (8 / long), needle.letter)


class TurnByCompass(Gesture):
    """A drag turns the view; a click on a tip looks from there."""

    def __init__(self, view: Canvas, event: QMouseEvent) -> None:
        self.view, self.press, self.began = view, event.position(), view.camera
        self.last, self.far = self.press, False

    def move(self, event: QMouseEvent) -> None:
        at = event.position()
        self.far = self.far or (at - self.press).manhattanLength() > 3
        if self.far:
            self._turn(self.view.camera.turned(at.x() - self.last.x(), at.y() - self.last.y()))
        self.last = at

    def end(self, event: QMouseEvent) -> None:
        needle = tip_under(self.view, self.press)
        if not self.far and needle is not None:
            self.view.eye.look(needle.way)

    def cancel(self) -> None:
        if self.far:
            self._turn(self.began)

    def _turn(self, camera: Camera) -> None:
        if not self.view.eye.looks_through():  # the scene's camera is turned by the right button, as an edit
            self.view.eye.own = camera
