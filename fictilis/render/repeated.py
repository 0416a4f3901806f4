"""The copies of repeated objects on the stage: the poses they are in, kept between pictures."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count

import numpy as np

from fictilis.core.at_frame.copies import Copies
from fictilis.core.at_frame.pictures import PictureMix
from fictilis.core.at_frame.pose import Pose, Posed
from fictilis.core.geometry.kinds import WHOLE, Line
from fictilis.core.geometry.normals import normals_of_many
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.channels import own_placement
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.render.items import Many

MANY_POSES = 64  # from which on copies share those that are hardly apart while they move
_NUMBERS = count()  # of all poses that are made: an address may be another one's later


class Poses:
    """The poses of the copies of one object; what a picture shares with the one before is not made again."""

    def __init__(self) -> None:
        self._state: tuple[object, ...] = ()
        self._known: dict[bytes, tuple[np.ndarray, np.ndarray]] = {}
        self._last: tuple[object, ...] | None = None
        self._many: Many | None = None

    def many(
        self, mix: PictureMix, scene: Scene, obj: MorphObject, spread: Copies, frame: float, posed: Posed, swift: bool = False
    ) -> Many | None:
        """All copies but the first; None where there are none. In a ``swift`` picture many copies without springs are in the
        pose of the nearest half of a frame."""
        if len(spread) < 2:
            return None
        frames, which = np.unique(frame - spread.delays[1:], return_inverse=True)
        if swift and len(frames) > MANY_POSES and Pose(scene, obj, frame, posed).run is None:
            frames, which = np.unique(np.round(2 * (frame - spread.delays[1:])) / 2, return_inverse=True)
        own = posed.get(obj.id)
        shares = np.ascontiguousarray(shares_at(obj, frames, own, scene.fps).T)
        poses = [Pose(scene, obj, f, posed, row) for f, row in zip(frames.tolist(), shares, strict=True)]
        state = (*mix.state, poses[0].run)
        if len(state) != len(self._state) or any(a is not b for a, b in zip(state, self._state, strict=True)):
            self._state, self._known = state, {}
        line = isinstance(obj.geometry, Line)
        parts = [own_placement(obj, pose.frame, own, scene.fps).drawn if line else WHOLE for pose in poses]
        keys = [mix.key(pose) + (np.array(part).tobytes() if line else b"") for pose, part in zip(poses, parts, strict=True)]
        first = {key: number for number, key in reversed(list(enumerate(keys)))}
        places = {key: row for row, key in enumerate(first)}
        rows = np.array([places[key] for key in keys], np.int32)[which]
        matrices = spread.matrices
        now = (self._state, tuple(first), matrices.tobytes(), rows.tobytes())
        if self._last is not None and self._many is not None and now[0] is self._last[0] and now[1:] == self._last[1:]:
            return self._many
        new = {key: poses[n] for key, n in first.items() if key not in self._known}
        if new:
            made = mix.many(list(new.values()))
            self._known |= dict(zip(new, zip(made, normals_of_many(obj.geometry, made), strict=True), strict=True))
        self._known = {key: self._known[key] for key in first}
        self._last = now
        points, normals = (np.array([pose[k] for pose in self._known.values()]) for k in (0, 1))
        shown = tuple(parts[n] for n in first.values())
        self._many = Many(matrices[1:], rows, points, normals, next(_NUMBERS), shown)
        return self._many


def tinted(many: Many | None, colour: Callable[[np.ndarray], np.ndarray]) -> np.ndarray | None:
    """(p, n) float32: what each pose's points (n, 3) are coloured by."""
    return None if many is None else np.array([colour(points) for points in many.points], np.float32)
