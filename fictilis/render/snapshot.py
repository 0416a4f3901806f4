"""What single pictures begin with: from where, how far a scene reaches, and an object in any shape."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.core.at_frame.after import acts
from fictilis.core.at_frame.copies import copies
from fictilis.core.at_frame.drawn import finer_of
from fictilis.core.at_frame.pose import Pose, placement
from fictilis.core.geometry.normals import point_normals
from fictilis.core.ground.affine import placed_box
from fictilis.core.ground.arrays import box
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem

START_YAW, START_PITCH = 18.0, 6.0
ROOM = 1.2  # around what is shown whole


def draw_item(obj: MorphObject, points: np.ndarray, key: object, tint: np.ndarray | None = None) -> DrawItem:
    """An object in some shape (n, 3), ready to be drawn."""
    points = points.astype(np.float32)
    return DrawItem(
        key, obj.geometry, points, point_normals(obj.geometry, points), obj.transform.matrix(), object(),
        colour=obj.appearance.colour, smooth=obj.appearance.smooth, tint=tint, finer=finer_of(obj),
    )  # fmt: skip


def first_camera(scene: Scene, aspect: float) -> Camera:
    """From where a view looks at a scene that was just opened, in a picture so many times as wide as high."""
    return Camera(yaw=START_YAW, pitch=START_PITCH).fitted(*bounds(scene, scene.start), aspect=aspect, margin=ROOM)


def bounds(scene: Scene, frame: float | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Low and high corner (3,) of the visible bases in scene space; a metre cube when there are none.

    They stand where they do at ``frame``, by default without their lanes.
    """
    clouds = []
    for obj in scene.objects:
        own = replace(obj, lanes=()) if frame is None else obj
        if not placement(scene, own, frame or 0.0).visible or not len(obj.base):
            continue
        matrices = copies(scene, own, frame or 0.0).matrices
        if acts(obj):
            own_points = Pose(scene, own, frame or 0.0, springs=False).points
            clouds.append(np.concatenate([np.stack(placed_box(own_points, matrix)) for matrix in matrices]))
        elif len(matrices) == 1:
            clouds.append(np.stack(placed_box(obj.base, matrices[0])))
        else:
            low, high = box(obj.base)
            ends = np.where(np.indices((2, 2, 2)).reshape(3, -1).T, high, low)
            clouds.append((ends @ matrices[:, :3, :3].transpose(0, 2, 1) + matrices[:, None, :3, 3]).reshape(-1, 3))
    if not clouds:
        return np.full(3, -50.0), np.full(3, 50.0)
    every = np.concatenate(clouds)
    return box(every)
