"""Checks of targets and their shapes: what piles up, moves nothing, tears seams open, or is in another order."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np
from msgspec.structs import replace

from fictilis.core.checks.finding import Finding, frames_of
from fictilis.core.edits import timing
from fictilis.core.edits.targets import remove_target, set_muted
from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.topology import edges
from fictilis.core.ground.arrays import add_rows, cached_by_both, cached_by_identity, lengths, pair_lengths
from fictilis.core.ground.interrupt import check
from fictilis.core.mix.acting import acting_weights, weights_at
from fictilis.core.mix.driven import driven_by, drivers_of
from fictilis.core.mix.masks import own
from fictilis.core.mix.relay import poses, relay_of
from fictilis.core.mix.shapes import shape_parts
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, Target
from fictilis.core.scene.twins import has_twins, twin_groups, twin_pairs

PILE = 1.25  # weights that add up to more than this on the same points
OVERLAP = 0.3  # part of the smaller target's points that both move
LONG = 6.0  # an edge this many times its length in the base, against the middle of all, is torn
TORN = 0.15  # part of the edges that are torn when an order is shuffled


def pile_up(scene: Scene, obj: MorphObject, limit: float = PILE) -> Iterator[Finding]:
    """Targets that move the same points at once by weights that add up to too much."""
    targets = [t for t in obj.targets if not t.muted and t.built_on is None and not driven_by(obj, t) and len(own(t).indices)]
    pairs = _overlapping([_strong(own(t)) for t in targets], len(obj.base))
    at = frames_of(scene)
    weights = acting_weights(obj, weights_at(obj, at, fps=scene.fps)) if pairs else {}
    for first, second, shared in pairs:
        check()
        a, b = targets[first], targets[second]
        one, two = weights[a.id], weights[b.id]
        sums = np.where((one > 0.1) & (two > 0.1), one + two, 0.0)
        worst = int(np.argmax(sums))
        if sums[worst] > limit and _same_way(a, b):
            part = limit / float(sums[worst])
            yield Finding(
                "pile", f"{a.name} and {b.name} move {shared:,} points the same way and add up to {sums[worst]:.2f} at "
                f"frame {at[worst]:g}.", obj.id, a.id, float(at[worst]), f"Lower both to {part:.0%}",
                lambda s, pair=(a.id, b.id), p=part: _lowered(s, obj.id, pair, p), (a.id, b.id),
            )  # fmt: skip


def _overlapping(moved: list[np.ndarray], count: int) -> list[tuple[int, int, int]]:
    """Pairs of point sets that share enough of the smaller one, in order, each with how many they share."""
    from scipy.sparse import csr_array

    if len(moved) < 2:
        return []
    sizes = np.array([len(points) for points in moved])
    starts = np.concatenate([[0], np.cumsum(sizes)])
    sets = csr_array((np.ones(starts[-1], np.int32), np.concatenate(moved), starts), shape=(len(moved), count))
    shared = (sets @ sets.T).tocoo()
    a, b, both = shared.row, shared.col, shared.data
    keep = (a < b) & (both >= OVERLAP * np.minimum(sizes[a], sizes[b]))
    return sorted(zip(a[keep].tolist(), b[keep].tolist(), both[keep].tolist(), strict=True))


def _lowered(scene: Scene, object_id: str, targets: tuple[str, ...], part: float) -> Scene:
    """The weights of targets multiplied by ``part``, all their keys with them."""
    for target_id in targets:
        obj = scene.object(object_id)
        lane = obj.lane(target_id)
        if lane is None:
            target = obj.target(target_id)
            scene = scene.with_object(obj.with_target(replace(target, weight=target.weight * part)))
        else:
            scene = timing.scale_values(scene, [(object_id, target_id)], part)
    return scene


@cached_by_identity
def _strong(deltas: Deltas) -> np.ndarray:
    """Points that a target moves by at least a fifth of its largest move."""
    return deltas.indices[lengths(deltas.offsets) >= 0.2 * deltas.largest]


def _same_way(a: Target, b: Target) -> bool:
    """Whether two targets push the points that both move strongly on the whole in the same direction."""
    points = np.intersect1d(_strong(own(a)), _strong(own(b)), assume_unique=True)
    u, v = (own(t).offsets[np.searchsorted(own(t).indices, points)] for t in (a, b))
    return float((u * v).sum()) > 0.5 * float(np.sqrt((u * u).sum() * (v * v).sum()))


def never_acting(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """Correctives whose drivers are never up together, though something is keyed."""
    ruled = [t for t in obj.targets if t.rule is not None and not t.muted]
    if not ruled or not obj.lanes:
        return
    at = acting_weights(obj, weights_at(obj, frames_of(scene), fps=scene.fps))
    for target in ruled:
        check()
        if float(np.max(at[target.id], initial=0.0)) < 1e-6:
            yield Finding(
                "corrective", f"{target.name} never acts: {drivers_of(obj, target)} are never up together.", obj.id, target.id,
                None, "Remove it", partial(remove_target, object_id=obj.id, target_id=target.id),
            )  # fmt: skip


def idle(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """Targets that move nothing, and such as are never used."""
    used = {t.built_on for t in obj.targets}
    for target in obj.targets:
        check()
        lane = obj.lane(target.id)
        empty = not len(target.deltas.indices) and not target.in_betweens
        relay = relay_of(obj, target)
        if relay is not None:
            if all(key.shape != target.id for key in poses(obj, relay.id)) and target.id not in used:
                gone = partial(remove_target, object_id=obj.id, target_id=target.id)
                said = f"{target.name} stands in no pose of {relay.name}."
                yield Finding("unused", said, obj.id, target.id, None, "Remove it", gone)
            continue
        if driven_by(obj, target) and not empty:
            continue  # see never_acting
        still = abs(target.weight) < 1e-9 if lane is None else not np.any(lane.values(frames_of(scene), scene.fps))
        remedy = ("Remove it", partial(remove_target, object_id=obj.id, target_id=target.id))
        if empty and target.built_on is None:
            yield Finding("empty", f"{target.name} moves no point.", obj.id, target.id, None, *remedy)
        elif still and target.id not in used and obj.lanes:
            yield Finding("unused", f"{target.name} is at 0 all the time.", obj.id, target.id, None, *remedy)


def twins_apart(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """Points that lie on one place in the base and come apart in a target."""
    if not has_twins(obj):
        return
    pairs = twin_pairs(obj)
    for target in obj.targets:
        check()
        dense = target.deltas.dense(len(obj.base))
        gap = lengths(dense[pairs[:, 0]] - dense[pairs[:, 1]])
        apart = int((gap > 1e-6).sum())
        if apart:
            yield Finding(
                "twins", f"{target.name} tears {apart:,} seams open, up to {gap.max():.2f} cm.", obj.id, target.id, None,
                "Join them at their mean", lambda s, t=target.id: _joined(s, obj.id, t),
            )  # fmt: skip


def _joined(scene: Scene, object_id: str, target_id: str) -> Scene:
    obj = scene.object(object_id)
    target, groups = obj.target(target_id), twin_groups(obj)
    dense = target.deltas.dense(len(obj.base))
    counts = np.bincount(groups)
    means = np.stack([np.bincount(groups, dense[:, k]) / counts for k in range(3)], axis=1)[groups]
    return scene.with_object(obj.with_target(replace(target, deltas=Deltas.from_dense(means))))


def shuffled(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """Targets whose vertex order looks shuffled: many edges suddenly many times as long."""
    if len(edges(obj.geometry)) < 8:
        return
    for target in obj.targets:
        check()
        parts = shape_parts(obj, target.id)
        one = len(parts) == 1
        torn = _torn(parts[0], obj.base, obj.geometry) if one else _stretched(parts, obj.base, obj.geometry)
        if torn > TORN:
            yield Finding(
                "order",
                f"{target.name} stretches {torn:.0%} of all edges more than {LONG:g} times; its points may be in another "
                "order than the base's.", obj.id, target.id, None, "" if target.muted else "Mute it",
                None if target.muted else lambda s, t=target.id: set_muted(s, obj.id, t, True),
            )  # fmt: skip


@cached_by_both
def _torn(deltas: Deltas, base: np.ndarray, geometry: Geometry) -> float:
    return _stretched([deltas], base, geometry)


def _stretched(parts: list[Deltas], base: np.ndarray, geometry: Geometry) -> float:
    """The part of all edges that deltas make many times as long; edges of points that stay need no look."""
    pairs = edges(geometry)
    shape, moved = base.copy(), np.zeros(len(base), bool)
    for deltas in parts:
        add_rows(shape, deltas.indices, deltas.offsets)
        moved[deltas.indices] = True
    then = _lengths(geometry, base)
    looked = np.flatnonzero(moved[pairs[:, 0]] | moved[pairs[:, 1]])
    now = pair_lengths(shape, pairs[looked])
    size = max(float(np.median(then)), 1e-12)
    return float((now > LONG * np.maximum(then[looked], size)).sum()) / len(pairs)


@cached_by_both
def _lengths(geometry: Geometry, base: np.ndarray) -> np.ndarray:
    """(e,) lengths of the edges in the base, cm."""
    return pair_lengths(base, edges(geometry))
