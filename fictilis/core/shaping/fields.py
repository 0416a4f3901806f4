"""Fields that say when each point is reached by a sweep: 0 at the first, 1 at the last."""

from __future__ import annotations

import numpy as np

from fictilis.core.geometry.lines.measuring import run_along
from fictilis.core.ground.arrays import extent
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.scene import MorphObject
from fictilis.core.shaping.falloff import surface_distances

AXES = ("x", "y", "z")
WAVES = 7


def scaled(values: np.ndarray, what: str) -> np.ndarray:
    """(n,) brought to 0…1. Raises EditRefused where they are all one."""
    low, high = float(values.min(initial=0.0)), float(values.max(initial=0.0))
    if len(values):
        low, high = float(values.min()), float(values.max())
    if not high - low > 1e-12:
        raise EditRefused(f"{what} is the same at every point; nothing can travel along it.")
    return (values - low) / (high - low)


def along_axis(obj: MorphObject, axis: int) -> np.ndarray:
    """From the least to the largest X, Y or Z of the base."""
    return scaled(obj.base[:, axis], f"{'XYZ'[axis]} of {obj.name}")


def from_points(obj: MorphObject, points: np.ndarray, surface: bool) -> np.ndarray:
    """By the distance from points (k,) of the base: straight from their middle, or along the surface from the nearest. What
    the surface does not lead to is reached last."""
    if not len(points):
        raise EditRefused("Pick where the sweep begins first.")
    if not surface:
        return scaled(np.linalg.norm(obj.base - obj.base[points].mean(axis=0), axis=1), f"The distance in {obj.name}")
    distance = surface_distances(obj, obj.base, points, np.inf)
    far = np.isfinite(distance)
    return scaled(np.where(far, distance, distance[far].max(initial=0.0)), f"The way over {obj.name}")


def along_line(obj: MorphObject) -> np.ndarray:
    """From the beginning to the end of every strand of a line, by the length of its base."""
    return scaled(run_along(obj.line, obj.base), f"The way along {obj.name}")


def from_mask(obj: MorphObject, mask: np.ndarray | None) -> np.ndarray:
    """What a painted mask lets through most is reached first."""
    if mask is None:
        raise EditRefused("Paint a mask first; where it lets most through the sweep begins.")
    return scaled(1.0 - mask, f"The mask on {obj.name}")


def from_image(obj: MorphObject, pixels: np.ndarray | None) -> np.ndarray:
    """By the brightness of an image (h, w, 3) uint8 laid on by the texture coordinates: the brightest is reached first.

    Source: relative luminance of ITU-R BT.709, of the values as stored.
    """
    mesh = obj.mesh
    if pixels is None or mesh.uvs is None or mesh.uv_corners is None:
        raise EditRefused(f"{obj.name} needs an image as its texture, and texture coordinates, for a sweep by brightness.")
    light = pixels[..., :3].astype(np.float64) @ [0.2126, 0.7152, 0.0722]
    high, wide = light.shape
    corner = mesh.uv_corners
    known = corner >= 0
    uv = mesh.uvs[corner[known]] % 1.0
    across = np.minimum((uv[:, 0] * wide).astype(int), wide - 1)
    down = np.minimum(((1.0 - uv[:, 1]) * high).astype(int), high - 1)
    points = mesh.corners[known]
    total = np.bincount(points, light[down, across], len(obj.base))
    count = np.bincount(points, minlength=len(obj.base))
    return scaled(255.0 - total / np.maximum(count, 1), f"The brightness on {obj.name}")


def with_noise(obj: MorphObject, field: np.ndarray, amount: float, seed: int = 0) -> np.ndarray:
    """A field that runs ahead and lags behind by up to about ``amount``: waves of about half the object, summed."""
    if amount <= 0:
        return field
    rng = np.random.default_rng(seed)
    size = float(extent(obj.base).max()) or 1.0
    ways = rng.normal(size=(WAVES, 3))
    ways *= (2 * np.pi / (0.5 * size)) * rng.uniform(0.6, 1.4, (WAVES, 1)) / np.linalg.norm(ways, axis=1, keepdims=True)
    waves = np.sin(obj.base @ ways.T + rng.uniform(0, 2 * np.pi, WAVES)).mean(axis=1)
    return scaled(field + amount * waves * 1.8, "The field")
