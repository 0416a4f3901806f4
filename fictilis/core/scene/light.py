"""The light of a scene, and how surfaces show their form in it."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

MATT, GLAZED, LINES_OF_LIGHT = "matt", "glazed", "lines"
CLAYS = (MATT, GLAZED, LINES_OF_LIGHT)
# in the order settings keep them
LIGHT_BOUNDS = {
    "right": (-180.0, 180.0), "up": (-90.0, 90.0), "strength": (0.0, 10.0), "relief": (0.0, 1.0), "shade": (0.0, 1.0),
    "lines": (0.0, 1.0),
}  # fmt: skip


class Light(Struct, frozen=True):
    """The key light, seen from the viewer: degrees to the right and up, and its strength, 1 as shipped; and how it shows form:
    ``relief`` 0…1 sets hollows off from ridges, ``clay`` is one of CLAYS; ``shade`` 0…1 darkens where surfaces come near one
    another, in what does not move; ``lines`` 0…1 draws outlines and creases in a ``line_colour``."""

    right: float = -47.0
    up: float = 43.0
    strength: float = 1.0
    relief: float = 0.5
    clay: str = MATT
    shade: float = 0.5
    lines: float = 0.0
    line_colour: str = "#2E2925"

    def direction(self) -> np.ndarray:
        """(3,) right, up, toward the viewer."""
        across, above = np.radians(self.right), np.radians(self.up)
        return np.array([np.sin(across) * np.cos(above), np.sin(above), np.cos(across) * np.cos(above)])
