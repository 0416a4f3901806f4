"""What is painted over the view's picture: labels, handles, brush, the line of a pick, paths, numbers, the frame."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPainterPath, QPen, QPolygonF

from fictilis.app.view.tools import TOOLS, Bench
from fictilis.app.view.tools.handles import HANDLE, handle_ends, handle_under
from fictilis.app.widgets.theme import Palette, font
from fictilis.core.channels import stand_at
from fictilis.core.evaluate import point_paths, points_over
from fictilis.render.stage import ALONE, LINE_UP

if TYPE_CHECKING:
    from fictilis.app.view.view import View

FRAME = 3
TURN_GAP = 3.0  # pixels that the line of an arc stops before its middle
LETTER = 21  # pixels from a handle's end to the letter beside it
PATH_STEPS = 49
MOST_PATHS = 24
MOST_STEPS = 2000  # places on a motion path


def divider_x(view: View) -> float:
    return round(view.divider * view.width())


def paint_over(view: View, painter: QPainter) -> None:
    doc = view.doc
    painter.setFont(font(12.5))
    if not doc.scene.objects:
        painter.setPen(QColor(view.palette_.text))
        text = "Nothing here yet.\nCtrl+N makes a simple form or takes a mesh file."
        painter.drawText(view.rect(), Qt.AlignmentFlag.AlignCenter, text)
    if doc.way == LINE_UP:
        paint_labels(view, painter)
    if doc.seeing.before:
        _paint_divider(view, painter)
    if doc.seeing.paths and doc.way != LINE_UP:
        _paint_paths(view, painter)
    if doc.seeing.motion and doc.way != LINE_UP:
        _paint_motion(view, painter)
    if view.looks_through():
        _paint_camera(view, painter)
    shaped = view.shaped_item()
    family = TOOLS[doc.tools.tool].family
    if shaped is not None and family == "handles" and len(doc.pick()):
        _paint_handles(view, painter, view.bench(shaped))
    if shaped is not None and view.pointer.x() >= 0 and view.navigating is None:
        if family == "brush":
            _paint_brush(view, painter, view.bench(shaped))
        elif family == "pick" and doc.tools.pick_way == "Brush" and view.strokes.line is None:
            _paint_ring(painter, view.pointer, doc.tools.size_px, QColor(view.palette_.picked))
    if view.strokes.line is not None:
        _paint_line(view, painter)
    if doc.seeing.numbers and view.seen is not None and view.navigating is None:
        _paint_numbers(view, painter)
    if view.dressing.legend is not None:
        _paint_legend(view, painter)
    if view.placing_pivot:
        _paint_note(view, painter, "Click a point to put the pivot on it")
    if doc.shaping is not None:
        painter.setPen(QPen(QColor(view.palette_.primary), FRAME))
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


def _paint_handles(view: View, painter: QPainter, bench: Bench) -> None:
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
        _paint_letter(view, painter, letter, bench.axis_names[axis])
    painter.setPen(QPen(QColor(view.palette_.text), 2.0 if held and under is None else 1.5))
    painter.setBrush(QColor(view.palette_.raised))
    painter.drawEllipse(middle, 5, 5)


def _paint_letter(view: View, painter: QPainter, at: QPointF, letter: str) -> None:
    """Quiet text with a rim of the ground's colour, so that it is read over the clay too."""
    path, face = QPainterPath(), font(12, 500)
    path.addText(0, 0, face, letter)
    path.translate(at - path.boundingRect().center())
    rim = QColor(view.palette_.raised)
    rim.setAlpha(200)
    painter.strokePath(path, QPen(rim, 3.0, join=Qt.PenJoinStyle.RoundJoin))
    painter.fillPath(path, QColor(view.palette_.quiet))


def _paint_cone(painter: QPainter, bench: Bench, axis: int, end: QPointF, colour: QColor, _thick: float) -> None:
    """A cone as it is seen: its rim, and from the two sides of the rim to its tip."""
    turn = np.linspace(0, 2 * np.pi, 20, endpoint=False)[:, None]
    way, u, v = bench.axes[axis], bench.axes[(axis + 1) % 3], bench.axes[(axis + 2) % 3]
    rim = (HANDLE - 8) * way + 6.0 * (np.cos(turn) * u + np.sin(turn) * v)
    places = bench.pivot + bench.unit(bench.pivot) * np.concatenate([rim, [(HANDLE + 10) * way]])
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


def _paint_ring(painter: QPainter, at: QPointF, radius: float, colour: QColor) -> None:
    painter.setPen(QPen(colour, 1.5))
    colour.setAlpha(26)
    painter.setBrush(colour)
    painter.drawEllipse(at, radius, radius)


def _paint_brush(view: View, painter: QPainter, bench: Bench) -> None:
    radius = brush_pixels(view, bench)
    _paint_ring(painter, view.pointer, radius, QColor(view.palette_.primary))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(view.palette_.primary), 1, Qt.PenStyle.DotLine))
    inner = radius * view.doc.tools.strength
    painter.drawEllipse(view.pointer, inner, inner)


def brush_pixels(view: View, bench: Bench) -> float:
    """The brush's radius on the screen, at the depth of the view's centre."""
    tools = view.doc.tools
    if tools.in_px:
        return tools.size_px
    return float(min(tools.size / max(bench.unit(np.array(view.camera.centre)), 1e-9), 4000))


def _paint_line(view: View, painter: QPainter) -> None:
    colour = QColor(view.palette_.picked)
    painter.setPen(QPen(colour, 1, Qt.PenStyle.DashLine))
    colour.setAlpha(28)
    painter.setBrush(colour)
    painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in view.strokes.line]))


def _box(painter: QPainter, palette: Palette, rect: QRectF) -> None:
    painter.setPen(QPen(QColor(palette.line), 1))
    painter.setBrush(QColor(palette.raised))
    painter.drawRoundedRect(rect, 7, 7)
    painter.setPen(QColor(palette.text))


def _paint_note(view: View, painter: QPainter, text: str) -> None:
    painter.setFont(font(13, 500))
    wide = painter.fontMetrics().horizontalAdvance(text) + 24
    rect = QRectF((view.width() - wide) / 2, view.height() - 56, wide, 30)
    _box(painter, view.palette_, rect)
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)


def _paint_legend(view: View, painter: QPainter) -> None:
    """What the colours mean, at the lower right."""
    legend, p = view.dressing.legend, view.palette_
    painter.setFont(font(11.5, 500))
    wide = max(painter.fontMetrics().horizontalAdvance(legend.title) + 22, 178 if legend.colours else 0)
    high = 54 if legend.colours else 28
    rect = QRectF(view.width() - wide - 14, view.height() - high - 14, wide, high)
    _box(painter, p, rect)
    painter.drawText(QRectF(rect.left() + 11, rect.top() + 5, wide - 22, 18), Qt.AlignmentFlag.AlignVCenter, legend.title)
    if not legend.colours:
        return
    bar = QRectF(rect.left() + 11, rect.top() + 25, wide - 22, 7)
    slope = QLinearGradient(bar.topLeft(), bar.topRight())
    for k, colour in enumerate(legend.colours):
        slope.setColorAt(k / (len(legend.colours) - 1), QColor(colour))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(slope)
    painter.drawRoundedRect(bar, 3, 3)
    painter.setPen(QColor(p.quiet))
    painter.setFont(font(11))
    sides = (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignHCenter, Qt.AlignmentFlag.AlignRight)
    for side, mark in zip(sides, legend.marks, strict=False):
        painter.drawText(QRectF(bar.left(), bar.bottom() + 2, bar.width(), 16), side | Qt.AlignmentFlag.AlignVCenter, mark)


def _paint_divider(view: View, painter: QPainter) -> None:
    x, p = divider_x(view), view.palette_
    painter.setPen(QPen(QColor(p.primary), 2))
    painter.drawLine(QPointF(x, 0), QPointF(x, view.height()))
    painter.setBrush(QColor(p.raised))
    painter.drawEllipse(QPointF(x, view.height() / 2), 8, 8)
    painter.setFont(font(12, 600))
    names = ("Before", "Now") if view.doc.shaping is not None else ("Base", "Mix")
    for name, left in ((names[0], True), (names[1], False)):
        wide = painter.fontMetrics().horizontalAdvance(name) + 18
        rect = QRectF(x - wide - 8 if left else x + 8, view.height() - 40, wide, 24)
        _box(painter, p, rect)
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, name)


def _paint_paths(view: View, painter: QPainter) -> None:
    """The ways of picked points, else of the one under the pointer, through the weights of the selected target."""
    doc, obj, target = view.doc, view.doc.object, view.doc.target
    if obj is None or target is None:
        return
    indices = doc.picks()[:MOST_PATHS]
    if not len(indices):
        if view.seen is None or view.seen.item.obj.id != obj.id:
            return
        indices = np.array([view.seen.point])
    now = doc.weights(obj) if doc.way != ALONE else {target.id: 1.0}
    stages = [s.at for s in target.in_betweens]
    line = np.linspace(*target.range, PATH_STEPS)
    marks = np.array([0.0, *stages, 1.0, now[target.id]])
    ways = point_paths(obj, indices, target.id, np.concatenate([line, marks]), now)
    matrix = stand_at(obj, doc.frame, doc.state.posed.get(obj.id), doc.scene.fps).transform.matrix()
    flat = ways.reshape(-1, 3) @ matrix[:3, :3].T + matrix[:3, 3]
    pixels = view.camera.project(flat, view.width(), view.height())[0].reshape(*ways.shape[:2], 2)
    colour = QColor(view.palette_.lane(target.colour))
    for k in range(len(indices)):
        painter.setPen(QPen(colour, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in pixels[:PATH_STEPS, k]]))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        for x, y in pixels[PATH_STEPS:-1, k]:
            painter.drawEllipse(QPointF(x, y), 3, 3)
        painter.setPen(QPen(colour, 2))
        painter.setBrush(QColor(view.palette_.raised))
        painter.drawEllipse(QPointF(*pixels[-1, k]), 5, 5)


def motion_path(view: View) -> np.ndarray | None:
    """(f, k, 3) in scene space: picked points, else the object's pivot, at every frame that is played; None without an object."""
    doc, obj = view.doc, view.doc.object
    if obj is None:
        return None
    start, end = doc.scene.span
    step = max((end - start) / MOST_STEPS, 1.0)
    frames = np.append(np.arange(start, end - 1e-9, step), end)
    indices = doc.picks()[:MOST_PATHS]
    made_of = (obj, indices.tobytes(), start, end, doc.scene.fps)
    kept = view.motion_kept
    if kept is None or kept[0][0] is not obj or kept[0][1:] != made_of[1:]:
        if len(indices):
            path = points_over(obj, indices, frames, doc.scene.fps)
        else:
            pivot = np.array([*obj.transform.pivot, 1.0])
            stands = [stand_at(obj, f, fps=doc.scene.fps).transform.matrix() for f in frames.tolist()]
            path = np.array([(m @ pivot)[:3] for m in stands])[:, None]
        view.motion_kept = kept = (made_of, path, frames)
    return kept[1]


def _paint_motion(view: View, painter: QPainter) -> None:
    """Paths over time: a dot at each frame, larger ones at keys, and where the present frame is."""
    path = motion_path(view)
    if path is None or len(path) < 2:
        return
    doc, p = view.doc, view.palette_
    frames = view.motion_kept[2]
    keys = np.array([k.frame for lane in doc.object.lanes for k in lane.curve.keys])
    at_key = np.isin(np.round(frames, 6), np.round(keys, 6))
    pixels = view.camera.project(path.reshape(-1, 3), view.width(), view.height())[0].reshape(*path.shape[:2], 2)
    colour = QColor(p.picked)
    now = int(np.argmin(np.abs(frames - doc.frame)))
    for k in range(path.shape[1]):
        row = [QPointF(x, y) for x, y in pixels[:, k].tolist()]
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 1.5))
        painter.drawPolyline(QPolygonF(row))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        for at, large in zip(row, at_key.tolist(), strict=True):
            painter.drawEllipse(at, 3.2 if large else 1.6, 3.2 if large else 1.6)
        painter.setPen(QPen(colour, 2))
        painter.setBrush(QColor(p.raised))
        painter.drawEllipse(row[now], 5, 5)


def _paint_camera(view: View, painter: QPainter) -> None:
    """Says that the view is a camera's, at the lower left."""
    painter.setFont(font(12, 600))
    text = f"Through {view.doc.scene.camera.name}"
    rect = QRectF(14, view.height() - 38, painter.fontMetrics().horizontalAdvance(text) + 22, 24)
    _box(painter, view.palette_, rect)
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)


def _paint_numbers(view: View, painter: QPainter) -> None:
    """The point under the pointer: its number, where it is, and how far it is from the base."""
    seen, p = view.seen, view.palette_
    item = seen.item
    if seen.point >= len(item.points):
        return
    here, base = item.points[seen.point], item.obj.base[seen.point]
    lines = (
        f"Point {seen.point:,} of {item.obj.name}",
        "  ".join(f"{axis} {value:.2f}" for axis, value in zip("XYZ", here, strict=True)) + " cm",
        f"{float(np.linalg.norm(here - base)):.2f} cm from the base",
    )
    painter.setFont(font(12))
    wide = max(painter.fontMetrics().horizontalAdvance(text) for text in lines) + 20
    high = 17 * len(lines) + 10
    x = min(view.pointer.x() + 18, view.width() - wide - 8)
    y = min(view.pointer.y() + 14, view.height() - high - 8)
    _box(painter, p, QRectF(x, y, wide, high))
    for k, text in enumerate(lines):
        painter.setPen(QColor(p.text if k == 0 else p.quiet))
        painter.drawText(QRectF(x + 10, y + 5 + 17 * k, wide - 20, 17), Qt.AlignmentFlag.AlignVCenter, text)
