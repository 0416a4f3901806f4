"""What came from files: how long its numbers are, what is up, how large it is, and where it stands."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.at_frame.sizes import box_of
from fictilis.core.edits.whole_shapes import map_target
from fictilis.core.geometry.kinds import Line
from fictilis.core.geometry.units import UNITS, linear_from
from fictilis.core.scene.scene import Deltas, MorphObject, Scene
from fictilis.core.scene.timeline import SceneCamera


def laid(scene: Scene, object_ids: Collection[str], unit: str = "cm", z_up: bool = False, factor: float = 1.0) -> Scene:
    """Objects without places of their own, their numbers read in a unit and turned upright where Z is up; targets go along.
    Raises EditRefused as linear_from."""
    linear = linear_from(unit, z_up, factor)
    for obj in scene.objects:
        if obj.id in object_ids and len(obj.base):
            scene = scene.with_object(_through(obj, linear, UNITS[unit] * factor))
    return scene


def _through(obj: MorphObject, linear: np.ndarray, factor: float) -> MorphObject:
    geometry = obj.geometry
    if isinstance(geometry, Line) and geometry.widths is not None:
        geometry = replace(geometry, widths=geometry.widths * factor)
    targets = tuple(map_target(t, lambda d: Deltas(d.indices, d.offsets @ linear.T)) for t in obj.targets)
    return replace(obj, base=obj.base @ linear.T, geometry=geometry, targets=targets)


def sized(scene: Scene, ids: Collection[str], factor: float) -> Scene:
    """Objects and cameras that have places of their own, larger about the origin; their motion goes along."""
    if factor == 1.0:
        return scene
    linear_from(factor=factor)
    for owner in scene.owners:
        if owner.id in ids:
            scene = scene.with_owner(_placed(owner, factor, np.zeros(3)))
    return scene


def stood(scene: Scene, ids: Collection[str], centre: bool = False, ground: bool = False) -> Scene:
    """Objects and cameras moved together, so that the objects are around the origin, or stand on the ground at the start."""
    found = box_of(scene, ids)
    if found is None or not (centre or ground):
        return scene
    low, high = found
    shift = -(low + high) / 2 if centre else np.zeros(3)
    if ground:
        shift[1] = -low[1]
    for owner in scene.owners:
        if owner.id in ids:
            scene = scene.with_owner(_placed(owner, 1.0, shift))
    return scene


def _placed(owner: MorphObject | SceneCamera, factor: float, shift: np.ndarray) -> MorphObject | SceneCamera:
    """An owner times a factor about the origin, then moved, with its lanes."""
    moves: dict[str, tuple[float, float]] = {}
    if isinstance(owner, MorphObject):
        if owner.along is not None:  # it stands where its line does
            return owner
        apart = shift + (factor - 1) * np.array(owner.transform.pivot)
        x, y, z = (np.array(owner.transform.position) * factor + apart).tolist()
        sx, sy, sz = (s * factor for s in owner.transform.scale)
        owner = replace(owner, transform=replace(owner.transform, position=(x, y, z), scale=(sx, sy, sz)))
        moves = {f"position.{a}": (factor, float(apart[k])) for k, a in enumerate("xyz")}
        moves |= {f"scale.{a}": (factor, 0.0) for a in "xyz"}
    else:
        x, y, z = (np.array(owner.centre) * factor + shift).tolist()
        owner = replace(owner, centre=(x, y, z), distance=owner.distance * factor)
        moves = {f"centre.{a}": (factor, float(shift[k])) for k, a in enumerate("xyz")} | {"distance": (factor, 0.0)}
    lanes = tuple(
        replace(lane, curve=_curve(lane.curve, *moves[lane.channel])) if lane.channel in moves else lane for lane in owner.lanes
    )
    return replace(owner, lanes=lanes)


def _curve(curve: AnimationCurve, factor: float, shift: float) -> AnimationCurve:
    def moved(handle: tuple[float, float] | None) -> tuple[float, float] | None:
        return handle and (handle[0], handle[1] * factor)

    keys = (replace(k, value=k.value * factor + shift, into=moved(k.into), out=moved(k.out)) for k in curve.keys)
    return replace(curve, keys=tuple(keys))
