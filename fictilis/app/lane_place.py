"""Where a lane is: the rectangles of its head, and values as pixels of its body."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QRectF

from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.scene import Target


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
