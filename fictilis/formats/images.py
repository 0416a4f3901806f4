"""Images as textures."""

from __future__ import annotations

import io
from pathlib import Path

from fictilis.core.errors import BadFile
from fictilis.core.scene import Texture
from fictilis.formats.files import read_bytes

LARGEST_SIDE = 16_384


def image_texture(path: Path) -> Texture:
    """A texture from a PNG or JPEG file. Raises BadFile when it is none."""
    from PIL import Image

    path = Path(path)
    data = read_bytes(path)
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as picture:
            width, height = picture.size
            if max(width, height) > LARGEST_SIDE:
                raise BadFile(f"{path.name} is {width:,} × {height:,} pixels; up to {LARGEST_SIDE:,} a side can be laid on.")
            picture.load()
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise BadFile(f"{path.name} cannot be opened as a PNG or JPEG image.") from None
    return Texture(path.stem, data)
