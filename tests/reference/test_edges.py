"""Surface lines lie along the outlines and creases of solids whose pictures are known.

Source: perspective drawing: the outline of a sphere of radius r at the distance d is a circle of the angle asin(r / d), that of
a box its projected edges (Hughes and others, Computer Graphics: Principles and Practice, 3rd edition, 7.8).
"""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.primitives import box, globe, plane
from fictilis.core.scene.light import Light
from fictilis.render.background import Background
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem

SIZE = 320
BLACK = Background("#000000", "#000000")
PERSPECTIVE = Camera(distance=100.0, pitch=25.0, yaw=35.0)
CAMERAS = pytest.mark.parametrize("camera", [PERSPECTIVE, replace(PERSPECTIVE, parallel=True)], ids=["perspective", "parallel"])
SIZES = pytest.mark.parametrize("fine", [False, True])


def item_of(made, **more):
    points, mesh = made[0].astype(np.float32), made[1]
    return DrawItem("it", mesh, points, point_normals(mesh, points), np.eye(4), object(), **more)


def lined(renderer, made, camera, fine=False, **more):
    """(k, 2): the pixels that the lines cover, x and y from the middle of each."""
    item = item_of(made, **more)
    pictures = []
    for lines in (0.0, 1.0):
        renderer.light = Light(0, 90, 0, 0, shade=0, lines=lines, line_colour="#FFFFFF")
        pictures.append(renderer.draw([item], camera, SIZE, SIZE, BLACK, fine)[..., 0].astype(int))
    renderer.light = Light()
    return np.argwhere(pictures[1] - pictures[0] > 100)[:, ::-1] + 0.5


@CAMERAS
@SIZES
def test_a_ball_has_its_outline_and_nothing_within(renderer, camera, fine):
    found = lined(renderer, globe(15, 96, 48), camera, fine)
    away = np.linalg.norm(found - SIZE / 2, axis=1)
    radius = 15 / camera.half_height() * SIZE / 2
    if not camera.parallel:
        radius = np.tan(np.arcsin(15 / np.linalg.norm(camera.position()))) / camera.tangent * SIZE / 2
    around = np.unique(np.round(np.degrees(np.arctan2(*(found - SIZE / 2).T)) / 5))
    assert len(around) >= 72 and np.abs(away - radius).max() < 3


@CAMERAS
@SIZES
def test_a_box_has_its_nine_visible_edges_and_nothing_else(renderer, camera, fine):
    made = box(30, 20, 24)
    found = lined(renderer, made, camera, fine, smooth=False)
    low, high = made[0].min(axis=0), made[0].max(axis=0)
    corners = low + np.indices((2, 2, 2)).reshape(3, -1).T * (high - low)
    hidden = np.argmax(np.linalg.norm(corners - camera.position(), axis=1))
    pixels = camera.project(corners, SIZE, SIZE)[0]
    gaps = []
    for a in range(8):
        for b in range(a):
            if np.count_nonzero(corners[a] != corners[b]) == 1 and hidden not in (a, b):
                along = np.linspace(pixels[a], pixels[b], 400)
                near = np.linalg.norm(found[:, None] - along[None], axis=2)
                gaps.append(near.min(axis=1))
                assert near.min(axis=0)[40:-40].max() < 2.5  # no part of the edge lacks its line
    assert len(gaps) == 9 and np.min(gaps, axis=0).max() < 3


@CAMERAS
def test_what_is_flat_has_none_however_it_leans(renderer, camera):
    found = lined(renderer, plane(400, 400, 2, 2), replace(camera, pitch=12.0))
    inside = (np.abs(found[:, 1] - SIZE / 2) < SIZE / 4).sum()
    assert inside == 0


def test_small_pictures_and_depths_have_no_lines(renderer):
    item = item_of(globe(15, 24, 12))
    depths, cards = [], []
    for lines in (0.0, 1.0):
        renderer.light = Light(lines=lines)
        depths.append(renderer.depths([item], PERSPECTIVE, SIZE, SIZE))
        cards.append(renderer.draw([item], PERSPECTIVE, 90, 72))
    renderer.light = Light()
    assert np.array_equal(*depths) and np.array_equal(*cards)
