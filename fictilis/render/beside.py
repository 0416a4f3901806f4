"""Pictures drawn in a process of their own, so that the window never waits for one.

What is large, arrays and meshes, goes over once and is named by a number from then on, until nobody here knows it any more.
"""

from __future__ import annotations

import atexit
import io
import os
import pickle
import subprocess
import sys
import threading
import time
import weakref
from collections.abc import Callable, Sequence
from functools import cache
from itertools import count
from multiprocessing.connection import Connection, Pipe
from queue import SimpleQueue
from typing import Any, Protocol

import numpy as np
from msgspec.structs import replace

from fictilis.core.geometry.finer import Finer
from fictilis.core.geometry.kinds import Line, Mesh
from fictilis.core.ground.errors import FictilisError
from fictilis.core.scene.light import Light
from fictilis.render.background import Background
from fictilis.render.camera import Camera
from fictilis.render.items import Backdrop, Cloth, DrawItem

LARGE = 512  # bytes of an array that is sent once
START = "from fictilis.render.served import serve; serve({})"
FALLS, LONG = 3, 600.0  # times that the process is started anew, unless it has lived for so many seconds
HANGS = 120.0  # s after which nothing is expected of it any more
ARRAYS = ("points", "normals", "tint", "marks", "fine")  # of an item, some written to in place while a stroke goes on
SHARED = (Mesh, Line, Finer, Cloth, Backdrop)
OF_COPIES = ("matrices", "poses", "points", "normals", "tint")


class Ticket:
    """A picture that was asked for; without pixels where the process ended, with an error where none will come."""

    def __init__(self, done: Callable[[Ticket], None] | None = None) -> None:
        self._come, self._done = threading.Event(), done
        self.pixels: np.ndarray | None = None
        self.error, self.seconds = "", 0.0  # that it took to draw

    def take(self, pixels: np.ndarray | None, error: str = "", seconds: float = 0.0) -> None:
        self.pixels, self.error, self.seconds = pixels, error, seconds
        if self._done is not None:
            self._done(self)
            self._done = None  # what waits must not end in the thread of who brings it
        self._come.set()

    def wait(self, seconds: float | None = None) -> bool:
        """Whether it comes within so many seconds; None waits for it."""
        return self._come.wait(seconds)


class Draws(Protocol):
    """What draws: a Renderer here, or one beside."""

    light: Light

    @property
    def falls(self) -> int: ...
    @property
    def card(self) -> str: ...
    def ask(self, ticket: Ticket, items: Sequence[DrawItem], *picture: Any, depth: bool = False, **how: Any) -> None: ...
    def draw(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, background: Background = Background(),
        fine: bool = False, *, swift: bool = False, insides: bool = True,
    ) -> np.ndarray: ...  # fmt: skip
    def depths(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, background: Background
    ) -> np.ndarray: ...
    def forget(self) -> None: ...
    def forget_frames(self) -> None: ...
    def release(self) -> None: ...


class Known:
    """What the other process has: numbers of objects here. Objects that end here are ``gone`` there too."""

    def __init__(self) -> None:
        self._numbers: dict[int, tuple[Any, int]] = {}
        self._next = count()
        self.gone: list[int] = []

    def number(self, thing: Any) -> int | None:
        kept = self._numbers.get(id(thing))
        return kept[1] if kept is not None and kept[0]() is thing else None

    def add(self, thing: Any) -> int:
        place, number = id(thing), next(self._next)

        def ended(_ref: object) -> None:
            kept = self._numbers.get(place)
            if kept is not None and kept[1] == number:
                del self._numbers[place]
            self.gone.append(number)

        self._numbers[place] = weakref.ref(thing, ended), number
        return number

    def forget(self, thing: Any) -> None:
        """It was written to, and goes over again under another number."""
        kept = self._numbers.pop(id(thing), None)
        if kept is not None:
            self.gone.append(kept[1])


class Packer(pickle.Pickler):
    """Writes numbers in place of what is large; ``parts`` are those that go over for the first time, with their bytes."""

    def __init__(self, file: io.BytesIO, known: Known, parts: list[tuple[int, bytes]], whole: object = None) -> None:
        super().__init__(file, 5)
        self._known, self._parts, self._whole = known, parts, whole

    def persistent_id(self, thing: Any) -> int | None:
        if thing is self._whole or not _is_large(thing):
            return None
        number = self._known.number(thing)
        if number is None:
            data = packed(thing, self._known, self._parts, thing)
            number = self._known.add(thing)
            self._parts.append((number, data))
        return number


def _is_large(thing: Any) -> bool:
    return thing.nbytes >= LARGE if isinstance(thing, np.ndarray) else isinstance(thing, SHARED)


def packed(thing: Any, known: Known, parts: list[tuple[int, bytes]], whole: object = None) -> bytes:
    file = io.BytesIO()
    Packer(file, known, parts, whole).dump(thing)
    return file.getvalue()


class Unpacker(pickle.Unpickler):
    def __init__(self, data: bytes, things: dict[int, Any]) -> None:
        super().__init__(io.BytesIO(data))
        self._things = things

    def persistent_load(self, number: Any) -> Any:
        return self._things[number]


class Link:
    """The process, which is started at once, and started anew where it ends; shared by all windows."""

    def __init__(self) -> None:
        self.falls = 0
        self._tickets: dict[int, Ticket] = {}
        self._next = count()
        self._lock = threading.Lock()  # of whether it is alive, and of who waits
        self._start()

    def _start(self) -> None:
        self.known, self.alive, self._said, self._begun = Known(), True, threading.Event(), time.monotonic()
        self.why = self.card = ""
        ours, theirs = Pipe()
        paths = os.pathsep.join(p for p in sys.path if p)
        self.process = subprocess.Popen(
            [sys.executable, "-c", START.format(theirs.fileno())], pass_fds=[theirs.fileno()],
            env={**os.environ, "PYTHONPATH": paths},
        )  # fmt: skip
        theirs.close()
        self._pipe, self._out = ours, SimpleQueue[Any]()
        given = (ours, self._out, self.process, self._said)
        threading.Thread(target=self._send, args=given[:2], daemon=True, name="pictures out").start()
        threading.Thread(target=self._receive, args=given, daemon=True, name="pictures in").start()

    def ready(self) -> str:
        """Waits until it can draw; why it cannot, where it cannot."""
        self._said.wait()
        return self.why

    @staticmethod
    def _send(pipe: Connection, out: SimpleQueue[Any]) -> None:
        while True:
            messages = out.get()
            if messages is None:
                return
            try:
                for message in messages:
                    pipe.send_bytes(message)
            except (OSError, TypeError):  # it ended, or was closed here
                return

    def _receive(
        self, pipe: Connection, out: SimpleQueue[Any], process: subprocess.Popen[bytes], said: threading.Event
    ) -> None:
        try:
            self.why, self.card = pipe.recv()
            said.set()
            while True:
                while not pipe.poll(HANGS):
                    if self._tickets:
                        process.kill()
                self._hand_out(pipe)
        except (EOFError, OSError):
            process.kill()
        code = process.wait()
        if not said.is_set():
            self.why = f"No picture can be drawn: the process for it ended at once ({code})."
        out.put(None)
        with self._lock:  # from here on another may be started
            self.alive, lost, self._tickets = False, list(self._tickets.values()), {}
        said.set()
        for ticket in lost:
            ticket.take(None)

    def _hand_out(self, pipe: Connection) -> None:
        """Give the next picture that comes to who waits for it."""
        number, shape, kind, error, seconds = pipe.recv()
        pixels = None
        if shape is not None:
            data = bytearray(int(np.prod(shape)) * np.dtype(kind).itemsize)
            if data:
                pipe.recv_bytes_into(data)
            pixels = np.frombuffer(data, kind).reshape(shape)
        with self._lock:
            ticket = self._tickets.pop(number)
        ticket.take(pixels, error, seconds)

    def send(self, ticket: Ticket | None, *words: Any) -> None:
        """Ask for something, a picture where there is a ticket. To be called from one thread."""
        if not self.alive and not self._started_again():
            if ticket is not None:
                ticket.take(None, self.why or f"What draws the pictures ended {self.falls + 1} times.")
            return
        number = None if ticket is None else next(self._next)
        parts: list[tuple[int, bytes]] = []
        gone, self.known.gone = self.known.gone, []
        data = packed((number, *words), self.known, parts)
        with self._lock:
            alive = self.alive
            if alive and ticket is not None and number is not None:
                self._tickets[number] = ticket
        if alive:
            self._out.put([pickle.dumps(([n for n, _ in parts], gone)), *(part for _, part in parts), data])
        elif ticket is not None:
            ticket.take(None)

    def _started_again(self) -> bool:
        """Start another process; not again and again."""
        if time.monotonic() - self._begun > LONG:
            self.falls = 0
        if self.falls >= FALLS or self.why:
            return False
        self.falls += 1
        try:
            self._start()
        except OSError as error:
            self.alive, self.why = False, f"No picture can be drawn: no process is to be had for it ({error.strerror})."
        return self.alive

    def close(self) -> None:
        self._out.put(None)
        self._pipe.close()
        self.process.kill()
        self.process.wait()


@cache
def link() -> Link:
    made = Link()
    atexit.register(made.close)
    return made


class Beside:
    """Draws as a Renderer does, for one window, in the process of a link."""

    _owners = count()

    def __init__(self, to: Link) -> None:
        self._link, self._owner = to, next(self._owners)
        self.light = Light()
        self._revisions: dict[object, tuple[int, int, object]] = {}
        self._next = count()
        why = to.ready()
        if why:
            raise FictilisError(why)

    @property
    def falls(self) -> int:
        """How often the process ended."""
        return self._link.falls + (not self._link.alive)

    @property
    def card(self) -> str:
        """What OpenGL calls the graphics card, or the program in place of one."""
        return self._link.card

    def ask(self, ticket: Ticket, items: Sequence[DrawItem], *picture: Any, depth: bool = False, **how: Any) -> None:
        """Ask for what ``Renderer.draw`` gives, or for its depths; the ticket has it when it comes."""
        mine = [self._own(item) for item in items]
        self._link.send(ticket, "depth" if depth else "draw", self.light, mine, picture, how)

    def draw(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, background: Background = Background(),
        fine: bool = False, *, swift: bool = False, insides: bool = True,
    ) -> np.ndarray:  # fmt: skip
        """As ``Renderer.draw``. Raises FictilisError where the process ends again and again."""
        return self._now(items, camera, width, height, background, fine, swift=swift, insides=insides)

    def depths(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, background: Background = Background()
    ) -> np.ndarray:
        """As ``Renderer.depths``."""
        return self._now(items, camera, width, height, background, depth=True)

    def _now(self, *asked: Any, **how: Any) -> np.ndarray:
        while True:
            ticket = Ticket()
            self.ask(ticket, *asked, **how)
            ticket.wait()
            if ticket.error:
                raise FictilisError(ticket.error)
            if ticket.pixels is not None:
                return ticket.pixels

    def _own(self, item: DrawItem) -> DrawItem:
        """The item among those of other windows: its key and its revisions are numbers."""
        number, revision, other = self._number(item.key, item.revision)
        if other:
            self._written(item, ARRAYS)
        many = item.many
        if many is not None:
            _, again, other = self._number((item.key, "copies"), many.revision)
            if other:
                self._written(many, OF_COPIES)
            many = replace(many, revision=again)
        return replace(item, key=(self._owner, number), revision=revision, many=many)

    def _written(self, thing: object, names: Sequence[str]) -> None:
        for array in (getattr(thing, name) for name in names):
            if array is not None and array.flags.writeable:
                self._link.known.forget(array)

    def _number(self, key: object, revision: object) -> tuple[int, int, bool]:
        """Numbers for a key and for what is there, and whether that is another than before."""
        kept = self._revisions.get(key)
        if kept is not None and revision is not None and kept[2] == revision:
            return kept[0], kept[1], False
        number, other = next(self._next) if kept is None else kept[0], next(self._next)
        self._revisions[key] = number, other, revision
        return number, other, True

    def forget(self) -> None:
        self._revisions.clear()
        self._link.send(None, "forget", self._owner)

    def forget_frames(self) -> None:
        self._link.send(None, "forget_frames")

    def release(self) -> None:
        self.forget()
