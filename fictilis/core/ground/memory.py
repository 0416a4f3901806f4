"""Memory that the C library holds."""

from __future__ import annotations

import ctypes


def return_freed() -> None:
    """Let the C library give back what was freed: by itself it keeps most of it, half a gigabyte after a large scene is read.
    Other threads go on meanwhile."""
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)  # only glibc has it
    if trim is not None:
        trim(0)
