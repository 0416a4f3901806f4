"""Reef wall: made-up cups in a grid that open one after the other, as a wave from one corner."""

from __future__ import annotations

import numpy as np

from fictilis.core.animation.curve import Key
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.objects import add_object
from fictilis.core.edits.repeats import set_repeat
from fictilis.core.edits.targets import target_from_points
from fictilis.core.edits.timeline import set_frame_range
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.primitives import turned
from fictilis.core.scene.appearance import Appearance
from fictilis.core.scene.repeats import FROM_POINT, GRID, STEP, Repeat
from fictilis.core.scene.scene import Scene

END = 96.0
AROUND = 24
CLAY = "#C98B6B"
# from the middle of the foot over the wall and the lip down to the middle of the floor: (radius, height) in cm
PROFILE = ((0, 0), (2.6, 0.1), (3.6, 0.9), (4.0, 2.4), (3.9, 4.2), (3.6, 6.0), (3.3, 7.6), (3.15, 8.6), (2.95, 9.0), (2.7, 8.7),
           (2.65, 7.6), (2.75, 6.0), (2.9, 4.4), (2.7, 3.2), (1.6, 2.7), (0, 2.6))  # fmt: skip


def cup(around: int = AROUND) -> tuple[np.ndarray, Mesh]:
    """A closed cup of some faces around that faces Z."""
    radii, heights = np.array(PROFILE[::-1], float).T
    points, mesh = turned(radii, heights, around)
    return points[:, [0, 2, 1]] * [1.0, -1.0, 1.0], mesh


def _opened(points: np.ndarray, wide: float, ruffle: float, tall: float) -> np.ndarray:
    """The cup with its upper part spread out in petals."""
    angle = np.arctan2(points[:, 1], points[:, 0])
    up = np.clip((points[:, 2] - 3.0) / 6.0, 0, 1) ** 2
    spread = 1 + up * (wide + ruffle * np.cos(6 * angle))
    out = points * np.stack([spread, spread, np.ones(len(points))], 1)
    out[:, 2] += up * (tall + 0.9 * ruffle * np.cos(6 * angle))
    return out


def reef_wall(around: int = AROUND) -> Scene:
    """8 × 5 × 3 cups; each opens, holds and closes, later the farther it is from the lower corner in front."""
    points, mesh = cup(around)
    scene, wall = add_object(Scene(name="Reef wall"), "Cup", mesh, points, Appearance(colour=CLAY))
    scene, open_id = target_from_points(scene, wall, "Open", _opened(points, 0.62, 0.16, -1.2))
    scene, draw_id = target_from_points(scene, wall, "Draw in", points * [0.82, 0.82, 0.7])
    for frame, value in ((0, 0.0), (14, 1.0), (34, 1.0), (56, 0.0)):
        scene = set_key(scene, wall, open_id, Key(float(frame), value, "smooth"))
    for frame, value in ((0, 0.6), (14, 0.0), (34, 0.0), (56, 0.6)):
        scene = set_key(scene, wall, draw_id, Key(float(frame), value, "smooth"))
    grid = Repeat(GRID, (8, 5, 3), (12.5, 12.5, 11.0), STEP, later=34.0, order=FROM_POINT, origin=(0.0, 0.0, 22.0), turns=9.0,
                  sizes=0.12)  # fmt: skip
    return set_frame_range(set_repeat(scene, wall, grid), 0.0, END)
