"""Targets that act alone, and targets whose shape stays as it is."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.at_frame.pose import Pose
from fictilis.core.edits import clips, keys, links, objects, shape, targets, topology, whole_shapes
from fictilis.core.edits.forms import add_form
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import channels
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.core.scene.scene import Scene
from fictilis.core.validity.scenes import check
from fictilis.formats.native import write_native

OBJ = "o1"


@pytest.fixture
def scene():
    scene, obj = add_form(Scene(), "Ball", {"radius": 4.0, "segments": 2})
    for name, way in (("Out", (1, 0, 0)), ("Up", (0, 1, 0)), ("Near", (0, 0, 1))):
        scene, made = targets.target_from_points(scene, obj, name, scene.object(obj).base + np.array(way, float))
        scene = targets.set_weight(scene, obj, made, 1.0)
    return scene


@pytest.mark.parametrize(
    ("solo", "muted", "moves"),
    [((), (), (1, 1, 1)), ((0,), (), (1, 0, 0)), ((0, 2), (), (1, 0, 1)), ((1,), (1,), (0, 0, 0)), ((2,), (0,), (0, 0, 1))],
)
def test_only_solo_targets_act_and_a_muted_one_never(scene, solo, muted, moves):
    ids = [t.id for t in scene.object(OBJ).targets]
    for number in solo:
        scene = targets.set_solo(scene, OBJ, ids[number], True)
    for number in muted:
        scene = targets.set_muted(scene, OBJ, ids[number], True)
    obj = scene.object(OBJ)
    assert np.allclose(Pose(scene, obj, 0.0).mixed - obj.base, moves)
    quiet = {c.id: c.quiet for c in channels(obj)}
    assert [quiet[i] for i in ids] == [not m for m in moves]


def test_solo_is_of_one_object(scene):
    scene, other = objects.duplicate_object(scene, OBJ)
    scene = targets.set_solo(scene, OBJ, "t1", True)
    obj = scene.object(other)
    assert np.allclose(Pose(scene, obj, 0.0).mixed - obj.base, (1, 1, 1))


def stroke(scene):
    return shape.move_shape(scene, OBJ, ShapeRef("t1"), np.ones_like(scene.object(OBJ).base))


REFUSED = {
    "stroke": stroke,
    "mask": lambda s: shape.set_mask(s, OBJ, "t1", np.zeros(len(s.object(OBJ).base))),
    "in-between": lambda s: targets.add_in_between(s, OBJ, "t1", 0.5),
    "built on": lambda s: targets.set_built_on(s, OBJ, "t1", "t2"),
    "remove": lambda s: targets.remove_target(s, OBJ, "t1", 0.0),
    "scale": lambda s: whole_shapes.scale_deltas(s, OBJ, "t1", 0.5),
}
ALLOWED = {
    "weight": lambda s: targets.set_weight(s, OBJ, "t1", 0.3),
    "key": lambda s: keys.set_key(s, OBJ, "t1", keys.Key(3, 1.0)),
    "name": lambda s: targets.rename_target(s, OBJ, "t1", "Wide"),
    "mute": lambda s: targets.set_muted(s, OBJ, "t1", True),
    "range": lambda s: targets.set_range(s, OBJ, "t1", -1.0, 2.0),
    "group": lambda s: targets.group_targets(s, OBJ, ["t1"], "G")[0],
    "base, keeping shapes": lambda s: shape.move_shape(s, OBJ, ShapeRef(), np.ones_like(s.object(OBJ).base), shape.STAY),
    "another target": lambda s: shape.move_shape(s, OBJ, ShapeRef("t2"), np.ones_like(s.object(OBJ).base)),
    "mesh": lambda s: topology.set_size(s, OBJ, (20.0, 20.0, 20.0)),
    "copy of it": lambda s: whole_shapes.duplicate(s, OBJ, "t1")[0],
    "clip": lambda s: clips.duplicate_clip(s, "Other")[0],
    "link": lambda s: links.link_targets(*second(s)),
    "the object removed": lambda s: objects.remove_object(s, OBJ),
    "unlock": lambda s: targets.lock_target(s, OBJ, "t1", False),
}


def second(scene):
    scene, other = objects.duplicate_object(scene, OBJ)
    return scene, [(OBJ, "t1"), (other, "t1")]


@pytest.mark.parametrize("name", [*REFUSED, *ALLOWED])
def test_a_lock_keeps_the_shape_and_nothing_else(scene, name):
    scene = targets.lock_target(scene, OBJ, "t1", True)
    after = (REFUSED | ALLOWED)[name](scene)
    if name in ALLOWED:
        check(after, scene)
        return
    with pytest.raises(EditRefused, match="Out is locked; unlock it"):
        check(after, scene)
    free = targets.lock_target(scene, OBJ, "t1", False)
    check(REFUSED[name](free), free)


def test_a_copy_of_a_locked_solo_target_is_free_and_acts_with_the_solo_ones(scene):
    scene = targets.set_solo(targets.lock_target(scene, OBJ, "t1", True), OBJ, "t1", True)
    scene, made = whole_shapes.duplicate(scene, OBJ, "t1")
    copy = scene.object(OBJ).target(made)
    assert (copy.locked, copy.solo) == (False, True)


@pytest.mark.parametrize(
    ("verb", "part", "value"), [("solo", "solo", True), ("lock", "locked", True), ("note", "note", "Soft")]
)
def test_each_is_an_operation_and_a_change_that_is_told(scene, verb, part, value):
    from fictilis.core.checks.changes import changes

    given = {"note": "Soft"} if verb == "note" else {}
    made = OPERATIONS[f"target-{verb}"].make(Subject(scene, OBJ, targets=("t1",)), given)
    after = made.scene
    assert getattr(after.object(OBJ).target("t1"), part) == value and changes(scene, after)
    assert replace(after.object(OBJ).target("t1"), **{part: getattr(scene.object(OBJ).target("t1"), part)}).name == "Out"


def test_the_command_line_makes_and_tells_them(scene, tmp_path, capsys):
    from fictilis.cli import main

    file = str(tmp_path / "s.fictilis")
    write_native(tmp_path / "s.fictilis", scene)
    for words in (["solo"], ["lock"], ["note", "--note", "Softer"]):
        assert main(["target", file, "--object", "Ball", "--target", "Out", *words]) == 0
    assert main(["target", file, "--object", "Ball", "--target", "Out", "scale", "--factor", "0.5"]) == 2
    assert "Out is locked; unlock it first." in capsys.readouterr().err
    assert main(["info", file]) == 0
    told = capsys.readouterr().out
    assert ", solo, locked; note: Softer" in told and told.count("silent while others are solo") == 2
