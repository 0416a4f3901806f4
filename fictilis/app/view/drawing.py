"""Drawing a line in the view: clicks put points, a drag is taken as it is drawn; Enter ends the line, Esc leaves."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF

from fictilis.app.model.hand import Gesture
from fictilis.app.view.canvas import Canvas
from fictilis.app.view.tools import Event

FREEHAND = 5.0  # pixels of a drag from which on it is no click
CLOSES = 10.0  # pixels from the first point within which a line closes
TOLERANCE = 2.0  # pixels that a fitted line may lie beside what was drawn
ENDS = (Qt.Key.Key_Return, Qt.Key.Key_Enter)
BACK = (Qt.Key.Key_Backspace, Qt.Key.Key_Delete)  # take the last point back
NOTE = "Click points, or drag to draw freely. Enter ends the line, its first point closes it, Esc leaves."
Taken = Callable[[np.ndarray, bool, float], None]


class Drawing:
    """The mode in which a line is drawn. ``take(places (k, 3) in the scene, closed, tolerance in cm)`` gets it when it is
    done; a tolerance above 0 is for a freehand line, which is to be fitted."""

    def __init__(self, view: Canvas) -> None:
        self.view = view
        self.take: Taken | None = None
        self.places: list[np.ndarray] = []
        self.free: list[np.ndarray] = []
        self._plane: tuple[np.ndarray, np.ndarray] | None = None

    @property
    def on(self) -> bool:
        return self.take is not None

    def start(self, take: Taken) -> None:
        self.leave()
        self.take = take
        self.view.setFocus()
        self.view.update()

    def leave(self) -> None:
        """Nothing is left of what was drawn so far."""
        self.take, self._plane = None, None
        self.places, self.free = [], []
        self.view.update()

    def changed(self) -> None:
        """The document changed; drawing ends once something is shaped."""
        if self.on and self.view.doc.shaping is not None:
            self.leave()

    def place(self, x: float, y: float) -> np.ndarray:
        """(3,): a pixel's place on the plane that is drawn on, which faced the viewer when the line began."""
        view = self.view
        if self._plane is None:
            obj = view.doc.object
            through = obj.transform.matrix()[:3] @ [*obj.transform.pivot, 1] if obj is not None else np.zeros(3)
            self._plane = (np.asarray(through, np.float64), view.camera.axes()[2])
        through, normal = self._plane
        origin, direction = view.camera.ray(x, y, view.width(), view.height())
        slope = float(direction @ normal)
        along = float((through - origin) @ normal) / (slope if abs(slope) > 1e-6 else 1e-6)
        return origin + along * direction

    def pixels(self, places: list[np.ndarray]) -> np.ndarray:
        if not places:
            return np.zeros((0, 2))
        return self.view.camera.project(np.array(places), self.view.width(), self.view.height())[0]

    def closes(self, x: float, y: float) -> bool:
        """Whether a place is at the first point of a line that can be closed."""
        first = self.pixels(self.places[:1])
        return len(self.places) > 2 and bool(np.hypot(*(first[0] - [x, y])) <= CLOSES)

    def end(self, closed: bool = False) -> None:
        """The line of the points so far is done."""
        places, take = self.places, self.take
        self.leave()
        if take is not None and len(places) > 1:
            take(np.array(places), closed, 0.0)

    def end_free(self) -> None:
        """The line that was drawn freely is done; it closes where it ends near its beginning."""
        places, take = self.free, self.take
        pixels = self.pixels(places)
        unit = self.view.camera.half_height() * 2 / max(self.view.height(), 1)
        self.leave()
        if take is not None and len(places) > 1:
            run = float(np.hypot(*np.diff(pixels, axis=0).T).sum())
            closed = run > 5 * CLOSES and bool(np.hypot(*(pixels[-1] - pixels[0])) <= CLOSES)
            take(np.array(places), closed, TOLERANCE * unit)

    def wants(self, event: QKeyEvent) -> bool:
        """Whether a key is one of drawing's, rather than a shortcut."""
        return self.on and event.key() in (*ENDS, *BACK, Qt.Key.Key_Escape)

    def key(self, event: QKeyEvent) -> bool:
        if not self.wants(event):
            return False
        if event.key() == Qt.Key.Key_Escape and self.view.doc.hand.busy:
            self.view.doc.hand.cancel()
        elif event.key() == Qt.Key.Key_Escape:
            self.leave()
        elif event.key() in BACK:
            del self.places[-1:]
            self.view.update()
        else:
            self.end()
        return True

    def paint(self, painter: QPainter) -> None:
        """The line so far, and the way to the pointer."""
        view = self.view
        free = [QPointF(*at) for at in self.pixels(self.free)]
        points = [QPointF(*at) for at in self.pixels(self.places)]
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(view.palette_.primary), 2))
        painter.drawPolyline(QPolygonF(free or points))
        if points and view.pointer.x() >= 0 and not free:
            painter.setPen(QPen(QColor(view.palette_.primary), 1, Qt.PenStyle.DashLine))
            closing = self.closes(view.pointer.x(), view.pointer.y())
            painter.drawLine(points[-1], points[0] if closing else view.pointer)
        painter.setPen(QPen(QColor(view.palette_.primary), 1.5))
        painter.setBrush(QColor(view.palette_.raised))
        for number, at in enumerate(points):
            painter.drawEllipse(at, 5.0 if number == 0 else 3.5, 5.0 if number == 0 else 3.5)


class DrawStroke(Gesture):
    """From a press to its release: a point, or a line drawn freely."""

    def __init__(self, drawing: Drawing, press: Event) -> None:
        self.drawing, self._press = drawing, press

    def move(self, event: QMouseEvent) -> None:
        drawing, at = self.drawing, event.position()
        away = np.hypot(at.x() - self._press.x, at.y() - self._press.y) >= FREEHAND
        if not drawing.places and (drawing.free or away):
            if not drawing.free:
                drawing.free = [drawing.place(self._press.x, self._press.y)]
            drawing.free.append(drawing.place(at.x(), at.y()))
        drawing.view.update()

    def end(self, event: QMouseEvent | None) -> None:
        drawing, press = self.drawing, self._press
        if drawing.free:
            drawing.end_free()
        elif drawing.closes(press.x, press.y):
            drawing.end(closed=True)
        else:
            drawing.places.append(drawing.place(press.x, press.y))
            drawing.view.update()

    def cancel(self) -> None:
        self.drawing.free = []
        self.drawing.view.update()
