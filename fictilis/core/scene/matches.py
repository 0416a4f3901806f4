"""What a line's target was made of."""

from __future__ import annotations

import numpy as np

from fictilis.core.geometry.kinds import Line, Match
from fictilis.core.geometry.lines.strand_matching import matched
from fictilis.core.ground.arrays import cached_by_both
from fictilis.core.scene.scene import Deltas, MorphObject, Target


def match_of(obj: MorphObject, target: Target) -> Match | None:
    """What a target was made of, where nothing of it was reshaped since, nor of the base; None otherwise."""
    if target.match is None or not isinstance(obj.geometry, Line) or target.built_on is not None:
        return None
    return target.match if _as_matched(target, obj.base, obj.geometry) else None


@cached_by_both
def _as_matched(target: Target, base: np.ndarray, line: Line) -> bool:
    assert target.match is not None
    found = _as_target(line, base, target.match)
    return np.array_equal(found.indices, target.deltas.indices) and np.array_equal(found.offsets, target.deltas.offsets)


def _as_target(line: Line, base: np.ndarray, match: Match) -> Deltas:
    return Deltas.from_dense(matched(line, base, match) - base)
