"""Linked targets: one weight and one lane for targets of several objects, kept alike by every edit there is."""

import numpy as np
import pytest
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.at_frame.pose import evaluate
from fictilis.core.edits import clips, correctives, keys, links, relays, targets, timeline, timing
from fictilis.core.edits import whole_shapes as whole
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.objects import add_object, remove_object, with_all_of
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import ChannelRef, set_value, values_at
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.table import Subject
from fictilis.core.scene.clips import choose_clip
from fictilis.core.scene.rigs import turn_id
from fictilis.core.scene.rules import Driver, Rule
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.shared_lanes import partners
from fictilis.formats.native import read_native, write_native
from tests.rigged import rigged
from tests.sameness import same

SKIN, TEETH, LID = "o1", "o2", "o3"


@pytest.fixture
def parts(sheet) -> Scene:
    """Three objects; Lift stands in all of them, keyed in the first, and is linked."""
    base, mesh = sheet.object(SKIN).base, sheet.object(SKIN).mesh
    scene = sheet
    for name, way in (("Teeth", [0, 2, 0]), ("Lid", [0, 0, 3])):
        scene, made = add_object(scene, name, mesh, base)
        scene, _ = targets.target_from_points(scene, made, "Lift", base + way)
    scene = set_key(set_key(scene, SKIN, "t1", Key(0, 0, "linear")), SKIN, "t1", Key(10, 1, "linear"))
    scene, named = links.link_equal_names(scene, SKIN)
    assert named == ["Lift"]
    return scene


def alike(scene: Scene) -> bool:
    rows = [(o.lane("t1") and (o.lane("t1").curve, o.lane("t1").modifiers), o.target("t1").weight) for o in scene.objects]
    return all(row == rows[0] for row in rows)


CHANGES = {
    "linked": lambda s: s,
    "a key": lambda s: set_key(s, TEETH, "t1", Key(20, 0.5)),
    "a key with the guard": lambda s: keys.key_values(s, LID, 30.0, {"t1": 0.2})[0],
    "keys moved": lambda s: keys.move_keys(s, [KeyRef(SKIN, "t1", 10.0)], 4.0, 0.1)[0],
    "keys gone": lambda s: keys.delete_keys(s, [KeyRef(LID, "t1", 0.0), KeyRef(LID, "t1", 10.0)]),
    "an ease": lambda s: keys.set_interpolation(s, [KeyRef(TEETH, "t1", 0.0)], "ease", "bounce-out"),
    "a way on": lambda s: keys.set_beyond(s, TEETH, "t1", after="repeat"),
    "a spring": lambda s: timing.set_modifiers(s, LID, "t1", (Modifier("spring"),)),
    "baked": lambda s: timing.bake(s, [(LID, "t1")], 0, 10),
    "retimed": lambda s: timing.retime(s, [(SKIN, "t1")], 0, 10, 0, 30),
    "staggered with others": lambda s: timing.stagger(s, [(TEETH, "t1")], 3),
    "a rate": lambda s: timeline.set_rate(s, 30.0, True),
    "a weight": lambda s: set_value(s, TEETH, "t1", 0.4),
    "a weight of a target": lambda s: targets.set_weight(s, LID, "t1", 0.7),
    "a new name": lambda s: targets.rename_target(s, TEETH, "t1", "Up"),
    "a lock": lambda s: set_key(s.with_object(replace(s.object(TEETH), locked=True)), SKIN, "t1", Key(5, 0.3)),
}


@pytest.mark.parametrize("change", CHANGES.values(), ids=list(CHANGES))
def test_every_edit_of_one_is_an_edit_of_all(parts, change, tmp_path):
    scene = change(parts)
    assert alike(scene)
    write_native(tmp_path / "s.fictilis", scene)
    assert same(read_native(tmp_path / "s.fictilis"), scene)


def test_each_object_has_its_own_shape(parts):
    moved = {name: points - parts.object(SKIN).base for name, points in evaluate(parts, 5.0).items()}
    assert np.allclose(moved["Sheet"], [0, 5, 0]) and np.allclose(moved["Teeth"], [0, 1, 0])
    assert np.allclose(moved["Lid"], [0, 0, 1.5])
    half = targets.set_muted(parts, TEETH, "t1", True)
    assert not (evaluate(half, 5.0)["Teeth"] - parts.object(SKIN).base).any()


def test_unlinking_leaves_each_its_keys_and_a_last_one_alone(parts):
    scene = links.unlink(parts, LID, "t1")
    assert scene.object(LID).lane("t1").curve is parts.object(SKIN).lane("t1").curve
    scene = set_key(scene, SKIN, "t1", Key(20, 0.5))
    assert len(scene.object(TEETH).lane("t1").curve.keys) == 3 and len(scene.object(LID).lane("t1").curve.keys) == 2
    scene = links.unlink(scene, TEETH, "t1")
    assert all(o.target("t1").link is None for o in scene.objects)


def test_equal_names_leave_alone_what_an_object_has_of_the_link_already(parts):
    """Sheet's Slide is linked with Lid's Lift, whose name is Sheet's Lift's too."""
    alone = links.unlink(parts, LID, "t1")
    crossed = links.link_targets(alone, [(LID, "t1"), (SKIN, "t2")])
    scene, _ = links.link_equal_names(crossed, LID)
    assert scene.object(SKIN).target("t2").link == scene.object(LID).target("t1").link == scene.object(TEETH).target("t1").link
    assert scene.object(SKIN).target("t1").link not in (None, scene.object(SKIN).target("t2").link)


def test_a_copy_or_a_removed_part_takes_no_link_along(parts):
    copied, made = whole.duplicate(parts, SKIN, "t1")
    assert copied.object(SKIN).target(made).link is None
    gone = remove_object(targets.remove_target(parts, TEETH, "t1"), LID)
    assert partners(gone, gone.object(SKIN), gone.object(SKIN).target("t1")) == []


REFUSED = {
    "one object": (lambda s: links.link_targets(s, [(SKIN, "t1"), (SKIN, "t2")]), "at least two objects"),
    "held already": (lambda s: links.link_targets(s, [(SKIN, "t1"), (LID, _second(s))]), "is linked with Lift of Lid already"),
    "a shape of a relay": (lambda s: relays.make_relay(s, SKIN, ["t1", "t2"]), "Lift is linked; unlink it before"),
    "a corrective": (lambda s: correctives.set_rule(s, SKIN, "t1", Rule((Driver("t2"),))), "Lift is linked; unlink it before"),
    "driven": (lambda s: links.link_targets(_ruled(s), [(SKIN, "t2"), (LID, "t1")]), "Slide of Sheet is driven by Lift"),
    "not linked": (lambda s: links.unlink(s, SKIN, "t2"), "Slide of Sheet is not linked"),
    "no equal name": (lambda s: links.link_equal_names(s, SKIN), "No other object has a target named as one of Sheet"),
}


def _second(scene: Scene) -> str:
    raise_on = scene.object(LID)
    return next((t.id for t in raise_on.targets if t.name == "Slide"), "t2")


def _ruled(scene: Scene) -> Scene:
    return correctives.set_rule(scene, SKIN, "t2", Rule((Driver("t1"),)))


@pytest.mark.parametrize(("change", "said"), REFUSED.values(), ids=list(REFUSED))
def test_what_makes_no_sense_is_refused_by_name(parts, change, said):
    scene, _ = targets.new_target(parts, LID, "Slide 2")
    with pytest.raises(EditRefused, match=said):
        change(scene)


def test_what_is_added_from_another_scene_keeps_its_own_links(parts):
    both = with_all_of(parts, parts)
    edited = set_key(both, both.objects[4].id, "t1", Key(7, 0.6))
    assert alike(replace(edited, objects=edited.objects[:3])) and alike(replace(edited, objects=edited.objects[3:]))
    counts = [len(o.lane("t1").curve.keys) for o in edited.objects]
    assert counts == [2, 2, 2, 3, 3, 3]


SHARED = [o for o in OPERATIONS.values() if {"lanes", "lane", "keys"} & set(o.needs)]


@pytest.mark.parametrize("operation", SHARED, ids=lambda o: o.id)
@pytest.mark.parametrize("shared", ["a link", "a rig"])
def test_lanes_that_are_one_are_changed_once(parts, shared, operation):
    """All of them selected, an operation does what it does with one of them selected."""
    scene, channel, owners = parts, "t1", (SKIN, TEETH, LID)
    if shared == "a rig":
        scene = rigged(scene, SKIN)
        skin = scene.object(SKIN).skin
        scene = scene.with_object(replace(scene.object(TEETH), skin=skin))
        channel, owners = turn_id(1, "x"), (SKIN, TEETH)
        scene = set_key(set_key(scene, SKIN, channel, Key(0, 0, "linear")), SKIN, channel, Key(10, 1, "linear"))
    given = {"onto": (0.0, 30.0), "by": 2.0, "factor": 2.0, "ease": "ease-in", "frames": 3.0, "value": 0.3, "within": 0.001}
    values = {p.name: given[p.name] for p in operation.parameters if p.name in given}

    def done(owners) -> Scene:
        refs = tuple(ChannelRef(owner, channel) for owner in owners)
        keys = frozenset(KeyRef(owner, channel, 10.0) for owner in owners)
        subject = Subject(scene, SKIN, ("t1",), Pick(), "points", refs, refs, keys, 12.0, (0.0, 10.0))
        try:
            return operation.make(subject, values).scene
        except EditRefused as refused:
            return str(refused)

    all_, one = done(owners), done(owners[:1])
    assert all_ == one if isinstance(one, str) else same(all_, one)


def test_keeping_seconds_moves_the_keys_of_a_rig_once(parts):
    scene = rigged(parts, SKIN)
    for other in (TEETH, LID):
        scene = scene.with_object(replace(scene.object(other), skin=scene.object(SKIN).skin))
    scene = set_key(scene, SKIN, "rig.time", Key(96, 1.0, "linear"))
    slow = timeline.set_rate(scene, 48.0, True)
    assert [slow.object(o).lane("rig.time").curve.keys[-1].frame for o in (SKIN, TEETH, LID)] == [192.0] * 3


@pytest.mark.parametrize("first", [SKIN, LID])
def test_linking_takes_no_keys_from_another_clip_and_reaches_the_second_of_a_blend(parts, first):
    """Slide is keyed in each of two clips in another object; then it is linked, in the one or the other's name."""
    scene, made = targets.target_from_points(parts, LID, "Slide", parts.object(LID).base + [1, 0, 0])
    scene, one = clips.new_clip(scene, "One")
    scene = set_key(set_key(scene, SKIN, "t2", Key(0, 0.2, "linear")), SKIN, "t2", Key(10, 0.8, "linear"))
    scene, two = clips.new_clip(scene, "Two")
    scene = set_key(set_key(scene, LID, made, Key(0, 0.9, "linear")), LID, made, Key(10, -0.4, "linear"))
    other = [(SKIN, "t2"), (LID, made)]
    linked = links.link_targets(scene, other if first == SKIN else other[::-1])
    for clip in (one, two):
        chosen = choose_clip(linked, clip)
        a, b = chosen.object(SKIN).lane("t2"), chosen.object(LID).lane(made)
        before = choose_clip(scene, clip)
        assert a.curve is b.curve and a.curve in [lane.curve for o in before.objects for lane in o.lanes]
    both, _ = clips.blend_clips(linked, one, two, "Both")
    shown = links.link_targets(clips.blend_clips(scene, one, two, "Both")[0], other)
    for blended in (both, shown):
        blended = set_value(blended, SKIN, "blend", 0.5)
        a, b = values_at(blended.object(SKIN), 4.0)["t2"], values_at(blended.object(LID), 4.0)[made]
        assert a == b and abs(a - (0.44 + 0.38) / 2) < 1e-9
