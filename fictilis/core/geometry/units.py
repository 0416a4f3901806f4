"""Units and upright axes of files."""

from __future__ import annotations

import numpy as np

from fictilis.core.ground.arrays import box
from fictilis.core.ground.errors import EditRefused

UNITS = {"mm": 0.1, "cm": 1.0, "m": 100.0, "inch": 2.54}  # in cm


UPRIGHT = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])  # from Z up


CLEARLY_OFF = 0.1  # of the base's size, from which on another unit is thought of


def linear_from(unit: str = "cm", z_up: bool = False, factor: float = 1.0) -> np.ndarray:
    """(3, 3): what brings points of a file into the scene's cm with Y up. Raises EditRefused for a unit that is not known, and
    for a factor that is not above 0."""
    if unit not in UNITS:
        raise EditRefused(f"“{unit}” is no unit; use {', '.join(UNITS)}.")
    if not (np.isfinite(factor) and 1e-9 <= factor <= 1e9):
        raise EditRefused(f"A scale must be above 0, not {factor:g}.")
    linear = np.eye(3) * (UNITS[unit] * factor)
    return linear @ UPRIGHT if z_up else linear


def fitting_unit(points: np.ndarray, base: np.ndarray) -> tuple[str, bool]:
    """The unit and whether Z is up with which points (n, 3) of a file lie best on those of a base (m, 3): centimetres and Y,
    unless their lowest and highest corners come much nearer otherwise; where two ways up are alike, point on point tells."""
    corners = np.stack(box(base))
    size = max(float(np.abs(corners[1] - corners[0]).max()), 1e-12)

    def apart(unit: str, z_up: bool) -> float:
        return round(float(np.abs(np.stack(box(points @ linear_from(unit, z_up).T)) - corners).mean()) / size, 6)

    plain = apart("cm", False)
    unit = min(("cm", "mm", "m", "inch"), key=lambda unit: min(apart(unit, False), apart(unit, True)))
    best = min(apart(unit, False), apart(unit, True))
    if plain < CLEARLY_OFF or best > plain / 4:
        unit = "cm"
    ways = [apart(unit, False), apart(unit, True)]
    if len(points) == len(base) and abs(ways[0] - ways[1]) < 0.01:
        ways = [float(np.abs(points @ linear_from(unit, z_up).T - base).mean()) for z_up in (False, True)]
    return unit, ways[1] < ways[0] / 4
