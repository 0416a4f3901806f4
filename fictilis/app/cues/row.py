"""One cue of the list: its switch and name, its sentence, each word that can change a control, its strip and its buttons."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol

from PyQt6.QtCore import QEvent, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap
from PyQt6.QtWidgets import QCheckBox, QFrame, QLabel, QMenu, QPushButton, QToolButton, QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.cues.strip import Strip
from fictilis.app.model.document import Document
from fictilis.app.widgets.fields import key_name, show_checked, when_pressed
from fictilis.app.widgets.flow import Flow
from fictilis.app.widgets.layouts import across, down, dress, empty, menu_on
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette, icon
from fictilis.core.ground.errors import there
from fictilis.core.rehearsal.acts import Word, find_cue
from fictilis.core.rehearsal.cue_words import Range, choices, number_of, with_key, with_number, words
from fictilis.core.rehearsal.layers import clip_seconds
from fictilis.core.rehearsal.meaning import fault
from fictilis.core.rehearsal.runner import UnderWay
from fictilis.core.scene.cues import CLIP, Cue

SIDE = 132  # pixels of the switch and the name
NAMES = {
    "when": "What sets it off", "when.owner": "What is clicked", "when.pick": "At which part", "when.key": "Which key",
    "when.marker": "Which marker", "when.cue": "After which cue", "act": "What it does", "act.owner": "Of which object",
    "act.mix": "Which mix", "act.group": "Which relay", "act.clip": "Which clip", "act.times": "How often",
    "act.on": "On or off", "act.motion": "Which motion", "act.cue": "Which cue it ends", "act.ease": "Easing",
    "then": "What follows", "then.ease": "Easing of the way back", "then.cue": "Which cue goes on",
    "meets": "Where it meets another", "carry": "Its speed", "lead.+": "Lead one more",
}  # fmt: skip


class Changes(Protocol):
    """What a row asks of the commands."""

    def change_cue(self, new: Cue) -> bool: ...


class KeyWord(QPushButton):
    """A button that waits for a key once it is pressed."""

    def __init__(self, take: Callable[[str], None]) -> None:
        super().__init__()
        self.take, self.waits = take, False
        self.clicked.connect(self._wait)

    def _wait(self) -> None:
        self.waits = True
        self.setText("press a key…")
        self.setFocus()

    def event(self, event: QEvent | None) -> bool:
        if self.waits and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not self.waits:
            super().keyPressEvent(event)
            return
        if event.key() in (Qt.Key.Key_Shift, Qt.Key.Key_Control, Qt.Key.Key_Alt, Qt.Key.Key_Meta):
            return
        self.waits = False
        self.take("" if event.key() == Qt.Key.Key_Escape else key_name(event))


class CueRow(QFrame):
    """Filled when it comes in sight. Its fields are about its cue."""

    def __init__(self, doc: Document, cue_id: str, commands: Changes, actions: Actions, palette: Palette) -> None:
        super().__init__()
        self.setObjectName("cue")
        self.doc, self.cue_id, self.commands, self.actions_, self.palette_ = doc, cue_id, commands, actions, palette
        self.filled = False
        self.controls: dict[str, QWidget] = {}
        self._words: list[Word] = []
        self.setMinimumHeight(74)

    def subject(self) -> object:
        return self.doc.openings, self.cue_id

    @property
    def cue(self) -> Cue:
        found = find_cue(self.doc.scene, self.cue_id)
        assert found is not None  # a row goes with its cue
        return found

    def fill(self) -> None:
        """Make what stands in it, once."""
        if self.filled:
            return
        self.filled = True
        self.switch = QCheckBox()
        self.switch.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.switch.setToolTip("Whether this cue listens")
        when_pressed(self.switch, lambda: self._do("switch-cue"))
        self.name = QPushButton()
        self.name.setProperty("flat", True)
        self.name.setStyleSheet("text-align: left; font-weight: 600; padding: 2px 2px;")
        self.name.clicked.connect(self.choose)
        self.more = QToolButton()
        self.more.setProperty("flat", True)
        self.more.setAccessibleName("More of the cue")
        self.more.setIconSize(QSize(16, 16))
        self.more.clicked.connect(self._menu)
        self.test = QPushButton("Test")
        self.test.setToolTip("Run this cue now, in a rehearsal")
        self.test.clicked.connect(lambda: self._do("test-cue"))
        self.fault = QLabel()
        self.fault.setProperty("error", True)
        self.strip = Strip(self.palette_)
        self.body = QWidget()
        self.flow = Flow(self.body)
        side = down(spacing=2)
        top = across(spacing=4)
        top.addWidget(self.switch)
        top.addWidget(self.name, 1)
        side.addLayout(top)
        side.addStretch(1)
        middle = down(spacing=6)
        for part in (self.body, self.fault, self.strip):
            middle.addWidget(part)
        end = down(spacing=6)
        end.addWidget(self.more, 0, Qt.AlignmentFlag.AlignRight)
        end.addStretch(1)
        end.addWidget(self.test)
        layout = across(self, 10, (12, 8, 12, 8))
        holder = QWidget()
        holder.setLayout(side)
        holder.setFixedWidth(SIDE)
        layout.addWidget(holder)
        layout.addLayout(middle, 1)
        layout.addLayout(end)
        for button in (self.name, self.more, self.test):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.refresh()

    def _do(self, action: str) -> None:
        self.choose()
        self.actions_.by_id[action].trigger()

    def choose(self) -> None:
        if self.doc.cue != self.cue_id:
            self.doc.change(cue=self.cue_id)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.choose()
        super().mousePressEvent(event)

    def contextMenuEvent(self, _event: object) -> None:
        self._menu()

    def _menu(self) -> None:
        self.choose()
        menu = menu_on(self)
        self.actions_.add_to(menu, ("test-cue", None, "rename-cue", "duplicate-cue", "cue-up", "cue-down", None, "remove-cue"))
        menu.popup(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def refresh(self) -> None:
        """Show the cue as it is now."""
        if not self.filled:
            return
        scene, cue = self.doc.scene, self.cue
        dress(self, chosen=self.doc.cue == self.cue_id)
        shown = self.name.fontMetrics().elidedText(cue.name, Qt.TextElideMode.ElideMiddle, SIDE - 48)
        self.name.setText(shown)
        self.name.setAccessibleName(f"Cue {cue.name}")
        self.name.setToolTip(cue.name)
        show_checked(self.switch, cue.on)
        self.switch.setAccessibleName(f"{cue.name} listens")
        self.test.setAccessibleName(f"Test {cue.name}")
        self.more.setIcon(icon("dots-three", self.palette_))
        why = fault(scene, cue)
        self.fault.setText(why)
        self.fault.setVisible(bool(why))
        self.test.setEnabled(not why)
        self._show_words(words(scene, cue))
        seconds = cue.act.seconds
        if cue.act.kind == CLIP and not why:
            seconds = cue.act.times * clip_seconds(scene, cue.act.clip) if cue.act.times else float("inf")
        self.strip.palette_ = self.palette_
        self.strip.show_cue(cue, seconds, next((w.colour for w in self._words if w.colour), ""))
        self.body.setEnabled(True)

    def show_way(self, way: UnderWay | None) -> None:
        if self.filled:
            self.strip.show_way(way)

    # words

    def _show_words(self, new: list[Word]) -> None:
        """The same words as widgets; made anew where there are others than before."""
        if [(w.part, not w.part and w.text) for w in new] != [(w.part, not w.part and w.text) for w in self._words]:
            self._make_words(new)
        self._words = new
        for word in new:
            control = self.controls.get(word.part)
            if isinstance(control, NumberField):
                number = number_of(self.doc.scene, self.cue, word.part)
                assert number is not None
                control.set_value(number.value)
                self._fit(control, number)
            elif isinstance(control, QPushButton):
                control.setText(word.text)
                control.setAccessibleName(f"{NAMES.get(word.part, 'What is led')}: {word.text}")
                control.setToolTip(NAMES.get(word.part, "What is led"))
                control.setIcon(_dot(self.palette_.lane(word.colour)) if word.colour else QIcon())

    def _fit(self, field: NumberField, number: Range) -> None:
        text = f"{number.value:.{number.decimals}f}"
        field.setFixedWidth(field.fontMetrics().horizontalAdvance(text) + field.textMargins().right() + 22)

    def _make_words(self, new: list[Word]) -> None:
        empty(self.flow)  # the one that is being typed in may be among them
        self.controls = {}
        for word in new:
            text = word.text
            if not word.part and text[0] in ",;":  # stands behind the word before it, also at the end of a line
                self.flow.addWidget(_label(text[0], joins=True))
                text = text[1:].strip()
            if word.part:
                self.controls[word.part] = self._word(word)
                self.flow.addWidget(self.controls[word.part])
            elif text:
                self.flow.addWidget(_label(text))
        self.flow.invalidate()
        self.updateGeometry()

    def _word(self, word: Word) -> QWidget:
        """The control of a word that can change."""
        number = number_of(self.doc.scene, self.cue, word.part)
        if number is not None:
            field = NumberField(number.name, number.unit, number.decimals, number.low, number.high)
            field.setProperty("word", True)
            field.committed.connect(lambda value, part=word.part: self._take(with_number(self.cue, part, value)))
            return field
        if word.part == "when.key":
            button: QPushButton = KeyWord(self._take_key)
        else:
            button = QPushButton()
            button.clicked.connect(lambda _on, part=word.part: self._choose_word(part))
        button.setProperty("word", True)
        button.setIconSize(QSize(10, 10))
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return button

    def _take(self, new: Cue) -> None:
        if new != self.cue and not self.commands.change_cue(new):
            self.refresh()

    def _take_key(self, key: str) -> None:
        if key:
            self._take(with_key(self.cue, key))
        self.refresh()

    def _choose_word(self, part: str) -> None:
        """What a word can be instead, as a menu."""
        self.choose()
        button, cue = self.controls[part], self.cue
        menu = menu_on(self)
        fill_menu(menu, choices(self.doc.scene, cue, part), cue, self._take)
        if not menu.actions():
            there(menu.addAction("there is nothing to choose from")).setEnabled(False)
        menu.popup(button.mapToGlobal(button.rect().bottomLeft()))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter, p = QPainter(self), self.palette_
        painter.fillRect(0, self.height() - 1, self.width(), 1, QColor(p.line))
        if self.doc.cue == self.cue_id:
            painter.fillRect(0, 0, 3, self.height() - 1, QColor(p.primary))


def _label(text: str, joins: bool = False) -> QLabel:
    label = QLabel(text)
    label.setProperty("quiet", True)
    label.setProperty("joins", joins)
    return label


def _dot(colour: str) -> QIcon:
    out = QPixmap(20, 20)
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(colour))
    painter.drawEllipse(2, 2, 16, 16)
    painter.end()
    out.setDevicePixelRatio(2.0)
    return QIcon(out)


def fill_menu(menu: QMenu, rows: Sequence[tuple[str, Cue]], now: Cue, take: Callable[[Cue], None]) -> None:
    """Choices as rows of a menu; those with groups before slashes stand in menus of their own, filled when they open."""
    groups: dict[str, list[tuple[str, Cue]]] = {}
    for label, new in rows:
        head, slash, rest = label.partition("/")
        if slash:
            groups.setdefault(head, []).append((rest, new))
            continue
        action = there(menu.addAction(label.replace("&", "&&")))
        action.setCheckable(True)
        action.setChecked(new == now)
        action.triggered.connect(lambda _on, to=new: take(to))
    for head, inside in groups.items():
        part = there(menu.addMenu(head.replace("&", "&&")))
        part.aboutToShow.connect(lambda m=part, r=inside: fill_menu(m, r, now, take) if not m.actions() else None)
