"""The strokes of a view: a tool's generator from press to release, its bench, and changes by forms and exact changes."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from PyQt6.QtGui import QMouseEvent

from fictilis.app.model.document import Document
from fictilis.app.model.hand import Gesture
from fictilis.app.view.canvas import Canvas
from fictilis.app.view.tools import TOOLS, Bench, Event, Stroke
from fictilis.app.view.tools.bench import Snap
from fictilis.app.view.tools.handling import CHANGES, apply_scale, handle_under, move_to, size_factors
from fictilis.app.view.tools.pick_tool import under
from fictilis.core.ground.affine import placed
from fictilis.core.ground.arrays import extent
from fictilis.core.ground.errors import EditRefused, FictilisError, there
from fictilis.core.scene.scene import Deltas
from fictilis.core.shaping.exact import EXACT_CHANGES, change_exactly
from fictilis.core.validity.targets import LOCKED
from fictilis.render.stage import StageItem


class ToolStroke(Gesture):
    """A tool's generator, from the press to the release."""

    def __init__(self, strokes: Strokes, bench: Bench, press: Event) -> None:
        self.strokes, self.bench = strokes, bench
        self.by_keys = press.kind == "type"
        self.press = self.last = press
        self._run = self._begun()
        self.over = False

    def _begun(self) -> Stroke:
        return TOOLS[self.bench.tools.tool].run(self.bench, self.press)

    def begin(self) -> bool:
        """The first step; whether the stroke goes on."""
        self._step(lambda: next(self._run))
        return not self.over

    def send(self, event: Event) -> None:
        self.last = event
        self._step(lambda: self._run.send(event))

    def _step(self, step: Callable[[], None]) -> None:
        """Let the tool take an event. An expected error ends the stroke and is said."""
        try:
            step()
            return
        except StopIteration:
            self.over = True
        except FictilisError as error:
            self.over = True
            self.strokes.doc.say(error.said, "error")
        if self.strokes.doc.hand.gesture is self:
            self.strokes.doc.hand.cancel()

    def move(self, event: QMouseEvent) -> None:
        self.send(self.strokes.view.as_event("move", event))

    def end(self, event: QMouseEvent | None) -> None:
        self.send(self.strokes.view.as_event("release", event) if event is not None else Event("release", 0, 0))
        self.cancel()

    def cancel(self) -> None:
        self._run.close()
        self.strokes.clean()

    def renew(self) -> None:
        """The tool's numbers changed: do the stroke again with them. Brushes take them for further dabs."""
        bench, tools = self.bench, self.strokes.doc.tools
        if bench.tools == tools:
            return
        tool = TOOLS[tools.tool]
        if tool.id != bench.tools.tool or tool.family == "brush" and tool.id != "grab" or tool.family == "pick":
            bench.tools = tools
            return
        self._run.close()
        self.strokes.live = None
        self.bench = self.strokes.bench(there(self.strokes.view.shaped_item()))
        self._run, last = self._begun(), self.last
        if self.begin() and last is not self.press:
            self.send(last)


class Strokes:
    """``live`` is the displacement of the shaped item that is shown but not committed yet; ``line`` one on the screen,
    ``snap`` what a move snapped to;
    ``held_axis`` that of the handle held."""

    def __init__(self, view: Canvas, doc: Document) -> None:
        self.view, self.doc = view, doc
        self.live: Deltas | None = None
        self.line: np.ndarray | None = None
        self.snap: Snap | None = None
        self._kept_bench: tuple[tuple, Bench] | None = None
        self.held_axis: int | None = None
        self._exact_key: tuple | None = None
        self._asked: tuple | None = None  # tools, pick and shape that an exact change was set for

    @property
    def gesture(self) -> ToolStroke | None:
        held = self.doc.hand.gesture
        return held if isinstance(held, ToolStroke) else None

    @property
    def on(self) -> bool:
        return self.gesture is not None

    def changed(self) -> None:
        """The document changed: do the stroke again with other numbers, and show the exact change as it is now."""
        if self.gesture is not None:
            self.gesture.renew()
        elif self.doc.shaping is None:
            self._kept_bench = None  # of a large mesh it is large
        self.show_exact()

    def bench(self, item: StageItem) -> Bench:
        """What tools work on, kept while nothing it was made of has changed."""
        key = (
            item.obj,
            item.ref,
            item.revision,
            self.view.camera,
            self.doc.tools,
            self.doc.pick(),
            self.view.width(),
            self.view.height(),
            self.doc.frame,
            self.doc.scene,
        )
        if self._kept_bench is not None and _same_bench(self._kept_bench[0], key):
            self._kept_bench[1].item = item
            return self._kept_bench[1]
        bench = Bench(
            self.doc, item, self.view.camera, self.view.width(), self.view.height(), self._depth, self._show_live, self._commit,
            self._show_line, self._show_mask, self._show_snap,
            lambda: [other for other in self.view.shown() if other.obj.id != item.obj.id],
        )  # fmt: skip
        self._kept_bench = (key, bench)
        return bench

    def _depth(self) -> np.ndarray:
        live, self.live = self.live, None  # as it was when the stroke began
        cages = [replace(item, finer=None) for item in self.view.draw_items()]  # these are picked, not their smooth surfaces
        self.live = live
        return there(self.view.picture).depth(
            cages, self.view.camera, self.view.width(), self.view.height(), self.view.palette_.view
        )

    def _show_live(self, moved: Deltas | None) -> None:
        self.live = moved
        self.view.refresh()

    def _show_mask(self, mask: np.ndarray | None) -> None:
        self.view.worn.mask = mask
        self.view.refresh()

    def _show_snap(self, snap: Snap | None) -> None:
        self.snap = snap

    def _show_line(self, line: np.ndarray | None) -> None:
        self.line = line
        self.view.update()

    def _commit(self, moved: Deltas, label: str) -> None:
        doc, item = self.doc, there(self.view.shaped_item())
        choice = "follow"
        if item.pose is not None:
            moved, left = item.pose.back(moved)
            if left:
                count = f"{left:,} point{' was' if left == 1 else 's were'}"
                doc.say(f"{count} left alone: in this pose they cannot be taken back.", "warning")
        if there(doc.shaping).is_base and doc.obj.targets:
            asked = doc.base_choice or self.view.ask_base(moved)
            if asked is None:
                self.live = None
                self.view.refresh()
                return
            choice = asked
        self.live = None
        doc.stroke(moved, item.share, label, choice)

    def may_shape(self) -> StageItem | None:
        """The item a change would go to; None, with the reason said, when there is none."""
        item = self.view.shaped_item()
        if item is None or self.view.picture is None:
            return None
        if item.obj.locked:
            self.doc.say(f"{item.obj.name} is locked; unlock it in the list of objects first.", "warning")
            return None
        shaped = self.doc.shaping
        if shaped is not None and shaped.target is not None and item.obj.target(shaped.target).locked:
            self.doc.say(LOCKED.format(item.obj.target(shaped.target).name), "warning")
            return None
        if abs(item.share) < 1e-6:
            self.doc.say("This shape does not show in the mix: it is muted, or others are solo. Look at it Alone.", "warning")
            return None
        return item

    def start(self, event: Event) -> ToolStroke | None:
        """The stroke that a press begins; None where nothing goes on."""
        tool = TOOLS[self.doc.tools.tool]
        item = self.view.shaped_item() if tool.family == "pick" else self.may_shape()
        if item is None or self.view.picture is None:
            return None
        self.doc.hand.leave()
        if tool.id != "exact":
            self.live = None
        bench = self.bench(there(self.view.shaped_item()))
        self.held_axis = handle_under(bench, event.x, event.y)[1] if tool.family == "handles" else None
        self.view.worn.falloff = None
        stroke = ToolStroke(self, bench, event)
        if stroke.begin():
            return stroke
        self.clean()
        return None

    def place_pivot(self, press: Event) -> bool:
        """Put the pivot on the point under the pointer, else on the surface; whether there was one."""
        bench = self.bench(there(self.view.shaped_item()))
        point, hit = under(bench, press.x, press.y, "points"), bench.hit(press.x, press.y)
        if point is None and hit is None:
            self.doc.say("There is no surface under the pointer; the pivot stays where it is.", "warning")
            return False
        place = bench.scene_points[point] if point is not None else there(hit).place
        self.doc.set_tools(pivot="Placed", pivot_place=tuple(float(v) for v in place))
        return True

    def type(self, amounts: dict[int | None, float] | None) -> None:
        """Typed amounts for the stroke that goes on."""
        if self.gesture is not None:
            self.gesture.by_keys = True
            self.gesture.send(Event("type", 0, 0, amounts=amounts))

    def forget(self) -> None:
        """Keep nothing of the scene that was left."""
        self._kept_bench, self.live, self._exact_key = None, None, None

    def clean(self) -> None:
        """Nothing is left of a stroke."""
        self.line, self.snap, self.view.worn.mask = None, None, None
        self.live, self._exact_key = None, None
        self.view.amount.stroke_ended()
        self.show_exact()
        self.view.refresh()

    def cancel(self) -> None:
        """Leave the stroke without a change."""
        if self.on:
            self.doc.hand.cancel()

    def exact_change(self) -> Deltas | None:
        """What the exact change as set would do; None where it cannot be. Raises FictilisError with the reason."""
        item, tools = self.view.shaped_item(), self.doc.tools
        if item is None:
            return None
        had, self.live = self.live, None
        try:
            bench = self.bench(there(self.view.shaped_item()))
            return change_exactly(tools.exact, bench.as_picked(), tools.own_values(), tools.mirror)
        finally:
            self.live = had

    def show_exact(self) -> None:
        """Show the exact change before it is applied; on another shape not before its numbers or the pick are set there."""
        doc = self.doc
        tools = doc.tools
        asked = (tools, doc.pick(), doc.shaping)
        left = self._asked is not None and self._asked[:2] == asked[:2] and self._asked[2] != doc.shaping
        if doc.shaping is not None and not left:
            self._asked = asked
        on = doc.shaping is not None and tools.tool == "exact" and tools.exact_shown and len(doc.pick()) > 0 and not left
        if self.on:
            return
        if not on or self.view.picture is None:
            if self._exact_key is not None:
                self.live, self._exact_key = None, None
            return
        key = (doc.committed, tools, doc.shaping, doc.way, doc.frame)
        if self._exact_key is not None and all(a is b or a == b for a, b in zip(self._exact_key, key, strict=True)):
            return
        self._exact_key = key
        self.live = None
        try:
            self.live = self.exact_change()
        except FictilisError:
            pass  # said when it is applied

    def apply(self, make: Callable[[Bench], Deltas], label: str) -> None:
        """One change of the pick by a form: made, shown nowhere before, committed."""
        item = self.may_shape()
        if item is None:
            return
        self.live, self._exact_key = None, None
        try:
            moved = make(self.bench(there(self.view.shaped_item())))
        except FictilisError as error:
            self.doc.say(error.said, "error")
            return
        if len(moved.indices):
            self._commit(moved, label)
        else:
            self.doc.say(f"{label}: nothing had to move.")

    def apply_numbers(self, kind: str, numbers: tuple[float, float, float], to: bool) -> None:
        """Move, rotate or scale by numbers; ``to`` moves the pivot to a place in the scene, or scales to a size in cm."""
        values = np.array(numbers)

        def make(bench: Bench) -> Deltas:
            if bench.pivot is None:
                raise EditRefused("Pick something first; nothing is picked.")
            if to:
                return (
                    move_to(bench, values) if kind == "move" else apply_scale(bench, None, size_factors(bench.extents, values))
                )
            return CHANGES[kind].typed(bench, dict(enumerate(values.tolist())))

        self.apply(make, CHANGES[kind].label)

    def numbers(self, kind: str, to: bool) -> tuple[float, ...]:
        """What a form of numbers begins with: nothing to do, or where the pivot and how large the pick is now."""
        item = self.view.shaped_item() if to else None
        if item is None or not len(self.doc.pick()):
            return (CHANGES[kind].neutral,) * 3 if not to else (0.0,) * 3
        bench = self.bench(item)
        return tuple(round(float(v), 6) for v in (bench.about if kind == "move" else bench.extents))

    def pick_size(self) -> tuple[float, ...]:
        """How large the pick is along the axes of the scene, cm."""
        item, picks = self.view.shaped_item(), self.doc.picks()
        if item is None or not len(picks):
            return (0.0, 0.0, 0.0)
        return tuple(extent(placed(item.points[picks].astype(np.float64), item.matrix)).tolist())

    def shaped_pixels(self) -> tuple[np.ndarray, np.ndarray]:
        """(n, 2): where the points of what is shaped are seen, and (2,) the middle of the picture."""
        middle = np.array([self.view.width(), self.view.height()]) / 2
        return self.bench(there(self.view.shaped_item())).pixels, middle

    def apply_exact(self) -> None:
        self.apply(lambda _bench: there(self.exact_change()), EXACT_CHANGES[self.doc.tools.exact].label)


def _same_bench(a: tuple, b: tuple) -> bool:
    return all(x is y or (not isinstance(x, np.ndarray) and x == y) for x, y in zip(a, b, strict=True))
