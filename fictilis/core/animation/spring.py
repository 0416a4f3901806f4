"""A mass on a spring that follows a signal: y″ = k (u - y) - c y′, from rest where the signal begins.

While the signal is a cubic of time the motion is known exactly. Where it is none, it is taken for one over each step of a
fixed grid, so that a value never depends on which others are asked; states are kept at the grid's blocks, and a later time
goes on from there.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from math import factorial
from threading import Lock

import numpy as np
from msgspec import Struct

from fictilis.core.ground.interrupt import check

Signal = Callable[[np.ndarray], np.ndarray]
State = tuple[float, float]
STEP = 1 / 120  # s
BLOCK = 256  # steps between states that are kept
KEPT_BLOCKS, KEPT_STATES = 24, 50_000
FORGOTTEN = 25.0  # times the rate: what is left is a part in 10¹¹ of what was
LONGEST_MEMORY = 20_000  # blocks
OVERDAMPED = 1.2  # c² / 4k above which the two rates are far enough apart to be told from each other
_NODES = np.array([0.02, 0.33, 0.67, 0.98])
_FIT = np.linalg.inv(np.vander(_NODES, 4, increasing=True)).T


class Motion:
    """The exact motion while the signal is a cubic. Times in s."""

    def __init__(self, stiffness: float, damping: float) -> None:
        self.k, self.c = stiffness, damping
        self.half, self.inner = damping / 2, stiffness - damping * damping / 4
        self.rate = self.half if self.inner >= 0 else stiffness / (self.half + np.sqrt(-self.inner))  # at which it forgets, 1/s
        self.far_apart = damping * damping > OVERDAMPED * 4 * stiffness

    def after(self, u: np.ndarray, state: np.ndarray, t: np.ndarray) -> np.ndarray:
        """(2, n): place and speed ``t`` (n,) after a time at which they were ``state`` (2, n), under a signal whose cubics
        since then are ``u`` (4, n), lowest power first.

        Source: linear differential equations of second order with constant coefficients (any handbook, for instance Boyce
        and DiPrima, ch. 3), own derivation of the particular cubic; heavily damped by variation of constants.
        """
        if self.far_apart:
            return self._forced(u, state, t)
        k, c = self.k, self.c
        p3 = u[3]
        p2 = u[2] - 3 * c * p3 / k
        p1 = u[1] - (2 * c * p2 + 6 * p3) / k
        p0 = u[0] - (c * p1 + 2 * p2) / k
        place, rate = self._free(state[0] - p0, state[1] - p1, t)
        return np.stack([((p3 * t + p2) * t + p1) * t + p0 + place, (3 * p3 * t + 2 * p2) * t + p1 + rate])

    def _free(self, away: np.ndarray, speed: np.ndarray, t: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The oscillation that begins ``away`` from rest with ``speed``: under-, critically or slightly over-damped."""
        half, inner = self.half, self.inner
        fade = np.exp(-half * t)
        b = speed + half * away
        if abs(inner) < 1e-9 * self.k:
            place = (away + b * t) * fade
            return place, b * fade - half * place
        w = np.sqrt(abs(inner))
        sine, cosine = (np.sin(w * t), np.cos(w * t)) if inner > 0 else (np.sinh(w * t), np.cosh(w * t))
        back = -w if inner > 0 else w
        place = fade * (away * cosine + b / w * sine)
        return place, fade * (b * cosine + back * away * sine) - half * place

    def _forced(self, u: np.ndarray, state: np.ndarray, t: np.ndarray) -> np.ndarray:
        w = np.sqrt(-self.inner)
        fast = -self.half - w
        slow = -self.k / (self.half + w)
        one, two = (_gathered(rate, u, t) for rate in (slow, fast))
        a = (state[1] - fast * state[0]) / (slow - fast)
        b = state[0] - a
        first = a * np.exp(slow * t) + self.k / (slow - fast) * one
        second = b * np.exp(fast * t) - self.k / (slow - fast) * two
        return np.stack([first + second, slow * first + fast * second + 0.0 * t])


def _gathered(rate: float, u: np.ndarray, t: np.ndarray) -> np.ndarray:
    """(n,): the integral from 0 to t of exp(rate (t - s)) u(s) ds, for cubics u (4, n).

    Source: the phi functions of exponential integrators (Hochbruck and Ostermann 2010, Acta Numerica 19, section 2.1); by
    their series where rate t is small.
    """
    z = rate * t
    small = np.abs(z) < 0.5
    safe = np.where(small, 1.0, z)
    phi = np.exp(z)
    out = np.zeros(np.broadcast(u[0], t).shape)
    power = t * 1.0
    for n in range(4):
        series = sum(z**j / factorial(j + n + 1) for j in range(14))
        phi = np.where(small, series, (phi - 1 / factorial(n)) / safe)
        out = out + u[n] * factorial(n) * power * phi
        power = power * t
    return out


class _Run(Struct, frozen=True, eq=False, weakref=True):
    """Knots (m,) s, cubics (4, m) of the signal from each on, and the states (2, m) there."""

    knots: np.ndarray
    cubics: np.ndarray
    states: np.ndarray

    def at(self, motion: Motion, t: np.ndarray) -> np.ndarray:
        which = np.clip(np.searchsorted(self.knots, t, side="right") - 1, 0, len(self.knots) - 1)
        return motion.after(self.cubics[:, which], self.states[:, which], np.maximum(t - self.knots[which], 0.0))[0]


def exact_spring(knots: np.ndarray, cubics: np.ndarray, stiffness: float, damping: float) -> Signal:
    """The motion under a signal that is a cubic from each of ``knots`` (m,) s to the next and on after the last; (4, m)."""
    motion = Motion(stiffness, damping)
    state = np.array([cubics[0, 0], 0.0])
    states = [state]
    for n, span in enumerate(np.diff(knots)):
        state = motion.after(cubics[:, n], state, span)
        states.append(state)
    run = _Run(knots, cubics, np.stack(states, axis=1))

    def moved(t: np.ndarray) -> np.ndarray:
        at = np.asarray(t, np.float64)
        out = run.at(motion, at.ravel()).reshape(at.shape)
        return np.where(at <= knots[0], cubics[0, 0], out)

    return moved


class GridSpring:
    """The motion under any signal from ``start`` s on. ``bends(low, high)`` are the times between two at which it may bend or
    jump."""

    def __init__(
        self, signal: Signal, bends: Callable[[float, float], np.ndarray], start: float, stiffness: float, damping: float
    ) -> None:
        self.signal, self.bends, self.start = signal, bends, start
        self.motion = Motion(stiffness, damping)
        self.first = float(signal(np.array([start]))[0])
        # place and speed at the start of blocks
        self._begins: OrderedDict[int, State] = OrderedDict({0: (self.first, 0.0)})
        blocks = FORGOTTEN / max(self.motion.rate, 1e-12) / (BLOCK * STEP)
        self._memory = int(np.ceil(blocks)) if blocks < LONGEST_MEMORY else None
        self._runs: OrderedDict[int, _Run] = OrderedDict()
        self._lock = Lock()  # checks ask from a thread of their own
        self._powers = np.empty((BLOCK + 2, 2, 2))  # what so many steps make of a state
        self._powers[0] = np.eye(2)
        whole = self._turns(np.array([STEP]))[0]
        for n in range(1, len(self._powers)):
            self._powers[n] = whole @ self._powers[n - 1]

    def __call__(self, t: np.ndarray) -> np.ndarray:
        at = np.asarray(t, np.float64)
        flat = at.ravel()
        block = np.floor((flat - self.start) / (BLOCK * STEP)).astype(np.int64)
        out = np.full(flat.shape, self.first)
        for number in np.unique(block[flat > self.start]).tolist():
            on = (block == number) & (flat > self.start)
            out[on] = self._run(number).at(self.motion, flat[on])
        return out.reshape(at.shape)

    def _run(self, number: int) -> _Run:
        with self._lock:
            run = self._runs.get(number)
            if run is None:
                run = self._runs[number] = self._worked_out(number, self._state(number))
                while len(self._runs) > KEPT_BLOCKS:
                    self._runs.popitem(last=False)
            self._runs.move_to_end(number)
            return run

    def _state(self, number: int) -> State:
        """The state at the start of a block. What was long ago is forgotten: a stretch of blocks begins with what a rest one
        stretch earlier has come to by then, which is the same to eleven digits, and takes no way from the beginning."""
        home = 0 if self._memory is None else number // self._memory * self._memory
        at = number
        while at > home and at not in self._begins:
            at -= 1
        if at not in self._begins:
            self._keep(home, self._entered(home))
        while at < number:
            check()
            state = self._beyond(at, self._begins[at])
            at += 1
            self._keep(at, state)
        return self._begins[number]

    def _entered(self, home: int) -> State:
        if home == 0 or self._memory is None:
            return self.first, 0.0
        before = home - self._memory
        state = (float(self.signal(np.array([self.start + before * BLOCK * STEP]))[0]), 0.0) if before else (self.first, 0.0)
        for number in range(before, home):
            check()
            state = self._beyond(number, state)
        return state

    def _keep(self, number: int, state: State) -> None:
        self._begins[number] = state
        while len(self._begins) > KEPT_STATES:
            self._begins.popitem(last=False)

    def _steps(self, number: int) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """The steps of a block: edges (m + 1,), cubics (4, m) of the signal, what they add to a state (2, m), and which of them
        a bend cuts short."""
        edges = self.start + STEP * np.arange(number * BLOCK, (number + 1) * BLOCK + 1)
        inside = self.bends(float(edges[0]), float(edges[-1]))
        inside = inside[(inside > edges[0]) & (inside < edges[-1])]
        if len(inside):
            edges = np.union1d(edges, inside)
            edges = edges[np.append(np.diff(edges) > 1e-9, True)]
        spans = np.diff(edges)
        samples = self.signal((edges[:-1, None] + spans[:, None] * _NODES).ravel()).reshape(-1, 4)
        cubics = (samples @ _FIT / spans[:, None] ** np.arange(4)).T
        pushed = self.motion.after(cubics, np.zeros((2, len(spans))), spans)
        return edges, cubics, pushed, np.flatnonzero(np.abs(spans - STEP) > 1e-9) if len(inside) else inside.astype(int)

    def _turns(self, spans: np.ndarray) -> np.ndarray:
        """(k, 2, 2): what steps of odd lengths make of a state."""
        ways = [self.motion.after(np.zeros((4, len(spans))), np.outer(e, np.ones(len(spans))), spans) for e in np.eye(2)]
        return np.moveaxis(np.stack(ways, axis=1), 2, 0)

    def _beyond(self, number: int, state: State) -> State:
        """The state after a block from the one before it; whole rows of even steps at once."""
        edges, _, pushed, odd = self._steps(number)
        turns = self._turns(np.diff(edges)[odd]) if len(odd) else np.zeros((0, 2, 2))
        now, at = np.array(state), 0
        for place, turn in zip((*odd.tolist(), pushed.shape[1]), (*turns, None), strict=True):
            count = place - at
            if count:
                now = self._powers[count] @ now + np.einsum("mij,jm->i", self._powers[:count][::-1], pushed[:, at:place])
            if turn is not None:
                now = turn @ now + pushed[:, place]
            at = place + 1
        return float(now[0]), float(now[1])

    def _worked_out(self, number: int, state: State) -> _Run:
        """A block with the state at each of its steps."""
        edges, cubics, pushed, odd = self._steps(number)
        (a, b), (c, d) = self._powers[1].tolist()
        table = [(a, b, c, d, by, faster) for by, faster in pushed.T.tolist()]
        if len(odd):
            for n, (top, low), (by, faster) in zip(
                odd.tolist(), self._turns(np.diff(edges)[odd]).tolist(), pushed[:, odd].T.tolist(), strict=True
            ):
                table[n] = (*top, *low, by, faster)
        place, speed = state
        states = []
        for a, b, c, d, by, faster in table:
            states.append((place, speed))
            place, speed = a * place + b * speed + by, c * place + d * speed + faster
        return _Run(edges[:-1], cubics, np.array(states).T)
