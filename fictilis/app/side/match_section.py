"""The side column's section of a matched line: where it begins along the other line, shown half-way between the two."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QSlider

from fictilis.app.model.document import Document
from fictilis.app.model.hand import Gesture
from fictilis.app.side.section import Section
from fictilis.app.widgets.fields import show_checked
from fictilis.app.widgets.labelled import Labelled
from fictilis.app.widgets.number_field import NumberField
from fictilis.app.widgets.theme import Palette
from fictilis.core.edits.lines import set_match
from fictilis.core.geometry.kinds import Match
from fictilis.core.ground.errors import there
from fictilis.core.scene.matches import match_of

STEPS = 1000  # of the slider, for half a length each way


class _Slide(Gesture):
    """The start is slid: previewed, and taken when the slider is let go."""

    def __init__(self, section: MatchSection) -> None:
        self.section = section

    def move(self, event: int) -> None:
        self.section.preview(event / STEPS)

    def end(self, _event: object = None) -> None:
        self.section.take()


class MatchSection(Section):
    """Shown for a target that was made of another line, until it is reshaped."""

    def __init__(self, doc: Document, palette: Palette) -> None:
        super().__init__(palette)
        self.doc = doc
        self.start = QSlider(Qt.Orientation.Horizontal)
        self.start.setAccessibleName("Start along the line")
        self.start.setRange(-STEPS // 2, STEPS // 2)
        self.start.sliderPressed.connect(self._press)
        self.start.sliderMoved.connect(self._move)
        self.start.sliderReleased.connect(self._release)
        self.add(self.start)
        self.number = NumberField("Start", "%", 1, -100, 100)
        self.number.committed.connect(lambda v: self._set(shift=v / 100))
        self.add(Labelled("Start", self.number))
        self.backwards, self.corners = QCheckBox("The other way round"), QCheckBox("Keep corners")
        self.backwards.toggled.connect(lambda on: self._set(backwards=on))
        self.corners.toggled.connect(lambda on: self._set(corners=on))
        self.add(self.backwards)
        self.add(self.corners)

    def _match(self) -> Match | None:
        """What the target was made of."""
        obj, target = self.doc.object, self.doc.target
        return None if obj is None or target is None else match_of(obj, target)

    def subject(self) -> object:
        return self.doc.openings, self.doc.object_id, self.doc.target and self.doc.target.id

    def _changed(self, **values: Any) -> Any:
        doc, match = self.doc, self._match()
        now = {name: getattr(match, name) for name in ("shift", "backwards", "corners")} | values
        return lambda scene: set_match(scene, doc.obj.id, there(doc.target).id, **now)

    def _press(self) -> None:
        self.doc.hand.take(_Slide(self))
        self._move(self.start.value())

    def _move(self, place: int) -> None:
        if isinstance(self.doc.hand.gesture, _Slide):  # else something came between
            self.doc.hand.move(place)

    def _release(self) -> None:
        if isinstance(self.doc.hand.gesture, _Slide):
            self.doc.hand.release()
        self.refresh()

    def preview(self, shift: float) -> None:
        """Show the shape half-way between the two, in which it is seen which part becomes which."""
        doc, match = self.doc, self._match()
        if match is None or doc.target is None:
            return
        self.number.set_value(shift * 100)
        posed = doc.committed.posed
        half = {**posed.get(doc.obj.id, {}), doc.target.id: 0.5}
        scene = doc.attempt(lambda: self._changed(shift=shift)(doc.committed.scene))  # a locked object says so
        if scene is not None:
            doc.preview(scene, posed={**posed, doc.object_id: half})

    def take(self) -> None:
        shift = self.start.value() / STEPS
        self.doc.cancel_preview()
        self._set(shift=shift)

    def _set(self, **values: Any) -> None:
        match, target = self._match(), self.doc.target
        if match is not None and target is not None and any(getattr(match, name) != value for name, value in values.items()):
            self.doc.edit(f"Start of {target.name}", self._changed(**values))
        self.refresh()

    def refresh(self) -> None:
        match, target = self._match(), self.doc.target
        self.setVisible(match is not None)
        if match is None or target is None:
            return
        self.set_heading(f"Match of {target.name}")
        round_ = bool(match.line.closed.any())  # an open line begins at its end
        self.start.setEnabled(round_)
        self.number.setEnabled(round_)
        if not self.start.isSliderDown():
            self.start.blockSignals(True)
            self.start.setValue(round(match.shift * STEPS))
            self.start.blockSignals(False)
        self.number.set_value(match.shift * 100)
        for box, on in ((self.backwards, match.backwards), (self.corners, match.corners)):
            show_checked(box, on)
