"""The renderer: draw items in, pixels out. Pictures come with their top row first."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Hashable, Sequence
from itertools import count
from pathlib import Path
from typing import Any

import moderngl
import numpy as np

from fictilis.core.affine import rgb
from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.topology import edges, triangles
from fictilis.render.camera import Camera
from fictilis.render.context import off_screen
from fictilis.render.items import DrawItem, Ground, Light, tube_item
from fictilis.render.strands import LEAST_WIDTH, Strands

SHADERS = Path(__file__).parent / "shaders"
KEPT_BUFFERS = 160


class _Buffers:
    """What the graphics side keeps of one item."""

    def __init__(self, renderer: Renderer, item: DrawItem) -> None:
        ctx, count = renderer.ctx, len(item.points)
        self.geometry = item.geometry
        self.revision: object = None
        self.position = ctx.buffer(reserve=max(12 * count, 12), dynamic=True)
        self.normal = ctx.buffer(reserve=max(12 * count, 12), dynamic=True)
        self.tint = ctx.buffer(reserve=max(4 * count, 4), dynamic=True)
        self.mark = ctx.buffer(reserve=max(4 * count, 4), dynamic=True)
        self.triangles = ctx.buffer(np.ascontiguousarray(triangles(item.geometry).points, np.int32).tobytes() or b"\0" * 12)
        self.empty = not len(triangles(item.geometry).points)
        self.surface = ctx.vertex_array(
            renderer.clay,
            [(self.position, "3f", "position"), (self.normal, "3f", "normal"), (self.tint, "1f", "tint")],
            self.triangles,
        )
        plain = [(self.position, "3f", "position"), (self.mark, "1f", "mark")]
        self.points = ctx.vertex_array(renderer.plain, plain)
        self._plain, self._renderer = plain, renderer
        self._wire: Any = None
        self._edges: Any = None
        self._laid: tuple[Any, ...] | None = None
        self._marked: tuple[Any, ...] | None = None
        line = item.geometry
        self.strands = Strands(ctx, renderer.ribbon, line) if isinstance(line, Line) else None

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

    def clothed(self, item: DrawItem):
        """A vertex array with every triangle's corners apart, each with texture coordinates of its own."""
        ctx, cloth = self._renderer.ctx, item.cloth
        corners = triangles(self.geometry).points.ravel()
        if self._laid is None or self._laid[0] is not cloth:
            self._release(self._laid)
            parts = [ctx.buffer(reserve=4 * width * len(corners), dynamic=True) for width in (3, 3, 1)]
            place = ctx.buffer(np.ascontiguousarray(cloth.coordinates, np.float32).tobytes())
            texture = None
            if cloth.image is not None:
                height, width = cloth.image.shape[:2]
                texture = ctx.texture((width, height), 3, np.ascontiguousarray(cloth.image).tobytes(), alignment=1)
                texture.build_mipmaps()
            names = zip(parts, ("3f", "3f", "1f"), ("position", "normal", "tint"), strict=True)
            array = ctx.vertex_array(self._renderer.clay, [*names, (place, "2f", "coordinate")])
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
        for part in (self.surface, self.points, self._wire, self._edges, self.triangles, self.position, self.normal,
                     self.tint, self.mark):  # fmt: skip
            if part is not None:
                part.release()
        if self.strands is not None:
            self.strands.release()
        self._release(self._laid)
        self._release(self._marked)


class _Frame:
    """A picture's surfaces of one size, and its ready ground."""

    def __init__(self, ctx, width: int, height: int) -> None:
        self.size = (width, height)
        self.colour = ctx.texture((width, height), 4)
        self.depth = ctx.depth_texture((width, height))
        self.fbo = ctx.framebuffer([self.colour], self.depth)
        self.ground_colour = ctx.texture((width, height), 4)
        self.ground = ctx.framebuffer([self.ground_colour])
        self.ground_is: Ground | None = None

    def release(self) -> None:
        for part in (self.fbo, self.ground, self.colour, self.depth, self.ground_colour):
            part.release()


class Renderer:
    """Owns the off-screen context. Use it from one thread only."""

    def __init__(self) -> None:
        self.ctx = off_screen()
        self.clay = self._program("clay.vert", "clay.frag")
        self.plain = self._program("plain.vert", "plain.frag")
        self.ribbon = self._program("line.vert", "line.frag", "line.geom")
        self._ground = self._program("ground.vert", "ground.frag")
        self._shrink = self._program("ground.vert", "shrink.frag")
        corners = self.ctx.buffer(np.array([-1, -1, 3, -1, -1, 3], np.float32).tobytes())
        self._ground_pass = self.ctx.vertex_array(self._ground, [(corners, "2f", "corner")])
        self._shrink_pass = self.ctx.vertex_array(self._shrink, [(corners, "2f", "corner")])
        self._buffers: OrderedDict[Hashable, _Buffers] = OrderedDict()
        self._frames: OrderedDict[tuple[int, int], _Frame] = OrderedDict()
        self._last: _Frame | None = None
        self._tubes: OrderedDict[Hashable, tuple[tuple, DrawItem]] = OrderedDict()
        self._made = count()
        self._begun: tuple[tuple, list[tuple]] | None = None  # a picture that is not finished: of what, and which items
        self._pixel = 1.0  # of 1 cm, one before the eye
        self.unfinished = False
        self.light = Light()

    def _program(self, vertex: str, fragment: str, geometry: str | None = None):
        texts = [None if name is None else (SHADERS / name).read_text() for name in (vertex, fragment, geometry)]
        return self.ctx.program(vertex_shader=texts[0], fragment_shader=texts[1], geometry_shader=texts[2])

    def draw(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, ground: Ground = Ground(),
        fine: bool = False, into: bytearray | None = None, seconds: float = np.inf,
    ) -> np.ndarray:  # fmt: skip
        """A picture (height, width, 4) uint8, RGBA; with ``fine`` drawn at double size and shrunk.

        ``into`` is a buffer of that size to write to instead of a new one. After ``seconds`` no further item is begun:
        ``unfinished`` says so, and the next call for the same picture goes on where this one stopped.
        """
        width, height = max(int(width), 1), max(int(height), 1)
        out = bytearray(4 * width * height) if into is None else into
        with self.ctx:  # another renderer of this thread may have been current
            self._draw(items, camera, width, height, ground, fine, out, seconds)
        return np.frombuffer(out, np.uint8).reshape(height, width, 4)

    def _draw(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, ground: Ground, fine: bool, out: bytearray,
        seconds: float,
    ) -> None:  # fmt: skip
        factor = 2 if fine and max(width, height) * 2 <= 8192 else 1
        frame = self._frame(width * factor, height * factor)
        items = sorted((item for item in items if item.alpha > 0), key=lambda item: item.alpha < 1)
        marks = [(i.key, i.revision, i.matrix.tobytes(), i.alpha, i.wire, i.point_colours, i.drawn) for i in items]
        picture = (frame, camera, ground, self.light)
        done = len(self._begun[1]) if self._begun is not None else 0
        if self._begun is None or self._begun[0] != picture or self._begun[1] != marks[:done] or done >= len(marks):
            done = 0  # another picture, or the same one again
            self._paint_ground(frame, ground)
            frame.fbo.clear(depth=1.0)
            self.ctx.copy_framebuffer(frame.fbo, frame.ground)
        frame.fbo.use()
        done += self._draw_items(items[done:], camera, width, height, factor, seconds)
        self.unfinished = done < len(items)
        self._begun = (picture, marks[:done]) if self.unfinished else None
        source = frame
        if factor == 2:
            source = self._frame(width, height)
            source.fbo.use()
            self.ctx.disable(moderngl.DEPTH_TEST | moderngl.BLEND)
            frame.colour.filter = (moderngl.LINEAR, moderngl.LINEAR)
            frame.colour.use(0)
            self._shrink_pass.render(moderngl.TRIANGLES, vertices=3)
        self._last = frame
        source.fbo.read_into(out, components=4)

    def depth(self) -> np.ndarray:
        """(h, w) float32 depths in 0…1 of the last picture, at the size it was drawn."""
        if self._last is None:
            raise ValueError("no picture was drawn yet")
        width, height = self._last.size
        with self.ctx:
            data = self._last.depth.read()
        return np.frombuffer(data, np.float32).reshape(height, width)

    def _frame(self, width: int, height: int) -> _Frame:
        key = (width, height)
        if key not in self._frames:
            self._frames[key] = _Frame(self.ctx, width, height)
            while len(self._frames) > 6:
                oldest = next(iter(self._frames))
                gone = self._frames.pop(oldest)
                if gone is self._last:
                    self._last = None
                gone.release()
        self._frames.move_to_end(key)
        return self._frames[key]

    def _paint_ground(self, frame: _Frame, ground: Ground) -> None:
        if frame.ground_is == ground:
            return
        frame.ground.use()
        self.ctx.disable(moderngl.DEPTH_TEST | moderngl.BLEND)
        self._ground["top"].value, self._ground["bottom"].value = rgb(ground.top), rgb(ground.bottom)
        self._ground_pass.render(moderngl.TRIANGLES, vertices=3)
        frame.ground_is = ground

    def _draw_items(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, factor: int, seconds: float
    ) -> int:  # fmt: skip
        """Draws items until the time is over; how many."""
        end = time.perf_counter() + seconds
        flip = np.diag([1.0, -1.0, 1.0, 1.0])  # rows of the picture run down
        matrix = (flip @ camera.projection(width, height) @ camera.view()).T.astype("f4").tobytes()
        right, up, back = camera.axes()
        light = self.light.direction() @ np.stack([right, up, back])
        for program in (self.clay, self.plain, self.ribbon):
            program["view_projection"].write(matrix)
        self.ribbon["pixels"].value = (float(width * factor), float(height * factor))
        self._pixel = abs(camera.projection(width, height)[1, 1]) * height * factor / 2
        self.clay["key_light"].value = tuple(light / np.linalg.norm(light))
        self.clay["strength"].value = self.light.strength
        self.clay["eye"].value = tuple(camera.position())
        self.clay["back"].value = tuple(back)
        self.clay["parallel_view"].value = float(camera.parallel)
        self.ctx.enable(moderngl.DEPTH_TEST)
        self.ctx.enable(moderngl.PROGRAM_POINT_SIZE)
        waits = np.isfinite(seconds)
        for number, item in enumerate(items, 1):
            self._draw_item(item, factor)
            if waits and len(items) > 1:
                self.ctx.finish()  # what was asked for is drawn only then
                if time.perf_counter() > end:
                    return number
        return len(items)

    def forget(self) -> None:
        """Release what is kept of the items drawn so far."""
        self._tubes.clear()
        with self.ctx:
            while self._buffers:
                self._buffers.popitem()[1].release()

    def forget_frames(self) -> None:
        """Release the surfaces of pictures; those of a large one take tens of megabytes."""
        with self.ctx:
            while self._frames:
                self._frames.popitem()[1].release()
        self._last = self._begun = None

    def _draw_item(self, item: DrawItem, factor: int) -> None:
        buffers = self._buffers.get(item.key)
        if buffers is not None and (buffers.geometry is not item.geometry):
            self._buffers.pop(item.key).release()
            buffers = None
        if buffers is None:
            buffers = self._buffers[item.key] = _Buffers(self, item)
            while len(self._buffers) > KEPT_BUFFERS:
                self._buffers.popitem(last=False)[1].release()
        self._buffers.move_to_end(item.key)
        buffers.fill(item)
        model = item.matrix.T.astype("f4").tobytes()
        self.clay["model"].write(model)
        self.clay["colour"].value, self.clay["tint_colour"].value = rgb(item.colour), rgb(item.tint_colour)
        self.clay["low_colour"].value = rgb(item.low_colour)
        self.clay["flat_shading"].value, self.clay["alpha"].value = float(not item.smooth), item.alpha
        if item.alpha < 1:
            self.ctx.enable(moderngl.BLEND)
            self.ctx.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA
        else:
            self.ctx.disable(moderngl.BLEND)
        # a ghost lies just behind what it shares a place with
        self.ctx.polygon_offset = (1.0, 4.0) if item.alpha < 1 else (0.0, 0.0)
        if not buffers.empty:
            if item.alpha < 1:  # depth first, so that only what is in front shines through, not every layer behind it
                fbo = self.ctx.fbo
                for seen in (False, True):
                    fbo.color_mask = (seen,) * 4
                    fbo.use()  # which is when the mask takes hold
                    if not seen:
                        self._draw_surface(item, buffers)
                self.ctx.depth_func = "<="
            self._draw_surface(item, buffers)
            self.ctx.depth_func = "<"
        self.ctx.polygon_offset = (0.0, 0.0)
        if isinstance(item.geometry, Line) and item.geometry.tube is not None:
            self._draw_item(self._tube(item), factor)
            self.plain["model"].write(model)
        elif buffers.strands is not None:
            self._draw_line(item, buffers.strands, model, factor)
        if item.wire or item.point_colours:
            inside = (
                isinstance(item.geometry, Line) and item.geometry.tube is not None
            )  # a tube hides the points it is led along
            if inside:
                self.ctx.disable(moderngl.DEPTH_TEST)
            self._draw_plain(item, buffers, model, factor)
            if inside:
                self.ctx.enable(moderngl.DEPTH_TEST)

    def _draw_surface(self, item: DrawItem, buffers: _Buffers) -> None:
        if item.cloth is None:
            self.clay["cloth"].value = 0
            buffers.surface.render(moderngl.TRIANGLES)
            return
        array, texture = buffers.clothed(item)
        self.clay["cloth"].value, self.clay["tiles"].value = 1 if texture is None else 2, item.cloth.tiles
        if texture is not None:
            texture.use(0)
        array.render(moderngl.TRIANGLES)

    def _tube(self, item: DrawItem) -> DrawItem:
        """The surface of a line's tube, made anew when the line is another or elsewhere."""
        made_of, kept = (item.geometry, item.revision, item.drawn), self._tubes.get(item.key)
        if kept is None or kept[0][0] is not made_of[0] or item.revision is None or kept[0][1:] != made_of[1:]:
            solid = tube_item(item, number=next(self._made))
            self._tubes[item.key] = kept = (made_of, solid)
            while len(self._tubes) > KEPT_BUFFERS:
                self._tubes.popitem(last=False)
        self._tubes.move_to_end(item.key)
        solid = kept[1]
        solid.matrix, solid.alpha, solid.colour, solid.smooth = item.matrix, item.alpha, item.colour, item.smooth
        solid.tint_colour, solid.low_colour = item.tint_colour, item.low_colour
        return solid

    def _draw_line(self, item: DrawItem, strands: Strands, model: bytes, factor: int) -> None:
        """The strands of an object without faces, in its own colour."""
        program = self.ribbon
        program["model"].write(model)
        program["colour"].value = (*rgb(item.colour), item.alpha)
        program["tint_colour"].value, program["low_colour"].value = rgb(item.tint_colour), rgb(item.low_colour)
        program["scale"].value = self._pixel * abs(np.linalg.det(item.matrix[:3, :3])) ** (1 / 3)
        program["least"].value, program["toward"].value = LEAST_WIDTH * factor, 0.0
        strands.render()

    def _draw_plain(self, item: DrawItem, buffers: _Buffers, model: bytes, factor: int) -> None:
        program = self.plain
        program["model"].write(model)
        self.ctx.enable(moderngl.BLEND)
        self.ctx.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA
        if item.wire:
            colour = (*rgb(item.wire), 0.55)
            program["toward"].value, program["size"].value = 3e-5, 1.0
            program["colour"].value = program["chosen_colour"].value = colour
            buffers.wire.render(moderngl.LINES)
        if item.edge_marks is not None and len(item.edge_marks) and item.point_colours:
            program["toward"].value, program["size"].value = 5e-5, 1.0
            program["colour"].value = program["chosen_colour"].value = (*rgb(item.point_colours[1]), 1.0)
            self.ctx.line_width = 2.0 * factor
            buffers.marked(item).render(moderngl.LINES)
            self.ctx.line_width = 1.0
        if item.point_colours:
            quiet, chosen = item.point_colours
            program["toward"].value, program["size"].value = 4e-5, (3.4 if len(item.points) < 1500 else 2.0) * factor
            program["colour"].value = (
                (*rgb(quiet), 0.75 if len(item.points) < 1500 else 0.45) if quiet else (0.0, 0.0, 0.0, 0.0)
            )
            program["chosen_colour"].value = (*rgb(chosen), 1.0)
            buffers.points.render(moderngl.POINTS, vertices=len(item.points))

    def release(self) -> None:
        with self.ctx:
            for buffers in self._buffers.values():
                buffers.release()
            for frame in self._frames.values():
                frame.release()
        self._buffers.clear()
        self._frames.clear()
        self.ctx.release()
