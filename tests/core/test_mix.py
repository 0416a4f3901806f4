import sys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from fictilis.core.at_frame.pose import evaluate, evaluate_frames
from fictilis.core.edits import targets as edits
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix import delta_bank as bank
from fictilis.core.mix.acting import shares
from fictilis.core.mix.coefficients import cardinals, columns
from fictilis.core.mix.delta_bank import DeltaBank, mixed_points
from fictilis.core.mix.shapes import full_shape
from fictilis.core.scene.scene import Deltas, InBetween

OBJ = "o1"


def mix(scene, **weights):
    obj = scene.object(OBJ)
    ids = {t.name: t.id for t in obj.targets}
    return mixed_points(obj, shares(obj, {ids[n]: w for n, w in weights.items()}))


def test_weight_0_is_the_base_and_1_the_target_exactly(sheet):
    obj = sheet.object(OBJ)
    assert np.array_equal(mix(sheet, Lift=0.0), obj.base)
    assert np.array_equal(mix(sheet, Lift=1.0), full_shape(obj, "t1"))


def test_two_targets_add_and_weights_go_beyond_the_range(sheet):
    base = sheet.object(OBJ).base
    both = mix(sheet, Lift=2.0, Slide=-1.0) - base
    assert np.allclose(both[:, 1], 20) and np.allclose(both[base[:, 0] > 0, 0], -4)


def test_adding_an_in_between_changes_nothing_until_it_is_shaped(sheet):
    before = {w: mix(sheet, Lift=w) for w in (-0.5, 0.2, 0.4, 0.8, 1.5)}
    for path in ("straight", "curved"):
        scene = edits.add_in_between(edits.set_path(sheet, OBJ, "t1", path), OBJ, "t1", 0.4)
        for weight, shape in before.items():
            assert np.allclose(mix(scene, Lift=weight), shape, atol=1e-12)


def test_at_its_weight_the_shape_is_the_in_between(sheet):
    scene = edits.add_in_between(sheet, OBJ, "t1", 0.5)
    for path in ("straight", "curved"):
        scene = edits.set_path(scene, OBJ, "t1", path)
        obj = scene.object(OBJ)
        assert np.allclose(mix(scene, Lift=0.5), full_shape(obj, "t1", 0.5), atol=1e-12)
    assert np.allclose(mix(edits.set_path(scene, OBJ, "t1", "straight"), Lift=0.75)[:, 1], 7.5)


@pytest.mark.parametrize("at", [0.0, 1.0, float("nan"), 1.0004])
def test_in_betweens_cannot_stand_at_0_or_1(sheet, at):
    with pytest.raises(EditRefused, match="Lift"):
        edits.add_in_between(sheet, OBJ, "t1", at)


def test_in_betweens_come_once_and_go(sheet):
    scene = edits.add_in_between(sheet, OBJ, "t1", 0.5)
    with pytest.raises(EditRefused, match="already"):
        edits.add_in_between(scene, OBJ, "t1", 0.5)
    assert edits.remove_in_between(scene, OBJ, "t1", 0.5).object(OBJ).target("t1").in_betweens == ()
    with pytest.raises(EditRefused):
        edits.remove_in_between(sheet, OBJ, "t1", 0.5)


@given(
    st.lists(st.sampled_from([-0.5, 0.25, 0.5, 0.75, 1.5]), max_size=4, unique=True),
    st.sampled_from(["straight", "curved"]),
    st.floats(-2, 3),
)
@settings(max_examples=200, deadline=None)
def test_cardinal_functions_are_one_at_their_knot_and_reproduce_straight_motion(inner, path, weight):
    knots = (*sorted(inner), 1.0)
    for number, knot in enumerate(knots):
        assert np.allclose(cardinals(knots, path, knot), np.eye(len(knots))[number], atol=1e-9)
    assert np.allclose(cardinals(knots, path, 0.0), 0, atol=1e-9)
    # stages that lie on the straight way leave it straight
    assert np.dot(cardinals(knots, path, weight), knots) == pytest.approx(weight, abs=1e-9)


def test_built_on_brings_the_parent_along_and_refuses_circles(sheet):
    scene = edits.set_built_on(sheet, OBJ, "t2", "t1")
    moved = mix(scene, Slide=0.5) - scene.object(OBJ).base
    assert np.allclose(moved[:, 1], 5)
    with pytest.raises(EditRefused, match="built on"):
        edits.set_built_on(scene, OBJ, "t1", "t2")
    with pytest.raises(EditRefused):
        edits.set_built_on(sheet, OBJ, "t1", "t1")


def test_removing_a_parent_keeps_the_full_shape_of_what_was_built_on_it(sheet):
    scene = edits.set_built_on(sheet, OBJ, "t2", "t1")
    before = full_shape(scene.object(OBJ), "t2")
    assert np.allclose(full_shape(edits.remove_target(scene, OBJ, "t1").object(OBJ), "t2"), before)


def test_mute_silences_only_its_own_target(sheet):
    scene = edits.set_muted(sheet, OBJ, "t1", True)
    assert np.array_equal(mix(scene, Lift=1.0), scene.object(OBJ).base)
    assert not np.array_equal(mix(scene, Lift=1.0, Slide=1.0), scene.object(OBJ).base)


@pytest.mark.parametrize("with_blas", [True, False])
def test_the_bank_agrees_with_the_plain_sum_however_it_got_there(with_blas, monkeypatch):
    if with_blas:
        import scipy.linalg.blas
        import scipy.sparse  # noqa: F401
    else:
        monkeypatch.setitem(sys.modules, "scipy.linalg.blas", None)
        monkeypatch.setitem(sys.modules, "scipy.sparse._sparsetools", None)
    from fictilis.core.edits.objects import add_object
    from fictilis.core.geometry.primitives import plane
    from fictilis.core.scene.scene import Scene

    rng = np.random.default_rng(1)
    points, mesh = plane(10, 10, 30, 30)
    scene, _ = add_object(Scene(), "P", mesh, points)
    for k in range(5):
        shape = points.copy()
        where = rng.choice(len(points), 20 + 20 * k, replace=False) if k % 2 else np.arange(0 if k else 40, 961 if k else 100)
        shape[where] += rng.normal(size=(len(where), 3))
        scene, _ = edits.target_from_points(scene, OBJ, f"T{k}", shape)
    obj = scene.object(OBJ)
    kinds = {type(c) for c in DeltaBank(obj)._columns}
    assert kinds == {bank._Span, bank._Scatter}
    quick = DeltaBank(obj, np.float32)
    shares = np.zeros(5)
    for step in range(150):
        shares[rng.integers(5)] = rng.normal() if step % 7 else 0.0
        assert np.abs(quick.mix(shares) - mixed_points(obj, shares)).max() < 2e-4
    assert np.abs(DeltaBank(obj).mix(shares) - mixed_points(obj, shares)).max() < 1e-12
    with pytest.raises(ValueError, match="5 coefficients"):
        quick.mix(np.zeros(4))


def test_a_bank_follows_an_object_whose_targets_change(sheet):
    """Reshaped, new, doubled and removed targets: the points are the mix, and ``touched`` names all that moved."""
    from fictilis.core.geometry.primitives import plane
    from fictilis.core.scene.scene import MorphObject, Target

    rng = np.random.default_rng(3)
    points, mesh = plane(10, 10, 60, 60)

    def bump() -> Deltas:
        near = np.linalg.norm(points - points[rng.integers(len(points))], axis=1) < rng.choice([0.8, 20])
        index = np.flatnonzero(near if rng.random() < 0.7 else rng.random(len(points)) < 0.05)
        return Deltas(index.astype(np.int32), rng.normal(size=(len(index), 3)))

    targets = [Target(f"t{k}", f"T{k}", bump(), "#aabbcc") for k in range(14)]
    obj = MorphObject(OBJ, "P", mesh, points, tuple(targets))
    quick, seen, shares = DeltaBank(obj, np.float32), points.astype(np.float32), rng.normal(size=14)
    followed = told = 0
    for step in range(150):
        what, at = str(rng.choice(["reshape", "new", "remove", "double", "mix", "none"])), int(rng.integers(len(targets)))
        if what == "reshape":
            targets[at] = replace(targets[at], deltas=bump())
        elif what in ("new", "double"):
            targets.insert(at, replace(targets[at], id=f"n{step}", deltas=bump() if what == "new" else targets[at].deltas))
        elif what == "remove" and len(targets) > 6:
            del targets[at]
        obj = replace(obj, targets=tuple(targets))
        if not quick.fits(obj):
            before, followed = quick.state, followed + 1
            assert quick.follow(obj) and quick.state is not before
        shares = np.resize(shares, len(targets))
        if what == "mix":
            shares = rng.normal(size=len(shares)) * (rng.random(len(shares)) < 0.8)
        now = quick.mix(shares)
        assert np.abs(now - mixed_points(obj, shares)).max() < 5e-5, (step, what)
        if quick.touched is not None:
            still = np.ones(len(points), bool)
            still[quick.touched] = False
            assert np.array_equal(now[still], seen[still]), (step, what)
            told += 1
        seen = now.copy()
    assert followed > 60 and told > 40
    assert not quick.follow(replace(obj, base=points.copy())) and not DeltaBank(obj).follow(obj)
    assert not quick.follow(replace(obj, targets=tuple(replace(t, deltas=bump()) for t in targets)))  # too many


def test_evaluate_frames_is_evaluate_at_each(sheet):
    from fictilis.core.animation.curve import Key
    from fictilis.core.edits.keys import set_key

    scene = set_key(set_key(sheet, OBJ, "t1", Key(0, 0)), OBJ, "t1", Key(24, 1))
    scene = edits.add_in_between(scene, OBJ, "t1", 0.5)
    frames = [0, 12.5, 24]
    many = evaluate_frames(scene, OBJ, frames)
    assert many.shape == (3, 25, 3) and many.dtype == np.float64
    for frame, shape in zip(frames, many, strict=True):
        assert np.allclose(evaluate(scene, frame)["Sheet"], shape, atol=1e-12)


def test_columns_come_in_betweens_first(sheet):
    scene = edits.add_in_between(sheet, OBJ, "t1", 0.5)
    assert [(c.target, c.at) for c in columns(scene.object(OBJ))] == [("t1", 0.5), ("t1", 1.0), ("t2", 1.0)]


def test_seen_mix_becomes_a_target(sheet):
    scene, new = edits.target_from_seen(sheet, OBJ, 0, {"t1": 0.5, "t2": 1.0})
    assert np.allclose(full_shape(scene.object(OBJ), new), mix(sheet, Lift=0.5, Slide=1.0))


def test_names_order_and_ranges(sheet):
    with pytest.raises(EditRefused, match="already"):
        edits.rename_target(sheet, OBJ, "t1", "Slide")
    with pytest.raises(EditRefused):
        edits.rename_target(sheet, OBJ, "t1", "  ")
    assert edits.rename_target(sheet, OBJ, "t1", " Up ").object(OBJ).target("t1").name == "Up"
    assert [t.id for t in edits.move_target(sheet, OBJ, "t1", 5).object(OBJ).targets] == ["t2", "t1"]
    with pytest.raises(EditRefused):
        edits.set_range(sheet, OBJ, "t1", 1, 1)
    with pytest.raises(EditRefused):
        edits.set_weight(sheet, OBJ, "t1", float("inf"))
    with pytest.raises(EditRefused):
        edits.set_path(sheet, OBJ, "t1", "wavy")
    scene, new = edits.new_target(sheet, OBJ, "Lift")
    assert scene.object(OBJ).target(new).name == "Lift 2"


@pytest.mark.parametrize(("weight", "stage", "own", "parent"), [
    (0.25, 0.5, 0, 0), (0.5, 1, 0, 0), (0.75, 0.5, 0.5, 0.5), (1, 0, 1, 1), (1.5, -1, 2, 2), (-0.5, -1, 0, 0),
])  # fmt: skip
def test_a_built_on_target_with_an_in_between_of_its_own(sheet, weight, stage, own, parent):
    """The in-between is a full shape, so what the target is built on comes in by the share of its full shape only."""
    scene = edits.add_in_between(edits.set_built_on(sheet, "o1", "t2", "t1"), "o1", "t2", 0.5)
    obj = scene.object("o1")
    bump = np.zeros_like(obj.base)
    bump[7] = [0, 0, 3]
    target = replace(obj.target("t2"), in_betweens=(InBetween(0.5, Deltas.from_dense(bump)),))
    obj = obj.with_target(target)
    mine, above = (obj.target(t).deltas.dense(len(obj.base)) for t in ("t2", "t1"))
    wanted = obj.base + stage * bump + own * mine + parent * above
    assert np.allclose(mixed_points(obj, shares(obj, {"t2": weight})), wanted, atol=1e-12)


def test_in_betweens_stand_apart_and_a_kept_mix_has_a_name_of_its_own(sheet):
    scene = edits.add_in_between(sheet, "o1", "t1", 0.5)
    for near in (0.5, 0.5004, 0.4996, 0.0004, 0.9996, float("nan")):
        with pytest.raises(EditRefused, match="in-between"):
            edits.add_in_between(scene, "o1", "t1", near)
    assert len(edits.add_in_between(scene, "o1", "t1", 0.5015).object("o1").target("t1").in_betweens) == 2
    for weight in (0.2, 0.9):
        scene = edits.keep_mix(scene, "o1", " Storm ", {"t1": weight})
    (mix,) = scene.object("o1").mixes
    assert mix.name == "Storm" and mix.weights == (("t1", 0.9),)
