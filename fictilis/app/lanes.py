"""The lanes: a ruler, then for each target a head (slider, value, key dot) and a body (its curve with beads)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QAbstractScrollArea, QMenu

from fictilis.app.actions import Actions
from fictilis.app.cards import bar_part, inline_editor
from fictilis.app.document import Document
from fictilis.app.theme import Palette, font, mix
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits import keys as edits
from fictilis.core.edits.keys import KeyRef
from fictilis.core.scene import Target

RULER, LANE, TALL, HEAD, MARGIN = 24, 34, 132, 222, 14
BEAD = 4.5
GRAB = 8


@dataclass
class LanePlace:
    """One lane's rectangles, and the values at the bottom and top of its body."""

    target: Target
    curve: AnimationCurve | None
    head: QRectF
    body: QRectF
    low: float
    high: float

    @property
    def caret(self) -> QRectF:
        return QRectF(self.head.left() + 4, self.head.center().y() - 8, 14, 16)

    @property
    def name(self) -> QRectF:
        return QRectF(self.head.left() + 32, self.head.top(), 74, self.head.height())

    @property
    def slider(self) -> QRectF:
        return QRectF(self.head.left() + 112, self.head.center().y() - 2, 44, 4)

    @property
    def number(self) -> QRectF:
        return QRectF(self.head.left() + 161, self.head.center().y() - 9, 36, 18)

    @property
    def dot(self) -> QRectF:
        return QRectF(self.head.right() - 21, self.head.center().y() - 8, 16, 16)

    def y(self, value: float) -> float:
        inner = self.body.adjusted(0, 7, 0, -7)
        return inner.bottom() - (value - self.low) / (self.high - self.low) * inner.height()

    def value(self, y: float) -> float:
        inner = self.body.adjusted(0, 7, 0, -7)
        return self.low + (inner.bottom() - y) / inner.height() * (self.high - self.low)


class Lanes(QAbstractScrollArea):
    """All lanes of the object shown."""

    def __init__(self, doc: Document, actions: Actions, palette: Palette) -> None:
        super().__init__()
        self.doc, self.actions_, self.palette_ = doc, actions, palette
        self.setObjectName("lanes")
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumHeight(RULER + LANE)
        self.viewport().setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Lanes")
        self.open: set[str] = set()
        self._drag: tuple | None = None
        self._press = QPointF()
        self._box: QRectF | None = None
        self._before_keys: frozenset[KeyRef] = frozenset()
        self._places: list[LanePlace] = []
        doc.changed.connect(self.refresh)
        doc.moved.connect(self._moved)
        self.refresh()

    def refresh(self) -> None:
        self._lay_out()
        self.viewport().update()

    def _moved(self) -> None:
        if self._drag is not None and self._drag[0] == "keys":
            self._lay_out(keep_scale=True)
        self.viewport().update()

    # places

    def _lay_out(self, keep_scale: bool = False) -> None:
        obj = self.doc.object
        scales = {p.target.id: (p.low, p.high) for p in self._places} if keep_scale else {}
        self._places = []
        y = RULER - self.verticalScrollBar().value()
        width = self.viewport().width()
        for target in obj.targets if obj else ():
            lane = obj.lane(target.id)
            curve = lane.curve if lane else None
            height = TALL if target.id in self.open else LANE
            low, high = scales.get(target.id) or self._scale(target, curve)
            self._places.append(
                LanePlace(target, curve, QRectF(0, y, HEAD, height), QRectF(HEAD, y, max(width - HEAD, 10), height), low, high)
            )
            y += height
        total = int(y + self.verticalScrollBar().value() - RULER)
        page = max(self.viewport().height() - RULER, 1)
        self.verticalScrollBar().setRange(0, max(total - page, 0))
        self.verticalScrollBar().setPageStep(page)
        self.verticalScrollBar().setSingleStep(LANE)

    def _scale(self, target: Target, curve: AnimationCurve | None) -> tuple[float, float]:
        low, high = target.range
        values = [k.value for k in curve.keys] if curve else [target.weight]
        return min(low, *values, 0.0), max(high, *values, 0.0)

    def place_of(self, name: str) -> LanePlace:
        """The lane of a target by name."""
        return next(p for p in self._places if p.target.name == name)

    def _x_range(self) -> tuple[float, float]:
        return HEAD + MARGIN, max(self.viewport().width() - MARGIN - 8, HEAD + MARGIN + 10)

    def x(self, frame: float) -> float:
        """The pixel of a frame."""
        left, right = self._x_range()
        scene = self.doc.scene
        return left + (frame - scene.start) / (scene.end - scene.start) * (right - left)

    def frame_at(self, x: float) -> float:
        left, right = self._x_range()
        scene = self.doc.scene
        return scene.start + (x - left) / (right - left) * (scene.end - scene.start)

    def bead(self, name: str, frame: float) -> QPointF:
        """The pixel of a target's bead at a frame."""
        place = self.place_of(name)
        key = place.curve.key_at(frame)
        return QPointF(self.x(key.frame), place.y(key.value))

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)
        self._lay_out()

    def scrollContentsBy(self, _dx: int, _dy: int) -> None:
        self.refresh()

    # painting

    def paintEvent(self, _event: object) -> None:
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        p = self.palette_
        painter.fillRect(self.viewport().rect(), QColor(p.panel))
        painter.fillRect(QRectF(HEAD, 0, self.viewport().width() - HEAD, self.viewport().height()), QColor(p.lane_body))
        obj = self.doc.object
        weights = self.doc.weights(obj) if obj else {}
        if not self._places:
            painter.setPen(QColor(p.quiet))
            painter.setFont(font(12.5))
            text = "Each target has its lane here. Ctrl+T makes a target." if obj else ""
            painter.drawText(QRectF(HEAD, RULER, self.viewport().width() - HEAD, 60), Qt.AlignmentFlag.AlignCenter, text)
        for place in self._places:
            if place.body.bottom() > RULER and place.body.top() < self.viewport().height():
                self._paint_lane(painter, place, weights[place.target.id])
        self._paint_ruler(painter)
        painter.setPen(QColor(p.line))
        painter.drawLine(QPointF(HEAD - 0.5, 0), QPointF(HEAD - 0.5, self.viewport().height()))
        self._paint_playhead(painter)
        if self._box is not None:
            colour = QColor(p.primary)
            painter.setPen(QPen(colour, 1, Qt.PenStyle.DashLine))
            colour.setAlpha(30)
            painter.setBrush(colour)
            painter.drawRect(self._box)

    def ticks(self) -> tuple[int, list[int]]:
        """Frames between labels, and the labelled frames."""
        scene = self.doc.scene
        left, right = self._x_range()
        room = max((right - left) / 78, 1)
        span = scene.end - scene.start
        steps = [1, 2, 3, 4, 6, 12, 24, 48, 96, 120, 240, 480, 960, 2400, 4800, 24000, 240000]
        step = next((s for s in steps if span / s <= room), 1_000_000)
        first = int(np.ceil(scene.start / step) * step)
        return step, list(range(first, int(np.floor(scene.end)) + 1, step))

    def _paint_ruler(self, painter: QPainter) -> None:
        p = self.palette_
        painter.fillRect(QRectF(0, 0, self.viewport().width(), RULER), QColor(p.panel))
        painter.fillRect(QRectF(HEAD, 0, self.viewport().width() - HEAD, RULER), QColor(p.ground))
        left, right = self._x_range()
        painter.fillRect(QRectF(left, RULER - 4, right - left, 4), QColor(mix(p.line, p.ground, 0.25)))
        painter.setFont(font(11))
        step, labels = self.ticks()
        minor = step / 4 if step % 4 == 0 else step / 3 if step % 3 == 0 else step
        for frame in labels:
            painter.setPen(QColor(p.quiet))
            x = self.x(frame)
            painter.drawLine(QPointF(x, 8), QPointF(x, RULER))
            painter.drawText(QRectF(x + 4, 2, 60, 15), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, str(frame))
            painter.setPen(QColor(p.line))
            for part in range(1, round(step / minor)):
                mark = self.x(frame + part * minor)
                if mark <= right:
                    painter.drawLine(QPointF(mark, RULER - 8), QPointF(mark, RULER - 4))
        painter.setPen(QColor(p.line))
        painter.drawLine(QPointF(0, RULER - 0.5), QPointF(self.viewport().width(), RULER - 0.5))

    def _paint_playhead(self, painter: QPainter) -> None:
        x = self.x(self.doc.frame)
        if x < HEAD - 1:
            return
        colour = QColor(self.palette_.text)
        painter.setPen(QPen(colour, 1.6))
        painter.drawLine(QPointF(x, 4), QPointF(x, self.viewport().height()))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawPolygon([QPointF(x - 7, 1), QPointF(x + 7, 1), QPointF(x + 7, 11), QPointF(x, 18), QPointF(x - 7, 11)])

    def _paint_lane(self, painter: QPainter, place: LanePlace, weight: float) -> None:
        p, target = self.palette_, place.target
        chosen = target.id in self.doc.selected
        if chosen:
            painter.fillRect(place.head, QColor(p.chosen))
        painter.setPen(QColor(p.line))
        painter.drawLine(place.head.bottomLeft(), QPointF(place.body.right(), place.body.bottom()))
        colour = QColor(p.lane(target.colour))
        self._paint_head(painter, place, weight, colour)
        painter.save()
        painter.setClipRect(place.body)
        if target.id in self.open:
            self._paint_scale(painter, place)
        if place.curve is not None:
            self._paint_curve(painter, place, colour)
        else:
            painter.setPen(QPen(colour, 1, Qt.PenStyle.DotLine))
            painter.drawLine(
                QPointF(place.body.left(), place.y(target.weight)), QPointF(place.body.right(), place.y(target.weight))
            )
        painter.restore()

    def _paint_scale(self, painter: QPainter, place: LanePlace) -> None:
        p = self.palette_
        painter.setFont(font(10.5))
        for part in (0.0, 0.25, 0.5, 0.75, 1.0):
            value = place.low + part * (place.high - place.low)
            y = place.y(value)
            painter.setPen(QColor(p.line))
            painter.drawLine(QPointF(place.body.left(), y), QPointF(place.body.right(), y))
            painter.setPen(QColor(p.quiet))
            above = y - 13 > place.body.top()
            rect = QRectF(place.body.left() + 2, y - 13 if above else y + 1, 30, 12)
            painter.drawText(rect, Qt.AlignmentFlag.AlignRight, f"{value:.2f}")

    def _paint_head(self, painter: QPainter, place: LanePlace, weight: float, colour: QColor) -> None:
        p, target = self.palette_, place.target
        painter.setPen(QPen(QColor(p.quiet), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        c, d = place.caret.center(), 3.0
        if target.id in self.open:
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
        self._paint_slider(painter, place, weight, colour)
        painter.setFont(font(12.5))
        painter.setPen(QColor(p.text))
        painter.drawText(place.number, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{weight:.2f}")
        self._paint_dot(painter, place, colour)

    def _paint_slider(self, painter: QPainter, place: LanePlace, weight: float, colour: QColor) -> None:
        p, rect = self.palette_, place.slider
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(p.track))
        painter.drawRoundedRect(rect, 2, 2)
        zero, here = (min(max(bar_part(place.target, w), 0.0), 1.0) for w in (0.0, weight))
        left, right = sorted((zero, here))
        painter.setBrush(colour)
        painter.drawRoundedRect(QRectF(rect.left() + left * rect.width(), rect.top(), (right - left) * rect.width(), 4), 2, 2)
        painter.setPen(QPen(QColor(p.text), 1.2))
        painter.setBrush(QColor(p.raised))
        painter.drawEllipse(QPointF(rect.left() + here * rect.width(), rect.center().y()), 5.5, 5.5)

    def dot_state(self, place: LanePlace) -> str:
        """``here``: a key at this frame; ``posed``: the value differs from the curve; ``keyed``; or ``none``."""
        obj = self.doc.object
        posed = self.doc.state.posed.get(obj.id, {})
        if place.target.id in posed:
            return "posed"
        if place.curve is None:
            return "none"
        return "here" if place.curve.key_at(self.doc.frame) else "keyed"

    def _paint_dot(self, painter: QPainter, place: LanePlace, colour: QColor) -> None:
        state, centre = self.dot_state(place), place.dot.center()
        painter.setBrush(colour if state == "here" else Qt.BrushStyle.NoBrush)
        faint = QColor(self.palette_.line)
        style = Qt.PenStyle.DashLine if state == "posed" else Qt.PenStyle.SolidLine
        pen = QPen(QColor(self.palette_.auto_key) if state == "posed" else faint if state == "none" else colour, 1.6, style)
        if state == "posed":
            pen.setDashPattern([1.6, 1.4])
        painter.setPen(pen)
        painter.drawEllipse(centre, 5.5, 5.5)

    def _paint_curve(self, painter: QPainter, place: LanePlace, colour: QColor) -> None:
        curve = place.curve
        left, right = place.body.left(), place.body.right()
        inner = [k.frame for k in curve.keys]
        xs = np.arange(left, right + 2, 2.0)
        frames = np.unique(
            np.concatenate(
                [
                    [self.frame_at(x) for x in (left, right)],
                    np.interp(xs, [left, right], [self.frame_at(left), self.frame_at(right)]),
                    inner,
                ]
            )
        )
        # a step needs the value just before it too
        frames = np.sort(np.concatenate([frames, np.array(inner) - 1e-6]))
        values = curve.evaluate(frames)
        path = QPainterPath()
        points = [QPointF(self.x(f), place.y(v)) for f, v in zip(frames, values, strict=True)]
        path.moveTo(points[0])
        for point in points[1:]:
            path.lineTo(point)
        area = QPainterPath(path)
        zero = place.y(min(max(0.0, place.low), place.high))
        area.lineTo(points[-1].x(), zero)
        area.lineTo(points[0].x(), zero)
        fill = QColor(colour)
        fill.setAlpha(40)
        painter.fillPath(area, fill)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 1.8))
        painter.drawPath(path)
        for a, b in zip(curve.keys, curve.keys[1:], strict=False):
            if curve.is_still(a.frame, b.frame - 1e-6):
                painter.setPen(QPen(colour, 3.6, cap=Qt.PenCapStyle.FlatCap))
                painter.drawLine(QPointF(self.x(a.frame), place.y(a.value)), QPointF(self.x(b.frame), place.y(a.value)))
        for key in curve.keys:
            self._paint_bead(painter, place, key, colour)

    def _paint_bead(self, painter: QPainter, place: LanePlace, key: Key, colour: QColor) -> None:
        chosen = KeyRef(self.doc.object_id, place.target.id, key.frame) in self.doc.keys
        at = QPointF(self.x(key.frame), place.y(key.value))
        if chosen:
            painter.setBrush(QColor(self.palette_.raised))
            painter.setPen(QPen(colour, 2.4))
            painter.drawEllipse(at, BEAD + 1.2, BEAD + 1.2)
        else:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawEllipse(at, BEAD, BEAD)

    # mouse

    def _lane_under(self, at: QPointF) -> LanePlace | None:
        if at.y() < RULER:
            return None
        return next((p for p in self._places if p.head.top() <= at.y() < p.head.bottom()), None)

    def _key_under(self, at: QPointF) -> KeyRef | None:
        best: tuple[float, KeyRef] | None = None
        for place in self._places:
            for key in place.curve.keys if place.curve else ():
                gap = np.hypot(self.x(key.frame) - at.x(), place.y(key.value) - at.y())
                if gap <= GRAB and at.y() >= RULER and (best is None or gap < best[0]):
                    best = (float(gap), KeyRef(self.doc.object_id, place.target.id, key.frame))
        return best[1] if best else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = self._press = event.position()
        if event.button() == Qt.MouseButton.RightButton:
            self._context(event)
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if at.x() < HEAD:
            self._press_head(at, event)
        elif at.y() < RULER:
            self._drag = ("scrub",)
            self._scrub(at.x())
        else:
            self._press_body(at, event)

    def _press_head(self, at: QPointF, event: QMouseEvent) -> None:
        place = self._lane_under(at)
        if place is None:
            return
        target_id = place.target.id
        if place.caret.adjusted(-4, -4, 2, 4).contains(at):
            self.open ^= {target_id}
            self.refresh()
        elif place.slider.adjusted(-7, -9, 7, 9).contains(at):
            if target_id not in self.doc.selected:
                self.doc.select_target(target_id)
            self._drag = ("slider", target_id)
        elif place.dot.contains(at):
            self._toggle_key(place)
        else:
            keys = event.modifiers()
            self.doc.select_target(
                target_id, bool(keys & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
            )

    def _toggle_key(self, place: LanePlace) -> None:
        doc, target = self.doc, place.target
        if self.dot_state(place) == "here":
            ref = KeyRef(doc.object_id, target.id, doc.frame)
            doc.edit(f"Delete key of {target.name}", lambda s: edits.delete_keys(s, [ref]))
        else:
            doc.key_targets({target.id: doc.weights(doc.object)[target.id]}, f"Key {target.name}")

    def _press_body(self, at: QPointF, event: QMouseEvent) -> None:
        doc, key = self.doc, self._key_under(at)
        more = bool(event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
        if key is not None:
            if more:
                doc.set(keys=doc.keys ^ {key})
            elif key not in doc.keys:
                doc.set(keys=frozenset({key}), selected=(key.target,))
            if key in doc.keys:
                self._drag = ("keys", key)
            return
        self._before_keys = doc.keys if more else frozenset()
        if not more and doc.keys:
            doc.set(keys=frozenset())
        self._drag = ("box",)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._drag is None:
            self._hover(at)
            return
        kind = self._drag[0]
        if kind == "scrub":
            self._scrub(at.x())
        elif kind == "slider":
            self.doc.set_weight(self._drag[1], self._slider_value(self._drag[1], at.x()), final=False)
        elif kind == "keys" and (at - self._press).manhattanLength() > 3:
            scene, _ = self._moved_keys(event)
            self.doc.preview(scene)
        elif kind == "box":
            self._box = QRectF(self._press, at).normalized()
            self.viewport().update()

    def _hover(self, at: QPointF) -> None:
        place = self._lane_under(at)
        on_slider = place is not None and place.slider.adjusted(-7, -9, 7, 9).contains(at)
        on_key = at.x() >= HEAD and self._key_under(at) is not None
        shape = (
            Qt.CursorShape.SizeHorCursor
            if on_slider
            else Qt.CursorShape.PointingHandCursor
            if on_key
            else Qt.CursorShape.ArrowCursor
        )
        self.viewport().setCursor(shape)

    def _moved_keys(self, event: QMouseEvent):
        """Keys follow the pointer in the direction it mostly went, or in both once it went far enough in both."""
        at, key = event.position(), self._drag[1]
        place = next(p for p in self._places if p.target.id == key.target)
        dx, dy = at.x() - self._press.x(), at.y() - self._press.y()
        frames = self.frame_at(at.x()) - self.frame_at(self._press.x()) if abs(dx) > 3 else 0.0
        value = place.value(at.y()) - place.value(self._press.y()) if abs(dy) > 4 else 0.0
        snap = not event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if snap:
            frames, value = float(np.round(frames)), round(value, 2)
        return edits.move_keys(self.doc.settled.scene, self.doc.keys, frames, value, snap)

    def _slider_value(self, target_id: str, x: float) -> float:
        place = next(p for p in self._places if p.target.id == target_id)
        low, high = place.target.range
        return round(low + min(max((x - place.slider.left()) / place.slider.width(), 0.0), 1.0) * (high - low), 3)

    def _scrub(self, x: float) -> None:
        scene = self.doc.scene
        self.doc.set_frame(float(np.clip(np.round(self.frame_at(x)), np.ceil(scene.start), np.floor(scene.end))))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        (kind, *rest), at = self._drag, event.position()
        doc = self.doc
        if kind == "slider":
            self._drag = None
            doc.set_weight(rest[0], self._slider_value(rest[0], at.x()))
        elif kind == "keys":
            if (at - self._press).manhattanLength() > 3:
                scene, places = self._moved_keys(event)
                self._drag = None
                count = len(places)
                doc.keys = frozenset(places)
                doc.commit(f"Move {count} key{'' if count == 1 else 's'}", scene)
        elif kind == "box":
            if self._box is not None:
                doc.set(keys=self._before_keys | self._keys_in(self._box))
            self._box = None
        self._drag = None
        self.refresh()

    def _keys_in(self, box: QRectF) -> frozenset[KeyRef]:
        return frozenset(
            KeyRef(self.doc.object_id, place.target.id, key.frame)
            for place in self._places
            for key in (place.curve.keys if place.curve else ())
            if box.contains(QPointF(self.x(key.frame), place.y(key.value)))
        )

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        at, place = event.position(), self._lane_under(event.position())
        if place is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._drag = None
        if at.x() < HEAD:
            if place.number.contains(at):
                self.edit_value(place)
            elif place.name.contains(at):
                self.doc.select_target(place.target.id)
        elif self._key_under(at) is None:
            frame = float(np.round(self.frame_at(at.x())))
            doc, target = self.doc, place.target
            value = place.curve.value(frame) if place.curve else target.weight
            doc.edit(
                f"Add a key to {target.name}",
                lambda s: edits.key_weights(s, doc.object_id, frame, {target.id: value}, guard=False)[0],
            )

    def edit_value(self, place: LanePlace) -> None:
        target = place.target

        def finish(text: str) -> None:
            try:
                value = float(text.replace(",", "."))
            except ValueError:
                self.doc.say(f"“{text}” is not a number; {target.name} keeps its weight.", "error")
                return
            self.doc.set_weight(target.id, value)

        text = f"{self.doc.weights(self.doc.object)[target.id]:.2f}"
        inline_editor(self.viewport(), place.number.adjusted(-8, -2, 4, 2), text, finish)

    def _context(self, event: QMouseEvent) -> None:
        key = self._key_under(event.position())
        if key is not None and key not in self.doc.keys:
            self.doc.set(keys=frozenset({key}), selected=(key.target,))
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name in ("hold", "linear", "smooth"):
            menu.addAction(self.actions_.by_id[name])
        menu.addSeparator()
        menu.addAction(self.actions_.by_id["delete"])
        menu.popup(event.globalPosition().toPoint())
