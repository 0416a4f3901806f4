"""What moves along a strand of a line: where it is, and which way it looks."""

from __future__ import annotations

import numpy as np

from fictilis.core.geometry.lines.measuring import Measured
from fictilis.core.geometry.lines.tubes import frames
from fictilis.core.ground.arrays import lengths


class Rail:
    """What moves along a strand: where it is, and axes there that turn least."""

    def __init__(self, strand: Measured) -> None:
        self.strand = strand
        self._along, side, other = (rows[0] for rows in frames(strand.own[None], strand.closed))
        self._up = _up(self._along[0], side, other)

    def at(self, values: np.ndarray, even: bool = True) -> tuple[np.ndarray, np.ndarray]:
        """Places (k, 3) and axes (k, 3, 3), across, up and along, at values (k,) from 0 to 1."""
        strand = self.strand
        last = strand.count if strand.closed else strand.count - 1
        part = values % 1.0 if strand.closed else np.clip(values, 0.0, 1.0)
        place = strand.places(part) if even else part * last
        first = np.minimum(place.astype(int), strand.count - 1)
        after = (first + 1) % strand.count if strand.closed else np.minimum(first + 1, strand.count - 1)
        share = (place - first)[:, None]
        z = _units(self._along[first] * (1 - share) + self._along[after] * share, self._along[first])
        y = self._up[first] * (1 - share) + self._up[after] * share
        y = _units(y - (y * z).sum(axis=1, keepdims=True) * z, self._up[first])
        return strand.at(place), np.stack([np.cross(y, z), y, z], axis=1)


def _up(first: np.ndarray, side: np.ndarray, other: np.ndarray) -> np.ndarray:
    """(r, 3): the sides of least turning that begin as near to the scene's up as they can."""
    wanted = np.array([0.0, 1.0, 0.0]) if abs(first[1]) < 0.999 else np.array([0.0, 0.0, -1.0])
    angle = np.arctan2(wanted @ other[0], wanted @ side[0])
    return np.cos(angle) * side + np.sin(angle) * other


def _units(rows: np.ndarray, otherwise: np.ndarray) -> np.ndarray:
    size = lengths(rows)[:, None]
    return np.where(size > 1e-12, rows / np.maximum(size, 1e-300), otherwise)


def angles_of(matrix: np.ndarray) -> tuple[float, float, float]:
    """Degrees about X, then Y, then Z that make up a rotation (3, 3). Source: the usual extraction for Z·Y·X."""
    y = np.arcsin(np.clip(-matrix[2, 0], -1.0, 1.0))
    if abs(matrix[2, 0]) < 1 - 1e-12:
        x, z = np.arctan2(matrix[2, 1], matrix[2, 2]), np.arctan2(matrix[1, 0], matrix[0, 0])
    else:  # Z and X turn about one axis
        x, z = np.arctan2(-matrix[1, 2], matrix[1, 1]), 0.0
    return tuple(np.degrees([x, y, z]).tolist())
