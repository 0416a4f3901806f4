"""Rigs in a pose, and points that hang on them.

Source: glTF 2.0 specification, 3.7.3 (skins); Kavan, Collins, Žára and O'Sullivan (2007), Skinning with Dual Quaternions.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.animation.sampled import CUBIC, Curves, slerp
from fictilis.core.ground.arrays import cached_by_identity, recent_by_identity
from fictilis.core.scene.rigs import (
    ANGLE,
    CLIP,
    OTHER_CLIP,
    OTHER_PART,
    OTHER_TIME,
    OTHERS,
    PATHS,
    ROTATION,
    SCALE,
    TIME,
    TRANSLATION,
    Rig,
    RigClip,
    Skin,
    angle_id,
    turn_ids,
)

POSES_KEPT = 4


def rotations(q: np.ndarray) -> np.ndarray:
    """(…, 3, 3) of quaternions (…, 4) x, y, z, w of any length but 0."""
    size = np.linalg.norm(q, axis=-1, keepdims=True)
    x, y, z, w = np.moveaxis(np.where(size > 1e-9, q / np.maximum(size, 1e-9), [0.0, 0, 0, 1]), -1, 0)
    out = np.empty((*np.shape(x), 3, 3))
    out[..., 0, 0], out[..., 0, 1], out[..., 0, 2] = 1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)
    out[..., 1, 0], out[..., 1, 1], out[..., 1, 2] = 2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)
    out[..., 2, 0], out[..., 2, 1], out[..., 2, 2] = 2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)
    return out


def quaternions(m: np.ndarray) -> np.ndarray:
    """(…, 4) x, y, z, w of rotations (…, 3, 3). Source: Shepperd (1978), the largest of four."""
    x, y, z = m[..., 0, 0], m[..., 1, 1], m[..., 2, 2]
    squares = np.stack([1 + x - y - z, 1 - x + y - z, 1 - x - y + z, 1 + x + y + z], axis=-1)
    rows = np.empty((*m.shape[:-2], 4, 4))  # 4 q_i q_j
    rows[..., 0, 1] = rows[..., 1, 0] = m[..., 1, 0] + m[..., 0, 1]
    rows[..., 0, 2] = rows[..., 2, 0] = m[..., 0, 2] + m[..., 2, 0]
    rows[..., 1, 2] = rows[..., 2, 1] = m[..., 2, 1] + m[..., 1, 2]
    rows[..., 0, 3] = rows[..., 3, 0] = m[..., 2, 1] - m[..., 1, 2]
    rows[..., 1, 3] = rows[..., 3, 1] = m[..., 0, 2] - m[..., 2, 0]
    rows[..., 2, 3] = rows[..., 3, 2] = m[..., 1, 0] - m[..., 0, 1]
    for k in range(4):
        rows[..., k, k] = squares[..., k]
    best = np.take_along_axis(rows, squares.argmax(axis=-1)[..., None, None], axis=-2)[..., 0, :]
    return best / np.maximum(np.linalg.norm(best, axis=-1, keepdims=True), 1e-300)


def euler_matrices(degrees: np.ndarray) -> np.ndarray:
    """(…, 3, 3) of degrees (…, 3) about X, then Y, then Z."""
    (cx, cy, cz), (sx, sy, sz) = (np.moveaxis(f(np.radians(degrees)), -1, 0) for f in (np.cos, np.sin))
    rows = [
        [cz * cy, cz * sy * sx - sz * cx, cz * sy * cx + sz * sx],
        [sz * cy, sz * sy * sx + cz * cx, sz * sy * cx - cz * sx],
        [-sy, cy * sx, cy * cx],
    ]
    return np.moveaxis(np.array(rows), (0, 1), (-2, -1))


def angles_of_many(m: np.ndarray) -> np.ndarray:
    """(…, 3): degrees about X, then Y, then Z that make up rotations (…, 3, 3)."""
    y = np.arcsin(np.clip(-m[..., 2, 0], -1.0, 1.0))
    level = np.abs(m[..., 2, 0]) < 1 - 1e-12
    x = np.where(level, np.arctan2(m[..., 2, 1], m[..., 2, 2]), np.arctan2(-m[..., 1, 2], m[..., 1, 1]))
    z = np.where(level, np.arctan2(m[..., 1, 0], m[..., 0, 0]), 0.0)
    return np.degrees(np.stack([x, y, z], axis=-1))


class _Bundle(Struct, eq=False):
    """Tracks of one path with the same times: the numbers of their joints (m,), and their samples (k, m, w)."""

    path: str
    joints: np.ndarray
    curves: Curves


@cached_by_identity
def _bundles(clip: RigClip) -> list[_Bundle]:
    groups: dict[tuple[Any, ...], list[Any]] = {}
    for track in clip.tracks:
        groups.setdefault((track.path, track.way, track.times.tobytes()), []).append(track)
    out = []
    for (path, way, _), tracks in groups.items():
        rows = [
            None if way != CUBIC and name != "values" else np.stack([getattr(t, name) for t in tracks], axis=1).astype(float)
            for name in ("values", "into", "out")
        ]
        curves = Curves(way, tracks[0].times, rows[0], rows[1], rows[2])  # type: ignore[arg-type]
        out.append(_Bundle(path, np.array([t.joint for t in tracks]), curves))
    return out


@cached_by_identity
def _rest(rig: Rig) -> tuple[np.ndarray, dict[str, np.ndarray], np.ndarray]:
    """Local matrices at rest (j, 4, 4), the parts they are made of by path, and their rotations (j, 3, 3)."""
    numbers = rig.numbers
    parts = {TRANSLATION: numbers[:, :3], ROTATION: numbers[:, 3:7], SCALE: numbers[:, 7:]}
    return rig.matrices, parts, rotations(parts[ROTATION])


Parts = tuple[np.ndarray, np.ndarray, np.ndarray]  # translations (s, j, 3), rotations (s, j, 4), scales (s, j, 3)


def _parts(rig: Rig, clip: int, seconds: np.ndarray) -> tuple[Parts, np.ndarray]:
    """Joints at ``seconds`` (s,) of a clip, by its number (one that is not there is the rest); and which (j,) it moves."""
    _, rest, _ = _rest(rig)
    moved: dict[str, np.ndarray] = {}
    on = np.zeros(len(rig.joints), bool)
    for bundle in _bundles(rig.clips[clip]) if 0 <= clip < len(rig.clips) else ():
        rows = moved.setdefault(bundle.path, np.repeat(rest[bundle.path][None], len(seconds), axis=0))
        rows[:, bundle.joints] = bundle.curves.at(seconds, bundle.path == ROTATION)
        on[bundle.joints] = True
    t, q, s = (moved[path] if path in moved else np.repeat(rest[path][None], len(seconds), axis=0) for path in PATHS)
    return (t, q, s), on


def locals_of(
    rig: Rig, clip: int, seconds: np.ndarray, turns: np.ndarray | None = None,
    beside: tuple[int, np.ndarray, np.ndarray] | None = None,
) -> np.ndarray:  # fmt: skip
    """(s, j, 4, 4): each joint in the space of the one it hangs on, at ``seconds`` (s,) of a clip (by its number; one that is
    not there is the rest). ``beside``: another clip, the seconds in it (s,), and the part (s,) that it has in the pose: places
    and sizes by that part, rotations on the shorter way. ``turns`` (s or 1, j, 3) are degrees by which each joint is turned
    further, about axes of its own."""
    (t, q, s), on = _parts(rig, clip, seconds)
    if beside is not None:
        (t2, q2, s2), also = _parts(rig, beside[0], beside[1])
        part = beside[2][:, None, None]
        t, q, s, on = t + (t2 - t) * part, slerp(q, q2, part), s + (s2 - s) * part, on | also
    out = np.repeat(_rest(rig)[0][None], len(seconds), axis=0)
    if on.any():
        block = np.zeros((len(seconds), int(on.sum()), 4, 4))
        block[..., :3, :3], block[..., :3, 3], block[..., 3, 3] = rotations(q[:, on]) * s[:, on, None, :], t[:, on], 1.0
        out[:, on] = block
    if turns is not None and turns.any():
        which = np.flatnonzero(turns.any(axis=(0, 2)))
        linear = out[:, which, :3, :3]
        size = np.linalg.norm(linear, axis=-2, keepdims=True)
        out[:, which, :3, :3] = (linear / np.where(size > 1e-12, size, 1.0)) @ euler_matrices(turns[:, which]) * size
    return out


def own_over(rig: Rig, values: Mapping[str, Any], shape: tuple[int, ...] = ()) -> np.ndarray:
    """(s, j, 4, 4) of joints by themselves where the ``values`` of an object's channels, numbers or arrays ``shape``d, have
    them; s is the size of ``shape``."""

    def flat(name: str) -> np.ndarray:
        return np.broadcast_to(np.asarray(values[name], np.float64), shape).ravel()

    seconds, clips = flat(TIME), np.round(flat(CLIP)).astype(int)
    rows = np.array([values[name] for name in turn_ids(rig)], np.float64)
    turns = rows.reshape(len(rows), len(seconds)).T.reshape(len(seconds), len(rows) // 3, 3)
    others = np.round(flat(OTHER_CLIP)).astype(int) if OTHER_PART in values else np.full(len(clips), -1)
    out = np.empty((len(seconds), len(rig.joints), 4, 4))
    for clip, other in sorted(set(zip(clips.tolist(), others.tolist(), strict=True))):
        at = (clips == clip) & (others == other)
        beside = (other, flat(OTHER_TIME)[at], flat(OTHER_PART)[at]) if OTHER_PART in values else None
        out[at] = locals_of(rig, clip, seconds[at], turns[at], beside)
    return out


@cached_by_identity
def _levels(rig: Rig) -> list[tuple[np.ndarray, np.ndarray]]:
    """Joints that hang on others (m,) and those (m,), level by level."""
    depth = np.zeros(len(rig.joints), int)
    for number, parent in enumerate(rig.parents.tolist()):
        depth[number] = depth[parent] + 1 if parent >= 0 else 0
    found = [np.flatnonzero(depth == level) for level in range(1, int(depth.max(initial=0)) + 1)]
    return [(level, rig.parents[level]) for level in found]


def worlds_of(rig: Rig, own: np.ndarray) -> np.ndarray:
    """(s, j, 4, 4): each joint in the rig's space, of their own matrices (s, j, 4, 4)."""
    out = own.copy()
    for level, above in _levels(rig):
        out[:, level] = out[:, above] @ own[:, level]
    return out


class Pose(Struct, frozen=True, eq=False, weakref=True):
    """A rig at a moment: ``own`` (j, 4, 4) of each joint by itself, ``worlds`` (j, 4, 4) in the rig's space, and the angles of
    joints by their channels; shared by all that hang on the rig."""

    own: np.ndarray
    worlds: np.ndarray
    angles: Mapping[str, float]


@recent_by_identity(POSES_KEPT)
def _pose(rig: Rig, numbers: tuple[float, ...], names: tuple[str, ...]) -> Pose:
    own = own_over(rig, dict(zip(names, numbers, strict=True)))
    return Pose(own[0], worlds_of(rig, own)[0], angle_values(rig, own[0]))


def pose_of(skin: Skin, values: Mapping[str, float]) -> Pose:
    """The rig of a skin at the ``values`` of its object's channels."""
    names = (CLIP, TIME, *turn_ids(skin.rig), *(OTHERS if OTHER_PART in values else ()))
    return _pose(skin.rig, tuple(values[name] for name in names), names)


def joint_angles(rig: Rig, own: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(…, j) degrees by which joints are away from their rest, and (…, j, 3) as degrees about X, then Y, then Z; of their own
    matrices (…, j, 4, 4)."""
    linear = own[..., :3, :3]
    size = np.linalg.norm(linear, axis=-2, keepdims=True)
    apart = np.swapaxes(_rest(rig)[2], -1, -2) @ (linear / np.where(size > 1e-12, size, 1.0))
    q = quaternions(apart)
    whole = 2 * np.degrees(np.arctan2(np.linalg.norm(q[..., :3], axis=-1), np.abs(q[..., 3])))
    return whole, angles_of_many(apart)


def angle_values(rig: Rig, own: np.ndarray, joints: Any = None) -> dict[str, Any]:
    """The angles of joints (all where none are named) by their channels, of own matrices (…, j, 4, 4)."""
    whole, parts = joint_angles(rig, own)
    out: dict[str, Any] = {}
    for number in range(len(rig.joints)) if joints is None else joints:
        out[angle_id(number)] = whole[..., number]
        out |= {angle_id(number, axis): parts[..., number, k] for k, axis in enumerate("xyz")}
    return out if own.ndim > 3 else {name: float(value) for name, value in out.items()}


def is_angle(channel: str) -> bool:
    return channel.startswith(f"{ANGLE}.")


# the points
