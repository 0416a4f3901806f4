"""Correctives: what drives them, what they come to, and every other feature they meet."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.checks.checks import run_checks
from fictilis.core.edits import correctives, targets, topology
from fictilis.core.edits import whole_shapes as whole
from fictilis.core.edits.keys import key_values, set_key
from fictilis.core.edits.shape import set_mask
from fictilis.core.edits.timing import paste_keys
from fictilis.core.geometry import carry
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import set_value, values_at
from fictilis.core.mix.following import rule_of
from fictilis.core.scene.rules import Driver, Rule
from fictilis.core.scene.scene import Scene
from fictilis.formats.native import read_native, write_native
from fictilis.formats.tracks import weight_track
from tests.formats.gltf_player import play
from tests.mixes import mix_at
from tests.sameness import same

OBJ, LIFT, SLIDE = "o1", "t1", "t2"


@pytest.fixture
def both(sheet) -> tuple[Scene, str]:
    """The sheet with a corrective of Lift at 1 and Slide at 0.6 that moves everything by 2 along Z."""
    scene, fix = correctives.add_corrective(sheet, OBJ, {LIFT: 1.0, SLIDE: 0.6})
    moved = scene.object(OBJ).base + [0, 0, 2.0]
    shaped, made = targets.target_from_points(scene, OBJ, "Way", moved)
    return targets.remove_target(whole.copy_deltas(shaped, OBJ, made, fix), OBJ, made), fix


def at(scene: Scene, fix: str, **weights: float) -> float:
    return values_at(scene.object(OBJ), 0.0, {LIFT: weights.get("lift", 0.0), SLIDE: weights.get("slide", 0.0)})[fix]


def test_a_corrective_acts_by_the_product_of_clamped_weights(both):
    """Formula: Π clamp(w_i / a_i, 0, 1) (common practice, no published source); over random weights, numbers and arrays."""
    scene, fix = both
    rng = np.random.default_rng(5)
    rows = rng.uniform(-1, 2, (200, 2))
    for lift, slide in rows:
        wanted = np.clip(lift / 1.0, 0, 1) * np.clip(slide / 0.6, 0, 1)
        assert at(scene, fix, lift=lift, slide=slide) == pytest.approx(wanted, abs=1e-12)
    small = correctives.set_how(scene, OBJ, fix, "smallest")
    posed = {LIFT: rows[:, 0], SLIDE: rows[:, 1]}
    over = values_at(small.object(OBJ), np.zeros(200), posed)[fix]
    assert np.allclose(over, np.minimum(np.clip(rows[:, 0], 0, 1), np.clip(rows[:, 1] / 0.6, 0, 1)), atol=1e-12)


def test_a_driver_may_be_a_weight_that_is_passed(both):
    scene, fix = both
    scene = correctives.set_driver(scene, OBJ, fix, LIFT, at=0.5, width=0.25)
    found = [at(scene, fix, lift=w, slide=0.6) for w in (0, 0.25, 0.375, 0.5, 0.75, 1)]
    assert np.allclose(found, [0, 0, 0.5, 1, 0, 0])


def test_the_shape_is_the_mix_and_the_corrective_by_its_weight(both):
    scene, _fix = both
    scene = set_value(set_value(scene, OBJ, LIFT, 0.5), OBJ, SLIDE, 0.3)
    moved = mix_at(scene.object(OBJ), 0) - scene.object(OBJ).base
    assert np.allclose(moved[:, 1], 5.0) and np.allclose(moved[:, 2], 2.0 * 0.5 * 0.5)


@pytest.mark.parametrize(
    ("change", "acts"),
    [
        (lambda s, f: s, 1.0),
        (lambda s, f: targets.set_muted(s, OBJ, LIFT, True), 0.0),
        (lambda s, f: targets.set_muted(s, OBJ, f, True), 0.0),
        (lambda s, f: targets.change_group(*_grouped(s, [SLIDE]), factor=0.5), 0.5),
        (lambda s, f: targets.change_group(*_grouped(s, [f]), factor=0.25), 0.25),
        (lambda s, f: set_mask(s, OBJ, f, np.full(25, 0.5)), 0.5),
        (lambda s, f: whole.scale_deltas(s, OBJ, f, 3.0), 3.0),
        (lambda s, f: targets.add_in_between(s, OBJ, f, 0.5), 1.0),
        (lambda s, f: targets.add_in_between(s, OBJ, LIFT, 0.5), 1.0),
        (lambda s, f: targets.set_built_on(s, OBJ, SLIDE, LIFT), 1.0),
        (lambda s, f: targets.rename_target(s, OBJ, LIFT, "Up"), 1.0),
        (lambda s, f: targets.move_target(s, OBJ, f, 0), 1.0),
        (lambda s, f: whole.duplicate(s, OBJ, f)[0], 1.0),
        (lambda s, f: whole.mirror_into_new(s, OBJ, f)[0], 1.0),
        (lambda s, f: whole.split_sides(s, OBJ, f, 4.0)[0], 1.0),
        (lambda s, f: whole.split_sides(s, OBJ, LIFT, 4.0)[0], 1.0),
        (lambda s, f: targets.remove_target(s, OBJ, LIFT), 1.0),
        (lambda s, f: targets.remove_target(targets.remove_target(s, OBJ, LIFT), OBJ, SLIDE), 0.0),
        (lambda s, f: correctives.set_rule(s, OBJ, f, None, 0.75), 0.75),
        (lambda s, f: topology.carry_through(s, OBJ, carry.subdivide(s.object(OBJ).mesh, False)), 1.0),
    ],
)  # fmt: skip
def test_what_a_corrective_meets(both, change, acts, tmp_path):
    """How much of its 2 cm along Z shows at the mix it was made for; and the file gives the same."""
    scene, fix = both
    scene = set_value(set_value(scene, OBJ, LIFT, 1.0), OBJ, SLIDE, 0.6)
    scene = change(scene, fix)
    obj = scene.object(OBJ)
    assert np.allclose((mix_at(obj, 0) - obj.base)[:, 2], 2.0 * acts, atol=1e-9)
    write_native(tmp_path / "s.fictilis", scene)
    again = read_native(tmp_path / "s.fictilis")
    assert same(again, scene) and np.array_equal(mix_at(again.object(OBJ), 0), mix_at(obj, 0))


def _grouped(scene: Scene, members: list[str]) -> tuple[Scene, str, str]:
    scene, group = targets.group_targets(scene, OBJ, members)
    return scene, OBJ, group


def test_a_mirrored_corrective_is_driven_by_the_other_side(sheet):
    scene = targets.rename_target(targets.rename_target(sheet, OBJ, LIFT, "Lean left"), OBJ, SLIDE, "Lean right")
    scene, fix = correctives.add_corrective(scene, OBJ, {LIFT: 1.0}, "Rim left")
    scene, image = whole.mirror_into_new(scene, OBJ, fix)
    target = scene.object(OBJ).target(image)
    assert target.name == "Rim right" and target.rule == Rule((Driver(SLIDE, 1.0),))


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda s, f: set_value(s, OBJ, f, 0.5), "Lift with Slide is driven by Lift and Slide; it has no weight of its own"),
        (lambda s, f: targets.set_weight(s, OBJ, f, 0.5), "driven by Lift and Slide"),
        (lambda s, f: set_key(s, OBJ, f, Key(0, 1)), "driven by Lift and Slide"),
        (lambda s, f: key_values(s, OBJ, 0, {f: 1.0}), "driven by Lift and Slide"),
        (lambda s, f: paste_keys(s, OBJ, {f: [Key(0, 1)]}, 3), "driven by Lift and Slide"),
        (lambda s, f: correctives.set_driver(s, OBJ, f, f), "cannot drive itself"),
        (lambda s, f: correctives.set_driver(s, OBJ, f, LIFT, at=0.0), "Lift cannot drive Lift with Slide in full at 0"),
        (lambda s, f: correctives.set_driver(s, OBJ, f, LIFT, width=-1.0), "must fade within a weight above 0"),
        (lambda s, f: correctives.set_how(s, OBJ, f, "sum"), "use product or smallest"),
        (lambda s, f: correctives.drop_driver(correctives.drop_driver(s, OBJ, f, LIFT), OBJ, f, SLIDE), "the only driver"),
        (lambda s, f: rule_of(s, OBJ, LIFT), "Lift is no corrective"),
        (lambda s, f: correctives.add_corrective(s, OBJ, {}), "needs a target that drives it"),
    ],
)  # fmt: skip
def test_what_makes_no_sense_is_refused_by_name(both, change, said):
    with pytest.raises(EditRefused, match=said):
        change(*both)


def test_a_circle_is_refused_by_name_and_a_chain_is_found_in_order(both):
    scene, fix = both
    scene, third = correctives.add_corrective(scene, OBJ, {fix: 0.5, SLIDE: 0.6}, "Third")
    assert at(scene, third, lift=0.25, slide=0.6) == pytest.approx(0.5)
    with pytest.raises(EditRefused, match="Third drives Lift with Slide drives Third|Lift with Slide drives Third drives"):
        correctives.set_driver(scene, OBJ, fix, third)


def test_a_lane_goes_when_a_target_gets_a_rule(both):
    scene, _fix = both
    keyed = set_key(scene, OBJ, SLIDE, Key(0, 1))
    ruled = correctives.set_rule(keyed, OBJ, SLIDE, Rule((Driver(LIFT),)))
    assert ruled.object(OBJ).lane(SLIDE) is None and keyed.object(OBJ).lane(SLIDE) is not None


@pytest.mark.parametrize("kind", ["linear", "hold", "smooth"])
def test_a_standard_player_shows_the_same_corrective(both, kind):
    """Exact where drivers are straight or held (their product is of the second degree); curved ones are sampled."""
    scene, _fix = both
    for frame, lift, slide in ((0, 0.0, 0.9), (24, 1.5, 0.3), (48, 0.0, 0.0)):
        scene = set_key(set_key(scene, OBJ, LIFT, Key(frame, lift, kind)), OBJ, SLIDE, Key(frame, slide, kind))
    obj, frames = scene.object(OBJ), np.linspace(0, 48, 577)
    track = weight_track(scene, obj)
    wanted = np.stack([evaluate_weights(obj, float(f)) for f in frames])
    apart = np.abs(play(track, frames / scene.fps) - wanted).max(axis=1)
    assert apart[np.abs(frames % 24) > 0.01].max() < (1e-6 if kind != "smooth" else 4e-3)


def evaluate_weights(obj, frame: float) -> np.ndarray:
    found = values_at(obj, frame)
    return np.array([found[t.id] for t in obj.targets])


def test_a_corrective_that_never_acts_is_found(both):
    scene, _fix = both
    alone = set_key(scene, OBJ, LIFT, Key(0, 1))
    (found,) = run_checks(alone, only=("correctives",))
    assert found.sentence == "Lift with Slide never acts: Lift and Slide are never up together."
    assert not run_checks(set_key(alone, OBJ, SLIDE, Key(0, 1)), only=("correctives", "idle"))


def test_an_object_that_is_locked_keeps_its_rules(both):
    scene, fix = both
    locked = scene.with_object(replace(scene.object(OBJ), locked=True))
    with pytest.raises(EditRefused, match="Sheet is locked"):
        correctives.set_how(locked, OBJ, fix, "smallest")
