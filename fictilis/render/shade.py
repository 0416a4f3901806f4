"""Shade: soft darkness where surfaces come near one another, found from the depths of a picture."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import moderngl

from fictilis.render.camera import Camera
from fictilis.render.frame import Frame

NEAR = 0.25  # of half the picture's height: from how far a surface shades another
Pass = Callable[[str, str], Any]
Part = tuple[int, int, int, int] | None


def deep_of(frame: Frame, camera: Camera) -> tuple[tuple[float, float], tuple[float, float]]:
    """What leads from the depths of a frame back to places: the projection's first two diagonal terms, and those of depths."""
    projection = camera.projection(*frame.size)
    wide, high, deep, off = (float(projection[at]) for at in ((0, 0), (1, 1), (2, 2), (2, 3)))
    return (wide, high), (deep, off)


class Shade:
    """The shade of pictures of one size: found at half of it, then made even, then laid over the picture."""

    def __init__(self, ctx: Any, size: tuple[int, int], made: Pass) -> None:
        self.ctx, self.size, self._made = ctx, size, made
        half = (max((size[0] + 1) // 2, 1), max((size[1] + 1) // 2, 1))
        self._found, self._even = (ctx.texture(half, 2, dtype="f4") for _ in range(2))
        for texture in (self._found, self._even):
            texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._onto = [ctx.framebuffer([texture]) for texture in (self._found, self._even)]
        self._told: dict[str, Any] = {}

    def find(self, frame: Frame, camera: Camera, part: Part) -> None:
        """Of what a frame shows so far, in a part of the picture (left, top, width, height) or in all."""
        scale, deep = deep_of(frame, camera)
        self._told = {"deep": deep, "parallel_view": float(camera.parallel), "reach": NEAR * camera.half_height()}
        drawn = (0.0, 0.0, 1.0, 1.0)
        if part is not None:
            ends = (part[0], part[1], part[0] + part[2], part[1] + part[3])
            wide, high = self.size
            drawn = ends[0] / wide, ends[1] / high, ends[2] / wide, ends[3] / high
            part = (part[0] // 2, part[1] // 2, part[2] // 2 + 2, part[3] // 2 + 2)
        for onto in self._onto:
            onto.scissor = part
        self.ctx.disable(moderngl.DEPTH_TEST | moderngl.BLEND)
        frame.depth.compare_func, frame.depth.filter = "", (moderngl.NEAREST, moderngl.NEAREST)
        self._pass(self._onto[0], "shade.frag", frame.depth, scale=scale, size=self._found.size, part=drawn)
        self._pass(self._onto[1], "even.frag", self._found)

    def lay(self, frame: Frame, onto: Any, strength: float) -> None:
        """Darken a picture, that of the frame or one of half its size."""
        self.ctx.disable(moderngl.DEPTH_TEST)
        self.ctx.enable(moderngl.BLEND)
        self.ctx.blend_func = moderngl.ZERO, moderngl.SRC_COLOR, moderngl.ZERO, moderngl.ONE
        frame.depth.use(1)
        self._pass(onto, "darken.frag", self._even, strength=strength, depths=1)
        self.ctx.disable(moderngl.BLEND)

    def _pass(self, onto: Any, fragment: str, texture: Any, **more: Any) -> None:
        onto.use()
        made = self._made("picture.vert", fragment)
        for name, value in {**self._told, **more}.items():
            if name in made.program:
                made.program[name].value = value
        texture.use(0)
        made.render(moderngl.TRIANGLES, vertices=3)

    def release(self) -> None:
        for part in (*self._onto, self._found, self._even):
            part.release()
