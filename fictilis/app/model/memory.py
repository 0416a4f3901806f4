"""Memory: kept by the C library while a scene is worked on, given back to the system when it was left."""

from __future__ import annotations

import ctypes
import gc

from PyQt6.QtCore import QObject, QTimer

from fictilis.core.ground.memory import return_freed

GARBAGE_EVERY = 500  # ms
M_TRIM_THRESHOLD, M_MMAP_THRESHOLD = -1, -3  # malloc.h of glibc


def keep_freed() -> None:
    """Let the C library keep what arrays free for the next ones: pages new from the system take longer to come than most sums
    over them (a threefold time for 100,000 numbers)."""
    options = getattr(ctypes.CDLL(None), "mallopt", None)  # only glibc has it
    if options is not None:
        options(M_MMAP_THRESHOLD, 32 << 20)  # the most it takes
        options(M_TRIM_THRESHOLD, 256 << 20)


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
