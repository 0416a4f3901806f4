"""A section of the side column: a heading, and the fields under it, which the heading folds away."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QWidget

from fictilis.app.widgets.fields import ArrowCombo
from fictilis.app.widgets.layouts import down
from fictilis.app.widgets.theme import Palette, icon

W = TypeVar("W", bound=QWidget)


class Section(QWidget):
    """A heading that folds what stands under it."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        layout = down(self, 7, (0, 0, 0, 12))
        self.heading = QPushButton()
        self.heading.setProperty("flat", True)
        self.heading.setStyleSheet("text-align: left; font-weight: 600; padding: 3px 0;")
        self.heading.clicked.connect(self._fold)
        self.body = QWidget()
        self.inside = down(self.body, 7)
        self._top = QHBoxLayout()
        self._top.addWidget(self.heading, 1)
        layout.addLayout(self._top)
        layout.addWidget(self.body)

    def add_switch(self, toggled: Callable[[bool], None]) -> QCheckBox:
        """A switch beside the heading: on or off."""
        box = QCheckBox()
        box.setAccessibleName("On")
        box.toggled.connect(toggled)
        return self.beside(box)

    def beside(self, widget: W) -> W:
        """A widget beside the heading."""
        self._top.addWidget(widget)
        return widget

    def subject(self) -> object:
        """What its fields are about: what is typed for one thing is not written to another."""
        return None

    def _fold(self) -> None:
        self.body.setVisible(self.body.isHidden())
        self.set_heading(self.heading.accessibleName())

    def set_heading(self, text: str) -> None:
        self.heading.setAccessibleName(text)
        shown = self.heading.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, 180)
        self.heading.setText(shown)
        self.heading.setIcon(icon("caret-right" if self.body.isHidden() else "caret-down", self.palette_))
        what = "Unfold" if self.body.isHidden() else "Fold"
        self.heading.setToolTip(what if shown == text else f"{text} — {what.lower()}")

    def chooser(self, told: str, chosen: Callable[[int], object]) -> ArrowCombo:
        """A list to choose from, ``told`` to assistive technology; ``chosen`` gets the row."""
        combo = ArrowCombo(self.palette_)
        combo.setAccessibleName(told)
        combo.setMinimumWidth(60)
        combo.activated.connect(chosen)
        return combo

    def set_palette_(self, palette: Palette) -> None:
        self.palette_ = palette
        for combo in self.findChildren(ArrowCombo):
            combo.palette_ = palette

    def add(self, widget: W) -> W:
        self.inside.addWidget(widget)
        return widget
