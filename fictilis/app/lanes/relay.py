"""The lane of a relay: a picture over each pose, the ways between them, and a head that says what stands between what."""

from __future__ import annotations

from bisect import bisect_left
from operator import itemgetter

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from fictilis.app.lanes.area import LaneArea
from fictilis.app.lanes.places import LanePlace
from fictilis.app.widgets.theme import font
from fictilis.core.animation.curve import Key
from fictilis.core.mix.channels import Owner
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.relay import is_closed, poses, shape_name
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.scene import MorphObject

BEAD = 4.5
LEAST = 20  # pixels across, for a picture that says something
LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter


def pose_pictures(lanes: LaneArea, place: LanePlace) -> list[tuple[Key, QRectF]]:
    """The poses in sight whose pictures have room, with the places of these; what is selected has it first."""
    if place.curve is None or not place.is_open:
        return []
    axis, room = lanes.axis, place.pictures
    keys = place.curve.keys_between(*(axis.frame_at(x) for x in (place.body.left() - 40, place.body.right() + 40)))
    gaps = [axis.x(b.frame) - axis.x(a.frame) for a, b in zip(keys, keys[1:], strict=False)]
    high = room.height()
    usual = sorted(gaps)[len(gaps) // 2] if gaps else high * 1.1
    wide = min(max(usual - 4, LEAST), high * 1.1)
    out: list[tuple[float, Key, QRectF]] = []  # by the middle of each, so that only neighbours can be in the way
    chosen = {ref.frame for ref in lanes.doc.keys if ref.lane == place.ref}
    for key in sorted(keys, key=lambda k: k.frame not in chosen):
        left = min(max(axis.x(key.frame) - wide / 2, room.left() + 3), room.right() - wide - 3)
        middle = left + wide / 2
        if abs(middle - axis.x(key.frame)) > wide / 2 + 1:  # it stands out of sight
            continue
        n = bisect_left(out, middle, key=itemgetter(0))
        right = left + wide
        if n > 0:  # a little less of it, where little is in the way
            left = max(left, out[n - 1][2].right() + 2)
        if n < len(out):
            right = min(right, out[n][2].left() - 2)
        if right - left >= LEAST:
            rect = QRectF(left, room.top(), right - left, high)
            out.insert(n, (rect.center().x(), key, rect))
    return [(key, rect) for _, key, rect in out]


def pose_under(lanes: LaneArea, place: LanePlace, at: QPointF) -> KeyRef | None:
    """The pose whose picture lies under a pixel."""
    found = next((key for key, rect in pose_pictures(lanes, place) if rect.contains(at)), None)
    return KeyRef(*place.ref, found.frame) if found is not None else None


def paint_relay(lanes: LaneArea, painter: QPainter, place: LanePlace) -> None:
    """The rail with its beads, thick where a pose is held, and the pictures."""
    p, colour, curve = lanes.palette_, QColor(lanes.palette_.primary), place.curve
    rail = place.rail
    if curve is None:
        painter.setPen(QPen(QColor(p.line), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(place.body.left(), rail), QPointF(place.body.right(), rail))
        return
    keys, x = curve.keys, lanes.axis.x
    closed = is_closed(keys)
    for n, (a, b) in enumerate(zip(keys, keys[1:], strict=False)):
        wide = 3.6 if a.interpolation == "hold" else 1.6
        dashed = closed and n == len(keys) - 2 and a.interpolation != "hold"
        painter.setPen(QPen(colour, wide, Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
        painter.drawLine(QPointF(x(a.frame), rail), QPointF(x(b.frame), rail))
        if a.interpolation == "hold":  # the next pose replaces this one at once
            painter.setPen(QPen(colour, 1.6))
            painter.drawLine(QPointF(x(b.frame), rail - 6), QPointF(x(b.frame), rail + 6))
    chosen = {ref.frame for ref in lanes.doc.keys if ref.lane == place.ref}
    for key, rect in pose_pictures(lanes, place):
        ring = closed and key is keys[-1]
        _picture(lanes, painter, place, key, rect, key.frame in chosen, ring)
    for n, key in enumerate(keys):
        at = QPointF(x(key.frame), rail)
        if not place.body.left() - 8 <= at.x() <= place.body.right() + 8:
            continue
        ring = closed and n == len(keys) - 1
        painter.setPen(QPen(colour, 2.2 if key.frame in chosen else 1.6))
        painter.setBrush(QColor(p.raised) if ring or key.frame in chosen else colour)
        size = BEAD + (1.2 if key.frame in chosen else 0.0)
        painter.drawEllipse(at, size, size)


def _picture(lanes: LaneArea, painter: QPainter, place: LanePlace, key: Key, rect: QRectF, chosen: bool, repeats: bool) -> None:
    p = lanes.palette_
    pen = QPen(QColor(p.primary), 2.4 if chosen else 1.2)
    if repeats:
        pen.setStyle(Qt.PenStyle.DashLine)
    painter.setPen(pen)
    painter.setBrush(QColor(p.raised))
    painter.drawRoundedRect(rect, 6, 6)
    owner = place.channel.owner
    image = lanes.picture_of(owner, ShapeRef(key.shape or None)) if isinstance(owner, MorphObject) else None
    if image is None:
        return
    inner = rect.adjusted(2, 2, -2, -2)
    whole = QRectF(image.rect())
    part = inner.width() / inner.height()
    wide = min(whole.width(), whole.height() * part)
    high = min(whole.height(), wide / part)
    source = QRectF(whole.center().x() - wide / 2, whole.center().y() - high / 2, wide, high)
    painter.drawImage(inner, image, source)


def between_words(owner: Owner, group_id: str, place: float) -> str:
    """What a relay stands between: “Contract → Flare, 0.37”; the name of the one it stands on."""
    keys = poses(owner, group_id) if isinstance(owner, MorphObject) else ()
    if not keys or not isinstance(owner, MorphObject):
        return "no pose yet"
    before = min(max(int(place), 0), len(keys) - 1)
    part = place - before
    name = shape_name(owner, keys[before].shape)
    if abs(part) < 5e-3 or before + 1 >= len(keys):
        return name
    return f"{name} → {shape_name(owner, keys[before + 1].shape)}, {part:.2f}"


def paint_head(lanes: LaneArea, painter: QPainter, place: LanePlace, value: float) -> None:
    """Name and number of poses; what can be done here; what it stands between."""
    p, rect = lanes.palette_, place.head
    painter.setPen(QPen(QColor(p.primary), 1.6))
    painter.setBrush(QColor(p.primary))
    painter.drawRoundedRect(QRectF(rect.left() + 20, place.title.center().y() - 4, 8, 8), 2, 2)
    painter.setFont(font(12.5 if not place.is_thin else 11, 600))
    painter.setPen(QColor(p.text))
    metrics = painter.fontMetrics()
    count = len(place.curve.keys) if place.curve is not None else 0
    told = f" relay, {count} pose{'' if count == 1 else 's'}"
    name = metrics.elidedText(place.channel.name, Qt.TextElideMode.ElideMiddle, int(place.title.width() - 94))
    painter.drawText(place.title, LEFT, name)
    painter.setFont(font(11.5))
    painter.setPen(QColor(p.quiet))
    painter.drawText(place.title.adjusted(metrics.horizontalAdvance(name) + 2, 0, 0, 0), LEFT, told)
    if place.button.isEmpty():
        return
    painter.setPen(QPen(QColor(p.line), 1))
    painter.setBrush(QColor(p.raised))
    painter.drawRoundedRect(place.button, 7, 7)
    painter.setPen(QColor(p.text))
    painter.setFont(font(12))
    here = place.curve is not None and place.curve.key_at(lanes.doc.frame) is not None
    painter.drawText(place.button, Qt.AlignmentFlag.AlignCenter, "Shape it" if here else "Pose here")
    painter.setFont(font(11))
    painter.setPen(QColor(p.quiet))
    words = between_words(place.channel.owner, place.channel.id, value)
    line = QRectF(rect.left() + 20, place.button.bottom() + 3, rect.width() - 28, 16)
    painter.drawText(line, LEFT, painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(line.width())))
