"""The scene's measures in *Together*: each distance over time, to be read only, on a scale of its own."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from fictilis.app.lanes.area import LaneArea
from fictilis.app.lanes.places import RULER
from fictilis.app.widgets.theme import font
from fictilis.core.at_frame.paths import distance_over
from fictilis.core.at_frame.springs import in_time
from fictilis.core.scene.kept import Measure
from fictilis.core.scene.scene import Scene

SAMPLES, SECONDS = 160, 0.03  # over what is played; for the springs of one
STROKES = (Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotDotLine)
EDGE = 14.0  # pixels above and below a curve


class Distances:
    """Keeps what it found until the scene is another one."""

    def __init__(self, lanes: LaneArea) -> None:
        self.lanes = lanes
        self._of: Scene | None = None
        self._found: dict[Measure, np.ndarray] = {}

    def _values(self, scene: Scene, frames: np.ndarray) -> dict[Measure, np.ndarray]:
        """(f,) cm of each measure; those that take long come with later pictures."""
        if self._of is not scene:
            self._of, self._found = scene, {}
        left = [m for m in scene.measures if m not in self._found]
        if left:  # one in each picture
            with in_time(SECONDS) as asked:
                values = distance_over(scene, left[0], frames)
            if not asked.late:
                self._found[left[0]] = values
            if asked.late or len(left) > 1:
                self.lanes.viewport().update()
        return self._found

    def paint(self, painter: QPainter) -> None:
        lanes, doc = self.lanes, self.lanes.doc
        scene = doc.committed.scene
        if not doc.together or not doc.seeing.measures or not scene.measures:
            return
        frames = np.linspace(*scene.span, SAMPLES)
        port, head = lanes.viewport(), lanes.axis.head
        plot = QRectF(head, RULER, port.width() - head, port.height() - RULER)
        painter.save()
        painter.setClipRect(plot)
        painter.setFont(font(10.5))
        for number, (measure, values) in enumerate(self._values(scene, frames).items()):
            self._paint(painter, plot, measure.name, number, frames, values)
        painter.restore()

    def _paint(self, painter: QPainter, plot: QRectF, name: str, number: int, frames: np.ndarray, values: np.ndarray) -> None:
        low, high = float(values.min()), float(values.max())
        room = max(plot.height() - 2 * EDGE, 1)
        part = (values - low) / (high - low) if high - low > 1e-6 else np.full(len(values), 0.5)
        ys = plot.bottom() - EDGE - part * room
        line = QPolygonF([QPointF(self.lanes.axis.x(f), y) for f, y in zip(frames.tolist(), ys.tolist(), strict=True)])
        colour = QColor(self.lanes.palette_.text)
        text = f"{name} {low:,.2f} cm" if high - low < 0.005 else f"{name} {low:,.2f} to {high:,.2f} cm"
        place = QRectF(plot.left() + 64, plot.top() + 3 + 14 * number, plot.width() - 70, 14)
        begin = place.right() - painter.fontMetrics().horizontalAdvance(text) - 34
        painter.setPen(QPen(colour, 1.4, STROKES[number % len(STROKES)]))
        painter.drawPolyline(line)
        painter.drawLine(QPointF(begin, place.center().y()), QPointF(begin + 26, place.center().y()))
        painter.setPen(colour)
        painter.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
