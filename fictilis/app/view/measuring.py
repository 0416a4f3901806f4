"""Measures in the view: two points are clicked, and a line between them says their distance."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from fictilis.app.view.canvas import Canvas, look_under
from fictilis.app.view.handles import paint_letters
from fictilis.app.view.tools import Event
from fictilis.core.edits.measures import add_measure
from fictilis.core.ground.affine import placed
from fictilis.core.scene.kept import PointOf
from fictilis.render.stage import IN_THE_MIX, LINE_UP

FIRST, SECOND = "Click the first point to measure from; Esc leaves", "Click the second point; Esc leaves"
END = 3.5  # pixels of a point that is measured


class Measuring:
    """``first`` is the point that was clicked already, while the second is waited for."""

    def __init__(self, view: Canvas) -> None:
        self.view = view
        self.first: PointOf | None = None

    def start(self) -> None:
        """Measure between the two points that are picked, else between two that are clicked."""
        doc, self.first = self.view.doc, None
        picks = doc.picks()
        if doc.shaping is not None and len(picks) == 2:
            self._keep(*(PointOf(doc.obj.id, int(point)) for point in picks))
            return
        if doc.way == LINE_UP:
            doc.change(way=IN_THE_MIX)  # where shapes do not stand side by side
        self.view.clicks.wait(FIRST, self._take, self._holds)

    @property
    def on(self) -> bool:
        """Whether a click would take a point."""
        return self.view.clicks.on and self.view.clicks.note in (FIRST, SECOND)

    def _take(self, press: Event) -> bool:
        view = self.view
        seen = look_under(view.items(), view.camera, (press.x, press.y), (view.width(), view.height()))
        if seen is None:
            view.doc.say("There is no surface under the pointer; click on an object.", "warning")
            return False
        point = PointOf(seen.item.obj.id, seen.point)
        if self.first is None or point == self.first:
            self.first, self.view.clicks.note = point, SECOND
            self.view.update()
            return False
        self._keep(self.first, point)
        self.first = None
        return True

    def _keep(self, first: PointOf, second: PointOf) -> None:
        doc = self.view.doc
        if not doc.seeing.measures:
            doc.see(measures=True)
        doc.edit("Measure", lambda s: add_measure(s, first, second))

    def _holds(self) -> bool:
        """A first point that is gone is clicked anew."""
        doc = self.view.doc
        if self.first is not None and self._place(self.first) is None:
            self.first, self.view.clicks.note = None, FIRST
        return doc.way != LINE_UP

    def _place(self, end: PointOf) -> np.ndarray | None:
        """(3,): where a point is seen; None where its object is not."""
        for item in self.view.shown():
            if item.obj.id == end.owner and end.point < len(item.points):
                return placed(item.points[[end.point]].astype(np.float64), item.matrix)[0]
        return None

    def paint(self, painter: QPainter) -> None:
        """The kept measures, and the way from the first point to the one under the pointer."""
        view = self.view
        if view.doc.way == LINE_UP:
            return
        if view.doc.seeing.measures:
            for measure in view.doc.scene.measures:
                name = f"{measure.name} " if len(view.doc.scene.measures) > 1 else ""
                self._paint(painter, self._place(measure.first), self._place(measure.second), name)
        if not self.on or self.first is None:
            return
        seen = view.seen if not view.turning.on else None
        under = self._place(PointOf(seen.item.obj.id, seen.point)) if seen is not None else None
        self._paint(painter, self._place(self.first), under, "")

    def _paint(self, painter: QPainter, first: np.ndarray | None, second: np.ndarray | None, name: str) -> None:
        view = self.view
        places = [place for place in (first, second) if place is not None]
        if first is None or not places:
            return
        pixels, depths = view.camera.project(np.array(places), view.width(), view.height())
        if not ((depths > 0) & (depths < 1)).all():
            return  # behind the viewer
        ends = [QPointF(x, y) for x, y in pixels.tolist()]
        for colour, wide in ((QColor(view.palette_.raised), 3.5), (QColor(view.palette_.text), 1.5)):
            painter.setPen(QPen(colour, wide))
            painter.drawLine(ends[0], ends[-1])
        painter.setPen(QPen(QColor(view.palette_.text), 1.5))
        painter.setBrush(QColor(view.palette_.raised))
        for end in ends:
            painter.drawRect(int(end.x() - END), int(end.y() - END), int(2 * END), int(2 * END))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if second is not None:
            text = f"{name}{float(np.linalg.norm(first - second)):,.2f} cm"
            steep = abs(ends[0].y() - ends[-1].y()) > abs(ends[0].x() - ends[-1].x())
            beside = QPointF(painter.fontMetrics().horizontalAdvance(text) / 2 + 10, 0) if steep else QPointF(0, -12)
            paint_letters(view, painter, (ends[0] + ends[-1]) / 2 + beside, text, quiet=False)
