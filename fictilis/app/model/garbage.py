"""Garbage: collected where and when it does not stop the hand."""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject, QTimer

from fictilis.core.ground.memory import return_freed

GARBAGE_EVERY = 500  # ms


def give_back() -> None:
    """Free what nothing refers to, and let the C library return it: it keeps freed arrays for later by itself."""
    gc.collect()
    return_freed()


def keep_loaded() -> None:
    """Leave what stands for good, modules and the window, out of all looks for garbage, which stop the window: what is left
    to look at is the scenes. Called once, when the window is whole."""
    gc.collect()
    gc.freeze()


class MainThreadGarbage(QObject):
    """Collects garbage in the interface thread only: elsewhere it could delete widgets behind Qt's back."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
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
