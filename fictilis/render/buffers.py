"""What the graphics side keeps of what is drawn."""

from __future__ import annotations

from functools import cached_property
from typing import Any, Protocol

import moderngl
import numpy as np

from fictilis.core.geometry.kinds import Geometry, Line
from fictilis.core.geometry.topology import edges, is_closed, triangles
from fictilis.core.ground.arrays import box
from fictilis.render.coarse import Coarse
from fictilis.render.items import SWIFT_DOTS, DrawItem, Many
from fictilis.render.programs import Programs
from fictilis.render.strands import Strands

WIDE = 4096  # texels in a row of poses


class Drawer(Protocol):
    """What a renderer draws with."""

    ctx: moderngl.Context
    clay: Programs  # by whether they are plain
    copies: Programs

    @property
    def plain(self) -> Any: ...
    @property
    def ribbon(self) -> Any: ...


class Buffers:
    """What the graphics side keeps of one item."""

    def __init__(self, renderer: Drawer, item: DrawItem) -> None:
        ctx, count = renderer.ctx, len(item.points)
        self.geometry = item.geometry
        self.revision: object = None
        self.position = ctx.buffer(reserve=max(12 * count, 12), dynamic=True)
        self.normal = ctx.buffer(reserve=max(12 * count, 12), dynamic=True)
        self.tint = ctx.buffer(reserve=max(4 * count, 4), dynamic=True)
        self.mark = ctx.buffer(reserve=max(4 * count, 4), dynamic=True)
        self.triangles = ctx.buffer(np.ascontiguousarray(triangles(item.geometry).points, np.int32).tobytes() or b"\0" * 12)
        self.empty = not len(triangles(item.geometry).points)
        self._surfaces: dict[tuple[bool, int], Any] = {}
        self._halved: dict[int, Any] = {}
        self.coarse = Coarse(item.geometry, item.points)
        plain = [(self.position, "3f", "position"), (self.mark, "1f", "mark")]
        self._plain, self._renderer = plain, renderer
        self._wire: Any = None
        self._edges: Any = None
        self._laid: tuple[Any, ...] | None = None
        self._marked: tuple[Any, ...] | None = None
        self._picked: tuple[Any, ...] | None = None
        line = item.geometry
        self.strands = Strands(ctx, renderer.ribbon, line) if isinstance(line, Line) else None
        self._outward: bool | None = None

    @cached_property
    def points(self):
        return self._renderer.ctx.vertex_array(self._renderer.plain, self._plain)

    def turned_out(self, item: DrawItem, eye: np.ndarray) -> bool:
        """Whether the item is a closed surface, its faces turned outward, seen from outside, and so is each of its copies."""
        if self._outward is None:
            self._outward = is_closed(self.geometry) and volume(self.geometry, item.points) > 0
        if not self._outward:
            return False
        matrices, (low, high) = item.matrix[None], box(item.points)
        if item.many is not None:
            matrices, others = np.concatenate([matrices, item.many.matrices]), box(item.many.points.reshape(-1, 3))
            low, high = np.minimum(low, others[0]), np.maximum(high, others[1])
        if (np.linalg.det(matrices[:, :3, :3]) <= 0).any():
            return False
        here = np.linalg.solve(matrices, np.append(eye, 1.0)[:, None])[:, :3, 0]
        margin = 0.1 * float((high - low).max())
        return not ((here > low - margin) & (here < high + margin)).all(axis=1).any()

    def surface(self, plain: bool, level: int = 0):
        """The faces, as a vertex array; ``plain`` ones are not tinted, those of a ``level`` are fewer once that is made."""
        corners = self.coarse.corners(level) if level else None
        key = (plain, level if corners is not None else 0)
        if key not in self._surfaces:
            parts = [(self.position, "3f", "position"), (self.normal, "3f", "normal"), (self.tint, "1f", "tint")]
            if corners is not None and level not in self._halved:
                self._halved[level] = self._renderer.ctx.buffer(corners.tobytes() or b"\0" * 12)
            order = self.triangles if corners is None else self._halved[level]
            self._surfaces[key] = self._renderer.ctx.vertex_array(self._renderer.clay[plain], parts[: 2 if plain else 3], order)
        return self._surfaces[key]

    @property
    def wire(self):
        if self._wire is None:
            data = np.ascontiguousarray(edges(self.geometry), np.int32)
            self._edges = self._renderer.ctx.buffer(data.tobytes() or b"\0" * 8)
            self._wire = self._renderer.ctx.vertex_array(self._renderer.plain, self._plain, self._edges)
        return self._wire

    def marked(self, item: DrawItem):
        """The marked edges as a vertex array, made anew when they are others."""
        if self._marked is None or self._marked[0] is not item.edge_marks:
            self._release(self._marked)
            data = np.ascontiguousarray(edges(self.geometry)[item.edge_marks], np.int32)
            buffer = self._renderer.ctx.buffer(data.tobytes())
            array = self._renderer.ctx.vertex_array(self._renderer.plain, self._plain, buffer)
            self._marked = (item.edge_marks, array, buffer)
        return self._marked[1]

    def picked(self, item: DrawItem) -> tuple[Any, int]:
        """The marked points as a vertex array, and how many; the first of them are spread over all. Made anew when they are
        others."""
        if self._picked is None or self._picked[0] is not item.marks:
            self._release(self._picked)
            found = np.flatnonzero(item.marks) if item.marks is not None else np.zeros(0, np.int64)
            step = len(found) // SWIFT_DOTS + 1
            order = np.concatenate([found[n::step] for n in range(step)]).astype(np.int32)
            buffer = self._renderer.ctx.buffer(order.tobytes() or b"\0" * 4)
            array = self._renderer.ctx.vertex_array(self._renderer.plain, self._plain, buffer)
            self._picked = (item.marks, array, buffer)
            self._picked_count = len(order)
        return self._picked[1], self._picked_count

    def clothed(self, item: DrawItem):
        """A vertex array with every triangle's corners apart, each with texture coordinates of its own."""
        ctx, cloth = self._renderer.ctx, item.cloth
        assert cloth is not None
        corners = triangles(self.geometry).points.ravel()
        if self._laid is None or self._laid[0] is not cloth:
            self._release(self._laid)
            parts = [ctx.buffer(reserve=4 * width * len(corners), dynamic=True) for width in (3, 3, 1)]
            place = ctx.buffer(np.ascontiguousarray(cloth.coordinates, np.float32).tobytes())
            texture = None
            if cloth.image is not None:
                texture = image_texture(ctx, cloth.image)
            names = zip(parts, ("3f", "3f", "1f"), ("position", "normal", "tint"), strict=True)
            array = ctx.vertex_array(self._renderer.clay[False], [*names, (place, "2f", "coordinate")])
            self._laid = (cloth, array, *parts, place, texture)
            self._clothed_revision = None
        if self._clothed_revision is None or self._clothed_revision != item.revision:
            tint = np.zeros(len(item.points), np.float32) if item.tint is None else item.tint.astype(np.float32, copy=False)
            for buffer, values in zip(self._laid[2:5], (item.points, item.normals, tint), strict=True):
                buffer.write(np.ascontiguousarray(values[corners]))
            self._clothed_revision = item.revision
        return self._laid[1], self._laid[6]

    @staticmethod
    def _release(kept: tuple | None) -> None:
        for part in (kept or ())[1:]:
            if part is not None:
                part.release()

    def fill(self, item: DrawItem) -> None:
        if self.revision is not None and self.revision == item.revision:
            return
        for array in (item.points, item.normals):
            if array.dtype != np.float32:
                raise TypeError(f"pictures take float32, got {array.dtype}: convert with .astype(np.float32)")
        self.revision = item.revision
        zeros = np.zeros(len(item.points), np.float32)
        parts = (
            (self.position, item.points),
            (self.normal, item.normals),
            (self.tint, zeros if item.tint is None else item.tint.astype(np.float32, copy=False)),
            (self.mark, zeros if item.marks is None else item.marks.astype(np.float32, copy=False)),
        )
        for buffer, array in parts:
            if array.size:
                buffer.write(np.ascontiguousarray(array))
        if self.strands is not None:
            self.strands.fill(item.points, item.tint, item.drawn)

    def release(self) -> None:
        arrays = (*self._surfaces.values(), *self._halved.values(), vars(self).get("points"), self._wire, self._edges)
        for part in (*arrays, self.triangles, self.position, self.normal, self.tint, self.mark):
            if part is not None:
                part.release()
        if self.strands is not None:
            self.strands.release()
        self._release(self._laid)
        self._release(self._marked)
        self._release(self._picked)


class CopyBuffers:
    """What the graphics side keeps of the copies of one item: their poses as two textures, and where they stand."""

    def __init__(self, renderer: Drawer, item: DrawItem) -> None:
        self._renderer, self.geometry, self.cloth = renderer, item.geometry, item.cloth
        self.revision: object = None
        ctx, corners = renderer.ctx, np.ascontiguousarray(triangles(item.geometry).points, np.int32)
        self._parts: list[Any] = []
        self._textures: list[Any] = []
        self._rows: list[np.ndarray] = []
        self._stands: Any = None
        self._arrays: dict[tuple[bool, int], Any] = {}
        self._halved: dict[int, Any] = {}
        self.image: Any = None
        if item.cloth is None:
            self._order = self._keep(ctx.buffer(corners.tobytes() or b"\0" * 12))
            point = np.arange(item.geometry.point_count, dtype=np.int32)
            self._mesh: list[tuple[Any, ...]] = [(self._keep(ctx.buffer(point.tobytes() or b"\0" * 4)), "1i", "point")]
            return
        self._order = None
        place = np.ascontiguousarray(item.cloth.coordinates, np.float32)
        self._mesh = [
            (self._keep(ctx.buffer(corners.tobytes())), "1i", "point"),
            (self._keep(ctx.buffer(place.tobytes())), "2f", "coordinate"),
        ]
        if item.cloth.image is not None:
            self.image = self._keep(image_texture(ctx, item.cloth.image))

    def _keep(self, part: Any) -> Any:
        self._parts.append(part)
        return part

    def fill(self, many: Many) -> None:
        if self.revision is not None and self.revision == many.revision:
            return
        self.revision = many.revision
        ctx, count = self._renderer.ctx, many.points.shape[0] * many.points.shape[1]
        height = max(-(-count // WIDE), 1)
        size = (min(max(count, 1), WIDE), height)
        if not self._textures or self._textures[0].size != size:
            for texture in self._textures:
                texture.release()
            self._textures = [ctx.texture(size, 4, dtype="f4") for _ in range(2)]
            self._rows = [np.zeros((size[0] * height, 4), np.float32) for _ in range(2)]
            for texture in self._textures:
                texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        parts = zip(self._textures, self._rows, (many.points, many.normals), (many.tint, None), strict=True)
        for texture, full, rows, fourth in parts:
            full[:count, :3] = rows.reshape(-1, 3)
            full[:count, 3] = 0.0 if fourth is None else fourth.ravel()
            texture.write(full)
        rows = np.ascontiguousarray(many.matrices[:, :3], np.float32).reshape(-1, 12).view(np.int32)
        data = np.ascontiguousarray(np.concatenate([rows, many.poses[:, None].astype(np.int32)], axis=1))
        if self._stands is None or self._stands.size != data.nbytes:
            self._release_stands()
            self._stands = ctx.buffer(data.tobytes(), dynamic=True)
        else:
            self._stands.write(data)

    def _release_stands(self) -> None:
        for part in (*self._arrays.values(), self._stands):
            if part is not None:
                part.release()
        self._arrays.clear()

    def render(self, many: Many, plain: bool, coarse: np.ndarray | None = None, level: int = 0) -> None:
        """Draw them all; by the ``coarse`` corners of a level where they are there."""
        program = self._renderer.copies[plain]
        key = (plain, 0 if coarse is None else level)
        if coarse is not None and level not in self._halved:
            self._halved[level] = self._keep(self._renderer.ctx.buffer(coarse.tobytes() or b"\0" * 12))
        if key not in self._arrays:
            stands = (self._stands, "4f 4f 4f 1i/i", "row_x", "row_y", "row_z", "pose")
            order = self._order if coarse is None else self._halved[level]
            self._arrays[key] = self._renderer.ctx.vertex_array(program, [*self._mesh, stands], order)
        for unit, texture in enumerate(self._textures, 1):
            texture.use(unit)
        program["count"].value = many.points.shape[1]
        self._arrays[key].render(moderngl.TRIANGLES, instances=len(many.matrices))

    def release(self) -> None:
        self._release_stands()
        for part in (*self._parts, *self._textures):
            part.release()


def volume(geometry: Geometry, points: np.ndarray) -> float:
    """What a closed surface with points (n, 3) holds; below 0 where its faces are turned inward.

    Source: the divergence theorem."""
    a, b, c = (points[column].astype(np.float64) for column in triangles(geometry).points.T)
    return float(np.einsum("ij,ij->", a, np.cross(b, c))) / 6


def image_texture(ctx: moderngl.Context, image: np.ndarray) -> Any:
    """A texture of an image (h, w, 3) uint8."""
    height, width = image.shape[:2]
    texture = ctx.texture((width, height), 3, np.ascontiguousarray(image).tobytes(), alignment=1)
    texture.build_mipmaps()
    return texture
