"""A soft shadow on the ground, of what stands on it or hangs above it: found from a picture of the scene from beneath."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import moderngl
import numpy as np

from fictilis.render.camera import Camera
from fictilis.render.covered import ends_of
from fictilis.render.frame import Frame
from fictilis.render.ground import Ground
from fictilis.render.items import DrawItem
from fictilis.render.shade import Pass

SIZE = 192  # pixels of the picture from beneath
SOFT = 0.07  # of half its width: how far the shadow reaches beyond what throws it
FADE = 2.0  # of half its width: up to how high above the ground something darkens it
DARK = 0.55  # right below what touches the ground


def beneath(items: Sequence[DrawItem], ground: Ground) -> Camera | None:
    """A camera below the ground that sees all that stands within its lines; None where nothing does."""
    found = [ends_of(item)[:, [0, 2]] for item in items if len(item.points)]
    if not found:
        return None
    every, middle = np.concatenate(found), np.array(ground.middle)
    low = np.maximum(every.min(axis=0), middle - ground.reach)
    high = np.minimum(every.max(axis=0), middle + ground.reach)
    half = float((high - low).max()) / 2
    if not (high >= low).all() or half <= 0:  # an upright line is wide one way only
        return None
    x, z = (low + high) / 2
    half *= 1 + 2 * SOFT
    return Camera((float(x), ground.height, float(z)), half / Camera().tangent, pitch=-90.0, parallel=True)


class Shadow:
    """The shadow of one picture after another; ``matrix`` (4, 4) leads from the scene to the picture that it was found of."""

    def __init__(self, ctx: Any, made: Pass) -> None:
        self.ctx, self._made = ctx, made
        self.matrix = np.eye(4)
        self._of: list[tuple[Any, ...]] = []
        self._across, self.texture = (ctx.texture((SIZE, SIZE), 1) for _ in range(2))
        self._onto = [ctx.framebuffer([texture]) for texture in (self._across, self.texture)]

    def stands(self, items: Sequence[DrawItem], camera: Camera) -> bool:
        """Whether the shadow that was found last is that of these items, for the camera below; else it is to be found."""
        of = [
            (i.geometry, i.revision, i.key, i.matrix.tobytes(), i.drawn, i.finer, None if i.many is None else i.many.revision,
             camera)
            for i in items
        ]  # fmt: skip
        same = len(of) == len(self._of) and all(a[0] is b[0] and a[1:] == b[1:] for a, b in zip(of, self._of, strict=True))
        self._of = of
        return same and all(i.revision is not None for i in items)

    def forget(self) -> None:
        self._of = []

    def find(self, frame: Frame, camera: Camera, matrix: np.ndarray) -> None:
        """From a picture that the camera below made, by the matrix (4, 4) from the scene to that picture."""
        self.matrix = matrix
        self.ctx.disable(moderngl.DEPTH_TEST | moderngl.BLEND)
        x, height, z = camera.centre
        level, above = (float(matrix[2] @ [x, height + up, z, 1.0]) / 2 + 0.5 for up in (0.0, 1.0))
        frame.depth.compare_func, frame.depth.filter = "", (moderngl.NEAREST, moderngl.NEAREST)
        made = self._made("picture.vert", "shadow.frag")
        told, fade = made.program, FADE * camera.half_height() / (1 + 2 * SOFT)
        told["level"].value, told["per_cm"].value = level, abs(above - level)
        passes = (frame.depth, (SOFT, 0.0), fade), (self._across, (0.0, SOFT), 0.0)
        for onto, (texture, along, up_to) in zip(self._onto, passes, strict=True):
            onto.use()
            texture.use(0)
            told["along"].value, told["fade"].value = along, up_to
            made.render(moderngl.TRIANGLES, vertices=3)
