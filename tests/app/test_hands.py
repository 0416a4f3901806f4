"""What a hand does a hundred times a day: numbers, cards, shapes, digits, markers, and what it must not lose."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from fictilis.app.view.picture import LastWhole
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.number_field import NumberField
from fictilis.core.animation.curve import Key
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.targets import new_target
from fictilis.core.edits.timeline import set_marker
from fictilis.core.mix.channels import set_value
from fictilis.core.mix.shapes import ShapeRef
from fictilis.render.stage import LINE_UP
from tests.app.conftest import CTRL, LEFT, NONE, SHIFT, move, point

K = Qt.Key


def field_of(user, name) -> NumberField:
    return next(f for f in user.window.findChildren(NumberField) if f.accessibleName() == name and f.isVisible())


@pytest.fixture
def posed(open_window, sheet):
    """Lift keyed 0 … 1 over 0 … 20, and three targets beside it."""
    scene = set_key(set_key(sheet, "o1", "t1", Key(0, 0)), "o1", "t1", Key(20, 1))
    for name in ("Fin 10", "Fin 2", "Fin 1"):
        scene, _ = new_target(scene, "o1", name)
    return open_window(scene)


def test_a_number_is_selected_by_a_click_or_tab_and_typed_over(user):
    user.doc.select_target("t1")
    user.settle()
    field = field_of(user, "Range to")
    user.click(field, QPointF(12, field.height() / 2))
    QTest.keyClicks(field, "40")
    assert field.text() == "40"
    QTest.keyClick(field, K.Key_Return)
    assert user.target("Lift").range == (0, 40)
    user.double_click(field, QPointF(12, field.height() / 2))
    assert field.selectedText() == field.text()
    field_of(user, "Range from").setFocus()
    QTest.keyClick(field_of(user, "Range from"), K.Key_Tab)
    assert field.hasFocus() and field.selectedText() == field.text()


def test_the_wheel_and_a_drag_on_the_label_change_a_number_in_one_step(user):
    user.doc.select_target("t1")
    user.settle()
    field, steps = field_of(user, "Range from"), user.doc._history._at

    def wheel(turn, keys=NONE):
        at, buttons = QPointF(8, 8), Qt.MouseButton.NoButton
        event = QWheelEvent(at, at, QPoint(), QPoint(0, turn), buttons, keys, Qt.ScrollPhase.NoScrollPhase, False)
        QApplication.sendEvent(field, event)

    wheel(-120)
    assert field.value == 0, "without the focus it scrolls the column"
    field.setFocus()
    for _ in range(3):
        wheel(-120)
    wheel(-120, SHIFT)
    assert user.target("Lift").range[0] == pytest.approx(-0.31) and user.doc._history._at == steps + 1
    label = next(r for r in user.window.findChildren(Labelled) if field in r.findChildren(NumberField)).label
    user.drag(label, (45, 8), (5, 8))
    assert user.target("Lift").range[0] == pytest.approx(-1.31) and user.doc._history._at == steps + 2
    user.doc.undo()
    assert user.target("Lift").range[0] == pytest.approx(-0.31)
    user.drag(label, (45, 8), (5, 8), between=user.doc.undo)
    move(label, (1, 8))
    assert user.target("Lift").range[0] == pytest.approx(-0.31), "undone in the middle it stays so"
    user.doc.undo()
    assert user.target("Lift").range[0] == 0


def test_shaping_goes_over_to_the_card_that_is_clicked(user):
    cards = user.window.column.cards
    user.doc.start_shaping(ShapeRef("t1"))
    user.settle()
    user.click(cards, cards.place_of("Slide").rect.center())
    assert user.doc.shaping == ShapeRef("t2") and user.doc.target.name == "Slide"
    QTest.mouseClick(cards, LEFT, CTRL, point(cards.place_of("Lift").rect.center() - QPointF(0, 12)))
    assert user.doc.selected_targets == ("t2", "t1") and user.doc.shaping == ShapeRef("t1"), "what the column shows"
    user.doc.start_shaping(ShapeRef("t1"))
    user.doc.select_channel(user.doc.channels.ref("position.x"))
    assert user.doc.shaping == ShapeRef("t1"), "a lane of the object is no shape"
    user.press(K.Key_T, CTRL)
    assert user.doc.shaping.target == user.doc.target.id == user.obj.targets[-1].id
    user.press(K.Key_I, CTRL) if user.doc.channels.weights(user.obj)[user.doc.target.id] else None
    assert not any("Enter shapes it" in sentence for sentence, _ in user.said)


def test_shift_takes_the_range_and_ctrl_one_more_on_cards_and_lanes(posed):
    cards, lanes = posed.window.column.cards, posed.window.lanes
    order = [t.id for t in posed.obj.targets]

    def on_card(name, keys=NONE):
        QTest.mouseClick(cards, LEFT, keys, point(cards.place_of(name).rect.center() - QPointF(0, 12)))

    on_card("Lift")
    on_card("Fin 10", SHIFT)
    assert posed.doc.selected_targets == tuple(order[:3])
    on_card("Slide", SHIFT)
    assert posed.doc.selected_targets == tuple(order[:2]), "from where it began"
    on_card("Fin 1", CTRL)
    assert posed.doc.selected_targets == (*order[:2], order[4])
    for name, keys in (("Fin 2", NONE), ("Lift", SHIFT)):
        QTest.mouseClick(lanes.viewport(), LEFT, keys, point(lanes.place_of(name).name.center()))
    assert set(posed.doc.selected_targets) == set(order[:4]) and posed.doc.target.name == "Lift"


@pytest.mark.parametrize(("text", "opens"), [("3", False), ("-2", True), (".5", True), ("=4", True)])
def test_digits_choose_tools_and_an_amount_begins_with_a_sign(user, text, opens):
    user.doc.start_shaping(ShapeRef("t1"))
    user.doc.set_tools(tool="move")
    user.doc.set_picks(np.arange(5))
    user.settle()
    user.view.pointer = QPointF(2, 2)
    user.type(text[0])
    assert user.view.amount.isVisible() == opens and (opens or user.doc.tools.tool != "move")
    if opens:
        QTest.keyClicks(user.window.focusWidget(), text[1:])
        assert next(iter(user.view.amount.amounts().values())) is not None
        user.press(K.Key_Escape, on=user.window.focusWidget())


def test_a_marker_is_set_while_it_plays_on(posed):
    posed.doc.change(playing=True)
    posed.press(K.Key_M, CTRL)
    assert posed.doc.playing and [m.name for m in posed.doc.scene.markers] == ["Beat"]
    posed.press(K.Key_M, CTRL)
    assert len(posed.doc.scene.markers) == 1
    posed.doc.change(playing=False)


def test_a_posed_mix_that_goes_with_its_frame_says_so_once_and_comes_back(posed):
    doc = posed.doc
    doc.set_frame(10.0)
    doc.channels.set_value(doc.channels.ref("t1"), 0.9)
    told = []
    doc.noticed.connect(told.extend)
    doc.set_frame(14.0)
    assert len(told) == 1 and "frame 10" in told[0].sentence and doc.channels.weights(posed.obj)["t1"] < 0.8
    posed.press(K.Key_Z, CTRL)
    assert doc.frame == 10.0 and doc.channels.weights(posed.obj)["t1"] == 0.9
    doc.set_frame(15.0)
    assert len(told) == 1, "once"
    doc.undo()
    doc.redo()
    assert not doc.committed.posed
    doc.undo()
    doc.set_frame(14.0)
    told[0].run()
    assert posed.obj.lane("t1").curve.key_at(10.0).value == 0.9 and doc.frame == 14.0


def test_what_was_undone_can_come_again_after_a_look_elsewhere(posed):
    doc = posed.doc
    doc.set_frame(10.0)
    doc.channels.set_value(doc.channels.ref("t1"), 0.9)
    doc.edit("Marker", lambda s: set_marker(s, 3.0, "Later"))
    doc.undo()
    for frame in (14.0, 15.0):
        doc.set_frame(frame)
        assert not doc.state.posed and doc.redo_label() == "Marker"
        doc.undo()
        assert doc.frame == 10.0 and doc.state.posed
    doc.redo()
    doc.redo()
    assert [m.name for m in doc.scene.markers] == ["Later"]


def test_names_are_pasted_sorted_and_renamed_and_weights_go_to_zero(posed, monkeypatch):
    doc, trigger = posed.doc, lambda name: posed.window.actions_.by_id[name].trigger()
    trigger("sort-targets")
    assert [t.name for t in posed.obj.targets] == ["Fin 1", "Fin 2", "Fin 10", "Lift", "Slide"]
    QApplication.clipboard().setText("Aah\nOoh, round\n\nMmm\n")
    trigger("names-in")
    assert [t.name for t in posed.obj.targets[-3:]] == ["Aah", "Ooh, round", "Mmm"] and len(doc.selected_targets) == 3
    monkeypatch.setattr(posed.window.ask, "form", lambda *_a, **_k: {"find": "", "put": "Vowel"})
    trigger("rename-several")
    assert [t.name for t in posed.obj.targets[-3:]] == ["Vowel 1", "Vowel 2", "Vowel 3"]
    doc.channels.set_value(doc.channels.ref(posed.target("Slide").id), 0.7)
    doc.set_frame(20.0)
    trigger("zero-weights")
    assert not any(doc.channels.weights(posed.obj).values())
    monkeypatch.setattr(posed.window.ask, "form", lambda *_a, **_k: {"low": 0.5, "high": 2.0})
    trigger("keys-by-value")
    assert {k.frame for k in doc.keys} == {20.0}


def test_an_exact_change_waits_for_a_pick(user):
    user.doc.start_shaping(ShapeRef("t1"))
    user.doc.set_tools(tool="exact")
    user.settle()
    button = user.window.side.tool.apply_exact
    assert not button.isEnabled() and "picked" in button.toolTip()
    user.doc.set_picks(np.arange(5))
    assert button.isEnabled()


def test_the_table_of_targets_is_typed_sorted_and_copied(posed, answers):
    def table(dialog):
        rows = [dialog.table.item(r, 0).text() for r in range(5)]
        assert rows == ["Fin 1", "Fin 2", "Fin 10", "Lift", "Slide"]
        dialog.table.item(rows.index("Lift"), 0).setText("Raise")
        dialog.table.item(rows.index("Slide"), 3).setText("2.5")
        dialog.table.item(0, 2).setText("wide")
        assert posed.said[-1][0] == "“wide” is not a number; the range of Fin 1 stays."
        dialog.table.item(0, 2).setText("9")
        dialog.table.sortItems(5, Qt.SortOrder.DescendingOrder)
        dialog.buttons["copy"].click()
        dialog.buttons["close"].click()

    answers(posed.window, TargetsDialog=table)
    posed.window.actions_.by_id["targets-table"].trigger()
    text = QApplication.clipboard().text().splitlines()
    assert text[0].startswith("Name\tGroup") and text[1].split("\t")[0] == "Raise" and text[1].endswith("25\t10\t2\t")
    assert posed.target("Raise").id == "t1" and posed.target("Slide").range == (0, 2.5)
    assert "must rise" in posed.said[-1][0] and all(t.range[0] == 0 for t in posed.obj.targets)
    posed.doc.undo()
    assert posed.target("Slide").range == (0, 1)


def test_chosen_targets_stand_side_by_side_in_the_line_up(posed):
    posed.doc.change(way=LINE_UP)
    posed.settle()
    assert len(posed.view.items()) == 7, "the mix, the base and five targets"
    posed.doc.select_target("t1")
    posed.doc.select_target("t2", add=True)
    assert [item.label for item in posed.view.items()] == ["In the mix", "Lift", "Slide"]


def test_three_numbers_without_room_stand_one_below_the_other(user):
    fields = user.window.side.object.fields["position"]

    def moved(x: float) -> tuple:
        user.doc.edit("Move", lambda s: set_value(s, "o1", "position.x", x))
        user.settle()
        return [f.text() for f in fields], len({f.y() for f in fields})

    assert moved(-359.94) == (["-359.9", "0.0", "0.0"], 1) and fields[0].property("small")
    assert moved(-12345.678) == (["-12345.7", "0.0", "0.0"], 3) and not fields[0].property("small")
    assert moved(-359.94)[1] == 3, "no jump to and fro while values play"
    assert moved(1) == (["1.0", "0.0", "0.0"], 1)
    fields[0].setFocus()
    assert moved(-12345.678)[1] == 1, "no jump under the hand"
    user.view.setFocus()
    user.settle()
    assert moved(-12345.678)[1] == 3


def test_a_picture_is_seen_whole_or_not_yet():
    """For two seconds at most, and never one of another scene."""
    seen, images = LastWhole(), [QImage() for _ in range(6)]
    assert seen.take(images[0], False, 1, 10.0) is None and seen.waits
    assert seen.take(images[1], True, 1, 10.3) is images[1] and not seen.waits
    assert seen.take(images[2], False, 1, 11.0) is images[1]
    assert seen.take(images[3], False, 1, 13.5) is images[3], "it took too long"
    assert seen.take(images[4], False, 2, 14.0) is None
    assert seen.take(images[5], True, 2, 14.1) is images[5]


def test_what_is_made_or_chosen_comes_into_sight(open_window, sheet):
    for number in range(40):
        sheet, _ = new_target(sheet, "o1", f"Fin {number}")
    user = open_window(sheet)
    cards, lanes = user.window.column.cards, user.window.lanes

    def seen(name) -> bool:
        card, head = cards.place_of(name).rect, lanes.place_of(name).head
        area = cards.parentWidget().parentWidget()
        top = cards.mapTo(area, card.topLeft().toPoint()).y()
        return 0 <= top and top + card.height() <= area.height() + 1 and 0 <= head.top() and head.bottom() <= lanes.height()

    for action in ("new-target", "duplicate"):
        user.doc.select_target("t1")
        assert user.comes(lambda: seen("Lift"))
        user.window.actions_.by_id[action].trigger()
        assert user.doc.target.name != "Lift" and user.comes(lambda: seen(user.doc.target.name)), action
        user.press(K.Key_Escape)
