"""Bend, twist and taper of points.

Source: Barr (1984), Global and Local Deformations of Solid Primitives, SIGGRAPH 84: the formulas for tapering (2), twisting (3)
and bending (4), with limits for all three.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from fictilis.core.ground.arrays import box, cached_by_array
from fictilis.core.scene.deformers import BEND, TAPER, Deformer
from fictilis.core.scene.scene import MorphObject


@cached_by_array
def _box(base: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    return box(base)


def deform(deformer: Deformer, amount: float, ends: tuple[np.ndarray, np.ndarray], points: np.ndarray) -> np.ndarray:
    """Points (n, 3), in their dtype, through a deformer by an amount; ``ends`` are the lowest and the highest corner (3,) of
    the base. Where the base has no length along the axis nothing happens."""
    low, high = ends
    a = "xyz".index(deformer.axis)
    b, c = (a + 1) % 3, (a + 2) % 3
    length = float(high[a] - low[a])
    if amount == 0.0 or length <= 1e-12:
        return points
    middle = (low + high) / 2
    out = np.empty_like(points)
    height = (points[:, a] - low[a]) / length
    within = np.clip(height, deformer.low, deformer.high)
    run = (within - deformer.still) / (deformer.high - deformer.low)
    across, aside = points[:, b] - middle[b], points[:, c] - middle[c]
    if deformer.kind == TAPER:
        wide = 1.0 + amount * run
        out[:, a], out[:, b], out[:, c] = points[:, a], middle[b] + wide * across, middle[c] + wide * aside
        return out
    angle = np.radians(amount) * run
    if deformer.kind != BEND:
        cos, sin = np.cos(angle), np.sin(angle)
        out[:, a] = points[:, a]
        out[:, b], out[:, c] = middle[b] + cos * across - sin * aside, middle[c] + sin * across + cos * aside
        return out
    ahead, beside = np.cos(np.radians(deformer.toward)), np.sin(np.radians(deformer.toward))
    side = ahead * across + beside * aside  # toward where it bends
    beyond = (height - within) * length
    way = (within - deformer.still) * length
    # a circle's arc written so that it holds for a straight one too: sin(t)/t and (1 - cos t)/t
    arc, half = np.sinc(angle / np.pi), np.sinc(angle / (2 * np.pi))
    cos, sin = np.cos(angle), np.sin(angle)
    out[:, a] = low[a] + deformer.still * length + way * arc - side * sin + beyond * cos
    moved = side * cos + way * (angle / 2) * half**2 + beyond * sin - side
    out[:, b], out[:, c] = points[:, b] + ahead * moved, points[:, c] + beside * moved
    return out


def acting(obj: MorphObject) -> tuple[Deformer, ...]:
    """The deformers of an object that are on."""
    return tuple(d for d in obj.deformers if d.on)


def deformed(obj: MorphObject, values: Mapping[str, float], points: np.ndarray) -> np.ndarray:
    """Points (n, 3) of an object's mix through its deformers, at the ``values`` of its channels; the very same where none
    acts."""
    if len(obj.base):
        for deformer in acting(obj):
            ends = _box(obj.base) if deformer.box is None else (np.array(deformer.box[0]), np.array(deformer.box[1]))
            points = deform(deformer, values[deformer.kind], ends, points)
    return points
