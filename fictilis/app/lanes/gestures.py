"""What a press on the lanes begins, each as one class that reads from press to release."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent

from fictilis.app.commands.operations import lanes_of
from fictilis.app.lanes.area import LaneArea
from fictilis.app.lanes.places import HIGHEST, LANE, RELAY, RULER, TALL, THIN, LanePlace
from fictilis.app.model.hand import FineWay, Gesture
from fictilis.core.edits import keys as edits
from fictilis.core.edits import timeline, timing
from fictilis.core.edits.targets import move_target
from fictilis.core.ground.errors import there
from fictilis.core.mix import key_refs
from fictilis.core.mix.key_refs import KeyRef

SHIFT, CTRL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
CLICK = 3  # pixels: less is a click
GRIP = 4  # pixels on both sides of the line behind the heads


class LaneGesture(Gesture):
    """One that began on the lanes."""

    def __init__(self, lanes: LaneArea, event: QMouseEvent) -> None:
        self.lanes, self.doc, self.pressed = lanes, lanes.doc, event.position()

    def far(self, event: QMouseEvent, least: int = CLICK) -> bool:
        return (event.position() - self.pressed).manhattanLength() > least

    def frames_moved(self, event: QMouseEvent) -> float:
        return self.lanes.axis.frame_at(event.position().x()) - self.lanes.axis.frame_at(self.pressed.x())


class WidenHeads(LaneGesture):
    """The line behind the heads: wider heads have longer sliders."""

    def __init__(self, lanes: LaneArea, event: QMouseEvent) -> None:
        super().__init__(lanes, event)
        self.was = lanes.axis.head

    def move(self, event: QMouseEvent) -> None:
        self.lanes.axis.widen(round(self.was + event.position().x() - self.pressed.x()))

    def cancel(self) -> None:
        self.lanes.axis.widen(self.was)


class Scrub(LaneGesture):
    def __init__(self, lanes: LaneArea, event: QMouseEvent) -> None:
        super().__init__(lanes, event)
        self.move(event)

    def move(self, event: QMouseEvent) -> None:
        self.doc.scrub(self.lanes.axis.frame_at(event.position().x()))


class Slide(LaneGesture):
    """A lane's slider."""

    def __init__(self, lanes: LaneArea, event: QMouseEvent, place: LanePlace) -> None:
        super().__init__(lanes, event)
        self.place, self.way = place, FineWay(event)
        if place.ref not in self.doc.selected:
            self.doc.select_channel(place.ref)

    def _set(self, event: QMouseEvent, final: bool) -> None:
        self.doc.channels.set_value(self.place.ref, self.place.value_on_slider(self.way.x(event)), final)

    def move(self, event: QMouseEvent) -> None:
        self._set(event, False)

    def end(self, event: QMouseEvent) -> None:
        self._set(event, True)


class MoveKeys(LaneGesture):
    """Selected keys follow the pointer in the direction it mostly went, or in both once it went far enough in both."""

    keeps_scale = True

    def __init__(self, lanes: LaneArea, event: QMouseEvent, key: KeyRef) -> None:
        super().__init__(lanes, event)
        self.place, self.keys = lanes.place(key.lane), self.doc.keys

    def _moved(self, event: QMouseEvent):
        at, place = event.position(), there(self.place)
        dx, dy = at.x() - self.pressed.x(), at.y() - self.pressed.y()
        frames = self.frames_moved(event) if abs(dx) > 3 else 0.0
        value = place.value(at.y()) - place.value(self.pressed.y()) if abs(dy) > 4 else 0.0
        snap = not event.modifiers() & SHIFT
        if snap:
            frames, value = float(np.round(frames)), round(value, place.channel.decimals)
        return edits.move_keys(self.doc.committed.scene, self.keys, frames, value, snap)

    def move(self, event: QMouseEvent) -> None:
        self.doc.preview(self._moved(event)[0] if self.far(event) else None)

    def end(self, event: QMouseEvent) -> None:
        if self.far(event):
            scene, places = self._moved(event)
            session = replace(self.doc.session, keys=frozenset(places))
            self.doc.commit(f"Move {len(places)} key{'' if len(places) == 1 else 's'}", scene, session)


class MoveHandle(LaneGesture):
    keeps_scale = True

    def __init__(self, lanes: LaneArea, event: QMouseEvent, key: KeyRef, side: str) -> None:
        super().__init__(lanes, event)
        self.key, self.side = key, side
        self.place = lanes.place(key.lane)

    def _moved(self, event: QMouseEvent):
        """The scene with the handle put where the pointer is."""
        at, ref = event.position(), self.key
        key = there(there(self.doc.committed.scene.owner(ref.owner).lane(ref.channel)).curve.key_at(ref.frame))
        frames = (self.lanes.axis.frame_at(at.x()) - ref.frame) * (1 if self.side == "out" else -1)
        value = there(self.place).value(at.y()) - key.value
        return edits.set_handle(self.doc.committed.scene, ref, self.side, max(frames, 0.0), value)

    def move(self, event: QMouseEvent) -> None:
        self.doc.preview(self._moved(event))

    def end(self, event: QMouseEvent) -> None:
        if self.far(event, 2):
            self.doc.commit("Move a handle", self._moved(event))


class Retime(LaneGesture):
    """The band: its ends scale, its body shifts."""

    keeps_scale = True

    def __init__(self, lanes: LaneArea, event: QMouseEvent, part: str) -> None:
        super().__init__(lanes, event)
        self.part, self.band = part, there(self.doc.band)

    def _moved(self, event: QMouseEvent):
        first, last = self.band
        by, snap = self.frames_moved(event), not event.modifiers() & SHIFT
        by = float(np.round(by)) if snap else by
        band = {"first": (min(first + by, last - 1), last), "last": (first, max(last + by, first + 1)),
                "body": (first + by, last + by)}[self.part]  # fmt: skip
        lanes = lanes_of(self.doc)
        return timing.retime(self.doc.committed.scene, lanes, first, last, *band, snap), band

    def move(self, event: QMouseEvent) -> None:
        scene, band = self._moved(event)
        self.doc.preview(scene, replace(self.doc.session, band=band))

    def end(self, event: QMouseEvent) -> None:
        if self.far(event, 2):
            scene, band = self._moved(event)
            lost = key_refs.keys_lost(self.doc.committed.scene, scene, lanes_of(self.doc))
            self.doc.commit("Retime", scene, replace(self.doc.session, band=band))
            if lost:
                self.doc.say(key_refs.lost_words(lost), "warning")
        else:
            self.cancel()

    def cancel(self) -> None:
        self.doc.change(band=self.band)


class MovePlayed(LaneGesture):
    """An end of the part that is played."""

    def __init__(self, lanes: LaneArea, event: QMouseEvent, end: int) -> None:
        super().__init__(lanes, event)
        self.side, self.was = end, self.doc.scene.span

    def _moved(self, event: QMouseEvent):
        by = float(np.round(self.frames_moved(event)))
        first, last = self.was
        if self.side == 0:
            first = min(first + by, last - 1)
        else:
            last = max(last + by, first + 1)
        return timeline.set_played(self.doc.committed.scene, first, last)

    def move(self, event: QMouseEvent) -> None:
        self.doc.preview(self._moved(event))

    def end(self, event: QMouseEvent) -> None:
        if self.far(event):
            self.doc.commit("Play a part", self._moved(event))


class Pan(LaneGesture):
    def __init__(self, lanes: LaneArea, event: QMouseEvent) -> None:
        super().__init__(lanes, event)
        self.was = lanes.axis.frames_in_sight()

    def move(self, event: QMouseEvent) -> None:
        left, right = self.lanes.axis.x_range()
        first, last = self.was
        shift = (self.pressed.x() - event.position().x()) / (right - left) * (last - first)
        self.lanes.axis.pan(first + shift - self.lanes.axis.frames_in_sight()[0])


class Box(LaneGesture):
    """Keys in a box; with Shift or Ctrl those selected before stay."""

    def __init__(self, lanes: LaneArea, event: QMouseEvent) -> None:
        super().__init__(lanes, event)
        more = bool(event.modifiers() & (CTRL | SHIFT))
        self.before = self.doc.keys if more else frozenset()
        if not more and self.doc.keys:
            self.doc.change(keys=frozenset())

    def move(self, event: QMouseEvent) -> None:
        self.lanes.box = QRectF(self.pressed, event.position()).normalized()
        self.lanes.viewport().update()

    def end(self, event: QMouseEvent) -> None:
        box = self.lanes.box
        self.cancel()
        if box is not None:
            self.doc.change(keys=self.before | self.lanes.keys_in(box))

    def cancel(self) -> None:
        self.lanes.box = None
        self.lanes.viewport().update()


class Resize(LaneGesture):
    """The lower edge of a head makes its lane higher or lower; near the usual heights it settles on them."""

    def __init__(self, lanes: LaneArea, event: QMouseEvent, place: LanePlace) -> None:
        super().__init__(lanes, event)
        self.place, self.was = place, place.head.height()

    def move(self, event: QMouseEvent) -> None:
        wanted = min(max(self.was + event.position().y() - self.pressed.y(), THIN), HIGHEST)
        settled = next((h for h in (THIN, LANE, RELAY, TALL) if abs(h - wanted) < 5), wanted)
        self.lanes.set_height(self.place.ref, round(settled))


class Reorder(LaneGesture):
    """A click on a head selects its lane; a drag puts a target's lane, and its card, elsewhere in the order."""

    def __init__(self, lanes: LaneArea, event: QMouseEvent, place: LanePlace) -> None:
        super().__init__(lanes, event)
        self.place = place
        row = [p.ref for p in lanes.places()] if event.modifiers() & SHIFT else ()
        self.doc.select_channel(place.ref, bool(event.modifiers() & CTRL), row)

    def _targets(self) -> list[LanePlace]:
        return [p for p in self.lanes.places() if p.channel.part == "weight" and p.owner == self.place.owner]

    def _before(self, y: float) -> LanePlace | None:
        return next((p for p in self._targets() if y < p.head.center().y()), None)

    def move(self, event: QMouseEvent) -> None:
        if self.place.channel.part == "weight" and abs(event.position().y() - self.pressed.y()) > 8:
            before, rows = self._before(event.position().y()), self._targets()
            if rows:
                self.lanes.drop_at = before.head.top() if before else rows[-1].head.bottom()
            self.lanes.viewport().update()

    def cancel(self) -> None:
        self.lanes.drop_at = None
        self.lanes.viewport().update()

    def end(self, event: QMouseEvent) -> None:
        dropped = self.lanes.drop_at is not None
        self.cancel()
        if not dropped:
            return
        obj, moved = self.doc.obj, self.place.channel
        before = self._before(event.position().y())
        order = [t.id for t in obj.targets if t.id != moved.id]
        if before is not None and before.channel.id == moved.id:
            return
        place = order.index(before.channel.id) if before is not None else len(order)
        if [*order[:place], moved.id, *order[place:]] != [t.id for t in obj.targets]:
            self.doc.edit(f"Move {moved.name} in the order", lambda s: move_target(s, obj.id, moved.id, place))


def begin(lanes: LaneArea, event: QMouseEvent) -> Gesture | None:
    """The gesture that a press begins; None where a click is all."""
    at = event.position()
    if event.button() == Qt.MouseButton.MiddleButton:
        return Pan(lanes, event)
    if event.button() != Qt.MouseButton.LeftButton:
        return None
    if abs(at.x() - lanes.axis.head) < GRIP:
        return WidenHeads(lanes, event)
    if at.x() < lanes.axis.head:
        return _on_head(lanes, event)
    if at.y() < RULER:
        part = lanes.band_under(at)
        if part is not None:
            return Retime(lanes, event, part)
        ends = [n for n, rect in enumerate(lanes.played_places()) if rect.contains(at)]
        return MovePlayed(lanes, event, ends[0]) if ends else Scrub(lanes, event)
    handle = lanes.handle_under(at)
    return MoveHandle(lanes, event, *handle) if handle is not None else _on_body(lanes, event)


def _on_head(lanes: LaneArea, event: QMouseEvent) -> Gesture | None:
    at = event.position()
    heading = next((h for h in lanes.headings if h.rect.contains(at)), None)
    if heading is not None and at.y() >= RULER:
        lanes.toggle_heading(heading)
        return None
    place = lanes.lane_under(at)
    if place is None:
        return None
    if place.edge.contains(at) and not lanes.doc.together:
        return Resize(lanes, event, place)
    if place.caret.adjusted(-4, -4, 2, 4).contains(at) and not lanes.doc.together:
        lanes.toggle_open(place)
    elif place.slider.adjusted(-7, -9, 7, 9).contains(at) and not place.is_thin:
        return Slide(lanes, event, place)
    elif place.button.contains(at):
        here = place.curve is not None and place.curve.key_at(lanes.doc.frame) is not None
        lanes.doc.select_channel(place.ref)
        lanes.actions_.by_id["shape-pose" if here else "pose-seen"].trigger()
    elif place.dot.contains(at):
        _toggle_key(lanes, place)
    else:
        return Reorder(lanes, event, place)
    return None


def _toggle_key(lanes: LaneArea, place: LanePlace) -> None:
    doc, channel = lanes.doc, place.channel
    if lanes.dot_state(place) == "here":
        ref = KeyRef(*place.ref, doc.frame)
        doc.edit(f"Delete key of {channel.name}", lambda s: edits.delete_keys(s, [ref]))
    else:
        doc.channels.key_values({place.ref: doc.channels.value(place.ref)}, f"Key {channel.name}")


def _on_body(lanes: LaneArea, event: QMouseEvent) -> Gesture | None:
    doc, key = lanes.doc, lanes.key_under(event.position())
    if key is None:
        return Box(lanes, event)
    if event.modifiers() & (CTRL | SHIFT):
        doc.change(keys=doc.keys ^ {key})
    elif key not in doc.keys:
        # together, what is selected is what is shown, and stays
        selected = doc.selected if doc.together and key.lane in doc.selected else (key.lane,)
        doc.change(keys=frozenset({key}), selected=() if doc.together and not doc.selected else selected)
    return MoveKeys(lanes, event, key) if key in doc.keys else None


def cursor_at(lanes: LaneArea, at: QPointF) -> Qt.CursorShape:
    """The pointer's shape while nothing is pressed."""
    shapes = Qt.CursorShape
    if abs(at.x() - lanes.axis.head) < GRIP:
        return shapes.SplitHCursor
    if at.x() < lanes.axis.head:
        place = lanes.lane_under(at)
        if place is not None and place.edge.contains(at) and not lanes.doc.together:
            return shapes.SizeVerCursor
        on_slider = place is not None and place.slider.adjusted(-7, -9, 7, 9).contains(at)
        return shapes.SizeHorCursor if on_slider else shapes.ArrowCursor
    if at.y() < RULER:
        grips = lanes.band_under(at) is not None or any(rect.contains(at) for rect in lanes.played_places())
        return shapes.SizeHorCursor if grips else shapes.ArrowCursor
    on_key = lanes.key_under(at) is not None or lanes.handle_under(at) is not None
    return shapes.PointingHandCursor if on_key else shapes.ArrowCursor
