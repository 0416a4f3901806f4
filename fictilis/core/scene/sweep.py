"""Sweeps: a morph that travels over its points, behind a front."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from msgspec.structs import force_setattr

from fictilis.core.ground.arrays import frozen, plain_numbers

SMOOTH, LINEAR = PROFILES = "smooth", "linear"
BANDS, LEAST_BANDS, MOST_BANDS = 48, 2, 256
SHARPEST = 1e-3  # of the field: a front at least so wide


class Sweep(Struct, frozen=True, eq=False, weakref=True):
    """A target comes up where its front has passed: ``field`` (n,) float64 says in 0…1 when each point is reached.

    ``front`` is where it stands while no lane drives it: at 0 nothing has come up, at 1 all in full. A front is ``softness``
    wide, in parts of the field, and comes up by its ``profile``. What is between two of the ``bands`` at which it is worked out
    is interpolated. ``way`` tells what the field was made from. ``until`` is the id of a target whose front takes this one away
    again, over the same field.
    """

    field: np.ndarray
    front: float = 0.0
    softness: float = 0.25
    profile: str = SMOOTH
    bands: int = BANDS
    way: str = ""
    until: str | None = None

    def __post_init__(self) -> None:
        force_setattr(self, "field", frozen(self.field, np.float64))
        plain_numbers(self, "front", "softness")

    def passed(self, front: float | np.ndarray, places: np.ndarray) -> np.ndarray:
        """(p,) or (p, f): how far up it is, 0…1, at ``places`` (p,) of the field for a front, or fronts (f,).

        profile((front · (1 + softness) - place) / softness); smooth is 3x² - 2x³.
        """
        wide = max(self.softness, SHARPEST)
        at = np.asarray(front, np.float64)
        x = np.clip((at * (1 + wide) - places.reshape(-1, *(1,) * at.ndim)) / wide, 0.0, 1.0)
        return x if self.profile == LINEAR else x * x * (3 - 2 * x)

    def place(self, field: float) -> float:
        """The front that has come half up at a place of the field."""
        wide = max(self.softness, SHARPEST)
        return min(max((field + wide / 2) / (1 + wide), 0.0), 1.0)


def front_of(target_id: str) -> str:
    """The id of the channel that moves the front of a target."""
    return f"{target_id}.front"
