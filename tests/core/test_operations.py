"""Every operation of the table, by the same tests: it runs, is saved and opened, keeps to locks, and refuses bad numbers."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.at_frame.pose import evaluate
from fictilis.core.edits.correctives import set_follow
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.targets import new_target
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Choice, Flag, Number, Span
from fictilis.core.mix.channels import values_at
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.core.scene.rules import Follow
from fictilis.core.validity.targets import followed
from fictilis.formats.native import read_native, write_native
from fictilis.formats.registry import export, scene_from_file
from tests.operated import OBJ, ONE, given_for, subject_for
from tests.sameness import same

FREE = {"target-mute", "target-solo", "target-lock", "target-note",
        "target-group-factor", "target-range", "object-keep-mix", "object-drop-mix", "object-put-back",
        "object-blend-mixes", "object-keep-pick", "object-drop-pick", "object-lock", "object-rename",
        "object-remove", "line-from-edges", "line-tube-mesh", "line-fill", "target-link", "target-link-names", "target-unlink",
        "relay-put", "relay-spread", "relay-on", "relay-path"}  # fmt: skip
HELD = {"object-sort-targets", "object-new-targets"}


@pytest.mark.parametrize("operation", OPERATIONS.values(), ids=list(OPERATIONS))
def test_an_operation_runs_and_what_it_made_is_saved_and_opened(operation, everything, tmp_path):
    subject = subject_for(operation, everything)
    assert not operation.missing(subject)
    made = operation.make(subject, given_for(operation, subject))
    assert made.scene is not everything or made.said
    label = operation.says(
        operation.done or operation.label, subject, operation.completed(subject, given_for(operation, subject))
    )
    assert label and "{" not in label and "{" not in operation.says(operation.title or operation.label, subject)
    write_native(tmp_path / "s.fictilis", made.scene)
    assert same(read_native(tmp_path / "s.fictilis"), made.scene)
    if made.pick is not None:
        assert made.pick.kind == subject.kind or not len(made.pick)
    assert all(made.scene.object(subject.obj.id).target(t) for t in made.targets or ())


@pytest.mark.parametrize("operation", OPERATIONS.values(), ids=list(OPERATIONS))
def test_a_locked_object_keeps_its_shapes_targets_and_mesh(operation, everything):
    """Weights, keys, ranges, kept picks and mixes stay free."""
    locked = everything
    for object_id in (OBJ, "o2", everything.object_named("Frond").id):
        locked = locked.with_object(replace(locked.object(object_id), locked=True))
    subject = subject_for(operation, locked)
    given = given_for(operation, subject)
    held = operation.part in ("target", "relay", "mesh", "line", "shape") or operation.id in HELD
    if held and operation.id not in FREE:
        with pytest.raises(EditRefused, match="(Sheet|Frond) is locked; unlock it in the list of objects first"):
            operation.make(subject, given)
    else:
        operation.make(subject, given)


NUMBERS = [(o, p) for o in OPERATIONS.values() for p in o.parameters if isinstance(p, Number | Span)]


@pytest.mark.parametrize(("operation", "parameter"), NUMBERS, ids=[f"{o.id}-{p.name}" for o, p in NUMBERS])
def test_a_number_out_of_bounds_is_refused_in_a_sentence(operation, parameter, everything):
    subject = subject_for(operation, everything)
    wrong = [np.nan, np.inf, "much", 1e300, -1e300]
    if isinstance(parameter, Number):
        wrong += [parameter.low - 1, parameter.high + 1]
    for value in wrong:
        asked = value if isinstance(parameter, Number) else (0.0, value)
        with pytest.raises(EditRefused) as refused:
            operation.make(subject, given_for(operation, subject) | {parameter.name: asked})
        assert parameter.label in str(refused.value) and len(str(refused.value)) <= 300 and str(refused.value).endswith(".")


@pytest.mark.parametrize("operation", OPERATIONS.values(), ids=list(OPERATIONS))
def test_what_an_operation_needs_is_said_where_it_is_missing(operation, sheet):
    bare = Subject(replace(sheet, objects=()))
    if operation.needs:
        assert operation.missing(bare).endswith(".")
        with pytest.raises(EditRefused):
            operation.make(bare)
    with pytest.raises(EditRefused, match="takes no nonsense"):
        operation.completed(Subject(bare.scene), {"nonsense": 1})


def test_every_flag_and_choice_has_words_of_its_own():
    for operation in OPERATIONS.values():
        names = [p.name for p in operation.parameters]
        assert len(names) == len(set(names)) and operation.label[0].isupper()
        for p in operation.parameters:
            if isinstance(p, Choice):
                assert len({w for w, _, _ in p.options}) == len(p.options)
            assert not (isinstance(p, Flag) and p.needed)


def test_a_new_target_of_the_command_line_is_named_in_its_own_object(everything):
    """Ids count for each object: another object has a target of the same id, and keeps its name."""
    for verb in ("duplicate", "mirror"):
        subject = replace(subject_for(OPERATIONS[f"target-{verb}"], everything), targets=(ONE,))
        made = OPERATIONS[f"target-{verb}"].make(subject, {"name": "Brand new"})
        assert made.scene.object(OBJ).target(made.made).name == "Brand new"
        assert made.scene.objects[1] is everything.objects[1]


def sources(obj) -> list[str]:
    """Every kind of number that a weight of an object can follow: one of each."""
    kinds = {s.split(".")[0] if not s.startswith("angle") else s: s for s in followed(obj)}
    return [*kinds.values(), *(t.id for t in obj.targets[:1])]


@pytest.mark.parametrize("operation", OPERATIONS.values(), ids=list(OPERATIONS))
def test_what_follows_a_number_outlives_every_operation_that_takes_it_away(operation, everything, tmp_path):
    """With a target that follows each number of its object, an operation is refused, or what it makes can be saved, opened and
    drawn; where the number went, the follower keeps its weight."""
    subject = subject_for(operation, everything)
    if subject.found is None or subject.found.locked:
        return
    followers = {}
    scene = subject.scene
    for source in sources(subject.obj):
        follow = Follow(source, AnimationCurve((Key(-1, 0.3, "linear"), Key(1, 0.7, "linear"))))
        scene, made = new_target(scene, subject.object_id, f"After {source}")
        scene = set_follow(scene, subject.object_id, made, follow)
        followers[made] = source
    subject = replace(subject, scene=scene)
    before = values_at(subject.obj, 3.0, fps=scene.fps)
    try:
        made = operation.make(replace(subject, frame=3.0) if operation.id == "target-remove" else subject,
                              given_for(operation, subject))  # fmt: skip
    except EditRefused:
        return
    write_native(tmp_path / "s.fictilis", made.scene)
    read = read_native(tmp_path / "s.fictilis")
    evaluate(read, 3.0)
    left = next((o for o in read.objects if o.id == subject.object_id), None)
    for target_id, _source in followers.items() if left is not None else ():
        target = next((t for t in left.targets if t.id == target_id), None)
        if target is not None and target.follows is None and operation.id not in ("target-plain", "target-follow"):
            assert abs(values_at(left, 3.0, fps=scene.fps)[target_id] - before[target_id]) < 1e-9


def test_an_export_of_what_leads_a_weight_by_its_taper_is_whole(everything, tmp_path):
    third = everything.object_named("Third")
    scene, made = new_target(everything, third.id, "After the taper")
    scene = set_key(set_key(scene, third.id, "taper", Key(0, 0.0)), third.id, "taper", Key(20, 0.6))
    scene = set_follow(scene, third.id, made, Follow("taper", AnimationCurve((Key(0, 0.0), Key(1, 1.0)))))
    for suffix in (".glb", ".usda"):
        export(scene, tmp_path / f"out{suffix}")
        assert scene_from_file(tmp_path / f"out{suffix}")[0].object_named("Third").target_named("After the taper")
