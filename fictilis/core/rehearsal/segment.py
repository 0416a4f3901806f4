"""How a number goes from where it is to where it is led, exactly at any time."""

from __future__ import annotations

from functools import lru_cache
from math import cos, exp, log, sin, sqrt

from msgspec import Struct
from msgspec.structs import force_setattr

from fictilis.core.animation.ease_now import LINEAR, ease_now
from fictilis.core.animation.easing import EASINGS, handles_of
from fictilis.core.ground.errors import EditRefused

SPRING = "spring"
EASES = (LINEAR, *EASINGS, SPRING)
SETTLED = log(1000.0)  # a spring has come to a thousandth of its way when its time is over
TAIL = 4.0  # times its own time after which a spring stands still, to a part in 10¹²
DAMPING = 0.5  # of a spring whose own is not told
STEEPEST = 12.0  # slope of an easing, at most, as a speed that is carried into it or on from it
UNIT = 1e-6  # of an easing's time, over which its slope is taken
STEP = 1e-4  # s, over which the speed of a spring is


def damping_of(ease: str) -> float | None:
    """The damping ratio of a spring, ``spring`` or ``spring(0.3)``; None for an easing. Raises EditRefused for nonsense."""
    if ease == SPRING:
        return DAMPING
    if not ease.startswith("spring("):
        if ease != LINEAR:
            handles_of(ease)
        return None
    try:
        ratio = float(ease.removeprefix("spring(").removesuffix(")"))
    except ValueError:
        ratio = 0.0
    if not 0.05 <= ratio <= 1.0 or not ease.endswith(")"):
        raise EditRefused(f"“{ease}” is no spring; its damping is from 0.05 to 1, such as spring(0.5).")
    return ratio


@lru_cache(maxsize=256)
def slope_at(ease: str, u: float) -> float:
    """How steeply an easing rises at a part of its time, within STEEPEST; at its ends as just beside them, where some jump."""
    low = min(max(u - UNIT / 2, UNIT), 1.0 - 2 * UNIT)
    return min(max((ease_now(ease, low + UNIT) - ease_now(ease, low)) / UNIT, -STEEPEST), STEEPEST)


class Segment(Struct, frozen=True, eq=False):
    """A number from ``begun`` s on: its goal, and beside it what is left of the way.

    ``away`` is how far it was from the goal when it began, and ``rate`` how much faster it moved than the goal then, 1/s, where
    that is carried on. It ``ends`` when its number has come to its goal: its own time later, or when its spring, whose
    ``damping`` follows from the easing, stands still. ``goal`` None is a goal that others lead: what the scene has there
    without cues.
    """

    begun: float
    seconds: float
    ease: str
    goal: float | None
    away: float
    rate: float = 0.0
    carry: bool = False
    damping: float | None = None
    ends: float = 0.0

    def __post_init__(self) -> None:
        damping = damping_of(self.ease) if self.ease.startswith(SPRING) else None
        force_setattr(self, "damping", damping)
        force_setattr(self, "ends", self.begun + self.seconds * (TAIL if damping is not None else 1.0))

    def left(self, t: float) -> float:
        """How far the number is from its goal at ``t`` s.

        Sources: what an easing leaves, 1 - E(u), and for a speed that is carried the cubic of Hermite with that slope at its
        start and nothing at its end (de Boor, A Practical Guide to Splines, ch. IV); a spring by the damped oscillator (any
        handbook, for instance Boyce and DiPrima, ch. 3), its frequency so that a thousandth is left after its time.
        """
        if t >= self.ends:
            return 0.0
        if self.damping is not None:
            return self._sprung(t - self.begun, self.damping)
        u = (t - self.begun) / self.seconds
        out = self.away * (1.0 - ease_now(self.ease, u))
        if self.carry:
            out += (self.seconds * self.rate + self.away * slope_at(self.ease, 0.0)) * u * (1.0 - u) ** 2
        return out

    def speed(self, t: float) -> float:
        """How fast what is left changes at ``t`` s, 1/s: by the formulas of ``left``; at its end as it arrives, after it 0."""
        if t > self.ends or not self.seconds:
            return 0.0
        if self.damping is not None:
            since = t - self.begun
            return (self._sprung(since + STEP, self.damping) - self._sprung(since - STEP, self.damping)) / (2 * STEP)
        u = (t - self.begun) / self.seconds
        out = -self.away * slope_at(self.ease, u)
        more = self.seconds * self.rate + self.away * slope_at(self.ease, 0.0) if self.carry else 0.0
        return (out + more * (1.0 - u) * (1.0 - 3.0 * u)) / self.seconds

    def _sprung(self, t: float, ratio: float) -> float:
        w = SETTLED / (ratio * self.seconds)
        fade = exp(-ratio * w * t)
        if ratio >= 1.0:
            return fade * (self.away + (self.rate + w * self.away) * t)
        wd = w * sqrt(1.0 - ratio * ratio)
        return fade * (self.away * cos(wd * t) + (self.rate + ratio * w * self.away) / wd * sin(wd * t))
