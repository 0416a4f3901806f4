"""The transport line: play, loop, frame, range, rate and measured rate, and the keying buttons."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon, QResizeEvent
from PyQt6.QtWidgets import QComboBox, QLabel, QLayout, QPushButton, QToolButton, QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.lanes.playback import Playback
from fictilis.app.model.document import Document
from fictilis.app.model.times import time_label
from fictilis.app.widgets.fields import ArrowCombo, Segments, TextField, show_checked, when_pressed
from fictilis.app.widgets.layouts import across
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import ON_AUTO, Palette, icon, pixmap
from fictilis.core.edits import timeline as edits
from fictilis.core.ground.errors import FictilisError, there

RATES = ("24", "25", "30", "48", "60")
ROOMS = (650, 750, 920, 1140)  # pixels from which more of it is shown


class Transport(QWidget):
    def __init__(
        self, doc: Document, playback: Playback, actions: Actions, palette: Palette, ask_keep: Callable[[float], bool | None],
        choose_clip: Callable[[str], None],
    ) -> None:  # fmt: skip
        """``ask_keep`` asks whether another rate keeps seconds (True) or frames (False); None gives it up."""
        super().__init__()
        self.setObjectName("transport")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.doc, self.playback, self.actions_, self.palette_ = doc, playback, actions, palette
        self._ask_keep, self._asking = ask_keep, False
        layout = across(self, 6, (12, 4, 12, 4))
        self.play = QToolButton()
        self.play.setObjectName("play")
        self.play.setIconSize(QSize(16, 16))
        self.play.clicked.connect(playback.toggle)
        self.to_start = self._tool("start")
        self.loop = self._tool("loop")
        self.frame = NumberField("Current frame", decimals=0, low=-1e6, high=1e6)
        self.frame.setFixedWidth(58)
        self.frame.committed.connect(doc.set_frame)
        self.start = NumberField("First frame", decimals=0, low=-1e6, high=1e6)
        self.end = NumberField("Last frame", decimals=0, low=-1e6, high=1e6)
        for field in (self.start, self.end):
            field.setFixedWidth(52)
            field.committed.connect(self._set_range)
        self.rate = self._rate_field()
        self.time = self._quiet("")
        self.measured = self._quiet("")
        self.seam = self._quiet("")
        self.seam.setToolTip("The largest jump of a point, and of its speed, from the last frame back to the first")
        self.time.setMinimumWidth(56)
        self.measured.setMinimumWidth(104)
        self.clip = self._clip_field(choose_clip)
        self.words = [self._quiet(word) for word in ("of", "to", "at", "fps")]
        of, to, at, fps = self.words
        for part in (self.play, self.to_start, self.loop, self.frame, of, self.start, to, self.end, at, self.rate,
                     fps, self.clip, self.time, self.measured, self.seam):  # fmt: skip
            layout.addWidget(part)
        layout.addStretch(1)
        self.auto = self._button("auto-key", "Auto-key off")
        self.auto.setProperty("auto", True)
        self.key_mix = self._button("key-mix", "Key whole mix")
        self.retime = self._button("retime", "Retime")
        for button in (self.auto, self.key_mix, self.retime):
            layout.addWidget(button)
        self.plot = Segments("Below the view", ("Lanes", "Together", "Cues"))
        self.plot.chosen.connect(self._show)
        layout.addWidget(self.plot)
        self.setFixedHeight(40)
        layout.setSizeConstraint(QLayout.SizeConstraint.SetNoConstraint)
        self.setMinimumWidth(560)
        self._room = len(ROOMS)
        doc.changed.connect(self.refresh)
        doc.moved.connect(self.refresh_time)
        playback.changed.connect(self.refresh)
        self.set_palette_(palette)

    def subject(self) -> object:
        """What the fields are about."""
        return self.doc.openings

    def _show(self, what: str) -> None:
        """The lanes, one by one or in one plot, or the cues."""
        if what == "Cues":
            self.doc.change(cues_shown=True)
        else:
            self.doc.change(cues_shown=False, together=what == "Together")

    def _clip_field(self, choose: Callable[[str], None]) -> ArrowCombo:
        field = ArrowCombo(self.palette_)
        field.setAccessibleName("Clip")
        field.setToolTip("The active clip: its lanes are shown and played")
        field.setFixedWidth(104)
        field.activated.connect(lambda row: choose(field.itemData(row)))
        return field

    def _rate_field(self) -> ArrowCombo:
        rate = ArrowCombo(self.palette_)
        rate.setAccessibleName("Frame rate")
        rate.setEditable(True)
        self.rate_text = TextField("Frame rate")
        rate.setLineEdit(self.rate_text)
        rate.addItems(RATES)
        rate.setFixedWidth(72)
        rate.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        rate.activated.connect(lambda _i: self._set_rate())
        self.rate_text.committed.connect(lambda _text: self._set_rate())
        return rate

    def _quiet(self, text: str) -> QLabel:
        label = QLabel(text)
        label.setProperty("quiet", True)
        return label

    def _tool(self, action: str) -> QToolButton:
        button = QToolButton()
        button.setProperty("flat", True)
        button.setDefaultAction(self.actions_.by_id[action])
        button.setIconSize(QSize(18, 18))
        return button

    def _button(self, action_id: str, text: str) -> QPushButton:
        action = self.actions_.by_id[action_id]
        button = QPushButton(text)
        button.setCheckable(action.isCheckable())
        button.setIconSize(QSize(16, 16))
        when_pressed(button, action.trigger)
        action.changed.connect(lambda: (button.setEnabled(action.isEnabled()), button.setToolTip(action.toolTip())))
        button.setEnabled(action.isEnabled())
        return button

    def set_palette_(self, palette: Palette) -> None:
        self.palette_ = self.rate.palette_ = self.clip.palette_ = palette
        for name, button in (("start", self.to_start), ("loop", self.loop)):
            there(button.defaultAction()).setIcon(
                icon({"start": "skip-back", "loop": "repeat"}[name], palette, palette.primary)
            )
        self.key_mix.setIcon(icon("circles-three", palette))
        self.retime.setIcon(icon("arrows-horizontal", palette))
        self.refresh()

    def refresh(self) -> None:
        p, doc = self.palette_, self.doc
        from_name = "pause" if self.playback.playing else "play"
        self.play.setIcon(icon_of(from_name, p))
        self.play.setToolTip("Pause (Space)" if self.playback.playing else "Play (Space)")
        self.play.setAccessibleName("Pause" if self.playback.playing else "Play")
        show_checked(self.auto, doc.auto_key)
        self._measure()
        self._fit()
        self.auto.setIcon(icon("record", p, ON_AUTO) if doc.auto_key else icon("record", p))
        show_checked(self.retime, doc.band is not None)
        self.plot.set_value("Cues" if doc.cues_shown else "Together" if doc.together else "Lanes")
        self.clip.setVisible(bool(doc.scene.clips))
        self.clip.clear()
        for clip in doc.scene.clips:
            self.clip.addItem(clip.name, clip.id)
        self.clip.setCurrentIndex(self.clip.findData(doc.scene.clip))
        self.start.set_value(doc.scene.start)
        self.end.set_value(doc.scene.end)
        self.rate_text.set_value(f"{doc.scene.fps:g}")
        self.refresh_time()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self._measure():
            self.refresh()

    def _measure(self) -> bool:
        """Whether there is more room or less than there was; a clip's chooser takes some of it."""
        room = self.width() - (self.clip.width() if self.doc.scene.clips else 0)
        was, self._room = self._room, sum(room >= least for least in ROOMS)
        return was != self._room

    def _fit(self) -> None:
        """Where there is little room buttons keep their icons only, and what can be missed, or is in the menus, goes."""
        for button, text in ((self.auto, "Auto-key on" if self.doc.auto_key else "Auto-key off"),
                             (self.key_mix, "Key whole mix"),
                             (self.retime, "Retime")):  # fmt: skip
            button.setText(text if self._room > 3 else "")
            button.setAccessibleName(text)
        for label in self.words:
            label.setVisible(self._room > 2)
        self.time.setVisible(self._room > 2)
        for least, parts in ((2, (self.to_start, self.loop)), (1, (self.key_mix, self.retime))):
            for part in parts:
                part.setVisible(self._room >= least)

    def refresh_time(self) -> None:
        doc = self.doc
        self.frame.set_value(doc.frame)
        self.time.setText(time_label(doc.frame, doc.scene.fps, doc.time_shown))
        playing = self.playback.playing
        self.seam.setVisible(not playing and self._room > 2)
        self.measured.setVisible(playing and self._room > 2)
        slow = f" at {doc.speed:.0%}" if doc.speed != 1 else ""
        self.measured.setText(f"shows {self.playback.measured:.1f} fps{slow}" if playing and self.playback.measured else "")

    def show_seam(self, seam: tuple[float, float] | None) -> None:
        """The seam of the loop: cm, and cm a frame."""
        if seam is None:
            self.seam.setText("")
        elif max(seam) < 5e-3:
            self.seam.setText("loops cleanly")
        else:
            speed = "" if self.doc.scene.clips else f", speed {seam[1]:.2f}"  # for which the chooser leaves no room
            self.seam.setText(f"jump {seam[0]:.2f} cm{speed}")

    def _set_range(self, _value: float) -> None:
        start, end = self.start.value, self.end.value
        if (start, end) != (self.doc.scene.start, self.doc.scene.end):
            if not self.doc.edit("Frame range", lambda s: edits.set_frame_range(s, start, end)):
                self.refresh()

    def _set_rate(self) -> None:
        text = self.rate.currentText().replace(",", ".").strip()
        try:
            rate = float(text)
            edits.set_rate(self.doc.scene, rate)  # whether it is one, before anything is asked
        except (ValueError, FictilisError) as error:
            said = error.said if isinstance(error, FictilisError) else f"“{text[:40]}” is not a frame rate."
            self.doc.say(said, "error")
            self.rate_text.leave()
            return
        if rate == self.doc.scene.fps or self._asking:
            return
        self._asking = True  # the question takes the focus, which ends the editing once more
        scene = self.doc.scene
        timed = any(o.lanes for o in scene.owners) or scene.markers or scene.sound
        keep = self._ask_keep(rate) if timed else False
        self._asking = False
        if keep is None or not self.doc.edit("Frame rate", lambda s: edits.set_rate(s, rate, keep)):
            self.rate_text.leave()


def icon_of(name: str, palette: Palette):
    """An icon in the ground's colour, for a dark button."""
    return QIcon(pixmap(name, palette.panel, 16, 2.0))
