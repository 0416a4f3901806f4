"""What is being made beside the window: a row for each order, with the picture made last and the time that is left."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QPixmap
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QWidget,
)

from fictilis.app.model.making import DONE, FAILED, GOES, STOPPED, WAITS, Job, Making
from fictilis.app.widgets.layouts import across, down, dress
from fictilis.pictures.orders import KINDS

SMALL = QSize(160, 100)
WORDS = 250  # pixels of a name


def time_left(seconds: float | None) -> str:
    """How long it takes, in words."""
    if seconds is None:
        return ""
    if seconds < 60:
        return f"about {max(round(seconds), 1)} s left"
    return f"about {round(seconds / 60)} min left"


class _Row(QWidget):
    def __init__(self, making: Making, job: Job) -> None:
        super().__init__()
        self.making, self.job = making, job
        row = across(self, 14)
        self.picture = QLabel()
        self.picture.setFixedSize(SMALL)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setAccessibleName("The picture made last")
        row.addWidget(self.picture)
        words = down(spacing=5)
        whole = f"{KINDS[job.order.kind].name} · {job.order.path.name}"
        name = QLabel()
        name.setStyleSheet("font-weight: 600;")
        name.setText(name.fontMetrics().elidedText(whole, Qt.TextElideMode.ElideMiddle, WORDS))
        name.setToolTip(str(job.order.path))
        self.said = QLabel()
        self.said.setWordWrap(True)
        self.said.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.said.setProperty("quiet", True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(6)
        self.bar.setAccessibleName("How far it is")
        words.addStretch(1)
        for part in (name, self.bar, self.said):
            words.addWidget(part)
        words.addStretch(1)
        row.addLayout(words, 1)
        self.verb = QPushButton()
        self.verb.setAutoDefault(False)
        self.verb.setFixedWidth(104)
        self.verb.clicked.connect(lambda _on: self._act())
        row.addWidget(self.verb)
        job.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        job = self.job
        if job.picture is not None:
            fit = job.picture.scaled(SMALL, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
            self.picture.setPixmap(QPixmap.fromImage(fit))
        self.bar.setRange(0, max(job.count, 1))
        self.bar.setValue(job.number)
        self.bar.setVisible(not job.over)
        row_of_files = KINDS[job.order.kind].moves and job.order.path.suffix.lower() == ".png"
        far = f"Picture {job.number:,} of {job.count:,}" if job.count else "Begins…"
        left = time_left(job.left)
        self.said.setText({
            WAITS: "Waits for the one before.",
            GOES: far + (f" · {left}" if left else ""),
            DONE: f"Made, in {job.order.path.parent}. {job.said}".strip(),
            STOPPED: "Stopped; the pictures made so far stay." if row_of_files else "Stopped; nothing was written.",
            FAILED: job.said,
        }[job.state])  # fmt: skip
        dress(self.said, error=job.state == FAILED)
        self.verb.setText("Show" if job.state == DONE else "Stop")
        self.verb.setVisible(not job.over or job.state == DONE)

    def _act(self) -> None:
        if self.job.state == DONE:
            path = self.job.order.path
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(path if path.is_file() else path.parent)))
        else:
            self.job.stop()


class MakingWindow(QDialog):
    """Stays beside the window, which goes on meanwhile."""

    def __init__(self, parent: QWidget, making: Making) -> None:
        super().__init__(parent, Qt.WindowType.Tool)
        self.setAttribute(Qt.WidgetAttribute.WA_ShowWithoutActivating)  # the keys stay where the work goes on
        self.making = making
        self.setWindowTitle("Being made")
        self.setMinimumSize(600, 290)
        outer = down(self, 12, (18, 16, 18, 14))
        self.none = QLabel("Nothing is being made.")
        self.none.setProperty("quiet", True)
        outer.addWidget(self.none)
        inside = QWidget()
        self.inside = down(inside, 14, (0, 0, 6, 0))
        self.inside.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inside)
        outer.addWidget(scroll, 1)
        row = QHBoxLayout()
        row.addStretch(1)
        self.clear = QPushButton("Clear the list")
        self.clear.clicked.connect(lambda _on: making.clear())
        close = QPushButton("Close")
        close.clicked.connect(lambda _on: self.hide())
        row.addWidget(self.clear)
        row.addWidget(close)
        outer.addLayout(row)
        for button in (self.clear, close):
            button.setAutoDefault(False)
        close.setFocus()  # Space, meant to play, must stop nothing that is being made
        self.rows: dict[Job, _Row] = {}
        making.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        for job in [job for job in self.rows if job not in self.making.jobs]:
            row = self.rows.pop(job)
            row.hide()
            row.deleteLater()
        for job in self.making.jobs:
            if job not in self.rows:
                self.rows[job] = _Row(self.making, job)
                self.inside.insertWidget(0, self.rows[job])  # the newest first
        self.none.setVisible(not self.rows)
        self.clear.setEnabled(any(job.over for job in self.making.jobs))
