from dataclasses import replace

import numpy as np
import pytest

from fictilis.core.edits import targets as edits
from fictilis.core.edits import whole_shapes as whole
from fictilis.core.edits.objects import add_object, set_transform
from fictilis.core.edits.shape import ShapeRef, move_shape, set_mask
from fictilis.core.errors import EditRefused
from fictilis.core.evaluate import evaluate_object, full_shape
from fictilis.core.geometry.primitives import ball, plane
from fictilis.core.mix.acting import shares
from fictilis.core.scene import Deltas, Scene, Transform

OBJ = "o1"


@pytest.fixture
def bell():
    """A ball with an uneven target Curl that has an in-between, and Ripple built on it."""
    points, mesh = ball(10.0, 8)
    scene, _ = add_object(Scene(), "Bell", mesh, points)
    rng = np.random.default_rng(7)
    bump = rng.normal(size=points.shape) * (points[:, 1:2] > 0)
    scene, _ = edits.target_from_points(scene, OBJ, "Curl left", points + bump)
    scene = edits.add_in_between(scene, OBJ, "t1", 0.5)
    scene = move_shape(scene, OBJ, ShapeRef("t1", 0.5), rng.normal(size=points.shape) * 0.2)
    scene, _ = edits.target_from_points(scene, OBJ, "Ripple", points + rng.normal(size=points.shape) * 0.3)
    return edits.set_built_on(scene, OBJ, "t2", "t1")


def shape(scene, target, at=1.0):
    return full_shape(scene.object(OBJ), target, at)


def test_a_duplicate_is_the_same_shape_under_another_name(bell):
    scene, new = whole.duplicate(bell, OBJ, "t1")
    copy = scene.object(OBJ).target(new)
    assert np.array_equal(shape(scene, new), shape(bell, "t1")) and copy.name == "Curl left copy" and copy.weight == 0
    assert copy.in_betweens[0].deltas is bell.object(OBJ).target("t1").in_betweens[0].deltas
    assert [t.name for t in scene.object(OBJ).targets] == ["Curl left", "Curl left copy", "Ripple"]


def test_mirroring_makes_the_other_side_and_twice_is_the_identity(bell):
    scene, new = whole.mirror_into_new(bell, OBJ, "t1")
    assert scene.object(OBJ).target(new).name == "Curl right"
    base, pairs = bell.object(OBJ).base, whole.mirror_map(bell.object(OBJ), 0)
    assert np.allclose(shape(scene, new), shape(bell, "t1")[pairs] * [-1, 1, 1])
    assert not np.allclose(shape(scene, new), shape(bell, "t1")) and np.allclose(base[pairs] * [-1, 1, 1], base)
    once = whole.swap_sides(bell, OBJ, "t1")
    twice = whole.swap_sides(once, OBJ, "t1")
    assert np.array_equal(shape(once, "t1", 0.5), shape(scene, new, 0.5))
    a, b = twice.object(OBJ).target("t1"), bell.object(OBJ).target("t1")
    assert np.array_equal(a.deltas.offsets, b.deltas.offsets) and np.array_equal(a.deltas.indices, b.deltas.indices)


@pytest.mark.parametrize(
    ("name", "other"),
    [
        ("Curl left", "Curl right"),
        ("Left fin", "Right fin"),
        ("fin_L", "fin_R"),
        ("arm.R", "arm.L"),
        ("Puff", "Puff mirrored"),
    ],
)
def test_names_of_the_other_side(name, other):
    assert whole.other_side_name(name) == other


@pytest.mark.parametrize("width", [0.0, 3.0, 100.0])
@pytest.mark.parametrize("target", ["t1", "t2"])
def test_halves_add_up_to_the_original(bell, width, target):
    scene, halves = whole.split_sides(bell, OBJ, target, width)
    obj = scene.object(OBJ)
    for at in (1.0, 0.5):
        stage = bell.object(OBJ).target(target).in_between(at)
        if at != 1.0 and stage is None:
            continue
        summed = sum(full_shape(obj, h, at) - obj.base for h in halves)
        assert np.abs(summed - (shape(bell, target, at) - obj.base)).max() < 1e-12
    mixed = shares(obj, dict.fromkeys(halves, 1.0))
    from fictilis.core.mix.delta_bank import mixed_points

    assert np.abs(mixed_points(obj, mixed) - shape(bell, target)).max() < 1e-12
    left = full_shape(obj, halves[0]) - obj.base
    assert np.abs(left[obj.base[:, 0] > width / 2 + 1e-9]).max(initial=0) == 0


def test_join_is_what_full_weights_add_up_to(bell):
    scene, halves = whole.split_sides(bell, OBJ, "t1", 4.0)
    scene, joined = whole.join(scene, OBJ, halves)
    assert np.allclose(shape(scene, joined), shape(bell, "t1"), atol=1e-12)
    assert np.allclose(shape(scene, joined, 0.5), shape(bell, "t1", 0.5), atol=1e-12)
    with pytest.raises(EditRefused, match="at least two"):
        whole.join(bell, OBJ, ["t1"])


def test_scale_clean_add_and_subtract(bell):
    base = bell.object(OBJ).base
    assert np.allclose(shape(whole.scale_deltas(bell, OBJ, "t1", -2.0), "t1") - base, -2 * (shape(bell, "t1") - base))
    scene, gone = whole.clean(bell, OBJ, "t1", 1.0)
    lengths = np.linalg.norm(bell.object(OBJ).target("t1").deltas.offsets, axis=1)
    assert gone == (lengths < 1.0).sum() > 0
    assert np.linalg.norm(scene.object(OBJ).target("t1").deltas.offsets, axis=1).min() >= 1.0
    back = whole.combine(whole.combine(bell, OBJ, "t1", "t2"), OBJ, "t1", "t2", -1.0)
    assert np.allclose(shape(back, "t1"), shape(bell, "t1"), atol=1e-12)


def test_apply_to_base_keep_region_and_copy(bell):
    base = bell.object(OBJ).base
    after = whole.apply_to_base(bell, OBJ, "t1", 0.5)
    assert np.allclose(after.object(OBJ).base, (base + shape(bell, "t1")) / 2)
    weights = np.clip(base[:, 0] / 10, 0, 1)
    kept = whole.keep_region(bell, OBJ, "t1", weights)
    assert np.allclose(shape(kept, "t1") - base, weights[:, None] * (shape(bell, "t1") - base))
    with pytest.raises(EditRefused, match="nothing is picked"):
        whole.keep_region(bell, OBJ, "t1", np.zeros(len(base)))
    onto = whole.copy_deltas(edits.set_built_on(bell, OBJ, "t2", None), OBJ, "t1", "t2")
    assert np.array_equal(shape(onto, "t2"), shape(bell, "t1")) and onto.object(OBJ).target("t2").name == "Ripple"
    with pytest.raises(EditRefused, match="built on Curl left"):
        whole.copy_deltas(bell, OBJ, "t2", "t1")


def test_rebuilding_keeps_the_shape(bell):
    for parent in (None, "t1"):
        assert np.allclose(shape(whole.rebuild_on(bell, OBJ, "t2", parent), "t2"), shape(bell, "t2"), atol=1e-12)
    with pytest.raises(EditRefused, match="Ripple itself|Curl left itself"):
        whole.rebuild_on(bell, OBJ, "t1", "t2")


def test_a_mask_multiplies_and_strokes_divide_by_it(bell):
    base = bell.object(OBJ).base
    mask = np.clip(0.5 + base[:, 0] / 20, 0, 1)
    mask[3] = 0.0
    masked = set_mask(bell, OBJ, "t1", mask)
    assert np.allclose(shape(masked, "t1") - base, mask[:, None] * (shape(bell, "t1") - base))
    assert np.allclose(shape(masked, "t1", 0.5) - base, mask[:, None] * (shape(bell, "t1", 0.5) - base))
    move = np.zeros_like(base)
    move[[3, 5]] = [1, 2, 3]
    after = shape(move_shape(masked, OBJ, ShapeRef("t1"), move), "t1") - shape(masked, "t1")
    assert np.allclose(after[5], [1, 2, 3]) and np.array_equal(after[3], [0, 0, 0])
    baked = whole.bake_mask(masked, OBJ, "t1")
    assert baked.object(OBJ).target("t1").mask is None and np.allclose(shape(baked, "t1"), shape(masked, "t1"))
    assert set_mask(masked, OBJ, "t1", np.ones(len(base))).object(OBJ).target("t1").mask is None
    with pytest.raises(EditRefused, match="0 to 1"):
        set_mask(bell, OBJ, "t1", np.full(len(base), 2.0))


def test_the_mask_takes_part_in_the_mix_and_in_what_is_built_on_it(bell):
    base = bell.object(OBJ).base
    masked = set_mask(bell, OBJ, "t1", np.full(len(base), 0.25))
    obj = masked.object(OBJ)
    ripple = obj.target("t2")
    assert np.allclose(shape(masked, "t2") - base, 0.25 * (shape(bell, "t1") - base) + ripple.deltas.dense(len(base)))
    weighted = masked.with_object(obj.with_target(replace(obj.target("t1"), weight=1.0)))
    assert np.allclose(evaluate_object(weighted.object(OBJ), 0), shape(masked, "t1"))
    gone = edits.remove_target(masked, OBJ, "t1")
    assert np.allclose(shape(gone, "t2"), shape(masked, "t2"), atol=1e-12)


def test_transfer_between_topologies(bell):
    points, mesh = ball(10.0, 11)
    scene, other = add_object(bell, "Other", mesh, points + [0.0, 0.0, 0.0])
    scene, new = whole.transfer(scene, other, OBJ, "t1", 1.0, 5.0)
    obj = scene.object(other)
    moved = full_shape(obj, new) - obj.base
    source = bell.object(OBJ)
    nearest = np.argmin(((points[:, None] - source.base) ** 2).sum(2), axis=1)
    same = np.linalg.norm(points - source.base[nearest], axis=1) < 1e-9
    assert same.sum() >= 6 and np.allclose(moved[same], (shape(bell, "t1") - source.base)[nearest[same]], atol=1e-9)
    assert len(obj.target(new).in_betweens) == 1
    far, away = add_object(bell, "Far", mesh, points + [500, 0, 0])
    with pytest.raises(EditRefused, match="within 5 cm"):
        whole.transfer(far, away, OBJ, "t1", 1.0, 5.0)


def test_transfer_fades_with_distance_and_turns_with_the_objects():
    points, mesh = plane(20, 20, 10, 10)
    scene, a = add_object(Scene(), "A", mesh, points)
    scene, t = edits.target_from_points(scene, a, "Up", points + [0, 1.0, 0])
    scene, b = add_object(scene, "B", mesh, points + [0, 3.0, 0])
    scene, new = whole.transfer(scene, b, a, t, 2.0, 4.0)
    moved = scene.object(b).target(new).deltas.offsets
    assert np.allclose(moved, [0, (1 - 0.25) ** 2, 0])


def test_groups_fold_order_and_multiply(bell):
    scene, new = whole.duplicate(bell, OBJ, "t2")
    scene, group = edits.group_targets(scene, OBJ, ["t1", new], "Rim")
    obj = scene.object(OBJ)
    assert [t.id for t in obj.targets] == ["t1", new, "t2"] and obj.groups[0].name == "Rim"
    plain = shares(obj, {"t1": 0.8})
    half = edits.change_group(scene, OBJ, group, factor=0.5).object(OBJ)
    assert np.allclose(shares(half, {"t1": 1.6}), plain)
    out = edits.put_in_group(scene, OBJ, ["t1", new], None).object(OBJ)
    assert out.groups == () and all(t.group is None for t in out.targets)
    into = edits.move_target(scene, OBJ, "t2", 1).object(OBJ)
    assert [t.group for t in into.targets] == [group] * 3
    leaves = edits.move_target(scene, OBJ, "t1", 2).object(OBJ)
    assert [(t.id, t.group) for t in leaves.targets] == [(new, group), ("t2", None), ("t1", None)]
    with pytest.raises(EditRefused, match="name of its own"):
        edits.change_group(scene, OBJ, group, name=" ")


def test_locked_objects_refuse_every_change_of_shape(bell):
    locked = bell.with_object(replace(bell.object(OBJ), locked=True))
    for work in (
        lambda: move_shape(locked, OBJ, ShapeRef("t1"), Deltas(np.array([0]), np.ones((1, 3)))),
        lambda: whole.scale_deltas(locked, OBJ, "t1", 2.0),
        lambda: whole.mirror_into_new(locked, OBJ, "t1"),
        lambda: set_mask(locked, OBJ, "t1", None),
    ):
        with pytest.raises(EditRefused, match="Bell is locked"):
            work()


def test_transfer_between_objects_that_are_turned_and_scaled():
    points, mesh = plane(20, 20, 10, 10)
    scene, a = add_object(Scene(), "A", mesh, points)
    scene, t = edits.target_from_points(scene, a, "Up", points + [0, 1.0, 0])
    scene, b = add_object(scene, "B", mesh, points @ np.array([[0, 0.5, 0], [-0.5, 0, 0], [0, 0, 0.5]]))
    scene = set_transform(scene, b, Transform(rotation=(0, 0, -90.0), scale=(2.0, 2.0, 2.0)))
    scene, new = whole.transfer(scene, b, a, t, 1.0, 2.0)
    obj = scene.object(b)
    m = obj.transform.matrix()[:3, :3]
    assert np.allclose(obj.base @ m.T, points) and np.allclose(obj.target(new).deltas.offsets @ m.T, [0, 1.0, 0])
