"""Memory given back to the system when a scene was left."""

from __future__ import annotations

import ctypes
import gc


def give_back() -> None:
    """Free what nothing refers to, and let the C library return it: it keeps freed arrays for later by itself."""
    gc.collect()
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)  # only glibc has it
    if trim is not None:
        trim(0)
