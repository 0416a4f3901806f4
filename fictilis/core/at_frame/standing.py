"""Where objects stand in the scene: by their own numbers, and along the line that they follow."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.at_frame.after import after_of
from fictilis.core.geometry.lines.measuring import Measured
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.tubes import frames
from fictilis.core.ground.affine import placed
from fictilis.core.ground.arrays import lengths, recent_by_identity
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.channel_kinds import LEAST_DISTANCE
from fictilis.core.mix.channels import Stand, camera_at, stand_at, values_at
from fictilis.core.mix.delta_bank import mixed_points
from fictilis.core.scene.places import ALONG
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.scene.timeline import SceneCamera

KEPT = 2000  # places on a line that are remembered: an export asks for each frame more than once
Posed = Mapping[str, Mapping[str, float]]


def standing(scene: Scene, obj: MorphObject, frame: float, posed: Posed | None = None) -> Stand:
    """How an object stands at a frame. One that follows a line has its pivot there, its own position counting from that place
    (turned with the line where it turns with it), and its Z axis along the line, Y up as far as that goes at the beginning.

    ``posed`` are values by object and channel that win over lanes.
    """
    own = stand_at(obj, frame, (posed or {}).get(obj.id), scene.fps)
    if obj.along is None:
        return own
    value = float(values_at(obj, frame, (posed or {}).get(obj.id), scene.fps)[ALONG])
    where, axes = place_on(scene, scene.object(obj.along.line), value, frame, posed, obj.along.even)
    turn = axes.T if obj.along.turn else np.eye(3)
    old = own.transform
    position = where + turn @ np.array(old.position) - np.array(old.pivot)
    rotation = angles_of(turn @ old.rotation_matrix()) if obj.along.turn else old.rotation
    moved = replace(old, position=tuple(position.tolist()), rotation=rotation)
    return replace(own, transform=moved)


def jumping(scene: Scene, owner: MorphObject | SceneCamera) -> list[tuple[AnimationCurve, float]]:
    """The curves that may lead an object or a camera in jumps, those of the line that it follows and of what its copies stand
    on among them, and by how many frames each comes later."""
    out: list[tuple[AnimationCurve, float]] = []
    waiting, seen = [owner.id], set[str]()
    while waiting:
        part = scene.owner(waiting.pop())
        if part.id in seen:
            continue
        seen.add(part.id)
        out += [(lane.curve, 0.0) for lane in part.lanes]
        if isinstance(part, MorphObject) and part.blend is not None:
            out += [(lane.curve, part.blend.offset) for lane in part.blend.lanes]
        if part.along is not None:
            waiting.append(part.along.line)
        if isinstance(part, MorphObject) and part.repeated is not None and part.repeated.other is not None:
            waiting.append(part.repeated.other)
    return [(curve, shift) for curve, shift in out if curve.may_jump]


def jumps_of(curves: Sequence[tuple[AnimationCurve, float]], first: float, last: float) -> np.ndarray:
    """(k,) rising frames from ``first`` to ``last`` at which one of some curves jumps, each so many frames later."""
    rows = [curve.jumps(first - shift, last - shift) + shift for curve, shift in curves]
    return np.unique(np.concatenate(rows)) if rows else np.zeros(0)


def camera_standing(scene: Scene, camera: SceneCamera, frame: float, posed: Posed | None = None) -> SceneCamera:
    """A camera as it stands at a frame, without lanes: where it follows a line, from there."""
    at = camera_at(camera, frame, (posed or {}).get(camera.id), scene.fps)
    if camera.along is None:
        return at
    value = float(values_at(camera, frame, (posed or {}).get(camera.id), scene.fps)[ALONG])
    where, axes = place_on(scene, scene.object(camera.along.line), value, frame, posed, camera.along.even)
    if camera.along.turn:
        yaw, pitch = _aim(axes[2])
        yaw, pitch, distance = yaw + at.yaw, min(max(pitch + at.pitch, -90.0), 90.0), at.distance
        (cy, cp), (sy, sp) = np.cos(np.radians([yaw, pitch])), np.sin(np.radians([yaw, pitch]))
        centre = where - distance * np.array([sy * cp, sp, cy * cp])
    else:
        centre = np.array(at.centre)
        distance = max(float(np.linalg.norm(centre - where)), LEAST_DISTANCE)
        yaw, pitch = _aim(centre - where)
    return replace(at, centre=tuple(centre.tolist()), distance=distance, yaw=yaw, pitch=pitch, along=None)


def eye(camera: SceneCamera) -> np.ndarray:
    """(4, 4): a camera's space, which looks along −Z, in the scene."""
    (cy, cp), (sy, sp) = np.cos(np.radians([camera.yaw, camera.pitch])), np.sin(np.radians([camera.yaw, camera.pitch]))
    back = np.array([sy * cp, sp, cy * cp])
    right = np.array([cy, 0.0, -sy])
    out = np.eye(4)
    out[:3, :3] = np.stack([right, np.cross(back, right), back], axis=1)
    out[:3, 3] = np.array(camera.centre) + back * camera.distance
    return out


def _aim(forward: np.ndarray) -> tuple[float, float]:
    """Yaw and pitch in degrees of a camera that looks along a direction (3,)."""
    x, y, z = forward / max(float(np.linalg.norm(forward)), 1e-300)
    return float(np.degrees(np.arctan2(-x, -z))), float(np.degrees(np.arcsin(np.clip(-y, -1.0, 1.0))))


def place_on(
    scene: Scene, obj: MorphObject, value: float, frame: float, posed: Posed | None = None, even: bool = True
) -> tuple[np.ndarray, np.ndarray]:
    """A place (3,) in the scene on the first strand of a line as it is at a frame, and axes there (3, 3): across, up, along.

    ``value`` runs from 0 to 1 along it, by its length or (not ``even``) by its points; around a closed strand it goes on.
    """
    own = tuple(sorted((posed or {}).get(obj.id, {}).items()))
    matrix = tuple(standing(scene, obj, frame, posed).transform.matrix().ravel().tolist())
    return _place_on(obj, value, frame, own, scene.fps, matrix, even)


@recent_by_identity(KEPT)
def _place_on(
    obj: MorphObject, value: float, frame: float, posed: tuple[tuple[str, float], ...], fps: float, matrix: tuple[float, ...],
    even: bool,
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    fine = drawn(obj.line)
    mixed, after = mixed_points(obj, shares_at(obj, frame, dict(posed), fps)), after_of(obj, frame, dict(posed), fps)
    mixed = mixed if after is None else after.forward(mixed)
    strand = Measured(fine.line, placed(fine.of(mixed), np.reshape(matrix, (4, 4))), 0)
    places, axes = Rail(strand).at(np.array([value]), even)
    return places[0], axes[0]


class Rail:
    """What moves along a strand: where it is, and axes there that turn least."""

    def __init__(self, strand: Measured) -> None:
        self.strand = strand
        self._along, side, other = (rows[0] for rows in frames(strand.own[None], strand.closed))
        self._up = _up(self._along[0], side, other)

    def at(self, values: np.ndarray, even: bool = True) -> tuple[np.ndarray, np.ndarray]:
        """Places (k, 3) and axes (k, 3, 3), across, up and along, at values (k,) from 0 to 1."""
        strand = self.strand
        last = strand.count if strand.closed else strand.count - 1
        part = values % 1.0 if strand.closed else np.clip(values, 0.0, 1.0)
        place = strand.places(part) if even else part * last
        first = np.minimum(place.astype(int), strand.count - 1)
        after = (first + 1) % strand.count if strand.closed else np.minimum(first + 1, strand.count - 1)
        share = (place - first)[:, None]
        z = _units(self._along[first] * (1 - share) + self._along[after] * share, self._along[first])
        y = self._up[first] * (1 - share) + self._up[after] * share
        y = _units(y - (y * z).sum(axis=1, keepdims=True) * z, self._up[first])
        return strand.at(place), np.stack([np.cross(y, z), y, z], axis=1)


def _up(first: np.ndarray, side: np.ndarray, other: np.ndarray) -> np.ndarray:
    """(r, 3): the sides of least turning that begin as near to the scene's up as they can."""
    wanted = np.array([0.0, 1.0, 0.0]) if abs(first[1]) < 0.999 else np.array([0.0, 0.0, -1.0])
    angle = np.arctan2(wanted @ other[0], wanted @ side[0])
    return np.cos(angle) * side + np.sin(angle) * other


def _units(rows: np.ndarray, otherwise: np.ndarray) -> np.ndarray:
    size = lengths(rows)[:, None]
    return np.where(size > 1e-12, rows / np.maximum(size, 1e-300), otherwise)


def angles_of(matrix: np.ndarray) -> tuple[float, float, float]:
    """Degrees about X, then Y, then Z that make up a rotation (3, 3). Source: the usual extraction for Z·Y·X."""
    y = np.arcsin(np.clip(-matrix[2, 0], -1.0, 1.0))
    if abs(matrix[2, 0]) < 1 - 1e-12:
        x, z = np.arctan2(matrix[2, 1], matrix[2, 2]), np.arctan2(matrix[1, 0], matrix[0, 0])
    else:  # Z and X turn about one axis
        x, z = np.arctan2(-matrix[1, 2], matrix[1, 1]), 0.0
    return tuple(np.degrees([x, y, z]).tolist())
