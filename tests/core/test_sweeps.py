"""Sweeps: what comes up behind a front, and every other feature it meets."""

import io

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from fictilis.core.animation.curve import Key
from fictilis.core.at_frame.fewer_bands import banded_words, with_bands
from fictilis.core.edits import correctives, relays, sweeps, targets, topology
from fictilis.core.edits import whole_shapes as whole
from fictilis.core.edits.keys import key_values, set_key
from fictilis.core.edits.shape import set_mask
from fictilis.core.geometry import carry
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.acting import share_of, shares_at, solo_shares, weights_at
from fictilis.core.mix.bands import band_deltas, sweep_of
from fictilis.core.mix.channels import set_value, values_at
from fictilis.core.mix.coefficients import columns
from fictilis.core.mix.delta_bank import DeltaBank
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.core.scene.appearance import Texture
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.sweep import Sweep
from fictilis.core.shaping import fields
from fictilis.formats.gltf import column_names, write_gltf
from fictilis.formats.native import read_native, write_native
from fictilis.render.dress import pixels_of
from tests.mixes import mix_at, mixes_over
from tests.sameness import same

OBJ, LIFT, SLIDE = "o1", "t1", "t2"
FRONT = "t1.front"


@pytest.fixture
def swept(sheet) -> Scene:
    """Lift (10 cm up) comes up along X, its weight 1."""
    obj = sheet.object(OBJ)
    scene = sweeps.set_sweep(sheet, OBJ, LIFT, Sweep(fields.along_axis(obj, 0), 0.5, 0.5))
    return set_value(scene, OBJ, LIFT, 1.0)


def up(scene: Scene, frame: float = 0.0) -> np.ndarray:
    """How far up each point is, as a part of Lift."""
    return (mix_at(scene.object(OBJ), frame) - scene.object(OBJ).base)[:, 1] / 10.0


def test_the_mask_is_the_profile_of_the_front_minus_the_field_at_every_point(swept):
    """Source: definition of a sweep in the model; between two bands it is interpolated."""
    field = swept.object(OBJ).target(LIFT).sweep.field
    for front in (-0.5, 0.0, 0.2, 0.5, 0.8, 1.0, 1.5):
        scene = set_value(swept, OBJ, FRONT, front)
        x = np.clip((front * 1.5 - field) / 0.5, 0, 1)
        assert np.abs(up(scene) - x * x * (3 - 2 * x)).max() < 2e-3
        straight = sweeps.change_sweep(scene, OBJ, LIFT, profile="linear")
        assert np.abs(up(straight) - x).max() < 2e-2
    assert not up(set_value(swept, OBJ, FRONT, 0.0)).any() and np.allclose(up(set_value(swept, OBJ, FRONT, 1.0)), 1)


def test_the_bands_sum_to_the_whole_and_each_shows_in_part_of_the_field(swept):
    target = swept.object(OBJ).target(LIFT)
    bands = band_deltas(target)
    assert np.allclose(sum(b.dense(25) for b in bands), target.deltas.dense(25), atol=1e-12)
    assert all((np.diff(b.indices) > 0).all() for b in bands)


@pytest.mark.parametrize("bands", [4, 12, 48, 200])
def test_fewer_bands_are_off_by_no_more_than_is_said(swept, bands):
    """Direct evaluation against the decomposition; linear interpolation of a smoothstep errs by h² · 6 / (8 · softness²)."""
    rng = np.random.default_rng(2)
    obj = swept.object(OBJ)
    scene = swept.with_object(obj.with_target(replace(obj.target(LIFT), sweep=Sweep(rng.random(25), 0.0, 0.4))))
    scene = set_key(set_key(scene, OBJ, FRONT, Key(0, 0.0, "linear")), OBJ, FRONT, Key(48, 1.0, "linear"))
    few = with_bands(scene.object(OBJ), bands)
    sweep = few.target(LIFT).sweep
    frames = np.arange(0, 49.0)
    front = values_at(few, frames)[FRONT]
    exact = sweep.passed(front, sweep.field)
    shown = (mixes_over(few, frames) - few.base)[:, :, 1].T / 10.0
    bound = 6 / 8 / (bands - 1) ** 2 / 0.4**2
    assert np.abs(shown - exact).max() <= bound + 1e-9
    said = banded_words(scene, scene.object(OBJ), bands)
    assert said.startswith(f"The sweep of Lift was cut into {bands} bands; points are up to")


MEETS = {
    "nothing": (lambda s: s, 1.0),
    "half its weight": (lambda s: set_value(s, OBJ, LIFT, 0.5), 0.5),
    "its group": (lambda s: _grouped(s, 0.25), 0.25),
    "mute": (lambda s: targets.set_muted(s, OBJ, LIFT, True), 0.0),
    "a mask": (lambda s: set_mask(s, OBJ, LIFT, np.full(25, 0.5)), 0.5),
    "scaled": (lambda s: whole.scale_deltas(s, OBJ, LIFT, 2.0), 2.0),
    "a new name": (lambda s: targets.rename_target(s, OBJ, LIFT, "Up"), 1.0),
    "a copy": (lambda s: whole.duplicate(s, OBJ, LIFT)[0], 1.0),
    "another removed": (lambda s: targets.remove_target(s, OBJ, SLIDE), 1.0),
    "a corrective of it": (lambda s: correctives.add_corrective(s, OBJ, {LIFT: 1.0})[0], 1.0),
    "a lane of its front": (lambda s: key_values(s, OBJ, 0.0, {FRONT: 0.5})[0], 1.0),
    "mirrored twice": (lambda s: whole.swap_sides(whole.swap_sides(s, OBJ, LIFT), OBJ, LIFT), 1.0),
}


def _grouped(scene: Scene, factor: float) -> Scene:
    scene, group = targets.group_targets(scene, OBJ, [LIFT])
    return targets.change_group(scene, OBJ, group, factor=factor)


@pytest.mark.parametrize(("change", "times"), MEETS.values(), ids=list(MEETS))
def test_what_a_sweep_meets(swept, change, times, tmp_path):
    before, changed = up(swept), change(swept)
    assert np.allclose(up(changed), times * before, atol=1e-9)
    bank = DeltaBank(changed.object(OBJ))
    assert np.allclose(bank.mix(shares_at(changed.object(OBJ), 0.0)), mix_at(changed.object(OBJ), 0.0))
    write_native(tmp_path / "s.fictilis", changed)
    assert same(read_native(tmp_path / "s.fictilis"), changed)


def test_mirrored_it_runs_the_other_way_and_topology_carries_its_field(swept):
    mirrored, image = whole.mirror_into_new(swept, OBJ, LIFT)
    field = mirrored.object(OBJ).target(image).sweep.field
    assert np.allclose(field, 1 - swept.object(OBJ).target(LIFT).sweep.field)
    fine = topology.carry_through(swept, OBJ, carry.subdivide(swept.object(OBJ).mesh, False))
    assert np.allclose(up(fine)[:25], up(swept), atol=1e-12) and len(fine.object(OBJ).target(LIFT).sweep.field) == 81


def test_what_is_built_on_a_swept_target_stays_whole(swept):
    both = set_value(whole.rebuild_on(swept, OBJ, SLIDE, LIFT), OBJ, SLIDE, 1.0)
    plain = set_value(swept, OBJ, SLIDE, 1.0)
    assert np.allclose(mix_at(both.object(OBJ), 0), mix_at(plain.object(OBJ), 0))


def test_one_takes_over_from_another_and_nothing_is_left_behind(swept):
    scene = sweeps.key_front(swept, OBJ, LIFT, 0.0, 20.0)
    scene = sweeps.sweep_after(scene, OBJ, SLIDE, LIFT, 12.0)
    obj = scene.object(OBJ)
    assert [k.frame for k in obj.lane("t2.front").curve.keys] == [12.0, 32.0] and obj.target(SLIDE).weight == 1.0
    moved = mixes_over(obj, [0, 20, 40]) - obj.base
    assert not moved[0].any() and np.allclose(moved[2], obj.target(SLIDE).deltas.dense(25))
    assert moved[1][:, 1].max() > 4 and moved[1][:, 1].min() < 10
    freed = targets.remove_target(scene, OBJ, SLIDE)
    assert freed.object(OBJ).target(LIFT).sweep.until is None and freed.object(OBJ).lane("t2.front") is None
    off = sweeps.set_sweep(scene, OBJ, SLIDE, None)
    assert off.object(OBJ).lane("t2.front") is None and np.allclose(up(off, 40.0), 1.0)


def test_to_be_shaped_it_is_shown_whole(swept):
    obj = swept.object(OBJ)
    assert share_of(obj, LIFT, 1.0, shares_at(obj, 0.0)) == 0.0
    lifted = solo_shares(obj, weights_at(obj, 0.0), LIFT, 1.0)
    assert share_of(obj, LIFT, 1.0, lifted) == 1.0


def test_gltf_gets_twelve_bands_with_keyed_weights(swept, tmp_path):
    import pygltflib

    scene = sweeps.key_front(replace(swept, start=0.0, end=24.0), OBJ, LIFT, 0.0, 24.0)
    said = write_gltf(tmp_path / "s.glb", scene)
    assert any("cut into 12 bands" in sentence for sentence in said)
    gltf = pygltflib.GLTF2().load(tmp_path / "s.glb")
    names = gltf.meshes[0].extras["targetNames"]
    assert names == column_names(with_bands(scene.object(OBJ), 12)) and names[:2] == ["Lift band 1", "Lift band 2"]
    assert len(names) == len(columns(with_bands(scene.object(OBJ), 12))) == 13 and gltf.animations


REFUSED = {
    "with in-betweens": (lambda s: sweeps.set_sweep(targets.add_in_between(s, OBJ, SLIDE, 0.5), OBJ, SLIDE, _sweep(25)),
                         "Slide has in-betweens"),
    "an in-between": (lambda s: targets.add_in_between(s, OBJ, LIFT, 0.5), "Lift has a sweep"),
    "built on": (lambda s: targets.set_built_on(s, OBJ, LIFT, SLIDE), "Lift has a sweep; take it off before it is built"),
    "other points": (lambda s: sweeps.set_sweep(s, OBJ, SLIDE, _sweep(24)), "over 24 points; Sheet has 25"),
    "beyond 1": (lambda s: sweeps.set_sweep(s, OBJ, SLIDE, Sweep(np.full(25, 1.5))), "must be from 0 to 1"),
    "too many bands": (lambda s: sweeps.change_sweep(s, OBJ, LIFT, bands=1000), "2 to 256 bands, not 1000"),
    "no profile": (lambda s: sweeps.change_sweep(s, OBJ, LIFT, profile="wavy"), "wide and wavy"),
    "a relay": (lambda s: relays.make_relay(s, OBJ, [LIFT, SLIDE]), "Lift has a sweep; take that off"),
    "itself": (lambda s: sweeps.sweep_after(s, OBJ, LIFT, LIFT, 3), "Lift cannot follow itself"),
    "not swept": (lambda s: sweep_of(s, OBJ, SLIDE), "Slide has no sweep"),
    "flat": (lambda s: fields.along_axis(s.object(OBJ), 1), "Y of Sheet is the same at every point"),
    "no pick": (lambda s: fields.from_points(s.object(OBJ), np.zeros(0, int), True), "Pick where the sweep begins"),
    "no mask": (lambda s: fields.from_mask(s.object(OBJ), None), "Paint a mask first"),
    "no image": (lambda s: fields.from_image(s.object(OBJ), None), "needs an image as its texture"),
}  # fmt: skip


def _sweep(count: int) -> Sweep:
    return Sweep(np.linspace(0, 1, count))


@pytest.mark.parametrize(("change", "said"), REFUSED.values(), ids=list(REFUSED))
def test_what_makes_no_sense_is_refused_by_name(swept, change, said):
    with pytest.raises(EditRefused, match=said):
        change(swept)


def made(scene: Scene, **values) -> np.ndarray:
    subject = Subject(scene, OBJ, (LIFT,), Pick("points", [0]), span=(0.0, 24.0), pixels=lambda: pixels_of(scene.object(OBJ)))
    return OPERATIONS["target-sweep"].make(subject, values).scene.object(OBJ).target(LIFT).sweep.field


def test_fields_run_along_axes_from_a_pick_by_a_mask_and_by_an_image(sheet):
    obj = sheet.object(OBJ)
    x = (obj.base[:, 0] - obj.base[:, 0].min()) / np.ptp(obj.base[:, 0])
    assert np.allclose(made(sheet, way="x"), x) and np.allclose(made(sheet, way="x", reverse=True), 1 - x)
    away = np.linalg.norm(obj.base - obj.base[0], axis=1)
    assert np.allclose(made(sheet, way="pick"), away / away.max())
    assert np.corrcoef(made(sheet, way="surface"), away)[0, 1] > 0.98
    noisy = made(sheet, way="x", noise=0.3)
    assert 0.01 < np.abs(noisy - x).max() < 0.6 and noisy.min() == 0 and noisy.max() == 1
    masked = set_mask(sheet, OBJ, LIFT, np.linspace(1.0, 0.25, 25))
    assert np.allclose(made(masked, way="mask"), np.linspace(0, 1, 25))
    picture = io.BytesIO()
    Image.fromarray(np.tile(np.linspace(255, 0, 64).astype(np.uint8)[None, :, None], (64, 1, 3))).save(picture, "PNG")
    look = replace(obj.appearance, texture=Texture("ramp", picture.getvalue()))
    by_image = made(sheet.with_object(replace(obj, appearance=look)), way="image")
    assert by_image.min() == 0 and by_image.max() == 1 and len(np.unique(np.round(by_image, 3))) > 3
