"""How many points a geometry is drawn with, without drawing it."""

from __future__ import annotations

import numpy as np

from fictilis.core.geometry.finer import count_of
from fictilis.core.geometry.kinds import Geometry, Line, Mesh
from fictilis.core.geometry.lines.splines import MOST_SAMPLES, STEPS


def shown_count(geometry: Geometry, levels: int = 0) -> int:
    """Points of a mesh, or of its smooth surface of so many levels; of a line as it is drawn, or of the tube along it."""
    count = geometry.point_count
    if isinstance(geometry, Line):
        steps = 1 if geometry.degree == 1 else int(np.clip(MOST_SAMPLES // max(count, 1), 2, STEPS))
        return count * steps * (1 if geometry.tube is None else len(geometry.tube.profile))
    return count_of(geometry, levels) if levels and isinstance(geometry, Mesh) else count
