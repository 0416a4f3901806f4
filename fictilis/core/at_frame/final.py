"""What a scene shows at a frame: the mix, and what comes after it."""

from __future__ import annotations

import numpy as np

from fictilis.core.at_frame.after import after_of
from fictilis.core.at_frame.drawn import finer_of, shown_points
from fictilis.core.at_frame.evaluate import bent_object
from fictilis.core.at_frame.springs import run_of
from fictilis.core.geometry.kinds import WHOLE
from fictilis.core.scene.scene import MorphObject, Scene


def unposed_points(scene: Scene, obj: MorphObject, frame: float) -> np.ndarray:
    """(n, 3) float64: the mix, bent and on its springs."""
    run = run_of(scene, obj)
    points = None if run is None else run.points(scene, frame)
    return bent_object(obj, frame, scene.fps) if points is None else points


def final_points(scene: Scene, obj: MorphObject, frame: float) -> np.ndarray:
    """(n, 3) float64 in object space: the mix of an object at a frame, and what comes after it."""
    points, after = unposed_points(scene, obj, frame), after_of(obj, frame, None, scene.fps)
    return points if after is None else after.posed(points)


def drawn_points(scene: Scene, obj: MorphObject, frame: float, part: tuple[float, float] = WHOLE) -> np.ndarray:
    """(n', 3) float64 in object space: where the points of ``as_drawn`` are at a frame; a line is drawn in ``part``."""
    smooth, after = finer_of(obj), after_of(obj, frame, None, scene.fps)
    if smooth is not None and after is not None:
        return after.fine(unposed_points(scene, obj, frame), smooth)
    return shown_points(obj, final_points(scene, obj, frame), part)


def evaluate(scene: Scene, frame: float) -> dict[str, np.ndarray]:
    """Final points (n, 3) float64 of each object by name, each in its own space."""
    return {obj.name: final_points(scene, obj, frame) for obj in scene.objects}
