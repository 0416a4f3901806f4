"""The public doors of the core refuse the wrong shape loudly, and the sample scene is what it says."""

import numpy as np
import pytest

from fictilis.core.at_frame.pose import evaluate
from fictilis.core.edits.objects import add_object, rename_object, set_transform
from fictilis.core.edits.targets import target_from_points
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.topology import edges, mesh_from_faces
from fictilis.core.ground.arrays import cached_by_identity, frozen
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.names import fresh_id, fresh_name
from fictilis.core.mix.delta_bank import DeltaBank
from fictilis.core.scene.places import Transform
from fictilis.core.scene.rules import Driver, Rule
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.shaping.mirror import mirror_map
from fictilis.demo.jelly import moon_jelly
from tests.mixes import mixes_over

WRONG = {
    "points of a target": lambda s: target_from_points(s, "o1", "T", np.zeros((24, 3))),
    "flat points": lambda s: target_from_points(s, "o1", "T", np.zeros(75)),
    "base of another count": lambda s: MorphObject("o2", "X", s.objects[0].mesh, np.zeros((24, 3))),
    "flat base": lambda s: MorphObject("o2", "X", s.objects[0].mesh, np.zeros(75)),
    "uvs without corners": lambda s: Mesh(3, [0, 1, 2], [0, 3], uvs=np.zeros((3, 2))),
    "uv corners too few": lambda s: Mesh(3, [0, 1, 2], [0, 3], uvs=np.zeros((3, 2)), uv_corners=[0, 1]),
    "uvs of three numbers": lambda s: Mesh(3, [0, 1, 2], [0, 3], uvs=np.zeros((3, 3)), uv_corners=[0, 1, 2]),
    "coefficients": lambda s: DeltaBank(s.objects[0]).mix(np.zeros((2, 1))),
}


@pytest.mark.parametrize("case", WRONG)
def test_wrong_shapes_say_what_was_expected(sheet, case):
    with pytest.raises(ValueError, match="expected|points|come together|corners, but"):
        WRONG[case](sheet)


def test_frozen_shares_what_is_read_only_and_copies_the_rest():
    mine = np.arange(6.0).reshape(2, 3)
    kept = frozen(mine, np.float64, 3)
    mine[0, 0] = 9
    assert kept[0, 0] == 0 and frozen(kept, np.float64, 3) is kept
    assert frozen([], np.float64, 3).shape == (0, 3)


def test_derived_values_are_made_once_for_each_value():
    calls = []

    class Value:
        pass

    made = cached_by_identity(lambda v: calls.append(v) or len(calls))
    a, b = Value(), Value()
    assert (made(a), made(a), made(b)) == (1, 1, 2)
    mesh = mesh_from_faces(3, [[0, 1, 2]])
    assert edges(mesh) is edges(mesh)


def test_names_and_ids_are_fresh():
    assert fresh_id("t", ["t1", "t7", "x9", "tt"]) == "t8" and fresh_id("t", []) == "t1"
    assert fresh_name("A", ["A", "A 2"]) == "A 3" and fresh_name("B", ["A"]) == "B"


def test_objects_are_renamed_and_never_flattened(sheet):
    with pytest.raises(EditRefused, match="scale"):
        set_transform(sheet, "o1", Transform(scale=(1, 0, 1)))
    with pytest.raises(EditRefused, match="letter"):
        rename_object(sheet, "o1", " ")
    more, _ = add_object(sheet, "Sheet", sheet.objects[0].mesh, sheet.objects[0].base)
    assert more.objects[1].name == "Sheet 2"
    with pytest.raises(EditRefused, match="already"):
        rename_object(more, "o2", "Sheet")


@pytest.mark.parametrize("find", [lambda s: s.object("o9"), lambda s: s.object_named("X"),
                                  lambda s: s.object("o1").target("t9"),
                                  lambda s: s.object("o1").target_named("X")])  # fmt: skip
def test_what_is_not_there_is_named(sheet, find):
    with pytest.raises(EditRefused, match="has no"):
        find(sheet)


def test_an_object_without_targets_or_points_evaluates():
    scene, _ = add_object(Scene(), "Empty", Mesh(0, [], [0]), np.zeros((0, 3)))
    assert evaluate(scene, 3)["Empty"].shape == (0, 3)
    assert mixes_over(scene.objects[0], [0, 1]).shape == (2, 0, 3)
    assert len(mirror_map(scene.objects[0])) == 0


def test_the_sample_is_a_bell_of_quads_with_its_targets():
    scene = moon_jelly()
    (bell,) = scene.objects
    assert (scene.name, scene.fps, scene.start, scene.end) == ("Moon jelly", 24, 0, 96)
    assert 5_500 < len(bell.base) < 6_200
    assert (bell.mesh.face_sizes == 4).mean() > 0.95
    assert [t.name for t in bell.targets] == ["Contract", "Flare", "Lean left", "Lean right", "Dome", "Sway", "Rim over arms"]
    contract = bell.target_named("Contract")
    assert [(s.at, s.name) for s in contract.in_betweens] == [(0.5, "rim curl")] and contract.path == "curved"
    rule = bell.target_named("Rim over arms").rule
    assert rule == Rule((Driver(contract.id, 1.0), Driver(bell.target_named("Lean left").id, 0.5)))
    ends = mixes_over(bell, [0, 96])
    assert np.array_equal(ends[0], ends[1])
    assert np.ptp(mixes_over(bell, range(0, 96, 8)), axis=0).max() > 5
    assert (mirror_map(bell)[: len(bell.base) // 2] >= 0).mean() > 0.5
