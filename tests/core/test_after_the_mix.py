"""Bend, twist, taper and rigs with all that leads the mix they come after: seen, shaped, kept, carried and written."""

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.spatial import cKDTree

import fictilis
from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.at_frame.after import After
from fictilis.core.at_frame.drawn import as_drawn, finer_of
from fictilis.core.at_frame.paths import points_over
from fictilis.core.at_frame.pose import Pose
from fictilis.core.edits import clips, correctives, rigs, targets, topology
from fictilis.core.edits.deformers import change_deformer, leave_deformer
from fictilis.core.edits.forms import add_form, set_form
from fictilis.core.edits.keys import key_values, set_key
from fictilis.core.edits.objects import add_object, remove_object, set_transform
from fictilis.core.edits.repeats import set_repeat
from fictilis.core.edits.shape import move_shape
from fictilis.core.edits.springs import bake_deformers, bake_spring, set_spring
from fictilis.core.edits.topology import freeze_transform, set_size, set_surface
from fictilis.core.geometry import carry as carries
from fictilis.core.geometry.kinds import Line
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import channels, set_value, values_at
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.core.scene.clips import choose_clip, clip, clip_named
from fictilis.core.scene.deformers import DEFORMERS, Deformer
from fictilis.core.scene.history import History
from fictilis.core.scene.places import Transform
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.rigs import CLIP, TIME, angle_id, turn_id
from fictilis.core.scene.rules import Follow
from fictilis.core.scene.scene import Deltas, Scene
from fictilis.formats.choices import Choices
from fictilis.formats.native import read_native, write_native
from fictilis.formats.proof import prove
from fictilis.formats.registry import export, scene_from_file
from fictilis.formats.usd_reading import read_here
from fictilis.render.dress import worn_item
from fictilis.render.items import smooth_item
from fictilis.render.stage import Stage, StageWish
from tests.core.states import State
from tests.features import FEATURES, OBJ, ONE, TWO, made
from tests.formats.shown import shown
from tests.mixes import mix_at
from tests.rigged import rigged
from tests.sameness import same


def bent(scene, object_id=OBJ):
    """A bend that a lane leads, a twist and a taper within limits."""
    scene = change_deformer(scene, object_id, "bend", axis="x", amount=50.0, low=0.2, high=0.9, toward=30.0)
    scene = change_deformer(scene, object_id, "twist", axis="y", amount=-70.0, still=0.5)
    scene = change_deformer(scene, object_id, "taper", axis="z", amount=0.6, high=0.7)
    return set_key(set_key(scene, object_id, "bend", Key(0, 0.0)), object_id, "bend", Key(12, 80.0))


AFTER = {"bent": bent, "rigged": rigged, "dual": lambda s: rigged(s, dual=True), "both": lambda s: rigged(bent(s))}
FRAMES = (0.0, 6.0, 11.0)


@pytest.mark.parametrize("feature", FEATURES)
@pytest.mark.parametrize(("after", "kind"), [*((a, "mesh") for a in AFTER), ("bent", "line"), ("bent", "tube")])
def test_what_comes_after_the_mix_with_everything_that_leads_it(after, kind, feature, tmp_path):
    scene = FEATURES[feature](AFTER[after](made(kind)))
    obj = scene.object(OBJ)
    plain = replace(obj, deformers=(), skin=None)
    for frame in FRAMES:
        mixed, values = mix_at(plain, frame, scene.fps), values_at(obj, frame, None, scene.fps)
        wanted = After(obj, values).forward(mixed)
        assert np.abs(Pose(scene, obj, frame).points - wanted).max() < 1e-9
        assert not frame or np.abs(wanted - mixed).max() > 0.1
        item = next(i for i in Stage().items(StageWish(scene, frame)) if i.obj.id == OBJ)
        assert np.abs(item.points - wanted).max() < 1e-4 and np.abs(item.exact_points() - wanted).max() < 1e-9
    write_native(tmp_path / "a.fictilis", scene)
    assert same(read_native(tmp_path / "a.fictilis"), scene)
    # a tube's mix is one only at its targets, a sweep has twelve bands in a file, and glTF knows no dual quaternions
    off = 1.5 if kind == "tube" or feature == "sweep" else 0.03
    for suffix in (".glb", ".usdc") if after != "dual" else (".usdc",):
        export(scene, tmp_path / f"a{suffix}")
        back = scene_from_file(tmp_path / "a.glb")[0] if suffix == ".glb" else read_here(tmp_path / "a.usdc")[0]
        if scene.clips and back.clips:
            back = choose_clip(back, clip_named(back, clip(scene).name).id)
        for frame in FRAMES:
            found = cKDTree(np.concatenate(shown(back, frame)))
            assert found.query(np.concatenate(shown(scene, frame)))[0].max() < off, (suffix, frame)
    if feature != "locked" and kind == "mesh":
        more = OPERATIONS["mesh-subdivide"].make(Subject(scene, OBJ)).scene.object(OBJ)
        assert more.deformers == obj.deformers and (obj.skin is None or len(more.skin.bound.weights) == len(more.base))


@pytest.mark.parametrize("after", AFTER)
def test_copies_go_through_it_each_at_its_own_time_and_a_point_spring_follows_what_bends(after):
    scene = set_repeat(AFTER[after](made("mesh")), OBJ, Repeat(counts=(3, 1, 1), later=4.0))
    first = Stage().items(StageWish(scene, 9.0))[0]
    obj = scene.object(OBJ)
    for number, later in enumerate((2.0, 4.0)):
        pose = first.many.points[first.many.poses[number]]
        assert np.abs(pose - Pose(scene, obj, 9.0 - later).points).max() < 1e-4
    sprung = set_spring(scene, OBJ, PointSpring(stiffness=4e4, damping=400.0, mix=True))
    near = Pose(sprung, sprung.object(OBJ), 9.0).points - Pose(scene, obj, 9.0).points
    assert 1e-4 < np.abs(near).max() < 0.5  # so stiff a spring is hardly behind
    held = set_spring(scene, OBJ, PointSpring(mass=0.0))
    assert np.abs(Pose(held, held.object(OBJ), 9.0).points - Pose(scene, obj, 9.0).points).max() < 1e-9


@pytest.mark.parametrize("after", AFTER)
def test_the_smooth_surface_comes_between_what_bends_and_the_skin(after, tmp_path):
    scene = set_surface(AFTER[after](made("mesh")), OBJ, 1)
    obj = scene.object(OBJ)
    fine, through = finer_of(obj), Pose(scene, obj, 7.0).after
    cage = through.cage(mix_at(replace(obj, deformers=(), skin=None), 7.0, scene.fps))
    wanted = through.fine(cage, fine)
    assert np.abs(Pose(scene, obj, 7.0).drawn() - wanted).max() < 1e-9
    baked = scene.with_object(as_drawn(obj))
    if after == "rigged":
        assert np.abs(Pose(baked, baked.object(OBJ), 7.0).points - wanted).max() < 1e-5
    for suffix in (".glb", ".obj", ".usdc") if after != "dual" else (".obj", ".usdc"):
        choices = Choices(options={"surface": "result"})
        export(scene, tmp_path / f"a{suffix}", 7.0, choices=choices)
        assert prove(scene, tmp_path / f"a{suffix}", 7.0, choices=choices).cm < 0.02
    item = Stage().items(StageWish(scene, 7.0))[0]
    assert np.abs(smooth_item(worn_item(item, "x")).points - wanted).max() < 1e-4
    if obj.skin is not None:
        assert np.abs(wanted - fine.of(Pose(scene, obj, 7.0).points)).max() > 1e-3  # the other order is another surface


@pytest.mark.parametrize("after", AFTER)
def test_a_stroke_in_the_pose_moves_what_is_seen_as_far_as_it_went(after):
    """A stroke in the pose against the solution by finite differences."""
    scene = AFTER[after](made("mesh"))
    obj, rng = scene.object(OBJ), np.random.default_rng(3)
    through = Pose(scene, obj, 9.0).after
    mixed = mix_at(replace(obj, deformers=(), skin=None), 9.0, scene.fps)
    at = np.sort(rng.permutation(len(mixed))[:20]).astype(np.int32)
    moved = Deltas(at, rng.normal(size=(20, 3)) * 0.4)
    back, left = through.back(mixed, moved)
    assert left == 0
    again = through.forward(mixed + back.dense(len(mixed))) - through.forward(mixed)
    assert np.abs(again - moved.dense(len(mixed))).max() < 1e-8
    step = 1e-6  # a small stroke is the solution with slopes by differences
    small = through.back(mixed, Deltas(at, moved.offsets * 1e-4))[0].offsets
    for row, point in enumerate(at):
        slopes = np.stack([
            (through.forward(mixed[[point]] + step * e, at[[row]]) - through.forward(mixed[[point]] - step * e, at[[row]]))[0]
            / (2 * step) for e in np.eye(3)], axis=1)  # fmt: skip
        assert np.allclose(np.linalg.solve(slopes, moved.offsets[row] * 1e-4), small[row], rtol=5e-3, atol=1e-7)


def test_points_whose_matrix_is_near_singular_are_left_alone_and_counted():
    scene = change_deformer(made("mesh"), OBJ, "taper", amount=-1.0)
    obj = scene.object(OBJ)
    top = np.flatnonzero(obj.base[:, 1] > obj.base[:, 1].max() - 1e-9)
    mixed = obj.base.copy()
    moved = Deltas(np.arange(len(mixed)), np.ones((len(mixed), 3)) * [0.01, 0, 0])
    back, left = Pose(scene, obj, 0.0).after.back(mixed, moved)
    assert left == len(top) > 0 and not np.isin(top, back.indices).any()
    assert len(back.indices) > len(mixed) // 2


def test_deformers_act_in_their_order_by_their_lanes_and_come_off_with_them():
    scene = made("mesh")
    for kind in reversed(DEFORMERS):
        scene = change_deformer(scene, OBJ, kind, amount=0.5)
    obj = scene.object(OBJ)
    assert [d.kind for d in obj.deformers] == list(DEFORMERS)
    assert [c.id for c in channels(obj) if c.id in DEFORMERS] == list(DEFORMERS)
    scene = key_values(scene, OBJ, 3.0, {"bend": 40.0}, False)[0]
    scene = clips.duplicate_clip(scene, "Other")[0]
    with pytest.raises(EditRefused, match="A taper goes up to 100, not 200"):
        set_value(scene, OBJ, "taper", 200.0)
    with pytest.raises(EditRefused, match="its limits must rise"):
        change_deformer(scene, OBJ, "bend", low=0.5, high=0.5)
    scene = correctives.set_follow(scene, OBJ, TWO, Follow("bend", AnimationCurve((Key(0, 0.0), Key(40, 1.0)))))
    assert values_at(scene.object(OBJ), 3.0)[TWO] == 1.0
    with pytest.raises(EditRefused, match="Two of Ball follows the bend; make it a plain target first"):
        leave_deformer(scene, OBJ, "bend")
    scene = leave_deformer(correctives.set_follow(scene, OBJ, TWO, None), OBJ, "bend")
    assert scene.object(OBJ).lane("bend") is None and scene.object(OBJ).deformer("bend") is None
    assert all(x.channel != "bend" for c in scene.clips for p in c.parts for x in p.lanes)
    with pytest.raises(EditRefused, match="Ball has no bend"):
        leave_deformer(scene, OBJ, "bend")
    resting = change_deformer(change_deformer(scene, OBJ, "twist", on=False), OBJ, "taper", on=False)
    assert np.array_equal(Pose(resting, resting.object(OBJ), 5.0).points, mix_at(scene.object(OBJ), 5.0))


@pytest.mark.parametrize("kind", ["mesh", "line"])
def test_targets_stand_in_for_what_bent_and_for_a_spring_that_followed_it(kind):
    scene = bent(made(kind))
    before = [Pose(scene, scene.object(OBJ), f).points for f in FRAMES]
    baked, ids, off = bake_deformers(scene, OBJ)
    assert ids and off <= 0.01 and not baked.object(OBJ).deformers and baked.object(OBJ).lane("bend") is None
    assert all(np.abs(Pose(baked, baked.object(OBJ), f).points - b).max() < 0.011 for f, b in zip(FRAMES, before, strict=True))
    sprung = set_spring(scene, OBJ, PointSpring(stiffness=300.0, damping=20.0))
    with pytest.raises(EditRefused, match="make targets of the spring first"):
        bake_deformers(sprung, OBJ)
    calm, _, off = bake_spring(sprung, OBJ)
    for frame in FRAMES:
        apart = Pose(calm, calm.object(OBJ), frame).points - Pose(sprung, sprung.object(OBJ), frame).points
        assert np.abs(apart).max() < off + 0.01 and (np.abs(apart).max(axis=1) > 0.05).sum() <= 1  # left out by limits
        assert calm.object(OBJ).deformers == sprung.object(OBJ).deformers


def test_freezing_and_sizing_keep_a_rig_where_it_is_seen_and_refuse_what_a_bend_cannot_keep():
    scene = rigged(made("mesh"))
    obj = replace(scene.object(OBJ), transform=Transform((3, 2, 1), (10, 40, 5), (2, 2, 2), (1, 1, 1)))
    scene = scene.with_object(obj)
    frozen = freeze_transform(scene, OBJ)
    assert np.abs(np.concatenate(shown(scene, 7.0)) - np.concatenate(shown(frozen, 7.0))).max() < 1e-6
    sized = set_size(scene, OBJ, (4.0, None, 9.0)).object(OBJ)
    assert np.isfinite(Pose(scene, sized, 7.0).points).all()
    both = scene.with_object(replace(bent(scene).object(OBJ), transform=obj.transform))
    with pytest.raises(EditRefused, match="bend and twist and taper along its own axes"):
        freeze_transform(both, OBJ)


def test_objects_that_hang_on_one_rig_move_alike_and_weights_follow_its_joints():
    scene = rigged(made("mesh"))
    first = scene.object(OBJ)
    scene, other = add_object(scene, "Other", first.geometry, first.base)
    scene = rigs.set_skin(scene, other, first.skin)
    scene = set_key(scene, OBJ, turn_id(1, "x"), Key(0.0, 10.0))
    scene = rigs.turn_joint(set_key(scene, OBJ, turn_id(1, "x"), Key(12.0, 70.0)), OBJ, 2, {"z": 30.0})
    assert scene.object(other).lane(turn_id(1, "x")) == scene.object(OBJ).lane(turn_id(1, "x"))
    assert dict(scene.object(other).skin.turns) == {turn_id(2, "z"): 30.0}
    curve = AnimationCurve((Key(0.0, 0.0, "linear"), Key(90.0, 1.0, "linear")))
    led = correctives.set_follow(scene, OBJ, TWO, Follow(angle_id(1), curve))
    one, many = values_at(led.object(OBJ), 6.0), values_at(led.object(OBJ), np.array([0.0, 6.0, 12.0]))
    assert 0.3 < one[TWO] == pytest.approx(one[angle_id(1)] / 90) and many[TWO][1] == pytest.approx(one[TWO])
    posed = values_at(led.object(OBJ), 6.0, {turn_id(1, "x"): 0.0})
    assert posed[angle_id(1)] < one[angle_id(1)] and posed[TWO] < one[TWO]
    with pytest.raises(EditRefused, match="is driven by Joint 1 bent"):
        set_value(led, OBJ, TWO, 0.5)
    with pytest.raises(EditRefused, match="Two of Ball follows a joint; make it a plain target first"):
        rigs.leave_rig(led, OBJ)
    free = rigs.leave_rig(scene, OBJ)
    assert free.object(OBJ).skin is None and not any("rig" in x.channel or "turn" in x.channel for x in free.object(OBJ).lanes)
    assert free.object(other).skin is not None
    straight = rigs.straighten(scene, OBJ)
    assert not straight.object(other).skin.turns and straight.object(OBJ).lane(TIME) is not None
    assert remove_object(scene, other).object(OBJ).skin is scene.object(OBJ).skin


def test_clips_of_a_rig_are_played_retimed_and_undone():
    scene = rigged(made("mesh"))
    history = History(State(scene))
    with pytest.raises(EditRefused, match="no clip named Walk; it has: Wave, Stretch"):
        rigs.play_clip(scene, OBJ, "Walk")
    with pytest.raises(EditRefused, match="Ball hangs on no rig"):
        rigs.play_clip(made("mesh"), OBJ, "Wave")
    later = rigs.play_clip(scene, OBJ, "Stretch", 4.0, True)
    history.push("Play", State(later))
    obj = later.object(OBJ)
    assert values_at(obj, 10.0)[TIME] == pytest.approx(0.25) == values_at(obj, 22.0)[TIME] and values_at(obj, 0.0)[CLIP] == 1
    lane = obj.lane(TIME).curve
    slow = later.with_object(obj.with_lane(TIME, replace(lane, keys=(lane.keys[0], replace(lane.keys[1], frame=28.0)))))
    a, b = Pose(slow, slow.object(OBJ), 16.0).points, Pose(later, obj, 10.0).points
    assert np.abs(a - b).max() > 0 and np.allclose(points_over(later, obj, np.arange(4), np.array([10.0]))[0], b[:4])
    mixed = mix_at(replace(obj, skin=None), 16.0, later.fps)
    assert np.allclose(a, After(obj, dict(values_at(obj, 10.0))).forward(mixed))
    assert history.step(-1) and history.state.scene is scene


def test_an_object_with_a_bend_of_another_form_stays_finite_at_any_number():
    """Hands in a hurry: amounts and limits at their ends, flat and empty objects."""
    for form in ("Box", "Globe", "Wave"):
        scene, obj = add_form(Scene(), form, {})
        for kind in DEFORMERS:
            for amount in (36000.0, -36000.0, 1e-12) if kind != "taper" else (100.0, -100.0, 1e-12):
                for axis in "xyz":
                    bad = change_deformer(scene, obj, kind, axis=axis, amount=amount, low=-100.0, high=-99.0, still=50.0)
                    assert np.isfinite(Pose(bad, bad.object(obj), 0.0).points).all()
    flat = scene.with_object(replace(scene.object(obj), base=scene.object(obj).base * [1, 0, 1]))
    flat = change_deformer(flat, obj, "bend", amount=90.0)
    assert np.array_equal(Pose(flat, flat.object(obj), 0.0).points, flat.object(obj).base)
    with pytest.raises(ValueError, match="there is no squash on the axis y"):
        Deformer("squash")


def test_a_line_has_no_rig_and_a_rig_is_for_its_own_points():
    scene, mesh = made("line"), made("mesh")
    skin = rigged(mesh).object(OBJ).skin
    assert isinstance(scene.object(OBJ).geometry, Line)
    with pytest.raises(EditRefused, match="has no faces; this needs a mesh"):
        rigs.set_skin(scene, OBJ, skin)
    more = OPERATIONS["mesh-subdivide"].make(Subject(mesh, OBJ)).scene
    with pytest.raises(EditRefused, match="The skin is of 26 points; Ball has 98"):
        rigs.set_skin(more, OBJ, skin)
    assert targets.rename_target(mesh, OBJ, ONE, "First").object(OBJ).skin is None


def replaced(scene):
    """With the object where its own numbers are those of the scene."""
    return scene.with_object(replace(scene.object(OBJ), transform=Transform(), lanes=()))


@pytest.mark.parametrize("axis", "xyz")
def test_the_base_shaped_through_a_bend_ends_where_it_was_dragged(axis):
    """The outermost point too: the box from end to end is the bend's own once it is put on, so nothing else moves."""
    scene = replaced(made("mesh"))
    scene = change_deformer(scene, OBJ, "bend", axis=axis, amount=80.0)
    scene = change_deformer(scene, OBJ, "taper", axis=axis, amount=0.4)
    obj = scene.object(OBJ)
    through = Pose(scene, obj, 0.0).after
    outermost = int(np.argmax(obj.base[:, "xyz".index(axis)]))
    before = through.forward(mix_at(obj, 0.0, scene.fps))
    dragged = Deltas(np.array([outermost], np.int32), np.array([[3.0, 2.0, -1.0]]))
    moved, left = through.back(mix_at(obj, 0.0, scene.fps), dragged)
    after = move_shape(scene, OBJ, ShapeRef(), moved)
    seen = Pose(after, after.object(OBJ), 0.0).points
    assert not left and np.abs(seen - before - dragged.dense(len(before))).max() < 1e-5


@pytest.mark.parametrize("old_file", [False, True])
def test_a_change_of_topology_at_the_ends_leaves_what_is_bent_where_it_is(old_file):
    scene = change_deformer(replaced(made("mesh")), OBJ, "bend", axis="x", amount=80.0)
    if old_file:  # in which the box was that of the base, whatever that was
        obj = scene.object(OBJ)
        scene = scene.with_object(replace(obj, deformers=(replace(obj.deformers[0], box=None),)))
    obj = scene.object(OBJ)
    before = Pose(scene, obj, 0.0).points
    outer = np.flatnonzero(obj.base[:, 0] > obj.base[:, 0].max() - 1e-6)
    carry = carries.delete_points(obj.mesh, outer)
    after = topology.carry_through(scene, OBJ, carry)
    stayed = np.setdiff1d(np.arange(len(obj.base)), outer)
    assert np.abs(Pose(after, after.object(OBJ), 0.0).points - before[stayed]).max() < 1e-12
    fitted = OPERATIONS["deform-fit"].make(Subject(after, OBJ)).scene
    low, high = fitted.object(OBJ).deformers[0].box
    assert high[0] == fitted.object(OBJ).base[:, 0].max() < obj.base[:, 0].max() and low[0] == obj.base[:, 0].min()
    moved = freeze_transform(set_transform(scene, OBJ, Transform((5, 6, 7), (0, 0, 0), (2, 2, 2))), OBJ)
    assert np.allclose(Pose(moved, moved.object(OBJ), 0.0).points, before * 2 + [5, 6, 7])


def test_a_form_made_longer_is_bent_all_along():
    scene, box = add_form(fictilis.Scene(), "Box", {"height": 10.0, "segments": 4})
    scene = change_deformer(scene, box, "bend", axis="y", amount=90.0)
    longer = set_form(scene, box, {"height": 20.0})
    assert longer.object(box).deformers[0].box[1][1] == longer.object(box).base[:, 1].max()
