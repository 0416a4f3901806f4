import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.edits import targets as edits
from fictilis.core.edits import whole_shapes as whole
from fictilis.core.edits.objects import add_object, set_transform
from fictilis.core.edits.shape import move_shape, set_mask
from fictilis.core.geometry.primitives import ball, plane
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.names import other_side_name
from fictilis.core.mix.acting import shares
from fictilis.core.mix.shapes import ShapeRef, full_shape
from fictilis.core.scene.places import Transform
from fictilis.core.scene.scene import Deltas, Scene
from fictilis.core.shaping.mirror import Mirror
from tests.mixes import mix_at

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
    assert other_side_name(name) == other


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
    assert np.allclose(mix_at(weighted.object(OBJ), 0), shape(masked, "t1"))
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


def built(points, mask=None):
    """Y built on X, X along x, Y along y, with Y's in-between halfway: one point moves as far as the lesson says."""
    scene, _ = add_object(Scene(), "Sheet", plane(4, 4, 2, 2)[1], points)
    x, y = np.zeros_like(points), np.zeros_like(points)
    x[2], y[2], y[5] = (1, 0, 0), (0, 1, 0), (0.4, 0, 0.3)
    scene, _ = edits.target_from_points(scene, OBJ, "X", points + x)
    scene, _ = edits.target_from_points(scene, OBJ, "Y", points + y)
    scene = edits.set_built_on(scene, OBJ, "t2", "t1")
    if mask is not None:
        scene = set_mask(scene, OBJ, "t2", mask)
    return edits.add_in_between(scene, OBJ, "t2", 0.5)


def moved(scene, target, at=1.0):
    obj = scene.object(OBJ)
    return full_shape(obj, target, at) - obj.base


EDITS = {
    "scale": (lambda s: whole.scale_deltas(s, OBJ, "t2", 2.0), lambda x, y: x + 2 * y),
    "clean": (lambda s: whole.clean(s, OBJ, "t2", 0.7)[0], lambda x, y: x + y * (np.linalg.norm(y, axis=1) > 0.7)[:, None]),
    "keep region": (lambda s: whole.keep_region(s, OBJ, "t2", np.eye(9)[5]), lambda x, y: x + y * np.eye(9)[5][:, None]),
    "add": (lambda s: whole.combine(s, OBJ, "t2", "t1", -0.5), lambda x, y: 0.5 * x + y),
    "built on the base": (lambda s: edits.set_built_on(s, OBJ, "t2", None), lambda x, y: y),
    "rebuilt on the base": (lambda s: whole.rebuild_on(s, OBJ, "t2", None), lambda x, y: x + y),
}


@pytest.mark.parametrize("mask", [None, np.linspace(0.3, 1, 9)], ids=["bare", "masked"])
@pytest.mark.parametrize("name", EDITS)
def test_an_edit_of_a_target_built_on_another_takes_its_in_between_along(name, mask):
    """On a straight path half the weight is half the shape, before and after. Worked by hand: scaled twofold, the point that
    X moves by 1 along x and Y by 1 along y stands at (0.5, 1, 0)."""
    points, _ = plane(4, 4, 2, 2)
    scene = built(points, mask)
    x, y = moved(scene, "t1"), moved(scene, "t2") - moved(scene, "t1")
    assert np.allclose(moved(scene, "t2", 0.5), (x + y) / 2)
    change, wanted = EDITS[name]
    after = change(scene)
    if not (name == "clean" and mask is not None):  # a threshold is for what lies under the mask
        assert np.allclose(moved(after, "t2"), wanted(x, y))
    assert np.allclose(moved(after, "t2", 0.5), moved(after, "t2") / 2)
    assert np.array_equal(moved(after, "t1"), x)
    if name == "scale" and mask is None:
        assert np.allclose(moved(after, "t2", 0.5)[2], (0.5, 1, 0))


@pytest.mark.parametrize("mask", [None, np.linspace(0.3, 1, 9)], ids=["bare", "masked"])
def test_mirrored_a_target_built_on_another_is_its_mirror_image(mask):
    points, _ = plane(4, 4, 2, 2)
    scene = built(points, mask)
    ((_, pairs),) = Mirror("X").pairs(scene.object(OBJ))
    image = {at: moved(scene, "t2", at)[pairs] * [-1, 1, 1] for at in (0.5, 1.0)}
    made, new = whole.mirror_into_new(scene, OBJ, "t2")
    swapped = whole.swap_sides(scene, OBJ, "t2")
    for at in (0.5, 1.0):
        assert np.allclose(moved(made, new, at), image[at]) and np.allclose(moved(swapped, "t2", at), image[at])
    assert swapped.object(OBJ).target("t2").built_on == "t1"
    twice = whole.swap_sides(swapped, OBJ, "t2")
    assert all(np.allclose(moved(twice, "t2", at), moved(scene, "t2", at)) for at in (0.5, 1.0))


def test_halves_add_up_to_the_last_bit(bell):
    rng = np.random.default_rng(9)
    obj = bell.object(OBJ)
    odd = Deltas.from_dense(rng.normal(size=obj.base.shape) * 10.0 ** rng.integers(-9, 9, obj.base.shape))
    scene = bell.with_object(obj.with_target(replace(obj.target("t1"), deltas=odd)))
    scene, (left, right) = whole.split_sides(scene, OBJ, "t1", 6.0)
    halves = [scene.object(OBJ).target(t).deltas.dense(len(obj.base)) for t in (left, right)]
    assert np.array_equal(halves[0] + halves[1], odd.dense(len(obj.base)))
    share = np.abs(halves[1]).sum(axis=1) / np.abs(odd.dense(len(obj.base))).sum(axis=1)
    assert np.allclose(share, whole.seam(obj.base[:, 0], 6.0))
