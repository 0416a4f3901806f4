"""A line that is led along, and where its points are."""

import numpy as np

from fictilis.core.geometry.kinds import Line

WHIP = Line(starts=[0, 12, 20], closed=[False, True])  # an open strand of 12 points, a closed one of 8


def whip_points() -> np.ndarray:
    along, round_ = np.arange(12.0), np.linspace(0, 2 * np.pi, 8, endpoint=False)
    strand = np.stack([along, np.sin(along / 3), np.zeros(12)], axis=1)
    return np.concatenate([strand, np.stack([np.cos(round_), 6 + np.sin(round_), np.zeros(8)], axis=1)])
