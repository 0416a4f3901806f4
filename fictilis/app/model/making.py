"""Pictures and movies made beside the window, by the command line in a process of its own, on the scene as it was then."""

from __future__ import annotations

import json
import shutil
import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QObject, QProcess, pyqtSignal
from PyQt6.QtGui import QImage

from fictilis.core.scene.light import Light
from fictilis.core.scene.scene import Scene
from fictilis.formats.native import SUFFIX, write_native
from fictilis.pictures.orders import Order, words_of

WAITS, GOES, DONE, STOPPED, FAILED = "waits", "goes", "done", "stopped", "failed"
STOP_WITHIN = 3000  # ms for cleaning up


class Job(QObject):
    """One order: its state, how far it is, the picture made last, and what was said of it."""

    changed = pyqtSignal()
    ended = pyqtSignal()

    def __init__(self, order: Order, light: Light) -> None:
        super().__init__()
        self.order, self.light = order, light
        self.state, self.number, self.count, self.said = WAITS, 0, 0, ""
        self.picture: QImage | None = None
        self.left: float | None = None  # seconds
        self._begun = 0.0
        self._process: QProcess | None = None
        self._folder = Path(tempfile.mkdtemp(prefix="fictilis-making-"))

    @property
    def over(self) -> bool:
        return self.state not in (WAITS, GOES)

    def keep(self, scene: Scene) -> None:
        """Put the scene by, as it is; done off the interface thread."""
        write_native(self._folder / f"scene{SUFFIX}", scene)

    def start(self) -> None:
        self.state, self._begun = GOES, time.monotonic()
        self._process = process = QProcess(self)
        process.readyReadStandardOutput.connect(self._read)
        process.finished.connect(self._finished)
        light = self.light
        words = words_of(self.order, self._folder / f"scene{SUFFIX}")
        words += ["--light", *(f"{v:.17g}" for v in (light.right, light.up, light.strength))]
        words += ["--relief", f"{light.relief:.17g}", "--shade", f"{light.shade:.17g}", "--clay", light.clay]
        words += ["--lines", f"{light.lines:.17g}", "--line-colour", light.line_colour]
        words += ["--watched", str(self._shown)]
        process.start(sys.executable, ["-m", "fictilis.cli", *words])
        self.changed.emit()

    @property
    def _shown(self) -> Path:
        return self._folder / "shown.png"

    def stop(self) -> None:
        """Give it up; nothing of the file is left, and the one that was there stays."""
        if self.over:
            return
        went, self.state = self.state, STOPPED
        if self._process is not None and went == GOES:
            self._process.terminate()
            if not self._process.waitForFinished(STOP_WITHIN):
                self._process.kill()
                self._process.waitForFinished(STOP_WITHIN)
        else:
            self._finished()

    def forget(self) -> None:
        """Remove all that was kept for it but its file."""
        self.stop()
        shutil.rmtree(self._folder, ignore_errors=True)

    def _read(self) -> None:
        if self._process is None or self.over:
            return
        for line in bytes(self._process.readAllStandardOutput().data()).decode("utf-8", "replace").splitlines():
            try:
                told = json.loads(line)
                self.number, self.count = int(told["number"]), int(told["count"])
            except (ValueError, KeyError, TypeError):
                continue
        image = QImage(str(self._shown))
        self.picture = self.picture if image.isNull() else image
        gone = time.monotonic() - self._begun
        self.left = gone / self.number * (self.count - self.number) if self.number > 1 else None
        self.changed.emit()

    def _finished(self) -> None:
        process = self._process
        if not self.over and process is not None:
            self._read()
            told = bytes(process.readAllStandardError().data()).decode("utf-8", "replace").strip()
            lines = [line.removeprefix("fictilis: ").removeprefix("warning: ") for line in told.splitlines()]
            self.state = DONE if process.exitCode() == 0 and process.exitStatus() == QProcess.ExitStatus.NormalExit else FAILED
            # of an error that nobody foresaw the last line says most
            self.said = " ".join(lines) if self.state == DONE else (lines[-1] if lines else "It ended without a word.")
        shutil.rmtree(self._folder, ignore_errors=True)
        self.changed.emit()
        self.ended.emit()


class Making(QObject):
    """The orders of this session, made one after another."""

    changed = pyqtSignal()
    ended = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.jobs: list[Job] = []

    @property
    def busy(self) -> bool:
        return any(not job.over for job in self.jobs)

    def take(self, job: Job) -> None:
        """One more, to be made when the others are."""
        self.jobs.append(job)
        job.changed.connect(self.changed)
        job.ended.connect(lambda: self._next(job))
        if not any(other.state == GOES for other in self.jobs):
            job.start()
        self.changed.emit()

    def _next(self, job: Job) -> None:
        self.ended.emit(job)
        following = next((other for other in self.jobs if other.state == WAITS), None)
        if following is not None and not any(other.state == GOES for other in self.jobs):
            following.start()

    def clear(self) -> None:
        """Forget those that are over."""
        for job in [job for job in self.jobs if job.over]:
            self.jobs.remove(job)
            job.deleteLater()
        self.changed.emit()

    def stop(self) -> None:
        for job in reversed(self.jobs):
            job.forget()
