"""Easings: CSS cubic-bezier and keywords, and the named easings of general tween libraries.

Source: CSS Easing Functions Level 1 (W3C) for ``linear``, ``ease`` … and ``cubic-bezier()``; Penner (2002), Programming
Macromedia Flash MX, ch. 7, for the named ones, in the form that tween libraries share.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache

import numpy as np

from fictilis.core.ground.errors import EditRefused

KEYWORDS = {
    "ease": (0.25, 0.1, 0.25, 1.0),
    "ease-in": (0.42, 0.0, 1.0, 1.0),
    "ease-out": (0.0, 0.0, 0.58, 1.0),
    "ease-in-out": (0.42, 0.0, 0.58, 1.0),
}
_NUMBER = r"\s*([+-]?(?:\d+|\d*\.\d+)(?:e[+-]?\d+)?)\s*"  # <number> of CSS Values and Units Level 4, section 5.3
_CSS = re.compile(rf"^cubic-bezier\({_NUMBER},{_NUMBER},{_NUMBER},{_NUMBER}\)$")
_BACK = 1.70158
SETTLED = 2e-15  # of the time a segment takes


def _bounce(t: np.ndarray) -> np.ndarray:
    n, d = 7.5625, 2.75
    return np.select(
        [t < 1 / d, t < 2 / d, t < 2.5 / d],
        [n * t * t, n * (t - 1.5 / d) ** 2 + 0.75, n * (t - 2.25 / d) ** 2 + 0.9375],
        n * (t - 2.625 / d) ** 2 + 0.984375,
    )


def _elastic(t: np.ndarray) -> np.ndarray:
    value = -(2.0 ** (10 * t - 10)) * np.sin((t * 10 - 10.75) * (2 * np.pi / 3))
    return np.where(t <= 0, 0.0, np.where(t >= 1, 1.0, value))


_IN: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "sine": lambda t: 1 - np.cos(t * np.pi / 2),
    "quad": lambda t: t**2,
    "cubic": lambda t: t**3,
    "quart": lambda t: t**4,
    "quint": lambda t: t**5,
    "expo": lambda t: np.where(t <= 0, 0.0, 2.0 ** (10 * t - 10)),
    "circ": lambda t: 1 - np.sqrt(np.maximum(1 - t * t, 0.0)),
    "back": lambda t: (_BACK + 1) * t**3 - _BACK * t**2,
    "elastic": _elastic,
    "bounce": lambda t: 1 - _bounce(1 - t),
}


def _in_out(name: str, t: np.ndarray) -> np.ndarray:
    if name == "back":  # the overshoot is larger, so that it shows in half the time
        s = _BACK * 1.525
        low = ((2 * t) ** 2 * ((s + 1) * 2 * t - s)) / 2
        return np.where(t < 0.5, low, ((2 * t - 2) ** 2 * ((s + 1) * (2 * t - 2) + s) + 2) / 2)
    if name == "elastic":
        wave = np.sin((20 * t - 11.125) * (2 * np.pi / 4.5))
        value = np.where(t < 0.5, -(2.0 ** (20 * t - 10)) * wave / 2, 2.0 ** (-20 * t + 10) * wave / 2 + 1)
        return np.where(t <= 0, 0.0, np.where(t >= 1, 1.0, value))
    first = _IN[name](np.minimum(2 * t, 1.0)) / 2
    return np.where(t < 0.5, first, 1 - _IN[name](np.minimum(2 - 2 * t, 1.0)) / 2)


NAMED = tuple(f"{name}-{way}" for name in _IN for way in ("in", "out", "in-out"))
EASINGS = (*KEYWORDS, *NAMED)


@lru_cache(maxsize=512)
def handles_of(ease: str) -> tuple[float, float, float, float] | None:
    """x1, y1, x2, y2 of an easing that is a cubic-bezier; None for a named one.

    Raises EditRefused for a text that is neither, or whose x are not within 0…1.
    """
    if ease in KEYWORDS:
        return KEYWORDS[ease]
    if ease in NAMED:
        return None
    match = _CSS.match(ease.strip().lower())
    if match is None:
        raise EditRefused(f"“{ease}” is no easing; use cubic-bezier(x1, y1, x2, y2), or one of the list.")
    x1, y1, x2, y2 = (float(v) for v in match.groups())
    if not (0 <= x1 <= 1 and 0 <= x2 <= 1):
        raise EditRefused(f"“{ease}”: both x must be from 0 to 1, or the curve would go back in time.")
    return x1, y1, x2, y2


def corners_of(ease: str) -> tuple[float, ...]:
    """The parts of its time at which an easing turns sharply, or one formula of it ends: one that bounces, and the middle of
    those that go in and out."""
    name, _, way = ease.partition("-")
    if ease not in NAMED or name != "bounce":
        return (0.5,) if ease in NAMED and way == "in-out" else ()
    out = (1 / 2.75, 2 / 2.75, 2.5 / 2.75)
    into = tuple(1 - part for part in out[::-1])
    if way != "in-out":
        return out if way == "out" else into
    return (*(part / 2 for part in into), 0.5, *(0.5 + part / 2 for part in out))


def ease_at(ease: str, t: np.ndarray) -> np.ndarray:
    """The easing at parts ``t`` (any shape) of its time, 0…1; float64."""
    t = np.asarray(t, np.float64)
    handles = handles_of(ease)
    if handles is not None:
        x1, y1, x2, y2 = handles
        s = bezier_parameter(np.full(t.shape, x1), np.full(t.shape, x2), t)
        return bezier(s, y1, y2)
    name, _, way = ease.partition("-")
    if way == "in":
        return _IN[name](t)
    return 1 - _IN[name](1 - t) if way == "out" else _in_out(name, t)


def bezier(s: np.ndarray, a: np.ndarray | float, b: np.ndarray | float) -> np.ndarray:
    """One coordinate of a cubic Bézier from 0 to 1 with inner control values ``a`` and ``b`` at parameter ``s``."""
    r = 1 - s
    return 3 * r * r * s * a + 3 * r * s * s * b + s**3


def bezier_parameter(x1: np.ndarray, x2: np.ndarray, x: np.ndarray) -> np.ndarray:
    """The parameter in 0…1 where the x of Béziers with inner x1 and x2 in 0…1 is ``x``; all of one shape.

    Source: Newton's method; where that has not settled soon, the same kept within a bracket that is halved where a step
    would leave it.
    """
    x1, x2, x = (np.asarray(v, np.float64) for v in (x1, x2, x))
    c = 3 * x1
    b = 3 * (x2 - x1) - c
    a = 1 - c - b
    s = np.clip(x, 0.0, 1.0)
    for _ in range(6):
        slope = (3 * a * s + 2 * b) * s + c
        off = ((a * s + b) * s + c) * s - x
        with np.errstate(divide="ignore", invalid="ignore"):
            s = np.clip(s - off / slope, 0.0, 1.0)
    off = ((a * s + b) * s + c) * s - x
    rest = ~(np.abs(off) < SETTLED)  # not a number too
    if rest.any():
        s = np.array(s)
        s[rest] = _bracketed(x1[rest], x2[rest], x[rest])
    return s


def _bracketed(x1: np.ndarray, x2: np.ndarray, x: np.ndarray) -> np.ndarray:
    low, high = np.zeros(x.shape), np.ones(x.shape)
    s = np.clip(x, 0.0, 1.0)
    for _ in range(60):
        off = bezier(s, x1, x2) - x
        if np.abs(off).max(initial=0.0) < SETTLED:
            break
        low, high = np.where(off < 0, s, low), np.where(off > 0, s, high)
        r = 1 - s
        slope = 3 * r * r * x1 + 6 * r * s * (x2 - x1) + 3 * s * s * (1 - x2)
        step = s - off / np.where(slope > 1e-12, slope, 1.0)
        inside = (slope > 1e-12) & (step > low) & (step < high)
        s = np.where(off == 0, s, np.where(inside, step, (low + high) / 2))
    return s
