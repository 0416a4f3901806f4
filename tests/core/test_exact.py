import numpy as np
import pytest

from fictilis.core.edits.objects import add_object
from fictilis.core.geometry.closest import Surface
from fictilis.core.geometry.primitives import ball, plane
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping.exact import (
    EXACT_CHANGES,
    Picked,
    best_line,
    best_plane,
    change_exactly,
    fit_sphere,
    slide,
    value_noise,
)
from fictilis.core.shaping.mirror import Mirror


def one(points, mesh):
    scene, _ = add_object(Scene(), "Thing", mesh, points)
    return scene.objects[0]


def picked(obj, indices, points=None, soft=None):
    points = obj.base if points is None else points
    weights = np.zeros(len(points))
    weights[indices] = 1.0
    return Picked(obj, points, np.asarray(indices), weights if soft is None else soft)


def moved(obj, change, p, **numbers):
    return p.points + change_exactly(change, p, numbers).dense(len(p.points))


@pytest.fixture
def sphere():
    return one(*ball(10.0, 8))


@pytest.mark.parametrize("change", EXACT_CHANGES.values(), ids=list(EXACT_CHANGES))
def test_every_exact_change_moves_only_the_pick_and_says_when_nothing_is_picked(sphere, change):
    rough = sphere.base * (1 + 0.05 * np.random.default_rng(0).normal(size=(len(sphere.base), 1)))
    from fictilis.core.geometry.topology import neighbours

    near = np.arange(60) if change.id != "even" else [0, *neighbours(sphere.mesh).of(np.array([0]))[:2]]
    out = change_exactly(change.id, picked(sphere, near, rough), {})
    assert len(out.indices) and set(out.indices) <= set(near)
    with pytest.raises(EditRefused, match="nothing is picked"):
        change_exactly(change.id, picked(sphere, []), {})
    low = change.parameters[0]
    with pytest.raises(EditRefused, match=f"{low.label} must be from"):
        change_exactly(change.id, picked(sphere, near), {low.name: low.high * 2 + 1})


def test_toward_a_sphere_by_an_amount(sphere):
    cube = sphere.base / np.abs(sphere.base).max(1, keepdims=True) * 8
    whole = moved(sphere, "sphere", picked(sphere, np.arange(len(cube)), cube))
    centre, radius = fit_sphere(cube)
    assert np.allclose(np.linalg.norm(whole - centre, axis=1), radius)
    half = moved(sphere, "sphere", picked(sphere, np.arange(len(cube)), cube), amount=0.5)
    assert np.allclose(half, (cube + whole) / 2)


def test_a_flat_pick_goes_toward_a_circle():
    points, mesh = plane(10, 10, 4, 4)
    sheet = one(points, mesh)
    ring = [6, 7, 8, 11, 13, 16, 17, 18]
    out = moved(sheet, "sphere", picked(sheet, ring))
    middle = points[ring].mean(0)
    assert np.ptp(np.linalg.norm(out[ring] - middle, axis=1)) < 1e-9 and np.allclose(out[:, 1], 0)


def test_plane_and_line_leave_no_distance(sphere):
    near = np.flatnonzero(sphere.base[:, 1] > 5)
    flat = moved(sphere, "plane", picked(sphere, near))
    middle, normal = best_plane(sphere.base[near])
    assert np.allclose((flat[near] - middle) @ normal, 0)
    line = moved(sphere, "line", picked(sphere, near))
    middle, along = best_line(sphere.base[near])
    arm = line[near] - middle
    assert np.allclose(arm - np.outer(arm @ along, along), 0, atol=1e-9)


def test_even_spacing_keeps_ends_and_needs_a_row():
    points, mesh = plane(40, 40, 4, 4)
    points = points.copy()
    points[11, 0] -= 6
    sheet = one(points, mesh)
    out = moved(sheet, "even", picked(sheet, [10, 11, 12, 13, 14]))
    assert np.allclose(np.diff(out[10:15, 0]), 10) and np.array_equal(out[[10, 14]], points[[10, 14]])
    with pytest.raises(EditRefused, match="in a row"):
        moved(sheet, "even", picked(sheet, np.arange(25)))


def test_relax_evens_edges_and_keeps_to_the_surface_and_the_border():
    points, mesh = plane(20, 20, 10, 10)
    rng = np.random.default_rng(3)
    uneven = points + rng.normal(size=points.shape) * [0.4, 0, 0.4] * (np.abs(points).max(1, keepdims=True) < 9.9)
    sheet = one(points, mesh)
    out = moved(sheet, "relax", picked(sheet, np.arange(len(points)), uneven), steps=20)
    assert np.linalg.norm(out - points) < 0.3 * np.linalg.norm(uneven - points)
    assert np.allclose(out[:, 1], 0)
    rim = np.isclose(np.abs(points[:, [0, 2]]).max(1), 10)
    assert np.allclose(np.abs(out[rim][:, [0, 2]]).max(1), 10)


def test_inflate_on_a_sphere_is_a_larger_sphere(sphere):
    out = moved(sphere, "inflate", picked(sphere, np.arange(len(sphere.base))), distance=2.5)
    assert np.allclose(np.linalg.norm(out, axis=1), 12.5, atol=0.02)


def test_noise_is_the_same_for_a_seed_smooth_and_bounded(sphere):
    every = picked(sphere, np.arange(len(sphere.base)))
    a, b = moved(sphere, "noise", every, seed=4), moved(sphere, "noise", every, seed=4)
    c = moved(sphere, "noise", every, seed=5)
    assert np.array_equal(a, b) and not np.allclose(a, c)
    places = np.random.default_rng(5).uniform(-40, 40, (4000, 3))
    value = value_noise(places, 7)
    assert -1 <= value.min() < -0.6 and 0.6 < value.max() <= 1 and abs(value.mean()) < 0.05
    assert np.abs(value_noise(places + 1e-4, 7) - value).max() < 1e-3


def test_soft_weights_scale_the_change_and_mirror_reflects_it(sphere):
    soft = np.clip(sphere.base[:, 0] / 10, 0, 1)
    p = picked(sphere, np.flatnonzero(soft > 0.9), soft=soft)
    one_side = change_exactly("inflate", p, {"distance": 2.0}).dense(len(soft))
    assert np.allclose(np.linalg.norm(one_side, axis=1), 2.0 * soft)
    both = change_exactly("inflate", p, {"distance": 2.0}, Mirror("X")).dense(len(soft))
    ((_, pairs),) = Mirror("X").pairs(sphere)
    assert np.allclose(both, both[pairs] * [-1, 1, 1], atol=1e-12) and np.allclose(both[soft > 0.2], one_side[soft > 0.2])


def test_slide_stays_on_the_surface_and_keeps_the_silhouette(sphere):
    near = np.flatnonzero(sphere.base[:, 1] > 7)
    p = picked(sphere, near)
    out = sphere.base + slide(p, Surface(sphere.mesh, sphere.base), np.array([2.0, 0, 0])).dense(len(sphere.base))
    radius = np.linalg.norm(out[near], axis=1)
    assert radius.min() > 9.6 and radius.max() <= 10 + 1e-9
    assert (out[near, 0] - sphere.base[near, 0]).mean() > 1.5
    back = Surface(sphere.mesh, sphere.base).nearest(out[near])
    assert back.distances.max() < 1e-9


def test_relax_does_not_shrink_a_ball(sphere):
    out = moved(sphere, "relax", picked(sphere, np.arange(len(sphere.base))), steps=40)
    assert np.linalg.norm(out, axis=1).mean() > 9.9


def test_a_soft_slide_goes_less_far_where_the_weight_is_less(sphere):
    near = np.argsort(-sphere.base[:, 1])[:40]
    soft = np.zeros(len(sphere.base))
    soft[near] = np.linspace(1, 0.1, 40)
    out = slide(picked(sphere, near, soft=soft), Surface(sphere.mesh, sphere.base), np.array([2.0, 0, 0]))
    way = np.linalg.norm(out.dense(len(sphere.base))[near], axis=1)
    assert way[0] > 1.8 and way[-1] < 0.4 and np.corrcoef(way, soft[near])[0, 1] > 0.98
