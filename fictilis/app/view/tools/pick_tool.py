"""The Pick tool: points, edges or faces by a click, a box, a lasso, or brushed over."""

from __future__ import annotations

import numpy as np

from fictilis.app.view.tools.bench import Bench, Event, Stroke
from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.topology import edge_numbers, edges, face_of_corner
from fictilis.core.ground.arrays import box, distinct
from fictilis.core.shaping.picks import connected, edge_loop
from fictilis.render.picking import REACH, nearest_point, segment_gaps

FAR = 4  # pixels of a drag below which it is a click


def pick(bench: Bench, press: Event) -> Stroke:
    """Pick what is clicked, or what the box, lasso or brush takes. Shift adds, or takes away what is picked; Ctrl takes
    away."""
    way = bench.doc.tools.pick_way
    line = [(press.x, press.y)]
    event = press
    before = bench.doc.pick()
    brushed = np.zeros(0, np.int64)
    went = False
    while event.kind != "release":
        event = yield
        line.append((event.x, event.y))
        went = went or _far(press, event)
        if way == "Brush":
            brushed = distinct(np.concatenate([brushed, _brushed(bench, line[-2], line[-1])]))
            bench.show_line(_circle(event.x, event.y, bench.doc.tools.size_px))
        elif went:
            bench.show_line(_box(press, event) if way == "Box" else np.array(line))
    bench.show_line(None)
    if way == "Brush" and (len(brushed) or went):
        _take(bench, before, brushed, press, False)
    elif went and (way == "Lasso" or _far(press, event)):
        shape = _box(press, event) if way == "Box" else np.array(line)
        _take(bench, before, _within(bench, shape), press, False)
    else:
        click(bench, press)


def click(bench: Bench, press: Event) -> None:
    found = under(bench, press.x, press.y)
    _take(bench, bench.doc.pick(), np.array([] if found is None else [found], np.int64), press, True)


def double_click(bench: Bench, at: Event) -> None:
    """An edge's loop; of points and faces everything that is joined to the one under the pointer."""
    found = under(bench, at.x, at.y)
    if found is None:
        return
    geometry, kind = bench.item.obj.geometry, bench.doc.tools.kind
    one = Pick(kind, np.array([found]))
    more = Pick("edges", edge_loop(geometry, found)) if kind == "edges" else connected(geometry, one)
    _take(bench, bench.doc.pick(), more.elements, Event("press", at.x, at.y, at.shift, at.control), False)


def _far(press: Event, event: Event) -> bool:
    return max(abs(event.x - press.x), abs(event.y - press.y)) > FAR


def _box(press: Event, event: Event) -> np.ndarray:
    (a, b), (c, d) = (press.x, press.y), (event.x, event.y)
    return np.array([(a, b), (c, b), (c, d), (a, d)])


def _circle(x: float, y: float, radius: float) -> np.ndarray:
    turn = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    return np.stack([x + radius * np.cos(turn), y + radius * np.sin(turn)], axis=1)


def _take(bench: Bench, before: Pick, found: np.ndarray, press: Event, clicked: bool) -> None:
    """Change the pick by the elements found."""
    kind = bench.doc.tools.kind
    had = before.elements if before.kind == kind else np.zeros(0, np.int64)
    if press.control:
        after = np.setdiff1d(had, found, assume_unique=True)
    elif press.shift and clicked and len(found) and found[0] in had:
        after = np.setdiff1d(had, found, assume_unique=True)
    elif press.shift:
        after = distinct(np.concatenate([had, found]))
    else:
        after = found
    bench.doc.set_pick(Pick(kind, after))


def places(bench: Bench, kind: str) -> tuple[np.ndarray, np.ndarray]:
    """Pixels (e, 2) that stand for the points, edges or faces, and whether each can be reached (e,) bool."""
    geometry, pixels, seen = bench.item.obj.geometry, bench.pixels, bench.reachable
    if kind == "points":
        return pixels, seen
    if kind == "edges":
        pairs = edges(geometry)
        return pixels[pairs].mean(axis=1), seen[pairs].all(axis=1)
    face, sizes = face_of_corner(geometry), np.maximum(geometry.face_sizes, 1)
    middle = np.stack([np.bincount(face, pixels[geometry.corners, k], geometry.face_count) for k in (0, 1)], axis=1)
    shown = np.bincount(face, seen[geometry.corners], geometry.face_count)
    return middle / sizes[:, None], shown * 2 >= sizes


def _within(bench: Bench, outline: np.ndarray) -> np.ndarray:
    """(k,): elements whose place lies inside a closed outline (p, 2). Source: even-odd rule."""
    at, seen = places(bench, bench.doc.tools.kind)
    low, high = box(outline)
    near = np.flatnonzero(seen & (at >= low).all(axis=1) & (at <= high).all(axis=1))
    x, y = at[near].T
    inside = np.zeros(len(near), bool)
    for (x0, y0), (x1, y1) in zip(outline, np.roll(outline, -1, axis=0), strict=True):
        if y0 != y1:
            crosses = ((y0 > y) != (y1 > y)) & (x < x0 + (y - y0) * (x1 - x0) / (y1 - y0))
            inside ^= crosses
    return near[inside]


def _brushed(bench: Bench, start: tuple[float, float], end: tuple[float, float]) -> np.ndarray:
    """(k,): elements within the brush along a way on the screen."""
    at, seen = places(bench, bench.doc.tools.kind)
    return np.flatnonzero(seen & (segment_gaps(np.array(start), np.array(end), at)[0] <= bench.doc.tools.size_px))


def under(bench: Bench, x: float, y: float, kind: str | None = None) -> int | None:
    """The point, edge or face under the pointer, or None."""
    kind = kind or bench.doc.tools.kind
    geometry = bench.item.obj.geometry
    if kind == "points":
        return nearest_point(bench.pixels, bench.reachable, x, y)
    hit = bench.hit(x, y)
    if kind == "faces":
        return None if hit is None or hit.face < 0 else hit.face
    if hit is not None and not bench.doc.tools.through:
        row = hit.points.astype(np.int64)
        candidates = edge_numbers(geometry, row, np.roll(row, -1))
    else:
        seen = bench.reachable[edges(geometry)].all(axis=1)
        candidates = np.flatnonzero(seen)
    if not len(candidates):
        return None
    ends = bench.pixels[edges(geometry)[candidates]]
    gap, _ = segment_gaps(ends[:, 0], ends[:, 1], np.array([x, y]))
    best = int(np.argmin(gap))
    return int(candidates[best]) if gap[best] <= REACH else None
