"""The samples of the scene's sound, read beside the interface thread: ten minutes of them take seconds."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from fictilis.app.model.document import Document
from fictilis.app.model.tasks import BackgroundTask, Task
from fictilis.core.ground.errors import FictilisError
from fictilis.core.scene.waveform import Waveform
from fictilis.formats.sound import decoded, known


class Samples(QObject):
    """``came`` when they were read, or could not be."""

    came = pyqtSignal()

    def __init__(self, doc: Document) -> None:
        super().__init__()
        self.doc = doc
        self._unreadable: bytes | None = None  # the sound that could not be read
        self._reading = BackgroundTask(self)

    @property
    def failed(self) -> bool:
        """Whether the scene's sound cannot be read."""
        sound = self.doc.scene.sound
        return sound is not None and self._unreadable is sound.data

    def wave(self) -> Waveform | None:
        """The samples; None while they are read, and where that fails or there is no sound."""
        sound = self.doc.scene.sound
        if sound is None:
            return None
        wave = known(sound)
        if wave is None and not self.failed and not self._reading.busy:
            self._reading.run(lambda: decoded(sound), partial(self._was_read, sound.data))
        return wave

    def _was_read(self, data: bytes, task: Task[Waveform]) -> None:
        try:
            task.result()
        except FictilisError:
            self._unreadable = data
        self.came.emit()
