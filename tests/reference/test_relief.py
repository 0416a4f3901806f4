"""How a surface shows its form, against closed forms of mean curvature.

Source: do Carmo, Differential Geometry of Curves and Surfaces (1976), 3-3: 1 / R on a sphere, half of that on a cylinder, 0 at
the middle of a saddle z = x² - y².
"""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.primitives import ball, cylinder, plane
from fictilis.core.scene.light import Light
from fictilis.render.background import Background
from fictilis.render.camera import Camera
from fictilis.render.items import DrawItem
from fictilis.render.renderer import REACHES

FROM_ABOVE = Camera(distance=60.0, pitch=90.0, parallel=True)
SIZE = 240
SPAN = REACHES * FROM_ABOVE.half_height()
BLACK = Background("#000000", "#000000")


def sheet(height):
    """A sheet of 30 cm whose height, in cm, is a function of x and z."""
    points, mesh = plane(30, 30, 120, 120)
    points[:, 1] = height(points[:, 0], points[:, 2])
    return points, mesh


def lit(renderer, points, mesh, relief, tint=None, colour="#FFFFFF"):
    """(h, w): the light on a surface, without what it adds by itself: that of a white one less that of a black one."""
    points = points.astype(np.float32)
    item = DrawItem("r", mesh, points, point_normals(mesh, points), np.eye(4), colour=colour, tint=tint, relief=1.0)
    renderer.light = Light(0.0, 90.0, 0.5, relief, shade=0.0)
    white, black = (
        renderer.draw([replace(item, colour=c, revision=c)], FROM_ABOVE, SIZE, SIZE, BLACK)[..., 0].astype(float)
        for c in (colour, "#000000")
    )
    renderer.light = Light()
    return white - black


def change(renderer, points, mesh, half=20):
    """(2 half, 2 half): by what the relief multiplies the light in the middle of the picture."""
    middle = np.s_[SIZE // 2 - half : SIZE // 2 + half, SIZE // 2 - half : SIZE // 2 + half]
    return lit(renderer, points, mesh, 1.0)[middle] / lit(renderer, points, mesh, 0.0)[middle]


def expected(curvature):
    bend = SPAN * curvature
    return 1 + (1.0 if bend < 0 else 0.6) * bend / (1 + abs(bend))


@pytest.mark.parametrize("radius", [6.0, 10.0, 14.0])
def test_on_a_sphere_it_is_even_and_as_its_radius_says(renderer, radius):
    found = change(renderer, *ball(radius, 40), half=int(radius))
    assert abs(found.mean() - expected(1 / radius)) < 0.02 and np.ptp(found) < 0.06


def test_a_cylinder_bends_half_as_much_as_a_sphere(renderer):
    points, mesh = cylinder(6.0, 30.0, 120)
    lying = points[:, [1, 0, 2]] * [1, 1, -1]  # its axis along X, faces still outward
    assert abs(change(renderer, lying, mesh, 8).mean() - expected(0.5 / 6.0)) < 0.03


@pytest.mark.parametrize(("height", "curvature"), [
    (lambda x, z: 0 * x, 0.0), (lambda x, z: 0.02 * (x**2 - z**2), 0.0), (lambda x, z: 0.02 * x * z, 0.0),
    (lambda x, z: 0.03 * (x**2 + z**2), -0.06), (lambda x, z: -0.03 * (x**2 + z**2), 0.06),
    (lambda x, z: 0.04 * x**2, -0.04), (lambda x, z: -0.04 * z**2, 0.04),
])  # fmt: skip
def test_flat_saddle_bowl_hill_trough_and_ridge(renderer, height, curvature):
    """Hollow is darker, bulging lighter, and flat or evenly both is neither."""
    found = change(renderer, *sheet(height), half=6)
    assert abs(found.mean() - expected(curvature)) < 0.025 and np.ptp(found) < 0.08


def test_colours_that_say_numbers_stay_as_the_legend_has_them(renderer):
    points, mesh = sheet(lambda x, z: 0.03 * (x**2 + z**2))
    tint = np.full(len(points), 0.7, np.float32)
    assert np.array_equal(lit(renderer, points, mesh, 1.0, tint), lit(renderer, points, mesh, 0.0, tint))


@pytest.mark.parametrize("clay", ["glazed", "lines"])
def test_glaze_and_lines_of_light_are_even_where_the_surface_is(renderer, clay):
    """A flat sheet looks the same all over; a wave shows edges of light."""
    counts = []
    for height in (lambda x, z: 0 * x, lambda x, z: np.sin(x)):
        points, mesh = sheet(height)
        item = DrawItem("r", mesh, points.astype(np.float32), point_normals(mesh, points.astype(np.float32)), np.eye(4))
        renderer.light = Light(clay=clay, relief=0.0)
        row = (
            renderer.draw([item], replace(FROM_ABOVE, pitch=60.0), SIZE, SIZE, BLACK)[SIZE // 2, 60:180, :3].astype(int).sum(1)
        )
        counts.append(int((np.abs(np.diff(row)) > 25).sum()))
    renderer.light = Light()
    assert counts[0] == 0 and counts[1] >= 4
