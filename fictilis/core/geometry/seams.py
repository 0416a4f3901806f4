"""A soft seam between the two sides of a mesh."""

from __future__ import annotations

import numpy as np


def seam(places: np.ndarray, width: float) -> np.ndarray:
    """(n,) share of the positive side: 0 to 1 over a seam of ``width`` cm about 0, ½ in its middle.

    Source: smoothstep 3t² - 2t³.
    """
    if width <= 0:
        return np.where(np.abs(places) < 1e-9, 0.5, (places > 0).astype(np.float64))
    t = np.clip(places / width + 0.5, 0.0, 1.0)
    return t * t * (3 - 2 * t)
