"""The first page: three doors and the last scenes, while a scene is empty."""

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel

import fictilis
from fictilis.core.scene.scene import Scene
from fictilis.demo import SAMPLES
from tests.app.conftest import LEFT
from tests.app.doing import act

K = Qt.Key


@pytest.fixture
def empty(open_window):
    return open_window(Scene())


def names(row):
    return [part.accessibleName() for part in row.parts]


def test_an_empty_scene_shows_three_doors_and_each_leads_somewhere(empty, monkeypatch):
    user, page = empty, empty.window.start_page
    assert page.isVisible() and page.last.isHidden()
    assert names(page.samples) == [s.title for s in SAMPLES.values()]
    assert names(page.own) == ["New scene", "Draw a line", "Open", "First steps"]
    assert all(not part.icon().isNull() and part.icon().availableSizes() for part in page.samples.parts)
    assert all(part.geometry().right() < page.widget().width() for part in page.samples.parts)  # all in sight
    opened = []
    monkeypatch.setattr(user.window.ask.files, "open", lambda *_a, **_k: opened.append("file") or None)
    QTest.mouseClick(page.own.parts[2], LEFT)
    assert opened == ["file"]
    QTest.mouseClick(page.own.parts[1], LEFT)
    assert user.comes(lambda: user.view.drawing.on and page.isHidden())  # the view is free to be drawn on
    user.press(K.Key_Escape)
    user.press(K.Key_Escape)
    assert user.comes(page.isVisible)
    QTest.mouseClick(page.samples.parts[list(SAMPLES).index("sea-pen")], LEFT)
    assert user.doc.title == "Sea pen" and page.isHidden()
    user.doc.open_scene(Scene(), None)
    assert page.isVisible()


def test_the_last_scenes_stand_there_with_their_pictures_as_long_as_they_are(open_window, tmp_path):
    user = open_window(fictilis.moon_jelly())
    window, page = user.window, user.window.start_page
    assert page.isHidden()
    for name in ("First", "Second"):
        window.doc.path = None
        window.ask.files.save = lambda *_a, n=name, **_k: tmp_path / f"{n}.fictilis"
        assert window.commands.save_as()
    kept = window.settings.picture_of(tmp_path / "Second.fictilis")
    assert kept.is_file() and kept.read_bytes()[:4] == b"\x89PNG"
    user.doc.open_scene(Scene(), None)
    assert names(page.last)[:2] == ["Second", "First"] and page.last.parts[0].icon().availableSizes()
    (tmp_path / "Second.fictilis").unlink()
    user.doc.open_scene(Scene(name="Other"), None)
    assert names(page.last)[:1] == ["First"] and page.last.parts[0].toolTip() == str(tmp_path / "First.fictilis")
    QTest.mouseClick(page.last.parts[0], LEFT)
    assert user.comes(lambda: user.doc.path == tmp_path / "First.fictilis") and page.isHidden()
    assert window.settings.picture_of(Path("/nowhere/else.fictilis")).parent == kept.parent


def test_the_page_keeps_to_the_view_and_is_walked_by_the_tab_key(empty):
    user, page = empty, empty.window.start_page
    for width in (1280, 900):
        user.window.resize(width, 700)
        user.settle(60)
        assert page.geometry() == user.view.rect()
        right = max(part.geometry().right() for row in (page.own, page.samples) for part in row.parts)
        assert right <= page.viewport().width()
    user.window.set_theme("Kiln")
    first = page.own.parts[0]
    first.setFocus(Qt.FocusReason.TabFocusReason)
    user.press(K.Key_Tab, on=first)
    assert user.window.focusWidget() is page.own.parts[1]


def test_what_is_empty_after_all_was_removed_shows_the_page_again(open_window):
    user = open_window(fictilis.tide_marks())
    page = user.window.start_page
    while user.doc.scene.objects:
        assert page.isHidden()
        act(user, "remove-object")
    assert page.isVisible()
    user.doc.undo()
    assert page.isHidden()


def test_what_changed_since_saving_is_told_in_words(open_window, answers, tmp_path):
    user = open_window(fictilis.moon_jelly())
    window, doc = user.window, user.doc
    assert not window.actions_.by_id["changed"].isEnabled()
    doc.channels.key_values({doc.channels.ref(doc.object.target_named("Dome").id): 0.5}, "Key")
    doc.edit("Rename", lambda s: fictilis.objects.rename_object(s, doc.object_id, "Umbrella"))
    opened = answers(window, SentencesDialog="ok", UnsavedDialog="cancel")
    act(user, "changed")
    said = [label.text() for label in opened[-1].findChildren(QLabel)]
    assert "What changed since it was opened" in said and "Bell is called Umbrella." in said
    assert "Umbrella: Dome has keys now." in said
    assert not window.commands.may_leave()
    assert "Bell is called Umbrella." in [label.text() for label in opened[-1].findChildren(QLabel)]
    window.ask.files.save = lambda *_a, **_k: tmp_path / "a.fictilis"
    assert window.commands.save() and not window.actions_.by_id["changed"].isEnabled() and doc.changes() == []
    act(user, "remove-object")
    assert doc.changes() == ["Umbrella was removed."]
    doc.undo()
    assert doc.changes() == []
