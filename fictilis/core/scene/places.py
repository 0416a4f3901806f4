"""Where an object stands: its own numbers, and the line that it moves along."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from fictilis.core.ground.arrays import plain_numbers

ALONG = "along"  # the channel of what follows a line


class Transform(Struct, frozen=True):
    """Scale, then rotation (degrees about X, then Y, then Z), about ``pivot``, then ``position``; cm."""

    position: tuple[float, float, float] = (0.0, 0.0, 0.0)
    rotation: tuple[float, float, float] = (0.0, 0.0, 0.0)
    scale: tuple[float, float, float] = (1.0, 1.0, 1.0)
    pivot: tuple[float, float, float] = (0.0, 0.0, 0.0)

    def __post_init__(self) -> None:
        plain_numbers(self, "position", "rotation", "scale", "pivot")

    def matrix(self) -> np.ndarray:
        """(4, 4) float64: object space to scene space, for column vectors."""
        out = np.eye(4)
        pivot = np.array(self.pivot)
        linear = self.rotation_matrix() @ np.diag(self.scale)
        out[:3, :3] = linear
        out[:3, 3] = np.array(self.position) + pivot - linear @ pivot
        return out

    def rotation_matrix(self) -> np.ndarray:
        """(3, 3) float64."""
        (cx, cy, cz), (sx, sy, sz) = np.cos(np.radians(self.rotation)), np.sin(np.radians(self.rotation))
        x = np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]])
        y = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
        z = np.array([[cz, -sz, 0], [sz, cz, 0], [0, 0, 1]])
        return z @ y @ x


class Along(Struct, frozen=True):
    """What an object or a camera moves along: a ``line`` object, by its id; ``place`` on it, 0 to 1, while no lane drives it.
    It may ``turn`` with the line; ``even`` is by the line's length, else by its points."""

    line: str
    place: float = 0.0
    turn: bool = True
    even: bool = True

    def __post_init__(self) -> None:
        plain_numbers(self, "place")
