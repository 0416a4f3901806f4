"""The strokes of a view: a tool's generator from press to release, its bench, and changes by forms and exact changes."""

from __future__ import annotations

import inspect
from collections.abc import Callable

import numpy as np

from fictilis.app.model.document import Document
from fictilis.app.view.canvas import Canvas
from fictilis.app.view.tools import TOOLS, Bench, Event, Stroke
from fictilis.app.view.tools.handling import CHANGES, apply_scale, handle_under, move_to, size_factors
from fictilis.core.errors import EditRefused, FictilisError
from fictilis.core.scene import Deltas
from fictilis.core.shaping.exact import EXACT_CHANGES, change_exactly
from fictilis.render.stage import StageItem


class Strokes:
    """``live`` is the displacement of the shaped item that is shown but not committed yet; ``line`` one on the screen;
    ``held_axis`` that of the handle held."""

    def __init__(self, view: Canvas, doc: Document) -> None:
        self.view, self.doc = view, doc
        self.live: Deltas | None = None
        self.line: np.ndarray | None = None
        self._stroke: Stroke | None = None
        self._own_bench: Bench | None = None
        self._kept_bench: tuple[tuple, Bench] | None = None
        self._pressed: tuple[Event, Event] | None = None
        self._began: tuple | None = None
        self._renewing = False
        self.held_axis: int | None = None
        self._exact_key: tuple | None = None

    @property
    def on(self) -> bool:
        return self._stroke is not None

    def changed(self) -> None:
        """The document changed: do the stroke again with other numbers, and show the exact change as it is now."""
        if self._stroke is not None and self._began == self._made_on():
            self.renew()
        else:
            self.cancel()
        self.show_exact()

    def _made_on(self) -> tuple:
        """What a stroke is made on; it does not go on upon anything else."""
        obj = self.doc.object
        return self.doc.object_id, self.doc.shaping, obj.geometry if obj is not None else None

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
        )
        if self._kept_bench is not None and _same_bench(self._kept_bench[0], key):
            self._kept_bench[1].item = item
            return self._kept_bench[1]
        bench = Bench(
            self.doc, item, self.view.camera, self.view.width(), self.view.height(), self._depth, self._show_live, self._commit,
            self._show_line, self._show_mask,
        )  # fmt: skip
        self._kept_bench = (key, bench)
        return bench

    def _depth(self) -> np.ndarray:
        return self.view.picture.depth(
            self.view.draw_items(), self.view.camera, self.view.width(), self.view.height(), self.view.palette_.view
        )

    def _show_live(self, moved: Deltas | None) -> None:
        self.live = moved
        self.view.refresh()

    def _show_mask(self, mask: np.ndarray | None) -> None:
        self.view.worn.mask = mask
        self.view.refresh()

    def _show_line(self, line: np.ndarray | None) -> None:
        self.line = line
        self.view.update()

    def _commit(self, moved: Deltas, label: str) -> None:
        doc, item = self.doc, self.view.shaped_item()
        choice = "follow"
        if doc.shaping.is_base and doc.object.targets:
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
        if abs(item.share) < 1e-6:
            self.doc.say("This shape does not show in the mix: it is muted. Look at it Alone to shape it.", "warning")
            return None
        return item

    def start(self, event: Event) -> bool:
        tool = TOOLS[self.doc.tools.tool]
        item = self.view.shaped_item() if tool.family == "pick" else self.may_shape()
        if item is None or self.view.picture is None:
            return False
        if tool.id != "exact":
            self.live = None
        self._own_bench = self.bench(self.view.shaped_item())
        self.held_axis = handle_under(self._own_bench, event.x, event.y)[1] if tool.family == "handles" else None
        self.view.worn.falloff = None
        self._began = self._made_on()
        self._stroke = tool.run(self._own_bench, event)
        self._pressed = (event, event)
        return self._go_on(lambda: next(self._stroke))

    def send(self, event: Event) -> None:
        if self._stroke is not None:
            self._pressed = (self._pressed[0], event)
            self._go_on(lambda: self._stroke.send(event))

    def renew(self) -> None:
        """The tool's numbers changed under a stroke: do it again with the new ones. Brushes take them for further dabs."""
        bench = self._own_bench
        if bench is None or self._renewing or bench.tools is self.doc.tools or self._is_running():
            return
        tool = TOOLS[self.doc.tools.tool]
        if tool.id != bench.tools.tool or tool.family == "brush" and tool.id != "grab" or tool.family == "pick":
            bench.tools = self.doc.tools
            return
        press, last = self._pressed
        self._renewing = True
        self._stroke.close()
        self._stroke, self.live = None, None
        if self.start(press) and last is not press:
            self.send(last)
        self._renewing = False

    def _go_on(self, step: Callable[[], None]) -> bool:
        """Let the stroke take an event; whether it goes on. An expected error ends it and is said."""
        try:
            step()
        except StopIteration:
            self._end_stroke()
            return False
        except FictilisError as error:
            self._end_stroke()
            self.doc.say(error.said, "error")
            return False
        return True

    def _end_stroke(self) -> None:
        self._stroke, self._own_bench, self.line = None, None, None
        self.view.worn.mask = None
        self.live, self._exact_key = None, None
        self.view.amount.stroke_ended()
        self.show_exact()
        self.view.refresh()

    def _is_running(self) -> bool:
        return self._stroke is not None and inspect.getgeneratorstate(self._stroke) == inspect.GEN_RUNNING

    def cancel(self) -> None:
        """Leave the stroke without a change; one that is committing its own ends by itself."""
        if self._stroke is not None and not self._is_running():
            self._stroke.close()
            self._end_stroke()

    def exact_change(self) -> Deltas | None:
        """What the exact change as set would do; None where it cannot be. Raises FictilisError with the reason."""
        item, tools = self.view.shaped_item(), self.doc.tools
        if item is None:
            return None
        had, self.live = self.live, None
        try:
            bench = self.bench(self.view.shaped_item())
            return change_exactly(tools.exact, bench.as_picked(), tools.own_values(), tools.mirror)
        finally:
            self.live = had

    def show_exact(self) -> None:
        """Show the exact change before it is applied."""
        doc = self.doc
        tools = doc.tools
        on = doc.shaping is not None and tools.tool == "exact" and tools.exact_shown and len(doc.pick()) > 0
        if self._stroke is not None:
            return
        if not on or self.view.picture is None:
            if self._exact_key is not None:
                self.live, self._exact_key = None, None
            return
        key = (doc.settled, tools, doc.shaping, doc.way, doc.frame)
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
            moved = make(self.bench(self.view.shaped_item()))
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
        return tuple(round(float(v), 6) for v in (bench.pivot if kind == "move" else bench.extents))

    def apply_exact(self) -> None:
        self.apply(lambda _bench: self.exact_change(), EXACT_CHANGES[self.doc.tools.exact].label)


def _same_bench(a: tuple, b: tuple) -> bool:
    return all(x is y or (not isinstance(x, np.ndarray) and x == y) for x, y in zip(a, b, strict=True))
