"""Falloff along the surface against great-circle distance. Source: arc = radius × angle, elementary geometry."""

import numpy as np
import pytest

from fictilis.core.edits.objects import add_object
from fictilis.core.geometry.primitives import ball, globe
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping.falloff import surface_distances


@pytest.mark.parametrize(("form", "worst"), [(lambda: ball(10.0, 24), 0.06), (lambda: globe(10.0, 72, 36), 0.06)])
@pytest.mark.parametrize("seed", range(4))
def test_surface_distance_is_the_great_circle_within_a_few_percent(form, worst, seed):
    points, mesh = form()
    scene, _ = add_object(Scene(), "Ball", mesh, points)
    source = int(np.random.default_rng(seed).integers(len(points)))
    limit = 14.0
    found = surface_distances(scene.objects[0], points, np.array([source]), limit)
    true = 10.0 * np.arccos(np.clip(points @ points[source] / 100.0, -1, 1))
    inside = (true > 1.0) & (true < limit / (1 + worst))
    assert inside.sum() > 200 and np.isfinite(found[inside]).all()
    ratio = found[inside] / true[inside]
    assert ratio.min() > 0.985  # chords are a little shorter than arcs
    assert ratio.max() < 1 + worst
    assert np.isinf(found[true > limit * 1.05]).all()
