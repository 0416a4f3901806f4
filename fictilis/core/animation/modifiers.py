"""Motion over a curve: spring, wobble, smooth and offset, each an amount of itself over what comes before it.

A modifier takes a signal (a function of seconds) and gives another. Times are seconds, so that nothing depends on the
rate at which frames are looked at.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, pieces
from fictilis.core.animation.spring import GridSpring, Signal, exact_spring
from fictilis.core.ground.arrays import cached_by_identity
from fictilis.core.ground.errors import EditRefused

Bends = Callable[[float, float], np.ndarray]
KEPT = 8  # signals of one curve


class Setting(Struct, frozen=True):
    """One number of a modifier, with its unit, default and bounds."""

    name: str
    unit: str
    default: float
    low: float
    high: float


class Modifier(Struct, frozen=True):
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

    def with_frames_scaled(self, factor: float) -> Modifier:
        """With the settings that count frames multiplied; the others know seconds."""
        out = self
        for setting in KINDS[self.kind].settings:
            if setting.unit == "frames":
                out = out.with_number(setting.name, self.number(setting.name) * factor)
        return out

    def with_number(self, name: str, value: float) -> Modifier:
        return Modifier(self.kind, self.on, self.amount, tuple({**dict(self.numbers), name: float(value)}.items()))


class Kind(Struct, frozen=True):
    """``apply(source, modifier, fps)`` gives the new signal."""

    settings: tuple[Setting, ...]
    apply: Callable[[Source, Modifier, float], Signal]


class Source(Struct, frozen=True, eq=False, weakref=True):
    """What a modifier acts on: a signal that begins at ``start`` s and may bend at ``bends(low, high)``; ``cubics`` are its
    knots (m,) s and its cubics (4, m) from each on, where it is made of such."""

    signal: Signal
    bends: Bends
    start: float
    cubics: tuple[np.ndarray, np.ndarray] | None


def _spring(source: Source, m: Modifier, _fps: float) -> Signal:
    stiffness, damping = m.number("stiffness"), m.number("damping")
    if source.cubics is not None:
        return exact_spring(*source.cubics, stiffness, damping)
    return GridSpring(source.signal, source.bends, source.start, stiffness, damping)


def _wobble(source: Source, m: Modifier, _fps: float) -> Signal:
    height, first, second, phase = (m.number(n) for n in ("height", "frequency", "second", "phase"))

    def moved(t: np.ndarray) -> np.ndarray:
        wave = np.sin(2 * np.pi * (first * t + phase)) + 0.5 * np.sin(2 * np.pi * (second * t + 1.7 * phase))
        return source.signal(t) + height * wave / 1.5

    return moved


def _smooth(source: Source, m: Modifier, _fps: float) -> Signal:
    """The mean over a window, heaviest in its middle. Source: Gaussian weights, 21 places over ±2 deviations."""
    places = np.linspace(-2, 2, 21)
    weights = np.exp(-places * places / 2)
    weights /= weights.sum()
    wide = m.number("seconds") / 2

    def moved(t: np.ndarray) -> np.ndarray:
        # summed, not multiplied as matrices, whose last digit depends on how many are asked
        return (source.signal(np.asarray(t)[..., None] + places * wide) * weights).sum(axis=-1)

    return moved


def _offset(source: Source, m: Modifier, fps: float) -> Signal:
    late = m.number("frames") / fps
    return lambda t: source.signal(np.asarray(t) - late)


KINDS: dict[str, Kind] = {
    "spring": Kind((Setting("stiffness", "1/s²", 180.0, 0.1, 1e5), Setting("damping", "1/s", 12.0, 0.0, 1e3)), _spring),
    "wobble": Kind((Setting("height", "", 0.05, -100, 100), Setting("frequency", "Hz", 1.1, 0, 100),
                    Setting("second", "Hz", 2.7, 0, 100), Setting("phase", "", 0.0, -100, 100)), _wobble),
    "smooth": Kind((Setting("seconds", "s", 0.2, 0.001, 60),), _smooth),
    "offset": Kind((Setting("frames", "frames", 3.0, -1e5, 1e5),), _offset),
}  # fmt: skip
PRESETS = {"crisp": (900.0, 42.0), "springy": (180.0, 12.0), "bouncy": (260.0, 7.0), "floaty": (30.0, 5.0)}


def modified(curve: AnimationCurve, modifiers: tuple[Modifier, ...], frames: np.ndarray | float, fps: float) -> np.ndarray:
    """Values at ``frames`` (any shape) of a curve with its modifiers, float64; the same however they are asked."""
    at = np.asarray(frames, np.float64)
    active = tuple(m for m in modifiers if m.on and m.amount)
    if not active or not curve.keys:
        return curve.evaluate(at)
    kept = _signals(curve)
    key = (active, float(fps))
    signal = kept.get(key)
    if signal is None:
        while len(kept) >= KEPT:
            kept.pop(next(iter(kept)), None)
        signal = kept[key] = _signal(curve, active, fps)
    return signal(at / fps)


@cached_by_identity
def _signals(_curve: AnimationCurve) -> dict[tuple[tuple[Modifier, ...], float], Signal]:
    """The signals of a curve by its modifiers and rate, so that a spring goes on from what it knows."""
    return {}


def _signal(curve: AnimationCurve, active: tuple[Modifier, ...], fps: float) -> Signal:
    part = pieces(curve)
    seconds = np.array([k.frame for k in curve.keys]) / fps
    cubics = None
    if part.is_cubic and {curve.before, curve.after} <= {"hold", "linear"}:
        cubics = seconds, (part.coefficients[1:] * fps ** np.arange(4)).T
    # what the cache keeps must not hold the curve that it belongs to
    plain = replace(curve)
    bends: Bends = lambda low, high: plain.knots(low * fps, high * fps) / fps  # noqa: E731
    source = Source(lambda t: plain.evaluate(np.asarray(t) * fps), bends, float(seconds[0]), cubics)
    late = 0.0
    for m in active:
        late += m.number("frames") / fps if m.kind == "offset" else 0.0
        signal = _mixed(source.signal, KINDS[m.kind].apply(source, m, fps), m.amount)
        source = Source(signal, _later(bends, late), source.start, None)
    return source.signal


def _mixed(before: Signal, after: Signal, amount: float) -> Signal:
    if amount == 1:
        return after
    return lambda t: before(t) + amount * (after(t) - before(t))


def _later(bends: Bends, late: float) -> Bends:
    return bends if not late else lambda low, high: bends(low - late, high - late) + late
