"""Clips: lanes of all objects under a name, one active; two that are played at once; and what else they meet."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.edits import clips, correctives, links, relays, targets, timeline
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.objects import add_object, remove_object
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import set_value, values_at
from fictilis.core.mix.driven import with_drivers
from fictilis.core.scene.clips import choose_clip, clip, clip_named
from fictilis.core.scene.rules import Driver, Rule
from fictilis.core.scene.scene import Scene
from fictilis.formats.gltf import write_gltf
from fictilis.formats.native import read_native, write_native
from fictilis.formats.tracks import weight_track
from tests.formats.gltf_player import play
from tests.mixes import mix_at, mixes_over
from tests.sameness import same

OBJ, LIFT, SLIDE = "o1", "t1", "t2"


@pytest.fixture
def two(sheet) -> tuple[Scene, str, str]:
    """Rest: Lift keyed over 0…10; Swim, active: Slide and the place keyed over 0…20, its range 0…20."""
    scene = set_key(set_key(sheet, OBJ, LIFT, Key(0, 0, "linear")), OBJ, LIFT, Key(10, 1, "linear"))
    scene, swim = clips.new_clip(scene, "Swim")
    rest = scene.clips[0].id
    scene = clips.rename_clip(scene, rest, "Rest")
    scene = timeline.set_frame_range(scene, 0, 20)
    scene = set_key(set_key(scene, OBJ, SLIDE, Key(0, 0.5, "linear")), OBJ, SLIDE, Key(20, 1, "linear"))
    return set_key(scene, OBJ, "position.x", Key(0, 3.0)), rest, swim


def lanes(scene: Scene) -> list[str]:
    return [lane.channel for lane in scene.object(OBJ).lanes]


def test_each_clip_has_its_lanes_and_its_range_and_targets_are_shared(two):
    scene, rest, swim = two
    assert lanes(scene) == [SLIDE, "position.x"] and (scene.start, scene.end) == (0, 20)
    back = choose_clip(scene, rest)
    assert lanes(back) == [LIFT] and (back.start, back.end) == (0, 96) and back.clip == rest
    assert same(choose_clip(back, swim), scene)
    shaped = targets.rename_target(back, OBJ, LIFT, "Up")
    assert choose_clip(shaped, swim).object(OBJ).target(LIFT).name == "Up"
    copied, made = clips.duplicate_clip(back)
    assert clip(copied).name == "Rest copy" and lanes(copied) == [LIFT]
    keyed = set_key(copied, OBJ, LIFT, Key(50, 0.5))
    assert len(choose_clip(keyed, rest).object(OBJ).lane(LIFT).curve.keys) == 2 and made == keyed.clip


def test_a_clip_is_removed_and_its_neighbour_is_in_hand_and_ids_are_not_given_again(two):
    scene, rest, swim = two
    less = clips.remove_clip(scene, swim)
    assert less.clip == rest and lanes(less) == [LIFT] and [c.name for c in less.clips] == ["Rest"]
    again, made = clips.new_clip(less, "Other")
    assert made not in (rest, swim) and not lanes(again)
    with pytest.raises(EditRefused, match="Rest is the only clip"):
        clips.remove_clip(less, rest)


CHANGES = {
    "nothing": lambda s: s,
    "a target removed": lambda s: targets.remove_target(s, OBJ, LIFT),
    "a corrective": lambda s: correctives.set_rule(s, OBJ, LIFT, Rule((Driver(SLIDE),))),
    "a shape of a relay": lambda s: relays.make_relay(s, OBJ, [LIFT, SLIDE], "Row", 0.0, 5.0)[0],
    "an object removed": lambda s: remove_object(s, OBJ),
    "a rate": lambda s: timeline.set_rate(s, 48.0, True),
    "a lock": lambda s: s.with_object(replace(s.object(OBJ), locked=True)),
    "a loop": lambda s: clips.set_loop(s, s.clips[0].id, False),
    "a range of another": lambda s: clips.set_clip_range(s, s.clips[0].id, 5, 50),
}


@pytest.mark.parametrize("change", CHANGES.values(), ids=list(CHANGES))
def test_whatever_changes_meanwhile_the_other_clip_stays_whole(two, change, tmp_path):
    """No stowed lane is left without its target; files and undo see the same."""
    scene, rest, swim = two
    changed = change(scene)
    write_native(tmp_path / "s.fictilis", changed)
    assert same(read_native(tmp_path / "s.fictilis"), changed)
    other = choose_clip(changed, rest)
    write_native(tmp_path / "o.fictilis", other)
    assert same(read_native(tmp_path / "o.fictilis"), other)
    assert same(choose_clip(other, swim), changed)


def test_keys_keep_their_seconds_in_every_clip(two):
    scene, rest, _swim = two
    fast = choose_clip(timeline.set_rate(scene, 48.0, True), rest)
    assert [k.frame for k in fast.object(OBJ).lane(LIFT).curve.keys] == [0, 20] and (fast.start, fast.end) == (0, 192)


def test_a_target_linked_meanwhile_has_one_lane_in_every_clip(two):
    scene, rest, _swim = two
    base = scene.object(OBJ)
    scene, lid = add_object(scene, "Lid", base.mesh, base.base)
    scene, _ = targets.target_from_points(scene, lid, "Lift", base.base + 1.0)
    scene, _ = links.link_equal_names(scene, OBJ)
    back = choose_clip(scene, rest)
    assert back.object(lid).lane("t1").curve is back.object(OBJ).lane(LIFT).curve


@pytest.mark.parametrize("offset", [0.0, 4.0, -3.0])
@pytest.mark.parametrize("amount", [0.0, 0.25, 1.0, 1.5])
def test_a_blend_of_two_clips_mixes_their_values(two, offset, amount):
    scene, rest, swim = two
    blended, _ = clips.blend_clips(scene, rest, swim, "Both", offset)
    blended = set_value(blended, OBJ, "blend", amount)
    frames = np.array([0.0, 5.0, 12.0, 30.0])
    first = choose_clip(scene, rest).object(OBJ)
    a, b = values_at(first, frames), values_at(scene.object(OBJ), frames - offset)
    mixed = values_at(blended.object(OBJ), frames)
    for name in (LIFT, SLIDE, "position.x"):
        assert np.allclose(mixed[name], a[name] + amount * (b[name] - a[name]))
    one = values_at(blended.object(OBJ), 5.0)
    assert all(np.isclose(one[name], mixed[name][1]) for name in (LIFT, SLIDE, "position.x"))


def test_the_blend_has_a_lane_is_shifted_saved_and_exported(two, tmp_path):
    scene, rest, swim = two
    blended, _ = clips.blend_clips(scene, rest, swim)
    blended = set_key(set_key(blended, OBJ, "blend", Key(0, 0, "linear")), OBJ, "blend", Key(20, 1, "linear"))
    shifted = clips.set_offset(blended, 5.0)
    assert shifted.object(OBJ).blend.offset == 5.0 and clip(shifted).name == "Rest to Swim"
    assert np.allclose(mix_at(shifted.object(OBJ), 0), mix_at(choose_clip(scene, rest).object(OBJ), 0))
    write_native(tmp_path / "s.fictilis", shifted)
    assert same(read_native(tmp_path / "s.fictilis"), shifted)
    ended = replace(shifted, start=0.0, end=24.0)
    track, at = weight_track(ended, ended.object(OBJ)), np.linspace(0, 24, 97)
    wanted = values_at(ended.object(OBJ), at)
    assert np.abs(play(track, at / 24.0) - np.stack([wanted[LIFT], wanted[SLIDE]], 1)).max() < 5e-3
    back = choose_clip(shifted, rest)
    assert back.object(OBJ).blend is None and same(choose_clip(back, shifted.clip), shifted)


def test_what_is_driven_in_a_blend_is_followed_over_time(two):
    """The lane of a corrective shows what its drivers come to in both clips."""
    scene, rest, swim = two
    scene, fix = correctives.add_corrective(scene, OBJ, {LIFT: 1.0})
    blended, _ = clips.blend_clips(scene, rest, swim)
    blended = set_value(blended, OBJ, "blend", 0.25)
    frames = np.linspace(0, 20, 9)
    led = with_drivers(blended.object(OBJ), fix)
    assert np.allclose(values_at(led, frames)[fix], values_at(blended.object(OBJ), frames)[fix])


def test_relays_of_two_clips_are_blended_as_convex_sums(sheet):
    scene, group = relays.make_relay(sheet, OBJ, [LIFT, SLIDE], "Row", 0.0, 10.0, "linear")
    scene, second = clips.duplicate_clip(scene, "Other")
    scene = relays.set_pose(scene, OBJ, group, 0.0, SLIDE)
    blended, _ = clips.blend_clips(scene, scene.clips[0].id, second)
    blended = set_value(blended, OBJ, "blend", 0.5)
    at = values_at(blended.object(OBJ), np.linspace(-2, 12, 15))
    assert np.allclose(at[LIFT] + at[SLIDE], 1.0) and at[LIFT][2] == pytest.approx(0.5)
    assert len(mixes_over(blended.object(OBJ), [0, 5])) == 2


def test_gltf_gets_one_animation_a_clip_under_its_name(two, tmp_path):
    import pygltflib

    scene, rest, _swim = two
    write_gltf(tmp_path / "s.glb", choose_clip(scene, rest))
    animations = pygltflib.GLTF2().load(tmp_path / "s.glb").animations
    assert [a.name for a in animations] == ["Rest", "Swim"]
    assert [sorted(c.target.path for c in a.channels) for a in animations] == [["translation", "weights"]] * 2


REFUSED = {
    "itself": (lambda s, a, b: clips.blend_clips(s, a, a), "Two different clips"),
    "twice": (lambda s, a, b: clips.blend_clips(*_blent(s, a, b), a), "plays two clips already"),
    "no offset": (lambda s, a, b: clips.set_offset(s, 3.0), "plays one clip only"),
    "far off": (lambda s, a, b: clips.blend_clips(s, a, b, None, np.inf), "up to a million frames later"),
    "a taken name": (lambda s, a, b: clips.rename_clip(s, a, "Swim"), "already has a clip named Swim"),
    "no name": (lambda s, a, b: clips.rename_clip(s, a, " "), "at least one letter"),
    "not there": (lambda s, a, b: choose_clip(s, "p9"), "no clip with the id p9"),
    "not named so": (lambda s, a, b: clip_named(s, "Run"), "its clips are: Rest, Swim"),
}


def _blent(scene: Scene, a: str, b: str) -> tuple[Scene, str]:
    return clips.blend_clips(scene, a, b)


@pytest.mark.parametrize(("change", "said"), REFUSED.values(), ids=list(REFUSED))
def test_what_makes_no_sense_is_refused_by_name(two, change, said):
    with pytest.raises(EditRefused, match=said):
        change(*two)
