"""A repeat: how many copies of an object there are, how they stand, and how much later each moves."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from msgspec.structs import force_setattr

from fictilis.core.geometry.kinds import Geometry, Line
from fictilis.core.ground.arrays import plain_numbers

WAYS = GRID, RING, LINE, POINTS, FACES = "grid", "ring", "line", "points", "faces"
ON_OTHERS = (LINE, POINTS, FACES)  # copies that stand on another object
MEASURES = STEP, ALL, SIZES = "step", "all", "sizes"
ORDERS = COUNT, ON_X, ON_Y, ON_Z, FROM_POINT, RANDOM = "count", "x", "y", "z", "point", "random"
MOST_COPIES = 10_000


class Repeat(Struct, frozen=True):
    """Copies of an object after its mix.

    ``way``: a grid of ``counts`` on X, Y and Z, ``spacing`` apart on each: cm from one to the next (``measure`` step), cm over
    all, or times the object's own size; a ring of counts[0] around ``axis`` with a ``radius`` in cm over ``angle`` degrees;
    counts[0] evenly along each strand of the line object ``other``; or one on each point or face of the object ``other``.
    ``turn``: copies turn with the ring, the line or the surface.

    The mix of a copy is up to ``later`` frames behind, by ``order``: by its number, by where it stands along an axis, by how
    far it is from ``origin``, or at random in whole frames. ``turns`` degrees and ``sizes`` as a part of 1 are what copies
    differ by at most; ``seed`` is another draw of all that is random. Not ``on`` there is the one object.
    """

    way: str = GRID
    counts: tuple[int, int, int] = (3, 1, 1)
    spacing: tuple[float, float, float] = (1.25, 1.25, 1.25)
    measure: str = SIZES
    radius: float = 10.0
    angle: float = 360.0
    axis: str = "y"
    other: str | None = None
    turn: bool = True
    later: float = 0.0
    order: str = COUNT
    origin: tuple[float, float, float] = (0.0, 0.0, 0.0)
    turns: float = 0.0
    sizes: float = 0.0
    seed: int = 1
    on: bool = True

    def __post_init__(self) -> None:
        plain_numbers(self, "spacing", "radius", "angle", "later", "origin", "turns", "sizes")
        force_setattr(self, "counts", tuple(int(n) for n in self.counts))
        for value, known in ((self.way, WAYS), (self.measure, MEASURES), (self.order, ORDERS), (self.axis, "xyz")):
            if value not in known:
                raise ValueError(f"a repeat has no {value}")
        if (self.other is None) == (self.way in ON_OTHERS):
            raise ValueError("a repeat on another object names it, and only such a one")
        if min(self.counts) < 1 or np.prod(self.counts, dtype=float) > MOST_COPIES:
            raise ValueError(f"{' × '.join(map(str, self.counts))} copies; from 1 to {MOST_COPIES:,} can be")
        numbers = (*self.spacing, self.radius, self.angle, self.later, *self.origin, self.turns, self.sizes)
        if not np.isfinite(numbers).all() or not 0 <= self.sizes < 1 or not 0 <= self.seed < 2**32:
            raise ValueError("numbers of a repeat are finite, sizes differ by less than 1, and its seed is from 0 to 2^32")

    def count_on(self, other: Geometry | None) -> int:
        """How many copies there are, with the geometry of the object on which they stand."""
        if other is None:
            return int(np.prod(self.counts)) if self.way == GRID else self.counts[0]
        if isinstance(other, Line) and self.way == LINE:
            return min(self.counts[0] * other.strand_count, MOST_COPIES)
        return max(min(other.face_count if self.way == FACES else other.point_count, MOST_COPIES), 1)
