"""Words on pictures, in the application's own type."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

FONTS = Path(__file__).parent.parent / "app" / "assets" / "fonts"


@lru_cache(maxsize=32)
def font(size: float, bold: bool = False) -> Any:
    from PIL import ImageFont

    name = "WorkSans_600SemiBold.ttf" if bold else "WorkSans_400Regular.ttf"
    return ImageFont.truetype(str(FONTS / name), max(size, 6.0))


def shortened(text: str, type_: Any, width: float) -> str:
    """A text that fits, its end left away where it must be."""
    if type_.getlength(text) <= width:
        return text
    while text and type_.getlength(text + "…") > width:
        text = text[:-1]
    return text.rstrip() + "…" if text else ""


def burnt_in(picture: np.ndarray, left: str = "", middle: str = "", right: str = "") -> np.ndarray:
    """A picture (h, w, 4) uint8 with words along its lower edge, light with a dark rim, so that they are read on any ground."""
    from PIL import Image, ImageDraw

    height, width = picture.shape[:2]
    size = max(height / 28, 9.0)
    strip = min(round(size * 2.4), height)
    type_, rim = font(size), max(round(size / 9), 1)
    layer = Image.new("RGBA", (width, strip), (0, 0, 0, 0))
    draw, room = ImageDraw.Draw(layer), width - 2 * size
    share = room / max(sum(bool(word) for word in (left, middle, right)), 1) - size / 2
    for text, anchor, x in ((left, "ls", size), (middle, "ms", width / 2), (right, "rs", width - size)):
        if text:
            draw.text(
                (x, strip - size * 0.9), shortened(text, type_, share), (255, 255, 255, 255), type_, anchor,
                stroke_width=rim, stroke_fill=(20, 20, 20, 200),
            )  # fmt: skip
    below = Image.fromarray(np.ascontiguousarray(picture[height - strip :]))
    out = picture.copy()
    out[height - strip :] = np.asarray(Image.alpha_composite(below, layer))
    return out
