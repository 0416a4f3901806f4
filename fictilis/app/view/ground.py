"""The ground below the objects: its lines are in the picture, and numbers in cm stand along the near edges of what is there."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from fictilis.app.view.canvas import Canvas, Turned
from fictilis.app.view.compass import on_compass
from fictilis.app.view.handles import paint_letters
from fictilis.render.ground import Ground, box_at_rest, ground_for, lowest
from fictilis.render.stage import LINE_UP

MOST_NUMBERS = 12  # along each edge
ROOM = 14.0  # pixels that a number stands beside its line
FADED = 0.8  # parts of the reach after which lines are too faint for numbers


def ground_in(view: Turned) -> Ground | None:
    """The lines of the ground in a view; None where it is not wanted."""
    doc = view.doc
    if not doc.seeing.ground or doc.way == LINE_UP:
        return None
    height = 0.0 if doc.seeing.ground_at_zero else lowest(doc.committed.scene)
    return ground_for(view.camera, view.height(), height, view.palette_.quiet)


def numbers_of(ground: Ground, low: np.ndarray, high: np.ndarray, eye: np.ndarray) -> list[tuple[np.ndarray, float]]:
    """Places (3,) on the two edges around a box (3,) that lie nearer to the eye (3,), each with its cm on X or Z; those within
    reach, which are few however large the box is."""
    out = []
    first, last = np.floor(low / ground.step), np.ceil(high / ground.step)
    for along, across, middle in ((0, 2, ground.middle[0]), (2, 0, ground.middle[1])):
        edge = last[across] if eye[across] >= (low[across] + high[across]) / 2 else first[across]
        begin = int(max(first[along], np.floor((middle - ground.reach) / ground.step)))
        end = int(min(last[along], np.ceil((middle + ground.reach) / ground.step)))
        every = next(n for n in (1, 2, 5, 10, 20) if end - begin < n * MOST_NUMBERS or n == 20)
        for number in range(-(-begin // every) * every, end + 1, every):
            place = np.zeros(3)
            place[along], place[1], place[across] = number * ground.step, ground.height, edge * ground.step
            out.append((place, float(place[along])))
    return out


def paint_numbers(view: Canvas, painter: QPainter) -> None:
    """Numbers of the ground's lines, the last of each edge with its unit."""
    ground = ground_in(view)
    if ground is None:
        return
    low, high = box_at_rest(view.doc.committed.scene)
    numbers = numbers_of(ground, low, high, view.camera.position())
    if not numbers:
        return
    places = np.array([place for place, _ in numbers])
    pixels, depths = view.camera.project(places, view.width(), view.height())
    away = np.linalg.norm(places[:, [0, 2]] - ground.middle, axis=1) / ground.reach
    taken: list[QPointF] = []
    for (_, value), pixel, depth, far in zip(numbers, pixels, depths, away, strict=True):
        at = QPointF(float(pixel[0]), float(pixel[1]) + ROOM)
        crowded = on_compass(view, at) or any(abs(at.x() - o.x()) < 3 * ROOM and abs(at.y() - o.y()) < ROOM for o in taken)
        if 0 < depth < 1 and far < FADED and not crowded and view.rect().contains(at.toPoint()):
            paint_letters(view, painter, at, f"{value:g}" if taken else f"{value:g} cm")
            taken.append(at)
