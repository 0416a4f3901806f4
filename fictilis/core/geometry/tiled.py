"""A geometry several times."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.core.geometry.kinds import Geometry, Line, Mesh


def tiled(geometry: Geometry, count: int) -> Geometry:
    """A geometry ``count`` times, its points one copy after the other."""

    def again(numbers: np.ndarray, step: int) -> np.ndarray:
        return (numbers + np.arange(count)[:, None] * step).ravel()

    if isinstance(geometry, Line):
        starts = np.append(again(geometry.starts[:-1], geometry.point_count), count * geometry.point_count)
        widths = None if geometry.widths is None else np.tile(geometry.widths, count)
        return replace(geometry, starts=starts, closed=np.tile(geometry.closed, count), widths=widths, point_count=0)
    offsets = np.append(again(geometry.offsets[:-1], len(geometry.corners)), count * len(geometry.corners))
    uv_corners = None if geometry.uv_corners is None else np.tile(geometry.uv_corners, count)
    corners = again(geometry.corners, geometry.point_count)
    return Mesh(count * geometry.point_count, corners, offsets, geometry.uvs, uv_corners)
