"""Where what moves an object jumps."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.scene.timeline import SceneCamera


def jumping(scene: Scene, owner: MorphObject | SceneCamera) -> list[tuple[AnimationCurve, float]]:
    """The curves that may lead an object or a camera in jumps, those of the line that it follows and of what its copies stand
    on among them, and by how many frames each comes later."""
    out: list[tuple[AnimationCurve, float]] = []
    waiting, seen = [owner.id], set[str]()
    while waiting:
        part = scene.owner(waiting.pop())
        if part.id in seen:
            continue
        seen.add(part.id)
        out += [(lane.curve, 0.0) for lane in part.lanes]
        if isinstance(part, MorphObject) and part.blend is not None:
            out += [(lane.curve, part.blend.offset) for lane in part.blend.lanes]
        if part.along is not None:
            waiting.append(part.along.line)
        if isinstance(part, MorphObject) and part.repeated is not None and part.repeated.other is not None:
            waiting.append(part.repeated.other)
    return [(curve, shift) for curve, shift in out if curve.may_jump]


def jumps_of(curves: Sequence[tuple[AnimationCurve, float]], first: float, last: float) -> np.ndarray:
    """(k,) rising frames from ``first`` to ``last`` at which one of some curves jumps, each so many frames later."""
    rows = [curve.jumps(first - shift, last - shift) + shift for curve, shift in curves]
    return np.unique(np.concatenate(rows)) if rows else np.zeros(0)
