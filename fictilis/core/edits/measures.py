"""Edits of measures: distances between two points, kept with the scene by name."""

from __future__ import annotations

from msgspec.structs import replace

from fictilis.core.ground.names import fresh_name, given_name, with_name
from fictilis.core.scene.kept import Measure, PointOf
from fictilis.core.scene.scene import Scene
from fictilis.core.validity.scenes import checked_measure


def add_measure(scene: Scene, first: PointOf, second: PointOf, name: str = "Distance") -> Scene:
    """Keep the distance between two points. Raises EditRefused where there is no such point, or both are one."""
    measure = Measure(fresh_name(name, (m.name for m in scene.measures)), first, second)
    checked_measure(scene, measure)
    return replace(scene, measures=(*scene.measures, measure))


def rename_measure(scene: Scene, name: str, to: str) -> Scene:
    measure = _named(scene, name)
    others = [m.name for m in scene.measures if m is not measure]
    renamed = replace(measure, name=given_name(to, "A measure", others, "The scene already has a measure"))
    return replace(scene, measures=tuple(renamed if m is measure else m for m in scene.measures))


def remove_measure(scene: Scene, name: str) -> Scene:
    gone = _named(scene, name)
    return replace(scene, measures=tuple(m for m in scene.measures if m is not gone))


def _named(scene: Scene, name: str) -> Measure:
    return with_name(scene.measures, name, "The scene has no measure", "measures")
