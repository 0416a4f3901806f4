"""Repeats in the window: their section, a click on any copy, and hands in a hurry."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt

from fictilis.core.at_frame.copies import copies
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.objects import remove_object
from fictilis.core.mix.shapes import ShapeRef
from fictilis.demo.reef_wall import reef_wall
from tests.app.conftest import CTRL
from tests.mixes import mix_at

K = Qt.Key


@pytest.fixture
def user(open_window):
    scene, _ = add_form(reef_wall(), "Globe", {"radius": 3.0})
    user = open_window(scene)
    user.doc.select_object("o1")
    user.doc.set_frame(34.0)
    user.view.eye.fit()
    user.settle(60)
    return user


def repeat(user):
    return user.doc.scene.object("o1").repeat


def put(user, field, text: str) -> None:
    field.setFocus()
    field.selectAll()
    user.type(text, field)
    user.press(K.Key_Return, on=field)


def test_numbers_of_the_section_lay_the_copies_out_and_are_undone(user):
    section = user.window.side.repeat
    assert section.isVisible() and section.count.text() == "120" and section.origin_row.isVisible()
    put(user, section.counts[0], "4")
    put(user, section.spacing[2], "20")
    put(user, section.later, "0")
    assert repeat(user).counts == (4, 5, 3) and repeat(user).spacing == (12.5, 12.5, 20.0) and repeat(user).later == 0
    assert section.count.text() == "60" and not section.order_row.isVisible()
    before = copies(user.doc.scene, user.obj, 0.0).matrices
    section.measure.buttons["Size"].click()
    assert repeat(user).measure == "sizes" and np.allclose(copies(user.doc.scene, user.obj, 0.0).matrices, before)
    put(user, section.counts[1], "9999999")
    assert section.counts[1].property("bad") and repeat(user).counts == (4, 5, 3)
    for _ in range(4):
        user.press(K.Key_Z, CTRL)
    assert repeat(user).counts == (8, 5, 3) and repeat(user).later == 34
    user.doc.select_object("o2")
    assert not section.isVisible()


def test_a_number_that_is_too_large_is_told_and_changes_nothing(user):
    put(user, user.window.side.repeat.counts[0], "9000")
    assert repeat(user).counts == (8, 5, 3) and "9000 × 5 × 3 copies" in user.said[-1][0]


def test_a_click_on_any_copy_selects_the_object(user):
    user.doc.select_object("o2")
    spread = copies(user.doc.scene, user.doc.scene.object("o1"), 34.0)
    front = np.argmax(spread.matrices[:, 2, 3] + spread.matrices[:, 0, 3])
    at = user.view.camera.project(spread.matrices[front, None, :3, 3], user.view.width(), user.view.height())[0][0]
    user.click(user.view, tuple(at))
    assert user.doc.object_id == "o1"


@pytest.mark.parametrize("ring", ["ring", "on"])
def test_an_object_is_repeated_from_the_menu_and_shaped_as_its_first_copy(user, forms, ring):
    user.doc.select_object("o2")
    forms(user, {})
    user.window.actions_.by_id[f"repeat-{ring}"].trigger()
    obj = user.doc.scene.object("o2")
    assert obj.repeat is not None and obj.repeat.way == ("ring" if ring == "ring" else "points")
    user.doc.start_shaping(ShapeRef())
    user.settle(40)
    item = user.view.shaped_item()
    assert np.allclose(item.matrix, copies(user.doc.scene, obj, 34.0).matrices[0]) and item.many is not None
    user.doc.commit("Remove", remove_object(user.doc.scene, "o1"))
    user.settle(40)
    assert (user.doc.scene.object("o2").repeat is None) == (ring == "on")
    user.press(K.Key_Z, CTRL)
    assert user.doc.scene.object("o2").repeat == obj.repeat


def test_a_point_spring_is_put_on_felt_otherwise_and_rested(open_window, forms):
    user = open_window(reef_wall())
    user.window.side.show()
    forms(user, {})
    user.window.actions_.by_id["point-spring-points"].trigger()
    section = user.window.side.spring
    assert section.isVisible() and section.feel.currentText() == "Floaty" and not section.way_row.isVisible()
    user.doc.set_frame(20.0)
    user.settle(60)
    sprung = user.view.items()[0].points.copy()
    assert np.abs(sprung - mix_at(user.obj, 20.0 - copies(user.doc.scene, user.obj, 20.0).delays[0])).max() > 0.05
    section.feel.setCurrentIndex(0)
    section.feel.activated.emit(0)
    assert user.obj.spring.stiffness == 900 and user.doc.undo_label() == "Point spring on Cup"[:12] + " of Cup"
    user.settle(40)
    assert np.abs(user.view.items()[0].points - sprung).max() > 0.01
    section.on.click()
    user.settle(40)
    plain = user.view.items()[0].points
    assert not user.obj.spring.on
    assert np.allclose(plain, mix_at(user.obj, 20.0 - copies(user.doc.scene, user.obj, 20.0).delays[0]), atol=1e-4)
    for _ in range(3):
        user.press(K.Key_Z, CTRL)
    assert user.obj.spring is None and not section.isVisible()
