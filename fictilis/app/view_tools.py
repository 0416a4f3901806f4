"""Shaping tools as plain functions over events: press, moves and release read top to bottom. No widgets in here.

A tool is a generator. It starts with the press, takes each later event by ``yield``, and ends with the stroke.
"""

from __future__ import annotations

from collections.abc import Callable, Generator
from dataclasses import dataclass

import numpy as np

from fictilis.app.document import Document
from fictilis.core.shaping.strokes import Reach, dab_weights, displace, pick_weights, reflect, rotation, scaling
from fictilis.render.camera import Camera
from fictilis.render.picking import Hit, hit_mesh, nearest_point, visible_points
from fictilis.render.stage import StageItem

HANDLE = 76.0  # pixels from the pivot to a handle's end
GRIP = 13.0  # pixels around a handle's end that take the press
AXES = np.eye(3)


@dataclass(frozen=True)
class Event:
    """``kind`` is press, move, release or type; type carries ``amount`` along ``axis``, or None to forget it."""

    kind: str
    x: float
    y: float
    shift: bool = False
    control: bool = False
    axis: int | None = None
    amount: float | None = None


Stroke = Generator[None, Event, None]


@dataclass(eq=False)
class Bench:
    """What a tool works on: the shaped item as shown, the camera, and ways to show and commit a change."""

    doc: Document
    item: StageItem
    camera: Camera
    width: int
    height: int
    depth: Callable[[], np.ndarray]
    show: Callable[[np.ndarray | None], None]
    commit: Callable[[np.ndarray, str], None]
    show_box: Callable[[tuple[float, float, float, float] | None], None]

    def __post_init__(self) -> None:
        self.points = self.item.points.astype(np.float64)
        self.scene_points = self.item.in_scene()
        self.to_object = np.linalg.inv(self.item.matrix[:3, :3])

    @property
    def reach(self) -> Reach:
        t = self.doc.tools
        return Reach(t.size if t.tool == "grab" else t.radius, t.along_surface, t.mirror)

    def hit(self, x: float, y: float) -> Hit | None:
        return hit_mesh(self.item.obj.mesh, self.scene_points, *self.camera.ray(x, y, self.width, self.height))

    def pixels(self) -> np.ndarray:
        return self.camera.project(self.scene_points, self.width, self.height)[0]

    def reachable(self) -> np.ndarray:
        """(n,) bool: points that a click or box may take."""
        if self.doc.tools.through:
            return self.camera.project(self.scene_points, self.width, self.height)[1] < 1
        return visible_points(self.scene_points, self.camera, self.width, self.height, self.depth())

    def weights(self) -> np.ndarray:
        return pick_weights(self.item.obj, self.points, self.doc.picks(), self.reach)

    def pivot(self) -> np.ndarray | None:
        """Centre (3,) of the pick, in the scene."""
        picked = self.doc.picks()
        return self.scene_points[picked].mean(0) if len(picked) else None

    def drag(self, at: np.ndarray, dx: float, dy: float) -> np.ndarray:
        """A drag on the screen as a vector in object space."""
        return self.to_object @ self.camera.drag(at, dx, dy, self.height)


def grab(bench: Bench, press: Event) -> Stroke:
    """Take what lies under the brush and carry it with the pointer."""
    hit = bench.hit(press.x, press.y)
    if hit is None:
        return
    obj, tools = bench.item.obj, bench.doc.tools
    centre = bench.to_object @ (hit.place - bench.item.matrix[:3, 3])
    weights = dab_weights(obj, bench.points, centre, hit.points, bench.reach) * tools.strength
    while True:
        event = yield
        move = bench.drag(hit.place, event.x - press.x, event.y - press.y)
        displacement = displace(obj, weights, move, tools.mirror)
        if event.kind == "release":
            if np.any(displacement):
                bench.commit(displacement, "Grab")
            return
        bench.show(displacement)


def pick(bench: Bench, press: Event) -> Stroke:
    """Pick a point by a click, or those in a box; Shift adds, or takes away a point that is picked; Ctrl takes away."""
    event = press
    while event.kind != "release":
        event = yield
        if max(abs(event.x - press.x), abs(event.y - press.y)) > 4:
            bench.show_box((press.x, press.y, event.x, event.y))
    bench.show_box(None)
    _take(bench, press, event)


def _take(bench: Bench, press: Event, event: Event) -> None:
    """Change the pick by a click, or by the box from ``press`` to ``event``."""
    before = bench.doc.picks()
    pixels, allowed = bench.pixels(), bench.reachable()
    boxed = max(abs(event.x - press.x), abs(event.y - press.y)) > 4
    if boxed:
        low = np.minimum((press.x, press.y), (event.x, event.y))
        high = np.maximum((press.x, press.y), (event.x, event.y))
        found = np.flatnonzero(allowed & ((pixels >= low) & (pixels <= high)).all(1))
    else:
        point = nearest_point(pixels, allowed, press.x, press.y)
        found = np.array([] if point is None else [point], np.int64)
    if press.control:
        after = np.setdiff1d(before, found)
    elif press.shift and not boxed and len(found) and found[0] in before:
        after = np.setdiff1d(before, found)
    elif press.shift:
        after = np.union1d(before, found)
    else:
        after = found
    if not np.array_equal(after, before):
        count = len(after)
        bench.doc.set_picks(after, f"Pick {count} point{'' if count == 1 else 's'}" if count else "Pick nothing")


def handle_ends(bench: Bench) -> dict[int | None, np.ndarray]:
    """Pixels (2,) of the pivot (None) and of the ends of the three axis handles, empty without a pick."""
    pivot = bench.pivot()
    if pivot is None:
        return {}
    unit = np.linalg.norm(bench.camera.drag(pivot, 1.0, 0.0, bench.height)) * HANDLE
    places = np.concatenate([[pivot], pivot + AXES * unit])
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


@dataclass(frozen=True)
class Change:
    """What dragging a handle does to the pick: an amount along or about an axis (None: the picture's own).

    ``dragged`` gives the amount of a drag; ``apply`` the displacement in object space of an amount.
    """

    label: str
    unit: str
    dragged: Callable[[Bench, np.ndarray, int | None, dict, Event, Event], object]
    apply: Callable[[Bench, np.ndarray, np.ndarray, int | None, object], np.ndarray]


def handle_tool(change: Change) -> Callable[[Bench, Event], Stroke]:
    """A tool that drags handles; elsewhere, or by a mere click, it picks. An amount may be typed meanwhile."""

    def tool(bench: Bench, press: Event) -> Stroke:
        if press.kind == "type":
            yield from _carry(bench, change, press.axis, press)
            return
        held, axis = handle_under(bench, press.x, press.y)
        if not held:
            yield from pick(bench, press)
        elif not (yield from _carry(bench, change, axis, press)):
            _take(bench, press, press)

    return tool


def _carry(bench: Bench, change: Change, axis: int | None, press: Event) -> Generator[None, Event, bool]:
    """Change the pick until the release; whether it went anywhere. A typed amount wins over the drag."""
    pivot = bench.pivot()
    if pivot is None:
        return True
    weights, ends = bench.weights(), handle_ends(bench)
    typed: Event | None = None
    event = press
    while True:
        if event.kind == "type":
            typed = event if event.amount is not None else None
        if typed is not None:
            displacement = change.apply(bench, pivot, weights, typed.axis, typed.amount)
        else:
            amount = change.dragged(bench, pivot, axis, ends, press, event)
            displacement = change.apply(bench, pivot, weights, axis, amount)
        if event.kind == "release":
            moved = bool(np.any(displacement))
            if moved:
                bench.commit(displacement, change.label)
            return moved
        bench.show(displacement)
        event = yield


def _dragged_move(bench: Bench, pivot: np.ndarray, axis: int | None, ends: dict, press: Event, event: Event) -> object:
    dx, dy = event.x - press.x, event.y - press.y
    if axis is None:
        return bench.camera.drag(pivot, dx, dy, bench.height)
    unit = float(np.linalg.norm(bench.camera.drag(pivot, 1.0, 0.0, bench.height)))
    along = ends[axis] - ends[None]
    square = float(along @ along)
    if square < 16:  # the axis points at the viewer
        return -dy * unit
    return float(np.dot((dx, dy), along) / square * unit * HANDLE)


def _apply_move(bench: Bench, _pivot: np.ndarray, weights: np.ndarray, axis: int | None, amount: object) -> np.ndarray:
    vector = amount if axis is None else AXES[axis] * amount
    return displace(bench.item.obj, weights, bench.to_object @ vector, bench.doc.tools.mirror)


def _dragged_turn(bench: Bench, pivot: np.ndarray, axis: int | None, ends: dict, press: Event, event: Event) -> float:
    """Degrees: the angle the pointer went round the pivot; for an axis across the view, its way across that axis."""
    back = bench.camera.axes()[2]
    facing = 1.0 if axis is None else float(AXES[axis] @ back)
    middle = ends[None]
    if abs(facing) > 0.6 and axis is not None:
        first, now = np.array([press.x, press.y]) - middle, np.array([event.x, event.y]) - middle
        swept = np.arctan2(now[1], now[0]) - np.arctan2(first[1], first[0])
        return float(-np.degrees((swept + np.pi) % (2 * np.pi) - np.pi) * np.sign(facing))
    if axis is None:
        return float(event.x - press.x) * -0.5
    along = ends[axis] - middle
    across = np.array([-along[1], along[0]]) / max(float(np.hypot(*along)), 1e-9)
    return float(np.degrees(np.dot((event.x - press.x, event.y - press.y), across) / HANDLE))


def _apply_turn(bench: Bench, pivot: np.ndarray, weights: np.ndarray, axis: int | None, amount: float) -> np.ndarray:
    about = bench.camera.axes()[2] if axis is None else AXES[axis]
    moved = rotation(bench.scene_points, weights, pivot, about, amount)
    return reflect(bench.item.obj, weights, moved @ bench.to_object.T, bench.doc.tools.mirror)


def _dragged_scale(bench: Bench, _pivot: np.ndarray, axis: int | None, ends: dict, press: Event, event: Event) -> float:
    if axis is None:
        return float(np.exp((event.x - press.x) / 120))
    along = ends[axis] - ends[None]
    square = max(float(along @ along), 400.0)
    return 1 + float(np.dot((event.x - press.x, event.y - press.y), along) / square)


def _apply_scale(bench: Bench, pivot: np.ndarray, weights: np.ndarray, axis: int | None, amount: float) -> np.ndarray:
    factors = np.full(3, amount) if axis is None else np.where(np.arange(3) == axis, amount, 1.0)
    moved = scaling(bench.scene_points, weights, pivot, factors)
    return reflect(bench.item.obj, weights, moved @ bench.to_object.T, bench.doc.tools.mirror)


CHANGES = {
    "move": Change("Move", "cm", _dragged_move, _apply_move),
    "rotate": Change("Rotate", "°", _dragged_turn, _apply_turn),
    "scale": Change("Scale", "×", _dragged_scale, _apply_scale),
}
TOOLS: dict[str, Callable[[Bench, Event], Stroke]] = {
    "pick": pick,
    **{name: handle_tool(change) for name, change in CHANGES.items()},
    "grab": grab,
}


class Typing:
    """The amount typed while a tool with handles is on: an axis letter, then a number; ``x 4.5``."""

    def __init__(self) -> None:
        self.text = ""

    def takes(self, character: str, dragging: bool) -> bool:
        """Whether a typed character belongs to an amount."""
        if self.text:
            return character in "0123456789.-+ xyz" and bool(character)
        return bool(character) and (character in "xyz" or (dragging and character in "0123456789.-"))

    def add(self, character: str, axis: int | None) -> None:
        if character in "xyz":
            self.text = f"{character} "
        elif not self.text and axis is not None:
            self.text = f"{'xyz'[axis]} {character}"
        elif self.text and character != " ":
            self.text += character

    def erase(self) -> None:
        self.text = "" if len(self.text) <= 2 else self.text[:-1]

    def amount(self) -> tuple[int, float] | None:
        """Axis number and amount, or None while there is no whole number yet."""
        if len(self.text) < 3:
            return None
        try:
            value = float(self.text[2:])
        except ValueError:
            return None
        return ("xyz".index(self.text[0]), value) if np.isfinite(value) else None
