"""Tools with handles: Move, Rotate, Scale, by dragging or by amounts typed; and Slide."""

from __future__ import annotations

from collections.abc import Callable, Generator
from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.app.view.tools.bench import Bench, Event, Snap, Stroke
from fictilis.app.view.tools.pick_tool import click, pick
from fictilis.app.view.tools.snapping import snapped
from fictilis.core.geometry.closest import Surface
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.scene import Deltas
from fictilis.core.shaping.exact import slide
from fictilis.core.shaping.reach import rotation, scaling

HANDLE = 76.0  # pixels from the pivot to a handle's end
TURN_STEP, SCALE_STEP = 15.0, 0.1  # degrees and factors, with Shift
GRIP = 13.0  # pixels around a handle's end that take the press


def handle_ends(bench: Bench) -> dict[int | None, np.ndarray]:
    """Pixels (2,) of the pivot (None) and of the ends of the three axis handles, empty without a pick."""
    pivot = bench.pivot
    if pivot is None:
        return {}
    places = np.concatenate([[pivot], pivot + bench.axes * bench.unit(pivot) * HANDLE])
    pixels, _ = bench.camera.project(places, bench.width, bench.height)
    return {None: pixels[0], 0: pixels[1], 1: pixels[2], 2: pixels[3]}


def handle_under(bench: Bench, x: float, y: float) -> tuple[bool, int | None]:
    """Whether a handle is under the pixel, and its axis (None: the middle, which moves in the picture's plane)."""
    ends = handle_ends(bench)
    for axis in (None, 0, 1, 2):
        if axis in ends and np.hypot(*(ends[axis] - (x, y))) <= GRIP:
            return True, axis
    if ends:
        for axis in (0, 1, 2):
            along = ends[axis] - ends[None]
            length = np.hypot(*along)
            if length > 20:
                part = np.clip(np.dot((x, y) - ends[None], along) / length**2, 0.2, 1)
                if np.hypot(*(ends[None] + part * along - (x, y))) <= 5:
                    return True, axis
    return False, None


class Change(Struct, frozen=True):
    """What dragging a handle does to the pick: an amount along or about an axis (None: the picture's own, or all).

    ``dragged`` gives the amount of a drag; ``apply`` the displacement in object space of an amount; ``typed`` that of
    typed amounts by axis. ``boxes`` says for which axes amounts can be typed at a handle (held or not, its axis), and
    which of them comes first; ``neutral`` is the amount that changes nothing, ``whole`` what the axis None is called.
    """

    label: str
    unit: str
    dragged: Callable[[Bench, int | None, dict, Event, Event], object]
    apply: Callable[[Bench, int | None, Any], Deltas]
    typed: Callable[[Bench, dict[int | None, float]], Deltas]
    boxes: Callable[[Bench, bool, int | None], tuple[tuple[int | None, ...], int | None]]
    neutral: float = 0.0
    whole: str = ""


def handle_tool(change: Change) -> Callable[[Bench, Event], Stroke]:
    """A tool that drags handles; elsewhere, or by a mere click, it picks. Amounts may be typed meanwhile, or alone."""

    def tool(bench: Bench, press: Event) -> Stroke:
        if press.kind == "type":
            yield from _carry(bench, change, None, press)
            return
        held, axis = handle_under(bench, press.x, press.y)
        if not held:
            yield from pick(bench, press)
        elif not (yield from _carry(bench, change, axis, press)):
            click(bench, press)

    return tool


def _carry(bench: Bench, change: Change, axis: int | None, press: Event) -> Generator[None, Event, bool]:
    """Change the pick until the release; whether it went anywhere. Typed amounts win over the drag."""
    if bench.pivot is None:
        return True
    ends = handle_ends(bench)
    typed = press if press.kind == "type" else None
    event = press
    while True:
        if event.kind == "type":
            typed = event
        if typed is not None:
            moved = change.typed(bench, typed.amounts) if typed.amounts is not None else Deltas()
        else:
            bench.show_snap(None)
            moved = change.apply(bench, axis, change.dragged(bench, axis, ends, press, event))
        if event.kind == "release":
            if len(moved.indices):
                bench.commit(moved, change.label)
            return bool(len(moved.indices))
        bench.show(moved)
        event = yield


def _dragged_move(bench: Bench, axis: int | None, ends: dict, press: Event, event: Event) -> object:
    dx, dy = event.x - press.x, event.y - press.y
    if axis is None:
        amount: np.ndarray | float = bench.camera.drag(bench.about, dx, dy, bench.height)
    else:
        unit, along = bench.unit(bench.about), ends[axis] - ends[None]
        square = float(along @ along)  # small where the axis points at the viewer
        amount = -dy * unit if square < 16 else float(np.dot((dx, dy), along) / square * unit * HANDLE)
    return snapped(bench, axis, amount, event) if event.shift else amount


def apply_move(bench: Bench, axis: int | None, amount: object) -> Deltas:
    """Along an axis by a number, or by a whole vector (3,) in the scene."""
    vector = np.asarray(amount) if axis is None else bench.axes[axis] * amount
    return bench.to_deltas(bench.weights[bench.near, None] * vector)


def typed_move(bench: Bench, amounts: dict[int | None, float]) -> Deltas:
    return apply_move(bench, None, sum(amount * bench.axes[axis] for axis, amount in amounts.items()))


def _move_boxes(bench: Bench, held: bool, axis: int | None) -> tuple[tuple[int | None, ...], int | None]:
    """All three axes; of the middle handle those that lie in the picture, where the view looks along one."""
    back = bench.camera.axes()[2]
    flat = tuple(k for k in range(3) if abs(bench.axes[k] @ back) < 1e-6)
    axes = flat if held and axis is None and len(flat) == 2 else (0, 1, 2)
    return axes, axis if axis is not None else axes[0]


def _stepped(bench: Bench, amount: float, step: float, unit: str, event: Event) -> float:
    """With Shift by steps."""
    if not event.shift:
        return amount
    bench.show_snap(Snap(bench.about, f"Steps of {step:g}{unit}"))
    return round(amount / step) * step


def _dragged_turn(bench: Bench, axis: int | None, ends: dict, press: Event, event: Event) -> float:
    """Degrees: the angle the pointer went round the pivot; for an axis across the view, its way across that axis."""
    back = bench.camera.axes()[2]
    facing = 1.0 if axis is None else float(bench.axes[axis] @ back)
    middle = ends[None]
    if abs(facing) > 0.6 and axis is not None:
        first, now = np.array([press.x, press.y]) - middle, np.array([event.x, event.y]) - middle
        swept = np.arctan2(now[1], now[0]) - np.arctan2(first[1], first[0])
        degrees = float(-np.degrees((swept + np.pi) % (2 * np.pi) - np.pi) * np.sign(facing))
        return _stepped(bench, degrees, TURN_STEP, "°", event)
    if axis is None:
        return _stepped(bench, float(event.x - press.x) * -0.5, TURN_STEP, "°", event)
    along = ends[axis] - middle
    across = np.array([-along[1], along[0]]) / max(float(np.hypot(*along)), 1e-9)
    degrees = float(np.degrees(np.dot((event.x - press.x, event.y - press.y), across) / HANDLE))
    return _stepped(bench, degrees, TURN_STEP, "°", event)


def apply_turn(bench: Bench, axis: int | None, degrees: float) -> Deltas:
    about = bench.camera.axes()[2] if axis is None else bench.axes[axis]
    near = bench.near
    return bench.to_deltas(rotation(bench.scene_points[near], bench.weights[near], bench.pivots, about, degrees))


def typed_turn(bench: Bench, amounts: dict[int | None, float]) -> Deltas:
    """About the view's axis, or about the axes one after the other."""
    if None in amounts:
        return apply_turn(bench, None, amounts[None])
    near = bench.near
    points = bench.scene_points[near]
    weights, turned = bench.weights[near], points
    for axis, degrees in amounts.items():
        turned = turned + rotation(turned, weights, bench.pivots, bench.axes[axis], degrees)
    return bench.to_deltas(turned - points)


def _turn_boxes(_bench: Bench, held: bool, axis: int | None) -> tuple[tuple[int | None, ...], int | None]:
    return ((axis,), axis) if held else ((0, 1, 2), 0)


def _dragged_scale(bench: Bench, axis: int | None, ends: dict, press: Event, event: Event) -> float:
    if axis is None:
        factor = float(np.exp((event.x - press.x) / 120))
        return max(_stepped(bench, factor, SCALE_STEP, "", event), min(factor, SCALE_STEP))
    along = ends[axis] - ends[None]
    square = max(float(along @ along), 400.0)
    return _stepped(bench, 1 + float(np.dot((event.x - press.x, event.y - press.y), along) / square), SCALE_STEP, "", event)


def apply_scale(bench: Bench, axis: int | None, amount: float | np.ndarray) -> Deltas:
    """Along one axis, along all by one number, or by three (3,)."""
    factors = np.broadcast_to(amount, 3) if axis is None else np.where(np.arange(3) == axis, amount, 1.0)
    near = bench.near
    return bench.to_deltas(scaling(bench.scene_points[near], bench.weights[near], bench.pivots, factors, bench.axes))


def typed_scale(bench: Bench, amounts: dict[int | None, float]) -> Deltas:
    whole = amounts.get(None, 1.0)
    return apply_scale(bench, None, np.array([amounts.get(axis, whole) for axis in range(3)]))


def _scale_boxes(_bench: Bench, held: bool, axis: int | None) -> tuple[tuple[int | None, ...], int | None]:
    return ((None,), None) if held and axis is None else ((0, 1, 2), axis or 0)


CHANGES = {
    "move": Change("Move", "cm", _dragged_move, apply_move, typed_move, _move_boxes),
    "rotate": Change("Rotate", "°", _dragged_turn, apply_turn, typed_turn, _turn_boxes, whole="View"),
    "scale": Change("Scale", "×", _dragged_scale, apply_scale, typed_scale, _scale_boxes, neutral=1.0, whole="XYZ"),
}


def move_to(bench: Bench, place: np.ndarray) -> Deltas:
    """The pick moved as a whole so that its pivot comes to a place (3,) in the scene."""
    return apply_move(bench, None, np.asarray(place, np.float64) - bench.about)


def size_factors(extents: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    """(3,) factors that bring ``extents`` (3,) to sizes in cm; an axis along which there is nothing stays.

    Raises EditRefused where a size is asked of a pick that has none on that axis.
    """
    flat = extents < 1e-9
    if (flat & (np.abs(wanted) > 1e-9)).any():
        axis = "XYZ"[int(np.flatnonzero(flat & (np.abs(wanted) > 1e-9))[0])]
        raise EditRefused(f"The pick has no size along {axis}; it cannot be scaled to one.")
    return np.where(flat, 1.0, wanted / np.where(flat, 1.0, extents))


def slide_tool(bench: Bench, press: Event) -> Stroke:
    """Drag the pick along the surface; a click picks, and so does a drag while nothing is picked."""
    hit = bench.hit(press.x, press.y)
    if not len(bench.picked) or hit is None:
        yield from pick(bench, press)
        return
    picked = bench.as_picked()
    surface = Surface(bench.item.obj.mesh, bench.points)
    event = press
    moved = Deltas()
    while event.kind != "release":
        event = yield
        move = bench.drag(hit.place, event.x - press.x, event.y - press.y)
        moved = slide(picked, surface, move, bench.doc.tools.mirror)
        bench.show(moved)
    if max(abs(event.x - press.x), abs(event.y - press.y)) <= 3:
        bench.show(None)
        click(bench, press)
    elif len(moved.indices):
        bench.commit(moved, "Slide")
