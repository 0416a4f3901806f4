"""Lines of the ground that objects stand on, in cm, as fine as the view is near."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct

from fictilis.core.at_frame.sizes import box_of
from fictilis.core.ground.arrays import cached_by_identity
from fictilis.core.scene.scene import Scene
from fictilis.render.camera import Camera

APART = 46.0  # pixels that two lines are apart at least, in the middle of the view
REACH = 4.0  # times half of the picture's height: where the lines have faded out


@cached_by_identity
def box_at_rest(scene: Scene) -> np.ndarray:
    """(2, 3): the lowest and highest corner of all that is visible, as it rests at the start."""
    found = box_of(scene, [o.id for o in scene.objects if o.visible])
    return np.zeros((2, 3)) if found is None else np.stack(found)


def lowest(scene: Scene) -> float:
    """The height in cm at which the ground lies below all that is visible."""
    return float(box_at_rest(scene)[0, 1])


class Ground(Struct, frozen=True):
    """Lines each ``step`` cm at a ``height``, with five ticks to a step, up to ``reach`` cm around a ``middle`` (x, z)."""

    height: float
    step: float
    middle: tuple[float, float]
    reach: float
    colour: str


def step_for(camera: Camera, pixels: int) -> float:
    """How many cm two lines are apart: 1 or 5 times a power of ten, so that a picture ``pixels`` high is not crowded."""
    least = APART * 2 * camera.half_height() / max(pixels, 1)
    power = 10.0 ** math.floor(math.log10(least))
    return next(power * factor for factor in (1, 5, 10) if power * factor >= least)


def ground_for(camera: Camera, pixels: int, height: float, colour: str) -> Ground:
    """The lines that are seen around what a camera looks at."""
    x, _, z = camera.centre
    return Ground(height, step_for(camera, pixels), (float(x), float(z)), REACH * camera.half_height(), colour)
