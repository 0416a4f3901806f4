"""A swept target as columns: its deltas cut into bands over the field, each fading into the next, that add up to the whole."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fictilis.core.ground.arrays import cached_by_both, cached_by_identity
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.masks import own
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, Target, targets_by_id
from fictilis.core.scene.sweep import Sweep


@cached_by_identity
def swept(obj: MorphObject) -> dict[str, Sweep]:
    """The sweeps of an object by the ids of their targets."""
    return {t.id: t.sweep for t in obj.targets if t.sweep is not None}


def band_deltas(target: Target) -> tuple[Deltas, ...]:
    """The masked deltas of a swept target in its bands, from the first that is reached to the last; they sum to all of it."""
    assert target.sweep is not None
    return _cut(own(target), target.sweep.field, target.sweep.bands)


@cached_by_both
def _cut(deltas: Deltas, field: np.ndarray, bands: int) -> tuple[Deltas, ...]:
    place = np.clip(field[deltas.indices], 0.0, 1.0) * (bands - 1)
    low = np.minimum(place.astype(np.int64), bands - 2)
    high = place - low
    out = []
    order = np.argsort(low, kind="stable")
    starts = np.searchsorted(low[order], np.arange(bands))
    for band in range(bands):
        mine = order[starts[band] : starts[band + 1]] if band + 1 < bands else order[:0]
        before = order[starts[band - 1] : starts[band]] if band else order[:0]
        rows = np.concatenate([before, mine])
        shares = np.concatenate([high[before], 1.0 - high[mine]])
        on = shares > 0
        rows, shares = rows[on], shares[on]
        turn = np.argsort(rows)
        rows, shares = rows[turn], shares[turn]
        out.append(Deltas(deltas.indices[rows], deltas.offsets[rows] * shares[:, None]))
    return tuple(out)


def band_shares(obj: MorphObject, target: Target, fronts: dict[str, np.ndarray]) -> np.ndarray:
    """(b,) or (b, f): how far each band of a swept target is up, for the fronts by target id."""
    sweep = target.sweep
    assert sweep is not None
    places = np.linspace(0.0, 1.0, sweep.bands)
    out = sweep.passed(fronts[target.id], places)
    other = targets_by_id(obj).get(sweep.until or "")
    if other is not None and other.sweep is not None:
        out = out * (1.0 - other.sweep.passed(fronts[other.id], places))
    return out


def without_until(obj: MorphObject, target_id: str) -> tuple[Target, ...]:
    """The targets of an object, none of which gives way to ``target_id``."""
    return tuple(
        replace(t, sweep=replace(t.sweep, until=None)) if t.sweep is not None and t.sweep.until == target_id else t
        for t in obj.targets
    )


def sweep_of(scene: Scene, object_id: str, target_id: str) -> Sweep:
    """Raises EditRefused for a target without one."""
    target = scene.object(object_id).target(target_id)
    if target.sweep is None:
        raise EditRefused(f"{target.name} has no sweep; let it sweep over the object first.")
    return target.sweep
