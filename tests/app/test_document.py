"""The document without a window: history, previews, posed weights, and what is dropped when it points at nothing."""

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from fictilis.app.model.document import UNDO_STEPS, Document
from fictilis.core.animation.curve import Key
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.targets import add_in_between, new_target, remove_in_between, remove_target, set_weight
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.scene import Deltas, Scene
from fictilis.demo.jelly import moon_jelly


@pytest.fixture
def doc(qapp, sheet):
    made = Document()
    made.open_scene(sheet, None)
    return made


def heard(doc):
    """Counts of the document's signals, and what it said."""
    counts = {"changed": 0, "moved": 0}
    said = []
    doc.changed.connect(lambda: counts.__setitem__("changed", counts["changed"] + 1))
    doc.moved.connect(lambda: counts.__setitem__("moved", counts["moved"] + 1))
    doc.said.connect(lambda text, kind: said.append((text, kind)))
    return counts, said


@given(st.lists(st.sampled_from(["do", "undo", "redo", "fail", "preview", "cancel"]), max_size=40))
@example(["do", "undo", "do", "undo", "redo"])
@example(["do", "preview", "undo", "fail", "redo"])
@settings(max_examples=60, deadline=None)
def test_any_walk_through_the_history_ends_where_a_plain_list_would(steps):
    doc = Document()
    doc.open_scene(moon_jelly(), None)
    states, at, number = [doc.committed], 0, 0
    for step in steps:
        if step == "do":
            number += 1
            doc.edit(f"Step {number}", lambda s, n=number: set_weight(s, "o1", "t1", n / 100))
            states = [*states[: at + 1], doc.committed]
            at += 1
        elif step == "undo":
            doc.undo()
            at = max(at - 1, 0)
        elif step == "redo":
            doc.redo()
            at = min(at + 1, len(states) - 1)
        elif step == "fail":
            assert not doc.edit("Wrong", lambda s: set_weight(s, "o1", "t1", float("nan")))
        elif step == "preview":
            doc.preview(set_weight(doc.committed.scene, "o1", "t1", 0.5))
        else:
            doc.cancel_preview()
        assert doc.committed is states[at]
        assert bool(doc.undo_label()) == (at > 0) and bool(doc.redo_label()) == (at < len(states) - 1)


def test_a_preview_is_shown_but_not_kept(doc):
    before = doc.committed
    counts, _ = heard(doc)
    doc.channels.set_value(doc.channels.ref("t1"), 0.7, final=False)
    assert doc.object.target("t1").weight == 0.7 and doc.committed is before and counts == {"changed": 0, "moved": 1}
    doc.cancel_preview()
    assert doc.object.target("t1").weight == 0 and doc.undo_label() == ""


def test_undo_during_a_preview_goes_one_step_back_from_what_is_kept(doc):
    doc.channels.set_value(doc.channels.ref("t1"), 0.5)
    doc.channels.set_value(doc.channels.ref("t1"), 0.9, final=False)
    doc.undo()
    assert doc.object.target("t1").weight == 0


def test_unchanged_parts_are_shared_between_steps(doc):
    before = doc.object
    doc.channels.set_value(doc.channels.ref("t1"), 0.5)
    assert doc.object.base is before.base and doc.object.target("t2") is before.target("t2")


def test_the_history_is_bounded(doc):
    for step in range(UNDO_STEPS + 20):
        doc.commit("Step", set_weight(doc.committed.scene, "o1", "t1", step / 1000))
    for _ in range(UNDO_STEPS + 40):
        doc.undo()
    assert doc.undo_label() == "" and doc.object.target("t1").weight == pytest.approx(0.02)


def test_what_points_at_nothing_any_more_is_dropped(doc):
    doc.edit("In-between", lambda s: add_in_between(s, "o1", "t1", 0.5))
    doc.edit("Key", lambda s: set_key(s, "o1", "t2", Key(4, 1)))
    doc.change(keys=frozenset({KeyRef("o1", "t2", 4.0)}))
    doc.start_shaping(ShapeRef("t1", 0.5))
    doc.edit("Gone", lambda s: remove_in_between(s, "o1", "t1", 0.5))
    assert doc.shaping is None and doc.keys
    doc.select_target("t2")
    doc.edit("Gone", lambda s: remove_target(s, "o1", "t2"))
    assert doc.selected == () and doc.keys == frozenset() and doc.target is None
    doc.undo()
    assert doc.object.target("t2").name == "Slide"


def test_an_undone_object_leaves_another_current(doc):
    from fictilis.core.edits.objects import add_object
    from fictilis.core.geometry.primitives import box

    points, mesh = box()
    scene, box_id = add_object(doc.committed.scene, "Box", mesh, points)
    doc.commit("Add Box", scene)
    doc.select_object(box_id)
    doc.undo()
    assert doc.object.name == "Sheet"


def test_choosing_several_targets(doc):
    doc.select_target("t1")
    doc.select_target("t2", add=True)
    assert doc.selected_targets == ("t1", "t2") and doc.target.id == "t2"
    doc.select_target("t2", add=True)
    assert doc.selected_targets == ("t1",)
    doc.select_target(None)
    assert doc.target is None


def test_posed_weights_fall_back_when_the_frame_moves_and_come_back_with_undo(doc):
    doc.edit("Key", lambda s: set_key(s, "o1", "t1", Key(0, 0.25)))
    doc.channels.set_value(doc.channels.ref("t1"), 0.9)
    assert doc.channels.weights(doc.object)["t1"] == 0.9 and doc.undo_label() == "Weight of Lift"
    doc.undo()
    assert doc.channels.weights(doc.object)["t1"] == 0.25
    doc.redo()
    assert doc.channels.weights(doc.object)["t1"] == 0.9
    doc.set_frame(3)
    assert doc.channels.weights(doc.object)["t1"] == 0.25 and not doc.committed.posed


def test_keying_takes_the_posed_value_and_only_that(doc):
    for target in ("t1", "t2"):
        doc.edit("Key", lambda s, t=target: set_key(s, "o1", t, Key(0, 0)))
    doc.set_frame(10)
    doc.channels.set_value(doc.channels.ref("t1"), 0.5)
    doc.channels.set_value(doc.channels.ref("t2"), 0.75)
    doc.channels.key_values({doc.channels.ref("t1"): doc.channels.value(doc.channels.ref("t1"))}, "Key Lift")
    assert doc.object.lane("t1").curve.value(10) == 0.5
    assert doc.committed.posed == {"o1": {"t2": 0.75}}


def test_saved_is_known_by_identity(doc):
    scene = doc.committed.scene
    doc.channels.set_value(doc.channels.ref("t1"), 0.5)
    assert doc.unsaved
    doc.undo()
    assert not doc.unsaved and doc.committed.scene is scene


def test_errors_are_said_and_never_raised_into_the_window(doc):
    _, said = heard(doc)
    assert not doc.edit("Wrong", lambda s: remove_target(s, "o1", "t9"))
    assert said == [("Sheet has no target with the id t9.", "error")]
    doc.channels.type_value(doc.channels.ref("t1"), "much")
    assert "not a number" in said[-1][0] and not doc.undo_label()


def test_a_stroke_is_divided_by_its_share(doc):
    doc.start_shaping(ShapeRef("t2"))
    move = np.zeros((25, 3))
    move[4] = [0, 0, 1]
    before = doc.object.target("t2").deltas.dense(25)
    assert doc.stroke(Deltas.from_dense(move), 0.25, "Grab")
    assert np.allclose(doc.object.target("t2").deltas.dense(25) - before, 4 * move)


def test_tool_size_fits_the_object(qapp):
    doc = Document()
    assert doc.object is None
    doc.open_scene(moon_jelly(), None)
    assert 5 < doc.tools.size < 30


def test_an_empty_scene_has_nothing_to_select(qapp):
    doc = Document(Scene())
    assert doc.object is None and doc.target is None and len(doc.picks()) == 0 and not doc.unsaved


def test_new_targets_are_told_apart_by_name_and_id(doc):
    for _ in range(3):
        doc.edit("New target", lambda s: new_target(s, "o1")[0])
    assert [t.name for t in doc.object.targets][2:] == ["Target", "Target 2", "Target 3"]
    assert len({t.id for t in doc.object.targets}) == 5


def test_preferences_outlive_opening_another_scene_and_nothing_of_the_old_scene_does(sheet):
    from fictilis.app.model.session import Seeing, Session

    doc = Document()
    doc.open_scene(sheet, None)
    doc.change(
        speed=0.5, auto_key=True, time_shown="seconds", loop=False, every_frame=True, shared_scale=True, lanes_shown="group:g1"
    )
    doc.see(wire=True, ghosts="keys")
    doc.set_tools(tool="pinch", strength=0.4, spacing=0.5, pivot="Placed", pivot_place=(1.0, 2.0, 3.0), blend_to="t2")
    doc.select_target("t1")
    doc.start_shaping(ShapeRef("t1"))
    doc.change(
        frame=7.0, copied={doc.channels.ref("t1"): ()}, band=(0, 3), base_choice="stay", base_choice_kept=True, together=True
    )
    doc.open_scene(replace(sheet, start=4.0), None)
    assert (doc.speed, doc.auto_key, doc.time_shown, doc.loop, doc.every_frame, doc.shared_scale, doc.together) == (
        0.5, True, "seconds", False, True, True, True)  # fmt: skip
    assert doc.seeing == Seeing(wire=True, ghosts="keys") and doc.lanes_shown == "all"
    assert (doc.tools.tool, doc.tools.strength, doc.tools.spacing) == ("pinch", 0.4, 0.5)
    assert (doc.tools.pivot, doc.tools.pivot_place, doc.tools.blend_to) == ("Pick", None, "mix")
    new = Session()
    for name in ("selected", "keys", "shaping", "before", "base_choice", "base_choice_kept", "band", "copied", "way"):
        assert getattr(doc, name) == getattr(new, name), name
    assert doc.frame == 4.0 and doc.object_id == "o1"


def test_nothing_writes_past_the_one_door_of_the_session(sheet):
    doc = Document(sheet)
    told = []
    doc.changed.connect(lambda: told.append(doc.frame))
    with pytest.raises(AttributeError, match="belongs to the session"):
        doc.frame = 3.0
    with pytest.raises(AttributeError):
        _ = doc.nothing_such
    with pytest.raises(TypeError):
        doc.change(nothing_such=1)
    doc.change(frame=3.0)
    assert told == [3.0] and doc.frame == 3.0
