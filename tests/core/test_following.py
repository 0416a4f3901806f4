"""Weights that follow one number through a curve, and every other feature they meet."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits import correctives, relays, targets
from fictilis.core.edits import whole_shapes as whole
from fictilis.core.edits.keys import key_values, set_key
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channel_kinds import OBJECT_KINDS
from fictilis.core.mix.channels import set_value, values_at
from fictilis.core.mix.following import follow_of
from fictilis.core.scene.rules import Driver, Follow, Rule
from fictilis.core.scene.scene import Scene
from fictilis.formats.native import read_native, write_native
from fictilis.formats.tracks import weight_track
from tests.formats.gltf_player import play
from tests.mixes import mix_at, mixes_over
from tests.sameness import same

OBJ, LIFT, SLIDE = "o1", "t1", "t2"
CURVE = AnimationCurve((Key(0.0, 0.0, "linear"), Key(0.5, 0.2, "linear"), Key(1.0, 1.0, "linear")))


@pytest.fixture
def led(sheet) -> Scene:
    """Slide follows Lift: slowly at first."""
    return correctives.set_follow(sheet, OBJ, SLIDE, Follow(LIFT, CURVE))


def slide(scene: Scene, frame: float = 0.0, **posed: float) -> float:
    return values_at(scene.object(OBJ), frame, {LIFT: posed["lift"]} if "lift" in posed else None)[SLIDE]


def test_a_weight_follows_another_by_its_curve_held_outside(led):
    for lift, wanted in ((-1, 0), (0, 0), (0.25, 0.1), (0.5, 0.2), (0.75, 0.6), (1, 1), (3, 1)):
        assert slide(led, lift=lift) == pytest.approx(wanted)
    over = values_at(led.object(OBJ), np.zeros(3), {LIFT: np.array([0.25, 0.75, 2])})[SLIDE]
    assert np.allclose(over, [0.1, 0.6, 1])


@pytest.mark.parametrize("channel", [c for c in OBJECT_KINDS if "." in c])
def test_a_weight_follows_where_the_object_is_posed_keyed_or_set(sheet, channel):
    curve = AnimationCurve((Key(1.0, 0.0, "linear"), Key(5.0, 1.0, "linear")))
    scene = correctives.set_follow(sheet, OBJ, SLIDE, Follow(channel, curve))
    assert slide(set_value(scene, OBJ, channel, 3.0)) == pytest.approx(0.5)
    keyed = set_key(set_key(scene, OBJ, channel, Key(0, 1.0, "linear")), OBJ, channel, Key(8, 5.0, "linear"))
    assert slide(keyed, 2.0) == pytest.approx(0.25)
    track, frames = weight_track(keyed, keyed.object(OBJ)), np.linspace(0, 40, 161)
    wanted = values_at(keyed.object(OBJ), frames)[SLIDE]
    assert track.interpolation == "LINEAR" and np.allclose(play(track, frames / keyed.fps)[:, 1], wanted, atol=1e-6)


MEETS = {
    "mute of what it follows": (lambda s: targets.set_muted(s, OBJ, LIFT, True), 0.0),
    "its own mute": (lambda s: targets.set_muted(s, OBJ, SLIDE, True), 0.0),
    "a group of what it follows": (lambda s: _grouped(s, LIFT, 0.5), 0.2),
    "its own group": (lambda s: _grouped(s, SLIDE, 0.5), 0.5),
    "an in-between": (lambda s: targets.add_in_between(s, OBJ, LIFT, 0.5), 1.0),
    "a copy": (lambda s: whole.duplicate(s, OBJ, SLIDE)[0], 1.0),
    "a mirror image": (lambda s: whole.mirror_into_new(s, OBJ, SLIDE)[0], 1.0),
    "a new name": (lambda s: targets.rename_target(s, OBJ, LIFT, "Up"), 1.0),
    "a copy of what it follows": (lambda s: whole.duplicate(s, OBJ, LIFT)[0], 1.0),
    "made plain": (lambda s: correctives.set_follow(s, OBJ, SLIDE, None, 0.7), 0.7),
    "what it follows removed": (lambda s: targets.remove_target(s, OBJ, LIFT), 1.0),
    "a corrective after it": (lambda s: correctives.add_corrective(s, OBJ, {LIFT: 1.0, SLIDE: 1.0})[0], 1.0),
}


def _grouped(scene: Scene, member: str, factor: float) -> Scene:
    scene, group = targets.group_targets(scene, OBJ, [member])
    return targets.change_group(scene, OBJ, group, factor=factor)


@pytest.mark.parametrize(("change", "acts"), MEETS.values(), ids=list(MEETS))
def test_what_a_weight_that_follows_meets(led, change, acts, tmp_path):
    """How much of Slide shows with Lift at 1; and the file gives the same."""
    scene = change(set_value(led, OBJ, LIFT, 1.0))
    obj = scene.object(OBJ)
    way = led.object(OBJ).target(SLIDE).deltas.dense(25)
    side = np.abs(way).sum(axis=0) > 0
    side[1] = False  # along which Lift moves
    assert np.allclose((mix_at(obj, 0) - obj.base)[:, side], acts * way[:, side])
    write_native(tmp_path / "s.fictilis", scene)
    assert same(read_native(tmp_path / "s.fictilis"), scene)


REFUSED = {
    "set": (lambda s: set_value(s, OBJ, SLIDE, 0.5), "Slide is driven by Lift; it has no weight of its own"),
    "keyed": (lambda s: key_values(s, OBJ, 0, {SLIDE: 1.0}), "Slide is driven by Lift"),
    "itself": (lambda s: correctives.set_follow(s, OBJ, SLIDE, Follow(SLIDE, CURVE)), "Slide drives Slide: a weight cannot"),
    "a circle": (lambda s: correctives.set_follow(s, OBJ, LIFT, Follow(SLIDE, CURVE)), "a weight cannot drive itself"),
    "a circle by a rule": (lambda s: correctives.set_rule(s, OBJ, LIFT, Rule((Driver(SLIDE),))), "a weight cannot drive"),
    "no curve": (lambda s: correctives.set_follow(s, OBJ, SLIDE, Follow(LIFT, AnimationCurve())), "needs a point at least"),
    "nothing there": (lambda s: correctives.set_follow(s, OBJ, SLIDE, Follow("t9", CURVE)), "no target with the id t9"),
    "into a relay": (lambda s: relays.make_relay(s, OBJ, [SLIDE, LIFT]), "Slide is driven by others"),
    "follows nothing": (lambda s: follow_of(s, OBJ, LIFT), "Lift follows no number"),
}


@pytest.mark.parametrize(("change", "said"), REFUSED.values(), ids=list(REFUSED))
def test_what_makes_no_sense_is_refused_by_name(led, change, said):
    with pytest.raises(EditRefused, match=said):
        change(led)


def test_a_lane_goes_when_a_target_begins_to_follow_and_a_chain_is_found_in_order(sheet):
    keyed = set_key(sheet, OBJ, SLIDE, Key(0, 1))
    scene = correctives.set_follow(keyed, OBJ, SLIDE, Follow("rotation.y", CURVE))
    assert scene.object(OBJ).lane(SLIDE) is None
    scene = correctives.set_follow(scene, OBJ, LIFT, Follow(SLIDE, CURVE))
    turned = set_value(scene, OBJ, "rotation.y", 0.75)
    assert values_at(turned.object(OBJ), 0.0)[LIFT] == pytest.approx(0.36)
    assert np.allclose(mixes_over(turned.object(OBJ), [0, 5])[0], mix_at(turned.object(OBJ), 0))


def test_points_are_set_and_a_locked_object_keeps_them(led):
    scene = correctives.set_follow_keys(led, OBJ, SLIDE, [Key(0.0, 1.0), Key(2.0, 0.0)])
    assert slide(scene, lift=0.0) == 1.0
    locked = led.with_object(replace(led.object(OBJ), locked=True))
    with pytest.raises(EditRefused, match="Sheet is locked"):
        correctives.set_follow_keys(locked, OBJ, SLIDE, [Key(0.0, 1.0)])
