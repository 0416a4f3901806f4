"""Long loops that can be stopped: whoever runs them in a thread of its own says how, and they ask now and then."""

from __future__ import annotations

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


def check() -> None:
    """Stop here, where that was asked for."""
    ask = getattr(_here, "ask", None)
    if ask is not None:
        ask()
