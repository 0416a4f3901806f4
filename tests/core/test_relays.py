"""Relays: what a row of poses makes of the base, what is done to it, and every other feature it meets."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.animation.easing import ease_at
from fictilis.core.checks.checks import run_checks
from fictilis.core.edits import clips, correctives, relays, targets, timing, topology
from fictilis.core.edits import whole_shapes as whole
from fictilis.core.edits.keys import delete_keys, key_values, move_keys, set_interpolation, set_key
from fictilis.core.edits.shape import set_mask
from fictilis.core.geometry import carry
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.channels import ChannelRef, set_value, values_at
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.relay import middle, poses, relay
from fictilis.core.mix.shapes import full_shape
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.core.scene.clips import choose_clip
from fictilis.core.scene.scene import Scene
from fictilis.formats.native import read_native, write_native
from fictilis.formats.tracks import weight_track
from tests.formats.gltf_player import play
from tests.mixes import mix_at, mixes_over
from tests.sameness import same

OBJ, LIFT, SLIDE = "o1", "t1", "t2"
A, B, C = "t3", "t4", "t5"
FRAMES = np.array([-9.0, 0.0, 3.3, 10.0, 17.0, 20.0, 22.5, 31.0, 40.0, 55.0])


@pytest.fixture
def row(sheet) -> tuple[Scene, str]:
    """Three random shapes at frames 0, 10, 20, and the first again at 40; straight, the ways linear."""
    rng, base = np.random.default_rng(3), sheet.object(OBJ).base
    scene = sheet
    for name in "ABC":
        scene, _ = targets.target_from_points(scene, OBJ, name, base + rng.normal(size=base.shape))
    scene, group = relays.make_relay(scene, OBJ, [A, B, C], "Row", 0.0, 10.0, "linear")
    return relays.set_pose(scene, OBJ, group, 40.0, A), group


def points(scene: Scene, frame: float) -> np.ndarray:
    return mix_at(scene.object(OBJ), frame)


def shape(scene: Scene, target: str) -> np.ndarray:
    return full_shape(scene.object(OBJ), target)


def moved(scene: Scene, frame: float) -> np.ndarray:
    return points(scene, frame) - scene.object(OBJ).base


def test_between_two_poses_the_object_is_the_blend_of_exactly_those_two(row):
    scene, group = row
    for frame, one, two, part in ((0, A, B, 0), (4, A, B, 0.4), (15, B, C, 0.5), (25, C, A, 0.25), (60, A, A, 0)):
        assert np.allclose(points(scene, frame), (1 - part) * shape(scene, one) + part * shape(scene, two), atol=1e-12)
    base = relays.set_pose(scene, OBJ, group, 10.0, "")
    assert np.allclose(moved(base, 5), 0.5 * (shape(scene, A) - scene.object(OBJ).base)) and not moved(base, 10).any()
    assert values_at(scene.object(OBJ), 25.0)[group] == 2.25


@pytest.mark.parametrize("path", ["straight", "through"])
@pytest.mark.parametrize("way", ["hold", "linear", "smooth", "ease"])
@pytest.mark.parametrize("after", ["hold", "repeat", "ping-pong", "linear", "offset"])
def test_the_shares_of_the_shapes_and_of_the_base_sum_to_one(row, path, way, after):
    """Every pose is a shape here, so nothing is left to the base (by definition of a convex sum)."""
    scene, group = row
    refs = [KeyRef(OBJ, group, key.frame) for key in poses(scene.object(OBJ), group)]
    scene = relays.set_relay_path(set_interpolation(scene, refs, way, "back-out" if way == "ease" else None), OBJ, group, path)
    lane = scene.object(OBJ).lane(group)
    scene = scene.with_object(scene.object(OBJ).with_lane(group, replace(lane.curve, after=after)))
    frames = np.linspace(-5, 130, 271)
    over = values_at(scene.object(OBJ), frames)
    assert np.abs(over[A] + over[B] + over[C] - 1).max() < 1e-12
    assert np.allclose(shares_at(scene.object(OBJ), frames)[2:], [over[A], over[B], over[C]])
    now = [values_at(scene.object(OBJ), float(f))[B] for f in frames]
    assert np.allclose(now, over[B], atol=1e-12)


@pytest.mark.parametrize("path", ["straight", "through"])
def test_a_hold_stands_until_the_next_pose_replaces_it(row, path):
    scene, group = row
    scene = relays.set_relay_path(relays.on_frames(scene, OBJ, group, 2.0), OBJ, group, path)
    assert [k.frame for k in poses(scene.object(OBJ), group)] == [0, 2, 4, 6]
    for frame, target in ((0, A), (1.99, A), (2, B), (3.5, B), (5, C), (6, A), (9, A)):
        assert np.allclose(points(scene, frame), shape(scene, target))


CHANGES = {
    "nothing": (lambda s, g: s, 1.0),
    "slider of the group": (lambda s, g: targets.change_group(s, OBJ, g, factor=0.5), 0.5),
    "layered on top": (lambda s, g: set_value(s, OBJ, LIFT, 0.0), 1.0),
    "a mask": (lambda s, g: _each(s, lambda s, t: set_mask(s, OBJ, t, np.full(25, 0.5))), 0.5),
    "mute": (lambda s, g: _each(s, lambda s, t: targets.set_muted(s, OBJ, t, True)), 0.0),
    "a new name": (lambda s, g: targets.rename_target(s, OBJ, A, "First"), 1.0),
    "another order": (lambda s, g: targets.move_target(s, OBJ, C, 2), 1.0),
    "a copy": (lambda s, g: whole.duplicate(s, OBJ, B)[0], 1.0),
    "mirrored": (lambda s, g: whole.mirror_into_new(s, OBJ, B)[0], 1.0),
    "split": (lambda s, g: whole.split_sides(s, OBJ, B, 4.0)[0], 1.0),
    "scaled": (lambda s, g: _each(s, lambda s, t: whole.scale_deltas(s, OBJ, t, 2.0)), 2.0),
    "another removed": (lambda s, g: targets.remove_target(s, OBJ, SLIDE), 1.0),
    "there and back": (lambda s, g: timing.reverse(timing.reverse(s, [(OBJ, g)], 0, 40), [(OBJ, g)], 0, 40), 1.0),
    "snapped": (lambda s, g: timing.snap_to_frames(s, [(OBJ, g)]), 1.0),
    "copied and pasted": (lambda s, g: _pasted(s, g), 1.0),
    "an equal keyed mix": (lambda s, g: key_values(s, OBJ, 0.0, {LIFT: 0.0})[0], 1.0),
}


def _each(scene: Scene, change) -> Scene:
    for target in (A, B, C):
        scene = change(scene, target)
    return scene


def _pasted(scene: Scene, group: str) -> Scene:
    keys = poses(scene.object(OBJ), group)
    gone = delete_keys(scene, [KeyRef(OBJ, group, key.frame) for key in keys[1:]])
    return timing.paste_keys(gone, OBJ, {group: keys[1:]}, keys[1].frame)[0]


@pytest.mark.parametrize(("change", "times"), CHANGES.values(), ids=list(CHANGES))
@pytest.mark.parametrize("path", ["straight", "through"])
def test_what_a_relay_meets(row, change, times, path, tmp_path):
    """How much of its motion shows afterwards, and the file gives the same."""
    scene, group = row
    scene = relays.set_relay_path(scene, OBJ, group, path)
    before = mixes_over(scene.object(OBJ), FRAMES) - scene.object(OBJ).base
    changed = change(scene, group)
    obj = changed.object(OBJ)
    assert np.allclose(mixes_over(obj, FRAMES) - obj.base, times * before, atol=1e-9)
    write_native(tmp_path / "s.fictilis", changed)
    again = read_native(tmp_path / "s.fictilis")
    assert same(again, changed) and np.array_equal(mix_at(again.object(OBJ), 13.0), mix_at(obj, 13.0))


def test_topology_is_carried_through_a_relay(row):
    scene, _group = row
    fine = topology.carry_through(scene, OBJ, carry.subdivide(scene.object(OBJ).mesh, False))
    assert np.allclose(moved(fine, 5)[:25], moved(scene, 5))


def test_ancestors_of_a_built_on_shape_get_its_share_too(row):
    scene, _group = row
    built = whole.rebuild_on(scene, OBJ, B, LIFT)
    assert np.allclose(mixes_over(built.object(OBJ), FRAMES), mixes_over(scene.object(OBJ), FRAMES))


def test_a_relay_drives_a_corrective_and_layers_add_on_top(row):
    scene, _group = row
    scene, fix = correctives.add_corrective(scene, OBJ, {A: 1.0, B: 0.5})
    assert values_at(scene.object(OBJ), 5.0)[fix] == pytest.approx(0.5) and values_at(scene.object(OBJ), 15.0)[fix] == 0
    lifted = set_value(scene, OBJ, LIFT, 0.5)
    assert np.allclose(points(lifted, 15) - points(scene, 15), [0, 5, 0])


def test_new_poses_change_nothing_that_is_seen_until_they_are_shaped(row):
    """From what the relay shows, alone; a layered target is not taken into it."""
    scene, group = row
    scene = set_value(scene, OBJ, LIFT, 0.7)
    made, target = relays.new_pose(scene, OBJ, group, 5.0)
    assert made.object(OBJ).target(target).name == "Row 1"
    assert np.allclose(mixes_over(made.object(OBJ), FRAMES), mixes_over(scene.object(OBJ), FRAMES))
    copied, target = relays.pose_from_before(scene, OBJ, group, 14.0)
    assert np.allclose(shape(copied, target), shape(scene, B)) and np.allclose(points(copied, 14), points(copied, 10))
    own, target = relays.own_shape(scene, OBJ, group, 42.0)
    assert [k.shape for k in poses(own.object(OBJ), group)] == [A, B, C, target]
    assert np.allclose(mixes_over(own.object(OBJ), FRAMES), mixes_over(scene.object(OBJ), FRAMES))
    assert middle(scene.object(OBJ), group, 23.0) == 30.0


def test_a_shape_that_goes_takes_its_poses_along_and_the_last_one_leaves_the_base(row):
    scene, group = row
    less = targets.remove_target(scene, OBJ, A)
    assert [(k.frame, k.shape) for k in poses(less.object(OBJ), group)] == [(10.0, B), (20.0, C)]
    out = targets.put_in_group(less, OBJ, [B], None)
    assert [k.shape for k in poses(out.object(OBJ), group)] == [C] and out.object(OBJ).target(B).group is None
    none = targets.remove_target(out, OBJ, C)
    assert none.object(OBJ).group(group) is None and none.object(OBJ).lane(group) is None


def test_targets_that_join_a_relay_lose_their_own_lanes_and_weights(row):
    scene, group = row
    keyed = set_value(set_key(scene, OBJ, LIFT, Key(3, 1)), OBJ, SLIDE, 0.4)
    joined = targets.put_in_group(keyed, OBJ, [LIFT, SLIDE], group).object(OBJ)
    assert joined.lane(LIFT) is None and joined.target(SLIDE).weight == 0 and values_at(joined, 5.0)[LIFT] == 0


REFUSED = {
    "set": (lambda s, g: set_value(s, OBJ, A, 0.5), "A is driven by Row; it has no weight of its own"),
    "keyed": (lambda s, g: key_values(s, OBJ, 0, {B: 1.0}), "B is driven by Row"),
    "its lane set": (lambda s, g: set_value(s, OBJ, g, 0.5), "Row is a relay; its lane has poses"),
    "its lane keyed": (lambda s, g: key_values(s, OBJ, 0, {g: 1.0}), "Row is a relay"),
    "a pose elsewhere": (lambda s, g: set_key(s, OBJ, LIFT, Key(0, 0, shape=A)), "Lift is keyed by values"),
    "no shape of it": (lambda s, g: relays.set_pose(s, OBJ, g, 3, LIFT), "Lift is none of the shapes of Row"),
    "an in-between": (lambda s, g: targets.add_in_between(s, OBJ, A, 0.5), "A is a shape of the relay Row; a pose between"),
    "a corrective": (lambda s, g: correctives.set_rule(s, OBJ, A, correctives.Rule((correctives.Driver(LIFT),))), "relay Row"),
    "with in-betweens": (lambda s, g: targets.put_in_group(targets.add_in_between(s, OBJ, LIFT, 0.5), OBJ, [LIFT], g),
                         "Lift has in-betweens"),
    "scaled values": (lambda s, g: timing.scale_values(s, [(OBJ, g)], 2.0), "Row is a relay"),
    "reduced": (lambda s, g: timing.reduce_keys(s, [(OBJ, g)], 0.1), "Row is a relay"),
    "baked": (lambda s, g: timing.bake(s, [(OBJ, g)], 0, 40), "Row is a relay"),
    "a modifier": (lambda s, g: timing.set_modifiers(s, OBJ, g, ()), "Row is a relay"),
    "own already": (lambda s, g: relays.own_shape(s, OBJ, g, 10.0), "B stands in this pose only"),
    "no room": (lambda s, g: middle(relays.on_frames(s, OBJ, g, 1.0).object(OBJ), g, 0), "no whole frame between"),
    "no stretch": (lambda s, g: middle(s.object(OBJ), g, 50), "lies in no stretch of Row"),
    "nothing before": (lambda s, g: relays.pose_from_before(s, OBJ, g, -3), "Row has no pose before frame -3"),
    "a path": (lambda s, g: relays.set_relay_path(s, OBJ, g, "round"), "no path of a relay"),
    "layered group": (lambda s, g: relay(targets.group_targets(s, OBJ, [LIFT])[0].object(OBJ), "g2"), "is no relay"),
    "too close": (lambda s, g: relays.make_relay(s, OBJ, [LIFT, SLIDE], step=0.2), "do not fit"),
}  # fmt: skip


@pytest.mark.parametrize(("change", "said"), REFUSED.values(), ids=list(REFUSED))
def test_what_makes_no_sense_is_refused_by_name(row, change, said):
    with pytest.raises(EditRefused, match=said):
        change(*row)


def test_poses_move_in_time_only_and_close_the_loop(row):
    scene, group = row
    shifted, places = move_keys(scene, [KeyRef(OBJ, group, 10.0)], 4.0, 0.7)
    assert places == [KeyRef(OBJ, group, 14.0)] and poses(shifted.object(OBJ), group)[1] == Key(14, 0, "linear", shape=B)
    open_ = relays.set_pose(scene, OBJ, group, 40.0, C)
    played = replace(open_, start=0.0, end=48.0)
    closed = timing.close_loop(played, [ChannelRef(OBJ, group)])
    assert np.allclose(points(closed, 48), points(closed, 0)) and poses(closed.object(OBJ), group)[-1].shape == A
    lane = (ChannelRef(OBJ, group),)
    made = OPERATIONS["lanes-close"].make(Subject(replace(open_, start=0.0, end=40.0), OBJ, lanes=lane, selected=lane))
    assert [(k.frame, k.shape) for k in poses(made.scene.object(OBJ), group)][-2:] == [(40.0, C), (60.0, A)]
    assert made.said == "Row has its first pose again at frame 60; let the range end there."


def test_a_pose_that_nothing_shows_is_found_and_a_row_is_no_pile_up(row):
    scene, _group = row
    scene = whole.copy_deltas(scene, OBJ, A, B)
    scene = targets.remove_target(targets.remove_target(scene, OBJ, LIFT), OBJ, SLIDE)
    assert not run_checks(scene, only=("idle", "pile-up"))
    (found,) = run_checks(whole.duplicate(scene, OBJ, A)[0], only=("idle",))
    assert found.sentence == "A copy stands in no pose of Row."


@pytest.mark.parametrize("path", ["straight", "through"])
@pytest.mark.parametrize("way", ["hold", "linear", "smooth", "ease"])
def test_as_layered_keys_it_moves_the_same_and_the_error_is_stated(row, path, way):
    scene, group = row
    refs = [KeyRef(OBJ, group, key.frame) for key in poses(scene.object(OBJ), group)]
    scene = relays.set_relay_path(set_interpolation(scene, refs, way), OBJ, group, path)
    layers, error = relays.put_in_layers(scene, OBJ, group)
    frames = np.linspace(-5, 60, 1301)
    apart = np.abs(mixes_over(layers.object(OBJ), frames) - mixes_over(scene.object(OBJ), frames)).max()
    assert apart <= error + 1e-9 and layers.object(OBJ).group(group).relay is None
    assert error < 0.01 and (error == 0 or path == "through" and way in ("smooth", "ease"))


@pytest.mark.parametrize("path", ["straight", "through"])
def test_layered_keys_stand_in_every_clip_and_in_both_of_a_blend(row, path):
    scene, group = row
    scene = relays.set_relay_path(scene, OBJ, group, path)
    scene, second = clips.duplicate_clip(scene, "Slow")
    scene = move_keys(scene, [KeyRef(OBJ, group, 10.0)], 5.0, 0.0)[0]
    first = scene.clips[0].id
    scene, both = clips.blend_clips(scene, first, second, "Both")
    scene = set_value(scene, OBJ, "blend", 0.3)
    layers, error = relays.put_in_layers(scene, OBJ, group)
    for clip in (both, first, second):
        before, after = (mixes_over(choose_clip(s, clip).object(OBJ), FRAMES) for s in (scene, layers))
        assert np.abs(before - scene.object(OBJ).base).max() > 0.1 and np.abs(after - before).max() <= error + 1e-9


@pytest.mark.parametrize("path", ["straight", "through"])
@pytest.mark.parametrize("way", ["hold", "linear", "smooth"])
def test_a_standard_player_shows_the_same_relay(row, path, way):
    """STEP, LINEAR or CUBICSPLINE where a share is one cubic from pose to pose; smooth ways of a spline are sampled."""
    scene, group = row
    refs = [KeyRef(OBJ, group, key.frame) for key in poses(scene.object(OBJ), group)]
    scene = relays.set_relay_path(set_interpolation(scene, refs, way), OBJ, group, path)
    scene = replace(scene, start=0.0, end=48.0)
    track, frames = weight_track(scene, scene.object(OBJ)), np.linspace(0, 48, 577)
    kind = {"hold": "STEP", "linear": "LINEAR" if path == "straight" else "CUBICSPLINE", "smooth": "CUBICSPLINE"}[way]
    sampled = path == "through" and way == "smooth"
    assert track.interpolation == ("LINEAR" if sampled else kind)
    wanted = shares_at(scene.object(OBJ), frames).T
    apart = np.abs(play(track, frames / scene.fps) - wanted).max(axis=1)
    assert apart[np.abs(frames % 10) > 0.01].max() < (track.error * 1.1 + 1e-9 if sampled else 1e-6)
    assert track.error < 2e-2 and (track.error > 0) is sampled


@pytest.mark.parametrize("ease", ["back-out", "back-in", "elastic-out", "back-in-out"])
@pytest.mark.parametrize("closed", [False, True])
def test_an_easing_that_swings_out_stays_on_the_spline(row, ease, closed):
    """Source: the same row led evenly: whatever the easing, the points are on the curve that it goes along; beyond the ends of
    an open row they go straight on."""
    scene, group = row
    if not closed:
        scene = relays.set_pose(scene, OBJ, group, 40.0, B)
    scene = relays.set_relay_path(scene, OBJ, group, "through")
    refs = [KeyRef(OBJ, group, key.frame) for key in poses(scene.object(OBJ), group)]
    swung = set_interpolation(scene, refs, "ease", ease)
    at = np.linspace(0, 40, 161)
    curve = poses(scene.object(OBJ), group)
    for frame in at.tolist():
        number = max(n for n, key in enumerate(curve[:-1]) if key.frame <= frame) if frame < 40 else len(curve) - 2
        first, last = curve[number].frame, curve[number + 1].frame
        time = first + (last - first) * float(ease_at(ease, np.array([(frame - first) / (last - first)]))[0])
        if closed:
            wanted = points(scene, time % 40)
        elif time > 40 or time < 0:
            end, step = (40.0, -1e-5) if time > 40 else (0.0, 1e-5)
            wanted = points(scene, end) + (points(scene, end + step) - points(scene, end)) / step * (time - end)
        else:
            wanted = points(scene, time)
        assert np.abs(points(swung, frame) - wanted).max() < 1e-3, (frame, time)
