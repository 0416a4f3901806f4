"""Simple lines to start from: upright, facing +Z, centred on the origin, sizes in centimetres.

Each returns (points (n, 3) float64, line). Source: the usual parametric forms.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from fictilis.core.geometry.kinds import Line
from fictilis.core.ground.errors import EditRefused

Form = tuple[np.ndarray, Line]
MOST_POINTS = 100_000


def _check(points: int, least: int, **sizes: float) -> None:
    for name, size in sizes.items():
        if not (np.isfinite(size) and size > 0):
            raise EditRefused(f"The {name} must be larger than 0, not {size:g}.")
    if not least <= points <= MOST_POINTS:
        raise EditRefused(f"The points must be from {least} to {MOST_POINTS:,}, not {points:,}.")


def _one(x: np.ndarray, y: np.ndarray, z: np.ndarray, closed: bool, degree: int) -> Form:
    return np.stack([x, y, z], axis=1), Line(starts=np.array([0, len(x)]), closed=np.array([closed]), degree=degree)


def straight(length: float = 100.0, points: int = 9) -> Form:
    """From left to right."""
    _check(points, 2, length=length)
    x = np.linspace(-length / 2, length / 2, points)
    return _one(x, 0 * x, 0 * x, False, 1)


def circle(radius: float = 50.0, points: int = 24) -> Form:
    """Closed, from the right over the top."""
    _check(points, 3, radius=radius)
    a = np.arange(points) * 2 * np.pi / points
    return _one(radius * np.cos(a), radius * np.sin(a), 0 * a, True, 3)


def arc(radius: float = 50.0, angle: float = 180.0, points: int = 13) -> Form:
    """Part of a circle, from the right over the top; angle in degrees."""
    _check(points, 2, radius=radius, angle=angle)
    a = np.radians(np.linspace(0, angle, points))
    return _one(radius * np.cos(a), radius * np.sin(a), 0 * a, False, 3)


def star(radius: float = 50.0, inner: float = 22.0, spikes: int = 5) -> Form:
    """Closed, with corners, the first spike upward."""
    _check(2 * spikes, 4, radius=radius, inner=inner)
    a = np.pi / 2 - np.arange(2 * spikes) * np.pi / spikes
    r = np.where(np.arange(2 * spikes) % 2, inner, radius)
    return _one(r * np.cos(a), r * np.sin(a), 0 * a, True, 1)


def wave(length: float = 100.0, height: float = 20.0, waves: float = 3.0, points: int = 37) -> Form:
    """A sine from left to right."""
    _check(points, 2, length=length, height=height, waves=waves)
    u = np.linspace(0, 1, points)
    return _one((u - 0.5) * length, height / 2 * np.sin(2 * np.pi * waves * u), 0 * u, False, 3)


def spiral(radius: float = 50.0, inner: float = 5.0, turns: float = 3.0, points: int = 61) -> Form:
    """From the inner radius outward, evenly (Archimedes)."""
    _check(points, 2, radius=radius, inner=inner, turns=turns)
    u = np.linspace(0, 1, points)
    r, a = inner + (radius - inner) * u, 2 * np.pi * turns * u
    return _one(r * np.cos(a), r * np.sin(a), 0 * u, False, 3)


def helix(radius: float = 25.0, height: float = 100.0, turns: float = 4.0, points: int = 65) -> Form:
    """Upward round the Y axis."""
    _check(points, 2, radius=radius, height=height, turns=turns)
    u = np.linspace(0, 1, points)
    a = 2 * np.pi * turns * u
    return _one(radius * np.cos(a), (u - 0.5) * height, -radius * np.sin(a), False, 3)


LINE_FORMS: dict[str, Callable[..., Form]] = {
    "Straight": straight,
    "Circle": circle,
    "Arc": arc,
    "Star": star,
    "Wave": wave,
    "Spiral": spiral,
    "Helix": helix,
}
