"""Motion over a curve: spring, wobble, smooth and offset, each an amount of itself over what comes before it.

A modifier takes a signal (a function of seconds) and gives another. Times are seconds, so that nothing depends on the
rate at which frames are looked at.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from fictilis.core.animation.curve import AnimationCurve, pieces
from fictilis.core.errors import EditRefused

Signal = Callable[[np.ndarray], np.ndarray]
STEP = 1 / 120  # s, where a signal is no polynomial between its own knots
MOST_STEPS = 400_000
_NODES = np.array([0.02, 0.33, 0.67, 0.98])
_FIT = np.linalg.inv(np.vander(_NODES, 4, increasing=True))


@dataclass(frozen=True)
class Setting:
    """One number of a modifier, with its unit, default and bounds."""

    name: str
    unit: str
    default: float
    low: float
    high: float


@dataclass(frozen=True)
class Modifier:
    """``amount`` 0…1 is how much of it shows; ``numbers`` are pairs (name, value) of its kind's settings."""

    kind: str
    on: bool = True
    amount: float = 1.0
    numbers: tuple[tuple[str, float], ...] = field(default_factory=tuple)

    def __post_init__(self) -> None:
        if self.kind not in KINDS:
            raise EditRefused(f"“{self.kind}” is no modifier; use {', '.join(KINDS)}.")
        if not (np.isfinite(self.amount) and -10 <= self.amount <= 10):
            raise EditRefused(f"The amount of {self.kind} must be from -10 to 10, not {self.amount:g}.")
        settings = {s.name: s for s in KINDS[self.kind].settings}
        for name, value in self.numbers:
            if name not in settings:
                raise EditRefused(f"{self.kind.capitalize()} has no number called {name}.")
            if not settings[name].low <= value <= settings[name].high:
                low, high = settings[name].low, settings[name].high
                raise EditRefused(f"{name.capitalize()} of {self.kind} must be from {low:g} to {high:g}, not {value:g}.")

    def number(self, name: str) -> float:
        default = next(s.default for s in KINDS[self.kind].settings if s.name == name)
        return dict(self.numbers).get(name, default)

    def with_number(self, name: str, value: float) -> Modifier:
        return Modifier(self.kind, self.on, self.amount, tuple({**dict(self.numbers), name: float(value)}.items()))


@dataclass(frozen=True)
class Kind:
    """``apply(signal, knots, modifier, fps)`` gives the new signal; ``knots`` are where the old one may bend, s."""

    settings: tuple[Setting, ...]
    apply: Callable[[Signal, np.ndarray, Modifier, float], Signal]


class _Spring:
    """The motion of a mass on a spring that follows a signal, from rest at its first knot.

    y″ = k (u - y) - c y′. Between knots the signal is a cubic, for which the motion is known exactly: a cubic and a
    damped oscillation. Source: linear differential equations of second order with constant coefficients (any
    handbook, for instance Boyce and DiPrima, ch. 3), own derivation of the particular cubic.
    """

    def __init__(self, signal: Signal, knots: np.ndarray, stiffness: float, damping: float) -> None:
        self.k, self.c = stiffness, damping
        spans = np.diff(knots)
        samples = signal((knots[:-1, None] + spans[:, None] * _NODES).ravel()).reshape(-1, 4)
        part = samples @ _FIT.T / spans[:, None] ** np.arange(4)  # cubic in seconds since the knot
        self.knots, self.cubics = knots, np.array([self._particular(row) for row in part])
        state = np.array([float(signal(knots[:1])[0]), 0.0])
        states = [state]
        for span, cubic in zip(spans, self.cubics, strict=True):
            state = self._after(cubic, state, np.array([span]))[:, 0]
            states.append(state)
        self.states = np.array(states)

    def _particular(self, a: np.ndarray) -> np.ndarray:
        k, c = self.k, self.c
        p3 = a[3]
        p2 = a[2] - 3 * c * p3 / k
        p1 = a[1] - (2 * c * p2 + 6 * p3) / k
        return np.array([a[0] - (c * p1 + 2 * p2) / k, p1, p2, p3])

    def _after(self, cubic: np.ndarray, state: np.ndarray, t: np.ndarray) -> np.ndarray:
        """(2, n): place and speed ``t`` (n,) seconds after a knot; cubic (4,) or (4, n), state (2,) or (2, n)."""
        p0, p1, p2, p3 = cubic
        away, speed = state[0] - p0, state[1] - p1
        place, rate = self._free(away, speed, t)
        return np.stack([((p3 * t + p2) * t + p1) * t + p0 + place, (3 * p3 * t + 2 * p2) * t + p1 + rate])

    def _free(self, away: Any, speed: Any, t: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The oscillation that begins ``away`` from rest with ``speed``: under-, critically or over-damped."""
        k, c = self.k, self.c
        half, inner = c / 2, k - c * c / 4
        fade = np.exp(-half * t)
        if abs(inner) < 1e-9 * k:
            b = speed + half * away
            place = (away + b * t) * fade
            return place, b * fade - half * place
        if inner > 0:
            w = np.sqrt(inner)
            b = (speed + half * away) / w
            sine, cosine = np.sin(w * t), np.cos(w * t)
            place = fade * (away * cosine + b * sine)
            return place, fade * w * (b * cosine - away * sine) - half * place
        w = np.sqrt(-inner)
        slow, fast = -half + w, -half - w
        a = (speed - fast * away) / (slow - fast)
        b = away - a
        one, two = a * np.exp(slow * t), b * np.exp(fast * t)
        return one + two, slow * one + fast * two

    def __call__(self, t: np.ndarray) -> np.ndarray:
        at = np.asarray(t, np.float64)
        which = np.clip(np.searchsorted(self.knots, at, side="right") - 1, 0, len(self.cubics) - 1)
        moved = self._after(self.cubics[which].T.reshape(4, *at.shape), self.states[which].T.reshape(2, *at.shape),
                            np.maximum(at - self.knots[which], 0.0))[0]  # fmt: skip
        return np.where(at <= self.knots[0], self.states[0, 0], moved)


def _spring(signal: Signal, knots: np.ndarray, m: Modifier, _fps: float) -> Signal:
    return _Spring(signal, knots, m.number("stiffness"), m.number("damping"))


def _wobble(signal: Signal, _knots: np.ndarray, m: Modifier, _fps: float) -> Signal:
    height, first, second, phase = (m.number(n) for n in ("height", "frequency", "second", "phase"))

    def moved(t: np.ndarray) -> np.ndarray:
        wave = np.sin(2 * np.pi * (first * t + phase)) + 0.5 * np.sin(2 * np.pi * (second * t + 1.7 * phase))
        return signal(t) + height * wave / 1.5

    return moved


def _smooth(signal: Signal, _knots: np.ndarray, m: Modifier, _fps: float) -> Signal:
    """The mean over a window, heaviest in its middle. Source: Gaussian weights, 21 places over ±2 deviations."""
    places = np.linspace(-2, 2, 21)
    weights = np.exp(-places * places / 2)
    weights /= weights.sum()
    wide = m.number("seconds") / 2

    def moved(t: np.ndarray) -> np.ndarray:
        return signal(np.asarray(t)[..., None] + places * wide) @ weights

    return moved


def _offset(signal: Signal, _knots: np.ndarray, m: Modifier, fps: float) -> Signal:
    late = m.number("frames") / fps
    return lambda t: signal(np.asarray(t) - late)


KINDS: dict[str, Kind] = {
    "spring": Kind((Setting("stiffness", "1/s²", 180.0, 0.1, 1e5), Setting("damping", "1/s", 12.0, 0.0, 1e3)), _spring),
    "wobble": Kind((Setting("height", "", 0.05, -100, 100), Setting("frequency", "Hz", 1.1, 0, 100),
                    Setting("second", "Hz", 2.7, 0, 100), Setting("phase", "", 0.0, -100, 100)), _wobble),
    "smooth": Kind((Setting("seconds", "s", 0.2, 0.001, 60),), _smooth),
    "offset": Kind((Setting("frames", "", 3.0, -1e5, 1e5),), _offset),
}  # fmt: skip
PRESETS = {"crisp": (900.0, 42.0), "springy": (180.0, 12.0), "bouncy": (260.0, 7.0), "floaty": (30.0, 5.0)}


def modified(curve: AnimationCurve, modifiers: tuple[Modifier, ...], frames: np.ndarray | float, fps: float) -> np.ndarray:
    """Values at ``frames`` (any shape) of a curve with its modifiers, float64."""
    at = np.asarray(frames, np.float64)
    active = [m for m in modifiers if m.on and m.amount]
    if not active or not curve.keys:
        return curve.evaluate(at)
    seconds = at / fps
    signal: Signal = lambda t: curve.evaluate(np.asarray(t) * fps)  # noqa: E731
    last = float(seconds.max(initial=0.0)) + 1.0
    plain = pieces(curve).is_cubic and (curve.before, curve.after) == ("hold", "hold")
    for m in active:
        knots = _knots(curve, fps, last, plain)
        signal = _mixed(signal, KINDS[m.kind].apply(signal, knots, m, fps), m.amount)
        plain = False
    return signal(seconds)


def _mixed(before: Signal, after: Signal, amount: float) -> Signal:
    if amount == 1:
        return after
    return lambda t: before(t) + amount * (after(t) - before(t))


def _knots(curve: AnimationCurve, fps: float, last: float, plain: bool) -> np.ndarray:
    """Seconds where the signal may bend: its keys, or a fine grid among them where it is no polynomial."""
    keys = np.array([k.frame for k in curve.keys]) / fps
    end = max(last, float(keys[-1]) + 1.0)
    if plain:
        return np.append(keys, end)
    count = int(min(np.ceil((end - keys[0]) / STEP), MOST_STEPS))
    return np.unique(np.concatenate([keys, np.linspace(keys[0], end, count + 1)]))
