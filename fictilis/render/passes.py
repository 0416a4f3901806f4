"""What is drawn over a whole picture: its background, a picture on that, the lines of the ground, and halving its size."""

from __future__ import annotations

from functools import cache, cached_property
from typing import Any

import moderngl
import numpy as np

from fictilis.core.ground.affine import rgb
from fictilis.core.scene.light import Light
from fictilis.render.background import Background
from fictilis.render.camera import Camera
from fictilis.render.context import OVER
from fictilis.render.edges import draw_edges
from fictilis.render.frame import Frame
from fictilis.render.ground import Ground
from fictilis.render.items import Backdrop
from fictilis.render.programs import compiled
from fictilis.render.shade import Part, Shade
from fictilis.render.shadow import DARK, Shadow


class Passes:
    """The passes of one OpenGL context, each compiled when it is first used."""

    def __init__(self, ctx: Any) -> None:
        self.ctx = ctx
        self._corners = ctx.buffer(np.array([-1, -1, 3, -1, -1, 3], np.float32).tobytes())
        self._backdrop: tuple[np.ndarray, Any] | None = None
        self._shade: Shade | None = None
        self._pass = cache(self._compiled)

    def _compiled(self, vertex: str, fragment: str) -> Any:
        return self.ctx.vertex_array(compiled(self.ctx, vertex, fragment), [(self._corners, "2f", "corner")])

    def paint_background(self, frame: Frame, background: Background) -> None:
        """The background of a frame, kept until it is another one; the ground is no part of it."""
        if frame.background_is == background:
            return
        frame.background.use()
        self.ctx.disable(moderngl.DEPTH_TEST | moderngl.BLEND)
        made = self._pass("picture.vert", "background.frag")
        made.program["top"].value, made.program["bottom"].value = rgb(background.top), rgb(background.bottom)
        made.render(moderngl.TRIANGLES, vertices=3)
        if background.backdrop is not None:
            self._paint_backdrop(background.backdrop)
        frame.background_is = background

    def _paint_backdrop(self, backdrop: Backdrop) -> None:
        """Over the background of the framebuffer in use; the picture is kept until it is another one."""
        if self._backdrop is None or self._backdrop[0] is not backdrop.image:
            if self._backdrop is not None:
                self._backdrop[1].release()
            height, width = backdrop.image.shape[:2]
            texture = self.ctx.texture((width, height), 4, np.ascontiguousarray(backdrop.image).tobytes())
            texture.build_mipmaps()
            texture.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
            self._backdrop = (backdrop.image, texture)
        self._blend()
        self._backdrop[1].use(0)
        made = self._pass("picture.vert", "backdrop.frag")
        made.program["rectangle"].value, made.program["opacity"].value = backdrop.place, backdrop.opacity
        made.render(moderngl.TRIANGLES, vertices=3)
        self.ctx.disable(moderngl.BLEND)

    def _blend(self) -> None:
        self.ctx.enable(moderngl.BLEND)
        self.ctx.blend_func = OVER

    def draw_ground(self, ground: Ground, matrix: bytes, beneath: np.ndarray | None) -> None:
        """The lines of the ground into the framebuffer in use, behind what stands before them; they leave no depth. The shadow
        is there with the matrix (4, 4) from the scene to its picture."""
        made = self._pass("ground.vert", "ground.frag")
        told = made.program
        told["view_projection"].write(matrix)
        told["height"].value, told["middle"].value, told["reach"].value = ground.height, ground.middle, ground.reach
        told["gap"].value, told["colour"].value = ground.step, rgb(ground.colour)
        told["dark"].value = 0.0 if beneath is None else DARK
        if beneath is not None:
            told["beneath"].write(beneath.T.astype("f4").tobytes())
            self.shadow.texture.use(0)
        self.ctx.enable(moderngl.DEPTH_TEST)
        self._blend()
        fbo = self.ctx.fbo
        for writes in (False, True):
            fbo.depth_mask = writes
            fbo.use()  # which is when the mask takes hold
            if not writes:
                made.render(moderngl.TRIANGLES, vertices=3)
        self.ctx.disable(moderngl.BLEND)

    def draw_edges(self, frame: Frame, camera: Camera, light: Light, factor: int, part: Part) -> None:
        draw_edges(self._pass("picture.vert", "edges.frag"), self.ctx, frame, camera, light, factor, part)

    @cached_property
    def shadow(self) -> Shadow:
        return Shadow(self.ctx, self._pass)

    def forget_shadow(self) -> None:
        if "shadow" in self.__dict__:
            self.shadow.forget()

    def shade(self, size: tuple[int, int]) -> Shade:
        """That of pictures of a size, kept until another is asked for."""
        if self._shade is None or self._shade.size != size:
            self.forget()
            self._shade = Shade(self.ctx, size, self._pass)
        return self._shade

    def forget(self) -> None:
        """Release what is as large as a picture."""
        if self._shade is not None:
            self._shade.release()
            self._shade = None

    def shrink(self, large: Any, onto: Any) -> None:
        """A texture at half of its size, where the scissor of a framebuffer lets it."""
        onto.use()
        self.ctx.disable(moderngl.DEPTH_TEST | moderngl.BLEND)
        large.filter = (moderngl.LINEAR, moderngl.LINEAR)
        large.use(0)
        self._pass("picture.vert", "shrink.frag").render(moderngl.TRIANGLES, vertices=3)
