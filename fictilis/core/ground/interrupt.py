"""Long loops that can be stopped: whoever runs them in a thread of its own says how, and they ask now and then."""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

_here = threading.local()


@contextmanager
def interruptible(ask: Callable[[], None]) -> Iterator[None]:
    """While this lasts, long loops of this thread call ``ask``, which raises to stop them."""
    before = getattr(_here, "ask", None)
    _here.ask = ask
    try:
        yield
    finally:
        _here.ask = before


@contextmanager
def stoppable() -> Iterator[None]:
    """While this lasts, what a library does in Python can be stopped too: it is asked for at its calls."""
    count = 0

    def look(*_call: object) -> None:
        nonlocal count
        count += 1
        if not count % 1000:
            check()

    before = sys.getprofile()
    sys.setprofile(look)
    try:
        yield
    finally:
        sys.setprofile(before)
    check()  # where the library caught it


def check() -> None:
    """Stop here, where that was asked for."""
    ask = getattr(_here, "ask", None)
    if ask is not None:
        ask()
