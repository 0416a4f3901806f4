"""The process that draws pictures: what ``beside`` asks for comes in, pixels go out."""

from __future__ import annotations

import os
import signal
import time
from contextlib import suppress
from multiprocessing.connection import Connection
from typing import Any

import numpy as np

from fictilis.core.ground.errors import FictilisError
from fictilis.core.ground.memory import return_freed
from fictilis.render.beside import Unpacker
from fictilis.render.renderer import Renderer

AFTER = 5  # niceness: where both need a processor, the window goes first
IDLE = 5.0  # s without a wish, after which memory that was freed is given back


def serve(handle: int) -> None:
    """Draw until the window that asks is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl+C in a terminal is for the window
    with suppress(OSError):
        os.nice(AFTER)
    pipe = Connection(handle)
    try:
        try:
            renderer = Renderer()
        except FictilisError as error:
            pipe.send((error.said, ""))
            return
        pipe.send(("", renderer.card))
        _serve(pipe, renderer)
    except (EOFError, OSError):
        return


def _serve(pipe: Connection, renderer: Renderer) -> None:
    things: dict[int, Any] = {}
    while True:
        if not pipe.poll(IDLE):
            return_freed()
        numbers, gone = Unpacker(pipe.recv_bytes(), things).load()
        for number in gone:
            things.pop(number, None)
        for number in numbers:
            things[number] = Unpacker(pipe.recv_bytes(), things).load()
        ticket, *words = Unpacker(pipe.recv_bytes(), things).load()
        if ticket is None:
            getattr(renderer, words[0])(*words[1:])
            continue
        begun = time.perf_counter()
        try:
            out = _drawn(renderer, *words)
        except Exception as error:  # noqa: BLE001 - it is raised where it was asked for
            pipe.send((ticket, None, "", f"A picture was not drawn: {error}", 0.0))
            continue
        pipe.send((ticket, out.shape, out.dtype.str, "", time.perf_counter() - begun))
        if out.size:
            pipe.send_bytes(out.data.cast("B"))


def _drawn(renderer: Renderer, what: str, light: Any, items: list, picture: tuple, how: dict[str, Any]) -> np.ndarray:
    renderer.light = light
    if what == "depth":
        return np.ascontiguousarray(renderer.depths(items, *picture, **how))
    return renderer.draw(items, *picture, **how)
