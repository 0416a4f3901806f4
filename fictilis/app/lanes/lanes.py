"""The lanes: a ruler, then for each animated number a head (slider, value, key dot) and a body (its curve with beads).

*Together* lays the bodies of the selected lanes over each other in one plot; the same tools work there.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QDragMoveEvent,
    QDropEvent,
    QHelpEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QAbstractScrollArea, QScrollBar, QToolTip, QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.lanes import paint
from fictilis.app.lanes.axis import Axis
from fictilis.app.lanes.choice import LaneChoice
from fictilis.app.lanes.distances import Distances
from fictilis.app.lanes.gestures import begin, cursor_at
from fictilis.app.lanes.menus import context_menu, told_at
from fictilis.app.lanes.places import LANE, RELAY, RULER, TALL, Heading, LaneLook, LanePlace, lay_out
from fictilis.app.lanes.relay import pose_under
from fictilis.app.lanes.spoken import SpokenKeys, SpokenLanes
from fictilis.app.model.document import Document
from fictilis.app.model.hand import Gesture
from fictilis.app.widgets.fields import KeptKeysField, inline_editor, local_files
from fictilis.app.widgets.gesturing import Gesturing
from fictilis.app.widgets.theme import Palette
from fictilis.core.animation.curve import pieces
from fictilis.core.edits import keys as edits
from fictilis.core.ground.errors import there
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.scene import MorphObject
from fictilis.formats.sound import SUFFIXES

GRAB = 8
Picture = Callable[[MorphObject, ShapeRef, str], QImage | None]


class Lanes(Gesturing, QAbstractScrollArea):  # type: ignore[misc]
    """All lanes of the object shown and of the camera. ``dropped``: a sound file."""

    dropped = pyqtSignal(object)

    def __init__(self, doc: Document, actions: Actions, palette: Palette, picture: Picture) -> None:
        """``picture`` is the small picture of a shape on a ground of a colour, or None until it is made."""
        super().__init__()
        self.doc, self.actions_, self.palette_, self._picture = doc, actions, palette, picture
        self.setObjectName("lanes")
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumHeight(RULER + LANE)
        self.viewport().setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.setAccessibleName("Lanes")
        self.look = LaneLook()
        self.axis = Axis(doc, self.viewport())
        self.axis.looked.connect(self.refresh)
        self._shown_of = doc.openings
        self._chosen: tuple[ChannelRef, ...] = ()  # what was selected last, brought into sight
        self.box: QRectF | None = None
        self.ready: Any = None  # what keeps pictures for playing, with spans()
        self.drop_at: float | None = None  # where a dragged lane would come to stand, pixels
        self._places: list[LanePlace] = []
        self.headings: list[Heading] = []
        self._backdrop: tuple[tuple, QPixmap] | None = None
        self.bodies: dict[tuple[str, str], tuple[tuple, QPixmap]] = {}  # kept pictures, by owner and channel
        self.distances = Distances(self)
        self.which = LaneChoice(self, doc, actions)
        self.filter = KeptKeysField(self)
        self.filter.setProperty("slim", True)
        self.filter.setPlaceholderText("Filter")
        self.filter.setAccessibleName("Filter lanes by name")
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(self._set_filter)
        self.spoken, self.spoken_keys = SpokenLanes(self), SpokenKeys(self)
        doc.changed.connect(self.refresh)
        doc.moved.connect(self._moved)
        self.refresh()

    def _set_filter(self, text: str) -> None:
        self.look.filter = text.strip()
        self.refresh()

    def refresh(self) -> None:
        if self._shown_of != self.doc.openings:  # another scene is looked at afresh
            self._shown_of, self.look, self.axis.span = self.doc.openings, LaneLook(), None
            self.bodies.clear()
            self.filter.clear()
        self.which.refresh()
        self.lay_out()
        self.viewport().update()
        last, self._chosen = self._chosen, self.doc.selected[-1:]
        if self._chosen and self._chosen != last:
            self.show_lane(*self._chosen)

    def _moved(self) -> None:
        if self.doc.hand.gesture is not None and self.doc.hand.gesture.keeps_scale:
            self.lay_out(keep_scale=True)
        self.viewport().update()

    # places

    def lay_out(self, keep_scale: bool = False) -> None:
        kept = {p.ref: p.scale for p in self._places} if keep_scale else {}
        port, bar = self.viewport(), self.bar
        self.filter.setGeometry(self.axis.head - 92, 2, 86, RULER - 4)
        self._places, self.headings, total = lay_out(
            self.doc, self.look, port.width(), port.height(), bar.value(), self.axis.head
        )
        for place in self._places if kept else ():
            place.scale = kept.get(place.ref, place.scale)
        page = max(port.height() - RULER, 1)
        bar.setRange(0, max(total - page, 0))
        bar.setPageStep(page)
        bar.setSingleStep(LANE)

    def viewport(self) -> QWidget:
        return there(super().viewport())

    @property
    def bar(self) -> QScrollBar:
        return there(self.verticalScrollBar())

    def places(self) -> list[LanePlace]:
        return self._places

    def in_sight(self) -> list[LanePlace]:
        """The lanes whose bodies are seen at present; what is selected comes last, so that it lies on top."""
        high, selected = self.viewport().height(), frozenset(self.doc.selected)
        seen = [p for p in self._places if p.drawn and (p.plot is not None or p.shows(RULER, high))]
        return sorted(seen, key=lambda p: p.ref in selected)

    def place_of(self, name: str) -> LanePlace:
        """The lane of a channel by name."""
        return next(p for p in self._places if p.channel.name == name)

    def place(self, ref: ChannelRef) -> LanePlace | None:
        return next((p for p in self._places if p.ref == ref), None)

    def set_heights(self, refs: Sequence[ChannelRef], height: int) -> None:
        """Of some lanes, or of all that are shown where none is named."""
        for ref in refs or [place.ref for place in self._places]:
            self.look.heights[ref] = height
        self.refresh()

    def set_height(self, ref: ChannelRef, height: int) -> None:
        """Another height of a lane, in pixels."""
        self.look.heights[ref] = height
        self.refresh()

    def toggle_open(self, place: LanePlace) -> None:
        """To full height, or back."""
        self.set_height(place.ref, LANE if place.is_open else RELAY if place.channel.poses else TALL)

    def toggle_heading(self, heading: Heading) -> None:
        self.look.folded ^= {heading.part}
        self.refresh()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Over heads the wheel scrolls; elsewhere it zooms in time, with Ctrl in value, and with Shift it pans."""
        event.accept()
        if self.doc.hand.busy:  # what is dragged stays under the pointer
            return
        turn, at = event.angleDelta(), event.position()
        steps = (turn.y() or turn.x()) / 120
        if at.x() < self.axis.head:
            bar = self.bar
            bar.setValue(bar.value() - round(steps * LANE))
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            place = self.lane_under(at)
            if place is not None and place.drawn:
                self.look.zoom_values(place, at.y(), 0.85**steps, self.doc.together or self.doc.shared_scale)
                self.refresh()
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier or turn.x():
            first, last = self.axis.frames_in_sight()
            self.axis.pan(-steps * (last - first) * 0.1)
        else:
            self.axis.zoom(0.85**steps, at.x())

    def fit(self, span: tuple[float, float] | None = None) -> None:
        self.axis.fit(span)

    def fit_values(self) -> None:
        """Value scales as they come, without any zoom."""
        self.look.scales.clear()
        self.refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.axis.looked.emit()

    def scrollContentsBy(self, _dx: int, _dy: int) -> None:
        self.refresh()

    # painting

    def picture_of(self, obj: MorphObject, ref: ShapeRef) -> QImage | None:
        """The small picture of a shape, or None until it is made."""
        return self._picture(obj, ref, self.palette_.raised)

    def picture_ready(self) -> None:
        """A picture that was asked for is there."""
        if any(place.channel.poses for place in self.in_sight()):
            self._backdrop = None
            self.viewport().update()

    def paintEvent(self, _event: object) -> None:
        """Curves and ruler come from a picture kept until something of theirs changes; a frame repaints the rest."""
        key = self._backdrop_key()
        if self._backdrop is None or key != self._backdrop[0]:
            self._backdrop = (key, paint.backdrop(self))
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawPixmap(0, 0, self._backdrop[1])
        self.distances.paint(painter)
        paint.ready(self, painter)
        paint.heads(self, painter)
        paint.playhead(self, painter)
        if self.box is not None:
            paint.box(self, painter, self.box)

    def _backdrop_key(self) -> tuple:
        doc, port = self.doc, self.viewport()
        return (
            doc.scene, doc.object_id, doc.keys, doc.selected if doc.together else (), port.width(), port.height(),
            self.palette_.name, self.axis.frames_in_sight(), doc.band, doc.time_shown, doc.together,
            tuple((p.ref, p.body.top(), p.body.height(), p.low, p.high) for p in self.in_sight()), self.axis.head,
        )  # fmt: skip

    def handles(self) -> list[tuple[KeyRef, str, QPointF, QPointF]]:
        """The handles in sight: key, side, where the key is, where the handle's end is. Of selected keys in open lanes."""
        out = []
        for place in self._places:
            if not place.drawn or not place.is_open or place.curve is None or place.channel.poses:
                continue
            keys, part = place.curve.keys, pieces(place.curve)
            for n, key in enumerate(keys):
                ref = KeyRef(*place.ref, key.frame)
                if ref not in self.doc.keys:
                    continue
                into, on = part.handles_at(n)
                at = QPointF(self.axis.x(key.frame), place.y(key.value))
                if n > 0 and keys[n - 1].interpolation == "smooth":
                    out.append((ref, "into", at, QPointF(self.axis.x(key.frame - into[0]), place.y(key.value + into[1]))))
                if n + 1 < len(keys) and key.interpolation == "smooth":
                    out.append((ref, "out", at, QPointF(self.axis.x(key.frame + on[0]), place.y(key.value + on[1]))))
        return out

    def band_places(self) -> tuple[QRectF, QRectF, QRectF] | None:
        """The band of Retime on the ruler: its first end, its body, its last end."""
        if self.doc.band is None:
            return None
        a, b = (self.axis.x(f) for f in self.doc.band)
        return QRectF(a - 5, 1, 10, RULER - 3), QRectF(a, 3, max(b - a, 1), RULER - 8), QRectF(b - 5, 1, 10, RULER - 3)

    def played_places(self) -> tuple[QRectF, QRectF]:
        """The ends of what is played, as grips at the foot of the ruler."""
        a, b = (self.axis.x(f) for f in self.doc.scene.span)
        return QRectF(a - 7, RULER - 9, 9, 9), QRectF(b - 2, RULER - 9, 9, 9)

    def dot_state(self, place: LanePlace) -> str:
        """``here``: a key at this frame; ``posed``: the value differs from the curve; ``keyed``; or ``none``."""
        if place.channel.id in self.doc.state.posed.get(place.owner, {}):
            return "posed"
        if place.curve is None:
            return "none"
        return "here" if place.curve.key_at(self.doc.frame) else "keyed"

    # what is under the pointer

    def lane_under(self, at: QPointF) -> LanePlace | None:
        """The lane of the head under a pixel; in a body that of the curve nearest to it."""
        if at.y() < RULER:
            return None
        if at.x() < self.axis.head:
            return next((p for p in self._places if p.top <= at.y() < p.top + p.tall), None)
        under = [p for p in self.in_sight() if p.body.contains(at)]
        if len(under) < 2:
            return under[0] if under else None
        frame = self.axis.frame_at(at.x())
        return min(under, key=lambda p: abs(p.y(p.curve.value(frame) if p.curve else p.channel.value) - at.y()))

    def key_under(self, at: QPointF) -> KeyRef | None:
        best: tuple[float, KeyRef] | None = None
        if at.y() < RULER:
            return None
        for place in self.in_sight():
            if place.curve is None or not place.body.adjusted(-GRAB, -GRAB, GRAB, GRAB).contains(at):
                continue
            shown = pose_under(self, place, at) if place.channel.poses else None
            if shown is not None:
                return shown
            for key in place.curve.keys_between(*(self.axis.frame_at(at.x() + side) for side in (-GRAB, GRAB))):
                gap = np.hypot(self.axis.x(key.frame) - at.x(), place.y(key.value) - at.y())
                if gap <= GRAB and (best is None or gap <= best[0]):
                    best = (float(gap), KeyRef(*place.ref, key.frame))
        return best[1] if best else None

    def handle_under(self, at: QPointF) -> tuple[KeyRef, str] | None:
        near = [(np.hypot(end.x() - at.x(), end.y() - at.y()), ref, side) for ref, side, _, end in self.handles()]
        near = [row for row in near if row[0] <= GRAB]
        return min(near, key=lambda row: row[0])[1:] if near else None

    def band_under(self, at: QPointF) -> str | None:
        places = self.band_places()
        if places is None or at.y() >= RULER:
            return None
        first, body, last = places
        return "first" if first.contains(at) else "last" if last.contains(at) else "body" if body.contains(at) else None

    def keys_in(self, box: QRectF) -> frozenset[KeyRef]:
        first, last = self.axis.frame_at(box.left()), self.axis.frame_at(box.right())
        return frozenset(
            KeyRef(*place.ref, key.frame)
            for place in self._places
            if place.drawn
            for key in (place.curve.keys_between(first, last) if place.curve else ())
            if box.contains(QPointF(self.axis.x(key.frame), place.y(key.value)))
        )

    def viewportEvent(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            QToolTip.showText(event.globalPos(), told_at(self, QPointF(event.pos())), self.viewport())
            return True
        return super().viewportEvent(event)

    # keys and files

    def show_lane(self, ref: ChannelRef) -> None:
        """Bring a lane into sight."""
        place = self.place(ref)
        if place is not None:
            bar, low = self.bar, self.viewport().height()
            if place.head.top() < RULER or place.head.bottom() > low:
                up = place.head.top() < RULER
                bar.setValue(round(bar.value() + (place.head.top() - RULER if up else place.head.bottom() - low)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and Down go from lane to lane; with Shift they select on."""
        way = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(event.key())
        if way is None or not self._places:
            super().keyPressEvent(event)
            return
        refs = [p.ref for p in self._places]
        now = self.doc.selected[-1] if self.doc.selected else None
        place = min(max(refs.index(now) + way, 0), len(refs) - 1) if now in refs else 0 if way > 0 else len(refs) - 1
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and refs[place] not in self.doc.selected:
            self.doc.select_channel(refs[place], add=True)
        else:
            self.doc.select_channel(refs[place])
        self.show_lane(refs[place])

    @staticmethod
    def _sound_in(event: QDropEvent) -> Path | None:
        return next((path for path in local_files(event) if path.suffix.lower() in SUFFIXES), None)

    def dragEnterEvent(self, event: QDropEvent) -> None:
        if self._sound_in(event) is not None:
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        self.dragEnterEvent(event)

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self.dropped.emit(self._sound_in(event))

    # mouse

    def begin(self, event: QMouseEvent) -> Gesture | None:
        if event.button() == Qt.MouseButton.RightButton:
            self._context(event)
            return None
        return begin(self, event)

    def hover(self, event: QMouseEvent) -> None:
        self.viewport().setCursor(cursor_at(self, event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        super().mouseReleaseEvent(event)
        self.refresh()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        at, place = event.position(), self.lane_under(event.position())
        if place is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self.doc.hand.cancel()
        if at.x() < self.axis.head:
            if place.number.contains(at):
                self.edit_value(place)
            elif place.name.contains(at):
                self.doc.select_channel(place.ref)
        elif place.channel.poses and self.key_under(at) is not None:
            self.doc.set_frame(there(self.key_under(at)).frame)
            self.actions_.by_id["shape-pose"].trigger()
        elif self.key_under(at) is None:
            self._add_key(place, at, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))

    def _add_key(self, place: LanePlace, at: QPointF, between: bool) -> None:
        """A key on the curve at the pointer, on a whole frame or between frames."""
        frame = self.axis.frame_at(at.x()) if between else float(np.round(self.axis.frame_at(at.x())))
        if place.channel.poses:
            self.doc.select_channel(place.ref)
            self.doc.set_frame(frame)
            self.actions_.by_id["pose-seen"].trigger()
            return
        value = place.curve.value(frame) if place.curve else place.channel.value
        self.doc.edit(
            f"Add a key to {place.channel.name}",
            lambda s: edits.key_values(s, place.owner, frame, {place.channel.id: value}, guard=False)[0],
        )

    def edit_value(self, place: LanePlace) -> None:
        """Type the value of a lane."""
        if not self.doc.channels.may_set(place.ref):
            return
        text = f"{self.doc.channels.value(place.ref):.{place.channel.decimals}f}"
        rect = place.number.adjusted(-8, -2, 4, 2)
        inline_editor(
            self.viewport(), rect, text, lambda t: self.doc.channels.type_value(place.ref, t),
            lambda: self.place(place.ref) is not None and self.doc.channels.find(place.ref) is not None, self.doc,
        )  # fmt: skip

    def _context(self, event: QMouseEvent) -> None:
        at, place = event.position(), self.lane_under(event.position())
        menu = context_menu(self, self.actions_, at, lambda: self._add_key(there(place), at, False))
        if menu.actions():
            menu.popup(event.globalPosition().toPoint())
