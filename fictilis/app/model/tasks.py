"""Long work off the interface thread, with progress and cancel, written as a plain call."""

from __future__ import annotations

import gc
import threading
from collections.abc import Callable
from typing import TypeVar

from PyQt6.QtCore import QEventLoop, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from fictilis.core.errors import Cancelled

T = TypeVar("T")
SHOW_AFTER = 400  # ms
GARBAGE_EVERY = 500  # ms


class MainThreadGarbage(QObject):
    """Collects garbage in the interface thread only: elsewhere it could delete widgets behind Qt's back."""

    def __init__(self) -> None:
        super().__init__()
        gc.disable()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.collect)
        self._timer.start(GARBAGE_EVERY)

    @staticmethod
    def collect() -> None:
        """What Python's own collector would do by now."""
        for generation, (count, threshold) in reversed(list(enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True)))):
            if threshold and count > threshold:
                gc.collect(generation)
                return


class _Job(QObject):
    finished = pyqtSignal()

    def __init__(self, work: Callable[[Callable[[float], None]], T]) -> None:
        super().__init__()
        self.fraction, self.cancelled = 0.0, False
        self.result: T | None = None
        self.error: BaseException | None = None
        self._work = work
        self.thread_ = threading.Thread(target=self._run, daemon=True)

    def _run(self) -> None:
        try:
            self.result = self._work(self._progress)
        except BaseException as error:  # noqa: BLE001 - handed to the caller, whatever it is
            self.error = error
        self.finished.emit()

    def _progress(self, fraction: float) -> None:
        self.fraction = fraction
        if self.cancelled:
            raise Cancelled("The work was cancelled; nothing was changed.")


def run_task(parent: QWidget, label: str, work: Callable[[Callable[[float], None]], T]) -> T:
    """Run ``work(progress)`` in a thread while the window stays alive; returns its result or raises its error.

    After a moment a small window shows the progress and a button to cancel. Meanwhile the parent takes no input.
    """
    job = _Job(work)
    loop = QEventLoop()
    job.finished.connect(loop.quit, Qt.ConnectionType.QueuedConnection)
    dialog = QDialog(parent)
    dialog.setWindowTitle(label)
    dialog.setWindowModality(Qt.WindowModality.ApplicationModal)
    layout = QVBoxLayout(dialog)
    layout.setContentsMargins(18, 16, 18, 14)
    layout.addWidget(QLabel(label))
    bar = QProgressBar()
    bar.setRange(0, 1000)
    bar.setTextVisible(False)
    bar.setMinimumWidth(280)
    layout.addWidget(bar)
    row = QHBoxLayout()
    row.addStretch()
    cancel = QPushButton("Cancel")
    row.addWidget(cancel)
    layout.addLayout(row)

    def stop() -> None:
        job.cancelled = True
        cancel.setEnabled(False)

    cancel.clicked.connect(stop)
    dialog.rejected.connect(stop)
    show = QTimer()
    show.setSingleShot(True)
    show.timeout.connect(dialog.show)
    show.start(SHOW_AFTER)
    beat = QTimer()
    beat.timeout.connect(lambda: bar.setValue(int(1000 * job.fraction)))
    beat.start(60)
    window = parent.window()
    window.setEnabled(False)
    try:
        job.thread_.start()
        loop.exec()
        job.thread_.join()
    finally:
        show.stop()
        beat.stop()
        dialog.hide()
        dialog.deleteLater()
        window.setEnabled(True)
    if job.error is not None:
        raise job.error
    return job.result
