import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fictilis.core.edits.objects import add_object
from fictilis.core.edits.shape import move_shape
from fictilis.core.edits.targets import add_in_between, target_from_points
from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.primitives import ball, plane
from fictilis.core.geometry.topology import mesh_from_faces
from fictilis.core.mix.shapes import ShapeRef, shape_points
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping.brushes import BRUSHES, Brush, BrushStroke, MaskStroke, grab_weights, neighbour_means
from fictilis.core.shaping.dabs import dab
from fictilis.core.shaping.exact import Picked, change_exactly
from fictilis.core.shaping.mirror import Mirror
from fictilis.core.shaping.reach import Reach, displacement, pick_weights, rotation, scaling


def one(points, mesh):
    scene, _ = add_object(Scene(), "Thing", mesh, points)
    return scene.objects[0]


@pytest.fixture
def sphere():
    return one(*ball(10.0, 16))


def stroke(obj, brush, **more):
    return BrushStroke(obj, obj.base, point_normals(obj.mesh, obj.base), brush, **more)


def top_of(obj):
    """A place on a face near the top, and the face's points."""
    point = int(np.argmax(obj.base[:, 1]))
    face = next(f for f in range(obj.mesh.face_count) if point in obj.mesh.face(f))
    return obj.base[obj.mesh.face(face)].mean(0), obj.mesh.face(face)


@pytest.mark.parametrize("kind", BRUSHES)
@pytest.mark.parametrize("along", [True, False])
def test_a_dab_leaves_all_outside_of_it_bit_for_bit(sphere, kind, along):
    rough = sphere.base + np.random.default_rng(0).normal(size=sphere.base.shape) * 0.1
    work = BrushStroke(sphere, rough, point_normals(sphere.mesh, rough), Brush(kind, 4.0, 1.0, along), goal=sphere.base)
    moved = work.dab(*top_of(sphere))
    away = np.linalg.norm(rough - top_of(sphere)[0], axis=1) > 4.0
    assert len(moved) > 10 and np.array_equal(work.points[away], rough[away])
    assert not np.array_equal(work.points[moved], rough[moved])
    assert set(work.moved().indices) == set(moved)


def test_push_goes_out_and_in_by_the_same(sphere):
    out, inn = stroke(sphere, Brush("push", 4.0)), stroke(sphere, Brush("push", 4.0))
    out.dab(*top_of(sphere))
    inn.dab(*top_of(sphere), invert=True)
    radius = np.linalg.norm(out.points, axis=1)
    assert radius.max() > 10.3 and np.allclose(out.points + inn.points, 2 * sphere.base)


def test_smooth_evens_out_and_shift_smooths_with_any_brush(sphere):
    rough = sphere.base * (1 + 0.03 * np.random.default_rng(1).normal(size=(len(sphere.base), 1)))
    normals = point_normals(sphere.mesh, rough)
    results = []
    for brush, shift in ((Brush("smooth", 5.0), False), (Brush("push", 5.0), True)):
        work = BrushStroke(sphere, rough, normals, brush)
        for _ in range(5):
            work.dab(*top_of(sphere), smooth=shift)
        moved = np.linalg.norm(sphere.base - top_of(sphere)[0], axis=1) < 3.0
        results.append(work.points)
        spread = np.std(np.linalg.norm(work.points[moved], axis=1))
        assert spread < 0.5 * np.std(np.linalg.norm(rough[moved], axis=1))
    assert np.array_equal(*results)


def test_flatten_scrape_and_fill(sphere):
    points, mesh = plane(20, 20, 20, 20)
    sheet = one(points, mesh)
    rough = points + np.outer(np.random.default_rng(2).normal(size=len(points)) * 0.4, [0, 1, 0])
    normals = np.tile([0.0, 1.0, 0.0], (len(points), 1))
    middle, face = points[220].copy(), mesh.face(200)

    def done(brush, **how):
        work = BrushStroke(sheet, rough, normals, brush)
        moved = work.dab(middle, face, **how)
        return moved, work.points[moved, 1] - rough[moved, 1], work

    moved, change, work = done(Brush("flatten", 5.0, along_surface=False))
    assert np.std(work.points[moved, 1]) < np.std(rough[moved, 1]) and change.min() < 0 < change.max()
    assert done(Brush("flatten", 5.0, along_surface=False, own={"scrape": True}))[1].max() <= 0
    assert done(Brush("flatten", 5.0, along_surface=False), invert=True)[1].min() >= 0


def test_pinch_draws_in_and_crease_draws_in_and_sinks(sphere):
    points, mesh = plane(20, 20, 20, 20)
    sheet = one(points, mesh)
    centre, face = points[mesh.face(190)].mean(0), mesh.face(190)
    for kind in ("pinch", "crease"):
        work = stroke(sheet, Brush(kind, 5.0))
        moved = work.dab(centre, face)
        before = np.linalg.norm((points[moved] - centre)[:, [0, 2]], axis=1)
        after = np.linalg.norm((work.points[moved] - centre)[:, [0, 2]], axis=1)
        assert (after <= before + 1e-12).all() and after.sum() < before.sum()
        assert (work.points[moved, 1].min() < -0.3) == (kind == "crease")


def test_erase_and_blend_lead_to_their_goal_and_never_past_it(sphere):
    goal = sphere.base * 1.2
    for kind in ("erase", "blend"):
        work = stroke(sphere, Brush(kind, 6.0, profile="even"), goal=goal)
        for _ in range(60):
            moved = work.dab(*top_of(sphere))
        assert np.allclose(work.points[moved], goal[moved], atol=1e-6)


def test_a_pick_protects_the_rest(sphere):
    protect = np.zeros(len(sphere.base))
    centre, face = top_of(sphere)
    protect[face[0]] = 0.5
    work = stroke(sphere, Brush("push", 4.0), protect=protect)
    free = stroke(sphere, Brush("push", 4.0))
    free.dab(centre, face)
    assert work.dab(centre, face).tolist() == [face[0]]
    indices, weights = grab_weights(sphere, sphere.base, centre, face, Brush("grab", 4.0), protect)
    assert (weights[indices != face[0]] == 0).all() and weights.max() > 0.3


def test_mirrored_strokes_are_symmetric(sphere):
    work = stroke(sphere, Brush("push", 5.0, mirror=Mirror("XZ")))
    point = int(np.argmax(sphere.base @ [0.7, 0.2, 0.6]))
    face = next(f for f in range(sphere.mesh.face_count) if point in sphere.mesh.face(f))
    work.dab(sphere.base[point], sphere.mesh.face(face))
    moved = work.moved().dense(len(sphere.base))
    for axis, pairs in Mirror("XZ").pairs(sphere):
        assert (pairs >= 0).all()
        flip = np.ones(3)
        flip[axis] = -1
        assert np.allclose(moved, moved[pairs] * flip, atol=1e-12)
    assert len(work.moved().indices) > 40


def test_through_space_a_dab_leaves_the_far_side_of_a_thin_sheet_alone():
    points, mesh = plane(20, 20, 10, 10)
    both = np.concatenate([points, points - [0, 0.2, 0]])
    faces = np.concatenate([mesh.corners.reshape(-1, 4), mesh.corners.reshape(-1, 4)[:, ::-1] + len(points)])
    sheet = one(both, mesh_from_faces(len(both), faces))
    for along in (True, False):
        work = stroke(sheet, Brush("push", 5.0, along_surface=along))
        assert work.dab(points[60], sheet.mesh.face(44)).max() < len(points)


def test_twins_stay_together_under_every_brush():
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 0, 1], [1, 0, 0], [1, 0, 1], [2, 1, 0.0]])
    split = one(points, mesh_from_faces(6, [[0, 2, 1], [3, 4, 5]]))
    for kind in BRUSHES:
        work = stroke(split, Brush(kind, 2.0), goal=points * 1.5)
        work.dab(np.array([0.9, 0, 0.2]), split.mesh.face(0))
        assert np.array_equal(work.points[1], work.points[3]) and np.array_equal(work.points[2], work.points[4])


def test_a_mask_is_painted_shut_opened_and_smoothed(sphere):
    centre, face = top_of(sphere)
    work = MaskStroke(sphere, sphere.base, None, Brush("mask", 5.0, profile="even"))
    for _ in range(20):
        under = work.dab(centre, face)
    assert work.mask[under].max() < 1e-4 and work.mask.max() == 1.0
    hard = np.abs(np.diff(np.sort(work.mask))).max()
    work.dab(centre + [3, 0, 0], face, smooth=True)
    assert np.abs(np.diff(np.sort(work.mask))).max() < hard
    for _ in range(20):
        work.dab(centre, face, invert=True)
    assert work.mask[under].min() > 0.99


def test_neighbour_means_by_hand():
    mesh = mesh_from_faces(5, [[0, 1, 2], [0, 2, 3]])
    values = np.array([1.0, 2.0, 4.0, 8.0, 16.0])
    assert np.allclose(neighbour_means(mesh, values[None], np.array([0, 1, 4])), [[14 / 3, 2.5, 16.0]])


def test_a_dab_along_the_surface_is_exact_on_a_flat_grid_and_stops_at_a_gap():
    points, mesh = plane(20, 20, 20, 20)
    both = np.concatenate([points, points + [20.01, 0, 0]])
    sheet = one(both, mesh_from_faces(len(both), np.concatenate([mesh.corners, mesh.corners + 441]).reshape(-1, 4)))
    edge = np.array([9.9, 0.0, 0.3])
    face = next(f for f in range(400) if np.abs(points[mesh.face(f)].mean(0) - [9.5, 0, 0.5]).max() < 0.1)
    indices, weights = dab(sheet, both, edge, mesh.face(face), 5.0, kind="linear")
    assert indices.max() < 441
    assert np.allclose(weights, 1 - np.linalg.norm(both[indices] - edge, axis=1) / 5.0)
    assert len(dab(sheet, both, edge, mesh.face(face), 5.0, along_surface=False)[0]) > 1.7 * len(indices)


def test_in_a_hairpin_a_dab_follows_the_surface_around_the_bend():
    """A strip there and back with a gap of 0.2 cm: what lies across is near in space and far on the surface."""
    length = np.arange(0, 41) * 0.5
    there = length <= 10
    line = np.stack([np.where(there, length, 20.2 - length), np.where(there, 0.0, 0.2), 0 * length], 1)
    points = np.concatenate([line, line + [0, 0, 0.5], line + [0, 0, 1.0]])
    faces = [[k + 41 * r, k + 1 + 41 * r, k + 42 + 41 * r, k + 41 + 41 * r] for r in range(2) for k in range(40)]
    strip = one(points, mesh_from_faces(len(points), faces))
    start = 41 + 16  # 8 cm along, 2 cm before the bend
    face = next(f for f in range(80) if start in strip.mesh.face(f))
    normals = point_normals(strip.mesh, points)
    indices, weights = dab(strip, points, points[start], strip.mesh.face(face), 5.0, kind="linear", normals=normals)
    across = 41 + 24
    assert np.linalg.norm(points[across] - points[start]) < 0.5
    assert weights[indices == start] == 1.0 and weights[indices == across] < 0.45


def test_a_separate_sheet_close_above_is_not_taken_along():
    points, mesh = plane(40, 40, 40, 40)
    over, coarse = plane(120, 120, 12, 12)
    both = np.concatenate([points, over + [5.0, 1.0, 5.0]])
    corners = np.concatenate([mesh.corners, coarse.corners + len(points)]).reshape(-1, 4)
    sheets = one(both, mesh_from_faces(len(both), corners))
    normals = point_normals(sheets.mesh, both)
    face = 20 * 40 + 20
    indices, _ = dab(sheets, both, both[sheets.mesh.face(face)].mean(0), sheets.mesh.face(face), 9.0, normals=normals)
    assert len(indices) > 200 and indices.max() < len(points)


@given(st.lists(st.tuples(st.integers(0, 12), st.integers(0, 10_000)), min_size=1, max_size=8))
@settings(max_examples=30, deadline=None)
def test_any_row_of_shaping_keeps_the_mesh_and_leaves_what_it_did_not_touch(steps):
    """Brushes, exact changes, turns and scales in any order, on base, target and in-between."""
    points, mesh = ball(10.0, 6)
    scene, obj_id = add_object(Scene(), "Ball", mesh, points + np.pi)
    scene, target = target_from_points(scene, obj_id, "T", points * 1.2 + np.pi)
    scene = add_in_between(scene, obj_id, target, 0.5)
    refs = (ShapeRef(), ShapeRef(target), ShapeRef(target, 0.5))
    for kind, seed in steps:
        rng = np.random.default_rng(seed)
        ref, obj = refs[seed % 3], scene.object(obj_id)
        shown = shape_points(obj, ref)
        moved = some_change(kind, obj, shown, rng)
        after = move_shape(scene, obj_id, ref, moved, "stay")
        new = shape_points(after.object(obj_id), ref)
        still = np.setdiff1d(np.arange(len(points)), moved.indices)
        assert after.object(obj_id).mesh is mesh and len(new) == len(points)
        assert np.array_equal(new[still], shown[still]) and np.allclose(
            new[moved.indices] - shown[moved.indices], moved.offsets
        )
        scene = after


def some_change(kind, obj, shown, rng):
    """A displacement by one of thirteen ways at a random place."""
    face = obj.mesh.face(int(rng.integers(obj.mesh.face_count)))
    picked = np.sort(rng.choice(len(shown), 12, replace=False))
    weights = pick_weights(obj, shown, picked, Reach(float(rng.uniform(0, 4))))
    near = np.flatnonzero(weights)
    if kind < len(BRUSHES):
        work = BrushStroke(obj, shown, point_normals(obj.mesh, shown), Brush(list(BRUSHES)[kind], 4.0), goal=obj.base)
        work.dab(shown[face].mean(0), face)
        return work.moved()
    if kind < len(BRUSHES) + 4:
        operation = ("sphere", "plane", "inflate", "noise")[kind - len(BRUSHES)]
        return change_exactly(operation, Picked(obj, shown, picked, weights), {})
    if kind == len(BRUSHES) + 4:
        turned = rotation(shown[near], weights[near], shown[picked].mean(0), rng.normal(size=3), 40.0)
    else:
        turned = scaling(shown[near], weights[near], shown[picked].mean(0), rng.uniform(0, 2, 3))
    return displacement(obj, near, weights[near], turned)
