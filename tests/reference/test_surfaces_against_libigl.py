"""Distances, nearest places and cuts against libigl, a general-purpose geometry library, and fits against SciPy."""

import igl
import numpy as np
import pytest
from scipy.optimize import least_squares

from fictilis.core.edits.objects import add_object
from fictilis.core.geometry.closest import Surface
from fictilis.core.geometry.cuts import cuts_between
from fictilis.core.geometry.primitives import ball, globe, plane
from fictilis.core.geometry.topology import triangles
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping.dabs import dab
from fictilis.core.shaping.exact import best_line, best_plane, fit_sphere
from fictilis.core.shaping.falloff import surface_distances
from fictilis.demo.jelly import moon_jelly


def wavy():
    points, mesh = plane(40, 40, 30, 30)
    points = points + np.outer(np.sin(points[:, 0] / 4) * 3 + np.cos(points[:, 2] / 5) * 2, [0, 1, 0])
    return points, mesh


FORMS = {"ball": lambda: ball(10.0, 12), "sphere": lambda: globe(10.0, 40, 20), "wavy": wavy}


def exact(points, mesh, source):
    """Source: igl.exact_geodesic (Mitchell, Mount and Papadimitriou 1987; Surazhsky et al. 2005)."""
    tris = triangles(mesh).points.astype(np.int64)
    every = np.arange(len(points), dtype=np.int64)
    none = np.zeros(0, np.int64)
    return np.asarray(igl.exact_geodesic(points, tris, np.array([source]), none, every, none)).ravel()


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("seed", range(3))
def test_falloff_along_the_surface_is_the_geodesic_within_a_few_percent(form, seed):
    points, mesh = FORMS[form]()
    scene, _ = add_object(Scene(), "Thing", mesh, points)
    source = int(np.random.default_rng(seed).integers(len(points)))
    true = exact(points, mesh, source)
    found = surface_distances(scene.objects[0], points, np.array([source]), 12.0)
    inside = (true > 0.8) & (true < 11.0)
    ratio = found[inside] / true[inside]
    assert inside.sum() > 50 and ratio.min() > 0.98 and ratio.max() < 1.07


@pytest.mark.parametrize("form", FORMS)
def test_a_brush_dab_measures_the_geodesic_or_a_little_less(form):
    points, mesh = FORMS[form]()
    scene, _ = add_object(Scene(), "Thing", mesh, points)
    source = len(points) // 2
    face = next(f for f in range(mesh.face_count) if source in mesh.face(f))
    radius = 5.0
    indices, weights = dab(scene.objects[0], points, points[source], mesh.face(face), radius, kind="linear")
    measured, true = (1 - weights) * radius, exact(points, mesh, source)[indices]
    on = true > 0.5
    ratio = measured[on] / true[on]
    assert on.sum() > 20 and ratio.min() > 0.9 and ratio.max() < 1.03


def test_the_nearest_place_on_a_surface():
    """Source: igl.point_mesh_squared_distance."""
    obj = moon_jelly().objects[0]
    queries = np.random.default_rng(0).uniform(-60, 60, (500, 3))
    found = Surface(obj.mesh, obj.base).nearest(queries)
    square, _, places = igl.point_mesh_squared_distance(queries, obj.base, triangles(obj.mesh).points.astype(np.int64))
    assert np.allclose(found.distances**2, square, atol=1e-9)
    assert np.allclose(found.places, places, atol=1e-6)
    assert np.allclose(np.einsum("kc,kcx->kx", found.shares, obj.base[found.corners]), found.places)


def test_cuts_between_two_bodies():
    """Source: igl.tri_tri_intersection_test_3d on every pair of triangles."""
    points, mesh = globe(10.0, 14, 8)
    other = points @ np.array([[0.8, 0.6, 0], [-0.6, 0.8, 0], [0, 0, 1.0]]) + [8.0, 3.1, 1.7]
    mine, its = cuts_between(mesh, points, mesh, other)
    plan = triangles(mesh)
    wanted_mine, wanted_its = set(), set()
    for i, a in enumerate(points[plan.points]):
        for j, b in enumerate(other[plan.points]):
            rows = (corner[None].copy() for corner in (*a, *b))
            if ((a.min(0) <= b.max(0)) & (a.max(0) >= b.min(0))).all() and igl.tri_tri_intersection_test_3d(*rows)[0]:
                wanted_mine.add(int(plan.faces[i]))
                wanted_its.add(int(plan.faces[j]))
    assert set(mine.tolist()) == wanted_mine and set(its.tolist()) == wanted_its and len(mine) > 8


@pytest.mark.parametrize("seed", range(3))
def test_the_best_sphere_plane_and_line(seed):
    """Source: scipy.optimize.least_squares on the distances themselves, with little noise, where both fits agree."""
    rng = np.random.default_rng(seed)
    directions = rng.normal(size=(200, 3))
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    cloud = np.array([3.0, -2, 5]) + 7.0 * directions + rng.normal(size=(200, 3)) * 1e-3
    centre, radius = fit_sphere(cloud)
    best = least_squares(lambda x: np.linalg.norm(cloud - x[:3], axis=1) - x[3], [0, 0, 0, 1.0])
    assert np.allclose([*centre, radius], best.x, atol=1e-4)

    flat = rng.normal(size=(100, 3)) * [5, 4, 0.2] @ np.linalg.qr(rng.normal(size=(3, 3)))[0] + [1, 2, 3]
    middle, normal = best_plane(flat)

    def off_plane(x):
        n = np.array([np.cos(x[0]) * np.sin(x[1]), np.sin(x[0]) * np.sin(x[1]), np.cos(x[1])])
        return (flat - flat.mean(0)) @ n

    start = [np.arctan2(normal[1], normal[0]) + 0.2, np.arccos(np.clip(normal[2], -1, 1)) + 0.2]
    fitted = least_squares(off_plane, start, xtol=1e-14, ftol=1e-14, gtol=1e-14)
    assert ((flat - middle) @ normal) @ ((flat - middle) @ normal) <= 2 * fitted.cost * (1 + 1e-9)

    middle, along = best_line(flat)
    values, vectors = np.linalg.eigh(np.cov(flat.T))  # the first principal axis, by NumPy's eigenvectors
    assert abs(abs(vectors[:, -1] @ along) - 1) < 1e-9
