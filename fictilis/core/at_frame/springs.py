"""Point springs over time: each point of an object on its way after the mix, worked out frame by frame and kept."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from itertools import count
from threading import Lock
from typing import Protocol
from weakref import WeakKeyDictionary

import numpy as np
from msgspec.structs import replace

from fictilis.core.at_frame.jumps import jumping, jumps_of
from fictilis.core.ground import interrupt
from fictilis.core.ground.affine import placed
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.scene import MorphObject, Scene

MOST_BYTES = 96_000_000  # of states that are kept for one object
SETTLED = 1e-3  # of what a motion was: then it is over
LONGEST = 8.0  # s before the range in which what repeats may have begun
SAME = 1e-9
JUST = 1e-12  # of a frame's number, or of a frame: just before or after it
LEAST_MASS = 1e-9  # what is lighter stays with the mix
BLOCK = 2048  # points that are led at once


def steps_of(spring: PointSpring, mass: np.ndarray, seconds: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """How the state of masses (l,) goes on over some seconds: (s, s, l) what becomes of the state, place and speed of one
    spring or of both; (s, l) what the place that is followed adds, and (s, l) how far that goes on meanwhile, evenly.

    Exact for what is followed on a straight line. Source: what follows u₀ + s t goes its way at last, c / k behind it for each
    spring; what is left of it swings out. Own derivation.
    """
    swing = _swing(spring.stiffness / mass, spring.damping / mass, seconds, spring.twice)
    late = spring.damping / spring.stiffness
    still, begin = np.array([1.0, 0.0, 1.0, 0.0])[: len(swing)], np.array([-late, 1.0, -2 * late, 1.0])[: len(swing)]
    place = still[:, None] - np.einsum("rcl,c->rl", swing, still)
    way = begin[:, None] + seconds * still[:, None] - np.einsum("rcl,c->rl", swing, begin)
    return swing, place, way / max(seconds, 1e-300)


def _swing(k: np.ndarray, c: np.ndarray, h: float, twice: bool) -> np.ndarray:
    """(s, s, l): exp(A h) of y″ = -k y - c y′, and with ``twice`` of a second y that follows the first.

    With B = A + c/2 traceless, B² = r² and exp(A h) = e^(-ch/2) (C + S B), where C = cosh r h and S = sinh r h / r. What the
    first spring does to the second is e^(-ch/2) times the convolution of (C + S B) with itself about K, in which only the
    speed of the second is led by the place of the first. Source: the closed form for two by two matrices (Cayley and
    Hamilton); the convolutions are own derivation.
    """
    square = c * c / 4 - k
    over, root = square > 0, np.sqrt(np.abs(square))
    slow, fast = np.exp(-k / (root + c / 2 + (k == 0)) * h), np.exp(-(root + c / 2) * h)  # of what is over-damped
    fades, angle = np.exp(-c * h / 2), root * h
    even = np.where(over, (slow + fast) / 2, fades * np.cos(angle))
    odd = np.where(over, (slow - fast) / np.where(over, 2 * root, 1.0), fades * h * np.sinc(angle / np.pi))
    near = angle < 1e-3  # where differences would cancel
    odd = np.where(near, fades * h * (1 + square * h * h / 6), odd)
    turn = np.array([[c / 2, np.ones_like(c)], [-k, -c / 2]])  # B
    own = even * np.eye(2)[..., None] + odd * turn
    if not twice:
        return own
    both = (h * even + odd) / 2
    cross = h * odd / 2
    far = np.where(near, fades * h**3 / 6 * (1 + square * h * h / 10), (h * even - odd) / (2 * np.where(near, 1.0, square)))
    push = np.zeros_like(turn)
    push[1, 0] = k  # K
    led = both * push + cross * (_times(turn, push) + _times(push, turn)) + far * _times(_times(turn, push), turn)
    return np.block([[own.transpose(2, 0, 1), np.zeros((len(k), 2, 2))],
                     [led.transpose(2, 0, 1), own.transpose(2, 0, 1)]]).transpose(1, 2, 0)  # fmt: skip


def _times(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    return np.einsum("ijl,jkl->ikl", a, b)


class Asked:
    """Until when springs may be worked out, and whether some were left ``late``."""

    def __init__(self, seconds: float) -> None:
        self.end, self.late = time.perf_counter() + seconds, False


_asked: ContextVar[Asked | None] = ContextVar("asked", default=None)


@contextmanager
def in_time(seconds: float) -> Iterator[Asked]:
    """While this lasts, springs are worked out for so many seconds at most, a frame at least for each that is asked for. What
    is not known by then stays as it is without springs."""
    token = _asked.set(Asked(seconds))
    try:
        yield _asked.get()  # type: ignore[misc]
    finally:
        _asked.reset(token)


class Followed(Protocol):
    """Where a spring is led: points (n, 3) before it, and the matrix (4, 4) that places them in the scene."""

    @property
    def bent(self) -> np.ndarray: ...
    @property
    def matrix(self) -> np.ndarray: ...


Follow = Callable[[Scene, MorphObject, float], Followed]
_numbers = count()


class Run:
    """The motion of one object's points. States are kept frame by frame, or every some frames where they are large. No two
    runs have the same ``number``."""

    def __init__(self, scene: Scene, obj: MorphObject, follow: Follow) -> None:
        self.number, self._follow = next(_numbers), follow
        assert obj.spring is not None
        self._spring = replace(obj.spring)
        self._obj = replace(obj, spring=None)  # which must not hold what the run is kept for
        self._fps = scene.fps
        mass = self._spring.mass * (np.ones(len(obj.base)) if self._spring.field is None else self._spring.field)
        self._free = np.flatnonzero(mass > LEAST_MASS)
        self._masses, self._level = np.unique(mass[self._free], return_inverse=True)
        self._jumping = jumping(scene, obj)
        self._jumps, self._looked = np.zeros(0), -np.inf
        self._parts: dict[float, tuple[np.ndarray, np.ndarray, np.ndarray]] = {}
        self._start = self._begin(scene)
        size = 4 if self._spring.twice else 2
        state = size * len(self._free) * 3 * 8
        self._every = max(int(np.ceil(state * (scene.end - self._start + 1) / MOST_BYTES)), 1)
        self._kept: dict[int, np.ndarray] = {}
        self._last: tuple[int, np.ndarray, np.ndarray] | None = None
        self._lock = Lock()  # an export may ask from a thread of its own

    def _begin(self, scene: Scene) -> float:
        """The frame at which all is at rest: that of the range, or so much before it that what repeats has settled."""
        lanes = (*self._obj.lanes, *(self._obj.blend.lanes if self._obj.blend is not None else ()))
        before = [k.frame for lane in lanes for k in lane.curve.keys[:1]]
        repeats = any(lane.curve.before != "hold" for lane in lanes if lane.curve.keys)
        if not lanes or not repeats and min(before, default=scene.start) >= scene.start and self._obj.along is None:
            return float(scene.start)
        slowest = max(self._masses.max(initial=0.0), 1e-9)
        half = self._spring.damping / slowest / 2
        inner = self._spring.stiffness / slowest - half * half
        rate = half if inner >= 0 else self._spring.stiffness / slowest / (half + np.sqrt(-inner))
        seconds = min(-np.log(SETTLED) / max(rate, 1e-9), LONGEST)
        return float(scene.start - np.ceil(seconds * self._fps))

    def _followed(self, scene: Scene, frame: float) -> np.ndarray:
        """(3, k): where the mix has the points that may move, in the space in which they lag behind."""
        with in_time(np.inf):  # a state that came of what is late would be kept
            pose = self._follow(scene, self._obj, frame)
            points = pose.bent[self._free]
            return np.ascontiguousarray((points if self._spring.mix else placed(points, pose.matrix)).T)

    def _steps(self, frames: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        if frames not in self._parts:
            if len(self._parts) > 8:
                self._parts.pop(next(p for p in self._parts if p != 1.0))
            parts = steps_of(self._spring, self._masses, frames / self._fps)
            self._parts[frames] = tuple(np.ascontiguousarray(part[..., None, self._level]) for part in parts)  # type: ignore[assignment]
        return self._parts[frames]

    def _jumps_to(self, frame: float) -> np.ndarray:
        """The frames up to one, and some beyond it, at which what is followed may jump."""
        if self._jumping and frame > self._looked:
            self._looked = max(frame + 100.0, self._start)
            self._jumps = jumps_of(self._jumping, self._start, self._looked)
        return self._jumps

    def _right(self, scene: Scene, frame: float) -> np.ndarray:
        """(3, k): what is followed right after a frame."""
        jumps = self._jumps_to(frame)
        here = jumps.searchsorted(frame)
        jumped = here < len(jumps) and jumps[here] == frame and frame > self._start
        return self._followed(scene, frame + JUST * max(abs(frame), 1.0) if jumped else frame)

    def _led(self, scene: Scene, state: np.ndarray, now: np.ndarray, at: float, frame: float) -> tuple[np.ndarray, np.ndarray]:
        """The state at a frame, from that at an earlier one, and what is followed right after it: straight but for jumps."""
        jumps = self._jumps_to(frame)
        for jump in jumps[jumps.searchsorted(at, "right") : jumps.searchsorted(frame, "right")].tolist():
            then = self._followed(scene, jump - JUST * max(abs(jump), 1.0))
            state, now, at = self._on(state, now, then, jump - at), self._right(scene, jump), jump
        if at < frame:
            then = self._followed(scene, frame)
            state, now = self._on(state, now, then, frame - at), then
        return state, now

    def _on(self, state: np.ndarray, now: np.ndarray, then: np.ndarray, frames: float) -> np.ndarray:
        """(s, 3, k): the state some frames later, while what is followed goes from one place to another."""
        from_state, from_place, from_way = self._steps(frames)
        out, way = np.empty_like(state), then - now
        for first in range(0, now.shape[1], BLOCK):  # so many fit into a cache
            rows = slice(first, first + BLOCK)
            part = from_place[..., rows] * now[:, rows] + from_way[..., rows] * way[:, rows]
            for column in range(len(state)):
                part += from_state[:, column, :, rows] * state[column, :, rows]
            out[..., rows] = part
        return out

    def points(self, scene: Scene, frame: float) -> np.ndarray | None:
        """(n, 3) in object space at a frame; None where more time would be needed than there is; see ``in_time``."""
        with self._lock:
            pose, asked = self._follow(scene, self._obj, frame), _asked.get()
            if frame <= self._start or not len(self._free):
                return pose.bent
            mixed = pose.bent.copy()
            whole = int(np.floor(frame - self._start + SAME))
            state = self._state(scene, whole, np.inf if asked is None else asked.end)
            if state is None:
                asked.late = True  # type: ignore[union-attr]
                return None
            number, (at, place) = whole, state
            if frame - self._start - number > SAME:
                at = self._led(scene, at, place, self._start + number, frame)[0]
            seen = (at[2] if self._spring.twice else at[0]).T
            if not self._spring.mix:
                seen = placed(seen, np.linalg.inv(pose.matrix))
            mixed[self._free] = seen
            return mixed

    def _state(self, scene: Scene, whole: int, end: float) -> tuple[np.ndarray, np.ndarray] | None:
        """The state so many frames after the beginning, and what is followed there."""
        if self._last is not None and self._last[0] == whole:
            return self._last[1:]
        if whole in self._kept:
            return self._kept[whole], self._right(scene, self._start + whole)
        number, state, place = self._nearest(scene, whole)
        while number < whole:
            interrupt.check()
            state, place = self._led(scene, state, place, self._start + number, self._start + number + 1)
            number += 1
            if number % self._every == 0:
                self._kept[number] = state
            self._last = (number, state, place)
            if number < whole and time.perf_counter() > end:
                return None
        self._last = (number, state, place)
        return state, place

    def _nearest(self, scene: Scene, whole: int) -> tuple[int, np.ndarray, np.ndarray]:
        """The last state that is known up to so many frames after the beginning."""
        known = max((n for n in self._kept if n <= whole), default=0)
        if self._last is not None and known <= self._last[0] <= whole:
            return self._last
        place = self._right(scene, self._start + known)
        if known:
            return known, self._kept[known], place
        return 0, np.stack([place, np.zeros_like(place)] * (2 if self._spring.twice else 1)), place

    @property
    def known(self) -> int:
        """How many frames are worked out."""
        return max(max(self._kept, default=0), self._last[0] if self._last is not None else 0)


_runs: WeakKeyDictionary[PointSpring, dict[str, tuple[tuple[object, ...], Run]]] = WeakKeyDictionary()
MOST_RUNS = 64  # of objects that share a spring, as copies do


def run_of(scene: Scene, obj: MorphObject, follow: Follow) -> Run | None:
    """The motion of an object's points; None without a spring that is on. Begun anew when what it is made of is another."""
    spring = obj.spring
    if spring is None or not spring.on:
        return None
    made_of: list[object] = [obj.base, obj.geometry, obj.targets, obj.groups, obj.lanes, obj.blend, obj.transform, obj.along]
    made_of += [obj.deformers, obj.skin]  # a weight may follow a joint
    made_of += [scene.fps, scene.start]
    line = obj.along
    while line is not None:
        leader = scene.object(line.line)
        made_of.append(leader)
        line = leader.along
    known = _runs.setdefault(spring, {})
    kept = known.get(obj.id)
    same = kept is not None and len(kept[0]) == len(made_of)
    if kept is None or not same or not all(a is b or _alike(a, b) for a, b in zip(kept[0], made_of, strict=True)):
        while len(known) >= MOST_RUNS:
            known.pop(next(iter(known)), None)
        kept = known[obj.id] = (tuple(made_of), Run(scene, obj, follow))
    return kept[1]


def _alike(a: object, b: object) -> bool:
    return isinstance(a, float | int) and a == b
