"""The copies of repeated objects on the stage: the poses they are in, kept between pictures."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from itertools import count
from typing import NamedTuple

import numpy as np

from fictilis.core.at_frame.after import acts, after_of
from fictilis.core.at_frame.copies import Copies
from fictilis.core.at_frame.springs import Run
from fictilis.core.geometry.kinds import WHOLE, Line
from fictilis.core.geometry.normals import normals_of_many
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.channels import stand_at
from fictilis.core.mix.coefficients import columns
from fictilis.core.mix.delta_bank import DeltaBank
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.render.items import Many

MANY_POSES = 64  # from which on copies share those that are hardly apart while they move
_NUMBERS = count()  # of all poses that are made: an address may be another one's later
MOST_AT_ONCE = 3_000_000  # numbers of all columns together that are multiplied as one matrix


class Moved(NamedTuple):
    """Asks a run for points."""

    run: Run
    scene: Scene
    seconds: float

    def at(self, frame: float) -> np.ndarray | None:
        points = self.run.points(self.scene, frame, self.seconds)
        return None if points is None else points.astype(np.float32)


class Poses:
    """The poses of the copies of one object; what a picture shares with the one before is not made again."""

    def __init__(self) -> None:
        self._made_of: tuple[object, ...] = (None,) * 4
        self._dense: np.ndarray | None = None
        self._known: dict[bytes, tuple[np.ndarray, np.ndarray]] = {}
        self._last: tuple[object, ...] | None = None
        self._many: Many | None = None

    def many(
        self, obj: MorphObject, bank: DeltaBank, spread: Copies, frame: float, posed: Mapping[str, float] | None, fps: float,
        moved: Moved | None = None, swift: bool = False,
    ) -> Many | None:  # fmt: skip
        """All copies but the first; None where there are none. ``moved`` is what comes after the mix. In a ``swift`` picture
        many copies are in the pose of the nearest half of a frame."""
        if len(spread) < 2:
            return None
        run = None if moved is None else moved.run
        made_of = (bank.state, run, obj.deformers, obj.skin)
        if any(a is not b for a, b in zip(made_of, self._made_of, strict=True)):
            self._made_of, self._known, self._dense = made_of, {}, None
        frames, which = np.unique(frame - spread.delays[1:], return_inverse=True)
        if swift and moved is None and len(frames) > MANY_POSES:
            frames, which = np.unique(np.round(2 * (frame - spread.delays[1:])) / 2, return_inverse=True)
        shares = np.ascontiguousarray(shares_at(obj, frames, posed, fps).T)
        line = isinstance(obj.geometry, Line)
        parts = [stand_at(obj, float(f), posed, fps).drawn for f in frames] if line else [WHOLE] * len(frames)
        shapes: dict[float, np.ndarray] = {}
        if moved is not None:
            shapes = {f: points for f in frames.tolist() if (points := moved.at(f)) is not None}
        ends = [np.array(part).tobytes() for part in parts] if line else [b""] * len(frames)
        afters = [after_of(obj, f, posed, fps) for f in frames.tolist()] if acts(obj) else [None] * len(frames)
        ends = [end + (b"" if a is None else np.array(a.key).tobytes()) for end, a in zip(ends, afters, strict=True)]
        keys = [
            (np.array(f) if f in shapes else row).tobytes() + end
            for f, row, end in zip(frames.tolist(), shares, ends, strict=True)
        ]
        first = {key: number for number, key in reversed(list(enumerate(keys)))}
        places = {key: row for row, key in enumerate(first)}
        poses = np.array([places[key] for key in keys], np.int32)[which]
        matrices = spread.matrices
        now = (self._made_of, tuple(first), matrices.tobytes(), poses.tobytes())
        if self._last is not None and self._many is not None and now[0] is self._last[0] and now[1:] == self._last[1:]:
            return self._many
        new = {key: n for key, n in first.items() if key not in self._known}
        if new:
            rows = self._mixed(obj, bank, shares[list(new.values())])
            for row, n in enumerate(new.values()):
                at, after = float(frames[n]), afters[n]
                cage = shapes.get(at, rows[row])
                bent = cage if after is None or at in shapes else after.cage(cage)
                rows[row] = bent if after is None else after.posed(bent)
            self._known |= dict(zip(new, zip(rows, normals_of_many(obj.geometry, rows), strict=True), strict=True))
        self._known = {key: self._known[key] for key in first}
        self._last = now
        points, normals = (np.array([pose[k] for pose in self._known.values()]) for k in (0, 1))
        shown = tuple(parts[n] for n in first.values())
        self._many = Many(matrices[1:], poses, points, normals, next(_NUMBERS), shown)
        return self._many

    def _mixed(self, obj: MorphObject, bank: DeltaBank, shares: np.ndarray) -> np.ndarray:
        """(p, n, 3) float32: the mixes for shares (p, c)."""
        parts = columns(obj)
        if len(parts) * obj.base.size > MOST_AT_ONCE:
            return np.array([bank.mix(row) for row in shares], np.float32)
        if self._dense is None:
            self._dense = np.array([c.deltas.dense(len(obj.base)).ravel() for c in parts], np.float32).reshape(
                len(parts), obj.base.size
            )
        return (shares.astype(np.float32) @ self._dense + obj.base.ravel().astype(np.float32)).reshape(len(shares), -1, 3)


def tinted(many: Many | None, colour: Callable[[np.ndarray], np.ndarray]) -> np.ndarray | None:
    """(p, n) float32: what each pose's points (n, 3) are coloured by."""
    return None if many is None else np.array([colour(points) for points in many.points], np.float32)
