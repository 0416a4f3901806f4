"""Poses for pictures: in float32, and what a picture shares with the one before is not made again."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from fictilis.core.at_frame.pose import Pose
from fictilis.core.mix.coefficients import columns
from fictilis.core.mix.delta_bank import DeltaBank
from fictilis.core.scene.scene import MorphObject

MOST_AT_ONCE = 3_000_000  # numbers of all columns together that are multiplied as one matrix
Made = tuple[np.ndarray, np.ndarray | None, np.ndarray | None]  # points (n, 3), those that changed, the smooth surface (n', 3)


class PictureMix:
    """Mixes one object, whatever its weights: a changed weight costs only its own column."""

    def __init__(self, obj: MorphObject) -> None:
        self._bank = DeltaBank(obj, np.float32)
        self._dense: tuple[object, np.ndarray] | None = None

    def follow(self, obj: MorphObject) -> None:
        """Mix ``obj`` from now on."""
        if not self._bank.fits(obj) and not self._bank.follow(obj):
            self._bank = DeltaBank(obj, np.float32)
        self._bank.obj = obj

    @property
    def state(self) -> tuple[object, ...]:
        """Other values, by identity, whenever the same weights give other points."""
        obj = self._bank.obj
        return self._bank, self._bank.state, obj.deformers, obj.skin

    def one(self, pose: Pose) -> tuple[tuple[object, ...], Callable[[], Made]]:
        """What the points of a pose are made of, by identity or as numbers, and what makes them: float32, or float64 with
        springs. Points on springs that are ``late`` are as they are without."""
        after, bank = pose.after, self._bank
        cage = _on_springs(pose)
        made_of = (*self.state, *pose.shares.tolist()) if cage is None else (pose.run, pose.frame)

        def mixed() -> Made:
            points = bank.mix(pose.shares) if cage is None else cage
            return points, bank.touched if cage is None else None, None

        def through() -> Made:
            assert after is not None
            bent = after.cage(bank.mix(pose.shares)) if cage is None else cage
            fine = pose.surface if after.skin is not None else None
            return after.posed(bent), None, None if fine is None else after.fine(bent, fine)

        return (made_of, mixed) if after is None else ((*after.key, *made_of), through)

    def key(self, pose: Pose) -> bytes:
        """What tells one pose from others of the same ``state``."""
        start = pose.shares.tobytes() if _on_springs(pose) is None else np.array(pose.frame).tobytes()
        return start if pose.after is None else start + np.array(pose.after.key).tobytes()

    def many(self, poses: Sequence[Pose]) -> np.ndarray:
        """(p, n, 3) float32: the points of several poses."""
        rows = self._mixed(np.array([pose.shares for pose in poses]))
        for row, pose in zip(rows, poses, strict=True):
            cage, after = _on_springs(pose), pose.after
            if cage is not None or after is not None:
                bent = cage if cage is not None else after.cage(row) if after is not None else row
                row[:] = bent if after is None else after.posed(bent)
        return rows

    def _mixed(self, shares: np.ndarray) -> np.ndarray:
        """(p, n, 3) float32: the mixes for shares (p, c)."""
        obj, bank = self._bank.obj, self._bank
        parts = columns(obj)
        if len(parts) * obj.base.size > MOST_AT_ONCE:
            return np.array([bank.mix(row) for row in shares], np.float32)
        if self._dense is None or self._dense[0] is not bank.state:
            dense = np.array([c.deltas.dense(len(obj.base)).ravel() for c in parts], np.float32)
            self._dense = bank.state, dense.reshape(len(parts), obj.base.size)
        return (shares.astype(np.float32) @ self._dense[1] + obj.base.ravel().astype(np.float32)).reshape(len(shares), -1, 3)


def _on_springs(pose: Pose) -> np.ndarray | None:
    """(n, 3) float32: where the springs have the points, not skinned yet; None without any, and where they are late."""
    found = None if pose.run is None else pose.sprung
    return None if found is None or pose.late else found.astype(np.float32)
