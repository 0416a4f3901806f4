"""How large what a scene shows is."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from fictilis.core.at_frame.pose import Pose
from fictilis.core.ground.affine import placed_box
from fictilis.core.ground.arrays import box
from fictilis.core.scene.scene import Scene

Size = tuple[float, float, float]


def box_of(scene: Scene, ids: Collection[str]) -> tuple[np.ndarray, np.ndarray] | None:
    """The lowest and highest corner (3,) of objects as they rest and stand at the start; None where they have no points."""
    shown = [Pose(scene, obj, scene.start) for obj in scene.objects if obj.id in ids and len(obj.base)]
    corners = [placed_box(one.obj.base, one.matrix) for one in shown]
    return box(np.concatenate(corners)) if corners else None


def size_of(scene: Scene, ids: Collection[str]) -> Size:
    """How large objects are together, in cm."""
    found = box_of(scene, ids)
    x, y, z = (found[1] - found[0]).tolist() if found is not None else (0.0, 0.0, 0.0)
    return x, y, z
