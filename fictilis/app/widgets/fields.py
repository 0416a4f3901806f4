"""Small form parts: number fields with units, segmented choices, labelled rows."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QDropEvent,
    QFocusEvent,
    QIcon,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
    QPixmap,
    QWheelEvent,
)
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QButtonGroup,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QStyle,
    QStyleOptionComboBox,
    QStylePainter,
    QWidget,
)

from fictilis.app.model.document import Document
from fictilis.app.widgets.layouts import across
from fictilis.app.widgets.theme import Palette, pixmap
from fictilis.core.ground.errors import there


class KeptKeysField(QLineEdit):
    """A field that keeps Enter and Esc for itself, where the window has them as shortcuts."""

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and event.key() in (
            Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape,
        ):  # fmt: skip
            event.accept()
            return True
        return super().event(event)


class Editor(KeptKeysField):
    """A field whose text is taken by Enter or by leaving it, and written only to what it was opened for.

    That is what the section it stands in says it is about; once it is about something else, what was typed is left.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._about: object = None
        self._taking = False
        self.textEdited.connect(self._begin)
        self.editingFinished.connect(self.finish)

    def _subject(self) -> object:
        place = self.parentWidget()
        while place is not None and not hasattr(place, "subject"):
            place = place.parentWidget()
        return None if place is None else place.subject()

    def _begin(self) -> None:
        if self._about is None:
            self._about = (self._subject(),)

    def begun(self) -> bool:
        """Whether something was typed that is not taken yet, for what the field is still about."""
        return self.differs() and self._about in (None, (self._subject(),))

    def differs(self) -> bool:
        return self.isModified()

    def finish(self) -> None:
        """Take what was typed, or leave it where the field is about something else by now."""
        if self.differs() and not self._taking:
            good, self._taking = self.begun(), True  # writing ends what is typed once more
            self.setModified(False)
            self._about = None
            self.take() if good else self.leave()
            self._taking = False

    def take(self) -> None:
        """Write what was typed."""
        raise NotImplementedError

    def leave(self) -> None:
        """Show again what was there."""
        raise NotImplementedError


class TextField(Editor):
    """A text. ``committed`` after Enter or leaving the field, where it was changed."""

    committed = pyqtSignal(str)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.value = ""
        self.setAccessibleName(name)

    def set_value(self, text: str) -> None:
        """Show a text without announcing it; a field being edited is left alone."""
        editing = self.hasFocus() and self.begun()
        self.value = text
        if not editing:
            self.leave()

    def differs(self) -> bool:
        return self.text() != self.value

    def take(self) -> None:
        self.committed.emit(self.text())

    def leave(self) -> None:
        if self.differs():
            self.setText(self.value)
            self.setCursorPosition(0)  # the beginning of a long one is seen

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.isModified():
            self.leave()
            return
        super().keyPressEvent(event)


def key_name(event: QKeyEvent) -> str:
    """The name of a key that is pressed, with what is held beside it."""
    return QKeySequence(event.keyCombination()).toString(QKeySequence.SequenceFormat.PortableText)


def local_files(event: QDropEvent) -> list[Path]:
    """The files that are dragged."""
    data = event.mimeData()
    return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()] if data is not None else []


def when_pressed(button: QAbstractButton, run: Callable[[], None]) -> None:
    """Call ``run`` once for each press of a button that can be on: by mouse and keys, which click it, and by assistive
    technology, which toggles it without a click. What is shown must be set by ``show_checked``."""
    down = [False]  # while a click goes on, which will come to run by itself

    def pressed(is_down: bool) -> None:
        down[0] = is_down

    def toggled(on: bool) -> None:
        group = button.group()
        if not down[0] and (on or group is None or not group.exclusive()):
            run()

    button.pressed.connect(lambda: pressed(True))
    button.toggled.connect(toggled)
    button.released.connect(lambda: pressed(False))
    button.clicked.connect(lambda _on: run())


def show_checked(button: QAbstractButton, on: bool) -> None:
    """Show whether a button is on, without a press of it."""
    before = button.blockSignals(True)
    button.setChecked(on)
    button.blockSignals(before)


def show_colour(button: QAbstractButton, colour: str) -> None:
    """A patch of a colour on a button."""
    patch = QPixmap(16, 16)
    patch.fill(QColor(colour))
    button.setIcon(QIcon(patch))


class Segments(QWidget):
    """A few choices side by side, one of them on (or with ``several`` any)."""

    chosen = pyqtSignal(str)

    def __init__(self, name: str, choices: Sequence[str], several: bool = False, shown: Sequence[str] = ()) -> None:
        super().__init__()
        self.setAccessibleName(name)
        layout = across(self, 0)
        self._group = QButtonGroup(self)
        self._group.setExclusive(not several)
        self.buttons: dict[str, QPushButton] = {}
        for number, choice in enumerate(choices):
            button = QPushButton(shown[number] if shown else choice)
            button.setCheckable(True)
            button.setProperty("segment", True)
            place = (
                "only" if len(choices) == 1 else "first" if number == 0 else "last" if number == len(choices) - 1 else "middle"
            )
            button.setProperty("place", place)
            button.setAccessibleName(f"{name}: {choice}")
            self._group.addButton(button)
            when_pressed(button, partial(self.chosen.emit, choice))
            self.buttons[choice] = button
            layout.addWidget(button)
        layout.addStretch()

    def set_value(self, choice: str) -> None:
        """One choice, or none of them for a word that is none."""
        exclusive = self._group.exclusive()
        self._group.setExclusive(exclusive and choice in self.buttons)
        for name, button in self.buttons.items():
            show_checked(button, name == choice)
        self._group.setExclusive(exclusive)

    def set_values(self, choices: str) -> None:
        """Several at once, each named by one letter."""
        for name, button in self.buttons.items():
            show_checked(button, name in choices)


class Elided(QLabel):
    """A text that gives way where room is short, and does not widen the window."""

    def minimumSizeHint(self) -> QSize:
        hint = super().minimumSizeHint()
        return QSize(min(hint.width(), 4 * hint.height()), hint.height())

    def paintEvent(self, _event: object) -> None:
        painter = QPainter(self)
        room = self.contentsRect()
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideMiddle, room.width())
        there(self.style()).drawItemText(
            painter, room, int(self.alignment()), self.palette(), self.isEnabled(), text, self.foregroundRole()
        )


def end_editing(unless: QObject | None = None) -> None:
    """Something else acts: what is being typed is taken, or left."""
    place = QApplication.focusWidget()
    field = place.lineEdit() if isinstance(place, QComboBox) else place
    if isinstance(field, Editor | _Inline) and field is not unless:
        field.finish()


def inline_editor(
    parent: QWidget, rect: QRectF, text: str, finish: Callable[[str], None], still: Callable[[], bool], doc: Document
) -> QLineEdit:
    """A field over a painted text: Enter or leaving it finishes, Esc leaves the text as it was. It goes with what it was
    opened for: with the scene, or once ``still()`` is not so after a change."""
    opened = doc.openings
    editor = _Inline(parent)
    editor.setProperty("inline", True)
    editor.setGeometry(rect.toRect())
    editor.setText(text)
    editor.selectAll()

    def close(apply: bool) -> None:
        if editor.open:
            editor.open = False
            said = editor.text()
            editor.hide()
            editor.deleteLater()
            parent.setFocus()
            if apply and editor.still():
                finish(said)

    editor.closing.connect(close)
    doc.changed.connect(editor.check)
    editor.still = lambda: doc.openings == opened and still()
    editor.show()
    editor.setFocus()
    return editor


class _Inline(KeptKeysField):
    closing = pyqtSignal(bool)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.open = True
        self.still: Callable[[], bool] = lambda: True

    def check(self) -> None:
        """The document changed."""
        if not self.still():
            self.closing.emit(False)

    def finish(self) -> None:
        self.closing.emit(True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.closing.emit(False)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.closing.emit(True)
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.closing.emit(True)


class ArrowCombo(QComboBox):
    """A chooser with the shipped arrow."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.hint: str | None = None  # the tip while the text fits

    def paintEvent(self, event: QPaintEvent) -> None:
        """A text that does not fit is elided, and told whole by the tip."""
        if self.isEditable():
            super().paintEvent(event)
            painter = QPainter(self)
        else:
            option = QStyleOptionComboBox()
            self.initStyleOption(option)
            room = self.width() - 38 - (0 if option.currentIcon.isNull() else 22)
            shown = self.fontMetrics().elidedText(option.currentText, Qt.TextElideMode.ElideMiddle, room)
            if self.hint is None:
                self.hint = self.toolTip()
            self.setToolTip(self.hint if shown == option.currentText else option.currentText)
            option.currentText = shown
            painter = QStylePainter(self)
            painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
            painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)
        painter.drawPixmap(self.width() - 22, self.height() // 2 - 7, pixmap("caret-down", self.palette_.quiet, 14))

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()


def by_tab_only(part: QWidget) -> None:
    """A click on one of its buttons leaves the keys to the view."""
    for button in part.findChildren(QAbstractButton):
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
