"""Tubes against volumes and frames in closed form."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.checks.checks import run_checks
from fictilis.core.checks.tubes import fitting
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.lines import set_tube
from fictilis.core.geometry.kinds import Line, Tube
from fictilis.core.geometry.lines.line_forms import arc, circle, helix, straight, wave
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.tubes import (
    box_profile,
    frames,
    in_part,
    line_profile,
    opened_tube_mesh,
    round_profile,
    tube_mesh,
    tube_points,
)
from fictilis.core.geometry.topology import edge_faces, triangles
from fictilis.core.scene.scene import Scene


def tubed(form, width=6.0, profile=None, **more):
    points, line = form
    profile = round_profile(64) if profile is None else profile
    return points, replace(line, widths=np.full(len(points), width), tube=Tube(profile, **more))


def volume(points, line) -> float:
    a, b, c = (tube_points(line, points)[corner] for corner in triangles(tube_mesh(line)).points.T)
    return float((a * np.cross(b, c)).sum() / 6)


def of_circle(sides: int) -> float:
    """The area of a regular polygon of that many sides in a circle of radius 1."""
    return sides / 2 * np.sin(2 * np.pi / sides)


@pytest.mark.parametrize(("sides", "width"), [(64, 6.0), (8, 2.0)])
def test_a_straight_tube_has_the_volume_of_a_cylinder(sides, width):
    """Closed form: π r² L, for the polygon that stands in for the circle."""
    points, line = tubed(straight(100.0, 9), width, round_profile(sides))
    assert volume(points, line) == pytest.approx(of_circle(sides) * (width / 2) ** 2 * 100, rel=1e-9)
    wide = replace(line, tube=Tube(box_profile(), twist=0.0))
    assert volume(points, wide) == pytest.approx(width**2 * 100, rel=1e-9)


def test_a_ring_has_the_volume_that_pappus_gives_it():
    """Source: Pappus's second theorem, 2 π R times the area of the profile."""
    points, line = tubed(circle(50.0, 400), 10.0)
    assert volume(points, line) == pytest.approx(2 * np.pi * 50 * of_circle(64) * 25, rel=1e-4)
    square = replace(line, tube=Tube(box_profile(), twist=180.0, word="box"))
    assert volume(points, square) == pytest.approx(2 * np.pi * 50 * 100, rel=1e-2)


@pytest.mark.parametrize("closed", [False, True])
def test_a_tube_is_closed_all_around_and_faces_outward(closed):
    points, line = tubed(circle(50.0, 24) if closed else helix(20.0, 60.0, 2.0, 40), 6.0, round_profile(7))
    assert (edge_faces(tube_mesh(line)) == 2).all() and volume(points, line) > 0
    bare = replace(line, tube=replace(line.tube, caps=False))
    assert (edge_faces(tube_mesh(bare)) == 1).sum() == (0 if closed else 14)
    assert (edge_faces(opened_tube_mesh(line)) == 2).all()


def test_frames_along_a_helix_turn_against_its_normals_by_its_torsion():
    """Closed form: a frame that turns least turns by -τ s against Frenet's; τ = c / (r² + c²) for rise c a radian."""
    r, turns, high = 25.0, 3.0, 90.0
    points, _ = helix(r, high, turns, 3000)
    c = high / (2 * np.pi * turns)
    t, side, _ = (part[0] for part in frames(points[None], False))
    normal = -points * [1, 0, 1] / r
    binormal = np.cross(t, normal)
    angle = np.unwrap(np.arctan2((side * binormal).sum(axis=1), (side * normal).sum(axis=1)))
    length = np.hypot(2 * np.pi * turns * r, high)
    inner = angle[20:-20]
    found = (inner[-1] - inner[0]) / (length * (len(inner) - 1) / (len(angle) - 1))
    assert found == pytest.approx(-c / (r**2 + c**2), rel=1e-3)


def test_frames_in_a_plane_keep_its_normal_and_straight_ones_do_not_turn():
    """Closed form: in a plane the side across it stays as it is, through inflections too, where Frenet's flips."""
    points, line = wave(100.0, 30.0, 4.0, 80)
    _, side, other = frames(drawn(line).of(points)[None], False)
    across = np.abs(side[0, :, 2]) if abs(side[0, 0, 2]) > 0.5 else np.abs(other[0, :, 2])
    assert np.allclose(across, 1.0, atol=1e-9)
    stops = np.concatenate([points[:20], np.repeat(points[19:20], 5, axis=0), points[20:]])  # places that stand still
    assert np.isfinite(frames(stops[None], False)[1]).all()
    line_points, _ = straight(10.0, 30)
    _, side, _ = frames(line_points[None], False)
    assert np.allclose(side, side[:, :1], atol=1e-12)


@pytest.mark.parametrize("twist", [0.0, 90.0, 360.0])
def test_around_a_closed_line_the_last_ring_leads_on_to_the_first(twist):
    """A knotted closed line: from ring to ring the profile turns no more at the seam than elsewhere."""
    a = np.arange(300) * 2 * np.pi / 300
    knot = np.stack([np.sin(a) + 2 * np.sin(2 * a), np.cos(a) - 2 * np.cos(2 * a), -np.sin(3 * a)], axis=1) * 10
    line = Line(starts=np.array([0, 300]), closed=np.array([True]), widths=np.full(300, 2.0),
                tube=Tube(box_profile(), twist=twist, word="box"))  # fmt: skip
    rings, mesh = tube_points(line, knot).reshape(300, 4, 3), tube_mesh(line)
    quads = mesh.corners.reshape(-1, 4)
    steps = np.linalg.norm(rings.reshape(-1, 3)[quads[:, 3]] - rings.reshape(-1, 3)[quads[:, 0]], axis=1)
    assert steps[-4:].max() < 1.5 * steps[:-4].max()


@pytest.mark.parametrize("span", [(0.0, 0.5), (0.25, 0.75), (0.9, 0.1), (0.4, 0.4), (-1.0, 2.0)])
def test_a_line_drawn_in_part_has_that_part_of_its_length(span):
    points, line = arc(50.0, 180.0, 200)
    fine = drawn(line)
    places = fine.of(points)
    part = in_part(fine.line, places, span)
    found = np.linalg.norm(np.diff(part, axis=0), axis=1).sum()
    low, high = max(min(span), 0.0), min(max(span), 1.0)
    assert found == pytest.approx((high - low) * np.pi * 50, abs=0.01) and part.shape == places.shape


def test_a_profile_of_a_line_is_centred_of_size_one_and_runs_counter_clockwise():
    points, line = circle(30.0, 20)
    for way in (points, points[::-1]):
        profile = line_profile(line, way + [5, 7, 3])
        x, y = profile.T
        assert np.ptp(profile, axis=0).max() == pytest.approx(1) and abs(profile.mean()) < 1e-9
        assert x @ np.roll(y, -1) - y @ np.roll(x, -1) > 0


def test_a_cone_by_the_radius_curve_and_a_screw_by_the_turning():
    """Source: the volume of a pyramid over a regular polygon, base × height / 3; a box turned by 90° is the same box."""
    sides, points = 48, np.stack([np.zeros(41), np.linspace(0, 30, 41), np.zeros(41)], 1)
    radius = AnimationCurve((Key(0.0, 1.0, "linear"), Key(1.0, 0.0, "linear")))
    turning = AnimationCurve((Key(0.0, 0.0, "linear"), Key(1.0, 90.0, "linear")))
    line = Line(starts=[0, 41], closed=[False], widths=np.full(41, 8.0), tube=Tube(round_profile(sides), radius=radius))
    polygon = sides / 2 * np.sin(2 * np.pi / sides) * 16
    assert volume(points, line) == pytest.approx(polygon * 30 / 3, rel=2e-3)
    plain = tube_points(replace(line, tube=Tube(box_profile())), points).reshape(41, 4, 3)
    turned = tube_points(replace(line, tube=Tube(box_profile(), turning=turning)), points).reshape(41, 4, 3)
    assert np.allclose(turned[-1], plain[-1][[1, 2, 3, 0]]) or np.allclose(turned[-1], plain[-1][[3, 0, 1, 2]])
    halfway = np.einsum("ij,ij->i", turned[20] - points[20], plain[20] - points[20]) / np.square(plain[20] - points[20]).sum(1)
    assert np.allclose(halfway, np.cos(np.radians(45)))
    ring = replace(line, closed=np.array([True]), tube=Tube(box_profile(), turning=turning))  # closes all the same
    around = np.stack([20 * np.cos(np.arange(41)), 20 * np.sin(np.arange(41)), 0 * np.arange(41)], 1)
    assert np.isfinite(tube_points(ring, around)).all()
    for name, key in (("radius", Key(0.5, -1.0)), ("radius", Key(1.5, 1.0)), ("turning", Key(0.0, 1e9))):
        with pytest.raises(ValueError, match="tube"):
            Tube(box_profile(), **{name: AnimationCurve((key,))})


def test_a_tube_that_runs_through_itself_is_found_and_made_to_fit():
    """Source: a ring of radius r is no tube of a radius beyond r; two turns of a helix are a pitch apart."""
    points, line = circle(20.0, 60)
    assert fitting(replace(line, degree=3, widths=np.full(60, 39.0), tube=Tube(round_profile(16))), points) == 1.0
    found = fitting(replace(line, degree=3, widths=np.full(60, 50.0), tube=Tube(round_profile(16))), points)
    assert found == pytest.approx(20 / 25, rel=0.02)
    points, line = helix(30.0, 40.0, 4.0, 200)
    found = fitting(replace(line, degree=3, widths=np.full(200, 16.0), tube=Tube(round_profile(16))), points)
    assert found == pytest.approx(10 * np.cos(np.arctan(10 / (2 * np.pi * 30))) / 16, rel=0.03)
    scene, coil = add_form(Scene(), "Helix", {"radius": 30.0, "height": 40.0, "turns": 4.0, "points": 200})
    scene = set_tube(scene, coil, Tube(round_profile(16)), 16.0)
    (one,) = run_checks(scene, only=("tubes",))
    assert "tube of Helix runs through itself in the base" in one.sentence
    assert not run_checks(one.mend(scene), only=("tubes",))
