"""Real-time playback: frames follow the clock; where drawing is slow frames are skipped, never slowed."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

from fictilis.app.document import Document


def frame_after(
    seconds: float, first: float, start: float, end: float, fps: float, loop: bool, back: bool = False
) -> tuple[float, bool]:
    """The frame shown ``seconds`` after ``first``, and whether playing goes on.

    In a loop the last frame stands for the first of the next round, so a range 0…96 at 24 lasts 4 s; ``back`` goes
    there and back instead.
    """
    frame = first + int(seconds * fps + 1e-6)
    if loop and back:
        way = (frame - start) % max(2 * (end - start), 1e-9)
        return start + (way if way <= end - start else 2 * (end - start) - way), True
    if frame < end:
        return frame, True
    if not loop:
        return end, False
    return start + (frame - start) % max(end - start, 1e-9), True


class Playback(QObject):
    """Plays the document. ``measured`` is the rate of pictures really shown."""

    changed = pyqtSignal()

    def __init__(self, doc: Document, clock: Callable[[], float] = time.perf_counter) -> None:
        super().__init__()
        self.doc, self.clock = doc, clock
        self.playing = False
        self.measured = 0.0
        self._waits_for_picture = False
        self._shown: deque[float] = deque(maxlen=48)
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)

    def toggle(self) -> None:
        if self.playing:
            self.stop()
        else:
            self.start()

    def start(self) -> None:
        scene = self.doc.scene
        if not scene.start <= self.doc.frame < scene.end:
            self.doc.set_frame(scene.start)
        self._first, self._since = self.doc.frame, self.clock()
        self._rate = self._frames_a_second()
        self._waits_for_picture = False
        self._shown.clear()
        self.measured, self.playing = 0.0, True
        self._timer.start(4)
        self.changed.emit()

    def stop(self) -> None:
        if self.playing:
            self.playing = False
            self._timer.stop()
            self.changed.emit()

    def picture_shown(self) -> None:
        """The view has painted; called for each picture while playing."""
        self._waits_for_picture = False
        if not self.playing:
            return
        self._shown.append(self.clock())
        if len(self._shown) > 2:
            self.measured = (len(self._shown) - 1) / max(self._shown[-1] - self._shown[0], 1e-9)

    def _frames_a_second(self) -> float:
        return self.doc.scene.fps * self.doc.speed

    def _tick(self) -> None:
        scene, doc, rate = self.doc.scene, self.doc, self._frames_a_second()
        if rate != self._rate:
            self._first, self._since, self._rate = doc.frame, self.clock(), rate
        seconds = self.clock() - self._since
        if doc.every_frame:  # one on for each picture shown, but never before its time
            if self._waits_for_picture or seconds * rate < 1:
                return
            self._waits_for_picture = True
            seconds, self._since = 1 / rate, self.clock()
        back = doc.back_and_forth
        frame, going_on = frame_after(seconds, self._first, scene.start, scene.end, rate, doc.loop, back)
        if doc.every_frame:  # where it is counts, and on the way back which way it goes
            turns = scene.end - scene.start
            self._first = self._first + 1 if back and doc.loop else frame
            if back and doc.loop and self._first >= scene.start + 2 * turns:
                self._first -= 2 * turns
        doc.set_frame(frame)
        if not going_on:
            self.stop()
