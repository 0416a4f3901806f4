"""What is painted over the view's picture: labels, handles, brush, the box of a pick, the typed amount, the frame."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from fictilis.app.theme import font
from fictilis.app.view_tools import CHANGES, handle_ends, handle_under
from fictilis.render.stage import LINE_UP, StageItem

if TYPE_CHECKING:
    from fictilis.app.view import View

FRAME = 3


def paint_over(view: View, painter: QPainter) -> None:
    doc, p = view.doc, view.palette_
    painter.setFont(font(12.5))
    if not doc.scene.objects:
        painter.setPen(QColor(p.text))
        text = "Nothing here yet.\nCtrl+N makes a simple form or takes a mesh file."
        painter.drawText(view.rect(), Qt.AlignmentFlag.AlignCenter, text)
    if doc.way == LINE_UP:
        paint_labels(view, painter)
    shaped = view.shaped_item()
    if shaped is not None and doc.tools.tool in CHANGES and len(doc.picks()):
        paint_handles(view, painter, shaped)
    if shaped is not None and doc.tools.tool == "grab" and view.pointer.x() >= 0 and view.navigating is None:
        paint_brush(view, painter, shaped)
    if view.box is not None:
        x0, y0, x1, y1 = view.box
        colour = QColor(p.picked)
        painter.setPen(QPen(colour, 1, Qt.PenStyle.DashLine))
        colour.setAlpha(28)
        painter.setBrush(colour)
        painter.drawRect(QRectF(QPointF(x0, y0), QPointF(x1, y1)).normalized())
    if view.typing.text:
        paint_typed(view, painter)
    if doc.shaping is not None:
        painter.setPen(QPen(QColor(p.primary), FRAME))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        half = FRAME / 2
        painter.drawRect(QRectF(view.rect()).adjusted(half, half, -half, -half))


def paint_labels(view: View, painter: QPainter) -> None:
    p = view.palette_
    for item, rect in view.label_rects():
        chosen = item.shaped
        if chosen:
            painter.setPen(QPen(QColor(p.primary), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(rect.adjusted(-8, -8, 8, 24), 7, 7)
        painter.setFont(font(12, 600 if chosen else 500))
        painter.setPen(QColor(p.primary if chosen else p.text))
        wide = max(rect.width() + 30, 40)
        place = QRectF(rect.center().x() - wide / 2, rect.bottom() + 2, wide, 18)
        text = painter.fontMetrics().elidedText(item.label, Qt.TextElideMode.ElideRight, int(place.width()))
        painter.drawText(place, Qt.AlignmentFlag.AlignCenter, text)


def paint_handles(view: View, painter: QPainter, item: StageItem) -> None:
    ends = handle_ends(view.bench(item))
    held, under = handle_under(view.bench(item), view.pointer.x(), view.pointer.y())
    middle = QPointF(*ends[None])
    for axis in (0, 1, 2):
        colour = QColor(view.palette_.axes[axis])
        end = QPointF(*ends[axis])
        painter.setPen(QPen(colour, 3 if held and under == axis else 2))
        painter.drawLine(middle, end)
        painter.setBrush(colour)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawEllipse(end, 9, 9)
        painter.setPen(QColor("#FFFFFF" if not view.palette_.dark else "#171C1B"))
        painter.setFont(font(11, 600))
        painter.drawText(QRectF(end.x() - 9, end.y() - 9, 18, 18), Qt.AlignmentFlag.AlignCenter, "XYZ"[axis])
    painter.setPen(QPen(QColor(view.palette_.text), 1.5))
    painter.setBrush(QColor(view.palette_.raised))
    painter.drawEllipse(middle, 6, 6)


def paint_brush(view: View, painter: QPainter, item: StageItem) -> None:
    radius = brush_pixels(view)
    colour = QColor(view.palette_.primary)
    painter.setPen(QPen(colour, 1.5))
    colour.setAlpha(26)
    painter.setBrush(colour)
    painter.drawEllipse(view.pointer, radius, radius)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(view.palette_.primary), 1, Qt.PenStyle.DotLine))
    painter.drawEllipse(view.pointer, radius * view.doc.tools.strength, radius * view.doc.tools.strength)


def brush_pixels(view: View) -> float:
    unit = np.linalg.norm(view.camera.drag(np.array(view.camera.centre), 1.0, 0.0, view.height()))
    return float(min(view.doc.tools.size / max(unit, 1e-9), 4000))


def paint_typed(view: View, painter: QPainter) -> None:
    text = f"{view.typing.text.rstrip()} {CHANGES[view.doc.tools.tool].unit}"
    painter.setFont(font(13, 600))
    wide = painter.fontMetrics().horizontalAdvance(text) + 24
    rect = QRectF((view.width() - wide) / 2, view.height() - 56, wide, 30)
    painter.setPen(QPen(QColor(view.palette_.primary), 1))
    painter.setBrush(QColor(view.palette_.raised))
    painter.drawRoundedRect(rect, 7, 7)
    painter.setPen(QColor(view.palette_.text))
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)
