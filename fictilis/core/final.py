"""What a scene shows at a frame: the mix, and what comes after it."""

from __future__ import annotations

import numpy as np

from fictilis.core.deform.springs import run_of
from fictilis.core.evaluate import evaluate_object
from fictilis.core.scene import MorphObject, Scene


def final_points(scene: Scene, obj: MorphObject, frame: float) -> np.ndarray:
    """(n, 3) float64 in object space: the mix of an object at a frame, and what comes after it."""
    run = run_of(scene, obj)
    points = None if run is None else run.points(scene, frame)
    return evaluate_object(obj, frame, scene.fps) if points is None else points


def evaluate(scene: Scene, frame: float) -> dict[str, np.ndarray]:
    """Final points (n, 3) float64 of each object by name, each in its own space."""
    return {obj.name: final_points(scene, obj, frame) for obj in scene.objects}
