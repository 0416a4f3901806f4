"""How one lane's curve is painted: scale, fill, line, holds, snaps, what leaves the range, handles and beads."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from fictilis.app.lanes.area import LaneArea
from fictilis.app.lanes.places import LanePlace
from fictilis.app.widgets.theme import font
from fictilis.core.animation.curve import SAME_FRAME, AnimationCurve, Key
from fictilis.core.ground.arrays import cached_by_identity, recent_by_identity
from fictilis.core.ground.errors import there
from fictilis.core.mix.channels import values_at
from fictilis.core.mix.driven import with_drivers
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.scene.scene import MorphObject

BEAD = 4.5
DASHES = {"rotation": [5.0, 2.0], "scale": [1.6, 1.6]}  # the axes of all three share their colours


def value_ticks(low: float, high: float, height: float) -> tuple[list[float], int]:
    """Round values to label between ``low`` and ``high``, as many as fit, and the decimals they need."""
    wanted = (high - low) / max(height / 34, 1.0)
    power = 10.0 ** np.floor(np.log10(max(wanted, 1e-9)))
    step = next(s * power for s in (1, 2, 5, 10) if s * power >= wanted * (1 - 1e-9))
    first, last = np.ceil(low / step - 1e-6), np.floor(high / step + 1e-6)
    return (np.arange(first, last + 1) * step + 0.0).tolist(), max(0, -int(np.floor(np.log10(step) + 1e-9)))


def paint_scale(lanes: LaneArea, painter: QPainter, place: LanePlace) -> None:
    p, body = lanes.palette_, place.body
    painter.setFont(font(10.5))
    values, decimals = value_ticks(place.low, place.high, place.inner.height())
    for value in values:
        y = place.y(value)
        painter.setPen(QColor(p.line))
        painter.drawLine(QPointF(body.left(), y), QPointF(body.right(), y))
        painter.setPen(QColor(p.lane(place.channel.colour) if lanes.doc.together else p.quiet))
        rect = QRectF(body.left() + 3, y - 13 if y - 13 > body.top() else y + 1, 60, 12)
        painter.drawText(rect, Qt.AlignmentFlag.AlignLeft, f"{value:.{decimals}f} {place.channel.unit}".strip())


def paint_curve(lanes: LaneArea, painter: QPainter, place: LanePlace) -> None:
    colour = QColor(lanes.palette_.lane(place.channel.colour))
    if place.channel.driven:
        _paint_driven(lanes, painter, place, colour)
    elif place.curve is not None:
        _Curve(lanes, painter, place, colour).paint()
    else:
        painter.setPen(QPen(colour, 1, Qt.PenStyle.DotLine))
        y = place.y(place.channel.value)
        painter.drawLine(QPointF(place.body.left(), y), QPointF(place.body.right(), y))


@recent_by_identity(1)
def _all_over(owner: MorphObject, first: float, last: float, count: int, fps: float) -> Mapping[str, np.ndarray]:
    """The values of all channels over frames: what a rig's joints do is found for all of them at once."""
    return values_at(owner, np.linspace(first, last, count), None, fps)


def _paint_driven(lanes: LaneArea, painter: QPainter, place: LanePlace, colour: QColor) -> None:
    """What a corrective comes to over time, faintly: it has no keys of its own."""
    left, right = place.body.left(), place.body.right()
    first, last, count = lanes.axis.frame_at(left), lanes.axis.frame_at(right), int(right - left) // 2 + 2
    owner, fps = place.channel.owner, lanes.doc.scene.fps
    assert isinstance(owner, MorphObject)  # only weights and joints are driven
    frames = np.linspace(first, last, count)
    if place.channel.part == "weight" and owner.skin is None:
        values = values_at(with_drivers(owner, place.channel.id), frames, None, fps)[place.channel.id]
    else:
        values = _all_over(owner, first, last, count, fps)[place.channel.id]
    ys = np.clip(place.y(values), -1e5, 1e5)
    points = [QPointF(x, y) for x, y in zip(np.linspace(left, right, len(frames)).tolist(), ys.tolist(), strict=True)]
    colour.setAlpha(120)
    painter.setPen(QPen(colour, 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF(points))


@cached_by_identity
def still_spans(curve: AnimationCurve) -> tuple[tuple[float, float, float], ...]:
    """Where a curve holds between two keys: first frame, last frame, value."""
    return tuple(
        (a.frame, b.frame, a.value)
        for a, b in zip(curve.keys, curve.keys[1:], strict=False)
        if a.interpolation == "hold" or abs(a.value - b.value) < 1e-9 and curve.is_still(a.frame, b.frame)
    )


class _Curve:
    """One lane's curve: its fill, what goes on outside the keys, what leaves the range, holds, snaps, handles and beads."""

    def __init__(self, lanes: LaneArea, painter: QPainter, place: LanePlace, colour: QColor) -> None:
        self.lanes, self.painter, self.place, self.colour = lanes, painter, place, colour
        left, right = place.body.left(), place.body.right()
        first, last = lanes.axis.frame_at(left), lanes.axis.frame_at(right)
        self.keyed = np.array([k.frame for k in there(place.curve).keys])
        # a step needs the value just before it too
        frames = np.linspace(first, last, int(right - left) // 2 + 2)
        seen = self.keyed[(self.keyed >= first) & (self.keyed <= last)]
        self.frames = np.sort(np.concatenate([frames, seen, seen - 1e-6]))
        self.xs = left + (self.frames - first) / (last - first) * (right - left)
        self.points = self._points(there(place.curve).evaluate(self.frames))

    def _points(self, values: np.ndarray) -> list[QPointF]:
        ys = np.clip(self.place.y(values), -1e5, 1e5)
        return [QPointF(x, y) for x, y in zip(self.xs.tolist(), ys.tolist(), strict=True)]

    def paint(self) -> None:
        place, lanes = self.place, self.lanes
        if not lanes.doc.together:
            self._fill()
        self._snaps()
        self._line()
        if any(m.on and m.amount for m in there(place.lane).modifiers):
            moved = self._points(there(place.lane).values(self.frames, lanes.doc.scene.fps))
            self.painter.setPen(QPen(QColor(lanes.palette_.text), 1))
            self.painter.drawPolyline(QPolygonF(moved))
            self._beyond(moved)
        self._beyond(self.points)
        self._holds()
        _handles(lanes, self.painter, place, self.colour)
        for key in there(place.curve).keys_between(
            *(lanes.axis.frame_at(x) for x in (place.body.left() - 8, place.body.right() + 8))
        ):
            _bead(lanes, self.painter, place, key, self.colour)

    def _fill(self) -> None:
        area = QPainterPath()
        area.addPolygon(QPolygonF(self.points))
        zero = self.place.y(min(max(0.0, self.place.low), self.place.high))
        area.lineTo(self.points[-1].x(), zero)
        area.lineTo(self.points[0].x(), zero)
        fill = QColor(self.colour)
        fill.setAlpha(40)
        self.painter.fillPath(area, fill)
        self.painter.setBrush(Qt.BrushStyle.NoBrush)

    def _line(self) -> None:
        """Full among the keys, faint outside of them."""
        chosen = self.place.ref in self.lanes.doc.selected
        frames, keyed, points = self.frames, self.keyed, self.points
        inside = np.flatnonzero((frames >= keyed[0]) & (frames <= keyed[-1]))
        faint = QColor(self.colour)
        faint.setAlpha(110)
        low, high = (inside[0], inside[-1]) if len(inside) else (len(points), len(points))
        wide = 2.2 if chosen and self.lanes.doc.together else 1.8
        full = QPen(self.colour, wide)
        dashes = DASHES.get(self.place.channel.id.partition(".")[0])
        if dashes:
            full.setDashPattern(dashes)
        for pen, part in ((QPen(faint, 1.4), points[: low + 1]), (full, points[low : high + 1]),
                          (QPen(faint, 1.4), points[high:])):  # fmt: skip
            if len(part) > 1:
                self.painter.setPen(pen)
                self.painter.drawPolyline(QPolygonF(part))

    def _beyond(self, points: list[QPointF]) -> None:
        """What leaves the range of a target, in the colour of warnings, behind a dashed line."""
        place, painter = self.place, self.painter
        if place.channel.part != "weight":
            return
        warn, body = QColor(self.lanes.palette_.error), place.body
        least, most = min(q.y() for q in points), max(q.y() for q in points)
        for limit, above in ((place.channel.high, True), (place.channel.low, False)):
            y = place.y(limit)
            part = QRectF(body.left(), body.top(), body.width(), y - body.top() - 0.5) if above else QRectF(
                body.left(), y + 0.5, body.width(), body.bottom() - y
            )  # fmt: skip
            if part.height() <= 0 or not (least < y - 1 if above else most > y + 1):
                continue
            painter.save()
            painter.setClipRect(part, Qt.ClipOperation.IntersectClip)
            soft = QColor(warn)
            soft.setAlpha(45)
            area = QPainterPath()
            area.addPolygon(QPolygonF([QPointF(points[0].x(), y), *points, QPointF(points[-1].x(), y)]))
            painter.fillPath(area, soft)
            painter.setPen(QPen(warn, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF(points))
            painter.restore()
            painter.setPen(QPen(warn, 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(body.left(), y), QPointF(body.right(), y))

    def _holds(self) -> None:
        for first, last, value in still_spans(there(self.place.curve)):
            self.painter.setPen(QPen(self.colour, 3.6, cap=Qt.PenCapStyle.FlatCap))
            y = self.place.y(value)
            self.painter.drawLine(QPointF(self.lanes.axis.x(first), y), QPointF(self.lanes.axis.x(last), y))

    def _snaps(self) -> None:
        """A change within one frame, or at once after a hold: a stripe across the lane."""
        curve, lanes, body = there(self.place.curve), self.lanes, self.place.body
        stripe = QColor(lanes.palette_.text)
        stripe.setAlpha(38)
        for a, b in zip(curve.keys, curve.keys[1:], strict=False):
            quick = b.frame - a.frame <= 1 + SAME_FRAME
            if abs(a.value - b.value) > 1e-9 and (quick or a.interpolation == "hold"):
                left, right = lanes.axis.x(a.frame if quick else b.frame), lanes.axis.x(b.frame)
                self.painter.fillRect(QRectF(left - 2, body.top() + 1, right - left + 4, body.height() - 2), stripe)


def _handles(lanes: LaneArea, painter: QPainter, place: LanePlace, colour: QColor) -> None:
    """The handles of selected keys in an open lane: a line and a small square at its end."""
    for ref, _, at, end in lanes.handles():
        if ref.lane != place.ref:
            continue
        painter.setPen(QPen(QColor(lanes.palette_.text), 1))
        painter.drawLine(at, end)
        painter.setPen(QPen(colour, 1.6))
        painter.setBrush(QColor(lanes.palette_.raised))
        painter.drawRect(QRectF(end.x() - 3.5, end.y() - 3.5, 7, 7))


def _bead(lanes: LaneArea, painter: QPainter, place: LanePlace, key: Key, colour: QColor) -> None:
    chosen = KeyRef(*place.ref, key.frame) in lanes.doc.keys
    at = QPointF(lanes.axis.x(key.frame), place.y(key.value))
    size = BEAD if not place.is_thin else 3.4
    if chosen:
        painter.setBrush(QColor(lanes.palette_.raised))
        painter.setPen(QPen(colour, 2.4))
        painter.drawEllipse(at, size + 1.2, size + 1.2)
    else:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawEllipse(at, size, size)
