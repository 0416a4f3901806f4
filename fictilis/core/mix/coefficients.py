"""Weights to coefficients: every feature of the mix is one flat set of delta columns and one number for each."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from msgspec import Struct

from fictilis.core.ground.arrays import cached_by_identity
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.bands import band_deltas, band_shares, swept
from fictilis.core.mix.masks import masked, own
from fictilis.core.scene.scene import Deltas, MorphObject, Target
from fictilis.core.scene.sweep import front_of

FULL = 1.0


class Column(Struct, frozen=True, eq=False, weakref=True):
    """Deltas with one coefficient: a target's full shape (``at`` 1), one of its in-betweens, or a band of a swept one."""

    target: str
    at: float
    deltas: Deltas
    band: int | None = None


@cached_by_identity
def columns(obj: MorphObject) -> tuple[Column, ...]:
    """All columns of an object: per target its in-betweens, then its full shape."""
    return tuple(column for target in obj.targets for column in _columns_of(target))


@cached_by_identity
def _columns_of(target: Target) -> tuple[Column, ...]:
    """Shared by all the objects that an edit leaves the target in."""
    stages = [Column(target.id, stage.at, masked(stage.deltas, target.mask)) for stage in target.in_betweens]
    if target.sweep is None:
        return (*stages, Column(target.id, FULL, own(target)))
    return (*stages, *(Column(target.id, FULL, part, band) for band, part in enumerate(band_deltas(target))))


def column_numbers(obj: MorphObject, target_id: str, at: float = FULL) -> list[int]:
    """The places of a target's full shape, several where it is swept, or of its in-between at ``at``, among the columns."""
    found = [n for n, c in enumerate(columns(obj)) if c.target == target_id and abs(c.at - at) < 1e-9]
    if not found:
        raise KeyError((target_id, at))
    return found


def weight_rows(obj: MorphObject, weights: Mapping[str, float | np.ndarray]) -> np.ndarray:
    """Weights by target id as rows (r,), or (r, f) where some are over frames, in the order of ``row_ids``: the targets, 0
    where one is not named, then the fronts of sweeps, 1 where one is not."""
    number = _places(obj).number
    rows = list(weights.values())
    shape = next((np.shape(row) for row in rows if np.shape(row)), ())
    out = np.zeros((len(number), *shape))
    out[len(obj.targets) :] = 1.0
    if rows:
        out[[number[target_id] for target_id in weights]] = [np.broadcast_to(r, shape) for r in rows] if shape else rows
    return out


def coefficients(obj: MorphObject, acting: np.ndarray) -> np.ndarray:
    """Coefficients of the columns, (c,) or (c, f), for acting weights and fronts (r,) or (r, f), in the order of ``row_ids``.

    A target that is built on others brings in their deltas by the coefficient of its own full shape.
    """
    out = np.zeros((len(columns(obj)), *acting.shape[1:]))
    number, first, plain, rest = _places(obj)
    out[first[plain]] = acting[plain]
    fronts = {target_id: acting[number[front_of(target_id)]] for target_id in swept(obj)}
    above: dict[int, np.ndarray] = {}  # what those built on a target bring in of it
    for n in rest:
        target, load = obj.targets[n], above.pop(n, None)
        if load is not None:
            _bring(out, first, obj, n, load)
        if acting[n].any():
            parts = stage_coefficients(target, acting[n])
            if target.sweep is not None:
                parts = parts * band_shares(obj, target, fronts)
            out[first[n] : first[n] + len(parts)] += parts
            load = parts[-1] + (0.0 if load is None else load)
        if target.built_on is not None and load is not None:
            parent = number[target.built_on]
            above[parent] = above.get(parent, 0.0) + load
    for n, load in above.items():
        _bring(out, first, obj, n, load)
    return out


def _bring(out: np.ndarray, first: np.ndarray, obj: MorphObject, n: int, load: np.ndarray) -> None:
    """Add to the coefficients of a target's full shape, of which it has several where it is swept."""
    target = obj.targets[n]
    whole = first[n] + len(target.in_betweens)
    out[whole : whole + (target.sweep.bands if target.sweep is not None else 1)] += load


@cached_by_identity
def row_ids(obj: MorphObject) -> tuple[str, ...]:
    """The ids of an object's targets in their order, then those of the channels of their fronts."""
    return (*(t.id for t in obj.targets), *map(front_of, swept(obj)))


class _Places(NamedTuple):
    """The row of each target and front by id; the first column (t,) of each target; the numbers (p,) of those that have no
    other and are built on the base; the numbers of the rest, each before the one it is built on."""

    number: dict[str, int]
    first: np.ndarray
    plain: np.ndarray
    rest: tuple[int, ...]


@cached_by_identity
def _places(obj: MorphObject) -> _Places:
    counts = [len(t.in_betweens) + (t.sweep.bands if t.sweep is not None else 1) for t in obj.targets]
    first = np.cumsum([0, *counts], dtype=np.intp)[:-1]
    depth = _depths(obj)
    rest = [n for n, t in enumerate(obj.targets) if t.in_betweens or t.built_on is not None or t.sweep is not None]
    rest.sort(key=lambda n: -depth[obj.targets[n].id])
    plain = np.delete(np.arange(len(first)), rest)
    return _Places({row: n for n, row in enumerate(row_ids(obj))}, first, plain, tuple(rest))


def _depths(obj: MorphObject) -> dict[str, int]:
    """On how many targets each is built, by id. Raises EditRefused for one that is built on itself."""
    out: dict[str, int] = {}
    for target in obj.targets:
        way = [target]
        while way[-1].built_on is not None and way[-1].id not in out and len(way) <= len(obj.targets):
            way.append(obj.target(way[-1].built_on))
        if len(way) > len(obj.targets):
            raise EditRefused(f"{obj.name}: {target.name} is built on itself.")
        base = out.get(way[-1].id, 0)
        out |= {part.id: base + n for n, part in enumerate(reversed(way))}
    return out


def stage_coefficients(target: Target, weight: float | np.ndarray) -> np.ndarray:
    """(s,) or (s, f): the share of each in-between and, last, of the full shape at ``weight``."""
    knots = tuple(stage.at for stage in target.in_betweens) + (FULL,)
    if len(knots) == 1:
        return np.asarray(weight, np.float64)[None]
    return cardinals(knots, target.path, weight)


def cardinals(knots: tuple[float, ...], path: str, weight: float | np.ndarray) -> np.ndarray:
    """Values at ``weight`` of the functions that are 1 at one knot and 0 at the others and at 0.

    straight: piecewise linear, the end pieces going on. curved: natural cubic spline, linear beyond its ends.
    Source: straight, OpenUSD's in-between shapes (UsdSkel, "Inbetween"); curved, de Boor, A Practical Guide to Splines,
    ch. IV (free-end conditions).
    """
    order, xs, ys, slopes = _spline(knots, path)
    w = np.asarray(weight, np.float64)
    i = np.clip(np.searchsorted(xs, w, side="right") - 1, 0, len(xs) - 2)
    h = xs[i + 1] - xs[i]
    t = (w - xs[i]) / h
    low, high = ys[:, i], ys[:, i + 1]
    if path == "straight":
        values = low + (high - low) * t
    else:
        inside = np.clip(t, 0.0, 1.0)
        a, b = slopes[:, i] * h, slopes[:, i + 1] * h
        s = 1 - inside
        values = (1 + 2 * inside) * s * s * low + inside * s * s * a + inside**2 * (3 - 2 * inside) * high
        values -= inside**2 * s * b
        values += np.where(t < 0, a * t, np.where(t > 1, b * (t - 1), 0.0))
    return values[order]


@lru_cache(maxsize=512)
def _spline(knots: tuple[float, ...], path: str) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """For knots and 0 sorted: the row of each knot, xs (n,), cardinal values (k, n), natural spline slopes (k, n)."""
    xs = np.array(sorted((0.0, *knots)))
    rows = [list(xs).index(k) for k in knots]
    ys = np.eye(len(xs))
    n, h = len(xs), np.diff(xs)
    system, right = np.zeros((n, n)), np.zeros((n, n))
    system[0, :2], right[0] = (2, 1), 3 * (ys[1] - ys[0]) / h[0]
    system[-1, -2:], right[-1] = (1, 2), 3 * (ys[-1] - ys[-2]) / h[-1]
    for i in range(1, n - 1):
        system[i, i - 1 : i + 2] = 1 / h[i - 1], 2 / h[i - 1] + 2 / h[i], 1 / h[i]
        right[i] = 3 * ((ys[i] - ys[i - 1]) / h[i - 1] ** 2 + (ys[i + 1] - ys[i]) / h[i] ** 2)
    slopes = np.linalg.solve(system, right)
    return np.array(rows), xs, ys.T, slopes.T
