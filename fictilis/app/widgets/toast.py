"""One sentence over the view."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QToolButton, QWidget

from fictilis.app.widgets.theme import Palette, icon, pixmap

TOAST = {"note": 3500, "warning": 9000, "error": 12000}


class Toast(QFrame):
    """One sentence over the view: what was done unasked, or what went wrong. It goes by itself, errors slowly."""

    def __init__(self, parent: QWidget, palette: Palette) -> None:
        super().__init__(parent)
        self.setObjectName("toast")
        self.palette_ = palette
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 8, 6, 8)
        layout.setSpacing(9)
        self.sign, self.text = QLabel(), QLabel()
        self.text.setWordWrap(True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.close_ = QToolButton()
        self.close_.setProperty("flat", True)
        self.close_.setToolTip("Close")
        self.close_.clicked.connect(self.hide)
        layout.addWidget(self.sign, 0, Qt.AlignmentFlag.AlignTop)
        layout.addWidget(self.text, 1)
        layout.addWidget(self.close_, 0, Qt.AlignmentFlag.AlignTop)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        self.hide()

    def say(self, sentence: str, kind: str) -> None:
        p = self.palette_
        self.setProperty("kind", kind)
        self.style().unpolish(self)
        self.style().polish(self)
        colour = {"error": p.error, "warning": p.auto_key}.get(kind, p.primary)
        self.sign.setPixmap(pixmap("info" if kind == "note" else "warning-circle", colour, 18, 2.0))
        self.close_.setIcon(icon("x", p))
        self.text.setText(sentence)
        self.place()
        self.show()
        self.raise_()
        self._timer.start(TOAST[kind])

    def place(self) -> None:
        room = self.parentWidget().width()
        metrics = self.text.fontMetrics()
        wide = min(max(240, metrics.horizontalAdvance(self.text.text()) + 96), max(room - 60, 200), 620)
        self.setFixedWidth(wide)
        self.text.setFixedWidth(wide - 80)
        self.adjustSize()
        self.move((room - wide) // 2, self.parentWidget().height() - self.height() - 16)
