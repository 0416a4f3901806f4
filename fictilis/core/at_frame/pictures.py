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
        """What the points of a pose are made of, by identity or as numbers, and what makes them. Points on springs that are
        ``late`` are as they are without."""
        after, bank, sprung = pose.after, self._bank, _on_springs(pose)
        made_of = (pose.run, pose.frame) if sprung else (*self.state, *pose.shares.tolist())

        def make() -> Made:
            mixed = pose.sprung.astype(np.float32) if sprung else bank.mix(pose.shares)
            if after is None:
                return mixed, None if sprung else bank.touched, None
            bent = mixed if sprung else after.cage(mixed)
            fine = pose.surface if after.skin is not None else None
            return after.posed(bent), None, None if fine is None else after.fine(bent, fine)

        return made_of if after is None else (*after.key, *made_of), make

    def key(self, pose: Pose) -> bytes:
        """What tells one pose from others of the same ``state``."""
        start = np.array(pose.frame).tobytes() if _on_springs(pose) else pose.shares.tobytes()
        return start if pose.after is None else start + np.array(pose.after.key).tobytes()

    def many(self, poses: Sequence[Pose]) -> np.ndarray:
        """(p, n, 3) float32: the points of several poses."""
        rows = self._mixed(np.array([pose.shares for pose in poses]))
        for row, pose in zip(rows, poses, strict=True):
            after, sprung = pose.after, _on_springs(pose)
            if sprung:
                row[:] = pose.sprung
            if after is not None:
                row[:] = after.posed(row if sprung else after.cage(row))
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


def _on_springs(pose: Pose) -> bool:
    """Whether springs have the points, and in time."""
    return pose.run is not None and len(pose.sprung) == len(pose.obj.base) and not pose.late
