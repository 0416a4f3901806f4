"""Brushes: what one dab does to the points under it, and the stroke that gathers dabs. Costs follow the dab."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from msgspec import Struct, field

from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.topology import components, neighbours, point_faces, ranges
from fictilis.core.ground.arrays import cached_by_identity
from fictilis.core.ground.parameters import Flag, Parameter, completed
from fictilis.core.scene.scene import Deltas, MorphObject
from fictilis.core.scene.twins import twin_mean
from fictilis.core.shaping.dabs import columns_of, dab, links
from fictilis.core.shaping.mirror import NO_MIRROR, Mirror, reflected

MOST_AROUND = 12  # neighbours of a point, up to which all fit into one table


class Brush(Struct, frozen=True):
    """``size`` is the radius in cm; ``strength`` 0…1; ``own`` are the values of the brush's own parameters, where they are not
    as they begin."""

    kind: str = "push"
    size: float = 10.0
    strength: float = 1.0
    along_surface: bool = True
    profile: str = "smooth"
    mirror: Mirror = NO_MIRROR
    own: Mapping[str, Any] = field(default_factory=dict)


class Under(Struct, frozen=True, eq=False, weakref=True):
    """What lies under a dab: points (3, k) and weights (k,), its centre and mean normal (3,), and the way it is used.

    ``amount`` is strength times pressure; ``goal`` (3, k) is where Erase and Blend lead. An array an axis, as NumPy takes
    several times as long for rows of three.
    """

    stroke: BrushStroke
    indices: np.ndarray
    points: np.ndarray
    weights: np.ndarray
    centre: np.ndarray
    normal: np.ndarray
    amount: float
    invert: bool
    goal: np.ndarray | None

    @property
    def way(self) -> float:
        return -1.0 if self.invert else 1.0


def _push(u: Under) -> np.ndarray:
    return np.outer(u.normal, 0.12 * u.way * u.amount * u.stroke.brush.size * u.weights)


def _within_plane(u: Under) -> np.ndarray:
    """(3, k): the ways to the centre, without their part along the normal."""
    toward = u.centre[:, None] - u.points
    return toward - np.outer(u.normal, u.normal @ toward)


def _pinch(u: Under) -> np.ndarray:
    return 0.25 * u.way * u.amount * u.weights * _within_plane(u)


def _crease(u: Under) -> np.ndarray:
    depth = 0.12 * u.way * u.amount * u.stroke.brush.size * u.weights**2
    return 0.2 * u.amount * u.weights * _within_plane(u) - np.outer(u.normal, depth)


def _flatten(u: Under) -> np.ndarray:
    middle = u.points @ u.weights / u.weights.sum()
    above = u.normal @ (u.points - middle[:, None])
    if u.invert:
        above = np.minimum(above, 0.0)
    elif u.stroke.own["scrape"]:
        above = np.maximum(above, 0.0)
    return np.outer(u.normal, -0.6 * u.amount * u.weights * above)


def _smooth(u: Under) -> np.ndarray:
    toward = neighbour_means(u.stroke.obj.geometry, u.stroke.columns, u.indices) - u.points
    return (-0.4 if u.invert else 0.8) * u.amount * u.weights * toward


def _toward_goal(u: Under) -> np.ndarray:
    assert u.goal is not None
    return 0.7 * u.way * u.amount * u.weights * (u.goal - u.points)


class BrushKind(Struct, frozen=True):
    """``dab(under)`` gives the displacement (3, k) of what lies under a dab; ``parameters`` are what only this brush
    asks for."""

    dab: Callable[[Under], np.ndarray]
    parameters: tuple[Parameter, ...] = ()


BRUSHES: dict[str, BrushKind] = {
    "push": BrushKind(_push),
    "crease": BrushKind(_crease),
    "flatten": BrushKind(_flatten, (Flag("scrape", "Scrape what stands out"),)),
    "smooth": BrushKind(_smooth),
    "pinch": BrushKind(_pinch),
    "erase": BrushKind(_toward_goal),
    "blend": BrushKind(_toward_goal),
}


@cached_by_identity
def _ring(geometry: Geometry) -> tuple[np.ndarray, np.ndarray] | None:
    """The neighbours of each point (m, n), the point itself where it has fewer than m, and their numbers (n,) float64; None
    where a point has too many for such a table."""
    table = neighbours(geometry)
    counts = np.diff(table.starts)
    most = int(counts.max(initial=0))
    if most > MOST_AROUND:
        return None
    out = np.tile(np.arange(geometry.point_count), (most, 1))
    for k in range(most):
        has = np.flatnonzero(counts > k)
        out[k, has] = table.others[table.starts[has] + k]
    return out, counts.astype(np.float64)


def prepare(obj: MorphObject) -> None:
    """Work out what strokes on an object need and what is kept, so that a first one does not wait for it."""
    links(obj)
    components(obj.geometry)
    point_faces(obj.geometry)
    _ring(obj.geometry)


def neighbour_means(geometry: Geometry, columns: np.ndarray, indices: np.ndarray) -> np.ndarray:
    """(c, k): the mean of each of ``columns`` (c, n) over the neighbours of ``indices`` (k,); alone, a point's own value."""
    ring = _ring(geometry)
    if ring is not None:
        table, counts = ring[0].take(indices, axis=1), ring[1].take(indices)
        own, spare = columns.take(indices, axis=1), len(ring[0]) - counts
        sums = np.stack([column.take(table).sum(axis=0) for column in columns])
        return np.where(counts > 0, (sums - spare * own) / np.maximum(counts, 1), own)
    around = neighbours(geometry)
    first, last = around.starts[indices], around.starts[indices + 1]
    many, places = last - first, np.concatenate([[0], np.cumsum(last - first)[:-1]])
    others, alone = around.others[ranges(first, last)], last == first
    out = np.empty((len(columns), len(indices)))
    for row, column in zip(out, columns, strict=True):
        gathered = np.append(column.take(others), 0.0)  # one more, so that a last point alone has a place
        np.divide(np.add.reduceat(gathered, places), np.maximum(many, 1), out=row)
        row[alone] = column[indices[alone]]
    return out


class _Dabs:
    """What strokes of dabs share: the brush, the present points, and what protects from it."""

    def __init__(
        self, obj: MorphObject, points: np.ndarray, normals: np.ndarray | None, brush: Brush, protect: np.ndarray | None
    ) -> None:
        self.obj, self.brush, self.normals, self.protect = obj, brush, normals, protect
        self.columns = columns_of(points)  # (3, n): an array an axis
        self.last = np.zeros(0, np.int64)

    def taken(self, centre: np.ndarray, face_points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Indices (k,) and weights (k,) of what lies under a dab and may change."""
        brush = self.brush
        indices, weights = dab(
            self.obj,
            self.columns.T,
            centre,
            face_points,
            brush.size,
            brush.along_surface,
            brush.profile,
            self.normals,
            self.columns,
        )
        if self.protect is not None:
            weights = weights * self.protect[indices]
            indices, weights = indices[weights > 0], weights[weights > 0]
        return indices, weights


class BrushStroke(_Dabs):
    """The dabs of one stroke on a working copy of the shown points.

    points (n, 3) float64 as shown; normals (n, 3) of them, read at each dab; protect (n,) in 0…1 multiplies every
    dab; goal (n, 3) is needed by Erase and Blend.
    """

    def __init__(
        self, obj: MorphObject, points: np.ndarray, normals: np.ndarray, brush: Brush,
        protect: np.ndarray | None = None, goal: np.ndarray | None = None,
    ) -> None:  # fmt: skip
        super().__init__(obj, points, normals, brush, protect)
        self.columns = self.columns.copy()
        self.shown_normals = normals
        self.start, self.goal = points, None if goal is None else columns_of(goal)
        self.touched = np.zeros(len(points), bool)
        self.own = completed(brush.kind.capitalize(), BRUSHES[brush.kind].parameters, brush.own)

    def dab(
        self, centre: np.ndarray, face_points: np.ndarray, pressure: float = 1.0, invert: bool = False, smooth: bool = False
    ) -> np.ndarray:
        """One dab at ``centre`` (3,), on the face with ``face_points``; returns the sorted points it moved."""
        brush = self.brush
        indices, weights = self.taken(centre, face_points)
        if not len(indices):
            self.last = indices
            return indices
        indices, weights = self._facing(indices, weights)
        kind = "smooth" if smooth else brush.kind
        normal = weights @ self.shown_normals.take(indices, axis=0)
        length = float(np.linalg.norm(normal))
        goal = None if self.goal is None else self.goal.take(indices, axis=1)
        under = Under(self, indices, self.columns.take(indices, axis=1), weights, centre,
                      normal / length if length else np.zeros(3), brush.strength * pressure, invert, goal)  # fmt: skip
        moved = BRUSHES[kind].dab(under)
        if brush.mirror.axes:
            indices, weights, rows = reflected(self.obj, indices, weights, moved.T, brush.mirror)
            moved = rows.T
        for column, way in zip(self.columns, twin_mean(self.obj, indices, moved.T).T, strict=True):
            column[indices] += way
        self.touched[indices] = True
        self.last = indices
        return indices

    def _facing(self, indices: np.ndarray, weights: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Through space a dab leaves alone what faces away from it: the far side of a thin part."""
        if self.brush.along_surface or not self.obj.geometry.face_count:
            return indices, weights
        normals = self.shown_normals[indices]
        weights = weights * np.clip(0.5 + normals @ normals[np.argmax(weights)], 0.0, 1.0)
        return indices[weights > 0], weights[weights > 0]

    @property
    def points(self) -> np.ndarray:
        """(n, 3) float64: the shape as it is by now."""
        return self.columns.T

    def moved(self) -> Deltas:
        """What the stroke has moved so far."""
        indices = np.flatnonzero(self.touched)
        return Deltas(indices, self.points[indices] - self.start.take(indices, axis=0))


class MaskStroke(_Dabs):
    """The dabs of a stroke on a target's mask (n,): toward 0, with ``invert`` toward 1, with ``smooth`` evened out."""

    def __init__(self, obj: MorphObject, points: np.ndarray, mask: np.ndarray | None, brush: Brush,
                 protect: np.ndarray | None = None, normals: np.ndarray | None = None) -> None:  # fmt: skip
        super().__init__(obj, points, normals, brush, protect)
        self.mask = np.ones(len(points)) if mask is None else mask.copy()

    def dab(
        self, centre: np.ndarray, face_points: np.ndarray, pressure: float = 1.0, invert: bool = False, smooth: bool = False
    ) -> np.ndarray:
        brush = self.brush
        indices, weights = self.taken(centre, face_points)
        for _, pairs in brush.mirror.pairs(self.obj):
            there = pairs[indices]
            both, place = np.unique(np.concatenate([indices, there[there >= 0]]), return_inverse=True)
            every = np.concatenate([weights, weights[there >= 0]])
            weights = np.zeros(len(both))
            np.maximum.at(weights, place, every)
            indices = both
        goal = neighbour_means(self.obj.geometry, self.mask[None], indices)[0] if smooth else float(invert)
        amount = np.clip(0.5 * brush.strength * pressure * weights, 0.0, 1.0)
        self.mask[indices] += (goal - self.mask[indices]) * amount
        self.last = indices
        return indices


def grab_weights(
    obj: MorphObject, points: np.ndarray, centre: np.ndarray, face_points: np.ndarray, brush: Brush,
    protect: np.ndarray | None = None, normals: np.ndarray | None = None, columns: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Indices (k,) and weights (k,) of what a Grab at ``centre`` takes along. ``normals``, ``columns``: see dab."""
    indices, weights = dab(obj, points, centre, face_points, brush.size, brush.along_surface, brush.profile, normals, columns)
    weights = weights * brush.strength
    return (indices, weights) if protect is None else (indices, weights * protect[indices])
