"""Autosave to a recovery file, and the offer to recover after a crash."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer

from fictilis.app.model.document import Document
from fictilis.app.model.tasks import Background, Task
from fictilis.core.errors import FictilisError
from fictilis.core.scene import Scene
from fictilis.formats.native import write_native

EVERY = 60_000  # ms


@dataclass(frozen=True)
class Recoverable:
    """A scene that a session left behind without closing."""

    file: Path
    note: Path
    name: str
    path: Path | None
    when: datetime

    def discard(self) -> None:
        self.file.unlink(missing_ok=True)
        self.note.unlink(missing_ok=True)


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


def left_behind(folder: Path) -> list[Recoverable]:
    """Recovery files whose session no longer runs, newest first. Broken notes are passed over."""
    found = []
    for note in folder.glob("*.json"):
        try:
            told = json.loads(note.read_text("utf-8"))
            file = note.with_suffix(".fictilis")
            if _alive(int(told["pid"])) or not file.is_file():
                continue
            path = Path(told["path"]) if told["path"] else None
            found.append(Recoverable(file, note, str(told["name"]), path, datetime.fromtimestamp(file.stat().st_mtime)))
        except (OSError, ValueError, KeyError, TypeError):
            continue
    return sorted(found, key=lambda r: r.when, reverse=True)


class Autosave(QObject):
    """Writes the scene to a recovery file now and then while it has unsaved changes. The scene is a value: no lock."""

    def __init__(self, doc: Document, folder: Path) -> None:
        super().__init__()
        self.doc, self.folder = doc, folder
        self.file = folder / f"{os.getpid()}-{id(self):x}.fictilis"
        self.note = self.file.with_suffix(".json")
        self._written: Scene | None = None
        self._writing = Background(self)
        self.timer = QTimer(self)
        self.timer.timeout.connect(self.tick)
        self.timer.start(EVERY)

    def tick(self) -> None:
        scene = self.doc.settled.scene
        if not self.doc.unsaved:
            self.clear()
        elif scene is not self._written and not self._writing.busy:
            self._written = scene
            told = {"pid": os.getpid(), "name": scene.name, "path": str(self.doc.path) if self.doc.path else ""}
            self._writing.run(lambda: self._write(scene, told), self._wrote)

    def _write(self, scene: Scene, told: dict) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        write_native(self.file, scene)
        self.note.write_text(json.dumps(told), "utf-8")

    def _wrote(self, task: Task[None]) -> None:
        try:
            task.result()
        except (OSError, FictilisError):
            self._written = None  # the next beat tries again

    def finish(self) -> None:
        """Wait for a write under way."""
        self._writing.finish()

    def clear(self) -> None:
        """Remove the recovery file: the work is saved, or was given up on purpose."""
        self.finish()
        self._written = None
        self.file.unlink(missing_ok=True)
        self.note.unlink(missing_ok=True)

    def stop(self) -> None:
        self.timer.stop()
        self.clear()
