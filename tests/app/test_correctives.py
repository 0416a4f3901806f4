"""Correctives in the window: asked for, shaped in the mix, led by their drivers, and never dragged or keyed."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QPushButton

from fictilis.app.lanes.menus import context_menu
from fictilis.core.animation.curve import Key
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.targets import add_in_between, change_group, group_targets, set_muted, target_from_points
from fictilis.core.mix.channels import ChannelRef
from fictilis.core.mix.shapes import ShapeRef
from fictilis.core.scene.rules import Driver, Rule
from fictilis.formats.native import read_native
from tests.app.conftest import CTRL

K = Qt.Key
SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def user(open_window, sheet):
    """Both targets up, and a corrective asked for by its key."""
    user = open_window(sheet)
    user.doc.channels.set_values({user.doc.channels.ref("t1"): 1.0, user.doc.channels.ref("t2"): 0.5}, "Up")
    user.press(K.Key_I, CTRL | SHIFT)
    return user


def acts(user) -> float:
    return user.doc.channels.weights(user.obj)["t3"]


def slide(user, target_id: str, value: float) -> None:
    user.doc.channels.set_value(user.doc.channels.ref(target_id), value)


def test_it_is_made_for_the_mix_shaped_at_once_and_undone_in_one_step(user):
    assert user.target("Lift with Slide").rule == Rule((Driver("t1", 1.0), Driver("t2", 0.5)))
    assert user.doc.shaping == ShapeRef("t3") and user.doc.way == "In the mix" and acts(user) == 1.0
    assert "Lift and Slide do wrong together" in user.said[-1][0]
    user.press(K.Key_Z, CTRL)
    assert len(user.obj.targets) == 2 and user.doc.shaping is None
    user.press(K.Key_Z, CTRL | SHIFT)
    assert user.target("Lift with Slide").rule is not None


def test_a_stroke_stores_only_the_difference_and_shows_as_far_as_it_acts(user):
    user.doc.set_tools(tool="grab", size=30.0)
    before = user.view.items()[0].points.copy()
    user.drag(user.view, user.pixel(12), user.pixel(12) + QPointF(0, -40))
    moved = user.target("Lift with Slide").deltas
    assert moved.largest > 1.0
    full = user.view.items()[0].points - before
    assert np.allclose(full[moved.indices], moved.offsets, atol=1e-4)
    assert all(np.array_equal(user.target(n).deltas.offsets, d) for n, d in (("Lift", [[0, 10, 0]] * 25),))
    user.doc.done_shaping()
    slide(user, "t1", 0.5)
    assert acts(user) == pytest.approx(0.5)
    slide(user, "t2", 0.25)
    assert acts(user) == pytest.approx(0.25)


def test_its_card_and_its_lane_cannot_be_dragged_typed_or_keyed(user):
    user.doc.done_shaping()
    cards, lanes = user.window.column.cards, user.window.lanes
    card, lane = cards.place_of("Lift with Slide"), lanes.place_of("Lift with Slide")
    assert card.bar is None and card.drivers is not None and lane.slider.isEmpty() and lane.dot.isEmpty()
    version = user.doc.committed.version
    user.drag(cards, card.drivers.center(), card.drivers.center() + QPointF(20, 0))
    user.double_click(cards, card.number.center())
    assert cards._editor is None and "is driven by Lift and Slide" in user.said[-1][0]
    user.drag(lanes.viewport(), lane.head.center() + QPointF(20, 0), lane.head.center() + QPointF(40, 0))
    user.double_click(lanes.viewport(), lane.number.center())
    assert user.doc.committed.version == version and acts(user) == 1.0
    user.doc.select_target("t3")
    user.press(K.Key_K)
    assert "is driven by Lift and Slide" in user.said[-1][0] and not user.obj.lanes
    user.press(K.Key_K, SHIFT)
    assert sorted(lane.channel for lane in user.obj.lanes) == ["t1", "t2"]


def test_its_drivers_are_set_in_the_side_column(user):
    section = user.window.side.drivers
    assert not section.isHidden() and [b["name"].name.text() for b in section.blocks] == ["Lift", "Slide"]
    assert section.blocks[1]["name"].now.text() == "now 0.50"
    field = section.blocks[0]["at"]
    field.setFocus()
    field.selectAll()
    user.type("2", field)
    user.press(K.Key_Return, on=field)
    assert user.target("Lift with Slide").rule.drivers[0].at == 2.0 and acts(user) == pytest.approx(0.5)
    section.together.buttons["smallest"].click()
    slide(user, "t2", 0.1)
    assert acts(user) == pytest.approx(0.2)
    section.blocks[1]["way"].buttons["Passing it"].click()
    assert user.target("Lift with Slide").rule.drivers[1] == Driver("t2", 0.5, 0.5)
    section.blocks[1]["name"].gone.click()
    assert user.target("Lift with Slide").rule.drivers == (Driver("t1", 2.0),)
    section.more.activated.emit(section.more.findText("Slide"))
    assert user.target("Lift with Slide").rule.drivers[1] == Driver("t2", 0.1)
    for _ in range(6):
        user.press(K.Key_Z, CTRL)
    assert user.target("Lift with Slide").rule.drivers == (Driver("t1", 1.0), Driver("t2", 0.5))


def test_it_is_made_plain_where_it_acts_and_survives_save_and_open(user, tmp_path):
    slide(user, "t1", 0.5)
    user.window.commands._save_to(tmp_path / "s.fictilis")
    assert read_native(tmp_path / "s.fictilis").objects[0].target("t3").rule == user.target("Lift with Slide").rule
    user.doc.select_target("t3")
    user.window.actions_.by_id["plain-target"].trigger()
    assert user.target("Lift with Slide").rule is None and user.target("Lift with Slide").weight == pytest.approx(0.5)


def test_its_menus_do_what_they_say(user, monkeypatch):
    rise = target_from_points(user.doc.scene, "o1", "Rise", user.obj.base + [0, 3, 0])[0]
    user.doc.commit("Rise", add_in_between(rise, "o1", "t3", 0.5))
    user.doc.done_shaping()
    user.doc.select_target("t3")
    asked = []

    def form(_title, _sentence, asks, _button):
        asked.append([[name for name, _ in ask.choices] for ask in asks])
        return {asks[0].name: asks[0].choices[-1][1]}

    monkeypatch.setattr(user.window.ask, "form", form)
    cards = user.window.column.cards
    card = cards.place_of("Lift with Slide")
    menu = cards.menu_for(card, card.rect.center())
    said = [a.text() for a in menu.actions()]
    assert "Set weight…" not in said
    next(a for a in menu.actions() if a.text() == "Add driver…").trigger()
    assert [d.target for d in user.target("Lift with Slide").rule.drivers] == ["t1", "t2", "t4"]
    user.window.actions_.by_id["no-driver"].trigger()
    assert asked == [[["Rise"]], [["Lift", "Slide", "Rise"]]]
    assert [d.target for d in user.target("Lift with Slide").rule.drivers] == ["t1", "t2"]
    lanes = user.window.lanes
    there = QPointF(lanes.place_of("Lift with Slide").body.center())
    assert not [a for a in context_menu(lanes, user.window.actions_, there, lambda: None).actions() if "Key " in a.text()]
    user.double_click(cards, cards.place_of("Lift with Slide").rect.center())
    assert user.doc.shaping == ShapeRef("t3")


def test_one_that_acts_alone_or_nothing_is_said(open_window, sheet):
    user = open_window(sheet)
    user.press(K.Key_I, CTRL | SHIFT)
    assert "needs two targets that act" in user.said[-1][0]
    user.doc.select_target("t1")
    user.doc.select_target("t2", add=True)
    slide(user, "t1", 1.0)
    user.press(K.Key_I, CTRL | SHIFT)
    assert "Slide stands at 0" in user.said[-1][0] and len(user.obj.targets) == 2


def test_it_acts_in_full_at_the_mix_as_it_is_seen_after_mute_and_groups(open_window, sheet):
    scene, group = group_targets(sheet, "o1", ["t2"])
    scene, _ = target_from_points(change_group(scene, "o1", group, factor=0.5), "o1", "Quiet", sheet.objects[0].base + 1)
    user = open_window(set_muted(scene, "o1", "t3", True))
    refs = user.doc.channels.refs({"t1": 1.0, "t2": 0.8, "t3": 1.0})
    user.doc.channels.set_values(refs, "Up")
    user.press(K.Key_I, CTRL | SHIFT)
    made = user.target("Lift with Slide")
    assert made.rule == Rule((Driver("t1", 1.0), Driver("t2", 0.4)))
    assert user.doc.channels.weights(user.obj)[made.id] == pytest.approx(1.0)


def test_a_pile_up_offers_one_at_its_frame(open_window, sheet, monkeypatch):
    scene, rise = target_from_points(sheet, "o1", "Rise", sheet.objects[0].base + [0, 6, 0])
    for frame, value in ((0, 0.0), (10, 0.9)):
        scene = set_key(set_key(scene, "o1", "t1", Key(frame, value)), "o1", rise, Key(frame, value))
    user = open_window(scene)

    def look(dialog):
        dialog.show()
        (button,) = [b for b in dialog.findChildren(QPushButton) if b.text() == "Corrective there"]
        button.click()

    monkeypatch.setattr(user.window.ask, "show", look)
    user.window.actions_.by_id["checks"].trigger()
    made = user.target("Lift with Rise")
    assert user.doc.frame == 10 and [d.at for d in made.rule.drivers] == [0.9, 0.9]
    assert user.doc.shaping == ShapeRef(made.id)


def test_hands_in_a_hurry(user):
    """Undo in the middle of a stroke, a driver removed while the corrective is shaped, another frame under its lane."""
    user.doc.set_tools(tool="grab", size=30.0)
    user.drag(user.view, user.pixel(12), user.pixel(12) + QPointF(0, -40), between=lambda: user.press(K.Key_Z, CTRL))
    assert len(user.obj.targets) == 2 and user.doc.shaping is None
    user.press(K.Key_Z, CTRL | SHIFT)
    keyed = set_key(set_key(user.doc.scene, "o1", "t1", Key(0, 0)), "o1", "t1", Key(10, 1))
    user.doc.commit("Keys", keyed)
    user.doc.set_frame(5)
    assert acts(user) == pytest.approx(0.5)
    assert user.window.lanes.place_of("Lift with Slide").channel.ref == ChannelRef("o1", "t3")
    user.settle()
    user.doc.start_shaping(ShapeRef("t3"))
    user.window.operations.operate("target-remove")
    assert user.doc.shaping is None
    user.press(K.Key_Z, CTRL)
    user.doc.select_target("t1")
    user.window.operations.operate("target-remove")
    assert user.target("Lift with Slide").rule.drivers == (Driver("t2", 0.5),) and acts(user) == 1.0
    assert user.said[-1][0] == "Lift with Slide has fewer drivers now."
