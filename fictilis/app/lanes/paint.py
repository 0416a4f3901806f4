"""How the lanes are painted: the ruler and the curves once, heads and playhead for every frame."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPixmap

from fictilis.app.lanes.area import LaneArea
from fictilis.app.lanes.curve import paint_curve, paint_scale
from fictilis.app.lanes.places import RULER, Heading, LanePlace
from fictilis.app.lanes.relay import paint_head, paint_relay
from fictilis.app.model.times import time_label
from fictilis.app.widgets.theme import font, mix
from fictilis.core.mix.channels import Channel

KEPT = 120  # bodies of lanes kept as pictures


def backdrop(lanes: LaneArea) -> QPixmap:
    """The ruler and the bodies of the lanes in sight."""
    p, port = lanes.palette_, lanes.viewport()
    ratio = port.devicePixelRatioF()
    out = QPixmap(round(port.width() * ratio), round(port.height() * ratio))
    out.setDevicePixelRatio(ratio)
    painter = QPainter(out)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.fillRect(port.rect(), QColor(p.panel))
    painter.fillRect(QRectF(lanes.axis.head, 0, port.width() - lanes.axis.head, port.height()), QColor(p.lane_body))
    drawn = lanes.in_sight()
    if not drawn:
        painter.setPen(QColor(p.quiet))
        painter.setFont(font(12.5))
        below = QRectF(lanes.axis.head, RULER, port.width() - lanes.axis.head, 60)
        painter.drawText(below, Qt.AlignmentFlag.AlignCenter, _nothing_words(lanes))
    if lanes.doc.together and drawn:
        paint_scale(lanes, painter, drawn[-1])
    for place in drawn:
        _body(lanes, painter, place)
    _outside(lanes, painter)
    _ruler(lanes, painter)
    _band(lanes, painter)
    painter.fillRect(QRectF(0, 0, lanes.axis.head - 1, port.height()), QColor(p.panel))
    painter.setPen(QColor(p.line))
    painter.drawLine(QPointF(0, RULER - 0.5), QPointF(lanes.axis.head, RULER - 0.5))
    painter.drawLine(QPointF(lanes.axis.head - 0.5, 0), QPointF(lanes.axis.head - 0.5, port.height()))
    painter.end()
    return out


def _nothing_words(lanes: LaneArea) -> str:
    doc = lanes.doc
    if doc.object is None:
        return ""
    if doc.together:
        return "No lane has keys yet." if not lanes.places() or all(p.lane is None for p in lanes.places()) else ""
    if lanes.look.filter:
        return f"No lane shown is called “{lanes.look.filter}”."
    if doc.lanes_shown == "all":
        return "" if lanes.headings and doc.object.targets else "Each target has its lane here. Ctrl+T makes a target."
    words = {"keyed": "No lane has keys yet.", "selected": "No lane is selected.", "camera": "The scene has no camera yet."}
    return words.get(doc.lanes_shown, "There are no lanes of this kind.")


def heads(lanes: LaneArea, painter: QPainter) -> None:
    """Names, sliders, values and key dots, as they are at this frame."""
    p, doc, high = lanes.palette_, lanes.doc, lanes.viewport().height()
    values = {}
    painter.save()
    painter.setClipRect(QRectF(0, RULER, lanes.axis.head - 1, high))
    for heading in lanes.headings:
        if heading.rect.bottom() > RULER and heading.rect.top() < high:
            _heading(lanes, painter, heading)
    for place in lanes.places():
        if not place.shows(RULER, high):
            continue
        if place.owner not in values:
            values[place.owner] = doc.channels.values(doc.scene.owner(place.owner))
        if place.ref in doc.selected:
            painter.fillRect(place.head, QColor(p.chosen))
        painter.setPen(QColor(p.line))
        painter.drawLine(place.head.bottomLeft(), place.head.bottomRight())
        _head(lanes, painter, place, values[place.owner][place.channel.id], QColor(p.lane(place.channel.colour)))
    if lanes.drop_at is not None:
        painter.setPen(QPen(QColor(p.primary), 2))
        painter.drawLine(QPointF(0, lanes.drop_at), QPointF(lanes.axis.head, lanes.drop_at))
    painter.restore()


def _heading(lanes: LaneArea, painter: QPainter, heading: Heading) -> None:
    p, rect = lanes.palette_, heading.rect
    painter.fillRect(rect, QColor(mix(p.panel, p.ground, 0.6)))
    painter.setPen(QPen(QColor(p.quiet), 1.4))
    _caret(painter, QPointF(rect.left() + 11, rect.center().y()), not heading.folded)
    painter.setFont(font(11.5, 600))
    text = painter.fontMetrics().elidedText(heading.text, Qt.TextElideMode.ElideMiddle, int(rect.width() - 28))
    painter.drawText(rect.adjusted(20, 0, -6, 0), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)
    painter.setPen(QColor(p.line))
    painter.drawLine(rect.bottomLeft(), rect.bottomRight())


def _caret(painter: QPainter, c: QPointF, open_: bool) -> None:
    d = 3.0
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if open_:
        corners = [(-d, -d / 2), (0, d / 2), (d, -d / 2)]
    else:
        corners = [(-d / 2, -d), (d / 2, 0), (-d / 2, d)]
    painter.drawPolyline([QPointF(c.x() + x, c.y() + y) for x, y in corners])


def box(lanes: LaneArea, painter: QPainter, rect: QRectF) -> None:
    colour = QColor(lanes.palette_.primary)
    painter.setPen(QPen(colour, 1, Qt.PenStyle.DashLine))
    colour.setAlpha(30)
    painter.setBrush(colour)
    painter.drawRect(rect)


def _outside(lanes: LaneArea, painter: QPainter) -> None:
    """A veil over what lies outside of the range."""
    port, scene = lanes.viewport(), lanes.doc.scene
    veil = QColor(lanes.palette_.ground)
    veil.setAlpha(150)
    first, last = lanes.axis.x(scene.start), lanes.axis.x(scene.end)
    if lanes.axis.span is not None and first > lanes.axis.head:
        painter.fillRect(QRectF(lanes.axis.head, RULER, first - lanes.axis.head, port.height()), veil)
    if lanes.axis.span is not None and last < port.width():
        painter.fillRect(QRectF(last, RULER, port.width() - last, port.height()), veil)


def _band(lanes: LaneArea, painter: QPainter) -> None:
    """Retime's band: its body shifts, its ends scale."""
    places = lanes.band_places()
    if places is None:
        return
    first, body, last = places
    colour = QColor(lanes.palette_.primary)
    soft = QColor(colour)
    soft.setAlpha(26)
    painter.fillRect(QRectF(body.left(), RULER, body.width(), lanes.viewport().height()), soft)
    soft.setAlpha(120)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(soft)
    painter.drawRoundedRect(body, 4, 4)
    painter.setBrush(colour)
    for end in (first, last):
        painter.drawRoundedRect(end, 4, 4)


def _ruler(lanes: LaneArea, painter: QPainter) -> None:
    p = lanes.palette_
    painter.fillRect(QRectF(0, 0, lanes.viewport().width(), RULER), QColor(p.panel))
    painter.fillRect(QRectF(lanes.axis.head, 0, lanes.viewport().width() - lanes.axis.head, RULER), QColor(p.ground))
    left, right = lanes.axis.x_range()
    painter.fillRect(QRectF(left, RULER - 4, right - left, 4), QColor(mix(p.line, p.ground, 0.25)))
    painter.setFont(font(11))
    step, labels = lanes.axis.ticks()
    minor = step / 4 if step % 4 == 0 else step / 3 if step % 3 == 0 else step if lanes.doc.time_shown == "frames" else step / 5
    for frame in labels:
        painter.setPen(QColor(p.quiet))
        x = lanes.axis.x(frame)
        painter.drawLine(QPointF(x, 8), QPointF(x, RULER))
        painter.drawText(
            QRectF(x + 4, 2, 60, 15), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, _label(lanes, frame, step)
        )
        painter.setPen(QColor(p.line))
        for part in range(1, round(step / minor)):
            mark = lanes.axis.x(frame + part * minor)
            if mark <= right:
                painter.drawLine(QPointF(mark, RULER - 8), QPointF(mark, RULER - 4))
    painter.setPen(QColor(p.line))
    painter.drawLine(QPointF(0, RULER - 0.5), QPointF(lanes.viewport().width(), RULER - 0.5))
    _played(lanes, painter)


def ready(lanes: LaneArea, painter: QPainter) -> None:
    """The frames whose pictures are made: a stroke along the top of the ruler."""
    for first, last in lanes.ready.spans() if lanes.ready is not None else ():
        a, b = lanes.axis.x(first - 0.5), lanes.axis.x(last + 0.5)
        left, right = max(a, lanes.axis.head), min(b, lanes.viewport().width())
        if right > left:
            painter.fillRect(QRectF(left, 0, right - left, 3), QColor(lanes.palette_.primary))


def _label(lanes: LaneArea, frame: float, step: float) -> str:
    scene = lanes.doc.scene
    if lanes.doc.time_shown == "frames":
        return f"{frame + 0.0:g}"
    return time_label(frame, scene.fps, lanes.doc.time_shown, short=step / scene.fps)


def _played(lanes: LaneArea, painter: QPainter) -> None:
    """What is played: a stroke at the foot of the ruler with a grip at each end."""
    p = lanes.palette_
    colour = QColor(p.primary if lanes.doc.scene.played is not None else p.quiet)
    a, b = (lanes.axis.x(f) for f in lanes.doc.scene.span)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    if lanes.doc.scene.played is not None:
        painter.drawRect(QRectF(a, RULER - 4, b - a, 3))
    for x, way in ((a, -1), (b, 1)):
        painter.drawPolygon([QPointF(x, RULER - 9), QPointF(x, RULER - 1), QPointF(x + way * 6, RULER - 1)])


def playhead_line(lanes: LaneArea, painter: QPainter, top: float, bottom: float) -> None:
    """The line of the present frame; nothing where that lies under the heads."""
    x = lanes.axis.x(lanes.doc.frame)
    if x >= lanes.axis.head - 1:
        painter.setPen(QPen(QColor(lanes.palette_.text), 1.6))
        painter.drawLine(QPointF(x, top), QPointF(x, bottom))


def playhead(lanes: LaneArea, painter: QPainter) -> None:
    x = lanes.axis.x(lanes.doc.frame)
    if x < lanes.axis.head - 1:
        return
    playhead_line(lanes, painter, 4, lanes.viewport().height())
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(lanes.palette_.text))
    painter.drawPolygon([QPointF(x - 7, 1), QPointF(x + 7, 1), QPointF(x + 7, 11), QPointF(x, 18), QPointF(x - 7, 11)])


def _body(lanes: LaneArea, painter: QPainter, place: LanePlace) -> None:
    """A lane's body: as a picture of its own, made anew when the lane is another, so that a drag repaints only its own."""
    if place.channel.poses:
        painter.save()
        painter.setClipRect(place.body)
        paint_relay(lanes, painter, place)
        painter.setPen(QColor(lanes.palette_.line))
        painter.drawLine(place.body.bottomLeft(), place.body.bottomRight())
        painter.restore()
        return
    if lanes.doc.together:
        painter.save()
        painter.setClipRect(place.body)
        paint_curve(lanes, painter, place)
        painter.restore()
        return
    port, body = lanes.viewport(), place.body
    chosen = frozenset(ref.frame for ref in lanes.doc.keys if ref.lane == place.ref)
    key = (
        place.channel.owner if place.channel.driven else place.lane,
        place.channel.seen, body.width(), body.height(), place.low, place.high, chosen,
        lanes.axis.frames_in_sight(), lanes.palette_, lanes.doc.scene.fps, place.is_thin,
    )  # fmt: skip
    kept = lanes.bodies.get(place.ref)
    if kept is None or kept[0] != key:
        ratio = port.devicePixelRatioF()
        picture = QPixmap(round(body.width() * ratio), round(body.height() * ratio))
        picture.setDevicePixelRatio(ratio)
        picture.fill(QColor(lanes.palette_.lane_body))
        own = QPainter(picture)
        own.setRenderHint(QPainter.RenderHint.Antialiasing)
        own.translate(-body.topLeft())
        if place.is_open:
            paint_scale(lanes, own, place)
        paint_curve(lanes, own, place)
        own.setPen(QColor(lanes.palette_.line))
        own.drawLine(body.bottomLeft(), body.bottomRight())
        own.end()
        kept = lanes.bodies[place.ref] = (key, picture)
        while len(lanes.bodies) > KEPT:
            lanes.bodies.pop(next(iter(lanes.bodies)))
    painter.drawPixmap(body.topLeft(), kept[1])


def _head(lanes: LaneArea, painter: QPainter, place: LanePlace, value: float, colour: QColor) -> None:
    p, channel = lanes.palette_, place.channel
    if not lanes.doc.together:
        painter.setPen(QPen(QColor(p.quiet), 1.4))
        _caret(painter, place.caret.center(), place.is_open)
    if channel.poses:
        paint_head(lanes, painter, place, value)
        return
    painter.setPen(QPen(colour, 1.6))
    painter.setBrush(colour if place.drawn else Qt.BrushStyle.NoBrush)
    painter.drawEllipse(QPointF(place.head.left() + 24, place.head.center().y()), 4, 4)
    painter.setFont(font(12.5 if not place.is_thin else 11, 500))
    painter.setPen(QColor(p.quiet if channel.quiet or not place.drawn else p.text))
    name = painter.fontMetrics().elidedText(channel.name, Qt.TextElideMode.ElideMiddle, int(place.name.width()))
    painter.drawText(place.name, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
    if channel.driven and not place.is_thin:
        _driven(lanes, painter, place)
    elif not place.is_thin:
        _slider(lanes, painter, place, value, colour)
    painter.setFont(font(12.5 if not place.is_thin else 11))
    painter.setPen(QColor(p.text))
    painter.drawText(place.number, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, value_text(channel, value))
    if not channel.driven:
        _dot(lanes, painter, place, colour)


def _driven(lanes: LaneArea, painter: QPainter, place: LanePlace) -> None:
    """What a lane without a slider follows."""
    painter.setFont(font(11))
    painter.setPen(QColor(lanes.palette_.quiet))
    text = f"driven by {place.channel.driven}"
    text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, int(place.name.width()))
    painter.drawText(place.name.translated(0, 15), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)


def value_text(channel: Channel, value: float) -> str:
    """A value as a head has room for it."""
    if channel.stepped:
        words, number = channel.kind.words, round(value)
        return words[number][:6] if 0 <= number < len(words) else f"{number}"
    text = f"{value:.{channel.decimals}f}"
    return text if len(text) <= 6 else f"{value:.0f}"


def _slider(lanes: LaneArea, painter: QPainter, place: LanePlace, value: float, colour: QColor) -> None:
    p, rect = lanes.palette_, place.slider
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(p.line if place.ref in lanes.doc.selected else p.track))
    painter.drawRoundedRect(rect, 2, 2)
    rest, here = (min(max(place.part(v), 0.0), 1.0) for v in (place.channel.rest, value))
    left, right = sorted((rest, here))
    painter.setBrush(colour)
    painter.drawRoundedRect(QRectF(rect.left() + left * rect.width(), rect.top(), (right - left) * rect.width(), 4), 2, 2)
    painter.setPen(QPen(QColor(p.text), 1.2))
    painter.setBrush(QColor(p.raised))
    painter.drawEllipse(QPointF(rect.left() + here * rect.width(), rect.center().y()), 5.5, 5.5)


def _dot(lanes: LaneArea, painter: QPainter, place: LanePlace, colour: QColor) -> None:
    state, centre = lanes.dot_state(place), place.dot.center()
    painter.setBrush(colour if state == "here" else Qt.BrushStyle.NoBrush)
    faint = QColor(lanes.palette_.line)
    style = Qt.PenStyle.DashLine if state == "posed" else Qt.PenStyle.SolidLine
    pen = QPen(QColor(lanes.palette_.auto_key) if state == "posed" else faint if state == "none" else colour, 1.6, style)
    if state == "posed":
        pen.setDashPattern([1.6, 1.4])
    painter.setPen(pen)
    painter.drawEllipse(centre, 5.5, 5.5)
