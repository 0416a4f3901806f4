"""A cue's strip of time: how it goes, waits and comes back, and where it is while it runs."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from fictilis.app.widgets.theme import Palette, font
from fictilis.core.rehearsal.cue_words import strip
from fictilis.core.rehearsal.runner import UnderWay
from fictilis.core.rehearsal.segment import Segment
from fictilis.core.scene.cues import BACK, Cue

HEIGHT, LEAST, STEPS = 26, 14, 40  # pixels, of a stretch too; places on a curve
PHASES = ("going", "waiting", "back")
SAID = {"going": "goes", "waiting": "waits", "back": "comes back", "queued": "waits for its turn"}


class Strip(QWidget):
    """Painted from a cue and how long it takes to go; ``way`` says where it is."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.cue: Cue | None = None
        self.seconds, self.colour = 0.0, palette.primary
        self.way: UnderWay | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(HEIGHT)
        self.setMinimumWidth(120)

    def sizeHint(self) -> QSize:
        return QSize(240, HEIGHT)

    def show_cue(self, cue: Cue, seconds: float, colour: str) -> None:
        """``seconds`` that it takes to go; endless for a clip until told."""
        self.cue, self.seconds, self.colour = cue, seconds, colour or self.palette_.primary
        rows = (f"{SAID[name]} {'until told' if s == float('inf') else f'{s:g} s'}" for name, s in strip(cue, seconds))
        self.setToolTip(", ".join(rows))
        self.setAccessibleName(f"Time of {cue.name}")
        self.setAccessibleDescription(self.toolTip())
        self.update()

    def show_way(self, way: UnderWay | None) -> None:
        if way != self.way:
            self.way = way
            self.update()

    def _stretches(self) -> list[tuple[str, float, float]]:
        """Each stretch from x to x."""
        assert self.cue is not None
        rows = strip(self.cue, self.seconds)
        longest = max((s for _, s in rows if s != float("inf")), default=0.0) or 1.0
        sizes = [longest * 1.5 if s == float("inf") else s for _, s in rows]
        room = self.width() - 12.0
        shown = [LEAST if 0 < s else 0.0 for s in sizes]
        rest, total = room - sum(shown), sum(sizes) or 1.0
        x, out = 6.0, []
        for (name, _), size, least in zip(rows, sizes, shown, strict=True):
            wide = least + max(rest, 0.0) * size / total
            out.append((name, x, x + wide))
            x += wide
        return out

    def paintEvent(self, _event: object) -> None:
        if self.cue is None:
            return
        p, painter = self.palette_, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(p.line), 1))
        painter.setBrush(QColor(p.raised))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6)
        top, low = 6.0, self.height() - 6.0
        stretches, points = self._stretches(), [QPointF(6.0, low)]
        up = top
        for name, left, right in stretches:
            ease = self.cue.act.ease if name == "going" else self.cue.then.ease or self.cue.act.ease
            begin, end = {"going": (low, top), "waiting": (up, up), "back": (top, low)}[name]
            segment = Segment(0.0, 1.0, ease, end, begin - end)
            for u in np.linspace(0.0, 1.0, STEPS).tolist() if right > left and begin != end else (1.0,):
                y = min(max(end + segment.left(u), top - 4), low + 4)
                points.append(QPointF(left + (right - left) * u, y))
        painter.setPen(QPen(QColor(p.lane(self.colour)), 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))
        if self.cue.then.kind != BACK and points:
            painter.setPen(QPen(QColor(p.lane(self.colour)), 1.4, Qt.PenStyle.DotLine))
            painter.drawLine(points[-1], QPointF(self.width() - 6.0, points[-1].y()))
        self._paint_way(painter, stretches)

    def _paint_way(self, painter: QPainter, stretches: list[tuple[str, float, float]]) -> None:
        way, p = self.way, self.palette_
        if way is None:
            return
        painter.setFont(font(11, 600))
        left = f"{SAID[way.phase]} {way.left:.1f} s" if way.left != float("inf") else SAID.get(way.phase, "")
        left += f", {way.queued} more wait{'s' if way.queued == 1 else ''}" if way.queued and way.phase != "queued" else ""
        for name, a, b in stretches:
            if name == way.phase:
                x = a + (b - a) * way.part
                painter.setPen(QPen(QColor(p.rehearse), 2))
                painter.drawLine(QPointF(x, 2), QPointF(x, self.height() - 2))
        room = QRectF(self.rect()).adjusted(10, 3, -6, -3)
        room.setLeft(max(room.right() - painter.fontMetrics().horizontalAdvance(left) - 12, room.left()))
        painter.fillRect(room, QColor(p.raised))
        painter.setPen(QColor(p.rehearse))
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, left)
