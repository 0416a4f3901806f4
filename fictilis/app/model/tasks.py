"""Long work off the interface thread, with progress and cancel, written as a plain call."""

from __future__ import annotations

import threading
from collections.abc import Callable
from contextlib import suppress
from typing import Any, Generic, TypeVar, cast

from PyQt6.QtCore import QEventLoop, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from fictilis.core.ground.errors import Cancelled, there
from fictilis.core.ground.interrupt import interruptible

T = TypeVar("T")
QUEUED = Qt.ConnectionType.QueuedConnection
SHOW_AFTER = 400  # ms


class Task(QObject, Generic[T]):
    """A piece of work in a thread. ``finished`` comes in the thread of whoever connects to it queued."""

    finished = pyqtSignal()

    def __init__(self, work: Callable[[Callable[[float], None]], T]) -> None:
        """``work(progress)`` tells how far it is, 0…1."""
        super().__init__()
        self.fraction, self.cancelled = 0.0, False
        self._result: T | None = None
        self._error: BaseException | None = None
        self._work = work
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        self._thread.start()

    def wait(self) -> None:
        self._thread.join()

    def result(self) -> T:
        """What came of it, once finished; its error is raised here."""
        if self._error is not None:
            raise self._error
        return cast(T, self._result)

    def _run(self) -> None:
        try:
            with interruptible(self._stop_where_asked):
                self._result = self._work(self._progress)
        except BaseException as error:  # noqa: BLE001 - handed to the caller, whatever it is
            self._error = error
        with suppress(RuntimeError):  # who waited for it may be gone by now
            self.finished.emit()

    def _progress(self, fraction: float) -> None:
        self.fraction = fraction
        self._stop_where_asked()

    def _stop_where_asked(self) -> None:
        if self.cancelled:
            raise Cancelled("The work was cancelled; nothing was changed.")


class BackgroundTask(QObject):
    """Work that nobody waits for, one piece at a time; what came of it is told in the interface thread."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._task: Task[Any] | None = None
        self._then: Callable[[Task[Any]], None] | None = None

    @property
    def busy(self) -> bool:
        """Whether work runs, or its outcome was not told yet."""
        return self._task is not None

    def run(self, work: Callable[[], T], then: Callable[[Task[T]], None] | None = None) -> None:
        """Start ``work``; ``then`` gets the finished task, whose ``result`` raises what went wrong."""
        task = self._task = Task(lambda _progress: work())
        self._then = then
        task.finished.connect(self._tell, QUEUED)  # type: ignore[call-arg]
        task.start()

    def cancel(self) -> None:
        """Stop the work under way where it next asks; ``then`` gets the task all the same."""
        if self._task is not None:
            self._task.cancelled = True

    def finish(self) -> None:
        """Wait for the work under way, and forget it."""
        if self._task is not None:
            self._task.wait()
            self._task = self._then = None

    def _tell(self) -> None:
        if self._task is None or self._task is not self.sender():
            return
        task, then = self._task, self._then
        self._task = self._then = None
        if then is not None:
            then(task)


def run_task(parent: QWidget, label: str, work: Callable[[Callable[[float], None]], T]) -> T:
    """Run ``work(progress)`` in a thread while the window stays alive; returns its result or raises its error.

    After a moment a small window shows the progress and a button to cancel. Meanwhile the parent takes no input.
    """
    job = Task(work)
    loop = QEventLoop()
    job.finished.connect(loop.quit, QUEUED)  # type: ignore[call-arg]
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
    cancel.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # Space, meant to play, must not stop the work; Esc does
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
    window = there(parent.window())
    window.setEnabled(False)
    try:
        job.start()
        loop.exec()
        job.wait()
    finally:
        show.stop()
        beat.stop()
        dialog.hide()
        dialog.deleteLater()
        window.setEnabled(True)
    return job.result()
