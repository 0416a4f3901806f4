"""How pictures are made: their size, smoothness, background and shutter."""

from __future__ import annotations

from msgspec import Struct

from fictilis.core.ground.affine import rgb
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.light import Light
from fictilis.render.background import Background

MOST = 8192  # pixels along a side
CLEAR = "clear"
BACKGROUNDS = {"light": Background(), "dark": Background("#2B3230", "#171C1B"), "white": Background("#FFFFFF", "#FFFFFF"),
           "black": Background("#000000", "#000000")}  # fmt: skip


class Look(Struct, frozen=True):
    """How pictures are made: in pixels, with 1, 4 or 16 samples in each; before one of the BACKGROUNDS, a colour ``#RRGGBB`` or
    nothing (CLEAR); with the shutter open over so many degrees of the time to the next picture, 0 for an instant, in so
    many parts; that time is ``step`` frames. Without ``insides`` those of closed surfaces are left out. With a ``floor`` the
    ground is seen: its lines, and a shadow."""

    width: int = 1280
    height: int = 720
    samples: int = 4
    ground: str = "light"
    shutter: float = 0.0
    parts: int = 8
    light: Light = Light()
    step: float = 1.0
    insides: bool = True
    floor: bool = False

    def parts_of(self, frame: float) -> list[float]:
        """The moments whose pictures are summed: the middles of equal parts of the time the shutter is open around a frame."""
        if self.shutter <= 0:
            return [frame]
        return [frame + self.step * self.shutter / 360 * ((n + 0.5) / self.parts - 0.5) for n in range(self.parts)]


def over(background: Background) -> str:
    """A quiet colour for lines over a background, from the theme that is as light."""
    return "#786C60" if sum(rgb(background.bottom)) > 1.2 else "#A9B3AC"


def colour_of(background: str) -> Background:
    """A background by its name or its colour. Raises EditRefused for anything else."""
    if background in BACKGROUNDS:
        return BACKGROUNDS[background]
    known = len(background) == 7 and background[0] == "#"
    try:
        rgb(background)
    except ValueError:
        known = False
    if not known:
        raise EditRefused(
            f"A background is one of {', '.join(BACKGROUNDS)}, {CLEAR} or a colour such as #D8CFC2, not “{background}”."
        )
    return Background(background, background)
