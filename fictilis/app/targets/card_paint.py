"""What is painted on a card besides its picture: the bar of its weight, what drives it, where it stands."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from fictilis.app.targets.card_place import bar_part
from fictilis.app.widgets.theme import Palette, font, pixmap
from fictilis.core.mix.driven import drivers_of, sources_of
from fictilis.core.mix.relay import poses
from fictilis.core.scene.scene import MorphObject, Target

LEAST_ROOM = 30  # pixels, for a name that can be told from another


def paint_marks(painter: QPainter, p: Palette, at: QPointF, target: Target) -> float:
    """Small pictures from ``at`` to the right: linked, locked, solo. Returns how many pixels they take."""
    start = at.x()
    if target.link is not None:
        paint_link(painter, p, at)
        at = at + QPointF(18, 0)
    for picture, on, colour in (("lock", target.locked, p.quiet), ("crosshair", target.solo, p.primary)):
        if on:
            painter.drawPixmap(at - QPointF(0, 7), pixmap(picture, colour, 14))
            at = at + QPointF(16, 0)
    return at.x() - start


def _poses_of(obj: MorphObject, target: Target) -> str:
    """Where a shape of a relay stands: “pose 3 and 7”."""
    rows = [str(n) for n, key in enumerate(poses(obj, target.group or ""), 1) if key.shape == target.id]
    return f"pose{'' if len(rows) == 1 else 's'} {', '.join(rows)}" if rows else "in no pose"


def paint_drivers(painter: QPainter, p: Palette, rect: QRectF, obj: MorphObject, target: Target) -> None:
    """A dot for each driver and as many of their names as there is room for; where a shape of a relay stands."""
    x = rect.left()
    drivers = [obj.target(source) for source in sources_of(obj, target)]
    follows = target.follows is not None
    names = drivers_of(obj, target) if follows else ", ".join(driver.name for driver in drivers) or _poses_of(obj, target)
    painter.setPen(Qt.PenStyle.NoPen)
    for driver in drivers[:6]:
        painter.setBrush(QColor(p.lane(driver.colour)))
        painter.drawEllipse(QRectF(x, rect.center().y() - 3, 6, 6))
        x += 9
    room = QRectF(x + 2 if drivers else x, rect.top(), rect.right() - x - 2, rect.height())
    painter.setFont(font(11))
    painter.setPen(QColor(p.quiet))
    if room.width() < LEAST_ROOM:
        return
    text = painter.fontMetrics().elidedText(names, Qt.TextElideMode.ElideRight, int(room.width()))
    painter.drawText(room, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)


def paint_over(painter: QPainter, p: Palette, rect: QRectF, text: str) -> None:
    """A number at the right of its place, on a plate where it covers a part of the picture."""
    ends = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
    pen, plate = painter.pen(), QColor(p.raised)
    plate.setAlpha(205)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(plate)
    size = painter.fontMetrics().size(0, text)
    place = QRectF(rect.right() - size.width() - 3, rect.center().y() - size.height() / 2, size.width() + 6, size.height())
    painter.drawRoundedRect(place, 4, 4)
    painter.setPen(pen)
    painter.drawText(rect, ends, text)


def paint_bar(painter: QPainter, p: Palette, bar: QRectF, target: Target, weight: float, quiet: bool) -> None:
    """The weight of a target over its range, with a notch for each in-between; one that is ``quiet`` does not act."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(p.track))
    painter.drawRoundedRect(bar, 3, 3)
    zero, here = (min(max(bar_part(target, w), 0.0), 1.0) for w in (0.0, weight))
    left, right = sorted((zero, here))
    if right - left > 1e-3 and not quiet:
        painter.setBrush(QColor(p.lane(target.colour)))
        painter.drawRoundedRect(
            QRectF(bar.left() + left * bar.width(), bar.top(), (right - left) * bar.width(), bar.height()), 3, 3
        )
    for stage in target.in_betweens:
        rect = notch(bar, target, stage.at)
        painter.setBrush(QColor(p.text))
        painter.drawRect(QRectF(rect.center().x() - 1, bar.top() - 3, 2, bar.height() + 6))
    out = bar_part(target, weight)
    if not -1e-6 <= out <= 1 + 1e-6:  # beyond the soft range: an arrow at that end
        painter.setBrush(QColor(p.auto_key))
        x, way = (bar.right(), 1) if out > 1 else (bar.left(), -1)
        painter.drawPolygon(
            [
                QPointF(x - way * 5, bar.top() - 2),
                QPointF(x - way * 5, bar.bottom() + 2),
                QPointF(x + way * 2, bar.center().y()),
            ]
        )


def notch(bar: QRectF, target: Target, at: float) -> QRectF:
    """Where the notch of an in-between can be pressed."""
    x = bar.left() + min(max(bar_part(target, at), 0.0), 1.0) * bar.width()
    return QRectF(x - 5, bar.top() - 6, 10, bar.height() + 12)


def paint_link(painter: QPainter, p: Palette, at: QPointF) -> None:
    """Two rings in one another: the target is linked."""
    painter.setPen(QPen(QColor(p.primary), 1.5))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for x in (4.0, 9.0):
        painter.drawEllipse(QPointF(at.x() + x, at.y()), 4.0, 3.2)
