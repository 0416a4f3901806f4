"""How a surface looks, as glTF tells it: colour, opacity, and the image or the checker laid over it.

Source: glTF 2.0 specification (Khronos Group), 3.8 Texture Data, 3.9 Materials; the PNG specification (W3C) for the checker.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from typing import Any

import numpy as np

from fictilis.core.geometry.kinds import Line
from fictilis.core.ground.affine import rgb
from fictilis.core.scene.appearance import Texture
from fictilis.core.scene.scene import MorphObject

LIGHT, DARK, SHARE = (0.93, 0.90, 0.84), (0.24, 0.22, 0.20), 0.82  # of a checker, and how much of it covers the colour
NEAREST, LINEAR, MIPMAPS = 9728, 9729, 9987


def material(g: Any, gltf: Any, view: Callable[[bytes], int], obj: MorphObject) -> Any:
    """The material of an object; ``view`` takes the bytes of an image in."""
    look = obj.appearance
    laid = look.texture is not None and not isinstance(obj.geometry, Line) and _is_laid(obj, look.texture)
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in rgb(look.colour)]
    pbr = g.PbrMetallicRoughness(
        baseColorFactor=[*([1.0] * 3 if laid else linear), look.opacity], metallicFactor=0.0, roughnessFactor=0.8
    )
    if laid and look.texture is not None:
        pbr.baseColorTexture = g.TextureInfo(index=_texture(g, gltf, view, look.texture, rgb(look.colour)))
    mode = "BLEND" if look.opacity < 1 else "OPAQUE"
    return g.Material(name=f"{obj.name} clay", pbrMetallicRoughness=pbr, doubleSided=True, alphaMode=mode, alphaCutoff=None)


def _is_laid(obj: MorphObject, texture: Texture) -> bool:
    """Whether there is anything to lay it by."""
    return obj.mesh.uvs is not None if texture.projected is None else len(texture.projected) == len(obj.base)


def _texture(g: Any, gltf: Any, view: Callable[[bytes], int], texture: Texture, colour: tuple[float, float, float]) -> int:
    data = texture.image if texture.image is not None else checker(texture.tiles, colour)
    kind = "image/png" if data.startswith(b"\x89PNG") else "image/jpeg"
    crisp = texture.image is None
    gltf.images.append(g.Image(name=texture.name, mimeType=kind, bufferView=view(data)))
    gltf.samplers.append(g.Sampler(magFilter=NEAREST if crisp else LINEAR, minFilter=NEAREST if crisp else MIPMAPS))
    gltf.textures.append(g.Texture(sampler=len(gltf.samplers) - 1, source=len(gltf.images) - 1))
    return len(gltf.textures) - 1


def checker(tiles: int, colour: tuple[float, float, float]) -> bytes:
    """A PNG of a checker over a colour, a pixel a field; it repeats, so that ``tiles`` is made even."""
    from PIL import Image

    size = tiles + tiles % 2
    light = (np.indices((size, size)).sum(axis=0) + size) % 2 == 1  # the field at the lower left is light
    fields = np.where(light[..., None], np.array(LIGHT), np.array(DARK))
    pixels = np.round((np.array(colour) * (1 - SHARE) + fields * SHARE) * 255).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    return out.getvalue()
