"""Scenes of many objects."""

import numpy as np

from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.primitives import box
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem
from fictilis.render.renderer import KEPT_BUFFERS


def test_all_objects_of_a_picture_keep_their_buffers_for_the_next_one(renderer):
    points, mesh = box(1, 1, 1, 1)
    points = points.astype(np.float32)
    normals = point_normals(mesh, points)
    items = []
    for number in range(KEPT_BUFFERS + 40):
        matrix = np.eye(4)
        matrix[:2, 3] = number % 20 - 10, number // 20 - 5
        items.append(DrawItem(("mix", number), mesh, points, normals, matrix, 1))
    camera = Camera(distance=60.0)
    first = renderer.draw(items, camera, 320, 200)
    kept = {item.key: renderer._buffers[item.key] for item in items}
    assert np.array_equal(renderer.draw(items, camera, 320, 200), first)
    assert all(renderer._buffers[key] is buffers for key, buffers in kept.items())
    few = [DrawItem(("few", number), mesh, points, normals, np.eye(4), 1) for number in range(KEPT_BUFFERS)]
    renderer.draw(few, camera, 320, 200)
    renderer.draw(few[:1], camera, 320, 200)
    renderer.draw([DrawItem("last", mesh, points, normals, np.eye(4), 1)], camera, 320, 200)
    assert len(renderer._buffers) == KEPT_BUFFERS + 1, "what is seen no more is let go"
