"""Made-up sample scenes, by the names under which they are opened."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, NamedTuple

from fictilis.core.ground.errors import EditRefused

if TYPE_CHECKING:  # the names alone are asked for before anything else is loaded
    from fictilis.core.scene.scene import Scene


class Sample(NamedTuple):
    """What a sample is called in menus, and the function that makes it."""

    title: str
    module: str
    function: str


SAMPLES = {
    "jelly": Sample("Moon jelly", "fictilis.demo.jelly", "moon_jelly"),
    "lantern-fish": Sample("Paper lantern fish", "fictilis.demo.lantern_fish", "lantern_fish"),
    "tide-marks": Sample("Tide marks", "fictilis.demo.tide_marks", "tide_marks"),
    "sea-pen": Sample("Sea pen", "fictilis.demo.sea_pen", "sea_pen"),
    "reef-wall": Sample("Reef wall", "fictilis.demo.reef_wall", "reef_wall"),
}


def sample(name: str) -> Scene:
    """A sample scene, made anew. Raises EditRefused where there is none of that name."""
    if name not in SAMPLES:
        raise EditRefused(f"There is no sample named {name}; there are: {', '.join(SAMPLES)}.")
    found = SAMPLES[name]
    return getattr(import_module(found.module), found.function)()
