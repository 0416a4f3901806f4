"""Tide marks: made-up calligraphy of the shore, in which one brush stroke becomes the next, and a swash line that unrolls."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.lines import stack_lines
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.sweeps import key_front, set_sweep
from fictilis.core.edits.targets import target_from_points
from fictilis.core.edits.timeline import set_frame_range, set_marker
from fictilis.core.geometry.kinds import Line, Match
from fictilis.core.scene.appearance import Appearance
from fictilis.core.scene.places import Transform
from fictilis.core.scene.scene import THROUGH, Scene
from fictilis.core.scene.sweep import Sweep
from fictilis.core.shaping.fields import along_line

END = 96.0
INK, WASH = "#4C7F98", "#8FA7A6"


def _brush(u: np.ndarray, wide: float) -> np.ndarray:
    """How wide the brush is along a stroke: set down, drawn, and lifted in a point."""
    return wide * (0.18 + np.sin(np.pi * np.clip(u * 1.08, 0, 1)) ** 0.7 * (1 - 0.45 * u))


def _ebb(u: np.ndarray) -> np.ndarray:
    return np.stack([70 * (u - 0.5), 16 * np.sin(2 * np.pi * 1.5 * u) * (1 - 0.5 * u) + 22, 4 * np.cos(5 * u)], 1)


def _flow(u: np.ndarray) -> np.ndarray:
    a = 2 * np.pi * (1.15 * u + 0.1)
    return np.stack([(34 - 20 * u) * np.cos(a), (30 - 17 * u) * np.sin(a) + 24, 9 * u], 1)


def _surge(u: np.ndarray) -> np.ndarray:
    return np.stack(
        [46 * (u - 0.5) + 14 * np.sin(2 * np.pi * u), 40 * u**1.6 - 2 + 12 * np.sin(np.pi * u), -6 * np.sin(7 * u)], 1
    )


def _shell(u: np.ndarray) -> np.ndarray:
    a = 2 * np.pi * 2.2 * u
    r = 4 + 27 * u
    return np.stack([r * np.cos(a) * 1.1, r * np.sin(a) * 0.85 + 24, 5 * np.sin(3 * u)], 1)


def _dot(at: tuple[float, float], size: float, count: int) -> np.ndarray:
    a = np.arange(count) * 2 * np.pi / count
    return np.stack([at[0] + size * np.cos(a), at[1] + size * 0.8 * np.sin(a), 0 * a], 1)


MARKS = {
    "Ebb": (_ebb, 33, [(-38, 6, 5.0)]), "Flow": (_flow, 47, [(30, 2, 4.0)]), "Surge": (_surge, 29, [(-22, 44, 6.0)]),
    "Shell": (_shell, 61, [(38, 44, 3.5)]),
}  # fmt: skip


def _mark(name: str) -> tuple[np.ndarray, Line]:
    """A stroke and a drop beside it: every mark has another number of points."""
    stroke, count, drops = MARKS[name]
    u = np.linspace(0, 1, count)
    parts = [stroke(u), *(_dot((x, y), size, 12 + n) for n, (x, y, size) in enumerate(drops))]
    widths = np.concatenate([_brush(u, 6.5), *(np.full(len(p), 2.2) for p in parts[1:])])
    starts = np.cumsum([0, *(len(p) for p in parts)])
    closed = np.array([False] + [True] * (len(parts) - 1))
    return np.concatenate(parts), Line(starts=starts, closed=closed, degree=3, widths=widths)


def tide_marks() -> Scene:
    """Four marks as one line whose relay runs through them and back, over a swash line that is unrolled."""
    points, line = _mark("Ebb")
    scene, mark = add_object(Scene(name="Tide marks"), "Mark", line, points, Appearance(colour=INK))
    others = [(name, Match(*_mark(name)[::-1])) for name in list(MARKS)[1:]]
    scene, row, _ = stack_lines(scene, mark, others, "Tide", 0.0, 24.0, THROUGH, back=True)
    u = np.linspace(-1, 1, 41)
    flat = np.stack([95 * u, np.full(41, -14.0), 20 - 24 * u**2], 1)
    wash = Line(starts=np.array([0, 41]), closed=np.array([False]), degree=3, widths=1.2 + 1.4 * np.cos(1.4 * u) ** 2)
    scene, swash = add_object(scene, "Swash", wash, flat, Appearance(colour=WASH))
    swell = flat + np.stack([0 * u, 5 * np.sin(2 * np.pi * 2.5 * u), 6 * np.cos(2 * np.pi * 2 * u)], 1)
    scene, swell_id = target_from_points(scene, swash, "Swell", swell)
    scene = set_sweep(scene, swash, swell_id, Sweep(along_line(scene.object(swash)), 0.0, 0.5, way="line"))
    scene = key_front(scene, swash, swell_id, 0.0, 72.0)
    for frame, value in ((0, 1.0), (60, 1.0), (END, 0.0)):
        scene = set_key(scene, swash, swell_id, Key(float(frame), value, "smooth"))
    scene = scene.with_object(replace(scene.object(mark), transform=Transform(position=(0.0, 4.0, 0.0))))
    for frame, name in zip((0, 24, 48, 72), MARKS, strict=True):
        scene = set_marker(scene, float(frame), name)
    return set_frame_range(scene, 0.0, END)
