"""What is painted over the view's picture: labels, handles, brush, the line of a pick, paths, numbers, the frame."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPen, QPolygonF

from fictilis.app.view.canvas import Canvas
from fictilis.app.view.compass import EDGE, needles, on_compass, paint_compass
from fictilis.app.view.drawing import NOTE
from fictilis.app.view.front import paint_front
from fictilis.app.view.ground import paint_numbers
from fictilis.app.view.handles import paint_handles, paint_snap
from fictilis.app.view.joints import paint_joints
from fictilis.app.view.motion import MOST_PATHS, paint_motion
from fictilis.app.view.tools import TOOLS, Bench
from fictilis.app.widgets.theme import Palette, font
from fictilis.core.at_frame.copies import first_matrix
from fictilis.core.at_frame.paths import points_over_weights
from fictilis.core.at_frame.pose import Pose
from fictilis.core.ground.affine import placed
from fictilis.core.ground.errors import there
from fictilis.core.mix.shapes import some_points
from fictilis.render.stage import ALONE, LINE_UP, StageItem

FRAME = 3
PATH_STEPS = 49
NAME_ACROSS, NAME_DOWN = 60, 30  # pixels from shape to shape of a Line-up that their names need
Labels = list[tuple[StageItem, QRectF]]


def divider_x(view: Canvas) -> float:
    return round(view.divider * view.width())


def paint_over(view: Canvas, painter: QPainter) -> None:
    doc = view.doc
    painter.setFont(font(12.5))
    if doc.way == LINE_UP:
        paint_labels(view, painter)
    if doc.seeing.before:
        _paint_divider(view, painter)
    if doc.seeing.paths and doc.way != LINE_UP:
        _paint_paths(view, painter)
    if doc.seeing.motion and doc.way != LINE_UP:
        paint_motion(view, painter)
    paint_numbers(view, painter)
    paint_front(view, painter)
    paint_joints(view, painter)
    if view.eye.looks_through():
        _paint_camera(view, painter)
    if view.strokes.on or not on_compass(view, view.pointer):
        _paint_tool(view, painter)
    if view.strokes.snap is not None:
        paint_snap(view, painter, view.strokes.snap)
    if view.strokes.line is not None:
        _paint_line(view, painter)
    if doc.seeing.numbers and view.seen is not None and not view.turning.on:
        _paint_numbers(view, painter)
    if view.dressing.legend is not None:
        _paint_legend(view, painter)
    paint_compass(view, painter)
    view.turning.paint(painter)
    if view.drawing.on:
        view.drawing.paint(painter)
        _paint_note(view, painter, NOTE)
    view.measuring.paint(painter)
    if view.clicks.on:
        _paint_note(view, painter, view.clicks.note)
    if doc.shaping is not None or doc.rehearsing:
        painter.setPen(QPen(QColor(view.palette_.rehearse if doc.rehearsing else view.palette_.primary), FRAME))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        half = FRAME / 2
        painter.drawRect(QRectF(view.rect()).adjusted(half, half, -half, -half))


def _paint_tool(view: Canvas, painter: QPainter) -> None:
    """The handles of the pick, or what the brush would take."""
    doc, shaped = view.doc, view.shaped_item()
    if shaped is None:
        return
    family = TOOLS[doc.tools.tool].family
    if family == "handles" and len(doc.pick()):
        paint_handles(view, painter, view.bench(shaped))
    if view.pointer.x() < 0 or view.turning.on:
        return
    if family == "brush":
        _paint_brush(view, painter, view.bench(shaped))
    elif family == "pick" and doc.tools.pick_way == "Brush" and view.strokes.line is None:
        _paint_ring(painter, view.pointer, doc.tools.size_px, QColor(view.palette_.picked))


def paint_labels(view: Canvas, painter: QPainter) -> None:
    """The names of a Line-up's shapes; where these stand too close, of the shaped one and of what the pointer is on."""
    p, labels = view.palette_, view.label_rects()
    across, down = _spacing(view, [item for item, _ in labels])
    under = label_under(labels, view.pointer)
    crowded = across < NAME_ACROSS or down < NAME_DOWN
    for item, rect in labels:
        chosen, named = item.shaped, under is not None and item is under
        if crowded and not chosen and not named:
            continue
        if chosen:
            painter.setPen(QPen(QColor(p.primary), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(rect.adjusted(-8, -8, 8, 24), 7, 7)
        painter.setFont(font(12, 600 if chosen else 500))
        wide = 160.0 if crowded else max(min(rect.width() + 30, across - 6), 40)
        text = painter.fontMetrics().elidedText(item.label, Qt.TextElideMode.ElideMiddle, int(wide))
        place = QRectF(rect.center().x() - wide / 2, rect.bottom() + 2, wide, 18)
        if crowded:
            wide = painter.fontMetrics().horizontalAdvance(text) + 14
            place = QRectF(min(max(rect.center().x() - wide / 2, 4), view.width() - wide - 4), rect.bottom() + 4, wide, 21)
            _box(painter, p, place)
        painter.setPen(QColor(p.primary if chosen else p.text))
        painter.drawText(place, Qt.AlignmentFlag.AlignCenter, text)


def label_under(labels: Labels, at: QPointF) -> StageItem | None:
    """The shape whose label, or place in the picture, is nearest to a pixel among those that it is on."""
    on = [(item, rect.center()) for item, rect in labels if rect.adjusted(-6, -6, 6, 22).contains(at)]
    return min(on, key=lambda pair: abs(pair[1].x() - at.x()) + abs(pair[1].y() - at.y()))[0] if on else None


def _spacing(view: Canvas, items: list[StageItem]) -> tuple[float, float]:
    """How many pixels the shapes of a Line-up stand apart in their rows, and the rows."""
    if len(items) < 2:
        return np.inf, np.inf
    origins, _ = view.camera.project(np.array([item.matrix[:3, 3] for item in items]), view.width(), view.height())
    across, down = np.abs(np.diff(origins, axis=0)).T
    same = down < 1
    return float(across.min(where=same & (across > 1), initial=np.inf)), float(down.min(where=~same, initial=np.inf))


def _paint_ring(painter: QPainter, at: QPointF, radius: float, colour: QColor) -> None:
    painter.setPen(QPen(colour, 1.5))
    colour.setAlpha(26)
    painter.setBrush(colour)
    painter.drawEllipse(at, radius, radius)


def _paint_brush(view: Canvas, painter: QPainter, bench: Bench) -> None:
    radius = brush_pixels(view, bench)
    _paint_ring(painter, view.pointer, radius, QColor(view.palette_.primary))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(view.palette_.primary), 1, Qt.PenStyle.DotLine))
    inner = radius * view.doc.tools.strength
    painter.drawEllipse(view.pointer, inner, inner)


def brush_pixels(view: Canvas, bench: Bench) -> float:
    """The brush's radius on the screen, at the depth of the view's centre."""
    tools = view.doc.tools
    if tools.in_px:
        return tools.size_px
    return float(min(tools.size / max(bench.unit(np.array(view.camera.centre)), 1e-9), 4000))


def _paint_line(view: Canvas, painter: QPainter) -> None:
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


def _paint_note(view: Canvas, painter: QPainter, text: str) -> None:
    painter.setFont(font(13, 500))
    flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
    room = QRectF(0, 0, min(painter.fontMetrics().horizontalAdvance(text) + 2, view.width() - 48), 400)
    needed = painter.boundingRect(room, int(flags), text)
    wide, high = needed.width() + 24, needed.height() + 12
    rect = QRectF((view.width() - wide) / 2, view.height() - 26 - high, wide, high)
    _box(painter, view.palette_, rect)
    painter.drawText(rect, int(flags), text)


def _paint_legend(view: Canvas, painter: QPainter) -> None:
    """What the colours mean, at the lower right."""
    legend, p = there(view.dressing.legend), view.palette_
    painter.setFont(font(11.5, 500))
    wide = max(painter.fontMetrics().horizontalAdvance(legend.title) + 22, 178 if legend.colours else 0)
    high = 54 if legend.colours else 28
    beside = 2 * EDGE - 14 if needles(view) else 0
    rect = QRectF(view.width() - wide - 14 - beside, view.height() - high - 14, wide, high)
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


def _paint_divider(view: Canvas, painter: QPainter) -> None:
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


def _paint_paths(view: Canvas, painter: QPainter) -> None:
    """The ways of picked points, else of the one under the pointer, through the weights of the selected target."""
    doc, obj, target = view.doc, view.doc.object, view.doc.target
    if obj is None or target is None:
        return
    indices = doc.picks()[:MOST_PATHS]
    if not len(indices):
        if view.seen is None or view.seen.item.obj.id != obj.id:
            return
        indices = np.array([view.seen.point])
    now = doc.channels.weights(obj) if doc.way != ALONE else {target.id: 1.0}
    stages = [s.at for s in target.in_betweens]
    line = np.linspace(*target.range, PATH_STEPS)
    marks = np.array([0.0, *stages, 1.0, now[target.id]])
    pose = Pose(doc.scene, obj, doc.frame, doc.state.posed) if doc.way != ALONE else None
    ways = points_over_weights(obj, indices, target.id, np.concatenate([line, marks]), now, pose)
    matrix = first_matrix(doc.scene, obj, doc.frame, doc.state.posed)
    flat = placed(ways.reshape(-1, 3), matrix)
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


def _paint_camera(view: Canvas, painter: QPainter) -> None:
    """Says that the view is a camera's, at the lower left."""
    painter.setFont(font(12, 600))
    text = f"Through {there(view.doc.scene.camera).name}"
    rect = QRectF(14, view.height() - 38, painter.fontMetrics().horizontalAdvance(text) + 22, 24)
    _box(painter, view.palette_, rect)
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)


def _paint_numbers(view: Canvas, painter: QPainter) -> None:
    """The point under the pointer: its number, where it is, and how far it is from the base."""
    seen, p = there(view.seen), view.palette_
    item = seen.item
    if seen.point >= len(item.points):
        return
    here, mixed, base = item.points[seen.point], item.points[seen.point], item.obj.base[seen.point]
    if not item.plain and item.shares is not None:  # how far its mix is, whatever comes after
        mixed = some_points(item.obj, np.array([seen.point]), item.shares[:, None])[0, 0]
    lines = (
        f"Point {seen.point:,} of {item.obj.name}",
        "  ".join(f"{axis} {value:.2f}" for axis, value in zip("XYZ", here, strict=True)) + " cm",
        f"{float(np.linalg.norm(mixed - base)):.2f} cm from the base",
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
