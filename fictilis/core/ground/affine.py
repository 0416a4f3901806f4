"""Points through a matrix, and colours as numbers: said once."""

from __future__ import annotations

import numpy as np

from fictilis.core.ground.arrays import box, cached_by_array


def placed(points: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    """(n, 3): points (n, 3) in one space as they stand in another; ``matrix`` (4, 4) for column vectors. The very
    points where both are one space."""
    if np.array_equal(matrix, np.eye(4)):
        return points.astype(np.result_type(points, matrix), copy=False)
    return points @ matrix[:3, :3].T + matrix[:3, 3]


def placed_box(points: np.ndarray, matrix: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The lowest and the highest corner (3,) of points (n, 3), n ≥ 1, as they stand in another space."""
    linear = matrix[:3, :3]
    if np.array_equal(linear, np.diag(np.diag(linear))):  # nothing is turned: the corners are enough
        points = _box(points) if points.flags.writeable else _kept_box(points)
    return box(placed(points, matrix))


def _box(points: np.ndarray) -> np.ndarray:
    return np.stack(box(points))


_kept_box = cached_by_array(_box)


def rgb(colour: str) -> tuple[float, float, float]:
    """Red, green and blue in 0…1 of a colour written ``#RRGGBB``, as it is shown (not linear)."""
    red, green, blue = (int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5))
    return red, green, blue
