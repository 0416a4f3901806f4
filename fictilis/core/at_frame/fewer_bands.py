"""Sweeps for formats that hold columns and weights only: cut into fewer bands, and what that costs."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.core.at_frame.pose import Pose
from fictilis.core.ground.numbers_said import in_cm
from fictilis.core.scene.scene import MorphObject, Scene

FORMAT_BANDS = 12
LOOKED_AT = 60  # frames


def banded_words(scene: Scene, obj: MorphObject, bands: int = FORMAT_BANDS) -> str:
    """What it costs to cut the sweeps of an object into fewer bands: the largest error at the frames of the scene, in cm."""
    frames = np.unique(np.round(np.linspace(scene.start, scene.end, min(int(scene.end - scene.start) + 1, LOOKED_AT))))
    fewer, worst = with_bands(obj, bands), 0.0
    for frame in frames.tolist():
        apart = Pose(scene, fewer, frame).mixed - Pose(scene, obj, frame).mixed
        worst = max(worst, float(np.sqrt((apart**2).sum(axis=1).max(initial=0.0))))
    names = ", ".join(t.name for t in obj.targets if t.sweep is not None)
    return f"The sweep of {names} was cut into {bands} bands; points are up to {in_cm(worst)} off."


def with_bands(obj: MorphObject, bands: int) -> MorphObject:
    """The object with every sweep cut into ``bands``, for formats that hold columns and weights only."""
    targets = tuple(replace(t, sweep=replace(t.sweep, bands=bands)) if t.sweep is not None else t for t in obj.targets)
    return replace(obj, targets=targets)
