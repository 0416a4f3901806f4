"""Surface lines: outlines and creases drawn thinly over what a picture shows."""

from __future__ import annotations

from typing import Any

import moderngl

from fictilis.core.ground.affine import rgb
from fictilis.core.scene.light import Light
from fictilis.render.camera import Camera
from fictilis.render.context import OVER
from fictilis.render.frame import Frame
from fictilis.render.shade import Part, deep_of

LEAST = 0.02  # of half the picture's height: how far one surface stands before another where there is an outline


def draw_edges(made: Any, ctx: Any, frame: Frame, camera: Camera, light: Light, factor: int, part: Part) -> None:
    """Onto a frame, from its own depths, in a part of it (left, top, width, height) or all; ``factor`` pixels to one seen."""
    scale, deep = deep_of(frame, camera)
    told = {
        "scale": scale, "deep": deep, "parallel_view": float(camera.parallel), "least": LEAST * camera.half_height(),
        "wide": factor, "colour": (*rgb(light.line_colour), light.lines),
    }  # fmt: skip
    for name, value in told.items():
        made.program[name].value = value
    frame.flat.scissor = part
    frame.flat.use()
    ctx.disable(moderngl.DEPTH_TEST)
    ctx.enable(moderngl.BLEND)
    ctx.blend_func = OVER
    frame.depth.compare_func, frame.depth.filter = "", (moderngl.NEAREST, moderngl.NEAREST)
    frame.depth.use(0)
    made.render(moderngl.TRIANGLES, vertices=3)
    ctx.disable(moderngl.BLEND)
    frame.flat.scissor = None
