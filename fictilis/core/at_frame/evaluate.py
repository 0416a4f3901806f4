"""(scene, frame) to posed points."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np

from fictilis.core.at_frame.after import after_of
from fictilis.core.at_frame.bending import deformed
from fictilis.core.at_frame.standing import standing
from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.tubes import tube_mesh
from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.topology import is_closed, triangles
from fictilis.core.ground.affine import placed
from fictilis.core.mix.acting import shares, shares_at
from fictilis.core.mix.channels import stand_at, values_at
from fictilis.core.mix.delta_bank import DeltaBank, mixed_points
from fictilis.core.mix.shapes import some_points
from fictilis.core.scene.scene import MorphObject, Scene


def evaluate_object(obj: MorphObject, frame: float, fps: float = 24.0) -> np.ndarray:
    """Mixed points (n, 3) float64 of one object at a frame, in its own space, base vertex order."""
    return mixed_points(obj, shares_at(obj, frame, fps=fps))


def bent_object(obj: MorphObject, frame: float, fps: float = 24.0) -> np.ndarray:
    """(n, 3) float64: the mix at a frame as it is bent, twisted and tapered; a skin has no part in it."""
    points = evaluate_object(obj, frame, fps)
    return deformed(obj, values_at(obj, frame, None, fps), points) if obj.deformers else points


def evaluate_frames(obj: MorphObject, frames: Iterable[float], fps: float = 24.0) -> np.ndarray:
    """(f, n, 3) float64: mixed points of one object at each of ``frames``."""
    at = np.asarray(list(frames), np.float64)
    over = shares_at(obj, at, fps=fps)
    bank = DeltaBank(obj)
    out = np.empty((len(at), len(obj.base), 3))
    for i in range(len(at)):
        out[i] = bank.mix(over[:, i])
    return out


def points_over(
    obj: MorphObject, indices: np.ndarray, frames: np.ndarray, fps: float = 24.0, scene: Scene | None = None
) -> np.ndarray:
    """(f, k, 3) float64 in scene space: where points ``indices`` (k,) are at ``frames`` (f,), with the object's own motion, and
    that along a line where its ``scene`` is given."""
    at = np.asarray(frames, np.float64)
    out = some_points(obj, indices, shares_at(obj, at, fps=fps))
    for row, frame in zip(out, at.tolist(), strict=True):
        after = after_of(obj, frame, None, fps)
        if after is not None:
            row[:] = after.forward(row, indices)
        stand = stand_at(obj, frame, fps=fps) if scene is None else standing(scene, obj, frame)
        row[:] = placed(row, stand.transform.matrix())
    return out


def point_paths(
    obj: MorphObject, indices: np.ndarray, target_id: str, weights: np.ndarray, others: Mapping[str, float]
) -> np.ndarray:
    """(w, k, 3) float64: where points ``indices`` (k,) are at each of a target's ``weights`` (w,).

    ``others`` are the weights of the other targets by id, which stay.
    """
    at = np.asarray(weights, np.float64)
    every = {t: np.full(len(at), value) for t, value in others.items()} | {target_id: at}
    return some_points(obj, indices, shares(obj, every))


def prepare(scene: Scene) -> None:
    """Work out what is kept and what a first picture and its lanes will ask for; safe in a thread beside the window's."""
    for obj in scene.objects:
        shares_at(obj, scene.start, fps=scene.fps)
        triangles(obj.geometry)
        is_closed(obj.geometry)
        point_normals(obj.geometry, obj.base)
        if isinstance(obj.geometry, Line):
            drawn(obj.geometry)
            if obj.geometry.tube is not None:
                tube_mesh(obj.geometry)
