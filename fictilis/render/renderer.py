"""The renderer: draw items in, pixels out. Pictures come with their top row first."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Hashable, Sequence
from itertools import count
from typing import Any

import moderngl
import numpy as np
from msgspec.structs import replace

from fictilis.core.geometry.kinds import Line
from fictilis.core.ground.affine import rgb
from fictilis.core.ground.arrays import box
from fictilis.core.scene.light import CLAYS, Light
from fictilis.render.background import Background
from fictilis.render.beside import Ticket
from fictilis.render.buffers import Buffers, CopyBuffers
from fictilis.render.camera import Camera
from fictilis.render.coarse import LEAST
from fictilis.render.context import OVER, off_screen
from fictilis.render.covered import covered_part
from fictilis.render.frame import Frame
from fictilis.render.ground import Ground
from fictilis.render.items import SWIFT_DOTS, DrawItem, smooth_item, tube_item
from fictilis.render.passes import Passes
from fictilis.render.programs import LINES, Programs, compiled
from fictilis.render.shadow import SIZE, beneath
from fictilis.render.strands import LEAST_WIDTH, Strands

KEPT_BUFFERS, KEPT_COPIES = 160, 24  # besides those of the picture drawn last
LEAST_LINED = 160  # pixels: lower pictures would be all surface lines
MOST_CAST = 60_000  # triangles that throw a shadow while something moves
REACHES = 0.12  # of half the picture's height: a bend over so much counts fully as relief


class Renderer:
    """Owns the off-screen context. Use it from one thread only."""

    falls = 0  # how often it ended, as a process may

    def __init__(self) -> None:
        self.ctx = off_screen()
        self.card = str(self.ctx.info["GL_RENDERER"])
        self.ctx.front_face = "cw"  # since the rows of a picture run down
        self.clay = Programs(lambda plain: compiled(self.ctx, "clay.vert", "clay.frag", plain=bool(plain)))
        self.copies = Programs(self._copying)
        self._others = Programs(lambda name: compiled(self.ctx, *LINES[str(name)]))
        self._passes = Passes(self.ctx)
        self._buffers: OrderedDict[Hashable, Buffers] = OrderedDict()
        self._copies: OrderedDict[Hashable, CopyBuffers] = OrderedDict()
        self._frames: OrderedDict[tuple[int, int], Frame] = OrderedDict()
        self._last: Frame | None = None
        self._covered: Any = (0, 0, 0, 0)  # the part of the last picture that was drawn: left, top, width, height
        self._surfaces: OrderedDict[Hashable, tuple[tuple, DrawItem]] = OrderedDict()
        self._made = count()
        self._pixel = 1.0  # of 1 cm, one before the eye
        self._matrix = b""
        self._eye, self._parallel, self._triangles, self._drawn = np.zeros(3), False, 0, 0
        self._swift, self._insides, self._shaded, self._lined = False, True, True, False
        self.light = Light()

    @property
    def plain(self):
        return self._others["plain"]

    @property
    def ribbon(self):
        return self._others["ribbon"]

    def _copying(self, plain: Hashable):
        program = compiled(self.ctx, "copies.vert", "clay.frag", plain=bool(plain))
        program["places"].value, program["facings"].value = 1, 2
        return program

    def draw(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, background: Background = Background(),
        fine: bool = False, *, swift: bool = False, insides: bool = True, shaded: bool = True,
    ) -> np.ndarray:  # fmt: skip
        """A picture (height, width, 4) uint8, RGBA; with ``fine`` drawn at double size and shrunk.

        Without ``insides``, or ``swift`` while something moves, those of closed surfaces are left out: only where these cut
        themselves are they seen. ``swift`` ones have no shade either. Not ``shaded``
        are those of which only the depths are asked.
        """
        self._swift, self._insides = swift, insides and not swift
        self._shaded, self._lined = shaded and not swift and self.light.shade > 0, shaded and self.light.lines > 0
        width, height = max(int(width), 1), max(int(height), 1)
        out = bytearray(4 * width * height)
        with self.ctx:  # another renderer of this thread may have been current
            self._draw(items, camera, width, height, background, fine, out)
        return np.frombuffer(out, np.uint8).reshape(height, width, 4)

    def ask(self, ticket: Ticket, items: Sequence[DrawItem], *picture: Any, depth: bool = False, **how: Any) -> None:
        """As ``Beside.ask``, at once: where no other process is to be had."""
        begun = time.perf_counter()
        pixels = (self.depths if depth else self.draw)(items, *picture, **how)
        ticket.take(pixels, "", time.perf_counter() - begun)

    def _draw(
        self,
        items: Sequence[DrawItem],
        camera: Camera,
        width: int,
        height: int,
        background: Background,
        fine: bool,
        out: bytearray,
    ) -> None:
        factor = 2 if fine and max(width, height) * 2 <= 8192 else 1
        frame = self._frame(width * factor, height * factor)
        ground, background = background.ground, replace(background, ground=None)
        covered = covered_part(items, camera, width, height) if factor == 2 and ground is None else None
        self._triangles, self._drawn = sum(item.triangle_count for item in items), len(items)
        opaque, faint = ([i for i in items if i.alpha > 0 and (i.alpha >= 1) == whole] for whole in (True, False))
        shadow = None if ground is None else self._cast(opaque, ground)
        self._passes.paint_background(frame, background)
        frame.fbo.scissor = covered and tuple(2 * side for side in covered)
        frame.fbo.use()
        frame.fbo.clear(depth=1.0)
        self.ctx.copy_framebuffer(frame.fbo, frame.background)
        frame.fbo.use()
        self._tell(camera, width, height, factor)
        self._draw_items(opaque, factor)
        shade = None
        if self._shaded and not any(i.tells for i in items):
            shade = self._passes.shade((width, height))
            shade.find(frame, camera, covered)
            frame.fbo.use()
        if self._lined and height >= LEAST_LINED:
            self._passes.draw_edges(frame, camera, self.light, factor, frame.fbo.scissor if covered is not None else None)
            frame.fbo.use()
        self._draw_items(faint, factor)
        if ground is not None:
            self._passes.draw_ground(ground, self._matrix, shadow)
        source = frame
        if factor == 2:
            source = self._frame(width, height)
            if covered is not None:  # the background was shrunk before
                if source.background_is != (background,):
                    self._passes.shrink(frame.background_colour, source.background)
                    source.background_is = (background,)
                source.fbo.scissor = None
                source.fbo.use()
                self.ctx.copy_framebuffer(source.fbo, source.background)
            source.fbo.scissor = covered
            self._passes.shrink(frame.colour, source.fbo)
            source.fbo.scissor = None
        if shade is not None:
            source.flat.scissor = covered
            shade.lay(frame, source.flat, self.light.shade)
        self._last, self._covered = frame, frame.fbo.scissor
        source.fbo.read_into(out, components=4)

    def _cast(self, items: list[DrawItem], ground: Ground) -> np.ndarray | None:
        """Find the shadow of items on the ground; the matrix (4, 4) from the scene to the picture of it, None without one."""
        if self._swift and self._triangles > MOST_CAST:
            return None
        camera, shadow = beneath(items, ground), self._passes.shadow
        if camera is None or shadow.stands(items, camera):
            return None if camera is None else shadow.matrix
        self._tell(camera, SIZE, SIZE, 1)
        frame = self._frame(SIZE, SIZE)
        frame.fbo.scissor = None
        frame.fbo.use()
        frame.fbo.clear(depth=1.0)
        self._draw_items([replace(item, wire=None, point_colours=None) for item in items], 1)
        matrix = np.frombuffer(self._matrix, np.float32).reshape(4, 4).T.astype(np.float64)
        shadow.find(frame, camera, matrix)
        return matrix

    def depths(
        self, items: Sequence[DrawItem], camera: Camera, width: int, height: int, background: Background = Background()
    ) -> np.ndarray:
        """(h, w) float32 depths in 0…1 of a picture."""
        self.draw(items, camera, width, height, background, shaded=False)
        return self.depth()

    def depth(self) -> np.ndarray:
        """(h, w) float32 depths in 0…1 of the last picture, at the size it was drawn."""
        if self._last is None:
            raise ValueError("no picture was drawn yet")
        width, height = self._last.size
        with self.ctx:
            data = self._last.depth.read()
        left, top, wide, high = self._covered
        out = np.ones((height, width), np.float32)
        part = np.s_[top : top + high, left : left + wide]
        out[part] = np.frombuffer(data, np.float32).reshape(height, width)[part]
        return out

    def _frame(self, width: int, height: int) -> Frame:
        key = (width, height)
        if key not in self._frames:
            self._frames[key] = Frame(self.ctx, width, height)
            while len(self._frames) > 6:
                oldest = next(iter(self._frames))
                gone = self._frames.pop(oldest)
                if gone is self._last:
                    self._last = None
                gone.release()
        self._frames.move_to_end(key)
        return self._frames[key]

    def _tell(self, camera: Camera, width: int, height: int, factor: int) -> None:
        """Tell all programs the camera and the light."""
        flip = np.diag([1.0, -1.0, 1.0, 1.0])  # rows of the picture run down
        matrix = (flip @ camera.projection(width, height) @ camera.view()).T.astype("f4").tobytes()
        right, up, back = camera.axes()
        light = self.light.direction() @ np.stack([right, up, back])
        pixels, position = (float(width * factor), float(height * factor)), tuple(camera.position())
        self._pixel = abs(camera.projection(width, height)[1, 1]) * height * factor / 2

        def everywhere(program: Any, name: Hashable) -> None:
            program["view_projection"].write(matrix)
            if name == "ribbon":
                program["pixels"].value = pixels

        def on_surfaces(program: Any, _name: Hashable) -> None:
            program["view_projection"].write(matrix)
            program["key_light"].value = tuple(light / np.linalg.norm(light))
            program["strength"].value = self.light.strength
            program["eye"].value = position
            program["back"].value = tuple(back)
            program["parallel_view"].value = float(camera.parallel)
            program["span"].value = REACHES * camera.half_height()

        for programs, share in ((self.clay, on_surfaces), (self.copies, on_surfaces), (self._others, everywhere)):
            programs.told(share)
        self._matrix, self._eye, self._parallel = matrix, camera.position(), camera.parallel

    def _draw_items(self, items: list[DrawItem], factor: int) -> None:
        self.ctx.enable(moderngl.DEPTH_TEST)
        self.ctx.enable(moderngl.PROGRAM_POINT_SIZE)
        for item in items:
            self._draw_item(item, factor)
            if item.wire or item.point_colours:
                self._draw_marks(item, factor, SWIFT_DOTS if self._swift else None)

    def forget(self, owner: object = None) -> None:
        """Release what is kept of the items drawn so far, or of those of an owner, the first part of their keys."""
        self._passes.forget_shadow()
        with self.ctx:
            for kept in (self._buffers, self._copies, self._surfaces):
                for key in [k for k in kept if owner is None or _owner(k) == owner]:
                    gone = kept.pop(key)
                    if not isinstance(gone, tuple):
                        gone.release()

    def forget_frames(self) -> None:
        """Release the surfaces of pictures; those of a large one take tens of megabytes."""
        with self.ctx:
            while self._frames:
                self._frames.popitem()[1].release()
            self._passes.forget()
        self._last = None

    def _buffers_of(self, item: DrawItem) -> Buffers:
        buffers = self._buffers.get(item.key)
        if buffers is not None and (buffers.geometry is not item.geometry):
            self._buffers.pop(item.key).release()
            buffers = None
        if buffers is None:
            buffers = self._buffers[item.key] = Buffers(self, item)
            while len(self._buffers) > KEPT_BUFFERS + self._drawn:
                self._buffers.popitem(last=False)[1].release()
        self._buffers.move_to_end(item.key)
        buffers.fill(item)
        return buffers

    def _draw_item(self, item: DrawItem, factor: int) -> None:
        """Its surface or its strands."""
        buffers = self._buffers_of(item)
        if item.alpha < 1:
            self.ctx.enable(moderngl.BLEND)
            self.ctx.blend_func = OVER
        else:
            self.ctx.disable(moderngl.BLEND)
        # a ghost lies just behind what it shares a place with
        self.ctx.polygon_offset = (1.0, 4.0) if item.alpha < 1 else (0.0, 0.0)
        if item.finer is not None:
            self._draw_item(self._surface(item), factor)
        elif not buffers.empty:
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
            self._draw_item(self._surface(item), factor)
        elif buffers.strands is not None:
            self._draw_line(item, buffers.strands, factor)

    def _draw_marks(self, item: DrawItem, factor: int, dots: int | None) -> None:
        """The wire and the points of an item over it, of many picked ones so many ``dots``."""
        # a tube hides the points it is led along
        inside = isinstance(item.geometry, Line) and item.geometry.tube is not None
        if inside:
            self.ctx.disable(moderngl.DEPTH_TEST)
        self._draw_plain(item, self._buffers_of(item), factor, dots)
        if inside:
            self.ctx.enable(moderngl.DEPTH_TEST)

    def _draw_surface(self, item: DrawItem, buffers: Buffers) -> None:
        culled = not self._insides and item.alpha == 1 and buffers.turned_out(item, self._eye)
        if culled:
            self.ctx.enable(moderngl.CULL_FACE)
        plain = item.cloth is None and item.tint is None
        level = self._level(item, buffers) if self._swift and item.alpha == 1 else 0
        array, image = (buffers.surface(plain, level), None) if item.cloth is None else buffers.clothed(item)
        for program in (self.clay[plain], *((self.copies[plain],) if item.many is not None else ())):
            program["colour"].value, program["alpha"].value = rgb(item.colour), item.alpha
            program["flat_shading"].value = float(not item.smooth)
            program["relief"].value = 0.0 if item.tells else self.light.relief * item.relief
            program["glaze"].value = 0 if item.tells else CLAYS.index(self.light.clay)
            if not plain:
                program["tint_colour"].value, program["low_colour"].value = rgb(item.tint_colour), rgb(item.low_colour)
                program["cloth"].value = 0 if item.cloth is None else 1 if image is None else 2
                program["tiles"].value = item.cloth.tiles if item.cloth is not None else 1.0
        self.clay[plain]["model"].write(item.matrix.T.astype("f4").tobytes())
        if image is not None:
            image.use(0)
        array.render(moderngl.TRIANGLES)
        if item.many is not None:
            copies = self._copies.get(item.key)
            if copies is None or copies.geometry is not item.geometry or copies.cloth is not item.cloth:
                if copies is not None:
                    copies.release()
                copies = self._copies[item.key] = CopyBuffers(self, item)
                while len(self._copies) > KEPT_COPIES + self._drawn:
                    self._copies.popitem(last=False)[1].release()
            self._copies.move_to_end(item.key)
            copies.fill(item.many)
            copies.render(item.many, plain, buffers.coarse.corners(level) if level else None, level)
        if culled:
            self.ctx.disable(moderngl.CULL_FACE)

    def _level(self, item: DrawItem, buffers: Buffers) -> int:
        """How much coarser an item may be drawn in a picture of many triangles, so that nobody sees it while it moves."""
        if self._triangles < LEAST or item.cloth is not None or not item.smooth:
            return 0
        matrices = item.matrix[None] if item.many is None else np.concatenate([item.matrix[None], item.many.matrices])
        size = float(np.linalg.norm(matrices[:, :3, :3], axis=1).max())
        distance = 1.0
        if not self._parallel:
            low, high = box(item.points)
            reach = size * float(np.linalg.norm(high - low)) / 2
            middle = matrices[:, :3, :3] @ ((low + high) / 2) + matrices[:, :3, 3]
            distance = max(float(np.linalg.norm(middle - self._eye, axis=1).min()) - reach, 1e-6)
        return buffers.coarse.level(buffers.coarse.edge * size * self._pixel / distance)

    def _surface(self, item: DrawItem) -> DrawItem:
        """The surface of a line's tube, or the smooth one of a cage, made anew when that is another or elsewhere."""
        made_of = (item.finer or item.geometry, item.revision, item.drawn, item.many and item.many.revision)
        kept = self._surfaces.get(item.key)
        if kept is None or kept[0][0] is not made_of[0] or item.revision is None or kept[0][1:] != made_of[1:]:
            solid = (tube_item if item.finer is None else smooth_item)(item, next(self._made))
            self._surfaces[item.key] = kept = (made_of, solid)
            while len(self._surfaces) > KEPT_BUFFERS + self._drawn:
                self._surfaces.popitem(last=False)
        self._surfaces.move_to_end(item.key)
        solid = kept[1]
        solid.matrix, solid.alpha, solid.colour, solid.smooth = item.matrix, item.alpha, item.colour, item.smooth
        solid.tint_colour, solid.low_colour, solid.measured = item.tint_colour, item.low_colour, item.measured
        solid.cloth = item.cloth if item.finer is not None else None
        return solid

    def _draw_line(self, item: DrawItem, strands: Strands, factor: int) -> None:
        """The strands of an object without faces, in its own colour, and those of its copies, pose after pose."""
        program = self.ribbon
        program["colour"].value = (*rgb(item.colour), item.alpha)
        program["tint_colour"].value, program["low_colour"].value = rgb(item.tint_colour), rgb(item.low_colour)
        program["least"].value, program["toward"].value = LEAST_WIDTH * factor, 0.0
        self._strands_at(strands, item.matrix)
        if item.many is not None:
            for pose, (points, part) in enumerate(zip(item.many.points, item.many.parts, strict=True)):
                strands.fill(points, None if item.many.tint is None else item.many.tint[pose], part)
                for matrix in item.many.matrices[item.many.poses == pose]:
                    self._strands_at(strands, matrix)
            strands.fill(item.points, item.tint, item.drawn)

    def _strands_at(self, strands: Strands, matrix: np.ndarray) -> None:
        self.ribbon["model"].write(matrix.T.astype("f4").tobytes())
        self.ribbon["scale"].value = self._pixel * abs(np.linalg.det(matrix[:3, :3])) ** (1 / 3)
        strands.render()

    def _draw_plain(self, item: DrawItem, buffers: Buffers, factor: int, dots: int | None) -> None:
        program = self.plain
        program["model"].write(item.matrix.T.astype("f4").tobytes())
        self.ctx.enable(moderngl.BLEND)
        self.ctx.blend_func = OVER
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
            if quiet:
                buffers.points.render(moderngl.POINTS, vertices=len(item.points))
            else:
                array, count = buffers.picked(item)
                array.render(moderngl.POINTS, vertices=min(count, dots or count))

    def __enter__(self) -> Renderer:
        return self

    def __exit__(self, *_error: object) -> None:
        self.release()

    def release(self) -> None:
        with self.ctx:
            every: list[Any] = [*self._buffers.values(), *self._copies.values(), *self._frames.values()]
            for kept in every:
                kept.release()
            self._passes.forget()
        self._buffers.clear()
        self._copies.clear()
        self._frames.clear()
        self.ctx.release()


def _owner(key: Any) -> object:
    """Whose an item is, or the surface made of it."""
    return key[1][0] if key[0] in ("smooth", "tube") else key[0]
