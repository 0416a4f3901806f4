"""The card that leads through a first scene, in a corner of the view."""

from __future__ import annotations

import re

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QToolButton, QWidget

from fictilis.app.commands.actions import Actions
from fictilis.app.model.document import Document
from fictilis.app.model.first_steps import END, STEPS, FirstSteps
from fictilis.app.widgets.layouts import down
from fictilis.app.widgets.theme import Palette, icon

WIDTH, MARGIN = 300, 12


class _Steps(QWidget):
    """A stroke for each step; those that are done are full."""

    def __init__(self, guide: FirstSteps, palette: Palette) -> None:
        super().__init__()
        self.guide, self.palette_ = guide, palette
        self.setFixedHeight(4)

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, 4)

    def paintEvent(self, _event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        wide = (self.width() + 4) / len(STEPS)
        for number in range(len(STEPS)):
            painter.setBrush(QColor(self.palette_.primary if number < self.guide.at else self.palette_.track))
            painter.drawRoundedRect(QRectF(number * wide, 0, wide - 4, 4), 2, 2)


class GuideCard(QFrame):
    """What to do next, while the guide is on. It can be left at any step."""

    def __init__(self, frame: QWidget, doc: Document, actions: Actions, palette: Palette) -> None:
        super().__init__(frame)
        self.doc, self.actions_, self.guide = doc, actions, FirstSteps(doc)
        self.setObjectName("guide")
        layout = down(self, 8, (14, 8, 14, 14))
        self.count, self.title, self.how = QLabel(), QLabel(), QLabel()
        self.count.setProperty("quiet", True)
        self.title.setProperty("title", True)
        self.how.setWordWrap(True)
        self.how.setFixedWidth(WIDTH - 30)
        self.leave = QToolButton()
        self.leave.setProperty("flat", True)
        self.leave.setToolTip("Leave the first steps")
        self.leave.setAccessibleName("Leave the first steps")
        self.leave.clicked.connect(self._leave)
        top = QHBoxLayout()
        top.addWidget(self.count, 1)
        top.addWidget(self.leave)
        self.steps = _Steps(self.guide, palette)
        self.again = QPushButton("Close")
        self.again.clicked.connect(self._leave)
        layout.addLayout(top)
        for part in (self.steps, self.title, self.how, self.again):
            layout.addWidget(part)
        self.set_palette_(palette)
        self.hide()
        doc.changed.connect(self.refresh)
        self.refresh()

    def set_palette_(self, palette: Palette) -> None:
        self.steps.palette_ = palette
        self.leave.setIcon(icon("x", palette))

    def _leave(self) -> None:
        self.doc.change(guided=False)

    def refresh(self) -> None:
        if not self.doc.guided:
            self.hide()
            return
        if self.isHidden():
            self.guide.begin()
        self.guide.look()
        over = self.guide.over
        self.count.setText("First steps" if over else f"First steps, {self.guide.at + 1} of {len(STEPS)}")
        self.title.setText("That is all of it" if over else STEPS[self.guide.at].title)
        self.how.setText(self._worded(END if over else STEPS[self.guide.at].how))
        self.again.setVisible(over)
        self.setAccessibleName(f"{self.count.text()}: {self.title.text()}. {self.how.text()}")
        self.steps.update()
        self.show()
        self.place()

    def _worded(self, text: str) -> str:
        """With the keys of the actions named, as they are set; where one has none, where it is found."""

        def keys(found: re.Match[str]) -> str:
            action = self.actions_.by_id[found[1]]
            return action.shortcut().toString() or self.actions_.place_of(found[1])

        return re.sub(r"\{([\w-]+)\}", keys, text)

    def place(self) -> None:
        """The lower right corner, over what an empty view offers."""
        frame = self.parentWidget()
        assert frame is not None
        self.setFixedWidth(min(WIDTH, frame.width() - 2 * MARGIN))
        self.how.setMinimumHeight(0)  # else it asks for no less than it had
        self.how.setFixedHeight(max(self.how.heightForWidth(self.how.width()), 0))
        layout = self.layout()
        assert layout is not None
        layout.activate()
        self.resize(self.width(), layout.sizeHint().height())
        self.move(frame.width() - self.width() - MARGIN, frame.height() - self.height() - MARGIN)
        self.raise_()
