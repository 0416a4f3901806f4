"""The view: an ordinary widget that paints the renderer's picture, with handles, brush and labels over it."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QResizeEvent,
    QTabletEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from fictilis.app.model.document import Document
from fictilis.app.model.hand import Gesture
from fictilis.app.view.amount_field import AmountField
from fictilis.app.view.backing import Backing
from fictilis.app.view.canvas import Seen, look_under, object_under
from fictilis.app.view.clicks import Clicks
from fictilis.app.view.compass import TurnByCompass, on_compass
from fictilis.app.view.divider import MoveDivider
from fictilis.app.view.drawing import Drawing, DrawStroke, Taken
from fictilis.app.view.dressing import Dressing, Worn
from fictilis.app.view.eye import Eye
from fictilis.app.view.front import MoveFront, on_front
from fictilis.app.view.joints import TurnJoint, joint_under
from fictilis.app.view.measuring import Measuring
from fictilis.app.view.motion import MoveBead, bead_under
from fictilis.app.view.overlay import divider_x, label_under, paint_over
from fictilis.app.view.picture import Picture, plain_image
from fictilis.app.view.ready import Ready
from fictilis.app.view.showing import Showing
from fictilis.app.view.strokes import Strokes
from fictilis.app.view.tools import TOOLS, Bench, Event
from fictilis.app.view.tools.brushing import hover_weights
from fictilis.app.view.tools.pick_tool import double_click
from fictilis.app.view.touching import Touching
from fictilis.app.view.turning import Turning
from fictilis.app.widgets.gesturing import Gesturing
from fictilis.app.widgets.layouts import later
from fictilis.app.widgets.theme import Palette
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.scene import Deltas
from fictilis.render.beside import Draws
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem
from fictilis.render.stage import ALONE, LINE_UP, Stage, StageItem, StageWish, seen_boxes

PIVOT = "Click a point to put the pivot on it; Esc leaves"
AT_ONCE = 0.035  # s of finding out shapes before others get their turn
LARGE, FINE_AFTER = 50_000, 180  # points of a scene; ms of stillness before the picture is drawn smooth


class View(Gesturing, QWidget):
    """Shows the document's objects, and turns mouse and keys into strokes."""

    picture_shown = pyqtSignal()
    asked = pyqtSignal(object)  # for a menu, at a place of the screen
    first_painted = pyqtSignal()
    refreshed = pyqtSignal()

    def __init__(self, doc: Document, palette: Palette, ask_base: Callable[[Deltas], str | None]) -> None:
        super().__init__()
        self.doc, self.palette_, self.ask_base = doc, palette, ask_base
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(240, 160)
        self.setAcceptDrops(False)
        self.setAccessibleName("View of the objects")
        self.motion_kept: tuple | None = None
        self.stage, self._before_stage = Stage(AT_ONCE), Stage()
        self.dressing = Dressing(doc)
        self.turning = Turning(self)
        self.eye = Eye(doc, self)
        self.backing = Backing(doc, self, self.eye.looks_through)
        self.strokes, self.drawing = Strokes(self, doc), Drawing(self)
        self.amount, self.ready, self.touching = AmountField(self), Ready(doc, self), Touching(self)
        self.worn = Worn()
        self.pointer = QPointF(-1, -1)
        self.seen: Seen | None = None
        self.clicks, self.measuring = Clicks(self), Measuring(self)
        self.divider: float = 0.5
        self._pressure = 1.0
        self.showing = Showing(self, doc)
        self.showing.shown.connect(self.picture_shown)
        self._painted = self._next_time = False  # a large scene that was opened is drawn when all else stands
        self._items: list[StageItem] = []
        self.moving = False
        self._fine = later(self, FINE_AFTER, self._settle)
        self._framed_for: tuple | None = None
        doc.opened.connect(self.forget)
        doc.changed.connect(self._on_change)
        doc.moved.connect(self.refresh)

    def set_renderer(self, renderer: Draws | None) -> None:
        self.showing.set_renderer(renderer)
        self.refresh()

    @property
    def picture(self) -> Picture | None:
        return self.showing.picture

    def forget(self) -> None:
        self.drawing.leave()
        self.clicks.stop()
        self.stage, self._before_stage, self.dressing = Stage(AT_ONCE), Stage(), Dressing(self.doc)
        self._items, self.seen, self.motion_kept, self.worn = [], None, None, Worn()
        self._next_time = sum(len(o.base) for o in self.doc.scene.objects) > LARGE
        self.strokes.forget()
        self.ready.forget()
        self.showing.forget()

    def take_stage(self, stage: Stage) -> None:
        """Show what stands on a stage that was set elsewhere."""
        stage.seconds, self.stage = AT_ONCE, stage

    def refresh(self) -> None:
        """Draw again soon."""
        self.ready.look()
        self.showing.dirty = self.moving = True
        self._fine.start()
        self.update()
        if self.amount.isVisible():
            self.amount.place()
        self.refreshed.emit()

    def _settle(self) -> None:
        self.eye.aim_done()
        self.moving = False
        self.showing.dirty = True
        self.update()

    def set_palette_(self, palette: Palette) -> None:
        self.palette_ = palette
        self.amount.set_palette_(palette)
        self.refresh()

    def _on_change(self) -> None:
        identity = (self.doc.path, tuple(o.id for o in self.doc.scene.objects))
        if self._framed_for != identity and self._framed_for is not None and not self._framed_for[1]:
            self.eye.fit()
        self._framed_for = identity
        self.eye.changed()
        self.worn.falloff = None
        self.clicks.changed()
        self.drawing.changed()
        self.strokes.changed()
        self.amount.changed()
        self.refresh()

    @property
    def camera(self) -> Camera:
        return self.eye.camera

    @camera.setter
    def camera(self, camera: Camera) -> None:
        self.eye.camera = camera

    def wish(self) -> StageWish:
        doc = self.doc
        right, up, _ = self.camera.axes()
        alone = ShapeRef(doc.target.id if doc.target else None) if doc.way == ALONE and doc.object is not None else None
        scene, posed = (doc.scene, doc.state.posed) if doc.live is None else (doc.live.scene, doc.live.posed)
        return StageWish(
            scene, doc.frame, posed, doc.way, doc.object_id, doc.shaping or alone, tuple(right), tuple(up),
            self.width() / max(self.height(), 1), self.moving,
            doc.selected_targets if len(doc.selected_targets) > 1 and doc.shaping is None else (),
        )  # fmt: skip

    def items(self) -> list[StageItem]:
        items = self.stage.items(self.wish(), self.strokes.live)
        if self.doc.shaping is None:
            for item in items:
                item.shaped = False
        return items

    def shown(self) -> list[StageItem]:
        """What was drawn last."""
        return self._items

    def draw_items(self) -> list[DrawItem]:
        self._items = self.items()
        still = not self.moving and not self.strokes.on
        shaped = next((item for item in self._items if item.shaped), None)
        if shaped is not None and not self.strokes.on and self.worn.falloff is None:
            self._wear_pick(shaped)
        return self.dressing.items(self._items, self.palette_, self.worn, still)

    def _wear_pick(self, item: StageItem) -> None:
        """The falloff around the pick as colour, before a stroke."""
        tools = self.doc.tools
        if TOOLS[tools.tool].family in ("handles", "exact", "slide") and tools.radius > 0 and len(self.doc.pick()):
            self.worn.falloff = self.bench(item).weights

    def _before_items(self) -> list[DrawItem]:
        stage = self._before_stage.items(self.before_wish(self.wish()))
        return self.dressing.items(stage, self.palette_, Worn(), False, "before")

    def before_wish(self, wish: StageWish) -> StageWish:
        """Of the shapes as they were when shaping began; while mixing, of the bases."""
        doc = self.doc
        if doc.shaping is not None and doc.before is not None:
            wish = replace(wish, scene=doc.before)
        else:
            wish = replace(wish, posed={o.id: {t.id: 0.0 for t in o.targets} for o in doc.scene.objects}, shaping=None)
        current = next((o for o in wish.scene.objects if o.id == wish.current), None)
        if current is None or wish.shaping is not None and not wish.shaping.exists_in(current):
            wish = replace(wish, shaping=None, way="In the mix")
        return wish

    def paintEvent(self, _event: object) -> None:
        painter, background = QPainter(self), self.palette_.view
        if self.picture is None or self._next_time:
            if not self._painted:
                self._painted = True
                self.first_painted.emit()
            painter.drawImage(self.rect(), plain_image(background))  # a gradient takes a while
            if self._next_time:
                QTimer.singleShot(0, self.update)
            self._next_time = False
        else:
            if not self.showing.fits:
                self._draw()
            self.showing.paint(painter, background, divider_x(self))
            self.backing.paint(painter)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_over(self, painter)

    def _draw(self) -> None:
        kept = self.ready.picture() if self.moving and not self.doc.seeing.before else None
        if kept is not None:
            self.showing.take(kept)
            return
        fine, before = not self.moving and not self.strokes.on, self._before_items if self.doc.seeing.before else None
        late = lambda: self.stage.unfinished  # noqa: E731 - known once there are items
        self.showing.ask(self.draw_items, self.camera, self.backing.background(), fine, late, before)

    def label_rects(self) -> list[tuple[StageItem, QRectF]]:
        """Line-up: each item of the object shown with the rectangle it covers in the picture, found by some of its points."""
        mine = [item for item in self._items if item.obj.id == self.doc.object_id]
        return [(item, QRectF(*box)) for item, box in seen_boxes(mine, self.camera, self.width(), self.height())]

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.showing.forget_frames()
        self.refresh()

    # what is shaped

    def shaped_item(self) -> StageItem | None:
        if self.doc.shaping is None:
            return None
        self._items = self.items()
        return next((item for item in self._items if item.shaped), None)

    def bench(self, item: StageItem) -> Bench:
        return self.strokes.bench(item)

    def draw(self, take: Taken) -> None:
        """Draw a line; what is drawn is given to ``take``."""
        self.clicks.stop()
        self.drawing.start(take)

    def place_pivot(self) -> None:
        """The next click places the pivot."""
        self.clicks.wait(PIVOT, self.strokes.place_pivot, lambda: self.doc.shaping is not None)

    def measure(self) -> None:
        """Measure between two points that are picked or clicked."""
        self.measuring.start()

    # events

    def as_event(self, kind: str, event: QMouseEvent) -> Event:
        """A mouse event as one that tools take."""
        at, keys = event.position(), event.modifiers()
        return Event(
            kind, at.x(), at.y(), bool(keys & Qt.KeyboardModifier.ShiftModifier),
            bool(keys & Qt.KeyboardModifier.ControlModifier),
            pressure=self._pressure if self.doc.tools.pressure else 1.0,
        )  # fmt: skip

    def tabletEvent(self, event: QTabletEvent) -> None:
        """Keep the pen's pressure, and let the mouse event follow."""
        released = event.type() == QEvent.Type.TabletRelease
        self._pressure = 1.0 if released else max(float(event.pressure()), 0.02)
        event.ignore()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.pointer = event.position()
        if not self.turning.press(event):
            self.setFocus()
            super().mousePressEvent(event)

    def begin(self, event: QMouseEvent) -> Gesture | None:
        if event.button() != Qt.MouseButton.LeftButton:
            return None
        doc, press = self.doc, self.as_event("press", event)
        if on_compass(self, event.position()):
            return TurnByCompass(self, event)
        if doc.seeing.before and abs(press.x - divider_x(self)) < 6:
            return MoveDivider(self)
        if self.clicks.on:
            self.clicks.press(press)
            return None
        if doc.way == LINE_UP:
            self._items = self.items()  # the picture may still show another object
            item = label_under(self.label_rects(), event.position())
            if item is not None and item.ref is not None and item.ref != doc.shaping:
                doc.start_shaping(item.ref)
                return None
            if item is not None and item.ref is None and doc.shaping is None:
                return None
        if self.touching.on:
            self.touching.press(press)
            return None
        if self.drawing.on:
            return DrawStroke(self.drawing, press)
        if doc.shaping is not None:
            return self.strokes.start(press)
        return self._mix_gesture(event, press)

    def _mix_gesture(self, event: QMouseEvent, press: Event) -> Gesture | None:
        """What a press begins while nothing is shaped: a joint, a key on its path, a front, or the object under it."""
        joint = joint_under(self, event.position())
        if joint is not None:
            return TurnJoint(self, *joint, event)
        bead = bead_under(self, event.position())
        if bead is not None:
            return MoveBead(self, bead, event)
        front = on_front(self, event.position())
        if front is not None:
            return MoveFront(self, front)
        found = object_under(self._items or self.items(), self.camera, (press.x, press.y), (self.width(), self.height()))
        if found is not None:
            self.doc.select_object(found)
        return None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.turning.double_click(event):
            return
        item = self.shaped_item()
        family = TOOLS[self.doc.tools.tool].family
        elsewhere = family == "brush" or self.picture is None or on_compass(self, event.position())
        if event.button() != Qt.MouseButton.LeftButton or item is None or elsewhere:
            self.mousePressEvent(event)
            return
        self.doc.hand.cancel()
        double_click(self.bench(item), self.as_event("press", event))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.turning.move(event):
            return
        self.pointer = event.position()
        if not self.amount.isVisible():
            super().mouseMoveEvent(event)
        self.update()

    def hover(self, event: QMouseEvent) -> None:
        at = event.position()
        self._hover(at.x(), at.y())
        near = self.doc.seeing.before and abs(at.x() - divider_x(self)) < 6
        shape = Qt.CursorShape.SplitHCursor if near else Qt.CursorShape.ArrowCursor
        if on_compass(self, at):
            shape = Qt.CursorShape.PointingHandCursor
        elif self.clicks.on or self.drawing.on:
            shape = Qt.CursorShape.CrossCursor
        elif not near and self.doc.shaping is None and (joint_under(self, at) or bead_under(self, at) or on_front(self, at)):
            shape = Qt.CursorShape.OpenHandCursor
        self.setCursor(shape)

    def _hover(self, x: float, y: float) -> None:
        """Show what the brush would take, as colour, and what is under the pointer, as numbers."""
        doc, item = self.doc, self.shaped_item()
        if item is not None and TOOLS[doc.tools.tool].family == "brush" and doc.tools.tool != "mask":
            bench = self.bench(item)
            hit = None if on_compass(self, QPointF(x, y)) else bench.hit(x, y)
            weights = hover_weights(bench, hit) if hit is not None else None
            if weights is not None or self.worn.falloff is not None:
                self.worn.falloff = weights
                self.refresh()
        if doc.seeing.numbers or doc.seeing.paths or self.measuring.on:
            self.seen = look_under(self._items or self.items(), self.camera, (x, y), (self.width(), self.height()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        asks = self.turning.release(event)
        if asks:
            self.asked.emit(event.globalPosition().toPoint())
        elif asks is None and not self.amount.isVisible():  # else what is typed goes on without the button
            super().mouseReleaseEvent(event)

    def leaveEvent(self, _event: object) -> None:
        self.pointer, self.seen = QPointF(-1, -1), None
        if self.worn.falloff is not None and not self.strokes.on:
            self.worn.falloff = None
            self.refresh()
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.turning.wheel(event)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            if any(part.wants(event) for part in self._keyed()):
                event.accept()
                return True
        return super().event(event)

    def _keyed(self) -> tuple[Clicks | Drawing | AmountField | Touching, ...]:
        """What takes keys before shortcuts do."""
        return self.clicks, self.drawing, self.amount, self.touching

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not any(part.key(event) for part in self._keyed()):
            super().keyPressEvent(event)
