"""Exact amounts at a handle: a minus, a point or =, and a digit over a handle, open a field with a box for each of its axes."""

from __future__ import annotations

from typing import cast

import numpy as np
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QLabel, QWidget

from fictilis.app.model.arithmetic import number_from
from fictilis.app.view.canvas import Canvas
from fictilis.app.view.tools import TOOLS, Bench, Event
from fictilis.app.view.tools.handling import CHANGES, handle_ends, handle_under
from fictilis.app.widgets.fields import KeptKeysField
from fictilis.app.widgets.layouts import across, dress
from fictilis.app.widgets.theme import Palette
from fictilis.core.ground.errors import there

BEGIN = "0123456789-−.,="
SIGNS = "-−.,="  # these are no keys of tools: they open the field whenever there is a pick
STILL = 6  # pixels that the pointer may go after a pick and still mean it
GAP, EDGE = 34, 8  # pixels from a handle's end, past its letter, and from the view's edge


class AmountField(QFrame):
    """The field of one view. It is open while it is visible; the stroke of the view shows what it says."""

    def __init__(self, view: Canvas) -> None:
        super().__init__(cast(QWidget, view))
        self.view = view
        self.setObjectName("amount")
        self.setAccessibleName("Exact amount")
        self.boxes: dict[int | None, AmountBox] = {}
        self.unit = QLabel(self)
        self.unit.setProperty("quiet", True)
        self._row = across(self, 5, (9, 5, 9, 5))
        self._letters: list[QLabel] = []
        self._at: int | None = None
        self._opened: tuple | None = None
        self._pick, self._scene = view.doc.pick(), view.doc.committed.scene
        self.ready: QPointF | None = None  # where the pointer was when something was picked
        self.hide()

    # opening

    def is_on(self) -> bool:
        doc = self.view.doc
        return doc.shaping is not None and TOOLS[doc.tools.tool].family == "handles" and len(doc.pick()) > 0

    def _under(self) -> tuple[bool, int | None]:
        """Whether a handle is held or under the pointer, and its axis."""
        view = self.view
        if view.strokes.on:
            return True, view.strokes.held_axis
        item = view.shaped_item()
        still = self.ready is not None and (view.pointer - self.ready).manhattanLength() < STILL
        if item is None or view.pointer.x() < 0 or still:  # a click picks just where the middle handle then stands
            return False, None
        return handle_under(view.bench(item), view.pointer.x(), view.pointer.y())

    def wants(self, event: QKeyEvent) -> bool:
        """Whether a key begins an amount, rather than being a shortcut."""
        plain = not event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
        text = event.text()
        if not (plain and text and text in BEGIN and self.is_on()):
            return False
        return text in SIGNS or self._under()[0]

    def key(self, event: QKeyEvent) -> bool:
        """Open with a key that begins an amount, or leave a stroke by Esc; whether the key was one of ours."""
        if event.key() == Qt.Key.Key_Escape and self.view.strokes.on:
            self.view.strokes.cancel()
            return True
        if not self.wants(event):
            return False
        held, axis = self._under()
        bench = self.view.bench(there(self.view.shaped_item()))
        if not self.view.strokes.on:
            stroke = self.view.strokes.start(Event("type", 0, 0))
            if stroke is not None:
                self.view.doc.hand.take(stroke)
        if self.view.strokes.on:
            self._open(bench, held, axis, event.text().replace("=", ""))
        return True

    def _open(self, bench: Bench, held: bool, axis: int | None, text: str) -> None:
        doc, change = self.view.doc, CHANGES[self.view.doc.tools.tool]
        axes, first = change.boxes(bench, held, axis)
        self.ready, self._at = None, axis if held else None
        self._opened = (doc.committed, doc.tools.tool)
        self._make_boxes(bench, axes, f"{change.neutral:g}")
        self.adjustSize()
        self.place()
        self.show()
        self.raise_()
        box = self.boxes[first]
        box.setFocus()
        box.setText(text)
        self._edited()

    def _make_boxes(self, bench: Bench, axes: tuple[int | None, ...], neutral: str) -> None:
        for old in (*self._letters, *self.boxes.values()):
            self._row.removeWidget(old)
            old.hide()
            old.deleteLater()
        self._row.removeWidget(self.unit)
        self.boxes, self._letters = {}, []
        palette = self.view.palette_
        for axis in axes:
            name = CHANGES[self.view.doc.tools.tool].whole if axis is None else bench.axis_names[axis]
            letter, box = QLabel(name, self), AmountBox(self, name, neutral)
            letter.setStyleSheet(f"color: {palette.quiet if axis is None else palette.axes[axis]}; font-weight: 600;")
            box.textEdited.connect(self._edited)
            box.entered.connect(self.apply)
            box.left.connect(self.view.strokes.cancel)
            self._row.addWidget(letter)
            self._row.addWidget(box)
            self._letters.append(letter)
            self.boxes[axis] = box
        self._row.addWidget(self.unit)
        self._say_unit()

    def _say_unit(self) -> None:
        """The unit, behind what the arithmetic of the box in use comes to."""
        unit = CHANGES[self.view.doc.tools.tool].unit
        box = next((b for b in self.boxes.values() if b is self.focusWidget()), None)  # also in a window that is not in front
        number = box.number() if box is not None and box.is_sum() else None
        self.unit.setText(unit if number is None else f"= {number:.4g} {unit}")
        self.adjustSize()
        self.place()

    def place(self) -> None:
        """Stand beside the handles where there is room in the view: at their right, below, above or at their left."""
        item = self.view.shaped_item()
        ends = handle_ends(self.view.bench(item)) if item is not None else {}
        if not ends:
            return
        xs, ys = np.array(list(ends.values())).T
        x, y = ends[self._at][0], ends[self._at][1] - self.height() / 2
        ways = (
            (xs.max() + GAP, y), (x - self.width() / 2, ys.max() + GAP), (x - self.width() / 2, ys.min() - GAP - self.height()),
            (xs.min() - GAP - self.width(), y),
        )  # fmt: skip
        most = np.array([self.view.width() - self.width(), self.view.height() - self.height()]) - EDGE
        kept = [np.clip(way, EDGE, np.maximum(most, EDGE)) for way in ways]
        at = next((at for at, way in zip(kept, ways, strict=True) if np.allclose(at, way)), kept[1])
        self.move(round(at[0]), round(at[1]))

    def set_palette_(self, _palette: Palette) -> None:
        if self.isVisible():
            self.view.strokes.cancel()

    # what it says

    def amounts(self) -> dict[int | None, float] | None:
        """The amount of each box; None where one of them holds no number."""
        out = {axis: number for axis, box in self.boxes.items() if (number := box.number()) is not None}
        return out if len(out) == len(self.boxes) else None

    def _edited(self) -> None:
        for box in self.boxes.values():
            box.mark(True)
        self._say_unit()
        self.view.strokes.type(self.amounts())

    def apply(self) -> None:
        """Commit what the boxes say; what is no number is said, and the field stays open."""
        bad = [box for box in self.boxes.values() if box.number() is None]
        for box in bad:
            box.mark(False)
        if bad:
            bad[0].setFocus()
            self.view.doc.say(f"“{bad[0].text()[:40]}” is not a number; nothing has moved.", "error")
            return
        self.view.strokes.type(self.amounts())
        self.view.doc.hand.release()

    def stroke_ended(self) -> None:
        if self.isVisible():
            self.ready = self._opened = None
            within = any(box.hasFocus() for box in self.boxes.values())
            self.hide()
            if within:
                self.view.setFocus()

    def changed(self) -> None:
        """The document changed: a field that stands on something else is left."""
        doc = self.view.doc
        if not doc.pick().same_as(self._pick):
            self._pick = doc.pick()
            self.ready = self.view.pointer if len(self._pick) else None
        elif doc.committed.scene is not self._scene:
            self.ready = None
        self._scene = doc.committed.scene
        if self.isVisible() and self._opened != (doc.committed, doc.tools.tool):
            self.view.strokes.cancel()


class AmountBox(KeptKeysField):
    """One number of the field."""

    entered, left = pyqtSignal(), pyqtSignal()

    def __init__(self, field: AmountField, name: str, neutral: str) -> None:
        super().__init__(neutral, field)
        self.field, self.neutral = field, neutral
        self.setAccessibleName(f"Amount {name}")
        self.setProperty("slim", True)
        self.setFixedSize(50, 24)
        self.setMaxLength(60)

    def number(self) -> float | None:
        """What stands here; the neutral amount where nothing does, None where it is no number."""
        try:
            return number_from(self.text() if self.text().strip() else self.neutral)
        except ValueError:
            return None

    def is_sum(self) -> bool:
        text = self.text().strip().replace(",", ".")
        return bool(text) and not text.lstrip("+-−").replace(".", "", 1).isdigit()

    def mark(self, good: bool) -> None:
        dress(self, bad=not good)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
        else:
            super().keyPressEvent(event)

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes round among the boxes."""
        boxes = list(self.field.boxes.values())
        other = boxes[(boxes.index(self) + (1 if forward else -1)) % len(boxes)]
        other.setFocus(Qt.FocusReason.TabFocusReason)
        other.selectAll()
        self.field._say_unit()
        return True
