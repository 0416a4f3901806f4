"""A curve with points to be dragged: something from left to right, something else upwards."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import Any

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from fictilis.app.model.document import Document
from fictilis.app.model.hand import Gesture
from fictilis.app.widgets.gesturing import Gesturing
from fictilis.app.widgets.spoken import Spoken
from fictilis.app.widgets.theme import Palette, font
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.scene.scene import Scene

NEAR, BEAD = 9, 4.5
ARROWS: dict[int, int] = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
Bounds = tuple[float, float, float, float]


class CurvePlot(Gesturing, QWidget):
    """A curve of whatever its kind says. A double click adds a point, Delete takes the chosen one away."""

    def __init__(self, doc: Document, palette: Palette, name: str) -> None:
        super().__init__()
        self.doc, self.palette_ = doc, palette
        self.chosen = 0  # the number of the point whose figures stand below
        self.setMinimumHeight(128)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.spoken = _SpokenPoints(self, doc, f"Points of {name}")

    # what a kind of curve says

    def curve(self) -> AnimationCurve | None:
        """What is shown; None without anything."""
        raise NotImplementedError

    def bounds(self) -> Bounds:
        """The least and largest number from left to right, and upwards."""
        raise NotImplementedError

    def colour(self) -> str:
        raise NotImplementedError

    def now(self) -> float | None:
        """Where a dashed line stands."""
        return None

    def feet(self) -> tuple[str, str, str]:
        """What stands below, from left to right."""
        raise NotImplementedError

    def with_keys(self, scene: Scene, keys: Sequence[Key]) -> Scene:
        """A scene in which the curve has other points."""
        raise NotImplementedError

    def owner(self) -> str:
        """Whose curve it is, for the history."""
        raise NotImplementedError

    # the rest is the same for all

    def sizeHint(self) -> QSize:
        return QSize(190, 128)

    def keys(self) -> tuple[Key, ...]:
        curve = self.curve()
        return curve.keys if curve is not None else ()

    def point(self) -> Key | None:
        keys = self.keys()
        return keys[min(self.chosen, len(keys) - 1)] if keys else None

    @property
    def plot(self) -> QRectF:
        return QRectF(self.rect()).adjusted(8, 8, -8, -18)

    def pixel(self, number: float, value: float, bounds: Bounds | None = None) -> QPointF:
        left, right, low, high = bounds or self.bounds()
        plot = self.plot
        return QPointF(
            plot.left() + (number - left) / (right - left) * plot.width(),
            plot.bottom() - (value - low) / (high - low) * plot.height(),
        )

    def values(self, at: QPointF, bounds: Bounds) -> tuple[float, float]:
        """The number and the value at a pixel, rounded as far as a pixel tells."""
        left, right, low, high = bounds
        plot = self.plot
        number = left + (at.x() - plot.left()) / plot.width() * (right - left)
        value = low + (plot.bottom() - at.y()) / plot.height() * (high - low)
        digits = 2 if high - low < 20 else 0
        return round(min(max(number, left), right), 2 if right - left < 20 else 0), round(min(max(value, low), high), digits)

    def paintEvent(self, _event: QPaintEvent) -> None:
        curve = self.curve()
        if curve is None:
            return
        p, bounds, plot = self.palette_, self.bounds(), self.plot
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(p.line), 1))
        painter.setBrush(QColor(p.lane_body))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 7, 7)
        zero = self.pixel(bounds[0], min(max(0.0, bounds[2]), bounds[3]), bounds).y()
        painter.drawLine(QPointF(plot.left(), zero), QPointF(plot.right(), zero))
        numbers = np.linspace(bounds[0], bounds[1], 121)
        line = [self.pixel(a, w, bounds) for a, w in zip(numbers, curve.evaluate(numbers), strict=True)]
        colour = QColor(p.lane(self.colour()))
        painter.setClipRect(QRectF(self.rect()).adjusted(1, 1, -1, -16))
        painter.setPen(QPen(colour, 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(line))
        now = self.now()
        if now is not None:
            painter.setPen(QPen(QColor(p.text), 1, Qt.PenStyle.DashLine))
            x = self.pixel(now, 0.0, bounds).x()
            painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
        painter.setClipping(False)
        for number, key in enumerate(curve.keys):
            on = number == min(self.chosen, len(curve.keys) - 1)
            painter.setPen(QPen(colour, 2.2 if on else 1))
            painter.setBrush(QColor(p.raised) if on else colour)
            painter.drawEllipse(self.pixel(key.frame, key.value, bounds), BEAD + on, BEAD + on)
        painter.setFont(font(10.5))
        painter.setPen(QColor(p.quiet))
        foot = QRectF(plot.left(), plot.bottom() + 3, plot.width(), 14)
        ways = (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignHCenter, Qt.AlignmentFlag.AlignRight)
        for way, text in zip(ways, self.feet(), strict=True):
            painter.drawText(foot, way, text)

    def under(self, at: QPointF) -> int | None:
        """The number of the point under a pixel."""
        bounds = self.bounds()
        rows = [((self.pixel(k.frame, k.value, bounds) - at).manhattanLength(), n) for n, k in enumerate(self.keys())]
        near = min(rows, default=(NEAR + 1, 0))
        return near[1] if near[0] <= NEAR else None

    def begin(self, event: QMouseEvent) -> Gesture | None:
        number = self.under(event.position())
        if event.button() != Qt.MouseButton.LeftButton or number is None:
            return None
        self.choose(number)
        return _MovePoint(self, event, number)

    def hover(self, event: QMouseEvent) -> None:
        on = self.under(event.position()) is not None
        self.setCursor(Qt.CursorShape.PointingHandCursor if on else Qt.CursorShape.ArrowCursor)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        curve = self.curve()
        if curve is None or event.button() != Qt.MouseButton.LeftButton or self.under(event.position()) is not None:
            return
        self.doc.hand.cancel()
        number, value = self.values(event.position(), self.bounds())
        way = curve.keys[0].interpolation if curve.keys else "smooth"
        self.set_keys("A point more for", [*self.keys(), Key(number, value, way)])
        self.choose(next((n for n, k in enumerate(self.keys()) if k.frame == number), 0))

    def event(self, event: QEvent) -> bool:
        """Delete and the arrows are the plot's own, before they are the window's."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier)
            if plain and event.key() in (*ARROWS, Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        elif event.key() in ARROWS:
            self.choose(self.chosen + ARROWS[event.key()])
        else:
            super().keyPressEvent(event)

    def choose(self, number: int) -> None:
        """The point whose figures stand below."""
        self.chosen = min(max(number, 0), max(len(self.keys()) - 1, 0))
        self.doc.changed.emit()

    def remove(self) -> None:
        """The chosen point goes; the last one stays."""
        key = self.point()
        self.set_keys("A point less for", [k for k in self.keys() if k is not key])

    def set_keys(self, label: str, keys: list[Key]) -> None:
        if self.curve() is not None:
            self.doc.edit(f"{label} {self.owner()}", lambda s: self.with_keys(s, keys))


class _SpokenPoints(Spoken):
    """The points from left to right."""

    def things(self) -> Sequence[tuple[int, Key]]:
        return list(enumerate(self.painted.keys()))

    def name_of(self, thing: Any) -> Hashable:
        return thing[0]

    def said(self, thing: Any) -> tuple[str, str]:
        return f"{thing[1].frame:g} to {thing[1].value:.2f}", "a point of the curve"

    def place(self, thing: Any) -> QRectF:
        at = self.painted.pixel(thing[1].frame, thing[1].value)
        return QRectF(at.x() - BEAD, at.y() - BEAD, 2 * BEAD, 2 * BEAD)

    def is_chosen(self, thing: Any) -> bool:
        return thing[1] is self.painted.point()

    def choose(self, thing: Any) -> None:
        self.painted.choose(thing[0])


class _MovePoint(Gesture):
    """A point follows the pointer, between its neighbours."""

    def __init__(self, plot: CurvePlot, event: QMouseEvent, number: int) -> None:
        self.plot, self.doc, self.number, self.bounds = plot, plot.doc, number, plot.bounds()
        self.pressed, self.keys = event.position(), plot.keys()

    def _moved(self, event: QMouseEvent) -> Scene | None:
        if (event.position() - self.pressed).manhattanLength() < 3 or self.plot.curve() is None:
            return None
        number, value = self.plot.values(event.position(), self.bounds)
        least = self.keys[self.number - 1].frame + 1e-3 if self.number else -np.inf
        most = self.keys[self.number + 1].frame - 1e-3 if self.number + 1 < len(self.keys) else np.inf
        moved = replace(self.keys[self.number], frame=float(min(max(number, least), most)), value=value)
        keys = [moved if n == self.number else k for n, k in enumerate(self.keys)]
        return self.plot.with_keys(self.doc.committed.scene, keys)

    def move(self, event: QMouseEvent) -> None:
        self.doc.preview(self._moved(event))

    def end(self, event: QMouseEvent) -> None:
        scene = self._moved(event)
        if scene is not None:
            self.doc.commit(f"A point of {self.plot.owner()}", scene)
