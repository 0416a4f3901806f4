"""Pixels as they are stored, and as amounts of light. Source: the transfer function of sRGB, IEC 61966-2-1:1999."""

from __future__ import annotations

import numpy as np

_STORED = np.arange(256) / 255
TO_LIGHT = np.where(_STORED <= 0.04045, _STORED / 12.92, ((_STORED + 0.055) / 1.055) ** 2.4).astype(np.float32)
STEPS = 65_535
_LIGHT = np.arange(STEPS + 1) / STEPS
TO_STORED = np.round(255 * np.where(_LIGHT <= 0.0031308, 12.92 * _LIGHT, 1.055 * _LIGHT ** (1 / 2.4) - 0.055)).astype(np.uint8)


def light_of(pixels: np.ndarray) -> np.ndarray:
    """float32 in 0…1, in proportion to light, of stored values uint8."""
    return TO_LIGHT.take(pixels)


def stored(light: np.ndarray) -> np.ndarray:
    """uint8 of amounts of light; what is outside 0…1 is cut off."""
    steps = (np.clip(light, 0.0, 1.0) * np.float32(STEPS) + np.float32(0.5)).astype(np.uint16)
    return TO_STORED.take(steps)


class Sum:
    """The mean of pictures (h, w, 4) uint8 in linear light; where they are seen through in part, each counts as far as it
    covers."""

    def __init__(self) -> None:
        self._light: np.ndarray | None = None
        self._cover: np.ndarray | None = None
        self._count = 0

    def add(self, picture: np.ndarray) -> None:
        light, cover = light_of(picture[..., :3]), None
        if picture[..., 3].min() < 255:
            cover = picture[..., 3].astype(np.float32) / 255
            light *= cover[..., None]
        if cover is None:
            cover = np.ones(picture.shape[:2], np.float32)
        if self._light is None or self._cover is None:
            self._light, self._cover = light, cover
        else:
            self._light += light
            self._cover += cover
        self._count += 1

    def mean(self) -> np.ndarray:
        """(h, w, 4) uint8 of all that were added, one at least."""
        light, cover = self._light, self._cover
        assert light is not None and cover is not None
        out = np.empty((*light.shape[:2], 4), np.uint8)
        out[..., :3] = stored(light / np.maximum(cover, 1e-6)[..., None])
        out[..., 3] = np.round(255 * cover / self._count)
        return out
