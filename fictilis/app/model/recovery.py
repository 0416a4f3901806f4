"""Autosave to a recovery file, and the offer to recover after a crash."""

from __future__ import annotations

import json
import os
import time
from contextlib import suppress
from datetime import datetime
from pathlib import Path

from msgspec import Struct
from PyQt6.QtCore import QObject, QTimer

from fictilis.app.model.document import Document
from fictilis.app.model.tasks import BackgroundTask, Task
from fictilis.core.ground.errors import FictilisError
from fictilis.core.scene.scene import Scene
from fictilis.formats.files import remove_leftovers
from fictilis.formats.native import write_native

EVERY = 60_000  # ms
DAYS_KEPT = 7  # of a copy that was thrown away


class Recoverable(Struct, frozen=True):
    """A scene that a session left behind without closing."""

    file: Path
    note: Path
    name: str
    path: Path | None
    when: datetime

    @property
    def thrown_to(self) -> Path:
        return self.file.parent / "thrown away"

    def discard(self) -> None:
        """Remove it: its work is saved."""
        with suppress(OSError):
            self.file.unlink(missing_ok=True)
            self.note.unlink(missing_ok=True)

    def throw_away(self) -> None:
        """Put it aside for some days, as a scene that can be opened."""
        with suppress(OSError):
            self.thrown_to.mkdir(exist_ok=True)
            os.utime(self.file)  # its days count from now
            self.file.rename(self.thrown_to / self.file.name)
            self.note.unlink(missing_ok=True)


def _started(pid: int) -> str:
    """When a process began, as the system counts; nothing where there is none, or where that cannot be told."""
    try:
        return Path(f"/proc/{pid}/stat").read_text("utf-8", errors="replace").rpartition(")")[2].split()[19]
    except (OSError, IndexError, ValueError):
        return ""


def _alive(pid: int, started: str) -> bool:
    """Whether the session that left a note still runs; another program may have its number by now."""
    if not 0 < pid < 2**31:
        return False
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        pass
    return not started or _started(pid) in ("", started)


def left_behind(folder: Path) -> list[Recoverable]:
    """Recovery files whose session no longer runs, newest first. A file without a readable note is offered as well."""
    found = []
    try:
        files = list(folder.glob("*.fictilis"))
    except OSError:
        return []
    for file in files:
        note = file.with_suffix(".json")
        pid, name, path, started = file.stem.partition("-")[0], file.stem, None, ""
        try:
            told = json.loads(note.read_text("utf-8"))
            pid, name = str(int(told["pid"])), str(told["name"])
            path, started = Path(str(told["path"])) if told["path"] else None, str(told.get("started", ""))
        except Exception:  # noqa: BLE001 - whatever is wrong with a note, the work beside it counts
            name = "Unsaved work"
        try:
            when = datetime.fromtimestamp(file.stat().st_mtime)
        except (OSError, ValueError, OverflowError):
            continue
        if not (pid.isdigit() and len(pid) < 12 and _alive(int(pid), started)):
            found.append(Recoverable(file, note, name, path, when))
    return sorted(found, key=lambda r: r.when, reverse=True)


def sweep(folder: Path) -> None:
    """Remove what broken-off writing left, and copies that were thrown away long enough ago."""
    remove_leftovers(folder)
    with suppress(OSError):
        for thrown in folder.glob("thrown away/*"):
            if time.time() - thrown.stat().st_mtime > DAYS_KEPT * 86_400:
                thrown.unlink(missing_ok=True)


class Autosave(QObject):
    """Writes the scene to a recovery file now and then while it has unsaved changes. The scene is a value: no lock."""

    def __init__(self, doc: Document, folder: Path) -> None:
        super().__init__()
        self.doc, self.folder = doc, folder
        self.file = folder / f"{os.getpid()}-{id(self):x}.fictilis"
        self.note = self.file.with_suffix(".json")
        self._written: tuple[int, int] | None = None  # numbers of a scene, since one that is left must be free to go
        self._failed = False
        self._writing = BackgroundTask(self)
        self.timer = QTimer(self)
        self.timer.timeout.connect(self.tick)
        self.timer.start(EVERY)

    def tick(self) -> None:
        now = self.doc.committed
        if not self.doc.unsaved:
            self.clear()
        elif (self.doc.openings, now.version) != self._written and not self._writing.busy:
            self._written, scene = (self.doc.openings, now.version), now.scene
            told = {
                "pid": os.getpid(),
                "started": _started(os.getpid()),
                "name": scene.name,
                "path": str(self.doc.path) if self.doc.path else "",
            }
            self._writing.run(lambda: self._write(scene, told), self._wrote)

    def _write(self, scene: Scene, told: dict) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        write_native(self.file, scene)
        self.note.write_text(json.dumps(told), "utf-8")

    def _wrote(self, task: Task[None]) -> None:
        try:
            task.result()
            self._failed = False
        except (OSError, FictilisError) as error:
            self._written = None  # the next beat tries again
            if not self._failed:  # said once
                self._failed = True
                said = error.sentence if isinstance(error, FictilisError) else f"{self.folder} cannot be written."
                self.doc.say(f"Unsaved work cannot be kept for a crash: {said}", "warning")

    def finish(self) -> None:
        """Wait for a write under way."""
        self._writing.finish()

    def clear(self) -> None:
        """Remove the recovery file: the work is saved, or was given up on purpose."""
        self.finish()
        self._written = None
        with suppress(OSError):  # a folder that cannot be written must not stop a save that went well
            self.file.unlink(missing_ok=True)
            self.note.unlink(missing_ok=True)

    def stop(self) -> None:
        self.timer.stop()
        self.clear()
