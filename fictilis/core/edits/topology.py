"""Edits of topology: one operation on the mesh, carried through to base, targets, in-betweens, masks and picks."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from fictilis.core.appearance import Surface
from fictilis.core.arrays import add_rows, box, extent
from fictilis.core.channel_kinds import LINE_IDS
from fictilis.core.deform.after import carried_bound, finer_of
from fictilis.core.deformers import Deformer, kept_to
from fictilis.core.errors import EditRefused
from fictilis.core.geometry.carry import Carry
from fictilis.core.geometry.finer import MOST_LEVELS, finer
from fictilis.core.geometry.kinds import MOST_POINTS, WHOLE, Line, Mesh
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.lines.tubes import in_part, tube_mesh, tube_points
from fictilis.core.kept import NamedPick
from fictilis.core.mix.masks import masked, own
from fictilis.core.places import Transform
from fictilis.core.point_spring import PointSpring
from fictilis.core.rigs import Skin
from fictilis.core.scene import Deltas, InBetween, MorphObject, Scene, Target


def carry_through(scene: Scene, object_id: str, carry: Carry) -> Scene:
    """The scene with an object's geometry replaced, and everything that belongs to its points carried along."""
    obj = scene.unlocked(object_id)
    count = carry.geometry.point_count
    if count > MOST_POINTS:
        raise EditRefused(f"{obj.name} would have {count:,} points; more than {MOST_POINTS:,} are not made here.")
    return scene.with_object(carried_object(obj, carry))


def set_surface(scene: Scene, object_id: str, levels: int, on: bool = True) -> Scene:
    """See a mesh as its smooth surface of 1 or 2 levels, or (0) as it is. Raises EditRefused for what is no mesh, for faces
    that cannot be divided, and where there would be too many points."""
    obj = scene.object(object_id)
    if not 0 <= levels <= MOST_LEVELS:
        raise EditRefused(f"A smooth surface has from 0 to {MOST_LEVELS} levels, not {levels}.")
    if levels:
        finer(obj.mesh, levels)
    return scene.with_object(replace(obj, surface=Surface(levels, on) if levels else None))


def as_drawn(obj: MorphObject) -> MorphObject:
    """A line as it is drawn, of degree 1 or as the mesh of its tube, and a mesh as its smooth surface, with all targets;
    another object as it is."""
    fine = finer_of(obj)
    if fine is not None:
        return replace(carried_object(_pinned(obj), fine.carry), surface=None)
    if not isinstance(obj.geometry, Line) or obj.geometry.degree == 1 and obj.geometry.tube is None:
        return obj
    if obj.geometry.tube is not None:
        return _as_tube(obj, obj.geometry)
    curve = drawn(obj.geometry)
    return carried_object(_pinned(obj), Carry(curve.line, curve.matrix, np.zeros(0, np.int64)))


def _pinned(obj: MorphObject) -> MorphObject:
    return replace(obj, deformers=kept_to(obj.deformers, obj.base))


def shown_points(obj: MorphObject, points: np.ndarray, part: tuple[float, float] = WHOLE) -> np.ndarray:
    """Where the points of ``as_drawn`` are while the object's own are at (n, 3): exact for tubes at any mix."""
    smooth = finer_of(obj)
    if smooth is not None:
        return smooth.of(points)
    if not isinstance(obj.geometry, Line):
        return points
    if obj.geometry.tube is not None:
        return tube_points(obj.geometry, points, part)
    fine = drawn(obj.geometry)
    return in_part(fine.line, fine.of(points), part)


def _as_tube(obj: MorphObject, line: Line) -> MorphObject:
    """The mesh of a line's tube; see baked."""
    fine, sides = drawn(line), len(line.tube.profile) if line.tube is not None else 1
    return baked(obj, tube_mesh(line), lambda points: tube_points(line, points), lambda field: np.repeat(fine.of(field), sides))


def baked(
    obj: MorphObject, mesh: Mesh, points_of: Callable[[np.ndarray], np.ndarray], scalars: Callable[[np.ndarray], np.ndarray]
) -> MorphObject:
    """A mesh whose points follow from those of an object, in each of its shapes, with masks in them. Only at these is it what
    ``points_of`` (n, 3) gives, unless that is linear. ``scalars`` carries a number of each point."""
    base = points_of(obj.base)

    def shape(parts: list[Deltas]) -> np.ndarray:
        points = obj.base.copy()
        for part in parts:
            add_rows(points, part.indices, part.offsets)
        return points_of(points)

    def deltas(parts: list[Deltas], below: list[Deltas]) -> Deltas:
        return Deltas.from_dense(shape(parts) - (shape(below) if below else base))

    def target(old: Target) -> Target:
        parents = [own(p) for p in obj.ancestors(old)]
        stages = tuple(InBetween(s.at, deltas([masked(s.deltas, old.mask)], []), s.name) for s in old.in_betweens)
        sweep = old.sweep
        if sweep is not None:
            sweep = replace(sweep, field=np.clip(scalars(sweep.field), 0.0, 1.0))
        full = deltas([*parents, own(old)], parents)
        return replace(old, deltas=full, in_betweens=stages, mask=None, sweep=sweep, match=None)

    return replace(
        obj, geometry=mesh, base=base, targets=tuple(target(t) for t in obj.targets), picks=(), drawn=WHOLE,
        spring=_sprung(obj, scalars),
        appearance=replace(obj.appearance, texture=None), lanes=tuple(x for x in obj.lanes if x.channel not in LINE_IDS),
    )  # fmt: skip


def _sprung(obj: MorphObject, scalars: Callable[[np.ndarray], np.ndarray]) -> PointSpring | None:
    """The point spring with its masses carried to other points."""
    if obj.spring is None or obj.spring.field is None:
        return obj.spring
    return replace(obj.spring, field=np.clip(scalars(obj.spring.field), 0.0, 1.0))


def carried_object(obj: MorphObject, carry: Carry) -> MorphObject:
    """An object with another geometry, and everything that belongs to its points carried along."""

    def deltas(old: Deltas, was: np.ndarray | None, mask: np.ndarray | None) -> Deltas:
        """What is carried is the masked shape; with the mask carried too, D′ = C (m D) / (C m) makes it the same one again.
        Where the mask is 0 the offsets that it hides, C D, are kept for when it is taken off."""
        if not len(old.indices):
            return old
        dense = old.dense(len(obj.base))
        if was is None or mask is None:
            return Deltas.from_dense(carry.deltas(dense))
        moved = carry.deltas(was[:, None] * dense)
        seen = moved / np.where(mask > 0, mask, 1.0)[:, None]
        return Deltas.from_dense(np.where(mask[:, None] > 0, seen, carry.deltas(dense)))

    def target(old: Target) -> Target:
        mask = None if old.mask is None else np.clip(carry.scalars(old.mask), 0.0, 1.0)
        stages = tuple(InBetween(s.at, deltas(s.deltas, old.mask, mask), s.name) for s in old.in_betweens)
        sweep = old.sweep
        if sweep is not None:
            sweep = replace(sweep, field=np.clip(carry.scalars(sweep.field), 0.0, 1.0))
        return replace(old, deltas=deltas(old.deltas, old.mask, mask), in_betweens=stages, mask=mask, sweep=sweep, match=None)

    look, texture = obj.appearance, obj.appearance.texture
    if texture is not None and texture.projected is not None:
        look = replace(look, texture=replace(texture, projected=carry.scalars(texture.projected)))
    picks = tuple(NamedPick(p.name, carry.picked(p.pick, obj.geometry)) for p in obj.picks)
    return replace(
        obj, geometry=carry.geometry, base=carry.base(obj.base), targets=tuple(target(t) for t in obj.targets), appearance=look,
        picks=tuple(p for p in picks if len(p.pick)), spring=_sprung(obj, carry.scalars),
        skin=_hung(obj, carry),
    )  # fmt: skip


def _hung(obj: MorphObject, carry: Carry) -> Skin | None:
    """The skin with its weights carried to other points; a line has none."""
    if obj.skin is None or not isinstance(carry.geometry, Mesh):
        return None
    return replace(obj.skin, bound=carried_bound(obj.skin.bound, carry.matrix))


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
