"""How the lanes are painted: the ruler and the curves once, heads and playhead for every frame."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from fictilis.app.cards import bar_part
from fictilis.app.theme import font, mix
from fictilis.core.animation.curve import Key
from fictilis.core.edits.keys import KeyRef

if TYPE_CHECKING:
    from fictilis.app.lane_place import LanePlace
    from fictilis.app.lanes import Lanes

RULER, HEAD = 24, 222
BEAD = 4.5


def backdrop(lanes: Lanes) -> QPixmap:
    """The ruler and the bodies of the lanes in sight."""
    p, port = lanes.palette_, lanes.viewport()
    ratio = port.devicePixelRatioF()
    out = QPixmap(round(port.width() * ratio), round(port.height() * ratio))
    out.setDevicePixelRatio(ratio)
    painter = QPainter(out)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.fillRect(port.rect(), QColor(p.panel))
    painter.fillRect(QRectF(HEAD, 0, port.width() - HEAD, port.height()), QColor(p.lane_body))
    if not lanes.places():
        painter.setPen(QColor(p.quiet))
        painter.setFont(font(12.5))
        obj = lanes.doc.object
        text = "" if obj is None else "Each target has its lane here. Ctrl+T makes a target."
        if obj is not None and obj.targets:
            text = f"None of the {len(obj.targets)} lanes is {lanes.doc.lanes_shown}."
        painter.drawText(QRectF(HEAD, RULER, port.width() - HEAD, 60), Qt.AlignmentFlag.AlignCenter, text)
    for place in _in_sight(lanes):
        _body(lanes, painter, place)
    _outside(lanes, painter)
    _ruler(lanes, painter)
    _band(lanes, painter)
    painter.fillRect(QRectF(0, 0, HEAD - 1, port.height()), QColor(p.panel))
    painter.setPen(QColor(p.line))
    painter.drawLine(QPointF(0, RULER - 0.5), QPointF(HEAD, RULER - 0.5))
    painter.drawLine(QPointF(HEAD - 0.5, 0), QPointF(HEAD - 0.5, port.height()))
    painter.end()
    return out


def _in_sight(lanes: Lanes) -> list[LanePlace]:
    height = lanes.viewport().height()
    return [p for p in lanes.places() if p.body.bottom() > RULER and p.body.top() < height]


def heads(lanes: Lanes, painter: QPainter) -> None:
    """Names, sliders, values and key dots, as they are at this frame."""
    p, obj = lanes.palette_, lanes.doc.object
    weights = lanes.doc.weights(obj) if obj else {}
    painter.save()
    painter.setClipRect(QRectF(0, RULER, HEAD - 1, lanes.viewport().height()))
    for place in _in_sight(lanes):
        if place.target.id in lanes.doc.selected:
            painter.fillRect(place.head, QColor(p.chosen))
        painter.setPen(QColor(p.line))
        painter.drawLine(place.head.bottomLeft(), place.head.bottomRight())
        _head(lanes, painter, place, weights[place.target.id], QColor(p.lane(place.target.colour)))
    painter.restore()


def box(lanes: Lanes, painter: QPainter, rect: QRectF) -> None:
    colour = QColor(lanes.palette_.primary)
    painter.setPen(QPen(colour, 1, Qt.PenStyle.DashLine))
    colour.setAlpha(30)
    painter.setBrush(colour)
    painter.drawRect(rect)


def _outside(lanes: Lanes, painter: QPainter) -> None:
    """A veil over what lies outside of the range."""
    port, scene = lanes.viewport(), lanes.doc.scene
    veil = QColor(lanes.palette_.ground)
    veil.setAlpha(150)
    first, last = lanes.x(scene.start), lanes.x(scene.end)
    if lanes.span is not None and first > HEAD:
        painter.fillRect(QRectF(HEAD, RULER, first - HEAD, port.height()), veil)
    if lanes.span is not None and last < port.width():
        painter.fillRect(QRectF(last, RULER, port.width() - last, port.height()), veil)


def _band(lanes: Lanes, painter: QPainter) -> None:
    """Retime's band: its body shifts, its ends scale."""
    places = lanes.band_places()
    if places is None:
        return
    first, body, last = places
    colour = QColor(lanes.palette_.primary)
    soft = QColor(colour)
    soft.setAlpha(26)
    painter.fillRect(QRectF(body.left(), RULER, body.width(), lanes.viewport().height()), soft)
    soft.setAlpha(120)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(soft)
    painter.drawRoundedRect(body, 4, 4)
    painter.setBrush(colour)
    for end in (first, last):
        painter.drawRoundedRect(end, 4, 4)


def _ruler(lanes: Lanes, painter: QPainter) -> None:
    p = lanes.palette_
    painter.fillRect(QRectF(0, 0, lanes.viewport().width(), RULER), QColor(p.panel))
    painter.fillRect(QRectF(HEAD, 0, lanes.viewport().width() - HEAD, RULER), QColor(p.ground))
    left, right = lanes.x_range()
    painter.fillRect(QRectF(left, RULER - 4, right - left, 4), QColor(mix(p.line, p.ground, 0.25)))
    painter.setFont(font(11))
    step, labels = lanes.ticks()
    minor = step / 4 if step % 4 == 0 else step / 3 if step % 3 == 0 else step
    for frame in labels:
        painter.setPen(QColor(p.quiet))
        x = lanes.x(frame)
        painter.drawLine(QPointF(x, 8), QPointF(x, RULER))
        painter.drawText(QRectF(x + 4, 2, 60, 15), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, str(frame))
        painter.setPen(QColor(p.line))
        for part in range(1, round(step / minor)):
            mark = lanes.x(frame + part * minor)
            if mark <= right:
                painter.drawLine(QPointF(mark, RULER - 8), QPointF(mark, RULER - 4))
    painter.setPen(QColor(p.line))
    painter.drawLine(QPointF(0, RULER - 0.5), QPointF(lanes.viewport().width(), RULER - 0.5))


def playhead(lanes: Lanes, painter: QPainter) -> None:
    x = lanes.x(lanes.doc.frame)
    if x < HEAD - 1:
        return
    colour = QColor(lanes.palette_.text)
    painter.setPen(QPen(colour, 1.6))
    painter.drawLine(QPointF(x, 4), QPointF(x, lanes.viewport().height()))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    painter.drawPolygon([QPointF(x - 7, 1), QPointF(x + 7, 1), QPointF(x + 7, 11), QPointF(x, 18), QPointF(x - 7, 11)])


def _body(lanes: Lanes, painter: QPainter, place: LanePlace) -> None:
    p, target = lanes.palette_, place.target
    painter.setPen(QColor(p.line))
    painter.drawLine(place.body.bottomLeft(), place.body.bottomRight())
    colour = QColor(p.lane(target.colour))
    painter.save()
    painter.setClipRect(place.body)
    if target.id in lanes.open:
        _scale(lanes, painter, place)
    if place.curve is not None:
        _curve(lanes, painter, place, colour)
    else:
        painter.setPen(QPen(colour, 1, Qt.PenStyle.DotLine))
        y = place.y(target.weight)
        painter.drawLine(QPointF(place.body.left(), y), QPointF(place.body.right(), y))
    painter.restore()


def _scale(lanes: Lanes, painter: QPainter, place: LanePlace) -> None:
    p = lanes.palette_
    painter.setFont(font(10.5))
    for part in (0.0, 0.5, 1.0):
        value = place.low + part * (place.high - place.low)
        y = place.y(value)
        painter.setPen(QColor(p.line))
        painter.drawLine(QPointF(place.body.left(), y), QPointF(place.body.right(), y))
        painter.setPen(QColor(p.quiet))
        above = y - 13 > place.body.top()
        rect = QRectF(place.body.left() + 2, y - 13 if above else y + 1, 30, 12)
        painter.drawText(rect, Qt.AlignmentFlag.AlignRight, f"{value:.2f}")


def _head(lanes: Lanes, painter: QPainter, place: LanePlace, weight: float, colour: QColor) -> None:
    p, target = lanes.palette_, place.target
    painter.setPen(QPen(QColor(p.quiet), 1.4))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    c, d = place.caret.center(), 3.0
    if target.id in lanes.open:
        painter.drawPolyline(
            [QPointF(c.x() - d, c.y() - d / 2), QPointF(c.x(), c.y() + d / 2), QPointF(c.x() + d, c.y() - d / 2)]
        )
    else:
        painter.drawPolyline(
            [QPointF(c.x() - d / 2, c.y() - d), QPointF(c.x() + d / 2, c.y()), QPointF(c.x() - d / 2, c.y() + d)]
        )
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    painter.drawEllipse(QPointF(place.head.left() + 24, place.head.center().y()), 4.5, 4.5)
    painter.setFont(font(12.5, 500))
    painter.setPen(QColor(p.quiet if target.muted else p.text))
    name = painter.fontMetrics().elidedText(target.name, Qt.TextElideMode.ElideRight, int(place.name.width()))
    painter.drawText(place.name, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
    _slider(lanes, painter, place, weight, colour)
    painter.setFont(font(12.5))
    painter.setPen(QColor(p.text))
    painter.drawText(place.number, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{weight:.2f}")
    _dot(lanes, painter, place, colour)


def _slider(lanes: Lanes, painter: QPainter, place: LanePlace, weight: float, colour: QColor) -> None:
    p, rect = lanes.palette_, place.slider
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(p.line if place.target.id in lanes.doc.selected else p.track))
    painter.drawRoundedRect(rect, 2, 2)
    zero, here = (min(max(bar_part(place.target, w), 0.0), 1.0) for w in (0.0, weight))
    left, right = sorted((zero, here))
    painter.setBrush(colour)
    painter.drawRoundedRect(QRectF(rect.left() + left * rect.width(), rect.top(), (right - left) * rect.width(), 4), 2, 2)
    painter.setPen(QPen(QColor(p.text), 1.2))
    painter.setBrush(QColor(p.raised))
    painter.drawEllipse(QPointF(rect.left() + here * rect.width(), rect.center().y()), 5.5, 5.5)


def _dot(lanes: Lanes, painter: QPainter, place: LanePlace, colour: QColor) -> None:
    state, centre = lanes.dot_state(place), place.dot.center()
    painter.setBrush(colour if state == "here" else Qt.BrushStyle.NoBrush)
    faint = QColor(lanes.palette_.line)
    style = Qt.PenStyle.DashLine if state == "posed" else Qt.PenStyle.SolidLine
    pen = QPen(QColor(lanes.palette_.auto_key) if state == "posed" else faint if state == "none" else colour, 1.6, style)
    if state == "posed":
        pen.setDashPattern([1.6, 1.4])
    painter.setPen(pen)
    painter.drawEllipse(centre, 5.5, 5.5)


def _curve(lanes: Lanes, painter: QPainter, place: LanePlace, colour: QColor) -> None:
    curve = place.curve
    left, right = place.body.left(), place.body.right()
    first, last = lanes.frame_at(left), lanes.frame_at(right)
    keyed = np.array([k.frame for k in curve.keys])
    # a step needs the value just before it too
    frames = np.linspace(first, last, int(right - left) // 2 + 2)
    frames = np.sort(np.concatenate([frames, keyed, keyed - 1e-6]))
    xs = left + (frames - first) / (last - first) * (right - left)
    ys = place.y(curve.evaluate(frames))
    points = [QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]
    area = QPainterPath()
    area.addPolygon(QPolygonF(points))
    zero = place.y(min(max(0.0, place.low), place.high))
    area.lineTo(points[-1].x(), zero)
    area.lineTo(points[0].x(), zero)
    fill = QColor(colour)
    fill.setAlpha(40)
    painter.fillPath(area, fill)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    inside = np.flatnonzero((frames >= keyed[0]) & (frames <= keyed[-1]))
    faint = QColor(colour)
    faint.setAlpha(110)
    low, high = (inside[0], inside[-1]) if len(inside) else (len(points), len(points))
    for pen, part in ((QPen(faint, 1.4), points[: low + 1]), (QPen(colour, 1.8), points[low : high + 1]),
                      (QPen(faint, 1.4), points[high:])):  # fmt: skip
        if len(part) > 1:
            painter.setPen(pen)
            painter.drawPolyline(QPolygonF(part))
    lane = lanes.doc.object.lane(place.target.id)
    if lane is not None and any(m.on and m.amount for m in lane.modifiers):
        moved = place.y(lane.values(frames, lanes.doc.scene.fps))
        painter.setPen(QPen(QColor(lanes.palette_.text), 1))
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in zip(xs.tolist(), moved.tolist(), strict=True)]))
    for a, b in zip(curve.keys, curve.keys[1:], strict=False):
        if curve.is_still(a.frame, b.frame - 1e-6):
            painter.setPen(QPen(colour, 3.6, cap=Qt.PenCapStyle.FlatCap))
            painter.drawLine(QPointF(lanes.x(a.frame), place.y(a.value)), QPointF(lanes.x(b.frame), place.y(a.value)))
    _handles(lanes, painter, place, colour)
    for key in curve.keys:
        _bead(lanes, painter, place, key, colour)


def _handles(lanes: Lanes, painter: QPainter, place: LanePlace, colour: QColor) -> None:
    """The handles of selected keys in an open lane: a line and a small square at its end."""
    for ref, _, at, end in lanes.handles():
        if ref.target != place.target.id:
            continue
        painter.setPen(QPen(QColor(lanes.palette_.text), 1))
        painter.drawLine(at, end)
        painter.setPen(QPen(colour, 1.6))
        painter.setBrush(QColor(lanes.palette_.raised))
        painter.drawRect(QRectF(end.x() - 3.5, end.y() - 3.5, 7, 7))


def _bead(lanes: Lanes, painter: QPainter, place: LanePlace, key: Key, colour: QColor) -> None:
    chosen = KeyRef(lanes.doc.object_id, place.target.id, key.frame) in lanes.doc.keys
    at = QPointF(lanes.x(key.frame), place.y(key.value))
    if chosen:
        painter.setBrush(QColor(lanes.palette_.raised))
        painter.setPen(QPen(colour, 2.4))
        painter.drawEllipse(at, BEAD + 1.2, BEAD + 1.2)
    else:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawEllipse(at, BEAD, BEAD)
