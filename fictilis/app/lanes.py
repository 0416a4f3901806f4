"""The lanes: a ruler, then for each target a head (slider, value, key dot) and a body (its curve with beads)."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPixmap, QWheelEvent
from PyQt6.QtWidgets import QAbstractScrollArea, QMenu, QToolButton

from fictilis.app import lanes_paint as paint
from fictilis.app.actions import Actions
from fictilis.app.document import Document
from fictilis.app.fields import inline_editor
from fictilis.app.lane_place import LanePlace
from fictilis.app.lanes_paint import HEAD, RULER
from fictilis.app.theme import Palette
from fictilis.app.time_commands import TimeCommands
from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.edits import keys as edits
from fictilis.core.edits.keys import KeyRef
from fictilis.core.scene import Target

LANE, TALL, MARGIN = 34, 132, 14
CONTEXT = ("hold", "linear", "smooth", "ease", None, "tangent-auto", "tangent-flat", "straighten", "tangent-free",
           "tangent-aligned", None, "key-numbers", "copy-keys", "paste-keys", "paste-mirrored", "beyond", None, "delete")  # fmt: skip
GRAB = 8


class Same:
    """A value compared by identity, held so that its identity is not used again."""

    def __init__(self, value: object) -> None:
        self.value = value

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Same) and self.value is other.value

    __hash__ = None


class Lanes(QAbstractScrollArea):
    """All lanes of the object shown."""

    def __init__(self, doc: Document, actions: Actions, palette: Palette, commands: TimeCommands) -> None:
        super().__init__()
        self.doc, self.actions_, self.palette_, self.commands = doc, actions, palette, commands
        self.setObjectName("lanes")
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumHeight(RULER + LANE)
        self.viewport().setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Lanes")
        self.open: set[str] = set()
        self.span: tuple[float, float] | None = None  # frames in sight; None is the whole range
        self._drag: tuple | None = None
        self._press = QPointF()
        self._box: QRectF | None = None
        self._before_keys: frozenset[KeyRef] = frozenset()
        self._places: list[LanePlace] = []
        self._backdrop: tuple[tuple, QPixmap] | None = None
        self.which = QToolButton(self)
        self.which.setProperty("flat", True)
        self.which.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.which.setToolTip("Which lanes are shown")
        menu = QMenu(self.which)
        for name in ("lanes-all", "lanes-keyed", "lanes-selected"):
            menu.addAction(actions.by_id[name])
        self.which.setMenu(menu)
        self.which.setFixedHeight(RULER - 3)
        self.which.move(4, 1)
        doc.changed.connect(self.refresh)
        doc.moved.connect(self._moved)
        self.refresh()

    def refresh(self) -> None:
        words = {"all": "All lanes", "keyed": "Keyed lanes", "selected": "Selected lanes"}
        self.which.setText(words[self.doc.lanes_shown] + "  ▾")
        self.which.adjustSize()
        self._lay_out()
        self.viewport().update()

    def _moved(self) -> None:
        if self._drag is not None and self._drag[0] in ("keys", "handle", "band"):
            self._lay_out(keep_scale=True)
        self.viewport().update()

    # places

    def _lay_out(self, keep_scale: bool = False) -> None:
        obj = self.doc.object
        scales = {p.target.id: (p.low, p.high) for p in self._places} if keep_scale else {}
        self._places = []
        y = RULER - self.verticalScrollBar().value()
        width = self.viewport().width()
        for target in obj.targets if obj else ():
            lane = obj.lane(target.id)
            if not self._is_shown(target, lane is not None):
                continue
            curve = lane.curve if lane else None
            height = TALL if target.id in self.open else LANE
            low, high = scales.get(target.id) or self._scale(target, curve)
            self._places.append(
                LanePlace(target, curve, QRectF(0, y, HEAD, height), QRectF(HEAD, y, max(width - HEAD, 10), height), low, high)
            )
            y += height
        total = int(y + self.verticalScrollBar().value() - RULER)
        page = max(self.viewport().height() - RULER, 1)
        self.verticalScrollBar().setRange(0, max(total - page, 0))
        self.verticalScrollBar().setPageStep(page)
        self.verticalScrollBar().setSingleStep(LANE)

    def _is_shown(self, target: Target, keyed: bool) -> bool:
        which = self.doc.lanes_shown
        return which == "all" or which == "keyed" and keyed or which == "selected" and target.id in self.doc.selected

    def _scale(self, target: Target, curve: AnimationCurve | None) -> tuple[float, float]:
        low, high = target.range
        values = [k.value for k in curve.keys] if curve else [target.weight]
        return min(low, *values, 0.0), max(high, *values, 0.0)

    def places(self) -> list[LanePlace]:
        return self._places

    def place_of(self, name: str) -> LanePlace:
        """The lane of a target by name."""
        return next(p for p in self._places if p.target.name == name)

    def x_range(self) -> tuple[float, float]:
        return HEAD + MARGIN, max(self.viewport().width() - MARGIN - 8, HEAD + MARGIN + 10)

    def x(self, frame: float) -> float:
        """The pixel of a frame."""
        left, right = self.x_range()
        first, last = self.frames_in_sight()
        return left + (frame - first) / (last - first) * (right - left)

    def frame_at(self, x: float) -> float:
        left, right = self.x_range()
        first, last = self.frames_in_sight()
        return first + (x - left) / (right - left) * (last - first)

    def frames_in_sight(self) -> tuple[float, float]:
        return self.span or (self.doc.scene.start, self.doc.scene.end)

    def fit(self, span: tuple[float, float] | None) -> None:
        """Show the frames of ``span`` with a little room beside them, or the whole range."""
        if span is not None:
            room = max((span[1] - span[0]) * 0.06, 0.5)
            span = (span[0] - room, span[1] + room)
        self.span = span
        self.refresh()

    def zoom(self, factor: float, x: float) -> None:
        """Show fewer frames (``factor`` below 1) or more; the one at pixel ``x`` stays."""
        first, last = self.frames_in_sight()
        at = self.frame_at(min(max(x, self.x_range()[0]), self.x_range()[1]))
        wide = min(max((last - first) * factor, 2.0), 2e6)
        part = (at - first) / (last - first)
        self.span = (at - part * wide, at - part * wide + wide)
        scene = self.doc.scene
        if wide >= (scene.end - scene.start) and self.span[0] <= scene.start and self.span[1] >= scene.end and factor > 1:
            if abs(wide / (scene.end - scene.start) - 1) < 0.1:
                self.span = None
        self.refresh()

    def pan(self, frames: float) -> None:
        first, last = self.frames_in_sight()
        self.span = (first + frames, last + frames)
        self.refresh()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Over heads the wheel scrolls; elsewhere it zooms in time at the pointer, with Shift it pans."""
        turn, at = event.angleDelta(), event.position()
        steps = (turn.y() or turn.x()) / 120
        if at.x() < HEAD:
            bar = self.verticalScrollBar()
            bar.setValue(bar.value() - round(steps * LANE))
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier or turn.x():
            first, last = self.frames_in_sight()
            self.pan(-steps * (last - first) * 0.1)
        else:
            self.zoom(0.85**steps, at.x())
        event.accept()

    def bead(self, name: str, frame: float) -> QPointF:
        """The pixel of a target's bead at a frame."""
        place = self.place_of(name)
        key = place.curve.key_at(frame)
        return QPointF(self.x(key.frame), place.y(key.value))

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)
        self._lay_out()

    def scrollContentsBy(self, _dx: int, _dy: int) -> None:
        self.refresh()

    # painting

    def paintEvent(self, _event: object) -> None:
        """Curves and ruler come from a picture kept until something of theirs changes; a frame repaints the rest."""
        key = self._backdrop_key()
        if self._backdrop is None or key != self._backdrop[0]:
            self._backdrop = (key, paint.backdrop(self))
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawPixmap(0, 0, self._backdrop[1])
        paint.heads(self, painter)
        paint.playhead(self, painter)
        if self._box is not None:
            paint.box(self, painter, self._box)

    def _backdrop_key(self) -> tuple:
        doc, port = self.doc, self.viewport()
        return (
            Same(doc.scene), doc.object_id, doc.keys, frozenset(self.open), port.width(), port.height(),
            self.verticalScrollBar().value(), self.palette_.name, self.frames_in_sight(), doc.band, tuple((p.low, p.high) for p in self._places),
        )  # fmt: skip

    def ticks(self) -> tuple[int, list[int]]:
        """Frames between labels, and the labelled frames."""
        left, right = self.x_range()
        room = max((right - left) / 78, 1)
        start, end = self.frames_in_sight()
        span = end - start
        steps = [1, 2, 3, 4, 6, 12, 24, 48, 96, 120, 240, 480, 960, 2400, 4800, 24000, 240000]
        step = next((s for s in steps if span / s <= room), 1_000_000)
        first = int(np.ceil(start / step - 1e-9) * step)
        return step, list(range(first, int(np.floor(end + 1e-9)) + 1, step))

    def handles(self) -> list[tuple[KeyRef, str, QPointF, QPointF]]:
        """The handles in sight: key, side, where the key is, where the handle's end is. Of selected keys in open lanes."""
        out = []
        for place in self._places:
            if place.target.id not in self.open or place.curve is None:
                continue
            keys = place.curve.keys
            for n, key in enumerate(keys):
                ref = KeyRef(self.doc.object_id, place.target.id, key.frame)
                if ref not in self.doc.keys:
                    continue
                into, on = place.curve.handles(key)
                at = QPointF(self.x(key.frame), place.y(key.value))
                if n > 0 and keys[n - 1].interpolation == "smooth":
                    out.append((ref, "into", at, QPointF(self.x(key.frame - into[0]), place.y(key.value + into[1]))))
                if n + 1 < len(keys) and key.interpolation == "smooth":
                    out.append((ref, "out", at, QPointF(self.x(key.frame + on[0]), place.y(key.value + on[1]))))
        return out

    def _handle_under(self, at: QPointF) -> tuple[KeyRef, str] | None:
        near = [(np.hypot(end.x() - at.x(), end.y() - at.y()), ref, side) for ref, side, _, end in self.handles()]
        near = [row for row in near if row[0] <= GRAB]
        return min(near, key=lambda row: row[0])[1:] if near else None

    # the band of Retime

    def band_places(self) -> tuple[QRectF, QRectF, QRectF] | None:
        """The band on the ruler: its first end, its body, its last end."""
        if self.doc.band is None:
            return None
        a, b = (self.x(f) for f in self.doc.band)
        return QRectF(a - 5, 1, 10, RULER - 3), QRectF(a, 3, max(b - a, 1), RULER - 8), QRectF(b - 5, 1, 10, RULER - 3)

    def _band_drag(self, at: QPointF) -> str | None:
        places = self.band_places()
        if places is None or at.y() >= RULER:
            return None
        first, body, last = places
        return "first" if first.contains(at) else "last" if last.contains(at) else "body" if body.contains(at) else None

    def _retimed(self, event: QMouseEvent):
        """The scene with the band dragged, and the band's new place."""
        part, (first, last) = self._drag[1], self._drag[2]
        by = self.frame_at(event.position().x()) - self.frame_at(self._press.x())
        snap = not event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        by = float(np.round(by)) if snap else by
        band = {"first": (min(first + by, last - 1), last), "last": (first, max(last + by, first + 1)),
                "body": (first + by, last + by)}[part]  # fmt: skip
        scene = edits.retime(self.doc.settled.scene, self.commands.lanes(), first, last, *band, snap)
        return scene, band

    def dot_state(self, place: LanePlace) -> str:
        """``here``: a key at this frame; ``posed``: the value differs from the curve; ``keyed``; or ``none``."""
        obj = self.doc.object
        posed = self.doc.state.posed.get(obj.id, {})
        if place.target.id in posed:
            return "posed"
        if place.curve is None:
            return "none"
        return "here" if place.curve.key_at(self.doc.frame) else "keyed"

    # mouse

    def _lane_under(self, at: QPointF) -> LanePlace | None:
        if at.y() < RULER:
            return None
        return next((p for p in self._places if p.head.top() <= at.y() < p.head.bottom()), None)

    def _key_under(self, at: QPointF) -> KeyRef | None:
        best: tuple[float, KeyRef] | None = None
        for place in self._places:
            for key in place.curve.keys if place.curve else ():
                gap = np.hypot(self.x(key.frame) - at.x(), place.y(key.value) - at.y())
                if gap <= GRAB and at.y() >= RULER and (best is None or gap < best[0]):
                    best = (float(gap), KeyRef(self.doc.object_id, place.target.id, key.frame))
        return best[1] if best else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = self._press = event.position()
        if event.button() == Qt.MouseButton.RightButton:
            self._context(event)
            return
        if event.button() == Qt.MouseButton.MiddleButton:
            self._drag = ("pan", self.frames_in_sight())
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        handle = self._handle_under(at) if at.x() >= HEAD and at.y() >= RULER else None
        if at.x() < HEAD:
            self._press_head(at, event)
        elif handle is not None:
            self._drag = ("handle", *handle)
        elif self._band_drag(at) is not None:
            self._drag = ("band", self._band_drag(at), self.doc.band)
        elif at.y() < RULER:
            self._drag = ("scrub",)
            self._scrub(at.x())
        else:
            self._press_body(at, event)

    def _press_head(self, at: QPointF, event: QMouseEvent) -> None:
        place = self._lane_under(at)
        if place is None:
            return
        target_id = place.target.id
        if place.caret.adjusted(-4, -4, 2, 4).contains(at):
            self.open ^= {target_id}
            self.refresh()
        elif place.slider.adjusted(-7, -9, 7, 9).contains(at):
            if target_id not in self.doc.selected:
                self.doc.select_target(target_id)
            self._drag = ("slider", target_id)
        elif place.dot.contains(at):
            self._toggle_key(place)
        else:
            keys = event.modifiers()
            self.doc.select_target(
                target_id, bool(keys & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
            )

    def _toggle_key(self, place: LanePlace) -> None:
        doc, target = self.doc, place.target
        if self.dot_state(place) == "here":
            ref = KeyRef(doc.object_id, target.id, doc.frame)
            doc.edit(f"Delete key of {target.name}", lambda s: edits.delete_keys(s, [ref]))
        else:
            doc.key_targets({target.id: doc.weights(doc.object)[target.id]}, f"Key {target.name}")

    def _press_body(self, at: QPointF, event: QMouseEvent) -> None:
        doc, key = self.doc, self._key_under(at)
        more = bool(event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
        if key is not None:
            if more:
                doc.set(keys=doc.keys ^ {key})
            elif key not in doc.keys:
                doc.set(keys=frozenset({key}), selected=(key.target,))
            if key in doc.keys:
                self._drag = ("keys", key)
            return
        self._before_keys = doc.keys if more else frozenset()
        if not more and doc.keys:
            doc.set(keys=frozenset())
        self._drag = ("box",)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._drag is None:
            self._hover(at)
            return
        kind = self._drag[0]
        if kind == "scrub":
            self._scrub(at.x())
        elif kind == "slider":
            self.doc.set_weight(self._drag[1], self._slider_value(self._drag[1], at.x()), final=False)
        elif kind == "keys" and (at - self._press).manhattanLength() > 3:
            scene, _ = self._moved_keys(event)
            self.doc.preview(scene)
        elif kind == "handle":
            self.doc.preview(self._with_handle(event))
        elif kind == "band":
            scene, band = self._retimed(event)
            self.doc.band = band
            self.doc.preview(scene)
        elif kind == "pan":
            left, right = self.x_range()
            first, last = self._drag[1]
            shift = (self._press.x() - at.x()) / (right - left) * (last - first)
            self.span = (first + shift, last + shift)
            self.refresh()
        elif kind == "box":
            self._box = QRectF(self._press, at).normalized()
            self.viewport().update()

    def _hover(self, at: QPointF) -> None:
        place = self._lane_under(at)
        on_slider = place is not None and place.slider.adjusted(-7, -9, 7, 9).contains(at)
        on_key = at.x() >= HEAD and (self._key_under(at) is not None or self._handle_under(at) is not None)
        shape = (
            Qt.CursorShape.SizeHorCursor
            if on_slider or at.x() >= HEAD and self._band_drag(at) is not None
            else Qt.CursorShape.PointingHandCursor
            if on_key
            else Qt.CursorShape.ArrowCursor
        )
        self.viewport().setCursor(shape)

    def _moved_keys(self, event: QMouseEvent):
        """Keys follow the pointer in the direction it mostly went, or in both once it went far enough in both."""
        at, key = event.position(), self._drag[1]
        place = next(p for p in self._places if p.target.id == key.target)
        dx, dy = at.x() - self._press.x(), at.y() - self._press.y()
        frames = self.frame_at(at.x()) - self.frame_at(self._press.x()) if abs(dx) > 3 else 0.0
        value = place.value(at.y()) - place.value(self._press.y()) if abs(dy) > 4 else 0.0
        snap = not event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if snap:
            frames, value = float(np.round(frames)), round(value, 2)
        return edits.move_keys(self.doc.settled.scene, self.doc.keys, frames, value, snap)

    def _with_handle(self, event: QMouseEvent):
        """The scene with the handle held put where the pointer is."""
        _, ref, side = self._drag
        place = next(p for p in self._places if p.target.id == ref.target)
        key = self.doc.settled.scene.object(ref.object).lane(ref.target).curve.key_at(ref.frame)
        frames = (self.frame_at(event.position().x()) - ref.frame) * (1 if side == "out" else -1)
        value = place.value(event.position().y()) - key.value
        return edits.set_handle(self.doc.settled.scene, ref, side, max(frames, 0.0), value)

    def _slider_value(self, target_id: str, x: float) -> float:
        place = next(p for p in self._places if p.target.id == target_id)
        low, high = place.target.range
        return round(low + min(max((x - place.slider.left()) / place.slider.width(), 0.0), 1.0) * (high - low), 3)

    def _scrub(self, x: float) -> None:
        scene = self.doc.scene
        self.doc.set_frame(float(np.clip(np.round(self.frame_at(x)), np.ceil(scene.start), np.floor(scene.end))))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        (kind, *rest), at = self._drag, event.position()
        doc = self.doc
        if kind == "slider":
            self._drag = None
            doc.set_weight(rest[0], self._slider_value(rest[0], at.x()))
        elif kind == "keys":
            if (at - self._press).manhattanLength() > 3:
                scene, places = self._moved_keys(event)
                self._drag = None
                count = len(places)
                doc.keys = frozenset(places)
                doc.commit(f"Move {count} key{'' if count == 1 else 's'}", scene)
        elif kind == "handle":
            if (at - self._press).manhattanLength() > 2:
                scene, self._drag = self._with_handle(event), None
                doc.commit("Move a handle", scene)
        elif kind == "band":
            if (at - self._press).manhattanLength() > 2:
                scene, band = self._retimed(event)
                self._drag, doc.band = None, band
                doc.commit("Retime", scene)
        elif kind == "box":
            if self._box is not None:
                doc.set(keys=self._before_keys | self._keys_in(self._box))
            self._box = None
        self._drag = None
        self.refresh()

    def _keys_in(self, box: QRectF) -> frozenset[KeyRef]:
        return frozenset(
            KeyRef(self.doc.object_id, place.target.id, key.frame)
            for place in self._places
            for key in (place.curve.keys if place.curve else ())
            if box.contains(QPointF(self.x(key.frame), place.y(key.value)))
        )

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        at, place = event.position(), self._lane_under(event.position())
        if place is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._drag = None
        if at.x() < HEAD:
            if place.number.contains(at):
                self.edit_value(place)
            elif place.name.contains(at):
                self.doc.select_target(place.target.id)
        elif self._key_under(at) is None:
            frame = float(np.round(self.frame_at(at.x())))
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                frame = self.frame_at(at.x())
            doc, target = self.doc, place.target
            value = place.curve.value(frame) if place.curve else target.weight
            doc.edit(
                f"Add a key to {target.name}",
                lambda s: edits.key_weights(s, doc.object_id, frame, {target.id: value}, guard=False)[0],
            )

    def edit_value(self, place: LanePlace) -> None:
        target = place.target

        text = f"{self.doc.weights(self.doc.object)[target.id]:.2f}"
        inline_editor(self.viewport(), place.number.adjusted(-8, -2, 4, 2), text, lambda t: self.doc.type_weight(target.id, t))

    def _context(self, event: QMouseEvent) -> None:
        key = self._key_under(event.position())
        if key is not None and key not in self.doc.keys:
            self.doc.set(keys=frozenset({key}), selected=(key.target,))
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name in CONTEXT:
            if name is None:
                menu.addSeparator()
            else:
                menu.addAction(self.actions_.by_id[name])
        menu.popup(event.globalPosition().toPoint())
