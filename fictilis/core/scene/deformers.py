"""Bend, twist and taper: what a shape goes through after the mix, as an object keeps it."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.ground.arrays import box, plain_numbers

BEND, TWIST, TAPER = DEFORMERS = "bend", "twist", "taper"  # in the order in which they act
MOST_TURN = 36_000.0  # degrees
MOST_TAPER = 100.0
LEAST_SPAN = 1e-3


class Deformer(Struct, frozen=True):
    """``amount``: degrees that a bend or a twist turns from one limit to the other; by how much of its width a shape grows from
    one to the other in a taper, where -1 leaves a tip.

    ``axis`` x, y or z through the middle of the base's box. ``low`` and ``high`` are the limits, as parts of the base's length
    along it; beyond them a shape goes on as it is there. At ``still`` nothing is turned or scaled. A bend goes ``toward`` so
    many degrees around the axis, from the next one. Not ``on`` it rests.
    The base's box is that of ``box``, its lowest and highest corner, as it was when the deformer was put on; None in files of
    before, until the base changes.
    """

    kind: str
    axis: str = "y"
    low: float = 0.0
    high: float = 1.0
    still: float = 0.0
    toward: float = 0.0
    amount: float = 0.0
    on: bool = True
    box: tuple[tuple[float, float, float], tuple[float, float, float]] | None = None

    def __post_init__(self) -> None:
        plain_numbers(self, "low", "high", "still", "toward", "amount")
        if self.kind not in DEFORMERS or self.axis not in ("x", "y", "z"):
            raise ValueError(f"there is no {self.kind} on the axis {self.axis}")
        numbers = (self.low, self.high, self.still, self.toward, self.amount)
        if not np.isfinite(numbers).all() or not -100 <= self.low <= self.high - LEAST_SPAN <= 100 or abs(self.still) > 100:
            raise ValueError(
                f"its limits must rise; they are parts of the object's length, here {self.low:g} and {self.high:g}"
            )
        most = MOST_TAPER if self.kind == TAPER else MOST_TURN
        if abs(self.amount) > most:
            raise ValueError(f"a {self.kind} goes up to {most:g}, not {self.amount:g}")


def kept_to(deformers: tuple[Deformer, ...], base: np.ndarray, anew: bool = False) -> tuple[Deformer, ...]:
    """Deformers that keep to the box of base points (n, 3) from now on, whatever becomes of these: those that keep to none yet,
    or ``anew`` all."""
    if not deformers or not len(base) or not anew and all(d.box for d in deformers):
        return deformers
    low, high = (tuple(end.tolist()) for end in box(base))
    return tuple(replace(d, box=(low, high)) if anew or not d.box else d for d in deformers)


def in_order(held: tuple[Deformer, ...], new: Deformer) -> tuple[Deformer, ...]:
    """The deformers with one of its kind replaced or put in, in the order in which they act."""
    kinds = {d.kind: d for d in held} | {new.kind: new}
    return tuple(kinds[kind] for kind in DEFORMERS if kind in kinds)
