"""The list of cues below the view, with what begins a rehearsal and a take."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtWidgets import QCheckBox, QLabel, QPushButton, QScrollArea, QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.cues.row import Changes, CueRow
from fictilis.app.model.document import Document
from fictilis.app.model.rehearsing import Rehearsing
from fictilis.app.widgets.fields import show_checked, when_pressed
from fictilis.app.widgets.layouts import across, down
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette, icon
from fictilis.core.ground.errors import there

EMPTY = (
    "A cue is a sentence: when something is clicked or pressed, targets are led somewhere, and then they come back.\n"
    "Select targets and make a new cue; each word of it can be changed. Rehearse tries them in the view."
)


class CuePanel(QWidget):
    """Rows for all cues, those in sight filled."""

    def __init__(self, doc: Document, actions: Actions, commands: Changes, rehearsing: Rehearsing, palette: Palette) -> None:
        super().__init__()
        self.setObjectName("cues")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.doc, self.actions_, self.commands, self.rehearsing, self.palette_ = doc, actions, commands, rehearsing, palette
        self.rows: dict[str, CueRow] = {}
        self._brought: str | None = None
        self._bring = QTimer(self)  # when the rows are laid out
        self._bring.setSingleShot(True)
        self._bring.timeout.connect(self._bring_chosen)
        self.rehearse = self._button("rehearse", "Rehearse")
        self.rehearse.setProperty("rehearse", True)
        self.take = self._button("take", "Take")
        self.new = self._button("new-cue", "New cue")
        self.within = NumberField("Keys of a take are as few as are so near", decimals=4, low=0.0, high=1.0)
        self.within.setFixedWidth(64)
        self.within.committed.connect(lambda value: doc.change(take_within=value))
        self.said = QLabel()
        self.said.setProperty("quiet", True)
        head = across(spacing=8, margins=(12, 6, 12, 6))
        near = QLabel("keys within")
        near.setProperty("quiet", True)
        self.waiting = QCheckBox("Keep the wait")
        self.waiting.setToolTip("A take has the time before the first click or key too")
        self.waiting.toggled.connect(lambda on: doc.change(take_waiting=on))
        for part in (self.rehearse, self.take, near, self.within, self.waiting, self.said):
            head.addWidget(part)
        head.addStretch(1)
        head.addWidget(self.new)
        self.empty = QLabel(EMPTY)
        self.empty.setProperty("quiet", True)
        self.empty.setContentsMargins(14, 10, 14, 10)
        self.empty.setWordWrap(True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.inside = QWidget()
        self.list = down(self.inside, 0)
        self.list.addStretch(1)
        self.area.setWidget(self.inside)
        there(self.area.verticalScrollBar()).valueChanged.connect(self._fill)
        layout = down(self, 0)
        layout.addLayout(head)
        layout.addWidget(self.empty)
        layout.addWidget(self.area, 1)
        doc.changed.connect(self.refresh)
        rehearsing.ticked.connect(self._show_ways)
        self.set_palette_(palette)

    def subject(self) -> object:
        return self.doc.openings

    def _button(self, action_id: str, text: str) -> QPushButton:
        action, button = self.actions_.by_id[action_id], QPushButton(text)
        button.setCheckable(action.isCheckable())
        button.setIconSize(QSize(14, 14))
        when_pressed(button, action.trigger)
        action.changed.connect(lambda: (button.setEnabled(action.isEnabled()), button.setToolTip(action.toolTip())))
        button.setEnabled(action.isEnabled())
        button.setToolTip(action.toolTip())
        return button

    def set_palette_(self, palette: Palette) -> None:
        self.palette_ = palette
        self.new.setIcon(icon("plus", palette))
        self.take.setIcon(icon("record", palette, palette.error))
        self.rehearse.setIcon(icon("play", palette, palette.on_rehearse))
        for row in self.rows.values():
            row.palette_ = palette
        self.refresh()

    def refresh(self) -> None:
        """Rows for the cues that there are, in their order."""
        if not self.isVisibleTo(self.window()) and not self.rows:
            return
        doc, ids = self.doc, [c.id for c in self.doc.scene.cues]
        for gone in [i for i in self.rows if i not in ids]:
            row = self.rows.pop(gone)
            self.list.removeWidget(row)
            row.hide()
            row.deleteLater()
        for place, cue_id in enumerate(ids):
            if cue_id not in self.rows:
                self.rows[cue_id] = CueRow(doc, cue_id, self.commands, self.actions_, self.palette_)
                self.list.insertWidget(place, self.rows[cue_id])
            elif self.list.indexOf(self.rows[cue_id]) != place:
                self.list.removeWidget(self.rows[cue_id])
                self.list.insertWidget(place, self.rows[cue_id])
        self.empty.setVisible(not ids)
        self.area.setVisible(bool(ids))
        show_checked(self.rehearse, doc.rehearsing)
        self.rehearse.setText("End the rehearsal" if doc.rehearsing else "Rehearse")
        show_checked(self.take, doc.taking)
        self.take.setText("End the take" if doc.taking else "Take")
        self.within.set_value(doc.take_within)
        show_checked(self.waiting, doc.take_waiting)
        for row in self.rows.values():
            row.refresh()
        self._fill()
        self._show_ways()
        if doc.cue != self._brought:
            self._brought = doc.cue
            self._bring.start(30)

    def _bring_chosen(self) -> None:
        """The cue that was chosen comes into sight, unless it is under the pointer already."""
        row = self.rows.get(self._brought or "")
        if row is not None and self.isVisible() and not row.underMouse():
            self.area.ensureWidgetVisible(row, 0, 0)

    def showEvent(self, event: object) -> None:
        self.refresh()

    def resizeEvent(self, event: object) -> None:
        self._fill()

    def _fill(self) -> None:
        """Make what stands in the rows that are in sight, and a little below."""
        if not self.isVisible():
            return
        top, high = there(self.area.verticalScrollBar()).value(), max(there(self.area.viewport()).height(), 200)
        y = 0
        for cue in self.doc.scene.cues:
            row = self.rows.get(cue.id)
            if row is not None:
                tall = max(row.height(), row.minimumHeight()) if row.filled else row.minimumHeight()
                if y + tall >= top - 200 and y <= top + high + 400:
                    row.fill()
                y += tall

    def _show_ways(self) -> None:
        if not self.isVisible():
            return
        ways = self.rehearsing.under_way()
        for cue_id, row in self.rows.items():
            row.show_way(ways.get(cue_id))
        count = len(self.doc.scene.cues)
        text = f"{count} cue{'' if count == 1 else 's'}"
        if self.doc.rehearsing:
            run = sum(way.phase != "queued" for way in ways.values())
            text = f"{self.rehearsing.seconds:.1f} s, {run} cue{' runs' if run == 1 else 's run'}"
        self.said.setText(text)
