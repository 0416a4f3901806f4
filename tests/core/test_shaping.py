import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fictilis.core.edits.objects import add_object
from fictilis.core.edits.shape import move_shape
from fictilis.core.edits.targets import add_in_between, set_built_on
from fictilis.core.geometry.primitives import box, plane
from fictilis.core.geometry.topology import mesh_from_faces
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.acting import share_of, shares
from fictilis.core.mix.shapes import ShapeRef, full_shape, shape_points
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping.dabs import dab
from fictilis.core.shaping.falloff import profile, space_distances, surface_distances
from fictilis.core.shaping.mirror import Mirror, mirror_map
from fictilis.core.shaping.reach import Reach, displacement, pick_weights, rotation, scaling

OBJ = "o1"


def one(points, mesh):
    scene, _ = add_object(Scene(), "Thing", mesh, points)
    return scene.object(OBJ)


def test_profile_runs_from_one_to_zero():
    assert np.array_equal(profile(np.array([0.0, 5.0, 10.0, np.inf]), 10.0), [1.0, 0.5625, 0.0, 0.0])
    assert np.array_equal(profile(np.array([0.0, 1.0]), 0.0), [1.0, 0.0])


def test_two_lips_falloff_through_space_reaches_over_and_along_the_surface_does_not():
    points, mesh = plane(20, 20, 10, 10)
    upper = points + [0, 1.0, 0]
    both = np.concatenate([points, upper])
    corners = np.concatenate([mesh.corners, mesh.corners + len(points)])
    faces = corners.reshape(-1, 4)
    rims = one(both, mesh_from_faces(len(both), faces))
    through = pick_weights(rims, both, np.array([60]), Reach(5.0, along_surface=False))
    along = pick_weights(rims, both, np.array([60]), Reach(5.0, along_surface=True))
    assert through[60 + 121] > 0.5 and along[60 + 121] == 0.0
    assert along[60] == 1.0 and 0 < along[61] < 1


def test_distances_through_space_of_few_and_of_many_sources_agree():
    points = np.random.default_rng(0).normal(size=(300, 3)) * 10
    few = space_distances(points, points[:8], 6.0)
    many = space_distances(points, np.concatenate([points[:8]] * 2), 6.0)
    assert np.allclose(few, many) and np.isinf(few).any()


def test_a_flat_grid_is_measured_across_its_faces():
    points, mesh = plane(20, 20, 20, 20)
    sheet = one(points, mesh)
    middle = 10 * 21 + 10
    distance = surface_distances(sheet, points, np.array([middle]), 8.0)
    true = np.linalg.norm(points - points[middle], axis=1)
    inside = np.isfinite(distance) & (true > 0)
    assert inside.sum() > 100
    assert (distance[inside] >= true[inside] - 1e-9).all()
    assert (distance[inside] / true[inside]).max() < 1.03


def test_twins_move_together():
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [1, 0, 0], [1, 1, 0], [2, 0, 0.0]])
    split = one(points, mesh_from_faces(6, [[0, 1, 2], [3, 5, 4]]))
    for along in (True, False):
        weights = pick_weights(split, points, np.array([1]), Reach(1.5, along))
        assert weights[1] == weights[3] == 1.0 and weights[2] == weights[4] > 0 and weights[5] > 0
    assert pick_weights(split, points, np.array([1]), Reach())[3] == 1.0


def test_mirror_pairs_and_points_without_one():
    points, mesh = plane(40, 40, 4, 4)
    points = points.copy()
    points[0] += [0, 3, 0]
    pairs = mirror_map(one(points, mesh))
    assert pairs[0] == -1 and pairs[4] == -1
    assert pairs[6] == 8 and pairs[8] == 6 and pairs[7] == 7


def test_a_mirrored_move_is_symmetric_and_not_doubled_on_the_plane():
    points, mesh = plane(40, 40, 8, 8)
    sheet = one(points, mesh)
    weights = pick_weights(sheet, points, np.array([42]), Reach(25.0, along_surface=False))
    near = np.flatnonzero(weights)
    moved = displacement(sheet, near, weights[near], np.outer(weights[near], [1.0, 2.0, 3.0]), Mirror("X")).dense(len(points))
    pairs = mirror_map(sheet)
    assert np.allclose(moved, moved[pairs] * [-1, 1, 1], atol=1e-12)
    on_plane = np.abs(points[:, 0]) < 1e-9
    assert np.allclose(moved[on_plane, 0], 0) and np.allclose(moved[on_plane, 1], 2 * weights[on_plane])


def test_a_dab_is_centred_between_points():
    points, mesh = plane(40, 40, 4, 4)
    sheet = one(points, mesh)
    face = mesh.face(5)
    centre = points[face].mean(0)
    for along in (True, False):
        indices, under = dab(sheet, points, centre, face, 15.0, along)
        weights = np.zeros(len(points))
        weights[indices] = under
        assert np.allclose(weights[face], profile(np.linalg.norm(points[face] - centre, axis=1), 15.0))
        assert weights.max() < 1


def test_base_reshaped_targets_follow_or_stay(sheet):
    move = np.zeros((25, 3))
    move[3] = [0, 0, 7]
    obj = sheet.object(OBJ)
    follow = move_shape(sheet, OBJ, ShapeRef(), move, "follow").object(OBJ)
    stay = move_shape(sheet, OBJ, ShapeRef(), move, "stay").object(OBJ)
    assert np.allclose(full_shape(follow, "t1") - full_shape(obj, "t1"), move)
    assert np.allclose(full_shape(stay, "t1"), full_shape(obj, "t1"), atol=1e-12)
    assert np.array_equal(stay.base, follow.base)


def test_staying_keeps_in_betweens_and_what_is_built_on_others(sheet):
    scene = set_built_on(add_in_between(sheet, OBJ, "t1", 0.5), OBJ, "t2", "t1")
    move = np.random.default_rng(0).normal(size=(25, 3))
    before, after = scene.object(OBJ), move_shape(scene, OBJ, ShapeRef(), move, "stay").object(OBJ)
    for target, at in (("t1", 1.0), ("t1", 0.5), ("t2", 1.0)):
        assert np.allclose(full_shape(after, target, at), full_shape(before, target, at), atol=1e-12)


def test_an_in_between_is_shaped_alone(sheet):
    scene = add_in_between(sheet, OBJ, "t1", 0.5)
    move = np.zeros((25, 3))
    move[0] = [1, 0, 0]
    after = move_shape(scene, OBJ, ShapeRef("t1", 0.5), move).object(OBJ)
    assert np.allclose(shape_points(after, ShapeRef("t1", 0.5)) - shape_points(scene.object(OBJ), ShapeRef("t1", 0.5)), move)
    assert after.target("t1").deltas is scene.object(OBJ).target("t1").deltas


@given(st.integers(0, 24), st.sampled_from([None, "t1"]), st.integers(0, 1000))
@settings(max_examples=60, deadline=None)
def test_untouched_points_stay_bit_for_bit_and_order_never_changes(point, target, seed):
    points, mesh = plane(40, 40, 4, 4)
    scene, _ = add_object(Scene(), "Sheet", mesh, points + np.pi)
    from fictilis.core.edits.targets import target_from_points

    scene, _ = target_from_points(scene, OBJ, "T", points * 1.1)
    move = np.zeros((25, 3))
    move[point] = np.random.default_rng(seed).normal(size=3)
    before, after = scene.object(OBJ), move_shape(scene, OBJ, ShapeRef(target), move).object(OBJ)
    others = np.arange(25) != point
    ref = ShapeRef(target)
    assert np.array_equal(shape_points(after, ref)[others], shape_points(before, ref)[others])
    assert after.mesh is before.mesh and not np.array_equal(shape_points(after, ref)[point], shape_points(before, ref)[point])


def test_share_in_the_mix_and_refusals(sheet):
    obj = sheet.object(OBJ)
    at = shares(obj, {"t1": 0.25, "t2": 0.0})
    assert share_of(obj, "t1", 1.0, at) == 0.25 and share_of(obj, None, 1.0, at) == 1
    with pytest.raises(ValueError, match="shaped"):
        move_shape(sheet, OBJ, ShapeRef(), np.zeros((3, 3)))
    with pytest.raises(EditRefused, match="finite"):
        move_shape(sheet, OBJ, ShapeRef(), np.full((25, 3), np.inf))


def test_labels_say_what_is_shaped(sheet):
    obj = add_in_between(sheet, OBJ, "t1", 0.5).object(OBJ)
    assert [ShapeRef().label(obj), ShapeRef("t1").label(obj), ShapeRef("t1", 0.5).label(obj)] == [
        "the base",
        "Lift",
        "Lift at 0.50",
    ]
    assert not ShapeRef("t1", 0.25).exists_in(obj) and not ShapeRef("t9").exists_in(obj)


def test_a_box_has_mirror_pairs_everywhere():
    points, mesh = box()
    assert (mirror_map(one(points, mesh)) >= 0).all()


def test_a_soft_rotation_bends_and_keeps_distances_from_the_axis():
    rng = np.random.default_rng(2)
    points, weights = rng.normal(size=(40, 3)), np.linspace(0, 1, 40)
    moved = points + rotation(points, weights, np.array([1.0, 2, 3]), np.array([0, 2.0, 0]), 70)
    arm, turned = (points - [1, 2, 3])[:, [0, 2]], (moved - [1, 2, 3])[:, [0, 2]]
    assert np.allclose(np.linalg.norm(arm, axis=1), np.linalg.norm(turned, axis=1))
    angle = np.degrees(np.arctan2(turned[:, 0], turned[:, 1]) - np.arctan2(arm[:, 0], arm[:, 1]))
    assert np.allclose((angle + 180) % 360 - 180, 70 * weights)
    assert np.array_equal(moved[0], points[0]) and np.allclose(moved[:, 1], points[:, 1])


def test_rotation_agrees_with_scipy():
    """Source: scipy.spatial.transform.Rotation."""
    from scipy.spatial.transform import Rotation

    points = np.random.default_rng(3).normal(size=(20, 3))
    axis = np.array([1.0, -2.0, 0.5])
    moved = points + rotation(points, np.ones(20), np.zeros(3), axis, 33)
    assert np.allclose(moved, Rotation.from_rotvec(np.radians(33) * axis / np.linalg.norm(axis)).apply(points))


def test_scaling_to_zero_flattens_or_gathers():
    points = np.random.default_rng(4).normal(size=(20, 3))
    pivot = points.mean(0)
    flat = points + scaling(points, np.ones(20), pivot, np.array([1, 0, 1]))
    assert np.allclose(flat[:, 1], pivot[1]) and np.allclose(flat[:, [0, 2]], points[:, [0, 2]])
    assert np.allclose(points + scaling(points, np.ones(20), pivot, np.zeros(3)), pivot)
