"""What there is twice, a duplicate or all of another scene beside one, moves as the first does, and each by itself."""

import numpy as np
import pytest

from fictilis.core.animation.curve import Key
from fictilis.core.at_frame.pose import Pose
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.objects import duplicate_object, with_all_of
from fictilis.core.mix.channels import channels
from fictilis.core.scene.clips import choose_clip
from fictilis.formats.native import read_native, write_native
from tests.sameness import same

NAMES = ("Sheet", "Other", "Ball", "Third", "Frond", "Loop", "Bud")


def shown(scene, object_id, frame):
    obj = scene.object(object_id)
    return np.concatenate([Pose(scene, obj, frame).points, Pose(scene, obj, frame).drawn()])


def keyed_elsewhere(scene, object_id):
    """With another value on every lane of an object that slides."""
    for found in channels(scene.object(object_id)):
        if found.slides:
            scene = set_key(scene, object_id, found.id, Key(7, found.value + 0.25))
    return scene


@pytest.mark.parametrize("name", NAMES)
def test_a_duplicate_moves_as_the_first_in_every_clip_and_by_itself(everything, name, tmp_path):
    first = everything.object_named(name)
    scene, second = duplicate_object(everything, first.id)
    assert scene.object(second).name == f"{name} 2"
    assert [o.id for o in scene.objects].index(second) == [o.id for o in scene.objects].index(first.id) + 1
    write_native(tmp_path / "a.fictilis", scene)
    assert same(read_native(tmp_path / "a.fictilis"), scene)
    for clip in scene.clips:
        there = choose_clip(scene, clip.id)
        for frame in (0.0, 7.0, 30.0):
            assert np.allclose(shown(there, first.id, frame), shown(there, second, frame), atol=1e-9)
    edited = keyed_elsewhere(scene, second)
    assert edited.object(first.id) is scene.object(first.id) and edited.object(second) is not scene.object(second)


def test_all_of_another_scene_moves_beside_this_one_and_by_itself(everything, tmp_path):
    both = with_all_of(everything, everything)
    pairs = list(zip(both.objects, both.objects[len(everything.objects) :], strict=False))
    write_native(tmp_path / "a.fictilis", both)
    assert same(read_native(tmp_path / "a.fictilis"), both) and len(pairs) == len(everything.objects)
    for first, second in pairs:
        for frame in (0.0, 7.0, 30.0):
            assert np.allclose(shown(both, first.id, frame), shown(both, second.id, frame), atol=1e-9)
        edited = keyed_elsewhere(both, second.id)
        assert all(edited.object(o.id) is o for o, _ in pairs)
