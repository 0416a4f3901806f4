"""Easings at one place, quickly: what ``easing`` has for rows of them, by plain numbers. A test holds the two together."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from math import cos, pi, sin, sqrt

import numpy as np

from fictilis.core.animation.easing import NAMED, bezier_parameter, ease_at, handles_of

LINEAR = "linear"
_BACK = 1.70158
_PLACES = 64
Ease = Callable[[float], float]


def _bounce(t: float) -> float:
    n, d = 7.5625, 2.75
    for until, middle, low in ((1 / d, 0.0, 0.0), (2 / d, 1.5 / d, 0.75), (2.5 / d, 2.25 / d, 0.9375)):
        if t < until:
            return n * (t - middle) ** 2 + low
    return n * (t - 2.625 / d) ** 2 + 0.984375


def _elastic(t: float) -> float:
    return -(2.0 ** (10 * t - 10)) * sin((t * 10 - 10.75) * (2 * pi / 3))


_IN: dict[str, Ease] = {
    "sine": lambda t: 1 - cos(t * pi / 2),
    "quad": lambda t: t * t,
    "cubic": lambda t: t**3,
    "quart": lambda t: t**4,
    "quint": lambda t: t**5,
    "expo": lambda t: 2.0 ** (10 * t - 10) if t > 0 else 0.0,
    "circ": lambda t: 1 - sqrt(max(1 - t * t, 0.0)),
    "back": lambda t: (_BACK + 1) * t**3 - _BACK * t**2,
    "elastic": _elastic,
    "bounce": lambda t: 1 - _bounce(1 - t),
}


def _both(name: str, t: float) -> float:
    if name == "back":
        s = _BACK * 1.525
        if t < 0.5:
            return ((2 * t) ** 2 * ((s + 1) * 2 * t - s)) / 2
        return ((2 * t - 2) ** 2 * ((s + 1) * (2 * t - 2) + s) + 2) / 2
    if name == "elastic":
        wave = sin((20 * t - 11.125) * (2 * pi / 4.5)) / 2
        return -(2.0 ** (20 * t - 10)) * wave if t < 0.5 else 2.0 ** (-20 * t + 10) * wave + 1
    return _IN[name](2 * t) / 2 if t < 0.5 else 1 - _IN[name](2 - 2 * t) / 2


def _named(ease: str) -> Ease:
    name, _, way = ease.partition("-")
    if way == "in":
        return _IN[name]
    return (lambda t: 1 - _IN[name](1 - t)) if way == "out" else lambda t: _both(name, t)


def _bezier(x1: float, y1: float, x2: float, y2: float, ease: str) -> Ease:
    """A Bézier's parameter by Newton's method, from a table of it."""
    x = np.linspace(0.0, 1.0, _PLACES + 1)
    table = bezier_parameter(np.full(x.shape, x1), np.full(x.shape, x2), x).tolist()
    c, b = 3 * x1, 3 * (x2 - x1) - 3 * x1
    a = 1 - c - b

    def at(u: float) -> float:
        n = int(u * _PLACES)
        s, off = table[n] + (table[n + 1] - table[n]) * (u * _PLACES - n), 1.0
        for _ in range(8):
            off = ((a * s + b) * s + c) * s - u
            slope = (3 * a * s + 2 * b) * s + c
            if abs(off) < 2e-15 or slope < 1e-9:
                break
            s -= off / slope
        if abs(off) > 1e-12 or not 0.0 <= s <= 1.0:  # where the curve stands upright
            return float(ease_at(ease, np.array([u]))[0])
        r = 1 - s
        return 3 * r * r * s * y1 + 3 * r * s * s * y2 + s**3

    return at


@lru_cache(maxsize=256)
def _of(ease: str) -> Ease:
    if ease == LINEAR:
        return lambda t: t
    handles = None if ease in NAMED else handles_of(ease)
    return _named(ease) if handles is None else _bezier(*handles, ease)


def ease_now(ease: str, u: float) -> float:
    """``ease_at`` for one number; 0 before its time and 1 after it."""
    if u <= 0.0 or u >= 1.0:
        return 0.0 if u <= 0.0 else 1.0
    return _of(ease)(u)
