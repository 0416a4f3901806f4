"""Rules: how the weight of a corrective follows from those of its drivers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from fictilis.core.arrays import plain_numbers

PRODUCT, SMALLEST = "product", "smallest"
HOWS = (PRODUCT, SMALLEST)


@dataclass(frozen=True)
class Driver:
    """A target that drives a corrective: in full when its acting weight is ``at`` (not 0).

    With ``width`` (above 0) it drives only as it *passes* that weight: fading to nothing ``width`` to either side of it.
    """

    target: str
    at: float = 1.0
    width: float | None = None

    def __post_init__(self) -> None:
        plain_numbers(self, "at", "width")

    def factor(self, weight: Any) -> Any:
        """0…1 for an acting weight, a number or an array: clamp(w / at, 0, 1), or a tent around ``at``."""
        part = weight / self.at if self.width is None else 1.0 - abs(weight - self.at) / self.width
        return np.clip(part, 0.0, 1.0) if np.ndim(part) else min(max(part, 0.0), 1.0)


@dataclass(frozen=True)
class Rule:
    """What drives a corrective: its weight is the product of all drivers' factors, or the smallest of them."""

    drivers: tuple[Driver, ...]
    how: str = PRODUCT

    def weight(self, acting: Mapping[str, Any]) -> Any:
        """The corrective's weight for acting weights by target id, numbers or arrays of one shape.

        Source: own convention, after the usual product of clamped weights (common practice, no published source).
        """
        out: Any = 1.0
        for driver in self.drivers:
            factor = driver.factor(acting[driver.target])
            out = out * factor if self.how == PRODUCT else np.minimum(out, factor)
        return out if np.ndim(out) else float(out)

    def without(self, target_id: str) -> Rule | None:
        """With one driver less; None where none is left."""
        left = tuple(d for d in self.drivers if d.target != target_id)
        return Rule(left, self.how) if left else None
