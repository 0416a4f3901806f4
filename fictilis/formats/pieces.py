"""Functions of one number as pieces of cubics, fitted as closely as they are to be read."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec import Struct

Function = Callable[[np.ndarray], np.ndarray]
NODES = np.array([0.02, 0.33, 0.67, 0.98])  # within a piece: at its ends a function may jump
FIT = np.linalg.inv(np.vander(NODES, 4, increasing=True)).T
LOOKED_AT = np.array([0.005, 0.17, 0.5, 0.83, 0.995])
ROUNDS = 12  # a piece is halved so often at most


class Pieces(Struct, frozen=True, eq=False, weakref=True):
    """``knots`` (s + 1,), rising, and the ``cubics`` (s, 4) between them, lowest power first, of the part of the way."""

    knots: np.ndarray
    cubics: np.ndarray

    def at(self, x: np.ndarray) -> np.ndarray:
        """Values at ``x`` (any shape); outside it holds."""
        at = np.clip(np.asarray(x, np.float64), self.knots[0], self.knots[-1])
        n = np.clip(np.searchsorted(self.knots, at, side="right") - 1, 0, len(self.cubics) - 1)
        u = (at - self.knots[n]) / (self.knots[n + 1] - self.knots[n])
        c = self.cubics[n]
        return ((c[..., 3] * u + c[..., 2]) * u + c[..., 1]) * u + c[..., 0]


def fitted(function: Function, ends: np.ndarray, within: float) -> Pieces:
    """``function`` (n,) → (n,) as pieces between ``ends`` (s + 1,), which are halved until they are ``within`` of it.

    Source: interpolation by a cubic through four places, and halving (any handbook of numerical analysis).
    """
    lows, highs = np.asarray(ends[:-1], np.float64), np.asarray(ends[1:], np.float64)
    done: list[tuple[np.ndarray, np.ndarray]] = []
    for number in range(ROUNDS + 1):
        spans = highs - lows
        cubics = function((lows[:, None] + spans[:, None] * NODES).ravel()).reshape(-1, 4) @ FIT
        truth = function((lows[:, None] + spans[:, None] * LOOKED_AT).ravel()).reshape(-1, len(LOOKED_AT))
        off = np.abs(cubics @ np.vander(LOOKED_AT, 4, increasing=True).T - truth).max(axis=1, initial=0.0)
        good = (off <= within) | (number == ROUNDS)
        done.append((lows[good], cubics[good]))
        lows, highs = lows[~good], highs[~good]
        if not len(lows):
            break
        middles = (lows + highs) / 2
        lows, highs = np.concatenate([lows, middles]), np.concatenate([middles, highs])
    starts, cubics = np.concatenate([a for a, _ in done]), np.concatenate([c for _, c in done])
    order = np.argsort(starts)
    return Pieces(np.append(starts[order], ends[-1]), cubics[order])
