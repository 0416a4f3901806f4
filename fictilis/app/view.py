"""The view: an ordinary widget that paints the renderer's picture, with handles, brush and labels over it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtWidgets import QWidget

from fictilis.app import view_tools
from fictilis.app.document import Document
from fictilis.app.picture import Picture
from fictilis.app.theme import Palette
from fictilis.app.thumbnails import tint_of
from fictilis.app.view_overlay import paint_over
from fictilis.app.view_tools import Bench, Event, Typing, handle_under
from fictilis.core.edits.shape import ShapeRef
from fictilis.core.errors import FictilisError
from fictilis.core.geometry.normals import point_normals
from fictilis.core.shaping.mirror import mirror_map
from fictilis.core.shaping.strokes import dab_weights
from fictilis.render.camera import FIELD_OF_VIEW, FRONT, SIDE, TOP, Camera
from fictilis.render.picking import hit_mesh
from fictilis.render.renderer import DrawItem, Renderer
from fictilis.render.snapshot import START_VIEW, bounds
from fictilis.render.stage import ALONE, LINE_UP, Stage, StageItem, StageWish

FINE_AFTER = 180  # ms of stillness before the picture is drawn smooth
MANY_POINTS = 12_000  # above this only picked points are dotted


@dataclass(eq=False)
class _Brush:
    """Where the brush hovers: the pixel, and the falloff (n,) it would have, for colour."""

    x: float
    y: float
    weights: np.ndarray | None = None


class View(QWidget):
    """Shows the document's objects, and turns mouse and keys into strokes."""

    picture_shown = pyqtSignal()
    first_painted = pyqtSignal()

    def __init__(self, doc: Document, palette: Palette, ask_base: Callable[[np.ndarray], str | None]) -> None:
        super().__init__()
        self.doc, self.palette_, self._ask_base = doc, palette, ask_base
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(240, 160)
        self.setAcceptDrops(False)
        self.setAccessibleName("View of the objects")
        self.camera = Camera(**START_VIEW)
        self._line_up_camera: Camera | None = None
        self.picture: Picture | None = None
        self.stage = Stage()
        self.typing = Typing()
        self._stroke: view_tools.Stroke | None = None
        self._stroke_bench: Bench | None = None
        self._typed_start = False
        self._held_axis: int | None = None
        self._live: np.ndarray | None = None
        self.box: tuple[float, float, float, float] | None = None
        self._brush: _Brush | None = None
        self.pointer = QPointF(-1, -1)
        self.navigating: QPointF | None = None
        self._image = None
        self._painted = False
        self._dirty = True
        self._items: list[StageItem] = []
        self._moving = False
        self._weights_key: tuple = ()
        self._pick_weights: np.ndarray | None = None
        self._ghost_of: tuple[np.ndarray, np.ndarray] | None = None
        self._fine = QTimer(self)
        self._fine.setSingleShot(True)
        self._fine.setInterval(FINE_AFTER)
        self._fine.timeout.connect(self._settle)
        self._was_way = doc.way
        self._framed_for: tuple | None = None
        doc.changed.connect(self._on_change)
        doc.moved.connect(self.refresh)

    # the picture

    def set_renderer(self, renderer: Renderer) -> None:
        self.picture = Picture(renderer)
        self.refresh()

    def refresh(self) -> None:
        """Draw again soon."""
        self._dirty = True
        self._moving = True
        self._fine.start()
        self.update()

    def _settle(self) -> None:
        self._moving = False
        self._dirty = True
        self.update()

    def set_palette_(self, palette: Palette) -> None:
        self.palette_ = palette
        self.refresh()

    def _on_change(self) -> None:
        identity = (self.doc.path, tuple(o.id for o in self.doc.scene.objects))
        if self._framed_for != identity and self._framed_for is not None and not self._framed_for[1]:
            self.fit()
        self._framed_for = identity
        if self.doc.way != self._was_way:
            self._change_way()
        self._pick_weights = None
        if self.doc.shaping is None:
            self._cancel_stroke()
            self._brush = None
        self.refresh()

    def _change_way(self) -> None:
        was, self._was_way = self._was_way, self.doc.way
        if self.doc.way == LINE_UP:
            self._line_up_camera = self.camera
            self.fit()
        elif was == LINE_UP and self._line_up_camera is not None:
            self.camera = self._line_up_camera

    def wish(self) -> StageWish:
        doc = self.doc
        right, up, _ = self.camera.axes()
        shaping = doc.shaping
        if shaping is None and doc.way == ALONE and doc.object is not None:
            shaping = ShapeRef(doc.target.id if doc.target else None)
        return StageWish(
            doc.scene, doc.frame, doc.state.posed, doc.way, doc.object_id, shaping, tuple(right), tuple(up),
            self.width() / max(self.height(), 1),
        )  # fmt: skip

    def items(self) -> list[StageItem]:
        items = self.stage.items(self.wish(), self._live)
        if self.doc.shaping is None:
            for item in items:
                item.shaped = False
        return items

    def _draw_items(self) -> list[DrawItem]:
        doc, p = self.doc, self.palette_
        self._items = self.items()
        out = []
        for number, item in enumerate(self._items):
            key = (doc.way, number, item.obj.id, item.ref)
            draw = DrawItem(
                key, item.obj.mesh, item.points, item.normals, item.matrix, item.revision,
                colour=item.obj.appearance.colour, smooth=item.obj.appearance.smooth,
            )  # fmt: skip
            draw.wire = (p.text if not p.dark else "#10211D") if doc.show_wire else None
            if item.shaped:
                self._dress_shaped(draw, item)
            elif doc.show_displacement:
                draw.tint = self._displacement(item)
            # the tint may change while the points do not
            draw.revision = (item.revision, id(draw.tint), doc.picks(item.obj.id).tobytes() if item.shaped else b"")
            out.append(draw)
        if doc.show_ghost and doc.way != LINE_UP and doc.object is not None:
            out.append(self._ghost())
        return out

    def _dress_shaped(self, draw: DrawItem, item: StageItem) -> None:
        doc, p = self.doc, self.palette_
        weights = None
        if self._brush is not None and self._stroke is None:
            weights = self._brush.weights
        elif doc.tools.tool in view_tools.CHANGES and doc.tools.radius > 0 and len(doc.picks()) and self._stroke is None:
            weights = self._falloff(item)
        if weights is not None:
            draw.tint, draw.tint_colour = weights.astype(np.float32) * 0.8, p.picked
        elif doc.show_displacement:
            draw.tint = self._displacement(item)
        if doc.tools.tool != "grab":
            marks = np.zeros(len(item.points), np.float32)
            marks[doc.picks()] = 1.0
            draw.marks = marks
            quiet = ("#3B332C" if not p.dark else "#10211D") if len(item.points) <= MANY_POINTS else None
            draw.point_colours = (quiet, "#2B4C9B" if not p.dark else "#8FB2FF")

    def _displacement(self, item: StageItem) -> np.ndarray:
        base = item.obj.base
        return tint_of(item.obj, item.points - base)

    def _falloff(self, item: StageItem) -> np.ndarray:
        key = (item.revision, self.doc.tools, self.doc.picks().tobytes())
        if self._pick_weights is None or self._weights_key != key:
            self._pick_weights = self.bench(item).weights()
            self._weights_key = key
        return self._pick_weights

    def _ghost(self) -> DrawItem:
        obj = self.doc.object
        points = obj.base.astype(np.float32)
        if self._ghost_of is None or self._ghost_of[0] is not obj.base:
            self._ghost_of = (obj.base, point_normals(obj.mesh, points))
        return DrawItem(
            ("ghost", obj.id), obj.mesh, points, self._ghost_of[1], obj.transform.matrix(), id(obj.base),
            colour=self.palette_.quiet, alpha=0.28,
        )  # fmt: skip

    def paintEvent(self, _event: object) -> None:
        painter = QPainter(self)
        p = self.palette_
        if self.picture is None:
            if not self._painted:
                self._painted = True
                self.first_painted.emit()
            slope = QLinearGradient(0, 0, 0, self.height())
            slope.setColorAt(0, QColor(p.view.top))
            slope.setColorAt(1, QColor(p.view.bottom))
            painter.fillRect(self.rect(), slope)
        else:
            if self._dirty or self._image is None or self._image.size() != self._pixel_size():
                self._image = self.picture.draw(
                    self._draw_items(), self.camera, self.width(), self.height(), self.devicePixelRatioF(), p.view,
                    fine=not self._moving and self._stroke is None,
                )  # fmt: skip
                self._dirty = False
                self.picture_shown.emit()
            painter.drawImage(0, 0, self._image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_over(self, painter)

    def _pixel_size(self):
        return (self.size().toSizeF() * self.devicePixelRatioF()).toSize()

    def label_rects(self) -> list[tuple[StageItem, QRectF]]:
        """Line-up: each item with the rectangle it covers in the picture."""
        out = []
        for item in self._items:
            corners = item.in_scene()
            if not len(corners):
                continue
            pixels, _ = self.camera.project(corners, self.width(), self.height())
            low, high = pixels.min(0), pixels.max(0)
            out.append((item, QRectF(low[0], low[1], high[0] - low[0], high[1] - low[1])))
        return out

    # looking

    def look(self, way: str) -> None:
        """Turn to front, side or top, change the projection, or fit."""
        directions = {"front": FRONT, "side": SIDE, "top": TOP}
        if way in directions:
            self.camera = replace(self.camera, **directions[way], parallel=True)
        elif way == "perspective":
            self.camera = replace(self.camera, **START_VIEW, parallel=False)
        elif way == "parallel":
            self.camera = replace(self.camera, parallel=not self.camera.parallel)
        else:
            self.fit()
        if self.doc.way == LINE_UP and way != "fit":
            self.fit()
        self.refresh()

    def fit(self) -> None:
        """Show the pick, else the object, whole; in the Line-up all shapes."""
        aspect = self.width() / max(self.height(), 1)
        if self.doc.way == LINE_UP and self.doc.object is not None:
            # what stands where depends on the camera's axes only
            clouds = [i.in_scene() for i in self.items() if len(i.points)]
            every = np.concatenate(clouds) if clouds else np.zeros((1, 3))
            axes = self.camera.axes()
            flat = every @ axes.T
            low, high = flat.min(0), flat.max(0)
            across, above = high[0] - low[0], (high[1] - low[1]) * 1.12  # room for the labels
            half = max(above, across / aspect) / 2 * 1.12
            distance = half / np.tan(np.radians(FIELD_OF_VIEW / 2)) + (high[2] - low[2]) / 2
            self.camera = replace(self.camera, centre=tuple(axes.T @ ((low + high) / 2)), distance=float(distance))
            self.refresh()
            return
        shaped = self.shaped_item()
        if shaped is not None and len(self.doc.picks()) > 1:
            cloud = shaped.in_scene()[self.doc.picks()]
            low, high = cloud.min(0), cloud.max(0)
            grow = 0.3 * max(float((high - low).max()), 1e-3)
            low, high = low - grow, high + grow
        else:
            low, high = bounds(self.doc.scene)
        self.camera = self.camera.fitted(low, high, aspect=aspect, margin=1.2)
        self.refresh()

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)
        self.refresh()

    # strokes

    def shaped_item(self) -> StageItem | None:
        if self.doc.shaping is None:
            return None
        self._items = self.items()
        return next((item for item in self._items if item.shaped), None)

    def bench(self, item: StageItem) -> Bench:
        def depth() -> np.ndarray:
            return self.picture.depth(self._draw_items(), self.camera, self.width(), self.height(), self.palette_.view)

        return Bench(
            self.doc, item, self.camera, self.width(), self.height(), depth, self._show_live, self._commit, self._show_box
        )

    def _show_live(self, displacement: np.ndarray | None) -> None:
        self._live = displacement
        self.refresh()

    def _show_box(self, box: tuple[float, float, float, float] | None) -> None:
        self.box = box
        self.update()

    def _commit(self, displacement: np.ndarray, label: str) -> None:
        doc = self.doc
        bench = self._stroke_bench
        choice = "follow"
        if doc.shaping.is_base and doc.object.targets:
            asked = doc.base_choice or self._ask_base(displacement)
            if asked is None:
                self._live = None
                self.refresh()
                return
            choice = asked
        self._live = None
        doc.stroke(displacement, bench.item.share, label, choice)

    def _start_stroke(self, tool: Callable, event: Event) -> bool:
        item = self.shaped_item()
        if item is None or self.picture is None:
            return False
        if abs(item.share) < 1e-6:
            self.doc.say("This shape does not show in the mix: it is muted. Look at it Alone to shape it.", "warning")
            return False
        self._stroke_bench = self.bench(item)
        self._typed_start = event.kind == "type"
        self._held_axis = handle_under(self._stroke_bench, event.x, event.y)[1]
        self._stroke = tool(self._stroke_bench, event)
        try:
            next(self._stroke)
        except StopIteration:
            self._end_stroke()
            return False
        except FictilisError as error:
            self._end_stroke()
            self.doc.say(error.sentence, "error")
            return False
        return True

    def _send(self, event: Event) -> None:
        if self._stroke is None:
            return
        try:
            self._stroke.send(event)
        except StopIteration:
            self._end_stroke()

    def _end_stroke(self) -> None:
        self._stroke, self._stroke_bench, self._live, self.box = None, None, None, None
        self.typing.text = ""
        self.refresh()

    def _cancel_stroke(self) -> None:
        if self._stroke is not None:
            self._stroke.close()
            self._end_stroke()
        self.typing.text = ""

    # events

    def _event(self, kind: str, event: QMouseEvent) -> Event:
        at, keys = event.position(), event.modifiers()
        return Event(
            kind, at.x(), at.y(), bool(keys & Qt.KeyboardModifier.ShiftModifier),
            bool(keys & Qt.KeyboardModifier.ControlModifier),
        )  # fmt: skip

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self.pointer = event.position()
        if event.button() in (Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton):
            self.navigating = event.position()
        elif event.button() == Qt.MouseButton.LeftButton:
            self._press(self._event("press", event))

    def _press(self, press: Event) -> None:
        doc = self.doc
        if self._stroke is not None:
            self._cancel_stroke()
        if doc.way == LINE_UP:
            under = self._line_up_under(press.x, press.y)
            if under is not None and under.ref is not None and under.ref != doc.shaping:
                doc.start_shaping(under.ref)
                return
            if under is not None and under.ref is None and doc.shaping is None:
                return
        if doc.shaping is not None:
            if self._start_stroke(view_tools.TOOLS[doc.tools.tool], press):
                self._brush = None
            return
        self._pick_object(press.x, press.y)

    def _line_up_under(self, x: float, y: float) -> StageItem | None:
        rects = [(item, rect) for item, rect in self.label_rects() if rect.adjusted(-6, -6, 6, 22).contains(x, y)]
        rects.sort(key=lambda pair: abs(pair[1].center().x() - x) + abs(pair[1].center().y() - y))
        return rects[0][0] if rects else None

    def _pick_object(self, x: float, y: float) -> None:
        best = None
        for item in self._items or self.items():
            hit = hit_mesh(item.obj.mesh, item.in_scene(), *self.camera.ray(x, y, self.width(), self.height()))
            if hit is not None and (best is None or hit.distance < best[0]):
                best = (hit.distance, item.obj.id)
        if best is not None:
            self.doc.select_object(best[1])

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self.navigating is not None:
            dx, dy = at.x() - self.navigating.x(), at.y() - self.navigating.y()
            panning = event.modifiers() & Qt.KeyboardModifier.ShiftModifier or event.buttons() & Qt.MouseButton.MiddleButton
            self.camera = self.camera.moved(dx, dy, self.height()) if panning else self.camera.turned(dx, dy)
            self.navigating = self.pointer = at
            self.refresh()
            return
        self.pointer = at
        if self._stroke is not None:
            self._send(self._event("move", event))
        elif self.doc.shaping is not None and self.doc.tools.tool == "grab":
            self._hover(at.x(), at.y())
        self.update()

    def _hover(self, x: float, y: float) -> None:
        """Show what the brush would take, as colour."""
        item = self.shaped_item()
        weights = None
        if item is not None:
            bench = self.bench(item)
            hit = bench.hit(x, y)
            if hit is not None:
                centre = bench.to_object @ (hit.place - item.matrix[:3, 3])
                weights = dab_weights(item.obj, bench.points, centre, hit.points, bench.reach)
                if self.doc.tools.mirror:
                    pairs = mirror_map(item.obj)
                    weights = np.maximum(weights, np.where(pairs >= 0, weights[pairs], 0.0))
        had = self._brush is not None and self._brush.weights is not None
        self._brush = _Brush(x, y, weights)
        if had or weights is not None:
            self.refresh()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() in (Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton):
            self.navigating = None
        elif event.button() == Qt.MouseButton.LeftButton and self._stroke is not None and not self._typed_only():
            if self.typing.amount() is not None:
                self._finish_typed()
            else:
                self._send(self._event("release", event))

    def leaveEvent(self, _event: object) -> None:
        self.pointer = QPointF(-1, -1)
        if self._brush is not None:
            self._brush = None
            self.refresh()
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        factor = 0.9 ** (event.angleDelta().y() / 120)
        at = event.position()
        self.camera = self.camera.zoomed(factor, at.x(), at.y(), self.width(), self.height())
        self.refresh()

    # typed amounts

    def _typing_is_on(self) -> bool:
        return self.doc.shaping is not None and self.doc.tools.tool in view_tools.CHANGES and len(self.doc.picks()) > 0

    def _typed_only(self) -> bool:
        """Whether the stroke began with a typed amount, not with a press."""
        return self._stroke is not None and self._typed_start

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and self._typing_is_on():
            key = event.key()
            typed = event.text() and not event.modifiers() & (
                Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
            )
            dragging = self._stroke is not None
            closing = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape, Qt.Key.Key_Backspace)
            if (self.typing.text or dragging) and key in closing or typed and self.typing.takes(event.text(), dragging):
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._typing_is_on() and self._stroke is None:
            super().keyPressEvent(event)
            return
        key, character = event.key(), event.text().lower()
        if key == Qt.Key.Key_Escape and (self.typing.text or self._stroke is not None):
            self._cancel_stroke()
            self.refresh()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.typing.text:
            self._finish_typed()
        elif key == Qt.Key.Key_Backspace and self.typing.text:
            self.typing.erase()
            self._show_typed()
        elif self.typing.takes(character, self._stroke is not None):
            self.typing.add(character, self._held_axis if self._held_axis is not None else 0)
            self._show_typed()
        else:
            super().keyPressEvent(event)

    def _typed_event(self) -> Event:
        axis, amount = self.typing.amount()
        return Event("type", 0, 0, axis=axis, amount=amount)

    def _show_typed(self) -> None:
        if self.typing.amount() is not None:
            event = self._typed_event()
            if self._stroke is None:
                text = self.typing.text
                self._start_stroke(view_tools.TOOLS[self.doc.tools.tool], event)
                self.typing.text = text
            else:
                self._send(event)
        elif self._typed_only():
            text = self.typing.text
            self._cancel_stroke()
            self.typing.text = text
        self.update()

    def _finish_typed(self) -> None:
        """Commit the typed amount; without a whole number nothing changes."""
        if self.typing.amount() is None or self._stroke is None:
            self._cancel_stroke()
            self.refresh()
            return
        self._send(self._typed_event())
        self._send(Event("release", 0, 0))
