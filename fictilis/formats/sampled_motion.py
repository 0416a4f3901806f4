"""Matrices over time as the lanes of an object: position, rotation and scale, with as many keys as keep it near enough.

A transform here is a place, a rotation and a scale, so that what slants a shape, as an uneven scale above a turn does, can only
be met nearly; how far it is off is told.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import product

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.at_frame.rails import angles_of
from fictilis.core.rig.posing import euler_matrices
from fictilis.core.scene.places import Transform
from fictilis.core.scene.scene import Deltas, MorphObject
from fictilis.core.scene.timeline import Lane
from fictilis.formats.tracks import parted

CLOSE = 1e-3, 5e-5  # cm, and of the size of an object: nearer than the larger is near enough
SHORTEST = 1 / 128  # of a frame from key to key
MOST_KEYS = 20_000
ROUNDS = 30
PARTS = ("position", "rotation", "scale")
Matrices = Callable[[np.ndarray], np.ndarray]  # (f,) frames to (f, 4, 4) in the scene, cm


def sampled_lanes(frames: np.ndarray, matrices: np.ndarray, *parts: str) -> list[Lane]:
    """Lanes of an object's parts with a key at each of some frames (f,), of matrices (f, 4, 4) in the scene."""
    rows = _rows(matrices)
    out = []
    for part in parts:
        for k, axis in enumerate("xyz"):
            keys = zip(frames.tolist(), rows[part][:, k].tolist(), strict=True)
            out.append(Lane(f"{part}.{axis}", AnimationCurve(tuple(Key(f, v, "linear") for f, v in keys))))
    return out


def near_lanes(frames: np.ndarray, at: Matrices, corners: np.ndarray, *parts: str) -> tuple[list[Lane], float]:
    """Lanes of parts with keys at some frames (f,) and as many between as keep the ``corners`` (8, 3) of a box, in cm, near
    enough on their way; and how far they are off it at most, cm, at the keys and half-way between."""
    enough = max(CLOSE[0], float(np.ptp(corners, axis=0).max(initial=0.0)) * CLOSE[1])
    while True:
        matrices, middles = at(frames), (frames[:-1] + frames[1:]) / 2
        rows = _rows(matrices)
        here = _off(matrices, rows, corners)
        half = {part: (values[:-1] + values[1:]) / 2 for part, values in rows.items()}
        between = _off(at(middles), half, corners) if len(middles) else np.zeros(0)
        least = np.maximum(np.maximum(here[:-1], here[1:]), enough)  # what no key mends
        more = middles[(between > 1.5 * least) & (np.diff(frames) > SHORTEST)]
        if not len(more) or len(frames) + len(more) > MOST_KEYS:
            return sampled_lanes(frames, matrices, *parts), float(max(here.max(initial=0.0), between.max(initial=0.0)))
        frames = np.sort(np.concatenate([frames, more]))


def _rows(matrices: np.ndarray) -> dict[str, np.ndarray]:
    """The place, the angles in degrees and the scale of matrices (f, 4, 4), each (f, 3): of those that slant the nearest ones.

    Source: the rotation nearest to a matrix by its singular values (Kabsch 1976), and in turns the scales best with it.
    """
    scales = np.array([parted(m)[2] for m in matrices])
    linear = matrices[:, :3, :3]
    turns = linear / np.where(np.abs(scales) > 1e-12, scales, 1.0)[:, None]
    slanting = np.flatnonzero(np.abs(turns.transpose(0, 2, 1) @ turns - np.eye(3)).max(axis=(1, 2)) > 1e-6)
    for _ in range(ROUNDS if len(slanting) else 0):
        u, _, v = np.linalg.svd(linear[slanting] * scales[slanting, None])
        u[:, :, 2] *= np.sign(np.linalg.det(u @ v))[:, None]
        turns[slanting] = u @ v
        scales[slanting] = (turns[slanting] * linear[slanting]).sum(axis=1)
    return {"position": matrices[:, :3, 3], "rotation": angles_on(turns), "scale": scales}


def _off(matrices: np.ndarray, rows: dict[str, np.ndarray], corners: np.ndarray) -> np.ndarray:
    """(f,): how far corners (8, 3) are off where matrices (f, 4, 4) put them, cm."""
    linear = euler_matrices(rows["rotation"]) * rows["scale"][:, None]
    found = corners @ linear.transpose(0, 2, 1) + rows["position"][:, None]
    wanted = corners @ matrices[:, :3, :3].transpose(0, 2, 1) + matrices[:, None, :3, 3]
    off: np.ndarray = np.sqrt(((found - wanted) ** 2).sum(axis=2)).max(axis=1)
    return off


def moved_object(obj: MorphObject, frames: np.ndarray, at: Matrices, rest: np.ndarray) -> tuple[MorphObject, list[Lane], float]:
    """An object and the lanes that move it as matrices at frames (f,) do, and how far it is off, cm; ``rest`` (4, 4) puts it
    where it stands without them. Where that slants it, its points go through it if that comes nearer."""
    lanes, off = near_lanes(frames, at, box_of(obj), *PARTS)
    best = (replace(obj, transform=_transform(rest)), lanes, off)
    if slants(rest) and abs(np.linalg.det(rest)) > 1e-12:
        back = np.linalg.inv(rest)
        slanted = _through(obj, rest)
        lanes, off = near_lanes(frames, lambda at_frames: at(at_frames) @ back, box_of(slanted), *PARTS)
        best = min(best, (slanted, lanes, off), key=lambda found: found[2])
    return best


def box_of(obj: MorphObject) -> np.ndarray:
    """(8, 3): the corners around the base of an object."""
    if not len(obj.base):
        return np.zeros((8, 3))
    ends = np.stack([obj.base.min(axis=0), obj.base.max(axis=0)])
    return np.array([[ends[n, k] for k, n in enumerate(corner)] for corner in product((0, 1), repeat=3)])


def placed_object(obj: MorphObject, matrix: np.ndarray) -> MorphObject:
    """An object where a matrix (4, 4) puts it: by its transform, or where that cannot say it by its points."""
    return _through(obj, matrix) if slants(matrix) else replace(obj, transform=_transform(matrix))


def angles_on(turns: np.ndarray) -> np.ndarray:
    """(s, 3) degrees about X, Y, Z that go on from one to the next."""
    angles = np.radians([angles_of(turn) for turn in turns]).reshape(-1, 3)
    other = angles + [np.pi, 0, np.pi]
    other[:, 1] = np.pi - angles[:, 1]  # the same rotation, said the other way
    for n in range(1, len(angles)):
        near = [row + 2 * np.pi * np.round((angles[n - 1] - row) / (2 * np.pi)) for row in (angles[n], other[n])]
        gaps = [float(np.abs(row - angles[n - 1]).sum()) for row in near]
        angles[n] = near[int(gaps[1] + 1e-9 < gaps[0])]
    return np.degrees(angles)


def _transform(matrix: np.ndarray) -> Transform:
    place, _, scale = parted(matrix)
    turn = matrix[:3, :3] / np.where(np.abs(scale) > 1e-12, scale, 1.0)
    x, y, z = (float(s) if abs(s) > 1e-9 else 1e-9 for s in scale)
    return Transform(tuple(place.tolist()), angles_of(turn), (x, y, z))


def slants(matrix: np.ndarray) -> bool:
    """Whether a matrix (4, 4) is no place, rotation and scale."""
    size = np.linalg.norm(matrix[:3, :3], axis=0)
    if (size < 1e-9).any():
        return True
    turn = matrix[:3, :3] / size
    return bool(np.abs(turn.T @ turn - np.eye(3)).max() > 1e-5)


def _through(obj: MorphObject, matrix: np.ndarray) -> MorphObject:
    """An object whose points have gone through a matrix that no transform says."""
    linear = matrix[:3, :3].T
    targets = tuple(replace(t, deltas=Deltas(t.deltas.indices, t.deltas.offsets @ linear)) for t in obj.targets)
    return replace(obj, base=obj.base @ linear + matrix[:3, 3], targets=targets)
