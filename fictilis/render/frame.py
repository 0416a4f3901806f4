"""What one size of picture is drawn on."""

from __future__ import annotations

from fictilis.render.ground import Ground


class Frame:
    """A picture's surfaces of one size, and its ready ground."""

    def __init__(self, ctx, width: int, height: int) -> None:
        self.size = (width, height)
        self.colour = ctx.texture((width, height), 4)
        self.depth = ctx.depth_texture((width, height))
        self.fbo = ctx.framebuffer([self.colour], self.depth)
        self.ground_colour = ctx.texture((width, height), 4)
        self.ground = ctx.framebuffer([self.ground_colour])
        self.ground_is: Ground | tuple[Ground] | None = None  # in a tuple one that was shrunk

    def release(self) -> None:
        for part in (self.fbo, self.ground, self.colour, self.depth, self.ground_colour):
            part.release()
