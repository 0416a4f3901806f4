"""Filled outlines against the shoelace formula, Shapely's areas and closed forms."""

import numpy as np
import pytest
from shapely.geometry import Polygon

from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.lines.line_forms import circle, star, straight
from fictilis.core.geometry.lines.outlines import plane_of, solid_of
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.topology import edge_faces, triangles
from fictilis.core.ground.errors import EditRefused
from fictilis.formats.outlines import text_outline


def rings(*polygons):
    counts = [len(p) for p in polygons]
    flat = np.concatenate(polygons)
    points = np.concatenate([flat, np.zeros((len(flat), 1))], axis=1)
    return points, Line(starts=np.cumsum([0, *counts]), closed=np.ones(len(counts), bool))


def measured(solid, points):
    """Volume, and the area toward the plane's normal."""
    q, corners = solid.points(points), triangles(solid.mesh).points
    a, b, c = (q[corners[:, k]] for k in range(3))
    toward = (np.cross(b - a, c - a) @ solid.plane[2]) / 2
    return float((a * np.cross(b, c)).sum() / 6), float(toward[toward > 0].sum())


SQUARE = np.array([[0, 0], [10, 0], [10, 10], [0, 10]], float)
PIT = SQUARE * 0.4 + 2
ISLAND = SQUARE * 0.1 + 3
AWAY = SQUARE * 0.5 + [20, 0]


@pytest.mark.parametrize(
    ("polygons", "area"),
    [((SQUARE,), 100), ((SQUARE[::-1],), 100), ((SQUARE, PIT), 84), ((SQUARE, PIT[::-1]), 84), ((PIT, SQUARE, ISLAND), 85),
     ((SQUARE, AWAY), 125), ((AWAY, ISLAND, SQUARE, PIT), 110)],
)  # fmt: skip
@pytest.mark.parametrize("thickness", [0.0, 3.0])
def test_areas_and_volumes_with_holes_and_islands(polygons, area, thickness):
    """Source: the shoelace formula by hand; a hole takes away, an island in it adds (even-odd rule)."""
    points, line = rings(*polygons)
    solid = solid_of(line, points, thickness, 0.0)
    volume, toward = measured(solid, points)
    assert toward == pytest.approx(area) and volume == pytest.approx(area * thickness, abs=1e-9)
    if thickness:
        assert (edge_faces(solid.mesh) == 2).all()


@pytest.mark.parametrize("letter", "OB8iAeg&")
def test_letters_have_shapelys_area(letter):
    """Source: shapely.geometry.Polygon, the even-odd union of the strands."""
    points, line = text_outline(letter, 10.0)
    shape = Polygon()
    for a, b in zip(line.starts, line.starts[1:], strict=False):
        shape = shape.symmetric_difference(Polygon(points[a:b, :2]).buffer(0))
    volume, toward = measured(solid_of(line, points, 2.0, 0.0), points)
    assert toward == pytest.approx(shape.area, rel=1e-6) and volume == pytest.approx(2 * shape.area, rel=1e-6)


def test_a_bevel_takes_a_frustum_off_each_side():
    """Closed form: of a square of side a, thickness t and bevel b: (t - 2b) a² + 2 · b/3 (a² + a c + c²), c = a - 2b."""
    points, line = rings(SQUARE)
    a, t, b = 10.0, 4.0, 1.0
    c = a - 2 * b
    volume, toward = measured(solid_of(line, points, t, b), points)
    assert volume == pytest.approx((t - 2 * b) * a * a + 2 * b / 3 * (a * a + a * c + c * c)) and toward == pytest.approx(a * a)
    holed, line = rings(SQUARE, PIT)
    assert measured(solid_of(line, holed, t, 0.5), holed)[0] < 84 * t  # a hole's rim is taken off too


@pytest.mark.parametrize("turn", range(4))
def test_an_outline_in_any_plane_is_filled_there(turn):
    from scipy.spatial.transform import Rotation

    points, line = star(50.0, 22.0, 5)
    matrix = Rotation.random(random_state=turn).as_matrix()
    flat = solid_of(line, points, 5.0, 0.0)
    turned = solid_of(line, points @ matrix.T + 7, 5.0, 0.0)
    assert measured(turned, points @ matrix.T + 7) == pytest.approx(measured(flat, points))
    axes = plane_of(points @ matrix.T)
    assert np.allclose(axes @ axes.T, np.eye(3)) and np.linalg.det(axes) == pytest.approx(1)


def test_without_a_bevel_a_solid_is_a_linear_map_of_its_line():
    points, line = circle(50.0, 24)
    solid = solid_of(line, points, 5.0, 0.0)
    moved = points * [1.5, 0.7, 1] + np.sin(points)
    half = solid.points((points + moved) / 2)
    assert np.allclose(half, (solid.points(points) + solid.points(moved)) / 2)
    assert len(half) == 2 * len(drawn(line).of(points))


@pytest.mark.parametrize(
    ("made", "thickness", "bevel", "said"),
    [(straight(), 1, 0, "no closed strand"), (circle(), 1, 0.6, "may be half"), (circle(), -1, 0, "does not go into"),
     (rings(SQUARE * 0), 1, 0, "enclose no surface")],
)  # fmt: skip
def test_what_cannot_be_filled_is_said(made, thickness, bevel, said):
    with pytest.raises(EditRefused, match=said):
        solid_of(made[1], made[0], thickness, bevel)
