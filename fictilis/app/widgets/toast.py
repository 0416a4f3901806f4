"""One sentence over the view."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import QFrame, QLabel, QPushButton, QToolButton, QWidget

from fictilis.app.model.session import Notice
from fictilis.app.widgets.layouts import across, down, dress, empty
from fictilis.app.widgets.theme import Palette, icon, pixmap
from fictilis.core.ground.errors import there

MOST = 4  # notices shown one by one
TOAST = {"note": 3500, "warning": 9000, "error": 12000}


class Toast(QFrame):
    """One sentence over the view: what was done unasked, or what went wrong. It goes by itself, errors slowly."""

    def __init__(self, parent: QWidget, palette: Palette) -> None:
        super().__init__(parent)
        self.setObjectName("toast")
        self.palette_ = palette
        layout = across(self, 9, (12, 8, 6, 8))
        self.sign, self.text = QLabel(), QLabel()
        self.text.setWordWrap(True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.close_ = QToolButton()
        self.close_.setProperty("flat", True)
        self.close_.setToolTip("Close")
        self.close_.setAccessibleName("Close")
        self.close_.clicked.connect(self.hide)
        layout.addWidget(self.sign, 0, Qt.AlignmentFlag.AlignTop)
        middle = down(spacing=6)
        middle.addWidget(self.text)
        self.offers = down(spacing=6)
        middle.addLayout(self.offers)
        layout.addLayout(middle, 1)
        layout.addWidget(self.close_, 0, Qt.AlignmentFlag.AlignTop)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        self.hide()

    def say(self, sentence: str, kind: str) -> None:
        p = self.palette_
        dress(self, kind=kind)
        colour = {"error": p.error, "warning": p.auto_key}.get(kind, p.primary)
        self.sign.setPixmap(pixmap("info" if kind == "note" else "warning-circle", colour, 18, 2.0))
        self.close_.setIcon(icon("x", p))
        self.text.setText(sentence)
        self.text.show()
        self._clear()
        self.place()
        self.show()
        self.raise_()
        self._timer.start(TOAST[kind])

    def notice(self, notices: Sequence[Notice]) -> None:
        """Several sentences, each with a button; what is too much for one look is taken together."""
        self.say("", "warning")
        self.text.hide()
        for notice in notices[:MOST]:
            self._offer(notice.sentence, notice.button, [notice])
        rest = notices[MOST:]
        if rest:
            self._offer(f"and {len(rest)} more of this kind.", "All of these", rest)
        self.place()
        self._timer.start(TOAST["warning"] + 2000 * len(notices[:MOST]))

    def _offer(self, sentence: str, words: str, notices: Sequence[Notice]) -> None:
        row = _Offer(sentence, words)
        self.offers.addWidget(row)
        row.show()

        def run() -> None:
            row.hide()
            row.deleteLater()
            self.offers.removeWidget(row)
            for notice in notices:
                notice.run()
            self.place() if self.offers.count() else self.hide()

        row.button.clicked.connect(run)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._clear()  # what a button would do it holds on to

    def withdraw(self) -> None:
        """Offer nothing any more, as of a scene that was left; a sentence stays."""
        if self.offers.count():
            self.hide()

    def _clear(self) -> None:
        empty(self.offers)

    def place(self) -> None:
        room = there(self.parentWidget()).width()
        metrics = self.text.fontMetrics()
        wide = 620 if self.offers.count() else max(240, metrics.horizontalAdvance(self.text.text()) + 96)
        wide = min(wide, max(room - 60, 200), 620)
        self.setFixedWidth(wide)
        self.text.setFixedWidth(wide - 80)
        for row in self.findChildren(_Offer):
            row.fit(wide - 80)
        there(self.layout()).activate()
        self.setFixedHeight(there(self.layout()).sizeHint().height())
        self.move((room - wide) // 2, there(self.parentWidget()).height() - self.height() - 16)


class _Offer(QWidget):
    """A sentence with a button beside it."""

    def __init__(self, sentence: str, words: str) -> None:
        super().__init__()
        self.text, self.button = QLabel(sentence), QPushButton(words)
        self.text.setWordWrap(True)
        self.button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        layout = across(self, 12)
        layout.addWidget(self.text, 1)
        layout.addWidget(self.button, 0, Qt.AlignmentFlag.AlignVCenter)

    def fit(self, width: int) -> None:
        """Take the height that the sentence needs beside its button."""
        self.ensurePolished()
        self.button.ensurePolished()
        button = self.button.sizeHint()
        self.setFixedSize(width, max(self.text.heightForWidth(width - button.width() - 12), button.height()))
