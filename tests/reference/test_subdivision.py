"""Smooth subdivision against its published rules and limits, and against SciPy's B-splines."""

import numpy as np
import pytest
from scipy.interpolate import BSpline

from fictilis.core.geometry import carry
from fictilis.core.geometry.finer import finer
from fictilis.core.geometry.primitives import box, plane
from fictilis.core.geometry.topology import mesh_from_faces, neighbours, point_faces


def refined(points, mesh, times):
    for _ in range(times):
        step = carry.subdivide(mesh, smooth=True)
        points, mesh = step.base(points), step.geometry
    return points, mesh


def fan(valence, seed=0):
    """A point with ``valence`` quads around it, each with neighbours beyond, in uneven places."""
    angle = np.arange(2 * valence) * np.pi / valence
    rings = [np.zeros((1, 3))]
    for radius in (1.0, 2.0, 3.0):
        rings.append(radius * np.stack([np.cos(angle), np.sin(angle), 0 * angle], 1))
    points = np.concatenate(rings) + np.random.default_rng(seed).normal(size=(1 + 6 * valence, 3)) * 0.15
    n = 2 * valence
    faces = [[0, 1 + 2 * k, 2 + 2 * k, 1 + (2 * k + 2) % n] for k in range(valence)]
    for ring in range(2):
        a, b = 1 + ring * n, 1 + (ring + 1) * n
        faces += [[a + k, b + k, b + (k + 1) % n, a + (k + 1) % n] for k in range(n)]
    return points, mesh_from_faces(len(points), faces)


def limit(points, mesh, point):
    """Source: Halstead, Kass and DeRose (1993), Efficient, fair interpolation using Catmull-Clark surfaces, eq. for the
    limit position of a point of valence n: (n² v + 4 Σ edge neighbours + Σ points across the faces) / (n (n + 5))."""
    edge = neighbours(mesh).of(np.array([point]))
    n = len(edge)
    corners = []
    for f in point_faces(mesh).of(np.array([point])):
        row = mesh.face(f).tolist()
        corners.append(row[(row.index(point) + 2) % 4])
    return (n * n * points[point] + 4 * points[edge].sum(0) + points[corners].sum(0)) / (n * (n + 5))


@pytest.mark.parametrize("valence", [3, 4, 5, 7])
def test_a_point_goes_to_its_limit_regular_or_not(valence):
    points, mesh = fan(valence)
    finer, _ = refined(points, mesh, 6)
    far = finer[0]  # original points come first, so the middle keeps its number
    wanted = limit(points, mesh, 0)
    once, once_mesh = refined(points, mesh, 1)
    assert np.allclose(limit(once, once_mesh, 0), wanted, atol=1e-12)  # the limit of the limit is the same place
    assert np.linalg.norm(far - wanted) < 1e-3 < np.linalg.norm(points[0] - wanted)


@pytest.mark.parametrize("valence", [3, 4, 6])
def test_the_surface_that_a_cage_is_seen_as_has_the_cages_limits(valence):
    """Source: Halstead et al. (1993), as above: the limit of a point is the same from the cage and from its surface."""
    points, mesh = fan(valence, seed=4)
    for levels in (1, 2):
        fine = finer(mesh, levels)
        there = fine.of(points)
        assert np.allclose(there, refined(points, mesh, levels)[0], atol=1e-13)
        assert np.allclose(limit(there, fine.geometry, 0), limit(points, mesh, 0), atol=1e-12)
        assert np.allclose(np.asarray(fine.matrix.sum(axis=1)).ravel(), 1.0) and fine.matrix.data.min() >= -1e-15
        assert np.allclose(fine.of(points.astype(np.float32)), there, atol=1e-5)


def test_one_step_by_the_published_rules():
    """Source: Catmull and Clark (1978): face point = mean of corners; edge point = mean of both ends and both face
    points; old point = (F + 2 R + (n - 3) P) / n. By hand on a cube: face points at the middles of its sides, edge
    points at 3/4 of an edge's distance, corners at 5/9."""
    points, mesh = box(2, 2, 2, 1)
    after = carry.subdivide(mesh, smooth=True)
    new = after.base(points)
    assert np.allclose(np.abs(new[:8]), 5 / 9)
    edge = np.sort(np.abs(new[8:20]), axis=1)
    assert np.allclose(edge, [0, 0.75, 0.75])
    assert np.allclose(np.sort(np.abs(new[20:]), axis=1), [0, 0, 1])
    assert (after.geometry.face_sizes == 4).all() and after.geometry.face_count == 24


def test_a_regular_grid_tends_to_the_bicubic_b_spline():
    """Source: on a regular grid the limit is the uniform bicubic B-spline surface (Catmull and Clark 1978); SciPy's
    BSpline evaluates it."""
    points, mesh = plane(8, 8, 8, 8)
    points = points + np.random.default_rng(1).normal(size=points.shape) * [0.2, 1.0, 0.2]
    finer, _ = refined(points, mesh, 5)
    grid = points.reshape(9, 9, 3)
    knots = np.arange(-2, 11)
    along = BSpline(knots, grid, 3, extrapolate=True)

    def surface(i, j):
        return BSpline(knots, along(i), 3, extrapolate=True)(j)

    for i, j in ((3, 3), (4, 4), (5, 3), (4, 6)):
        assert np.linalg.norm(finer[i * 9 + j] - surface(i, j)) < 8e-3


def test_a_border_tends_to_the_cubic_b_spline_of_its_points():
    """Source: boundary curves are uniform cubic B-splines (Nasri 1987; DeRose, Kass and Truong 1998): an old border
    point goes to (1, 4, 1) / 6 of itself and its neighbours."""
    points, mesh = plane(8, 8, 8, 8)
    points = points + np.random.default_rng(2).normal(size=points.shape) * 0.3
    finer, _ = refined(points, mesh, 5)
    for k in (3, 4, 5):
        wanted = (points[k - 1] + 4 * points[k] + points[k + 1]) / 6
        assert np.linalg.norm(finer[k] - wanted) < 1e-3


def test_subdividing_a_mix_is_mixing_the_subdivided():
    """The rules are linear, so morph targets stay exact. Source: linearity; own derivation."""
    points, mesh = fan(5)
    deltas = np.random.default_rng(3).normal(size=points.shape)
    step = carry.subdivide(mesh, smooth=True)
    assert np.allclose(step.base(points + 0.37 * deltas), step.base(points) + 0.37 * step.deltas(deltas))
