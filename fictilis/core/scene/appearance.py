"""How the surface of an object looks: its colour, shading, texture and opacity."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from msgspec.structs import force_setattr

from fictilis.core.ground.arrays import frozen

CLAY = "#CC8C70"
MOST_PIXELS = 100_000_000  # of an image that is laid over a surface

LANE_COLOURS = (
    "#3F8F7E", "#2F5DA8", "#7B3F6B", "#6E7F2B", "#B9821A", "#2A8FA3",
    "#A8432F", "#55606E", "#C46A7E", "#8C7BB8", "#7A5230", "#4A4A32",
)  # fmt: skip


class Texture(Struct, frozen=True, eq=False, weakref=True):
    """What is laid over a surface: a checker, or an image from the bytes of a PNG or JPEG file.

    ``projected`` (n, 2) float64 are texture coordinates a point, from a view; None takes the mesh's own UVs.
    ``tiles`` is how many checker fields go across 0…1.
    """

    name: str = "Checker"
    image: bytes | None = None
    projected: np.ndarray | None = None
    tiles: int = 16

    def __post_init__(self) -> None:
        if self.projected is not None:
            force_setattr(self, "projected", frozen(self.projected, np.float64, 2))


class Appearance(Struct, frozen=True):
    """``opacity`` 0…1."""

    colour: str = CLAY
    smooth: bool = True
    texture: Texture | None = None
    opacity: float = 1.0


class Surface(Struct, frozen=True):
    """The smooth surface that a mesh is seen as: its faces divided once or twice after the mix. The mesh itself stays what is
    shaped."""

    levels: int = 1
    on: bool = True
