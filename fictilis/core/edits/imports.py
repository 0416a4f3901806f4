"""Objects that came from a file without a unit: how long its numbers are, what is up, and where they stand."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from msgspec.structs import replace

from fictilis.core.arrays import box
from fictilis.core.edits.whole_shapes import map_target
from fictilis.core.errors import EditRefused
from fictilis.core.geometry.kinds import Line
from fictilis.core.scene import Deltas, MorphObject, Scene

UNITS = {"mm": 0.1, "cm": 1.0, "m": 100.0, "inch": 2.54}  # in cm


def laid(
    scene: Scene, object_ids: Collection[str], unit: str = "cm", z_up: bool = False, centre: bool = False, ground: bool = False
) -> Scene:
    """Objects without places of their own, their numbers read in a unit, turned upright where Z is up, together centred on the
    origin and stood on the ground where asked; targets go along. Raises EditRefused for a unit that is not known."""
    if unit not in UNITS:
        raise EditRefused(f"“{unit}” is no unit; use {', '.join(UNITS)}.")
    linear = np.eye(3) * UNITS[unit]
    if z_up:
        linear = linear @ np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])
    own = [obj for obj in scene.objects if obj.id in object_ids and len(obj.base)]
    shift = np.zeros(3)
    if own and (centre or ground):
        low, high = box(np.concatenate([obj.base for obj in own]) @ linear.T)
        if centre:
            shift = -(low + high) / 2
        if ground:
            shift[1] = -low[1]
    for obj in own:
        scene = scene.with_object(_through(obj, linear, shift, UNITS[unit]))
    return scene


def _through(obj: MorphObject, linear: np.ndarray, shift: np.ndarray, factor: float) -> MorphObject:
    geometry = obj.geometry
    if isinstance(geometry, Line) and geometry.widths is not None:
        geometry = replace(geometry, widths=geometry.widths * factor)
    targets = tuple(map_target(t, lambda d: Deltas(d.indices, d.offsets @ linear.T)) for t in obj.targets)
    return replace(obj, base=obj.base @ linear.T + shift, geometry=geometry, targets=targets)


def size_in(scene: Scene, object_ids: Collection[str], unit: str) -> tuple[float, float, float]:
    """How large objects are together, in cm, if their numbers are in a unit."""
    rows = [obj.base for obj in scene.objects if obj.id in object_ids and len(obj.base)]
    if not rows:
        return 0.0, 0.0, 0.0
    low, high = box(np.concatenate(rows))
    x, y, z = ((high - low) * UNITS[unit]).tolist()
    return x, y, z
