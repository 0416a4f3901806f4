"""Where the copies of a repeated object stand, and how much later each of them moves."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from fictilis.core.at_frame.drawn import finer_of
from fictilis.core.at_frame.pose import Pose, Posed
from fictilis.core.at_frame.rails import Rail
from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.lines.measuring import Measured
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.normals import face_normals, point_normals
from fictilis.core.geometry.topology import edges
from fictilis.core.ground.affine import placed
from fictilis.core.ground.arrays import extent, frozen, lengths, recent_by_identity
from fictilis.core.scene.repeats import (
    ALL,
    COUNT,
    FACES,
    FROM_POINT,
    GRID,
    LINE,
    MOST_COPIES,
    POINTS,
    RANDOM,
    STEP,
    Repeat,
)
from fictilis.core.scene.scene import MorphObject, Scene

PARTS = 5  # random numbers of each copy: three turns, a size, a delay


class Copies(Struct, frozen=True, eq=False):
    """outer (k or 1, 4, 4) and inner (k or 1, 4, 4) float64: inner, then outer lead from object space to scene space, and
    neither shears; what moves as a whole is outer. delays (k,) float64: by how many frames the mix of each is behind."""

    outer: np.ndarray
    inner: np.ndarray
    delays: np.ndarray

    @property
    def matrices(self) -> np.ndarray:
        """(k, 4, 4): object space to scene space."""
        return self.outer @ self.inner

    def __len__(self) -> int:
        return len(self.delays)


def copies(scene: Scene, obj: MorphObject, frame: float, posed: Posed | None = None) -> Copies:
    """All that an object is seen as at a frame: itself, or its copies. A grid and a ring stand in the object's own space, which
    its transform moves as a whole; on another object each copy has its pivot at a place there, from which its position counts.
    """
    own = Pose(scene, obj, frame, posed).matrix
    if obj.repeated is None:
        return Copies(own[None], np.eye(4)[None], np.zeros(1))
    if obj.repeated.other is None:
        layout = _grid_or_ring(obj)
        return Copies(own[None], layout @ _differing(obj, len(layout)), delays(scene, obj))
    other = Pose(scene, scene.object(obj.repeated.other), frame, posed)
    points = other.points if obj.repeated.way == LINE else other.seen  # on what is seen, not on its cage
    layout = _layout(obj.repeated, other.obj, placed(points, other.matrix))
    own[:3, 3] -= obj.transform.pivot
    return Copies(layout @ own, _differing(obj, len(layout)), delays(scene, obj))


def first_matrix(scene: Scene, obj: MorphObject, frame: float, posed: Posed | None = None) -> np.ndarray:
    """(4, 4): where an object, or the first of its copies, is at a frame."""
    return copies(scene, obj, frame, posed).matrices[0]


def steps_of(base: np.ndarray, repeat: Repeat) -> np.ndarray:
    """(3,) cm from one copy of a grid to the next on each axis, of an object with points (n, 3)."""
    given = np.array(repeat.spacing)
    if repeat.measure == ALL:
        return given / np.maximum(np.array(repeat.counts) - 1, 1)
    return given if repeat.measure == STEP else given * extent(base)


def _layout(repeat: Repeat, other: MorphObject, points: np.ndarray) -> np.ndarray:
    """(k, 4, 4): where copies stand on an ``other`` object; its points (n, 3) are in the scene."""
    if repeat.way == LINE:
        return _on_line(repeat, other, points)
    found = _on_surface(repeat, other, points)
    return found if len(found) else np.eye(4)[None]  # nothing left there to stand on


def _grid_or_ring(obj: MorphObject) -> np.ndarray:
    """(k, 4, 4): where copies stand in the object's own space."""
    assert obj.repeated is not None
    return _grid(obj) if obj.repeated.way == GRID else _ring(obj.repeated)


def _grid(obj: MorphObject) -> np.ndarray:
    assert obj.repeated is not None
    rows = np.indices(obj.repeated.counts[::-1]).reshape(3, -1)[::-1].T  # X runs first, then Y, then Z
    return _moved(rows * steps_of(obj.base, obj.repeated))


def _ring(repeat: Repeat) -> np.ndarray:
    count, whole = repeat.counts[0], abs(repeat.angle) % 360 == 0 and repeat.angle != 0
    angles = np.radians(repeat.angle) * np.arange(count) / max(count if whole else count - 1, 1)
    axis = "xyz".index(repeat.axis)
    turns = _turned(np.stack([angles if k == axis else np.zeros(count) for k in range(3)], axis=1))
    out = np.zeros(3)
    out[(axis + 2) % 3] = repeat.radius
    places = turns @ out
    return _moved(places, turns if repeat.turn else None)


def _on_line(repeat: Repeat, other: MorphObject, points: np.ndarray) -> np.ndarray:
    count, fine, out = repeat.counts[0], drawn(other.line), []
    shown = fine.of(points)
    for strand in range(min(other.line.strand_count, -(-MOST_COPIES // count))):
        values = np.arange(count) / max(count if fine.line.closed[strand] else count - 1, 1)
        places, axes = Rail(Measured(fine.line, shown, strand)).at(values)
        out.append(_moved(places, axes.transpose(0, 2, 1) if repeat.turn else None))
    return np.concatenate(out)[:MOST_COPIES]


def _on_surface(repeat: Repeat, other: MorphObject, points: np.ndarray) -> np.ndarray:
    """(k, 4, 4): on each point or face of an object whose points are at (n, 3), or as a smooth surface those of that."""
    geometry, fine = other.geometry, finer_of(other)
    if fine is not None and len(points) == fine.geometry.point_count:
        first = 0 if repeat.way == POINTS else geometry.point_count + len(edges(geometry))  # its points first, then faces
        rows = slice(first, first + (geometry.point_count if repeat.way == POINTS else geometry.face_count))
        places, normals = points[rows], point_normals(fine.geometry, points)[rows] if repeat.turn else None
    elif repeat.way == FACES:
        places = _centres(geometry, points)
        normals = face_normals(geometry, points) if repeat.turn else None
    else:
        places, normals = points, point_normals(geometry, points) if repeat.turn else None
    return _moved(places[:MOST_COPIES], None if normals is None else up_to(normals[:MOST_COPIES]))


def _centres(geometry: Geometry, points: np.ndarray) -> np.ndarray:
    sizes = np.maximum(geometry.face_sizes, 1)
    full = np.flatnonzero(geometry.face_sizes)
    out = np.zeros((geometry.face_count, 3))
    out[full] = np.add.reduceat(points[geometry.corners], geometry.offsets[:-1][full]) if len(full) else 0.0
    return out / sizes[:, None]


def up_to(normals: np.ndarray) -> np.ndarray:
    """(k, 3, 3): the least rotations that turn Y to unit normals (k, 3); none where a normal is 0.

    Source: the rotation between two vectors, 1 + [v]× + [v]×² / (1 + c); straight down it is half a turn about X.
    """
    x, y, z = normals.T
    share = 1.0 / np.where(y > -1 + 1e-9, 1 + y, 1.0)
    out = np.empty((len(normals), 3, 3))
    out[:, 0] = np.stack([1 - x * x * share, x, -x * z * share], axis=1)
    out[:, 1] = np.stack([-x, y, -z], axis=1)
    out[:, 2] = np.stack([-x * z * share, z, 1 - z * z * share], axis=1)
    out[y <= -1 + 1e-9] = np.diag([1.0, -1.0, -1.0])
    out[lengths(normals) < 0.5] = np.eye(3)
    return out


def _moved(places: np.ndarray, turns: np.ndarray | None = None) -> np.ndarray:
    out = np.tile(np.eye(4), (len(places), 1, 1))
    out[:, :3, 3] = places
    if turns is not None:
        out[:, :3, :3] = turns
    return out


def _turned(angles: np.ndarray) -> np.ndarray:
    """(k, 3, 3): rotations about X, then Y, then Z by angles (k, 3) in radians."""
    (cx, cy, cz), (sx, sy, sz) = np.cos(angles).T, np.sin(angles).T
    rows = [
        [cy * cz, sx * sy * cz - cx * sz, cx * sy * cz + sx * sz],
        [cy * sz, sx * sy * sz + cx * cz, cx * sy * sz - sx * cz],
        [-sy, sx * cy, cx * cy],
    ]
    return np.moveaxis(np.array(rows), 2, 0)


def _draws(repeat: Repeat, count: int) -> np.ndarray:
    """(count, PARTS) in 0…1; more copies leave those of the others."""
    return np.random.default_rng(repeat.seed).random((count, PARTS))


def _differing(obj: MorphObject, count: int) -> np.ndarray:
    """(k, 4, 4) or (1, 4, 4): what copies differ by, about the object's pivot."""
    repeat = obj.repeated
    assert repeat is not None
    if not repeat.turns and not repeat.sizes:
        return np.eye(4)[None]
    draws = 2 * _draws(repeat, count) - 1
    linear = _turned(np.radians(repeat.turns) * draws[:, :3]) * (1 + repeat.sizes * draws[:, 3])[:, None, None]
    pivot = np.array(obj.transform.pivot)
    return _moved(pivot - linear @ pivot, linear)


def delays(scene: Scene, obj: MorphObject) -> np.ndarray:
    """(k,) frames by which the mix of each copy is behind. By place they follow from where the copies stand at rest, on
    the base of another object as it stands without lanes; they do not change while that one moves."""
    repeat, count = obj.repeated, scene.copy_count(obj)
    if repeat is None or not repeat.later or count < 2:
        return np.zeros(count)
    if repeat.order == RANDOM:
        return np.round(_draws(repeat, count)[:, 4] * repeat.later)
    if repeat.order == COUNT:
        return np.linspace(0.0, repeat.later, count)
    return _delays_by_place(obj, scene.object(repeat.other) if repeat.other is not None else None)


@recent_by_identity(2)
def _delays_by_place(obj: MorphObject, other: MorphObject | None) -> np.ndarray:
    repeat = obj.repeated
    assert repeat is not None
    if other is None:
        layout = _grid_or_ring(obj)
    else:
        fine = finer_of(other) if repeat.way != LINE else None
        layout = _layout(repeat, other, placed(other.base if fine is None else fine.of(other.base), other.transform.matrix()))
    places = layout[:, :3, 3]
    far = lengths(places - repeat.origin) if repeat.order == FROM_POINT else places[:, "xyz".index(repeat.order)]
    reach = np.ptp(far)
    out = (far - far.min()) / reach * repeat.later if reach > 1e-9 * max(np.abs(far).max(), 1.0) else np.zeros(len(far))
    return frozen(out, np.float64)
