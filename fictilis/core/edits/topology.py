"""Edits of topology: one operation on the mesh, carried through to base, targets, in-betweens, masks, picks and measures."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.core.geometry.carry import Carry
from fictilis.core.geometry.finer import MOST_LEVELS, finer
from fictilis.core.geometry.kinds import MOST_POINTS
from fictilis.core.ground.arrays import box, extent
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.carried import carried_object
from fictilis.core.scene.appearance import Surface
from fictilis.core.scene.deformers import Deformer, kept_to
from fictilis.core.scene.kept import Measure, PointOf
from fictilis.core.scene.places import Transform
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, Target


def carry_through(scene: Scene, object_id: str, carry: Carry) -> Scene:
    """The scene with an object's geometry replaced, and everything that belongs to its points carried along."""
    obj = scene.unlocked(object_id)
    count = carry.geometry.point_count
    if count > MOST_POINTS:
        raise EditRefused(f"{obj.name} would have {count:,} points; more than {MOST_POINTS:,} are not made here.")
    carried = tuple(_carried_measure(m, object_id, carry) for m in scene.measures)
    return replace(scene.with_object(carried_object(obj, carry)), measures=tuple(m for m in carried if m is not None))


def _carried_measure(measure: Measure, object_id: str, carry: Carry) -> Measure | None:
    """A measure on the new points; None where one end is gone, or both are one."""
    ends = {}
    for name in ("first", "second"):
        end = getattr(measure, name)
        point = carry.point(end.point) if end.owner == object_id else end.point
        if point is None:
            return None
        ends[name] = PointOf(end.owner, point)
    return replace(measure, **ends) if ends["first"] != ends["second"] else None


def set_surface(scene: Scene, object_id: str, levels: int, on: bool = True) -> Scene:
    """See a mesh as its smooth surface of 1 or 2 levels, or (0) as it is. Raises EditRefused for what is no mesh, for faces
    that cannot be divided, and where there would be too many points."""
    obj = scene.object(object_id)
    if not 0 <= levels <= MOST_LEVELS:
        raise EditRefused(f"A smooth surface has from 0 to {MOST_LEVELS} levels, not {levels}.")
    if levels:
        finer(obj.mesh, levels)
    return scene.with_object(replace(obj, surface=Surface(levels, on) if levels else None))


def _moved_points(obj: MorphObject, linear: np.ndarray, shift: np.ndarray, transform: Transform) -> MorphObject:
    """Every shape of the object through ``linear`` (3, 3), the base also by ``shift`` (3,)."""

    def deltas(old: Deltas) -> Deltas:
        return Deltas(old.indices, old.offsets @ linear.T)

    def target(old: Target) -> Target:
        stages = tuple(replace(s, deltas=deltas(s.deltas)) for s in old.in_betweens)
        return replace(old, deltas=deltas(old.deltas), in_betweens=stages)

    targets = obj.targets if np.array_equal(linear, np.eye(3)) else tuple(target(t) for t in obj.targets)
    deformers, skin = _moved_boxes(obj, linear, shift), obj.skin
    if skin is not None:
        moved = np.eye(4)
        moved[:3, :3], moved[:3, 3] = linear, shift
        bound = replace(skin.bound, into=skin.bound.into @ np.linalg.inv(moved), out=moved @ skin.bound.out)
        skin = replace(skin, bound=bound)
    return replace(obj, base=obj.base @ linear.T + shift, targets=targets, transform=transform, deformers=deformers, skin=skin)


def _moved_boxes(obj: MorphObject, linear: np.ndarray, shift: np.ndarray) -> tuple[Deformer, ...]:
    """The deformers with their boxes moved along."""

    def moved(d: Deformer) -> Deformer:
        ends = np.array(d.box) @ linear.T + shift
        return replace(d, box=(tuple(ends.min(axis=0).tolist()), tuple(ends.max(axis=0).tolist())))

    return tuple(moved(d) if d.box else d for d in kept_to(obj.deformers, obj.base))


def freeze_transform(scene: Scene, object_id: str) -> Scene:
    """The object's position, rotation and scale put into its points; it stays where it is seen.

    Raises EditRefused for a scale that turns the faces inside out.
    """
    obj = scene.unlocked(object_id)
    _stands_still(obj, ("position", "rotation", "scale"), "frozen")
    matrix = obj.transform.matrix()
    if obj.deformers and (obj.transform.rotation != (0.0, 0.0, 0.0) or len(set(obj.transform.scale)) > 1):
        held = " and ".join(d.kind for d in obj.deformers)
        raise EditRefused(
            f"{obj.name} goes through a {held} along its own axes; a rotation, or a scale that differs by axis, would change "
            "that. Take them off first."
        )
    if np.linalg.det(matrix[:3, :3]) < 0:
        raise EditRefused(f"{obj.name} has a mirroring scale, which would turn its faces inside out; make it positive first.")
    return scene.with_object(_moved_points(obj, matrix[:3, :3], matrix[:3, 3], Transform()))


def set_size(scene: Scene, object_id: str, size: tuple[float | None, ...]) -> Scene:
    """The base made exactly so large on X, Y and Z, in cm (None stays as it is), about the pivot; every shape with it.

    Raises EditRefused for a size of 0, and for an axis on which the base has no extent.
    """
    obj = scene.unlocked(object_id)
    now = extent(obj.base)
    factors = np.ones(3)
    for k, wanted in enumerate(size):
        if wanted is None or wanted == now[k]:
            continue
        if not (np.isfinite(wanted) and wanted > 0):
            raise EditRefused(f"{obj.name} must be larger than 0 cm on {'XYZ'[k]}, not {wanted:g}.")
        if now[k] <= 1e-9 * max(now.max(), 1e-9):
            raise EditRefused(f"{obj.name} is flat on {'XYZ'[k]}; no factor makes it {wanted:g} cm there.")
        factors[k] = wanted / now[k]
    pivot = np.array(obj.transform.pivot)
    return scene.with_object(_moved_points(obj, np.diag(factors), pivot - factors * pivot, obj.transform))


def set_pivot(scene: Scene, object_id: str, part: tuple[float, float, float]) -> Scene:
    """The pivot at a part of the base's box, from 0 for the low to 1 for the high side on each axis; the object stays where it
    is seen. Raises EditRefused where it has keys on its position, which counts from there."""
    obj = scene.object(object_id)
    _stands_still(obj, ("position",), "turned about another pivot")
    low, high = box(obj.base) if len(obj.base) else (np.zeros(3), np.zeros(3))
    old, pivot = obj.transform, low + np.array(part) * (high - low)
    linear = old.matrix()[:3, :3]
    position = old.matrix()[:3, 3] - pivot + linear @ pivot
    return scene.with_object(
        replace(obj, transform=replace(old, pivot=tuple(pivot.tolist()), position=tuple(position.tolist())))
    )


def origin_to_point(scene: Scene, object_id: str, point: int) -> Scene:
    """The object's origin moved to a point of its base; it stays where it is seen."""
    obj = scene.unlocked(object_id)
    _stands_still(obj, ("position",), "moved to another origin")
    place = obj.base[point]
    old = obj.transform
    linear = old.matrix()[:3, :3]
    pivot = np.array(old.pivot) - place
    # the new pivot keeps its place in the object; position takes up the rest
    wanted = old.matrix()[:3, :3] @ place + old.matrix()[:3, 3]
    position = wanted - (pivot - linear @ pivot)
    moved = replace(old, pivot=tuple(pivot.tolist()), position=tuple(position.tolist()))
    return scene.with_object(_moved_points(obj, np.eye(3), -place, moved))


def _stands_still(obj: MorphObject, parts: tuple[str, ...], what: str) -> None:
    """Refuse what would tear an object away from its own keys."""
    keyed = [lane.channel for lane in obj.lanes if lane.channel.partition(".")[0] in parts]
    if keyed:
        raise EditRefused(f"{obj.name} has keys on its {keyed[0].partition('.')[0]}, and cannot be {what}; delete those first.")
