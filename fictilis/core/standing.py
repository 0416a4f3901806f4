"""Where objects stand in the scene: by their own numbers, and along the line that they follow."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace

from fictilis.core.affine import placed
from fictilis.core.arrays import recent_by_identity
from fictilis.core.channels import Stand, stand_at, values_at
from fictilis.core.geometry.lines.measuring import Measured
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.tubes import frames
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.delta_bank import mixed_points
from fictilis.core.scene import ALONG, MorphObject, Scene

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
    rotation = _angles(turn @ old.rotation_matrix()) if obj.along.turn else old.rotation
    moved = replace(old, position=tuple(position.tolist()), rotation=rotation)
    return replace(own, transform=moved)


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
    mixed = mixed_points(obj, shares_at(obj, frame, dict(posed), fps))
    points = placed(fine.of(mixed), np.reshape(matrix, (4, 4)))
    strand = Measured(fine.line, points, 0)
    last = strand.count if strand.closed else strand.count - 1
    part = value % 1.0 if strand.closed else min(max(value, 0.0), 1.0)
    place = float(strand.places(np.array([part]))[0]) if even else part * last
    first = min(int(place), strand.count - 1)
    after = (first + 1) % strand.count if strand.closed else min(first + 1, strand.count - 1)
    along, side, other = (rows[0] for rows in frames(strand.own[None], strand.closed))
    up = _up(along[0], side, other)
    share = place - first
    z = _unit(along[first] * (1 - share) + along[after] * share, along[first])
    y = up[first] * (1 - share) + up[after] * share
    y = _unit(y - (y @ z) * z, up[first])
    return strand.at(np.array([place]))[0], np.stack([np.cross(y, z), y, z])


def _up(first: np.ndarray, side: np.ndarray, other: np.ndarray) -> np.ndarray:
    """(r, 3): the sides of least turning that begin as near to the scene's up as they can."""
    wanted = np.array([0.0, 1.0, 0.0]) if abs(first[1]) < 0.999 else np.array([0.0, 0.0, -1.0])
    angle = np.arctan2(wanted @ other[0], wanted @ side[0])
    return np.cos(angle) * side + np.sin(angle) * other


def _unit(v: np.ndarray, otherwise: np.ndarray) -> np.ndarray:
    size = float(np.linalg.norm(v))
    return v / size if size > 1e-12 else otherwise


def _angles(matrix: np.ndarray) -> tuple[float, float, float]:
    """Degrees about X, then Y, then Z that make up a rotation (3, 3). Source: the usual extraction for Z·Y·X."""
    y = np.arcsin(np.clip(-matrix[2, 0], -1.0, 1.0))
    if abs(matrix[2, 0]) < 1 - 1e-12:
        x, z = np.arctan2(matrix[2, 1], matrix[2, 2]), np.arctan2(matrix[1, 0], matrix[0, 0])
    else:  # Z and X turn about one axis
        x, z = np.arctan2(-matrix[1, 2], matrix[1, 1]), 0.0
    return tuple(np.degrees([x, y, z]).tolist())
