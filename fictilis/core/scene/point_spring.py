"""A point spring: every point of an object follows the mix as a mass on a spring of its own."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from msgspec.structs import force_setattr

from fictilis.core.ground.arrays import frozen, plain_numbers

STIFFNESS, DAMPING, MASS = (0.1, 1e5), (0.0, 1e3), (0.0, 1e3)


class PointSpring(Struct, frozen=True, eq=False, weakref=True):
    """``mass`` · y″ = ``stiffness`` (u - y) - ``damping`` y′ for each point, u being where the mix has it.

    stiffness in 1/s² and damping in 1/s, both for a mass of 1. ``field`` (n,) float64 in 0…1 multiplies the mass, None is 1
    everywhere; a point without mass stays with the mix. With ``twice`` a second spring follows the first. Points lag behind the
    object's own motion too, unless it is the ``mix`` only. ``way`` tells what the field was made from. Not ``on`` it rests.
    """

    stiffness: float = 180.0
    damping: float = 12.0
    mass: float = 1.0
    field: np.ndarray | None = None
    twice: bool = False
    mix: bool = False
    on: bool = True
    way: str = ""

    def __post_init__(self) -> None:
        plain_numbers(self, "stiffness", "damping", "mass")
        if self.field is not None:
            force_setattr(self, "field", frozen(self.field, np.float64))
            if not ((self.field >= 0) & (self.field <= 1)).all():
                raise ValueError("the mass of a point spring must be shared out by parts from 0 to 1")
        for name, (low, high) in (("stiffness", STIFFNESS), ("damping", DAMPING), ("mass", MASS)):
            if not low <= getattr(self, name) <= high:
                raise ValueError(f"the {name} of a point spring must be from {low:g} to {high:g}, not {getattr(self, name):g}")
