"""Brush tools: Grab carries what lies under it; the others lay dabs along the way of the pointer, evenly."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from fictilis.app.model.tool_settings import MIX
from fictilis.app.view.tools.bench import Bench, Event, Stroke
from fictilis.core.at_frame.pose import Pose
from fictilis.core.ground.affine import placed
from fictilis.core.ground.arrays import put_rows
from fictilis.core.ground.errors import EditRefused, there
from fictilis.core.mix.shapes import full_shape, shape_points
from fictilis.core.shaping.brushes import Brush, BrushStroke, MaskStroke, grab_weights
from fictilis.core.shaping.mirror import reflected_weights
from fictilis.core.shaping.reach import displacement
from fictilis.render.picking import Hit, hit_triangles, triangles_at

MOST_DABS = 400  # of one pointer event
JUMP = 2.5  # sizes: a place further from the last dab than its way on the screen and this is another part of the surface


def brush_of(bench: Bench, at: np.ndarray) -> Brush:
    """The brush as set, at a place (3,) in the scene."""
    t = bench.doc.tools
    return Brush(t.tool, bench.brush_size(at), t.strength, t.along_surface, t.profile, t.mirror, t.own_values())


def _taken(bench: Bench, hit: Hit, brush: Brush) -> tuple[np.ndarray, np.ndarray]:
    return grab_weights(
        bench.item.obj, bench.points, bench.place(hit), hit.points, brush, bench.protect, bench.item.normals, bench.columns
    )


def grab(bench: Bench, press: Event) -> Stroke:
    """Take what lies under the brush and carry it with the pointer."""
    hit = bench.hit(press.x, press.y)
    if hit is None:
        return
    obj = bench.item.obj
    brush = brush_of(bench, hit.place)
    indices, weights = _taken(bench, hit, brush)
    weights = weights * press.pressure
    event = press
    while event.kind != "release":
        event = yield
        move = bench.drag(hit.place, event.x - press.x, event.y - press.y)
        moved = displacement(obj, indices, weights, weights[:, None] * move, brush.mirror)
        if event.kind != "release":
            bench.show(moved)
    if len(moved.indices):
        bench.commit(moved, "Grab")


def brush_tool(name: str) -> Callable[[Bench, Event], Stroke]:
    """A tool that lays dabs; Ctrl inverts them, Shift smooths."""

    def tool(bench: Bench, press: Event) -> Stroke:
        hit = bench.hit(press.x, press.y)
        if hit is None:
            return
        brush = brush_of(bench, hit.place)
        goal = goal_of(bench, name)
        work = BrushStroke(bench.item.obj, bench.points, bench.item.normals, brush, bench.protect, goal)
        trail = _Trail(bench, work, hit, press)
        event = press
        while True:
            if trail.follow(event):
                bench.show(work.moved())
            if event.kind == "release":
                break
            event = yield
        moved = work.moved()
        if np.any(moved.offsets):
            bench.commit(moved, name.capitalize())

    return tool


def mask_tool(bench: Bench, press: Event) -> Stroke:
    """Paint the target's mask: shut, with Ctrl open, with Shift smooth."""
    doc, ref = bench.doc, there(bench.doc.shaping)
    hit = bench.hit(press.x, press.y)
    if ref.is_base:
        raise EditRefused("The base has no mask; shape a target to paint one.")
    if hit is None:
        return
    target = doc.obj.target(there(ref.target))
    work = MaskStroke(bench.item.obj, bench.points, target.mask, brush_of(bench, hit.place), bench.protect,
                      bench.item.normals)  # fmt: skip
    trail = _Trail(bench, work, hit, press)
    event = press
    while True:
        if trail.follow(event):
            bench.show_mask(work.mask.copy())
        if event.kind == "release":
            break
        event = yield
    bench.show_mask(None)
    doc.set_mask(target.id, work.mask)


def goal_of(bench: Bench, name: str) -> np.ndarray | None:
    """(n, 3): where Erase and Blend lead the shown points; None for other brushes.

    Raises EditRefused where the shape has nothing to lead to.
    """
    if name not in ("erase", "blend"):
        return None
    doc, ref, obj = bench.doc, there(bench.doc.shaping), bench.item.obj
    mine = shape_points(obj, ref)
    if name == "erase":
        if ref.is_base:
            raise EditRefused("The base has nothing to go back to; Erase works on targets and in-betweens.")
        parent = obj.target(there(ref.target)).built_on
        other = obj.base if parent is None else full_shape(obj, parent)
    elif doc.tools.blend_to == MIX:
        other = Pose(doc.scene, obj, doc.frame, doc.state.posed).mixed
    else:
        target = next((t for t in obj.targets if t.id == doc.tools.blend_to), None)
        if target is None:
            raise EditRefused(f"Choose what to blend toward first: {obj.name} no longer has that target.")
        other = full_shape(obj, target.id)
    way = bench.item.share * (other - mine)
    return bench.points + way if bench.item.pose is None else bench.item.pose.forward(bench.item.mixed() + way)


class _Trail:
    """Lays dabs at even distances along the way of the pointer, each on the surface as it is by then."""

    def __init__(self, bench: Bench, work: BrushStroke | MaskStroke, hit: Hit, press: Event) -> None:
        self.bench, self.work, self.hit = bench, work, hit
        self.last = np.array([press.x, press.y])
        self.cloud = bench.scene_points.copy()
        self.unit, self.scale = bench.unit(hit.place), bench.scale
        self.first = True

    def follow(self, event: Event) -> bool:
        """Whether the way to an event laid any dab."""
        at = np.array([event.x, event.y])
        if self.first:
            self.first = False
            self._dab(self.hit, event)
            return True
        tools = self.bench.doc.tools
        self.work.brush = brush_of(self.bench, self.hit.place)
        size = self.work.brush.size * self.scale / self.unit
        step = max(tools.spacing * size, 0.5)
        way = at - self.last
        count = min(int(np.hypot(*way) / step), MOST_DABS)
        start, laid = self.last, False
        for k in range(1, count + 1):
            place = start + way * min(k * step / max(np.hypot(*way), 1e-9), 1.0)
            hit = self._hit(place, k == count)
            self.last = place
            if hit is not None and self._is_near(hit, step):
                self._dab(hit, event)
                laid = True
        return laid

    def _hit(self, pixel: np.ndarray, whole: bool) -> Hit | None:
        """What is under a pixel: for the last of an event on the whole surface, before it near the last dab if there."""
        if not whole and len(self.work.last):
            mesh = self.bench.item.obj.geometry
            ray = self.bench.camera.ray(pixel[0], pixel[1], self.bench.width, self.bench.height)
            found = hit_triangles(mesh, self.cloud, triangles_at(mesh, self.work.last), *ray)
            if found is not None:
                return found
        return self.bench.hit(pixel[0], pixel[1], self.cloud)

    def _is_near(self, hit: Hit, step: float) -> bool:
        """Not a far side: the way on the surface is of the order of the way on the screen."""
        allowed = step * self.unit + JUMP * self.work.brush.size * self.scale
        return float(np.linalg.norm(hit.place - self.hit.place)) <= allowed

    def _dab(self, hit: Hit, event: Event) -> None:
        bench, work = self.bench, self.work
        self.hit = hit
        moved = work.dab(bench.place(hit), hit.points, event.pressure, event.control, event.shift)
        if isinstance(work, BrushStroke) and len(moved):
            put_rows(self.cloud, moved, placed(work.points[moved], bench.item.matrix))


def hover_weights(bench: Bench, hit: Hit) -> np.ndarray:
    """(n,) what the brush would take at a hit, with its mirror images, for colour."""
    brush = replace(brush_of(bench, hit.place), kind="grab")
    indices, weights = _taken(bench, hit, brush)
    out = np.zeros(len(bench.points))
    out[indices] = weights
    return reflected_weights(bench.item.obj, out, brush.mirror)
