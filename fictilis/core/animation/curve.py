"""Animation curves: keys in time, and their evaluation as cubic pieces."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from fictilis.core.arrays import cached_by_identity
from fictilis.core.errors import EditRefused

INTERPOLATIONS = ("hold", "linear", "smooth")
SAME_FRAME = 1e-6


@dataclass(frozen=True)
class Key:
    """A value at a frame; ``interpolation`` says how the curve goes on to the next key."""

    frame: float
    value: float
    interpolation: str = "smooth"

    def __post_init__(self) -> None:
        if self.interpolation not in INTERPOLATIONS:
            raise EditRefused(f"“{self.interpolation}” is no interpolation; use {', '.join(INTERPOLATIONS)}.")
        if not (np.isfinite(self.frame) and np.isfinite(self.value)):
            raise EditRefused(f"A key needs finite numbers, not {self.value} at frame {self.frame}.")


@dataclass(frozen=True, eq=False)
class AnimationCurve:
    """Keys sorted by frame, no two at the same frame. Holds its first and last value outside the keys."""

    keys: tuple[Key, ...] = ()

    def __post_init__(self) -> None:
        frames = [key.frame for key in self.keys]
        if any(b - a <= SAME_FRAME for a, b in zip(frames, frames[1:], strict=False)):
            raise EditRefused("Keys of a curve need rising frames, no two the same.")

    @classmethod
    def of(cls, keys: Iterable[Key]) -> AnimationCurve:
        """A curve of keys in any order; of two at one frame the later given stays."""
        by_frame: dict[float, Key] = {}
        for key in keys:
            by_frame[round(key.frame / SAME_FRAME) * SAME_FRAME] = key
        ordered = sorted(by_frame.values(), key=lambda key: key.frame)
        kept: list[Key] = []
        for key in ordered:
            if kept and key.frame - kept[-1].frame <= SAME_FRAME:
                kept[-1] = key
            else:
                kept.append(key)
        return cls(tuple(kept))

    def key_at(self, frame: float) -> Key | None:
        i = bisect_left(self.keys, frame - SAME_FRAME, key=lambda key: key.frame)
        return self.keys[i] if i < len(self.keys) and abs(self.keys[i].frame - frame) <= SAME_FRAME else None

    def with_key(self, key: Key) -> AnimationCurve:
        """With a key added, or replaced where there is one at that frame."""
        return AnimationCurve.of((*self.keys, key))

    def without(self, frames: Iterable[float]) -> AnimationCurve:
        """With the keys at these frames taken away."""
        gone = list(frames)
        return AnimationCurve(tuple(k for k in self.keys if not any(abs(k.frame - f) <= SAME_FRAME for f in gone)))

    def set_interpolation(self, frames: Iterable[float], interpolation: str) -> AnimationCurve:
        """With the keys at these frames leading to the next by ``interpolation``."""
        chosen = list(frames)
        return AnimationCurve(
            tuple(
                replace(k, interpolation=interpolation) if any(abs(k.frame - f) <= SAME_FRAME for f in chosen) else k
                for k in self.keys
            )
        )

    def evaluate(self, frames: np.ndarray | float) -> np.ndarray:
        """Values at ``frames`` (any shape), float64, the same shape. A curve without keys is 0."""
        return _horner(pieces(self), frames, derivative=False)

    def slope(self, frames: np.ndarray | float) -> np.ndarray:
        """Change a frame at ``frames``, from the right at a key. 0 outside the keys."""
        return _horner(pieces(self), frames, derivative=True)

    def value(self, frame: float) -> float:
        return float(self.evaluate(frame))

    def is_still(self, first: float, last: float) -> bool:
        """Whether the curve keeps one value from frame ``first`` to frame ``last``."""
        if not self.keys:
            return True
        part = pieces(self)
        inside = [f for f in part.starts if first < f < last]
        edges = np.array([first, *inside, last])
        values = self.evaluate(np.concatenate([edges, (edges[:-1] + edges[1:]) / 2]))
        return bool(np.ptp(values) < 1e-9)


@dataclass(frozen=True, eq=False)
class Pieces:
    """A curve as cubics: starts (s,) frames, coefficients (s, 4), lowest power first, in frames since the start."""

    starts: np.ndarray
    coefficients: np.ndarray


@cached_by_identity
def pieces(curve: AnimationCurve) -> Pieces:
    """The cubic pieces of a curve; the first holds the first value and reaches back without end.

    Source: cubic Hermite form, with the slopes of ``auto_slopes``.
    """
    keys = curve.keys
    if not keys:
        return Pieces(np.array([0.0]), np.zeros((1, 4)))
    frames = np.array([k.frame for k in keys])
    values = np.array([k.value for k in keys])
    slopes = auto_slopes(frames, values, [k.interpolation for k in keys])
    table = np.zeros((len(keys) + 1, 4))
    table[0, 0] = values[0]
    table[1:, 0] = values
    for i, key in enumerate(keys[:-1]):
        span = frames[i + 1] - frames[i]
        secant = (values[i + 1] - values[i]) / span
        if key.interpolation == "linear":
            table[i + 1, 1] = secant
        elif key.interpolation == "smooth":
            a, b = slopes[i], slopes[i + 1]
            table[i + 1, 1:] = a, (3 * secant - 2 * a - b) / span, (a + b - 2 * secant) / span**2
    return Pieces(np.concatenate([frames[:1] - 1.0, frames]), table)


def auto_slopes(frames: np.ndarray, values: np.ndarray, interpolations: list[str]) -> np.ndarray:
    """Slopes (k,) of automatic tangents: flat at extremes, at both ends and after a hold, no overshoot between.

    Parameters   frames, values : (k,) float64; interpolations : to the next key
    Source       Fritsch and Carlson (1980), SIAM J. Numer. Anal. 17(2); the weighted harmonic mean of the two secants
                 is Fritsch and Butland (1984), SIAM J. Sci. Stat. Comput. 5(2), which keeps their condition.
    """
    slopes = np.zeros(len(frames))
    if len(frames) < 3:
        return slopes
    span = np.diff(frames)
    secant = np.diff(values) / span
    left, right = secant[:-1].copy(), secant[1:]
    left[[kind == "hold" for kind in interpolations[:-2]]] = 0.0
    before, after = 2 * span[1:] + span[:-1], span[1:] + 2 * span[:-1]
    weighted = before * right + after * left
    rising = (np.sign(left) == np.sign(right)) & (weighted != 0)
    slopes[1:-1] = np.where(rising, (before + after) * left * (right / np.where(rising, weighted, 1.0)), 0.0)
    return slopes


def _horner(part: Pieces, frames: np.ndarray | float, derivative: bool) -> np.ndarray:
    at = np.asarray(frames, dtype=np.float64)
    which = np.clip(np.searchsorted(part.starts, at, side="right") - 1, 0, None)
    t = at - part.starts[which]
    c = part.coefficients[which]
    if derivative:
        return (3 * c[..., 3] * t + 2 * c[..., 2]) * t + c[..., 1]
    return ((c[..., 3] * t + c[..., 2]) * t + c[..., 1]) * t + c[..., 0]
