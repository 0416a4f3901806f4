"""How surfaces shade one another, against a closed form.

Beside a wall without end the light from all around, weighed by the cosine, is kept off from where the wall is nearer than the
reach r. In the unit circle that the half sphere of directions is projected onto, this is the segment beyond c = d / r, for a
point at the distance d from the wall: (acos c - c sqrt(1 - c^2)) / pi of its area.
Source: Nusselt's analog (Pharr, Jakob, Humphreys, Physically Based Rendering, 4th edition, 4.2.2), own integral.
"""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.primitives import box, plane
from fictilis.core.scene.light import Light
from fictilis.render.background import Background
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem
from fictilis.render.shade import NEAR

SIZE = 320
BLACK = Background("#000000", "#000000")
GROUND, MESH = plane(90, 90, 2, 2)
WALL = GROUND[:, [1, 0, 2]] * [1, 1, -1]
FROM_ASIDE = Camera(distance=60.0, pitch=45.0, yaw=50.0, parallel=True)
NEARER = Camera(distance=60.0, pitch=40.0, yaw=50.0)
PLACES = np.array([0.2, 0.4, 0.6, 0.75, 1.3])  # distances from the wall, in parts of the reach


def sheet(points, **more):
    points = points.astype(np.float32)
    return DrawItem(
        points.tobytes(), MESH, points, point_normals(MESH, points), np.eye(4), colour="#FFFFFF", smooth=False, **more
    )


def dark(renderer, items, camera, light=Light(0.0, 90.0, 0.3, 0.0, shade=1.0), fine=True, **how):
    """(h, w): which part of the light is kept off."""
    pictures = []
    for shade in (0.0, light.shade):
        renderer.light = replace(light, shade=shade)
        pictures.append(renderer.draw(items, camera, SIZE, SIZE, BLACK, fine, **how)[..., 0].astype(float))
    renderer.light = Light()
    return np.where(pictures[0] > 0, 1 - pictures[1] / np.maximum(pictures[0], 1), 0.0)


def along_the_wall(found, camera):
    """(k,): the mean around each of the PLACES, over 13 pixels along the wall."""
    reach = NEAR * camera.half_height()
    rows = [np.stack([PLACES * reach, 0 * PLACES, np.full_like(PLACES, z)], axis=1) for z in np.linspace(-2, 2, 13)]
    pixels = np.stack([camera.project(row, SIZE, SIZE)[0] for row in rows]).astype(int)
    return found[pixels[..., 1], pixels[..., 0]].mean(axis=0)


@pytest.mark.parametrize("camera", [FROM_ASIDE, NEARER], ids=["parallel", "perspective"])
@pytest.mark.parametrize("fine", [False, True])
def test_beside_a_wall_it_is_what_the_closed_form_says(renderer, camera, fine):
    c = np.minimum(PLACES, 1)
    expected = (np.arccos(c) - c * np.sqrt(1 - c * c)) / np.pi
    found = along_the_wall(dark(renderer, [sheet(GROUND), sheet(WALL)], camera, fine=fine), camera)
    assert np.all(np.abs(found - expected) < 0.1 * expected + 0.02), (found, expected)


@pytest.mark.parametrize("camera", [FROM_ASIDE, NEARER], ids=["parallel", "perspective"])
def test_a_plane_has_none_nor_what_stands_far_before_it(renderer, camera):
    assert dark(renderer, [sheet(GROUND)], camera).max() < 0.04
    high = GROUND * 0.1 + [0, 3 * NEAR * camera.half_height(), 0]
    assert np.mean(dark(renderer, [sheet(GROUND), sheet(high)], camera) > 0.04) < 0.005, "but for pixels on its edge"


def test_what_moves_what_says_numbers_and_what_shines_through_have_none(renderer):
    both = [sheet(GROUND), sheet(WALL)]
    assert dark(renderer, both, NEARER, swift=True).max() == 0
    tinted = sheet(WALL, tint=np.full(len(WALL), 0.5, np.float32))
    assert dark(renderer, [sheet(GROUND), tinted], NEARER).max() == 0
    faint = sheet(WALL, alpha=0.5)
    assert dark(renderer, [sheet(GROUND), faint], NEARER).max() < 0.04


def test_only_the_part_of_a_picture_that_is_covered_is_looked_at_and_no_pixel_differs(renderer):
    """A small box leaves most of a picture out; behind a plane as large as the picture all of it is looked at."""
    small = GROUND * 0.1
    items = [sheet(small), sheet(WALL * 0.1)]
    found = dark(renderer, items, NEARER)
    assert 0.3 < found.max() < 0.6 and np.count_nonzero(found) < 0.2 * found.size
    whole = renderer.draw(items, NEARER, SIZE, SIZE, BLACK, True)
    far = [*items, sheet(GROUND - [0, 400, 0], alpha=0.0)]
    assert np.abs(whole.astype(int) - renderer.draw(far, NEARER, SIZE, SIZE, BLACK, True)).max() <= 1


def test_colours_of_a_brush_or_a_mask_leave_it(renderer):
    marked = sheet(WALL, tint=np.full(len(WALL), 0.5, np.float32), measured=False)
    assert dark(renderer, [sheet(GROUND), marked], NEARER).max() > 0.3


@pytest.mark.parametrize("parallel", [False, True])
@pytest.mark.parametrize("fine", [False, True])
def test_a_box_alone_has_no_shade_wherever_it_stands_and_whatever_was_drawn_before(renderer, parallel, fine):
    """Nothing shades what is convex: not the depths of the picture before, around the part that is drawn anew, nor the other
    side of the picture."""
    points, mesh = box(30, 20, 24)
    points = points.astype(np.float32)
    item = DrawItem("box", mesh, points, point_normals(mesh, points), np.eye(4), smooth=False)
    for distance in (55.0, 110.0):
        for yaw in (35.0, 0.0, 60.0):
            camera = Camera(distance=distance, pitch=25.0, yaw=yaw, parallel=parallel)
            found = dark(renderer, [item], camera, fine=fine)
            assert (found > 0.06).mean() < 0.002, (distance, yaw)
