"""What a check finds."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec import Struct

from fictilis.core.scene.scene import Scene

MOST_FRAMES = 400  # of a range that are looked at


class Finding(Struct, frozen=True, eq=False, weakref=True):
    """``sentence`` says where and why; ``remedy`` names what ``mend(scene)`` does, empty where nothing is offered.

    ``owner`` is the id of an object or a camera, ``channel`` that of the lane or target it is about. ``together`` are targets
    for which a corrective at ``frame`` would be another remedy.
    """

    check: str
    sentence: str
    owner: str
    channel: str | None = None
    frame: float | None = None
    remedy: str = ""
    mend: Callable[[Scene], Scene] | None = None
    together: tuple[str, ...] = ()


def frames_of(scene: Scene) -> np.ndarray:
    """Frames of the range to look at: all, or evenly chosen ones of a long range."""
    whole = np.arange(np.ceil(scene.start), np.floor(scene.end) + 1)
    if len(whole) > MOST_FRAMES:
        whole = np.unique(np.round(np.linspace(whole[0], whole[-1], MOST_FRAMES)))
    return whole
