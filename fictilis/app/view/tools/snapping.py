"""Snapping while points are moved with Shift: to a point, another object's surface, a mirror plane, or steps of the ground."""

from __future__ import annotations

import numpy as np

from fictilis.app.view.tools.bench import Bench, Event, Snap
from fictilis.core.ground.affine import placed
from fictilis.render.ground import step_for
from fictilis.render.picking import hit_shape, nearest_point

PLANE_NEAR = 8.0  # pixels from a mirror plane
TICKS = 5  # of the ground to a step


def snapped(bench: Bench, axis: int | None, amount: np.ndarray | float, event: Event) -> np.ndarray | float:
    """The amount of a move with the pivot on what it snaps to: a vector (3,) for no axis, else cm along it."""
    vector = np.asarray(amount) if axis is None else bench.axes[axis] * amount
    snap = _point(bench, event) or _surface(bench, event) or _plane(bench, bench.about + vector)
    if snap is None:
        return _stepped(bench, axis, amount)
    bench.show_snap(snap)
    way = snap.place - bench.about
    return way if axis is None else float(way @ bench.axes[axis])


def _point(bench: Bench, event: Event) -> Snap | None:
    """The point under the pointer, but for those that move along."""
    still = bench.weights <= 0
    found = [(bench.item, bench.scene_points, bench.pixels, bench.reachable & still)]
    found += [(item, *bench.anchors(item)) for item in bench.others()]
    best: tuple[float, Snap] | None = None
    for item, places, pixels, allowed in found:
        number = nearest_point(pixels, allowed, event.x, event.y)
        if number is None:
            continue
        gap = float(np.hypot(*(pixels[number] - (event.x, event.y))))
        if best is None or gap < best[0]:
            best = gap, Snap(places[number], f"Point {number:,} of {item.obj.name}")
    return best[1] if best is not None else None


def _surface(bench: Bench, event: Event) -> Snap | None:
    """The place under the pointer on another object."""
    best: tuple[float, Snap] | None = None
    for item in bench.others():
        places = bench.anchors(item)[0]
        hit = hit_shape(item.obj.geometry, places, bench.camera, (event.x, event.y), (bench.width, bench.height))
        if hit is not None and (best is None or hit.distance < best[0]):
            best = hit.distance, Snap(hit.place, f"Surface of {item.obj.name}")
    return best[1] if best is not None else None


def _plane(bench: Bench, at: np.ndarray) -> Snap | None:
    """The mirror planes that a place is near, in the space of the object."""
    own = bench.to_object @ (at - bench.item.matrix[:3, 3])
    axes = [n for n in range(3) if "XYZ"[n] in bench.tools.mirror.axes]
    near = [n for n in axes if abs(own[n]) * bench.scale <= PLANE_NEAR * bench.unit(at)]
    if not near:
        return None
    own[near] = 0.0
    return Snap(placed(own[None], bench.item.matrix)[0], f"Mirror plane {' and '.join('XYZ'[n] for n in near)}")


def _stepped(bench: Bench, axis: int | None, amount: np.ndarray | float) -> np.ndarray | float:
    """The pivot on a tick of the ground, as fine as the view is near; along an axis of the object by such steps."""
    step = step_for(bench.camera, bench.height) / TICKS
    said = f"Steps of {step:g} cm"
    if axis is not None and abs(bench.axes[axis]).max() < 1 - 1e-9:
        amount = float(np.round(np.asarray(amount) / step) * step)
        bench.show_snap(Snap(bench.about + bench.axes[axis] * amount, said))
        return amount
    vector = np.asarray(amount) if axis is None else bench.axes[axis] * amount
    moved = np.abs(vector) > 1e-9
    place = np.where(moved, np.round((bench.about + vector) / step) * step, bench.about)
    bench.show_snap(Snap(place, said))
    way = place - bench.about
    return way if axis is None else float(way @ bench.axes[axis])
