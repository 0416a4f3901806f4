"""Handles as they are painted over the picture: cones, blocks and arcs, each with its letter beside it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from fictilis.app.view.canvas import Canvas, Turned
from fictilis.app.view.tools import Bench
from fictilis.app.view.tools.bench import Snap
from fictilis.app.view.tools.handling import HANDLE, handle_ends, handle_under
from fictilis.app.widgets.theme import font

TURN_GAP = 3.0  # pixels that the line of an arc stops before its middle
LETTER = 21  # pixels from a handle's end to the letter beside it


def paint_handles(view: Canvas, painter: QPainter, bench: Bench) -> None:
    """Cones to move by, blocks to scale by, arcs to turn by; the letter of the axis beside each."""
    ends = handle_ends(bench)
    held, under = handle_under(bench, view.pointer.x(), view.pointer.y())
    if view.strokes.on:
        held, under = True, view.strokes.held_axis
    middle = QPointF(*ends[None])
    paint_end = {"move": _paint_cone, "scale": _paint_block, "rotate": _paint_arc}[view.doc.tools.tool]
    for axis in (0, 1, 2):
        colour = QColor(view.palette_.axes[axis])
        end = QPointF(*ends[axis])
        thick = 3.0 if held and under == axis else 2.0
        painter.setPen(QPen(colour, thick))
        short = TURN_GAP if paint_end is _paint_arc else 0.0
        away = end - middle
        length = max(float(np.hypot(away.x(), away.y())), 1e-6)
        painter.drawLine(middle, middle + away * max(1 - short / length, 0.0))
        paint_end(painter, bench, axis, end, colour, thick)
        letter = end + (away / length if length > 8 else QPointF(0.7, -0.7)) * LETTER
        paint_letters(view, painter, letter, bench.axis_names[axis])
    painter.setPen(QPen(QColor(view.palette_.text), 2.0 if held and under is None else 1.5))
    painter.setBrush(QColor(view.palette_.raised))
    painter.drawEllipse(middle, 5, 5)


def paint_snap(view: Canvas, painter: QPainter, snap: Snap) -> None:
    """A square around the place that a move snapped to, and what it is."""
    pixel = view.camera.project(snap.place[None], view.width(), view.height())[0][0]
    at = QPointF(*pixel)
    painter.setPen(QPen(QColor(view.palette_.picked), 2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(QRectF(at.x() - 7, at.y() - 7, 14, 14))
    paint_letters(view, painter, at + QPointF(0, 20), snap.said, quiet=False)


def paint_letters(view: Turned, painter: QPainter, at: QPointF, text: str, quiet: bool = True) -> None:
    """Text around a place, quiet or not, with a rim of a panel's colour, so that it is read over the clay too."""
    path, face = QPainterPath(), font(12, 500)
    path.addText(0, 0, face, text)
    path.translate(at - path.boundingRect().center())
    rim = QColor(view.palette_.raised)
    rim.setAlpha(200 if quiet else 235)
    painter.strokePath(path, QPen(rim, 3.0, join=Qt.PenJoinStyle.RoundJoin))
    painter.fillPath(path, QColor(view.palette_.quiet if quiet else view.palette_.text))


def _paint_cone(painter: QPainter, bench: Bench, axis: int, end: QPointF, colour: QColor, _thick: float) -> None:
    """A cone as it is seen: its rim, and from the two sides of the rim to its tip."""
    turn = np.linspace(0, 2 * np.pi, 20, endpoint=False)[:, None]
    way, u, v = bench.axes[axis], bench.axes[(axis + 1) % 3], bench.axes[(axis + 2) % 3]
    rim = (HANDLE - 8) * way + 6.0 * (np.cos(turn) * u + np.sin(turn) * v)
    places = bench.about + bench.unit(bench.about) * np.concatenate([rim, [(HANDLE + 10) * way]])
    pixels, _ = bench.camera.project(places, bench.width, bench.height)
    rim, tip = pixels[:-1], pixels[-1]
    along = tip - rim.mean(axis=0)
    across = rim @ np.array([-along[1], along[0]])
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    for outline in (rim, (rim[across.argmax()], rim[across.argmin()], tip)):
        painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in outline]))


def _paint_block(painter: QPainter, _bench: Bench, _axis: int, end: QPointF, colour: QColor, _thick: float) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    painter.drawRect(QRectF(end.x() - 5.5, end.y() - 5.5, 11, 11))


def _paint_arc(painter: QPainter, bench: Bench, axis: int, end: QPointF, colour: QColor, thick: float) -> None:
    """Most of a circle around the end, open toward the pivot, with a point at its head; the line is what it turns about."""
    middle = handle_ends(bench)[None]
    back = float(np.degrees(np.arctan2(end.y() - middle[1], middle[0] - end.x())))  # counter-clockwise from the right, as Qt
    radius, start, span = 9.0, back + 50.0, 250.0
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(colour, thick + 0.5, cap=Qt.PenCapStyle.FlatCap))
    painter.drawArc(QRectF(end.x() - radius, end.y() - radius, 2 * radius, 2 * radius), round(start * 16), round(span * 16))
    head = np.radians(start + span)
    out, on = np.array([np.cos(head), -np.sin(head)]), np.array([-np.sin(head), -np.cos(head)])
    at = np.array([end.x(), end.y()]) + radius * out
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    painter.drawPolygon(QPolygonF([QPointF(*p) for p in (at + 5 * out, at - 5 * out, at + 7.5 * on)]))
