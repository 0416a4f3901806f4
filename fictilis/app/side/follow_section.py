"""The side column's section of a weight that follows one number: the curve that leads it, with points to be dragged."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QLabel, QWidget

from fictilis.app.model.document import Document
from fictilis.app.model.hand import Gesture
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import ArrowCombo, Labelled, NumberField, Segments
from fictilis.app.widgets.gesturing import Gesturing
from fictilis.app.widgets.theme import Palette, font
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.channel_kinds import OBJECT_KINDS
from fictilis.core.channels import channel
from fictilis.core.edits import correctives as edits
from fictilis.core.mix.driven import gain
from fictilis.core.rules import Follow
from fictilis.core.scene import Scene, Target, targets_by_id

NEAR, BEAD = 9, 4.5
WAYS = ("Linear", "Smooth", "Hold")


class FollowPlot(Gesturing, QWidget):
    """The curve: the number that is followed from left to right, the weight upwards. A double click adds a point."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__()
        self.doc, self.palette_ = doc, palette
        self.chosen = 0  # the number of the point whose figures stand below
        self.setMinimumHeight(128)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Curve that leads the weight")

    def sizeHint(self) -> QSize:
        return QSize(190, 128)

    def followed(self) -> tuple[Target, Follow] | None:
        target = self.doc.target
        return (target, target.follows) if target is not None and target.follows is not None else None

    def keys(self) -> tuple[Key, ...]:
        found = self.followed()
        return found[1].curve.keys if found else ()

    def point(self) -> Key | None:
        keys = self.keys()
        return keys[min(self.chosen, len(keys) - 1)] if keys else None

    @property
    def plot(self) -> QRectF:
        return QRectF(self.rect()).adjusted(8, 8, -8, -18)

    def bounds(self) -> tuple[float, float, float, float]:
        """The least and largest number followed and weight that are shown."""
        found = self.followed()
        if found is None or self.doc.object is None:
            return 0.0, 1.0, 0.0, 1.0
        target, follow = found
        what = channel(self.doc.object, follow.source)
        at, weights = [k.frame for k in follow.curve.keys], [k.value for k in follow.curve.keys]
        low, high = min(what.low, *at), max(what.high, *at)
        return low, max(high, low + 1e-6), min(target.range[0], *weights), max(target.range[1], *weights)

    def pixel(self, number: float, weight: float, bounds: tuple[float, float, float, float] | None = None) -> QPointF:
        left, right, low, high = bounds or self.bounds()
        plot = self.plot
        return QPointF(
            plot.left() + (number - left) / (right - left) * plot.width(),
            plot.bottom() - (weight - low) / (high - low) * plot.height(),
        )

    def values(self, at: QPointF, bounds: tuple[float, float, float, float]) -> tuple[float, float]:
        """The number and the weight at a pixel, rounded as far as a pixel tells."""
        left, right, low, high = bounds
        plot = self.plot
        number = left + (at.x() - plot.left()) / plot.width() * (right - left)
        weight = low + (plot.bottom() - at.y()) / plot.height() * (high - low)
        return round(min(max(number, left), right), 2 if right - left < 20 else 0), round(min(max(weight, low), high), 2)

    def paintEvent(self, _event: QPaintEvent) -> None:
        found = self.followed()
        if found is None or self.doc.object is None:
            return
        target, follow = found
        p, bounds, plot = self.palette_, self.bounds(), self.plot
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(p.line), 1))
        painter.setBrush(QColor(p.lane_body))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 7, 7)
        zero = self.pixel(bounds[0], min(max(0.0, bounds[2]), bounds[3]), bounds).y()
        painter.drawLine(QPointF(plot.left(), zero), QPointF(plot.right(), zero))
        numbers = np.linspace(bounds[0], bounds[1], 121)
        line = [self.pixel(a, w, bounds) for a, w in zip(numbers, follow.curve.evaluate(numbers), strict=True)]
        colour = QColor(p.lane(target.colour))
        painter.setClipRect(QRectF(self.rect()).adjusted(1, 1, -1, -16))
        painter.setPen(QPen(colour, 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(line))
        now = self._now(follow)
        painter.setPen(QPen(QColor(p.text), 1, Qt.PenStyle.DashLine))
        x = self.pixel(now, 0.0, bounds).x()
        painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
        painter.setClipping(False)
        for number, key in enumerate(follow.curve.keys):
            on = number == min(self.chosen, len(follow.curve.keys) - 1)
            painter.setPen(QPen(colour, 2.2 if on else 1))
            painter.setBrush(QColor(p.raised) if on else colour)
            painter.drawEllipse(self.pixel(key.frame, key.value, bounds), BEAD + on, BEAD + on)
        painter.setFont(font(10.5))
        painter.setPen(QColor(p.quiet))
        foot = QRectF(plot.left(), plot.bottom() + 3, plot.width(), 14)
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, f"{bounds[0]:g}")
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight, f"{bounds[1]:g} {channel(self.doc.object, follow.source).unit}")
        painter.drawText(foot, Qt.AlignmentFlag.AlignHCenter, f"now {now:.2f} → {float(follow.curve.evaluate(now)):.2f}")

    def _now(self, follow: Follow) -> float:
        obj = self.doc.object
        values = self.doc.channels.values(obj)
        source = targets_by_id(obj).get(follow.source)
        return values[follow.source] * (gain(obj, source) if source is not None else 1.0)

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
        self.chosen = number
        self.doc.changed.emit()
        return _MovePoint(self, event, number)

    def hover(self, event: QMouseEvent) -> None:
        on = self.under(event.position()) is not None
        self.setCursor(Qt.CursorShape.PointingHandCursor if on else Qt.CursorShape.ArrowCursor)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        found = self.followed()
        if found is None or event.button() != Qt.MouseButton.LeftButton or self.under(event.position()) is not None:
            return
        self.doc.hand.cancel()
        number, weight = self.values(event.position(), self.bounds())
        way = found[1].curve.keys[0].interpolation
        self.set_keys("A point more for", [*self.keys(), Key(number, weight, way)])
        self.chosen = next((n for n, k in enumerate(self.keys()) if k.frame == number), 0)
        self.doc.changed.emit()

    def event(self, event: QEvent) -> bool:
        """Delete is the plot's own, before it is the window's."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        else:
            super().keyPressEvent(event)

    def remove(self) -> None:
        """The chosen point goes; the last one stays."""
        key = self.point()
        self.set_keys("A point less for", [k for k in self.keys() if k is not key])

    def set_keys(self, label: str, keys: list[Key]) -> None:
        doc, target = self.doc, self.doc.target
        if target is not None:
            doc.edit(f"{label} {target.name}", lambda s: edits.set_follow_keys(s, doc.object_id, target.id, keys))


class _MovePoint(Gesture):
    """A point follows the pointer, between its neighbours."""

    def __init__(self, plot: FollowPlot, event: QMouseEvent, number: int) -> None:
        self.plot, self.doc, self.number, self.bounds = plot, plot.doc, number, plot.bounds()
        self.pressed, self.target, self.keys = event.position(), plot.doc.target, plot.keys()

    def _moved(self, event: QMouseEvent) -> Scene | None:
        if (event.position() - self.pressed).manhattanLength() < 3 or self.target is None:
            return None
        number, weight = self.plot.values(event.position(), self.bounds)
        least = self.keys[self.number - 1].frame + 1e-3 if self.number else -np.inf
        most = self.keys[self.number + 1].frame - 1e-3 if self.number + 1 < len(self.keys) else np.inf
        moved = replace(self.keys[self.number], frame=float(min(max(number, least), most)), value=weight)
        keys = [moved if n == self.number else k for n, k in enumerate(self.keys)]
        return edits.set_follow_keys(self.doc.settled.scene, self.doc.object_id, self.target.id, keys)

    def move(self, event: QMouseEvent) -> None:
        self.doc.preview(self._moved(event))

    def end(self, event: QMouseEvent) -> None:
        scene = self._moved(event)
        if scene is not None and self.target is not None:
            self.doc.commit(f"A point of {self.target.name}", scene)


class FollowSection(Section):
    """Shown for a target that follows one number."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.source = ArrowCombo(palette)
        self.source.setAccessibleName("The number that is followed")
        self.source.setMinimumWidth(60)
        self.source.activated.connect(self._follow_other)
        self.add(Labelled("Follows", self.source))
        self.plot = self.add(FollowPlot(doc, palette))
        self.at, self.weight = NumberField("Number followed at the point", "", 2), NumberField("Weight at the point", "", 2)
        for field in (self.at, self.weight):
            field.committed.connect(lambda _v: self._set_point())
        self.add(Labelled("Point", self.at, self.weight, width=56))
        self.way = Segments("From point to point", WAYS)
        self.way.chosen.connect(self._lead)
        self.add(self.way)
        hint = QLabel("A double click adds a point, Delete takes the chosen one away.")
        hint.setWordWrap(True)
        hint.setProperty("quiet", True)
        self.add(hint)

    def subject(self) -> object:
        target = self.doc.target
        return self.doc.openings, self.doc.object_id, target and target.id, self.plot.chosen

    def _set_point(self) -> None:
        key = self.plot.point()
        if key is None or (key.frame, key.value) == (self.at.value, self.weight.value):
            return
        moved = replace(key, frame=self.at.value, value=self.weight.value)
        self.plot.set_keys("Curve of", [moved if k is key else k for k in self.plot.keys()])
        self.refresh()

    def _lead(self, way: str) -> None:
        self.plot.set_keys("Curve of", [replace(k, interpolation=way.lower()) for k in self.plot.keys()])
        self.refresh()

    def _follow_other(self, row: int) -> None:
        """Another number is followed, by the same curve."""
        doc, found, source = self.doc, self.plot.followed(), self.source.itemData(row)
        if found is not None and source != found[1].source:
            target, follow = found
            other = Follow(source, AnimationCurve(follow.curve.keys, follow.curve.before, follow.curve.after))
            doc.edit(f"{target.name} follows {self.source.itemText(row)}",
                     lambda s: edits.set_follow(s, doc.object_id, target.id, other))  # fmt: skip
        self.refresh()

    def refresh(self) -> None:
        found, obj = self.plot.followed(), self.doc.object
        self.setVisible(found is not None)
        if found is None or obj is None:
            return
        target, follow = found
        self.set_heading(f"What {target.name} follows")
        self.source.clear()
        for other in obj.targets:
            if other.id != target.id:
                self.source.addItem(other.name, other.id)
        for channel_id in edits.FOLLOWED:
            self.source.addItem(OBJECT_KINDS[channel_id].name, channel_id)
        self.source.setCurrentIndex(self.source.findData(follow.source))
        self.way.set_value(follow.curve.keys[0].interpolation.capitalize())
        self.show_values()

    def show_values(self) -> None:
        key = self.plot.point()
        if key is not None:
            self.at.set_value(key.frame)
            self.weight.set_value(key.value)
        self.plot.update()

    def set_palette_(self, palette: Palette) -> None:
        super().set_palette_(palette)
        self.source.palette_ = self.plot.palette_ = palette
