"""An object as it is drawn: a mesh as its smooth surface, a line as a curve or as the mesh of its tube."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.core.geometry.carry import Carry
from fictilis.core.geometry.finer import Finer, finer
from fictilis.core.geometry.kinds import WHOLE, Line, Mesh
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.tubes import in_part, tube_mesh, tube_points
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.carried import baked, carried_object
from fictilis.core.scene.deformers import kept_to
from fictilis.core.scene.scene import MorphObject


def as_drawn(obj: MorphObject) -> MorphObject:
    """A line as it is drawn, of degree 1 or as the mesh of its tube, and a mesh as its smooth surface, with all targets;
    another object as it is."""
    fine = finer_of(obj)
    if fine is not None:
        return replace(carried_object(_pinned(obj), fine.carry), surface=None)
    if not isinstance(obj.geometry, Line) or obj.geometry.degree == 1 and obj.geometry.tube is None:
        return obj
    if obj.geometry.tube is not None:
        return _as_tube(obj, obj.geometry)
    curve = drawn(obj.geometry)
    return carried_object(_pinned(obj), Carry(curve.line, curve.matrix, np.zeros(0, np.int64)))


def _pinned(obj: MorphObject) -> MorphObject:
    return replace(obj, deformers=kept_to(obj.deformers, obj.base))


def shown_points(obj: MorphObject, points: np.ndarray, part: tuple[float, float] = WHOLE) -> np.ndarray:
    """Where the points of ``as_drawn`` are while the object's own are at (n, 3): exact for tubes at any mix."""
    smooth = finer_of(obj)
    if smooth is not None:
        return smooth.of(points)
    if not isinstance(obj.geometry, Line):
        return points
    if obj.geometry.tube is not None:
        return tube_points(obj.geometry, points, part)
    fine = drawn(obj.geometry)
    return in_part(fine.line, fine.of(points), part)


def _as_tube(obj: MorphObject, line: Line) -> MorphObject:
    """The mesh of a line's tube; see baked."""
    fine, sides = drawn(line), len(line.tube.profile) if line.tube is not None else 1
    return baked(obj, tube_mesh(line), lambda points: tube_points(line, points), lambda field: np.repeat(fine.of(field), sides))


def finer_of(obj: MorphObject) -> Finer | None:
    """The smooth surface that an object is seen as; None without one, and where its faces allow none."""
    if obj.surface is None or not obj.surface.on or not isinstance(obj.geometry, Mesh) or not obj.geometry.face_count:
        return None
    try:
        return finer(obj.geometry, obj.surface.levels)
    except EditRefused:
        return None  # an operation on the mesh came after
