"""Sound in step with frames: what is heard is worked out from the frames as they pass, so that loops and speeds agree.

A machine without a sound device, or without the library that speaks to one, plays silently and without an error.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QIODevice, QObject

from fictilis.app.lanes.samples import Samples
from fictilis.app.model.document import Document
from fictilis.core.ground.errors import there
from fictilis.core.scene.waveform import heard
from fictilis.formats.sound import RATE

SCRUB = 0.09  # s of sound heard at each frame scrubbed over
FADE = 0.004
AHEAD = 0.08  # s that a device may take in before it is heard


class Speaker(Protocol):
    """Takes samples (n, 2) int16 from ``read(n)`` as it needs them."""

    def start(self, read: Callable[[int], np.ndarray]) -> None: ...

    def stop(self) -> None: ...

    def played(self) -> float:
        """Seconds heard since ``start``."""


class QtSpeaker:
    """The machine's sound device."""

    def __init__(self, parent: QObject) -> None:
        from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices

        device = QMediaDevices.defaultAudioOutput()
        if device.isNull():
            raise OSError("there is no sound device")
        form = QAudioFormat()
        form.setSampleRate(RATE)
        form.setChannelCount(2)
        form.setSampleFormat(QAudioFormat.SampleFormat.Int16)
        self._sink = QAudioSink(device, form, parent)
        self._sink.setBufferSize(int(RATE * 4 * AHEAD))
        self._source: _Source | None = None

    def start(self, read: Callable[[int], np.ndarray]) -> None:
        self.stop()
        self._source = _Source(read)
        self._source.open(QIODevice.OpenModeFlag.ReadOnly)
        self._sink.start(self._source)

    def stop(self) -> None:
        self._sink.stop()
        if self._source is not None:
            self._source.close()
            self._source = None

    def played(self) -> float:
        return self._sink.processedUSecs() / 1e6


class _Source(QIODevice):
    def __init__(self, read: Callable[[int], np.ndarray]) -> None:
        super().__init__()
        self._read = read

    def readData(self, most: int) -> bytes:
        return self._read(min(most, 1 << 16) // 4).tobytes()

    def writeData(self, _data: bytes) -> int:
        return -1

    def bytesAvailable(self) -> int:
        return 1 << 16

    def isSequential(self) -> bool:
        return True


def find_speaker(parent: QObject) -> Speaker | None:
    """The sound device, or None where the machine has none."""
    try:
        return QtSpeaker(parent)
    except (ImportError, OSError, RuntimeError):
        return None


class SoundPlayer(QObject):
    """Plays the scene's sound. ``speaker`` is looked for when it is first needed."""

    def __init__(self, doc: Document, find: Callable[[QObject], Speaker | None] | None = None) -> None:
        super().__init__()
        self.doc, self._find, self.samples = doc, find or find_speaker, Samples(doc)
        self._speaker: Speaker | None = None
        self._looked = False
        self._leapt = 0.0  # s that the sound was sent on since it began
        self._frame = doc.frame
        doc.moved.connect(self._moved)

    @property
    def speaker(self) -> Speaker | None:
        if not self._looked:
            self._looked = True
            self._speaker = self._find(self)
        return self._speaker

    @property
    def sounds(self) -> bool:
        """Whether there is a sound that can be heard, now or once it was read."""
        sound = self.doc.scene.sound
        return sound is not None and not sound.muted and not self.samples.failed and self.speaker is not None

    def start(self, frames: Callable[[np.ndarray], np.ndarray]) -> bool:
        """Play from now on; ``frames(seconds)`` says which frame is due. A sound that is still being read is heard as soon as
        it is. Returns whether anything can be heard."""
        self.stop()
        if not self.sounds:
            return False
        place, self._leapt = 0, 0.0

        def read(count: int) -> np.ndarray:
            nonlocal place
            seconds = (place + np.arange(count)) / RATE + self._leapt
            place += count
            sound, fps, wave = self.doc.scene.sound, self.doc.scene.fps, self.samples.wave()
            silent = sound is None or wave is None
            return np.zeros((count, 2), np.int16) if silent else heard(there(wave), there(sound), frames(seconds), fps)

        self.samples.wave()
        there(self.speaker).start(read)
        return True

    def played(self) -> float:
        """Seconds heard since ``start``."""
        return self._speaker.played() + self._leapt if self._speaker is not None else 0.0

    def leap(self, seconds: float) -> None:
        """What is read from now on lies that much later."""
        self._leapt += seconds

    def stop(self) -> None:
        if self._speaker is not None:
            self._speaker.stop()

    def _moved(self) -> None:
        """Scrubbing: a short piece of the sound at each frame that is passed."""
        doc = self.doc
        if doc.frame == self._frame:
            return
        self._frame = doc.frame
        wave = self.samples.wave() if not doc.playing and doc.scrub_sound and self.sounds else None
        if wave is None:
            return
        frames = doc.frame + np.arange(int(RATE * SCRUB)) / RATE * doc.scene.fps
        piece = heard(wave, there(doc.scene.sound), frames, doc.scene.fps).astype(np.float64)
        ramp = np.minimum(np.arange(len(piece)), np.arange(len(piece))[::-1]) / (RATE * FADE)
        piece = (piece * np.minimum(ramp, 1.0)[:, None]).astype(np.int16)

        def read(count: int) -> np.ndarray:
            nonlocal piece
            now, piece = piece[:count], piece[count:]
            return now

        there(self.speaker).start(read)
