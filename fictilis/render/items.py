"""What a picture is made of: its items, their cloth, the light and the background."""

from __future__ import annotations

from collections.abc import Hashable

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.geometry.finer import Finer
from fictilis.core.geometry.kinds import WHOLE, Geometry, Line
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.tubes import opened_tube_mesh, tube_mesh, tube_points
from fictilis.core.geometry.normals import normals_of_many, point_normals
from fictilis.core.geometry.topology import triangles

SWIFT_DOTS = 30_000  # picked points in a picture that is gone in a moment
PLUM = "#46163F"
ALMOST = (0.0, 1.0 - 1e-7)  # a closed strand drawn whole where others are not
DEEP = "#1D4E63"  # the other end of a tint that goes both ways


class Cloth(Struct, frozen=True, eq=False, weakref=True):
    """A texture laid over a mesh: coordinates (3t, 2) float32 of the triangles' corners, nan where there are none.

    ``image`` (h, w, 3) uint8, its top row first, or None for a checker of ``tiles`` fields.
    """

    coordinates: np.ndarray
    image: np.ndarray | None = None
    tiles: float = 16.0


class Many(Struct, eq=False):
    """Further copies of an item: matrices (k, 4, 4) to the scene, and poses (k,), the row of each in points and normals
    (p, n, 3) float32 and tint (p, n) float32 or None; of a line each pose is drawn in a part. ``revision`` is another whenever
    any of it differs."""

    matrices: np.ndarray
    poses: np.ndarray
    points: np.ndarray
    normals: np.ndarray
    revision: object
    parts: tuple[tuple[float, float], ...] = ()
    tint: np.ndarray | None = None


class DrawItem(Struct, eq=False):
    """One object in a picture.

    key names its place among the buffers; ``revision`` changes whenever points, normals, tint or marks do.
    A line is ``drawn`` in part, and as a surface where it has a tube.
    points, normals : (n, 3) float32; tint : (n,) float32 in -1…1 or None; marks : (n,) float32, above 0.5 is marked.
    A cage with a ``finer`` surface is drawn as that, with its own edges and points over it; ``fine`` (n', 3) float32 are the
    surface's points where they are no means of the cage's.
    edge_marks : (k,) numbers of edges that are drawn in the colour of marked points; cloth : a texture, or None. ``many`` are
    further copies, which have its look. ``relief`` is its part of the light's.
    """

    key: Hashable
    geometry: Geometry
    points: np.ndarray
    normals: np.ndarray
    matrix: np.ndarray
    revision: object = None
    colour: str = "#CC8C70"
    tint: np.ndarray | None = None
    tint_colour: str = PLUM
    low_colour: str = DEEP
    smooth: bool = True
    alpha: float = 1.0
    wire: str | None = None
    marks: np.ndarray | None = None
    point_colours: tuple[str | None, str] | None = None
    edge_marks: np.ndarray | None = None
    cloth: Cloth | None = None
    drawn: tuple[float, float] = WHOLE
    many: Many | None = None
    finer: Finer | None = None
    fine: np.ndarray | None = None
    relief: float = 0.5
    measured: bool = True  # its tint says numbers, and is drawn as a legend has it

    @property
    def tells(self) -> bool:
        """Whether its colours say numbers: they are drawn without relief, gloss and shade."""
        return self.measured and self.tint is not None

    @property
    def triangle_count(self) -> int:
        """With its copies."""
        geometry = self.geometry if self.finer is None else self.finer.geometry
        return len(triangles(geometry).points) * (1 if self.many is None else 1 + len(self.many.matrices))


def smooth_item(item: DrawItem, number: int = 0) -> DrawItem:
    """A cage as its smooth surface; ``number`` is another one for each that is made."""
    fine, many = item.finer, item.many
    if fine is None:
        return item
    mesh, points = fine.geometry, fine.of(item.points) if item.fine is None else item.fine
    if many is not None:
        shapes = np.stack([fine.of(shape) for shape in many.points]) if len(many.points) else many.points
        tint = None if many.tint is None else np.stack([fine.of(row.astype(np.float32)) for row in many.tint])
        many = replace(many, points=shapes, normals=normals_of_many(mesh, shapes), tint=tint, revision=number)
    tint = None if item.tint is None else fine.of(item.tint.astype(np.float32))
    return replace(
        item, many=many, key=("smooth", item.key), geometry=mesh, points=points, normals=normals_of_many(mesh, points[None])[0],
        revision=number, tint=tint, wire=None, marks=None, point_colours=None, edge_marks=None, finer=None, fine=None,
    )  # fmt: skip


def tube_item(item: DrawItem, number: int = 0) -> DrawItem:
    """A line with a tube as its surface; ``number`` is another one for each that is made."""
    line = item.geometry
    if not isinstance(line, Line) or line.tube is None:
        return item
    opened = any(part != WHOLE for part in (item.drawn, *(item.many.parts if item.many is not None else ())))
    mesh = opened_tube_mesh(line) if opened else tube_mesh(line)

    def surface(points: np.ndarray, part: tuple[float, float]) -> np.ndarray:
        return tube_points(line, points, ALMOST if opened and part == WHOLE else part).astype(np.float32)

    points = surface(item.points, item.drawn)
    tint = None if item.tint is None else np.repeat(drawn(line).of(item.tint.astype(np.float32)), len(line.tube.profile))
    many = item.many
    if many is not None:
        shapes = [surface(p, part) for p, part in zip(many.points, many.parts, strict=True)]
        every = np.array(shapes)
        many = replace(many, points=every, normals=normals_of_many(mesh, every), revision=number, tint=None)
    return replace(
        item, many=many, key=("tube", item.key), geometry=mesh, points=points, normals=point_normals(mesh, points),
        revision=number, tint=tint, wire=None, marks=None, point_colours=None, edge_marks=None, cloth=None,
    )  # fmt: skip


class Backdrop(Struct, frozen=True, eq=False, weakref=True):
    """A picture (h, w, 4) uint8 on the background: left, top, width and height in parts of the view's, and its opacity 0…1."""

    image: np.ndarray
    place: tuple[float, float, float, float]
    opacity: float = 1.0
