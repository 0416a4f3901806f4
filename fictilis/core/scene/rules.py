"""Rules: how the weight of a corrective follows from those of its drivers, and another weight from one number by a curve."""

from __future__ import annotations

from msgspec import Struct

from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.ground.arrays import plain_numbers

PRODUCT, SMALLEST = "product", "smallest"
HOWS = (PRODUCT, SMALLEST)


class Driver(Struct, frozen=True):
    """A target that drives a corrective by the factor clamp(w / at, 0, 1) of its acting weight w: in full at ``at`` (not 0).

    With ``width`` (above 0) it drives only as it *passes* that weight: clamp(1 - |w - at| / width, 0, 1).
    """

    target: str
    at: float = 1.0
    width: float | None = None

    def __post_init__(self) -> None:
        plain_numbers(self, "at", "width")


class Rule(Struct, frozen=True):
    """What drives a corrective: its weight is the product of all drivers' factors, or the smallest of them.

    Source: own convention, after the usual product of clamped weights (common practice, no published source).
    """

    drivers: tuple[Driver, ...]
    how: str = PRODUCT

    def without(self, target_id: str) -> Rule | None:
        """With one driver less; None where none is left."""
        left = tuple(d for d in self.drivers if d.target != target_id)
        return Rule(left, self.how) if left else None


class Follow(Struct, frozen=True, eq=False, weakref=True):
    """A weight that follows another number of its object, ``source``: a target's acting weight by the target's id, or a channel
    of the object itself, such as ``rotation.y``. ``curve`` has that number where a lane has frames, and the weight as value."""

    source: str
    curve: AnimationCurve


LEAST = 1e-3  # weights nearer to 0 than this drive nothing in full
