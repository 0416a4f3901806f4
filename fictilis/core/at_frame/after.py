"""What comes after the mix of an object, at a moment: bend, twist and taper, then (after the smooth surface) its skin."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from fictilis.core.at_frame.bending import acting, deformed
from fictilis.core.at_frame.skinning import blended, palette, through
from fictilis.core.geometry.finer import Finer
from fictilis.core.ground.arrays import any_in_rows, extent, lengths, recent_by_identity
from fictilis.core.rig.binding import finer_bound
from fictilis.core.rig.posing import pose_of
from fictilis.core.scene.rigs import Bound
from fictilis.core.scene.scene import Deltas, MorphObject

NEAR_SINGULAR = 1e-3  # of the size of a matrix: below it points are not taken back

STEP = 1e-5  # of the object's size, for slopes
CLOSE = 1e-10
NEAR = 1e-6
MOST_STEPS, LEAST_STEP = 24, 1e-3


class After:
    """``key`` are numbers that tell one moment from another."""

    def __init__(self, obj: MorphObject, values: Mapping[str, float]) -> None:
        self.obj, self.values = obj, values
        self.deforms = any(values[d.kind] for d in acting(obj))
        self.skin = obj.skin if obj.skin is not None and obj.skin.on else None
        self.matrices = None if self.skin is None else palette(self.skin.bound, pose_of(self.skin, values))
        amounts = [values[d.kind] for d in acting(obj)]
        self.key: tuple[float, ...] = (*amounts, *(() if self.matrices is None else self.matrices.ravel().tolist()))

    def cage(self, mixed: np.ndarray) -> np.ndarray:
        """Points (n, 3) of the mix, bent, twisted and tapered, in their dtype."""
        return deformed(self.obj, self.values, mixed)

    def posed(self, cage: np.ndarray, rows: np.ndarray | None = None) -> np.ndarray:
        """Points (n, 3), or those of ``rows`` (k,) among them, as the skin has them."""
        if self.skin is None or self.matrices is None:
            return cage
        own = _rows(self.skin.bound, self.matrices.tobytes(), self.skin.dual, cage.dtype.char)
        return through(own if rows is None else own[rows], cage)

    def fine(self, cage: np.ndarray, finer: Finer) -> np.ndarray:
        """Points (n', 3) of the smooth surface of a cage (n, 3) that is not posed yet, as the skin has them."""
        points = finer.of(cage)
        if self.skin is None or self.matrices is None:
            return points
        bound = finer_bound(self.skin.bound, finer)
        return through(_rows(bound, self.matrices.tobytes(), self.skin.dual, points.dtype.char), points)

    def forward(self, mixed: np.ndarray, rows: np.ndarray | None = None) -> np.ndarray:
        """Points (n, 3) of the mix as they are seen; of those numbered ``rows`` (k,), where they are given."""
        return self.posed(self.cage(mixed), rows)

    def back(self, mixed: np.ndarray, moved: Deltas) -> tuple[Deltas, int]:
        """What has to move in the mix (n, 3) float64, so that what is seen of it moves by ``moved``; and how many points were
        left alone, because what they go through is near singular.

        Newton's method with slopes by differences: exact for a skin at once, in a few steps for what bends."""
        at = np.asarray(moved.indices, np.int64)
        start = mixed[at]
        wanted = self.forward(start, at) + moved.offsets
        size = max(float(extent(self.obj.base).max(initial=0.0)), 1e-9)
        place, left = start.copy(), np.zeros(len(at), bool)
        off = wanted - self.forward(place, at)
        for _ in range(MOST_STEPS):
            rows = np.flatnonzero((lengths(off) > CLOSE * size) & ~left)
            if not len(rows):
                break
            slopes = self._slopes(place[rows], at[rows], size * STEP)
            singular = np.abs(np.linalg.det(slopes)) < NEAR_SINGULAR
            slopes[singular] = np.eye(3)
            left[rows[singular]] = True
            change = np.linalg.solve(slopes, off[rows][:, :, None])[:, :, 0]
            self._step(place, off, wanted, at, rows[~singular], change[~singular])
        left |= lengths(off) > NEAR * size  # it does not come near
        out = place - start
        out[left] = 0.0
        kept = any_in_rows(out != 0.0)
        return Deltas(at[kept].astype(np.int32), out[kept]), int(left.sum())

    def _step(
        self, place: np.ndarray, off: np.ndarray, wanted: np.ndarray, at: np.ndarray, rows: np.ndarray, change: np.ndarray
    ) -> None:
        """Go as much of the way of a change as brings each of some rows nearer, in place: limits make corners in what bends."""
        part = 1.0
        while len(rows) and part > LEAST_STEP:
            there = place[rows] + part * change
            apart = wanted[rows] - self.forward(there, at[rows])
            nearer = lengths(apart) < lengths(off[rows])
            place[rows[nearer]], off[rows[nearer]] = there[nearer], apart[nearer]
            rows, change, part = rows[~nearer], change[~nearer], part / 2

    def _slopes(self, place: np.ndarray, at: np.ndarray, step: float) -> np.ndarray:
        """(k, 3, 3): how what is seen of points moves with them."""
        out = np.empty((len(place), 3, 3))
        for k in range(3):
            ahead, behind = place.copy(), place.copy()
            ahead[:, k] += step
            behind[:, k] -= step
            out[:, :, k] = (self.forward(ahead, at) - self.forward(behind, at)) / (2 * step)
        return out


@recent_by_identity(2)
def _rows(bound: Bound, matrices: bytes, dual: bool, kind: str) -> np.ndarray:
    return blended(bound, np.frombuffer(matrices).reshape(-1, 4, 4), dual).astype(kind)


def acts(obj: MorphObject) -> bool:
    """Whether anything comes after an object's mix that has to be asked for."""
    return bool(obj.deformers) or obj.skin is not None and obj.skin.on
