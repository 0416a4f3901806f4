"""Samples over time as exchange formats keep them, and what is between them."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

STEP, LINEAR, CUBIC = "STEP", "LINEAR", "CUBICSPLINE"


class Curves(Struct, frozen=True, eq=False):
    """Samples of one animated thing: times (k,) s, values (k, …, w), tangents a second for CUBICSPLINE."""

    way: str
    times: np.ndarray
    values: np.ndarray
    into: np.ndarray | None = None
    out: np.ndarray | None = None

    def at(self, seconds: np.ndarray, turns: bool = False) -> np.ndarray:
        """(s, …, w): as a player shows them; rotations on the shorter way. Source: glTF 2.0, appendix C."""
        t, v = self.times, self.values
        k = np.clip(np.searchsorted(t, seconds + 1e-9, side="right") - 1, 0, len(t) - 1)
        n = np.minimum(k + 1, len(t) - 1)
        tail = (1,) * (v.ndim - 1)
        span = t[n] - t[k]
        u = np.clip(np.divide(seconds - t[k], span, out=np.zeros(len(seconds)), where=span > 0), 0.0, 1.0).reshape(-1, *tail)
        if self.way == STEP:
            return v[k]
        if self.way == LINEAR:
            if not turns:
                return v[k] * (1 - u) + v[n] * u
            return slerp(v[k], v[n], u)
        assert self.into is not None and self.out is not None
        w = span.reshape(-1, *tail)
        return (
            (2 * u**3 - 3 * u**2 + 1) * v[k] + w * (u**3 - 2 * u**2 + u) * self.out[k] + (3 * u**2 - 2 * u**3) * v[n]
            + w * (u**3 - u**2) * self.into[n]
        )  # fmt: skip


def slerp(a: np.ndarray, b: np.ndarray, part: np.ndarray) -> np.ndarray:
    """(…, 4): quaternions a part of the shorter way from a to b. Source: Shoemake (1985); glTF 2.0, appendix C.4."""
    dot = (a * b).sum(axis=-1, keepdims=True)
    b = np.where(dot < 0, -b, b)
    angle = np.arccos(np.clip(np.abs(dot), 0.0, 1.0))
    sine = np.sin(angle)
    safe = np.where(sine < 1e-9, 1.0, sine)
    mixed = (np.sin((1 - part) * angle) * a + np.sin(part * angle) * b) / safe
    return np.where(sine < 1e-9, a, mixed)
