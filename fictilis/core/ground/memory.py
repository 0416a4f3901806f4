"""Memory that the C library keeps for itself or gives back to the system."""

from __future__ import annotations

import ctypes

M_TRIM_THRESHOLD, M_MMAP_THRESHOLD = -1, -3  # malloc.h of glibc


def return_freed() -> None:
    """Let the C library give back what was freed: by itself it keeps most of it, half a gigabyte after a large scene is read.
    Other threads go on meanwhile."""
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)  # only glibc has it
    if trim is not None:
        trim(0)


def keep_freed() -> None:
    """Let the C library keep what arrays free for the next ones: pages new from the system take longer to come than most sums
    over them (a threefold time for 100,000 numbers)."""
    options = getattr(ctypes.CDLL(None), "mallopt", None)  # only glibc has it
    if options is not None:
        options(M_MMAP_THRESHOLD, 32 << 20)  # the most it takes
        options(M_TRIM_THRESHOLD, 256 << 20)
