"""Cues in the window: sentences whose words are controls, rehearsing by hand, and takes."""

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QCheckBox, QMenu, QPushButton, QToolButton

import fictilis
from fictilis.app.widgets.number_field import NumberField
from fictilis.core.edits.cues import add_cue
from fictilis.core.edits.targets import remove_target
from fictilis.core.ground.errors import Cancelled
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.rehearsal.meaning import AT_ONCE
from fictilis.core.rehearsal.runner import Event
from fictilis.core.rehearsal.takes import without_waiting
from fictilis.core.scene.cues import BACK, CLICK, KEY, LEAD, OVER, START, Act, Cue, Lead, Then, When
from tests.app.conftest import CTRL, LEFT, SHIFT
from tests.app.doing import act

WINDOWS_ALONE = True

K = Qt.Key


@pytest.fixture
def stage(open_window):
    """The moon jelly with two cues, the list of them shown, and a clock that the test moves."""
    scene = fictilis.moon_jelly()
    scene = replace(scene.with_object(replace(scene.objects[0], lanes=())), cues=())
    bell = scene.objects[0]
    scene, _ = add_cue(scene, Cue("", "Touch", When(CLICK, bell.id),
                       Act(LEAD, (Lead(bell.id, "t1", 1.0),), seconds=0.4, ease="linear"), Then(1.0, BACK, 0.5)))  # fmt: skip
    scene, _ = add_cue(scene, Cue("", "Startle", When(KEY, key="Space"), Act(LEAD, (Lead(bell.id, "t2", 0.8),), seconds=0.0)))
    user = open_window(scene)
    act(user, "cues")
    user.clock = [0.0]
    user.window.rehearsing.clock = lambda: user.clock[0]
    return user


def pass_time(user, seconds: float) -> None:
    user.clock[0] += seconds
    user.window.rehearsing.tick()


def weight(user, name: str = "Contract") -> float:
    return user.doc.channels.weights(user.obj)[user.target(name).id]


def row(user, number: int = 0):
    found = user.window.cues.rows[user.doc.scene.cues[number].id]
    found.fill()
    return found


def middle(user) -> QPoint:
    return QPoint(user.view.width() // 2, int(user.view.height() * 0.4))


def choose(user, control: QPushButton, label: str) -> None:
    """Press a word, and a row of its menu."""
    QTest.mouseClick(control, LEFT)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    for part in label.split("/"):
        action = next(a for a in menu.actions() if a.text() == part)
        if action.menu() is not None:
            action.menu().aboutToShow.emit()
            menu = action.menu()
    action.trigger()
    while QApplication.activePopupWidget() is not None:
        QApplication.activePopupWidget().close()


def test_a_new_cue_is_made_of_what_is_selected_and_each_word_changes_it_in_one_step(stage):
    user = stage
    user.doc.select_target(user.target("Flare").id)
    user.press(K.Key_U, CTRL | SHIFT)
    cue = user.doc.scene.cues[-1]
    assert cue.act.leads == (Lead(user.obj.id, user.target("Flare").id, 1.0),) and user.doc.cue == cue.id
    controls = row(user, 2).controls
    choose(user, controls["then"], "stay so")
    assert user.doc.scene.cues[-1].then.kind == "stay" and "then.seconds" not in row(user, 2).controls
    choose(user, row(user, 2).controls["when"], "At the start")
    assert user.doc.scene.cues[-1].when.kind == START
    choose(user, row(user, 2).controls["lead.0"], "Contract")
    assert user.doc.scene.cues[-1].act.leads[0].channel == user.target("Contract").id
    field = row(user, 2).controls["act.seconds"]
    assert isinstance(field, NumberField)
    field.selectAll()
    user.type("2.5", field)
    user.press(K.Key_Return, on=field)
    assert user.doc.scene.cues[-1].act.seconds == 2.5 and user.doc.undo_label() == "Change Cue"
    for _ in range(5):
        user.press(K.Key_Z, CTRL)
    assert len(user.doc.scene.cues) == 2 and len(user.window.cues.rows) == 2


def test_a_key_is_taken_by_pressing_it(stage):
    button = row(stage, 1).controls["when.key"]
    QTest.mouseClick(button, LEFT)
    assert button.text() == "press a key…"
    stage.press(K.Key_B, CTRL, on=button)
    assert stage.doc.scene.cues[1].when.key == "Ctrl+B" and row(stage, 1).controls["when.key"].text() == "Ctrl+B"
    QTest.mouseClick(row(stage, 1).controls["when.key"], LEFT)
    stage.press(K.Key_Escape, on=row(stage, 1).controls["when.key"])
    assert stage.doc.scene.cues[1].when.key == "Ctrl+B"


def test_what_is_typed_for_a_cue_that_is_gone_meanwhile_is_left(stage):
    user, field = stage, row(stage, 0).controls["act.seconds"]
    field.setFocus()
    field.selectAll()
    user.type("9", field)
    before = user.doc.scene.cues[1]
    user.doc.change(cue=user.doc.scene.cues[0].id)
    act(user, "remove-cue")
    QApplication.processEvents()
    assert user.doc.scene.cues == (before,) and list(user.window.cues.rows) == [before.id]


def test_a_rehearsal_runs_cues_by_clicks_and_keys_and_changes_nothing(stage):
    user, before = stage, stage.doc.scene
    user.press(K.Key_R, CTRL)
    assert user.doc.rehearsing and user.window.top.state.word.text() == "Rehearsing"
    pass_time(user, 0.5)
    user.click(user.view, middle(user))
    pass_time(user, 0.2)
    assert weight(user) == pytest.approx(0.5) and "run" in user.window.cues.said.text()
    assert row(user).strip.way.phase == "going" and row(user).strip.way.part == pytest.approx(0.5)
    user.press(K.Key_Space)  # a cue's before the window's
    assert not user.window.playback.playing and weight(user, "Flare") == pytest.approx(0.8)
    pass_time(user, 0.2)
    assert weight(user) == pytest.approx(1.0)
    assert user.view.wish().posed[user.obj.id]["t1"] == pytest.approx(1.0)
    pass_time(user, 9.0)
    assert weight(user) == pytest.approx(0.0) and row(user).strip.way is None
    user.click(user.view, QPoint(8, user.view.height() - 8))  # beside it
    assert not user.window.rehearsing.under_way()
    user.press(K.Key_Escape)
    assert not user.doc.rehearsing and user.doc.scene is before and weight(user, "Flare") == 0.0
    assert not user.doc.undo_label()
    assert user.window.top.state.word.text() == "Mixing" and user.doc.live is None


LEAVES = {
    "playing": lambda user: user.window.playback.start(),
    "shaping": lambda user: user.press(K.Key_Return),
    "its button": lambda user: user.window.cues.rehearse.click(),
    "its key": lambda user: user.press(K.Key_R, CTRL),
    "done": lambda user: user.window.top.state.done.click(),
    "another scene": lambda user: user.window.commands.open_demo("tide-marks"),
}


@pytest.mark.parametrize("name", LEAVES)
def test_a_rehearsal_is_left_by(stage, name, answers):
    user = stage
    user.doc.select_target(user.target("Contract").id)
    user.press(K.Key_R, CTRL)
    user.click(user.view, middle(user))
    pass_time(user, 0.4)
    LEAVES[name](user)
    QApplication.processEvents()
    assert not user.doc.rehearsing and user.window.rehearsing.runner is None and user.doc.live is None
    user.window.playback.stop()
    if name != "another scene":
        assert weight(user) == pytest.approx(0.0)


def test_what_is_changed_meanwhile_is_rehearsed_anew_and_undo_too(stage):
    user = stage
    user.press(K.Key_R, CTRL)
    user.click(user.view, middle(user))
    pass_time(user, 0.4)
    assert weight(user) == pytest.approx(1.0)
    user.doc.edit("gone", lambda s: remove_target(s, user.obj.id, user.target("Contract").id))
    assert user.doc.rehearsing and not user.window.rehearsing.under_way()
    assert row(user).fault.text() and not row(user).test.isEnabled()
    user.press(K.Key_Z, CTRL)
    user.click(user.view, middle(user))
    pass_time(user, 0.4)
    assert user.doc.rehearsing and weight(user) == pytest.approx(1.0) and not row(user).fault.text()
    user.doc.scrub(12)
    pass_time(user, 0.1)
    assert user.window.rehearsing.runner.frame == 12 and weight(user) == pytest.approx(0.0)


def test_a_slider_that_is_dragged_is_seen_and_written_as_ever(stage):
    user = stage
    user.press(K.Key_R, CTRL)
    user.doc.channels.set_value(user.doc.channels.ref("t2"), 0.7, final=False)
    assert weight(user, "Flare") == pytest.approx(0.7)
    user.doc.channels.set_value(user.doc.channels.ref("t2"), 0.7)
    pass_time(user, 0.1)
    assert user.obj.target("t2").weight == 0.7 and weight(user, "Flare") == pytest.approx(0.7)


def test_test_runs_a_cue_whatever_it_waits_for(stage):
    QTest.mouseClick(row(stage, 1).test, LEFT)
    assert stage.doc.rehearsing and stage.doc.cue == stage.doc.scene.cues[1].id
    pass_time(stage, AT_ONCE)
    assert weight(stage, "Flare") == pytest.approx(0.8)


def test_a_take_becomes_keys_in_one_step_and_survives_save_and_open(stage, tmp_path):
    user = stage
    user.press(K.Key_R, CTRL | SHIFT)
    assert user.doc.rehearsing and user.doc.taking and user.window.cues.take.text() == "End the take"
    pass_time(user, 0.5)
    user.click(user.view, middle(user))
    pass_time(user, 0.4)
    user.clock[0] += 2.1
    user.press(K.Key_R, CTRL | SHIFT)
    assert not user.doc.rehearsing and user.doc.undo_label() == "Take"
    lane = user.obj.lane("t1")
    assert [float(lane.values(24.0 * t, 24.0)) for t in (0.0, 0.2, 0.4, 1.4, 1.65, 1.9)] == pytest.approx(
        [0, 0.5, 1, 1, 0.5, 0], abs=0.05
    )
    assert len(lane.curve.keys) < 12 and user.doc.scene.cues and "Keys on 1 lane" in user.said[-1][0]
    fictilis.save(user.doc.scene, tmp_path / "taken.fictilis")
    assert fictilis.load(tmp_path / "taken.fictilis").cues == user.doc.scene.cues
    act(user, "undo")
    assert user.obj.lane("t1") is None and user.doc.undo_label() == ""


def test_a_take_goes_on_where_making_its_keys_was_cancelled(stage, monkeypatch):
    def cancelled(_label, _work):
        raise Cancelled("Stopped.")

    stage.press(K.Key_R, CTRL | SHIFT)
    pass_time(stage, 0.5)
    stage.click(stage.view, middle(stage))
    pass_time(stage, 0.4)
    with monkeypatch.context() as patch:
        patch.setattr(stage.window.ask, "run", cancelled)
        stage.press(K.Key_R, CTRL | SHIFT)
    assert stage.doc.taking and "goes on" in stage.said[-1][0] and stage.obj.lane("t1") is None
    pass_time(stage, 0.4)
    stage.press(K.Key_R, CTRL | SHIFT)
    assert not stage.doc.rehearsing and float(stage.obj.lane("t1").values(0.4 * 24.0, 24.0)) == pytest.approx(1.0, abs=0.05)


def test_a_take_keeps_the_time_before_its_first_click_where_that_is_wanted(stage):
    """The tick beside the tolerance; and so it is where a cue runs before anybody does anything."""
    stage.doc.change(cues_shown=True, take_waiting=False)
    stage.settle()
    stage.click(stage.window.cues.waiting, (10, 8))
    assert stage.doc.take_waiting
    stage.press(K.Key_R, CTRL | SHIFT)
    pass_time(stage, 0.5)
    stage.click(stage.view, (3, 3))
    assert "No cue waits" not in stage.said[-1][0] if stage.said else True
    stage.click(stage.view, middle(stage))
    pass_time(stage, 0.4)
    stage.press(K.Key_R, CTRL | SHIFT)
    assert float(stage.obj.lane("t1").values(0.9 * 24.0, 24.0)) == pytest.approx(1.0, abs=0.05)
    scene = stage.doc.committed.scene
    events = (Event(0.5, "click", "o1"),)
    assert without_waiting(scene, events, 2.0) == ((Event(0.0, "click", "o1"),), 1.5)
    started = replace(scene, cues=(replace(scene.cues[0], when=When("start")),))
    assert without_waiting(started, events, 2.0) == (events, 2.0)


def test_a_take_of_nothing_says_so_and_writes_nothing(stage):
    stage.press(K.Key_R, CTRL | SHIFT)
    stage.clock[0] += 1.0
    stage.press(K.Key_R, CTRL | SHIFT)
    assert "Nothing moved" in stage.said[-1][0] and not stage.doc.rehearsing and stage.doc.undo_label() == ""


def test_cues_without_end_are_told_by_name_and_nothing_runs(stage):
    doc = stage.doc
    loose = [replace(c, when=When("after", cue=o.id), act=replace(c.act, seconds=0.0), then=Then())
             for c, o in zip(doc.scene.cues, reversed(doc.scene.cues), strict=True)]  # fmt: skip
    doc.commit("loose", replace(doc.scene, cues=tuple(loose)))
    stage.press(K.Key_R, CTRL)
    assert not doc.rehearsing and "Touch, Startle" in stage.said[-1][0]


def test_two_hundred_cues_are_made_as_they_come_in_sight(stage):
    doc = stage.doc
    many = tuple(replace(doc.scene.cues[0], id=f"q{n}", name=f"Cue {n}") for n in range(1, 201))
    doc.commit("many", replace(doc.scene, cues=many))
    rows = stage.window.cues.rows
    assert len(rows) == 200 and 1 <= sum(r.filled for r in rows.values()) < 40
    bar = stage.window.cues.area.verticalScrollBar()
    assert stage.comes(lambda: bar.maximum() > 10_000)
    bar.setValue(bar.maximum())
    assert rows["q200"].filled and rows["q200"].controls["meets"].text() == "start over from where it is"


def test_a_new_cue_comes_into_sight(stage):
    for _ in range(6):
        stage.doc.select_target(stage.target("Flare").id)
        act(stage, "new-cue")
    panel = stage.window.cues
    assert stage.comes(lambda: panel.rows[stage.doc.cue].filled and not panel.rows[stage.doc.cue].visibleRegion().isEmpty())
    assert panel.area.verticalScrollBar().value() > 0


def test_the_order_and_the_switch_stand_in_the_rows_menu(stage):
    user = stage
    user.doc.change(cue="q2")
    act(user, "cue-up")
    assert [c.id for c in user.doc.scene.cues] == ["q2", "q1"] and list(user.window.cues.rows) and user.doc.cue == "q2"
    panel = user.window.cues
    assert [panel.list.itemAt(n).widget().cue_id for n in range(2)] == ["q2", "q1"]
    QTest.mouseClick(row(user, 0).switch, LEFT, pos=QPoint(8, row(user, 0).switch.height() // 2))
    assert not user.doc.scene.cues[0].on and user.doc.scene.cues[0].meets == OVER
    act(user, "duplicate-cue")
    assert [c.id for c in user.doc.scene.cues] == ["q2", "q3", "q1"] and user.doc.cue == "q3"


def test_the_list_says_what_cues_are_where_there_are_none(open_window):
    user = open_window(replace(fictilis.moon_jelly(), cues=()))
    act(user, "cues")
    assert user.window.cues.empty.isVisible() and not user.window.cues.area.isVisible()
    assert not user.window.actions_.by_id["rehearse"].isEnabled()
    user.window.transport.plot.chosen.emit("Lanes")
    assert not user.doc.cues_shown and user.window.lanes.isVisible() and not user.window.cues.isVisible()


def test_every_control_of_the_list_has_a_name_for_a_screen_reader(stage):
    for cue in range(2):
        row(stage, cue)
    for control in stage.window.cues.findChildren((QPushButton, NumberField, QCheckBox, QToolButton)):
        if control.isVisible():
            assert control.accessibleName() or control.text(), control


def test_a_rehearsal_that_begins_in_the_middle_of_a_drag_leaves_nothing_of_it(stage):
    user, cards = stage, stage.window.column.cards
    bar = cards.place_of("Flare").bar
    before = user.doc.committed.scene
    user.drag(cards, bar.center(), QPointF(bar.right(), bar.center().y()), between=lambda: user.press(K.Key_R, CTRL))
    assert user.doc.rehearsing and not user.doc.hand.busy and user.doc.committed.scene is before
    assert weight(user, "Flare") == pytest.approx(user.target("Flare").weight)


def test_a_page_holds_the_cues_and_its_picture(stage, tmp_path):
    assert stage.window.actions_.by_id["page"].isEnabled()
    fictilis.export(stage.doc.scene, tmp_path / "bell.html")
    text = (tmp_path / "bell.html").read_text()
    assert "Touch" in text and 'id="poster"' in text and text.count("<script ") == 3


def test_delete_takes_what_was_chosen_last_and_no_key_that_is_hidden(stage):
    user = stage
    user.doc.channels.key_values({user.doc.channels.ref("t1"): 1.0}, "Key")
    user.window.show_lane(user.doc.channels.ref("t1"))
    assert not user.doc.cues_shown
    user.doc.change(keys=frozenset({KeyRef(user.obj.id, "t1", 0.0)}))
    act(user, "cues")
    assert not user.doc.keys
    user.doc.select_target("t3")
    row(user, 1).choose()
    user.press(K.Key_Delete)
    assert [c.name for c in user.doc.scene.cues] == ["Touch"] and len(user.obj.targets) == 7
    row(user, 0).choose()
    user.doc.select_target("t2")
    user.press(K.Key_Delete)
    assert len(user.doc.scene.cues) == 1 and len(user.obj.targets) == 6 and user.obj.lane("t1") is not None


def test_a_cue_is_found_by_a_word_of_its_sentence(stage):
    act(stage, "cues")
    found = next(thing for thing in stage.window.finder.things() if thing.title == "Startle")
    assert "On the key Space" in found.words and found.note == "cue"
    found.run()
    assert stage.doc.cues_shown and stage.doc.cue == "q2"


def test_a_scene_that_changes_during_a_take_says_that_it_begins_anew(stage):
    stage.doc.change(way="Alone")
    stage.press(K.Key_R, CTRL | SHIFT)
    assert stage.doc.way == "In the mix"
    stage.doc.channels.set_value(stage.doc.channels.ref("t2"), 0.7)
    assert stage.doc.taking and "begins anew" in stage.said[-1][0]
