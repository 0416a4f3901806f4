"""Dialogs: forms, easings, light, how targets take a change of the base, shortcuts, several sentences."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, QSize, Qt, QTimer
from PyQt6.QtGui import QColor, QHideEvent, QIcon, QImage, QKeyEvent, QPainter, QPen, QPixmap, QPolygonF, QShowEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QDialog,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from fictilis.app.model.asking import Ask, CheckAsk, ChoiceAsk, NumberAsk, TextAsk
from fictilis.app.widgets.fields import ArrowCombo, Segments
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.layouts import across, down
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.animation.easing import EASINGS, ease_at, handles_of
from fictilis.core.ground.errors import FictilisError, there

EDGE = 12  # pixels, from the corner of the window


class Dialog(QDialog):
    """A heading, a body and a row of verbs. ``answer`` is the id of the button pressed, or None."""

    def __init__(self, parent: QWidget | None, title: str, width: int = 460) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(width)
        self.answer: str | None = None
        outer = down(self, 14, (22, 20, 22, 18))
        heading = QLabel(title)
        heading.setProperty("title", True)
        heading.setStyleSheet("font-size: 16px;")
        outer.addWidget(heading)
        self.body = down(spacing=10)
        outer.addLayout(self.body)
        self.row = across(spacing=8)
        self.row.addStretch()
        outer.addLayout(self.row)
        self.buttons: dict[str, QPushButton] = {}

    def stand_aside(self) -> None:
        """Stand at the lower left of the window, clear of the middle of the view, which shows what is chosen."""
        window = self.parentWidget()
        if window is not None:
            corner = window.mapToGlobal(window.rect().bottomLeft())
            self.adjustSize()
            self.move(corner.x() + EDGE, max(corner.y() - self.height() - EDGE, window.mapToGlobal(QPoint()).y()))

    def sentence(self, text: str, quiet: bool = False) -> QLabel:
        label = QLabel(text)
        label.setWordWrap(True)
        label.setProperty("quiet", quiet)
        self.body.addWidget(label)
        return label

    def button(self, name: str, text: str, primary: bool = False, destroys: bool = False) -> QPushButton:
        """A verb of the last row. One that ``destroys`` work is pressed by keys only once Tab or the mouse reached it."""
        button = QPushButton(text)
        button.setProperty("primary", primary)
        button.setProperty("destroys", destroys)
        button.setAutoDefault(False)
        button.clicked.connect(lambda _on: self._close(name))
        self.row.addWidget(button)
        self.buttons[name] = button
        return button

    def rename(self, name: str, text: str, destroys: bool) -> None:
        """Change the label of a verb."""
        self.buttons[name].setText(text)
        self.buttons[name].setProperty("destroys", destroys)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter is the verb that has the keys, from anywhere else the main one; to a main one that destroys it only leads. Esc
        gives up."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            main = next((b for b in self.buttons.values() if b is self.focusWidget()), self._main())
            if main is not None and main.isEnabled():
                main.click()
            for button in self.buttons.values() if main is None else ():
                if button.property("primary"):
                    button.setFocus()
        else:
            super().keyPressEvent(event)

    def _main(self) -> QPushButton | None:
        return next((b for b in self.buttons.values() if b.property("primary") and not b.property("destroys")), None)

    def showEvent(self, event: QShowEvent) -> None:
        for button in self.findChildren(QPushButton):
            button.setAutoDefault(False)  # else a button that was clicked takes Enter
        for part in self.findChildren(QAbstractItemView):
            part.installEventFilter(self)
        super().showEvent(event)
        first = self.focusWidget() or self.nextInFocusChain()
        while first is not self and not _takes_keys(there(first)):
            first = there(first).nextInFocusChain()
        if first in self.buttons.values() or first is self:  # no field comes first: the keys begin on what keeps
            keeps = self._main() or self.buttons.get("cancel")
            if keeps is not None:
                keeps.setFocus()

    def hideEvent(self, event: QHideEvent) -> None:
        """Once it is answered, texts that wait to be updated stay as they are."""
        super().hideEvent(event)
        for timer in self.findChildren(QTimer):
            timer.stop()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The dialog's lists leave Enter to it. An open list of choices has a window of its own, and takes Enter itself."""
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent) and isinstance(watched, QAbstractItemView):
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and watched.window() is self:
                self.keyPressEvent(event)
                return True
        return super().eventFilter(watched, event)

    def _close(self, name: str) -> None:
        self.answer = name
        if name == "cancel":
            self.reject()
        else:
            self.accept()


def _takes_keys(widget: QWidget) -> bool:
    return bool(widget.focusPolicy() & Qt.FocusPolicy.TabFocus) and widget.isVisible() and widget.isEnabled()


SIDE_BY_SIDE = 26  # letters of choices that still fit side by side


def ask_field(ask: Ask, palette: Palette) -> tuple[QWidget, Callable[[], Any]]:
    """The widget that asks for something, and what reads its answer."""
    if isinstance(ask, NumberAsk):
        field = NumberField(ask.label, ask.unit, ask.decimals, ask.low, ask.high, trimmed=True, none=ask.none)
        field.set_value(ask.default)
        return field, lambda: field.value
    if isinstance(ask, CheckAsk):
        check = QCheckBox(ask.label)
        check.setChecked(ask.default)
        return check, check.isChecked
    if isinstance(ask, TextAsk):
        line = QLineEdit(ask.default)
        line.setAccessibleName(ask.label)
        line.selectAll()
        return line, lambda: line.text().strip()
    texts = [text for text, _ in ask.choices]
    values = [value for _, value in ask.choices]
    start = values.index(ask.default) if ask.default in values else 0
    if len(texts) <= 3 and sum(map(len, texts)) <= SIDE_BY_SIDE:
        row = Segments(ask.label, texts)
        row.set_value(texts[start])
        return row, lambda: values[next(n for n, t in enumerate(texts) if row.buttons[t].isChecked())]
    combo = ArrowCombo(palette)
    combo.setAccessibleName(ask.label)
    combo.addItems(texts)
    combo.setCurrentIndex(start)
    return combo, lambda: values[combo.currentIndex()]


def watch(widget: QWidget, seen: Callable[[], None]) -> None:
    """Call ``seen`` whenever the answer of such a widget changes."""
    if isinstance(widget, NumberField):
        widget.committed.connect(lambda _value: seen())
    elif isinstance(widget, QCheckBox):
        widget.toggled.connect(lambda _on: seen())
    elif isinstance(widget, Segments):
        widget.chosen.connect(lambda _text: seen())
    elif isinstance(widget, ArrowCombo):
        widget.currentIndexChanged.connect(lambda _row: seen())


class FormDialog(Dialog):
    """A few numbers, choices and texts; ``values`` by name once it was accepted."""

    def __init__(
        self,
        parent: QWidget,
        title: str,
        sentence: str,
        asks: Sequence[Ask],
        verb: str,
        palette: Palette,
        destroys: bool = False,
    ) -> None:
        super().__init__(parent, title)
        if sentence:
            self.sentence(sentence, True)
        self.fields: dict[str, Any] = {}
        self._read: dict[str, Callable[[], Any]] = {}
        self.values: dict[str, Any] = {}
        for ask in asks:
            widget, read = ask_field(ask, palette)
            self.fields[ask.name], self._read[ask.name] = widget, read
            self.body.addWidget(widget if isinstance(ask, CheckAsk) else Labelled(ask.label, widget, width=118))
            if isinstance(ask, TextAsk) and ask.needed:
                widget.setFocus()  # it is typed in any case
        self.button("cancel", "Cancel")
        self.button("ok", verb, not destroys, destroys)

    def _close(self, name: str) -> None:
        if name == "ok":
            for field in self.fields.values():
                if isinstance(field, NumberField):
                    field.finish()
            if any(field.property("bad") for field in self.fields.values()):
                return
            self.values = {name: read() for name, read in self._read.items()}
        super()._close(name)


class EaseDialog(Dialog):
    """The easings with a picture of each, and a field for CSS."""

    def __init__(self, parent: QWidget, ease: str, palette: Palette) -> None:
        super().__init__(parent, "Ease to the next key")
        self.ease = ease
        self.sentence("Choose one, or write your own as CSS does: cubic-bezier(x1, y1, x2, y2).", True)
        self.list = QListWidget()
        self.list.setIconSize(QSize(34, 26))
        self.list.setMinimumHeight(280)
        for name in EASINGS:
            self.list.addItem(QListWidgetItem(ease_icon(name, palette.primary), name.replace("-", " ")))
        self.list.currentRowChanged.connect(lambda row: row >= 0 and self.css.setText(EASINGS[row]))
        self.css = QLineEdit(ease)
        self.css.setAccessibleName("CSS")
        self.css.textEdited.connect(lambda _text: self.list.setCurrentRow(-1))
        self.body.addWidget(self.list)
        self.body.addWidget(Labelled("CSS", self.css, width=50))
        self.wrong = self.sentence("")
        self.wrong.setProperty("error", True)
        self.wrong.hide()
        if ease in EASINGS:
            self.list.setCurrentRow(EASINGS.index(ease))
        self.button("cancel", "Cancel")
        self.button("ok", "Ease it", True)

    def _close(self, name: str) -> None:
        if name == "ok":
            try:
                handles_of(self.css.text())
            except FictilisError as error:
                self.wrong.setText(error.said)
                self.wrong.show()
                return
            self.ease = self.css.text().strip()
        super()._close(name)


def ease_icon(ease: str, colour: str) -> QIcon:
    """A small picture of an easing."""
    picture = QPixmap(68, 52)
    picture.setDevicePixelRatio(2.0)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    t = np.linspace(0, 1, 49)
    line = [QPointF(3 + 28 * a, 20 - 14 * b) for a, b in zip(t, ease_at(ease, t), strict=True)]
    painter.setPen(QPen(QColor(colour), 1.6))
    painter.drawPolyline(QPolygonF(line))
    painter.end()
    return QIcon(picture)


class BlendDialog(FormDialog):
    """From one kept mix to another by a slider, shown while it is dragged."""

    def __init__(
        self, parent: QWidget, names: Sequence[str], palette: Palette, show: Callable[[str, str, float], None]
    ) -> None:
        choices = [(n, n) for n in names]
        asks = (ChoiceAsk("first", "From", choices, names[0]), ChoiceAsk("second", "To", choices, names[-1]))
        super().__init__(parent, "Blend two kept mixes", "", asks, "Set it", palette)
        self.button("key", "Key it")
        self._show = show
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(-500, 1500)
        self.slider.setValue(500)
        self.slider.setAccessibleName("Part of the way")
        self.slider.valueChanged.connect(lambda _v: self.shown())
        self.amount = QLabel()
        self.amount.setFixedWidth(46)
        self.body.addWidget(Labelled("Part of the way", self.slider, self.amount, width=118))
        for field in self.fields.values():
            signal = field.chosen if isinstance(field, Segments) else field.activated
            signal.connect(lambda _choice: self.shown())
        self.shown()

    @property
    def part(self) -> float:
        return self.slider.value() / 1000

    def shown(self) -> None:
        self.amount.setText(f"{self.part:.2f}")
        self.values = {name: read() for name, read in self._read.items()}
        self._show(self.values["first"], self.values["second"], self.part)


class BaseQuestion(Dialog):
    """The base changed while there are targets: do they follow or stay? A picture of each."""

    def __init__(self, parent: QWidget, pictures: Sequence[QImage | None], target_name: str) -> None:
        super().__init__(parent, "How should the targets take this change of the base?", 520)
        row = across(spacing=12)
        texts = {
            "follow": ("Targets follow", "Each keeps its offsets and changes with the base."),
            "stay": ("Targets stay", "Each keeps its own shape; its offsets change instead."),
        }
        self.choices: dict[str, QToolButton] = {}
        for (name, (title, said)), image in zip(texts.items(), pictures, strict=True):
            column = QVBoxLayout()
            choice = QToolButton()
            choice.setText(title)
            choice.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            choice.setStyleSheet("font-weight: 600; padding: 10px;")
            choice.setMinimumSize(220, 190)
            if image is not None:
                choice.setIcon(QIcon(QPixmap.fromImage(image)))
                choice.setIconSize(QSize(190, 142))
            choice.clicked.connect(lambda _on, n=name: self._close(n))
            note = QLabel(said)
            note.setWordWrap(True)
            note.setProperty("quiet", True)
            note.setFixedWidth(230)
            column.addWidget(choice)
            column.addWidget(note)
            row.addLayout(column)
            self.choices[name] = choice
        self.body.addLayout(row)
        self.sentence(f"The pictures show {target_name} at full weight.", True)
        self.remember = QCheckBox("Remember for this scene, until it is closed")
        self.body.addWidget(self.remember)
        self.button("cancel", "Undo the stroke")


class SentencesDialog(Dialog):
    """Several files: what was done with each, in one sentence each."""

    def __init__(self, parent: QWidget, title: str, sentences: Sequence[tuple[str, str]]) -> None:
        super().__init__(parent, title, 540)
        for text, kind in sentences:
            label = self.sentence(text)
            label.setProperty("error", kind == "error")
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.button("ok", "Close", True)


class AboutDialog(Dialog):
    def __init__(self, parent: QWidget, version: str, card: str) -> None:
        """``card`` is what draws the pictures, by the name that OpenGL gives it."""
        super().__init__(parent, f"Fictilis {version}")
        self.sentence("Mould morph targets from copies of a mesh, mix them by weight, and animate the weights.")
        self.sentence(
            "Free software under the MIT licence. Work Sans is under the SIL Open Font License, the Phosphor icons "
            "under the MIT licence.",
            True,
        )
        if card:
            self.sentence(f"Pictures are drawn by {card}.", True)
        self.button("ok", "Close", True)
