"""What differs between two scenes, told in sentences: every field of the scene is told, and nothing else."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.checks import changes as told
from fictilis.core.checks.changes import OBJECT_WORDS, SCENE_WORDS, TARGET_WORDS, alike, changes
from fictilis.core.edits import clips, objects, targets, timeline
from fictilis.core.edits.deformers import change_deformer
from fictilis.core.edits.keys import delete_keys, set_key
from fictilis.core.edits.shape import move_shape
from fictilis.core.edits.timing import set_modifiers
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.operations import OPERATIONS
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, Target
from fictilis.core.scene.timeline import SceneCamera
from fictilis.demo.jelly import moon_jelly
from fictilis.formats.native import read_native, write_native
from tests.features import OBJ, ONE, made
from tests.operated import given_for, subject_for

MOVED = Deltas(np.array([0, 3]), np.array([[0, 2.0, 0], [0, 0, 1.0]]))


@pytest.fixture
def scene():
    return made("mesh")


SAID = {
    "base": (lambda s: move_shape(s, OBJ, ShapeRef(), MOVED), "The base of Ball was reshaped: 2 points, up to 2 cm."),
    "target": (lambda s: move_shape(s, OBJ, ShapeRef(ONE), MOVED), "Ball, One was reshaped: 2 points, up to 2 cm."),
    "new target": (lambda s: targets.new_target(s, OBJ, "Sniff")[0], "Ball: the target Sniff was added."),
    "gone target": (lambda s: targets.remove_target(s, OBJ, ONE), "Ball: the target One was removed."),
    "target name": (lambda s: targets.rename_target(s, OBJ, ONE, "First"), "Ball: One is called First."),
    "mute": (lambda s: targets.set_muted(s, OBJ, ONE, True), "Ball, One is muted."),
    "range": (lambda s: targets.set_range(s, OBJ, ONE, -1, 2), "Ball, One has another range."),
    "in-between": (lambda s: targets.add_in_between(s, OBJ, ONE, 0.4), "Ball, One has an in-between at 0.40."),
    "keys": (lambda s: set_key(set_key(s, OBJ, ONE, Key(4, 0.5)), OBJ, ONE, Key(8, 0.9)),
             "Ball: other keys on One (1 new, 1 changed)."),
    "no key": (lambda s: delete_keys(s, [k for k in all_keys(s) if k.frame == 8 and k.channel == ONE]),
               "Ball: other keys on One (1 gone)."),
    "no lane": (lambda s: delete_keys(s, [k for k in all_keys(s) if k.channel == ONE]), "Ball: One has no keys any more."),
    "new lane": (lambda s: set_key(s, OBJ, "opacity", Key(4, 0.5)), "Ball: Opacity has keys now."),
    "motion": (lambda s: set_modifiers(s, OBJ, ONE, (Modifier("offset"),)),
               "Ball: other keys on One (other motion laid over it)."),
    "object name": (lambda s: objects.rename_object(s, OBJ, "Globe"), "Ball is called Globe."),
    "hidden": (lambda s: objects.set_visible(s, OBJ, False), "Ball is hidden."),
    "locked": (lambda s: objects.set_locked(s, OBJ, True), "Ball is locked."),
    "gone": (lambda s: objects.remove_object(s, OBJ), "Ball was removed."),
    "points": (lambda s: OPERATIONS["mesh-subdivide"].make(subject(s)).scene, "Ball has 98 points, not 26."),
    "bend": (lambda s: change_deformer(s, OBJ, "bend", amount=4), "Ball has another bend, twist and taper."),
    "two": (lambda s: objects.set_visible(change_deformer(s, OBJ, "bend", amount=4), OBJ, False), "Ball is hidden."),
    "marker": (lambda s: timeline.set_marker(s, 4.0, "Here"), "Markers set: Here at 4."),
    "camera": (lambda s: timeline.add_camera(s, SceneCamera("", "Wide", (0, 0, 0), 9, 0, 0))[0], "The camera Wide was added."),
    "rate": (lambda s: replace(s, fps=30.0), "The rate is 30 frames a second, not 24."),
    "clip": (lambda s: clips.duplicate_clip(s, "Swim")[0], "The clip Swim was made."),
}  # fmt: skip


def all_keys(scene):
    from fictilis.core.mix.key_refs import KeyRef

    return [KeyRef(o.id, x.channel, k.frame) for o in scene.objects for x in o.lanes for k in x.curve.keys]


def subject(scene):
    from fictilis.core.operations.table import Subject

    return Subject(scene, OBJ)


@pytest.mark.parametrize("name", SAID)
def test_a_change_is_said_in_a_sentence(name, scene):
    change, sentence = SAID[name]
    after = change(scene)
    assert sentence in changes(scene, after) and changes(scene, scene) == changes(after, after) == []
    assert changes(after, scene)  # and so is the way back


def test_every_field_of_a_scene_is_told_by_name_or_in_words_of_its_own():
    for kind, words in ((Scene, SCENE_WORDS), (MorphObject, OBJECT_WORDS), (Target, TARGET_WORDS)):
        assert set(words) == set(kind.__struct_fields__), kind


def in_order(scene):
    """Without what is no difference: the order of lanes, and ids that are gone."""
    owners = [replace(o, lanes=tuple(sorted(o.lanes, key=lambda x: x.channel))) for o in (*scene.objects, *scene.cameras)]
    count = len(scene.objects)
    return replace(scene, id_floor=0, objects=tuple(owners[:count]), cameras=tuple(owners[count:]))


@pytest.mark.parametrize("operation", OPERATIONS.values(), ids=list(OPERATIONS))
def test_every_operation_leaves_a_sentence(operation, everything):
    subject = subject_for(operation, everything)
    after = operation.make(subject, given_for(operation, subject)).scene
    found = changes(subject.scene, after)
    same = alike(*(in_order(scene) for scene in (subject.scene, after)))
    assert bool(found) != same, (operation.id, found)
    assert all(s.endswith(".") and s[0].isupper() and len(s) < 400 for s in found)


def test_what_was_saved_and_read_again_has_no_changes(tmp_path):
    scene = moon_jelly()
    write_native(tmp_path / "a.fictilis", scene)
    assert changes(scene, read_native(tmp_path / "a.fictilis")) == []
    many = scene
    for target in scene.objects[0].targets[:6]:
        many = targets.set_range(many, scene.objects[0].id, target.id, -3, 3)
    assert [s.split(", ")[1] for s in changes(scene, many)] == [
        f"{t.name} has another range." for t in scene.objects[0].targets[:6]
    ]
    assert told._and(["a", "b", "c", "d", "e", "f", "g"]) == "a, b, c, d, e and 2 more"
