"""Questions under a hand in a hurry: no key destroys work before its button was reached."""

from datetime import datetime
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton

from fictilis.app.model.asking import ChoiceAsk, TextAsk
from fictilis.app.model.recovery import Recoverable, sweep
from fictilis.app.widgets.dialogs import FormDialog
from fictilis.app.widgets.file_questions import ChangedOnDisk, RecoverDialog, UnsavedDialog
from fictilis.app.widgets.theme import PALETTES

K = Qt.Key
BISQUE = next(iter(PALETTES.values()))
FOUND = Recoverable(Path("/tmp/1-a.fictilis"), Path("/tmp/1-a.json"), "Bell", None, datetime(2026, 1, 2, 3, 4))
LATER = [ChoiceAsk("way", "Way", [(f"Way {n}", n) for n in range(8)], 0)]
QUESTIONS = {
    "unsaved": (lambda: UnsavedDialog(None, "Bell"), "discard", "save"),
    "recover": (lambda: RecoverDialog(None, FOUND), "discard", "recover"),
    "changed on disk": (lambda: ChangedOnDisk(None, Path("bell.fictilis")), "save", "as"),
    "a movie is being made": (lambda: FormDialog(None, "Stop?", "", (), "Stop it", BISQUE, destroys=True), "ok", "cancel"),
    "with a field first": (lambda: FormDialog(None, "Stop?", "", LATER, "Stop it", BISQUE, destroys=True), "ok", None),
}


def shown(dialog, qtbot):
    qtbot.addWidget(dialog)
    dialog.show()
    dialog.activateWindow()
    qtbot.waitUntil(lambda: dialog.focusWidget() is not None and dialog.isActiveWindow())
    return dialog


@pytest.mark.parametrize("keys", [(K.Key_Space,), (K.Key_Return,), (K.Key_Enter, K.Key_Space)], ids=["space", "enter", "both"])
@pytest.mark.parametrize(("make", "destroys", "keeps"), QUESTIONS.values(), ids=list(QUESTIONS))
def test_no_key_destroys_before_its_button_was_reached(qtbot, make, destroys, keeps, keys):
    dialog = shown(make(), qtbot)
    for key in keys:
        QTest.keyClick(QApplication.activePopupWidget() or dialog.focusWidget() or dialog, key)
    assert dialog.answer == keeps
    if (popup := QApplication.activePopupWidget()) is not None:
        popup.hide()
    dialog.hide()
    dialog = shown(make(), qtbot)
    for _ in range(9):
        if dialog.focusWidget() is dialog.buttons[destroys]:
            break
        QTest.keyClick(dialog.focusWidget(), K.Key_Tab)
    QTest.keyClick(dialog.focusWidget(), keys[0])
    assert dialog.answer == destroys
    dialog.hide()


def test_enter_in_an_open_list_takes_what_is_chosen_and_leaves_the_question_open(qtbot):
    dialog = shown(FormDialog(None, "Way", "", LATER, "Take it", BISQUE), qtbot)
    combo = dialog.fields["way"]
    combo.showPopup()
    view = combo.view()
    qtbot.waitUntil(view.isVisible)
    for key in (K.Key_Down, K.Key_Down, K.Key_Return):
        QTest.keyClick(view, key)
    assert dialog.answer is None and combo.currentIndex() == 2 and dialog.isVisible()
    QTest.keyClick(combo, K.Key_Return)  # the closed list leaves Enter to the main button
    assert dialog.answer == "ok" and dialog.values == {"way": 2}
    dialog.hide()


def test_enter_on_a_verb_is_that_verb(qtbot):
    dialog = shown(FormDialog(None, "Name", "", [TextAsk("name", "Name", "x")], "Take it", BISQUE), qtbot)
    dialog.buttons["cancel"].setFocus(Qt.FocusReason.TabFocusReason)
    QTest.keyClick(dialog.focusWidget(), K.Key_Return)
    assert dialog.answer == "cancel"


def test_space_stops_no_work_under_way(user, qtbot):
    """A movie that is being made, and a progress window: their buttons take no key before Tab."""
    making = user.window.making
    user.window.show_making()
    window = user.window._making_window
    qtbot.waitUntil(window.isVisible)
    focused = window.focusWidget()
    assert isinstance(focused, QPushButton) and focused.text() == "Close" and making is window.making
    assert all(not button.autoDefault() for button in window.findChildren(QPushButton))
    window.hide()


def test_a_copy_that_was_thrown_away_stays_a_week(tmp_path, monkeypatch):
    file, note = tmp_path / "1-a.fictilis", tmp_path / "1-a.json"
    file.write_bytes(b"work")
    note.write_text("{}")
    found = Recoverable(file, note, "Bell", None, datetime.now())
    found.throw_away()
    thrown = found.thrown_to / "1-a.fictilis"
    assert thrown.read_bytes() == b"work" and not file.exists() and not note.exists()
    sweep(tmp_path)
    assert thrown.exists()
    monkeypatch.setattr("fictilis.app.model.recovery.time.time", lambda: thrown.stat().st_mtime + 8 * 86_400)
    sweep(tmp_path)
    assert not thrown.exists()


def test_enter_leads_to_a_main_verb_that_replaces_and_then_presses_it(qtbot):
    dialog = shown(FormDialog(None, "Export", "", [TextAsk("name", "Name", "bell")], "Export", BISQUE), qtbot)
    dialog.rename("ok", "Replace", destroys=True)
    for answer in (None, "ok"):
        QTest.keyClick(dialog.focusWidget(), K.Key_Return)
        assert dialog.answer == answer and dialog.focusWidget() is dialog.buttons["ok"]
    again = shown(FormDialog(None, "Export", "", [TextAsk("name", "Name", "bell")], "Export", BISQUE), qtbot)
    again.rename("ok", "Export", destroys=False)
    QTest.keyClick(again.focusWidget(), K.Key_Return)
    assert again.answer == "ok"
