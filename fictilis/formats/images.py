"""Images as textures: PNG and JPEG only, told by their first bytes, and measured before they are unpacked."""

from __future__ import annotations

import io
import warnings
from pathlib import Path

from fictilis.core.ground.errors import BadFile
from fictilis.core.scene.appearance import MOST_PIXELS, Texture
from fictilis.formats.files import read_bytes

LARGEST_SIDE = 16_384
LARGEST_FILE = 256_000_000


def image_texture(path: Path) -> Texture:
    """A texture from a PNG or JPEG file. Raises BadFile when it is none."""
    path = Path(path)
    data = read_bytes(path, LARGEST_FILE)
    check_image(data, path.name)
    return Texture(path.stem, data)


def check_image(data: bytes, name: str) -> None:
    """Nothing for the bytes of a whole PNG or JPEG image of bearable size. Raises BadFile; nothing else is ever opened."""
    from PIL import Image

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)  # measured here
            with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as picture:
                width, height = picture.size
                if max(width, height) > LARGEST_SIDE or width * height > MOST_PIXELS:
                    raise BadFile(
                        f"{name} is {width:,} × {height:,} pixels; up to {LARGEST_SIDE:,} a side and {MOST_PIXELS:,} in all "
                        "can be laid on."
                    )
                picture.load()
    except BadFile:
        raise
    except Exception:  # noqa: BLE001 - a damaged image raises whatever its codec does
        raise BadFile(f"{name} cannot be opened as a PNG or JPEG image.") from None
