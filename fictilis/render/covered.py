"""Which part of a picture its items can reach."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from fictilis.core.geometry.kinds import Line
from fictilis.core.ground.arrays import box
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem, Many

MANY = 150
AROUND = 8  # pixels by which points and edges are drawn beside the surface


class Placed(Protocol):
    """Points (n, 3), where they stand, and where their copies do."""

    points: np.ndarray
    matrix: np.ndarray
    many: Many | None


def ends_of(item: Placed) -> np.ndarray:
    """(8k, 3) float64, cm: the corners of the boxes around an item that has points and around its copies in the same pose."""
    low, high = box(item.points)
    corners = np.where(np.indices((2, 2, 2)).reshape(3, -1).T, high, low).astype(np.float64)
    matrices = item.matrix[None] if item.many is None else np.concatenate([item.matrix[None], item.many.matrices])
    return (corners @ matrices[:, :3, :3].transpose(0, 2, 1) + matrices[:, None, :3, 3]).reshape(-1, 3)


def covered_part(items: Sequence[DrawItem], camera: Camera, width: int, height: int) -> tuple[int, int, int, int] | None:
    """The rectangle (left, top, width, height) of a picture, in pixels, that items can reach; None where it may be all."""
    if len(items) > MANY:
        return None  # most likely they fill it, and looking at each takes longer than is won
    ends = []
    for item in items:
        if isinstance(item.geometry, Line):
            return None  # drawn wider than its points
        if len(item.points):
            if item.many is not None and len(item.many.points):
                return None  # copies may stand in other poses
            ends.append(ends_of(item))
    if not ends:
        return None
    pixels, depths = camera.project(np.concatenate(ends), width, height)
    if not ((depths > 0) & (depths < 1)).all():
        return None
    low = np.clip(np.floor(pixels.min(axis=0)) - AROUND, 0, (width, height)).astype(int)
    high = np.clip(np.ceil(pixels.max(axis=0)) + AROUND, 0, (width, height)).astype(int)
    if not (high > low).all():
        low, high = np.zeros(2, int), np.ones(2, int)  # nothing of them is in the picture
    return int(low[0]), int(low[1]), int(high[0] - low[0]), int(high[1] - low[1])
