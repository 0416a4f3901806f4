"""Copies against one mesh of the same triangles, and what their poses cost."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from benchmarks.measure import Row, medians, ms
from fictilis.core.edits.repeats import one_object, set_repeat
from fictilis.core.geometry.topology import triangles
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.scene import Scene
from fictilis.demo.reef_wall import reef_wall
from fictilis.render.camera import Camera
from fictilis.render.dress import worn_item
from fictilis.render.renderer import Renderer
from fictilis.render.snapshot import bounds
from fictilis.render.stage import Stage, StageWish

GRID = Repeat(counts=(20, 10, 1), spacing=(1.6, 1.6, 1.0), later=24.0, order="point")


def cups() -> Scene:
    """200 cups as those of the reef wall, of 510 faces, each with a delay of its own."""
    return set_repeat(reef_wall(34), "o1", GRID)


def rows() -> list[Row]:
    scene, renderer = cups(), Renderer()
    whole = one_object(set_repeat(scene, "o1", replace(GRID, later=0.0)), "o1", 0.0)
    camera = Camera(yaw=18, pitch=6).fitted(*bounds(scene), aspect=1.6, margin=1.2)
    stages = {"copies": Stage(), "one": Stage()}

    def picture(name: str, frame: float):
        wish = StageWish(scene if name == "copies" else whole, frame)
        return [worn_item(item, (name, item.obj.id)) for item in stages[name].items(wish)]

    items = {name: picture(name, 20.0) for name in stages}
    turn = {"frame": 0.0}

    def pose() -> None:
        turn["frame"] = (turn["frame"] + 1) % 90
        stages["copies"].items(StageWish(scene, turn["frame"]))

    def drawn(name: str) -> None:
        renderer.draw(items[name], camera, 1280, 800)

    t = medians({"copies": lambda: drawn("copies"), "one": lambda: drawn("one"), "poses": pose}, 9)
    count = 200 * len(triangles(scene.object("o1").geometry).points)
    poses = len(np.unique(items["copies"][0].many.poses))
    renderer.release()
    return [
        Row("200 copies drawn / one mesh of the same triangles", t["copies"] / t["one"], 1.5, True,
            f"{count:,} triangles, {ms(t['copies'])}"),
        Row(f"{poses} poses mixed with their normals / drawing them", t["poses"] / t["copies"], None, True, ms(t["poses"])),
    ]  # fmt: skip
