"""The mix alone, said once more without the rest: what tests compare with."""

import numpy as np

from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.delta_bank import mixed_points


def mix_at(obj, frame, fps=24.0):
    """(n, 3): the mix of an object, whatever comes after it."""
    return mixed_points(obj, shares_at(obj, frame, fps=fps))


def mixes_over(obj, frames, fps=24.0):
    """(f, n, 3)."""
    return np.array([mix_at(obj, float(frame), fps) for frame in frames])
