"""What one size of picture is drawn on."""

from __future__ import annotations

from fictilis.render.background import Background


class Frame:
    """A picture's surfaces of one size, and its ready background."""

    def __init__(self, ctx, width: int, height: int) -> None:
        self.size = (width, height)
        self.colour = ctx.texture((width, height), 4)
        self.depth = ctx.depth_texture((width, height))
        self.fbo = ctx.framebuffer([self.colour], self.depth)
        self.flat = ctx.framebuffer([self.colour])
        self.background_colour = ctx.texture((width, height), 4)
        self.background = ctx.framebuffer([self.background_colour])
        self.background_is: Background | tuple[Background] | None = None  # in a tuple one that was shrunk

    def release(self) -> None:
        for part in (self.fbo, self.flat, self.background, self.colour, self.depth, self.background_colour):
            part.release()
