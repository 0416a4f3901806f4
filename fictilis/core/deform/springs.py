"""Point springs over time: each point of an object on its way after the mix, worked out frame by frame and kept."""

from __future__ import annotations

import time
from threading import Lock
from weakref import WeakKeyDictionary

import numpy as np
from msgspec.structs import replace

from fictilis.core import interrupt
from fictilis.core.affine import placed
from fictilis.core.evaluate import bent_object
from fictilis.core.point_spring import PointSpring
from fictilis.core.scene import MorphObject, Scene
from fictilis.core.standing import standing

LEVELS = 256  # masses that are told apart
MOST_BYTES = 96_000_000  # of states that are kept for one object
SETTLED = 1e-3  # of what a motion was: then it is over
LONGEST = 8.0  # s before the range in which what repeats may have begun
SAME = 1e-9
BLOCK = 2048  # points that are led at once


def steps_of(spring: PointSpring, mass: np.ndarray, seconds: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """How the state of masses (l,) goes on over some seconds: (s, s, l) what becomes of the state, place and speed of one
    spring or of both; (s, l) what the place that is followed adds, and (s, l) how far that goes on meanwhile, evenly.

    Exact for what is followed on a straight line. Source: van Loan (1978), Computing Integrals Involving the Matrix
    Exponential, IEEE Transactions on Automatic Control 23(3).
    """
    size = 4 if spring.twice else 2
    k, c = spring.stiffness / mass, spring.damping / mass
    system = np.zeros((len(mass), size + 2, size + 2))
    for first in range(0, size, 2):
        system[:, first, first + 1] = 1.0
        system[:, first + 1, first], system[:, first + 1, first + 1] = -k, -c
        system[:, first + 1, size if first == 0 else 0] = k  # the mix, or the spring before
    system[:, size, size + 1] = 1.0 / max(seconds, 1e-300)
    whole = _exponential(system * seconds)
    rows = whole[:, :size].transpose(1, 2, 0)
    return rows[:, :size], rows[:, size], rows[:, size + 1]


def _exponential(matrices: np.ndarray) -> np.ndarray:
    """Matrix exponentials (l, n, n), by Taylor's series of a part of each, squared as often as needed. SciPy's takes 0.6 s to
    be loaded, in the middle of a picture. Source: Moler and Van Loan (2003), SIAM Review 45(1), method 3."""
    largest = float(np.abs(matrices).sum(axis=2).max(initial=0.0))
    halvings = max(int(np.ceil(np.log2(max(largest, 1e-300) / 0.5))), 0)
    part = matrices / 2.0**halvings
    term = np.broadcast_to(np.eye(matrices.shape[1]), matrices.shape)
    out = term.copy()
    for n in range(1, 17):
        term = term @ part / n
        out += term
    for _ in range(halvings):
        out = out @ out
    return out


class Run:
    """The motion of one object's points. States are kept frame by frame, or every some frames where they are large."""

    def __init__(self, scene: Scene, obj: MorphObject) -> None:
        assert obj.spring is not None
        self._spring = replace(obj.spring)
        self._obj = replace(obj, spring=None)  # which must not hold what the run is kept for
        self._fps = scene.fps
        mass = self._spring.mass * (np.ones(len(obj.base)) if self._spring.field is None else self._spring.field)
        unit = max(float(mass.max(initial=0.0)), 1e-300) / LEVELS
        levels = np.maximum(np.round(mass / unit).astype(int), mass > 0)  # what is light is not without mass
        levels, self._level = np.unique(levels, return_inverse=True)
        self._masses = levels * unit
        self._free = np.flatnonzero(mass > 0)
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
        points = bent_object(self._obj, frame, self._fps)[self._free]
        if not self._spring.mix:
            points = placed(points, standing(scene, self._obj, frame).transform.matrix())
        return np.ascontiguousarray(points.T)

    def _steps(self, frames: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        if frames not in self._parts:
            masses = np.where(self._masses > 0, self._masses, 1.0)
            if len(self._parts) > 8:
                self._parts.pop(next(p for p in self._parts if p != 1.0))
            level = self._level[self._free]
            parts = steps_of(self._spring, masses, frames / self._fps)
            self._parts[frames] = tuple(np.ascontiguousarray(part[..., None, level]) for part in parts)  # type: ignore[assignment]
        return self._parts[frames]

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

    def points(self, scene: Scene, frame: float, seconds: float = np.inf) -> np.ndarray | None:
        """(n, 3) in object space at a frame; None where more than ``seconds`` would be needed, of which these were used."""
        with self._lock:
            mixed = bent_object(self._obj, frame, self._fps)
            if frame <= self._start or not len(self._free):
                return mixed
            end = time.perf_counter() + seconds
            whole = int(np.floor(frame - self._start + SAME))
            state = self._state(scene, whole, end)
            if state is None:
                return None
            number, (at, place) = whole, state
            rest = frame - self._start - number
            if rest > SAME:
                then = self._followed(scene, frame)
                at = self._on(at, place, then, rest)
            seen = (at[2] if self._spring.twice else at[0]).T
            if not self._spring.mix:
                back = np.linalg.inv(standing(scene, self._obj, frame).transform.matrix())
                seen = placed(seen, back)
            mixed[self._free] = seen
            return mixed

    def _state(self, scene: Scene, whole: int, end: float) -> tuple[np.ndarray, np.ndarray] | None:
        """The state so many frames after the beginning, and what is followed there."""
        if self._last is not None and self._last[0] == whole:
            return self._last[1:]
        if whole in self._kept:
            return self._kept[whole], self._followed(scene, self._start + whole)
        number, state, place = self._nearest(scene, whole)
        while number < whole:
            interrupt.check()
            if time.perf_counter() > end:
                self._last = (number, state, place)
                return None
            then = self._followed(scene, self._start + number + 1)
            state, place, number = self._on(state, place, then, 1.0), then, number + 1
            if number % self._every == 0:
                self._kept[number] = state
        self._last = (number, state, place)
        return state, place

    def _nearest(self, scene: Scene, whole: int) -> tuple[int, np.ndarray, np.ndarray]:
        """The last state that is known up to so many frames after the beginning."""
        known = max((n for n in self._kept if n <= whole), default=0)
        if self._last is not None and known <= self._last[0] <= whole:
            return self._last
        place = self._followed(scene, self._start + known)
        if known:
            return known, self._kept[known], place
        return 0, np.stack([place, np.zeros_like(place)] * (2 if self._spring.twice else 1)), place

    @property
    def known(self) -> int:
        """How many frames are worked out."""
        return max(max(self._kept, default=0), self._last[0] if self._last is not None else 0)


_runs: WeakKeyDictionary[PointSpring, dict[str, tuple[tuple[object, ...], Run]]] = WeakKeyDictionary()
MOST_RUNS = 64  # of objects that share a spring, as copies do


def run_of(scene: Scene, obj: MorphObject) -> Run | None:
    """The motion of an object's points; None without a spring that is on. Begun anew when what it is made of is another."""
    spring = obj.spring
    if spring is None or not spring.on:
        return None
    made_of: list[object] = [obj.base, obj.geometry, obj.targets, obj.groups, obj.lanes, obj.blend, obj.transform, obj.along]
    made_of.append(obj.deformers)
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
        kept = known[obj.id] = (tuple(made_of), Run(scene, obj))
    return kept[1]


def _alike(a: object, b: object) -> bool:
    return isinstance(a, float | int) and a == b
