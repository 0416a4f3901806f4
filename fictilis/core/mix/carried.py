"""An object with another geometry, and everything that belongs to its points carried along."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from fictilis.core.geometry.carry import Carry
from fictilis.core.geometry.kinds import WHOLE, Mesh
from fictilis.core.ground.arrays import add_rows
from fictilis.core.mix.channel_kinds import LINE_IDS
from fictilis.core.mix.masks import masked, own
from fictilis.core.rig.binding import carried_bound
from fictilis.core.scene.kept import NamedPick
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.rigs import Skin
from fictilis.core.scene.scene import Deltas, InBetween, MorphObject, Target


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
