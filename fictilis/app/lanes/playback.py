"""Real-time playback: frames follow the clock; where drawing is slow frames are skipped, never slowed."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

from fictilis.app.lanes.sound_player import SoundPlayer
from fictilis.app.model.document import Document

APART = 0.2  # s that picture and sound may be apart before the sound leaps
STALLED = 0.1  # s without anything heard after which the clock counts


def flow(
    seconds: np.ndarray | float, first: float, start: float, end: float, fps: float, loop: bool, back: bool = False
) -> np.ndarray:
    """Where time is, in frames and parts of them, ``seconds`` after frame ``first``.

    In a loop the last frame stands for the first of the next round, so a range 0…96 at 24 lasts 4 s; ``back`` goes
    there and back instead. Without a loop it stays at the end.
    """
    frame = first + np.asarray(seconds, np.float64) * fps
    if not loop:
        return np.minimum(frame, end)
    span = max(end - start, 1e-9)
    if back:
        way = (frame - start) % (2 * span)
        return start + np.where(way <= span, way, 2 * span - way)
    return np.where(frame < end, frame, start + (frame - start) % span)


def frame_after(
    seconds: float, first: float, start: float, end: float, fps: float, loop: bool, back: bool = False
) -> tuple[float, bool]:
    """The whole frame shown ``seconds`` after ``first``, and whether playing goes on."""
    whole = int(seconds * fps + 1e-6) / fps
    return float(np.round(flow(whole, first, start, end, fps, loop, back), 9)), loop or first + whole * fps < end - 1e-9


class Ahead(Protocol):
    """Makes the pictures of the range before it plays, where that is wanted."""

    @property
    def making(self) -> bool: ...
    def left(self) -> list[float]: ...
    def fill(self, then: Callable[[], None]) -> None: ...
    def stop(self) -> None: ...


class Playback(QObject):
    """Plays the document. ``measured`` is the rate of pictures really shown."""

    changed = pyqtSignal()

    def __init__(self, doc: Document, clock: Callable[[], float] = time.perf_counter, sound: SoundPlayer | None = None) -> None:
        super().__init__()
        self.doc, self.clock, self.sound = doc, clock, sound or SoundPlayer(doc)
        self._heard = False
        self.ready: Ahead | None = None  # what makes pictures before they are played
        self.measured = 0.0
        self._waits_for_picture = False
        self._shown: deque[float] = deque(maxlen=48)
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)

    @property
    def playing(self) -> bool:
        return self.doc.playing

    def toggle(self) -> None:
        if self.playing:
            self.stop()
        elif self.ready is not None and self.ready.making:
            self.ready.stop()
        elif self.ready is not None and self.doc.exact and self.ready.left():
            self.ready.fill(self.start)
        else:
            self.start()

    def start(self) -> None:
        start, end = self.doc.scene.span
        if not start <= self.doc.frame < end:
            self.doc.set_frame(start)
        self.doc.change(playing=True, rehearsing=False)
        self._begin()
        self._waits_for_picture = False
        self._shown.clear()
        self.measured = 0.0
        self._timer.start(4)
        self.changed.emit()

    def stop(self) -> None:
        if self.playing:
            self.doc.change(playing=False)
            self._timer.stop()
            self.sound.stop()
            self.changed.emit()

    def picture_shown(self) -> None:
        """The view has painted; called for each picture while playing."""
        self._waits_for_picture = False
        if not self.playing:
            return
        self._shown.append(self.clock())
        if len(self._shown) > 2:
            self.measured = (len(self._shown) - 1) / max(self._shown[-1] - self._shown[0], 1e-9)

    def _begin(self) -> None:
        """Count from the present frame on, and let the sound do so too."""
        doc = self.doc
        self._first, self._since, self._how = doc.frame, self.clock(), self._manner()
        self._rate = doc.scene.fps * doc.speed
        self._last_played = (0.0, self._since)
        first, rate = self._first, self._rate
        (start, end), loop, back = doc.scene.span, doc.loop, doc.back_and_forth
        self.sound.stop()
        # every frame, however long it takes: no sound can keep step with that
        self._heard = not doc.every_frame and self.sound.start(lambda t: flow(t, first, start, end, rate, loop, back))

    def _manner(self) -> tuple:
        """What must stay the same while playing; else the clock begins anew."""
        doc = self.doc
        return doc.scene.fps, doc.speed, doc.scene.span, doc.loop, doc.back_and_forth, doc.every_frame, doc.scene.sound

    def _elapsed(self) -> float:
        """Seconds since playing began: as they are heard, where there is sound, else by the clock.

        The picture waits for no device: while that stands still the clock counts, and when it goes on late the sound
        leaps to where the picture is.
        """
        now = self.clock()
        by_clock = now - self._since
        if not self._heard:
            return by_clock
        played = self.sound.played()
        if played != self._last_played[0]:
            self._last_played = (played, now)
            if abs(played - by_clock) > APART:
                self.sound.leap(by_clock - played)
                return by_clock
            return played
        return by_clock if now - self._last_played[1] > STALLED else min(played + now - self._last_played[1], by_clock + APART)

    def _tick(self) -> None:
        doc, (start, end) = self.doc, self.doc.scene.span
        if self._manner() != self._how:
            self._begin()
        seconds, rate = self._elapsed(), self._rate
        if doc.every_frame:  # one on for each picture shown, but never before its time
            if self._waits_for_picture or seconds * rate < 1:
                return
            self._waits_for_picture = True
            seconds, self._since = 1 / rate, self.clock()
        back = doc.back_and_forth
        frame, going_on = frame_after(seconds, self._first, start, end, rate, doc.loop, back)
        if doc.every_frame:  # where it is counts, and on the way back which way it goes
            turns = end - start
            self._first = self._first + 1 if back and doc.loop else frame
            if back and doc.loop and self._first >= start + 2 * turns:
                self._first -= 2 * turns
        doc.set_frame(frame)
        if not going_on:
            self.stop()
