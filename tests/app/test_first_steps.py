"""The guided first scene: each step is done by the person, and the card follows."""

import re

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

import fictilis
from fictilis.app.model.first_steps import END, STEPS
from fictilis.core.scene.scene import Scene
from tests.app.conftest import CTRL, LEFT
from tests.app.doing import act

K = Qt.Key

WINDOWS_ALONE = True


@pytest.fixture
def guided(open_window):
    user = open_window(Scene(end=48.0))
    QTest.mouseClick(user.window.start_page.own.parts[3], LEFT)
    assert user.comes(user.window.frame.guide.isVisible)
    return user


def at(user) -> int:
    return user.window.frame.guide.guide.at


def form(user, answers):
    def make(dialog):
        dialog.form_button("Ball").click()
        dialog.buttons["form"].click()

    answers(user.window, NewSceneDialog=make)
    user.press(K.Key_N, CTRL)


def shaped(user):
    """A target, named and shaped, by keys and a drag."""
    user.press(K.Key_T, CTRL)
    editor = user.window.column.cards._editor
    user.type("Lean", editor)
    user.press(K.Key_Return, on=editor)
    user.press(K.Key_Return)
    user.press(K.Key_6)
    middle = QPointF(user.view.width() / 2, user.view.height() / 2)
    user.drag(user.view, middle, middle + QPointF(40, -40))


def slide(user, part):
    cards = user.window.column.cards
    bar = cards.place_of("Lean").bar
    user.drag(cards, bar.center(), QPointF(bar.left() + part * bar.width(), bar.center().y()))


def test_all_seven_steps_are_done_by_the_person(guided, answers):
    user, card = guided, guided.window.frame.guide
    assert at(user) == 0 and "1 of 7" in card.count.text() and "Ctrl+N" in card.how.text()
    form(user, answers)
    assert at(user) == 1 and user.window.start_page.isHidden() and card.isVisible()
    user.settle(100)
    shaped(user)
    assert at(user) == 3 and card.title.text() == "The mix"
    user.press(K.Key_Escape)
    assert at(user) == 3
    slide(user, 0.7)
    assert at(user) == 4
    slide(user, 0.0)
    user.press(K.Key_K)
    assert at(user) == 5
    user.doc.set_frame(24.0)
    slide(user, 1.0)
    assert at(user) == 5
    user.press(K.Key_K)
    assert at(user) == 6 and "Space" in card.how.text()
    user.press(K.Key_Space)
    assert at(user) == 7 and card.again.isVisible() and "Ctrl+S" in card.how.text()
    user.press(K.Key_Space)
    act(user, "undo")
    assert at(user) == 7  # what was learned stays so
    card.again.click()
    assert card.isHidden() and not user.doc.guided
    act(user, "first-steps")
    assert card.isVisible() and at(user) == 0  # it begins anew beside what is there


def test_what_is_undone_comes_again_and_another_scene_begins_nothing_wrong(guided, answers):
    user = guided
    form(user, answers)
    user.settle(100)
    shaped(user)
    assert at(user) == 3
    user.press(K.Key_Escape)
    while user.doc.object.targets:
        act(user, "undo")
    assert at(user) == 1
    act(user, "redo")
    assert at(user) == 2
    user.doc.open_scene(Scene(), None)
    assert at(user) == 0 and user.window.frame.guide.isVisible()
    user.doc.open_scene(fictilis.moon_jelly(), None)  # its targets were made by somebody else
    assert at(user) == 1
    guide = user.window.frame.guide
    guide.leave.click()
    assert guide.isHidden() and user.doc.undo_label() == ""


def test_a_scene_with_everything_in_it_still_asks_for_the_first_step(open_window, answers):
    user = open_window(fictilis.moon_jelly())
    act(user, "first-steps")
    assert at(user) == 0
    user.doc.set_frame(30.0)
    user.press(K.Key_K)
    assert at(user) == 0


def test_keys_are_named_as_they_are_set(guided):
    card, actions = guided.window.frame.guide, guided.window.actions_
    for text in (END, *(step.how for step in STEPS)):
        for name in re.findall(r"\{([\w-]+)\}", text):
            assert name in actions.by_id
    actions.set_keys({"new": ["Ctrl+Alt+Y"]})
    card.refresh()
    assert "Ctrl+Alt+Y" in card.how.text()
    actions.set_keys({"new": []})
    card.refresh()
    assert "File · New scene" in card.how.text()


@pytest.mark.parametrize("size", [(1280, 800), (900, 560)])
def test_the_card_stands_whole_in_its_corner(guided, size):
    user, card = guided, guided.window.frame.guide
    user.window.resize(*size)
    user.settle(80)
    frame = user.window.frame
    assert frame.rect().contains(card.geometry()) and card.how.height() >= card.how.heightForWidth(card.how.width())
