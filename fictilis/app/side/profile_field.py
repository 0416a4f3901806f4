"""The falloff's profile as a chooser that shows each one as a small curve."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap, QPolygonF

from fictilis.app.widgets.fields import ArrowCombo
from fictilis.app.widgets.theme import Palette
from fictilis.core.shaping.falloff import PROFILES

SIZE = QSize(26, 16)


def profile_icon(kind: str, colour: str, scale: float = 2.0) -> QIcon:
    """The curve from the pick's middle (left) to the radius."""
    picture = QPixmap(round(SIZE.width() * scale), round(SIZE.height() * scale))
    picture.setDevicePixelRatio(scale)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    x = np.linspace(0, 1, 41)
    y = PROFILES[kind](np.minimum(x, 1.0))
    wide, high = SIZE.width() - 4, SIZE.height() - 4
    line = [QPointF(2 + a * wide, 2 + (1 - b) * high) for a, b in zip(x, y, strict=True)]
    soft = QColor(colour)
    soft.setAlpha(46)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(soft)
    painter.drawPolygon(QPolygonF([QPointF(2, 2 + high), *line, QPointF(2 + wide, 2 + high)]))
    painter.setPen(QPen(QColor(colour), 1.6))
    painter.drawPolyline(QPolygonF(line))
    painter.end()
    return QIcon(picture)


class ProfileField(ArrowCombo):
    def __init__(self, palette: Palette) -> None:
        super().__init__(palette)
        self.setAccessibleName("Falloff profile")
        self.setIconSize(SIZE)
        self.setMinimumWidth(60)
        for kind in PROFILES:
            self.addItem(kind.capitalize(), kind)
        self.paint_icons(palette)

    def paint_icons(self, palette: Palette) -> None:
        self.palette_ = palette
        for n in range(self.count()):
            self.setItemIcon(n, profile_icon(self.itemData(n), palette.primary))
