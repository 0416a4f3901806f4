"""Relays: groups of targets that one lane leads from pose to pose.

A pose is a key that names a shape, a target of the group or the base; between two poses the group gives the blend of exactly
those two. What comes out are weights of the group's targets, so a relay mixes, exports and drives as any targets do.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping
from typing import Any, NamedTuple

import numpy as np

from fictilis.core.animation.curve import SAME_FRAME, AnimationCurve, Key
from fictilis.core.animation.easing import ease_at
from fictilis.core.ground.arrays import add_rows, cached_by_identity
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.coefficients import coefficients, columns, weight_rows
from fictilis.core.scene.scene import STRAIGHT, Group, MorphObject, Target, targets_by_id
from fictilis.core.scene.timeline import Lane, lanes_by_channel

NEGLIGIBLE = 1e-10  # a share of a pose far off, by which a spline would pull every shape into every frame


@cached_by_identity
def relays(obj: MorphObject) -> dict[str, Group]:
    """The groups of an object that are relays, by id."""
    return {group.id: group for group in obj.groups if group.relay is not None}


def relay_of(obj: MorphObject, target: Target) -> Group | None:
    """The relay a target is a shape of, or None."""
    return relays(obj).get(target.group) if target.group is not None else None


@cached_by_identity
def _members(obj: MorphObject) -> dict[str, tuple[Target, ...]]:
    out: dict[str, list[Target]] = {}
    for target in obj.targets:
        out.setdefault(target.group or "", []).append(target)
    return {group_id: tuple(row) for group_id, row in out.items()}


def members(obj: MorphObject, group_id: str) -> tuple[Target, ...]:
    """The targets of a group, in the order of the cards."""
    return _members(obj).get(group_id, ())


def poses(obj: MorphObject, group_id: str) -> tuple[Key, ...]:
    """The poses of a relay, by frame."""
    lane = lanes_by_channel(obj).get(group_id)
    return lane.curve.keys if lane is not None else ()


def is_closed(row: tuple[Key, ...]) -> bool:
    """Whether a row of poses ends as it begins."""
    return len(row) > 2 and row[0].shows(row[-1])


class Stretch(NamedTuple):
    """Where frames (f,) stand between two poses: the number of the pose before, that of the next, and how far on, 0…1 (an
    easing may swing out of it)."""

    before: np.ndarray
    after: np.ndarray
    part: np.ndarray


@cached_by_identity
def _row(curve: AnimationCurve) -> tuple[np.ndarray, np.ndarray, tuple[str, ...], np.ndarray]:
    """Frames (n,), ways (n,), the shapes that stand in the row, each once, and the place of each pose's shape among them."""
    shapes = tuple(dict.fromkeys(key.shape for key in curve.keys))
    place = {shape: n for n, shape in enumerate(shapes)}
    ways = np.array([key.ease if key.interpolation == "ease" else key.interpolation for key in curve.keys])
    return np.array([k.frame for k in curve.keys]), ways, shapes, np.array([place[k.shape] for k in curve.keys])


def stretch_at(curve: AnimationCurve, frames: np.ndarray) -> Stretch:
    """Where ``frames`` (f,) stand in a row of at least one pose; outside it holds, repeats or runs back and forth.

    Ways to the next pose: hold; linear; smooth, 3u² - 2u³; or an easing.
    """
    starts, ways, _, _ = _row(curve)
    at = curve.inside(frames)[0]
    before = np.clip(np.searchsorted(starts, at, side="right") - 1, 0, len(starts) - 1)
    after = np.minimum(before + 1, len(starts) - 1)
    span = starts[after] - starts[before]
    u = np.clip(np.where(span > 0, (at - starts[before]) / np.where(span > 0, span, 1.0), 0.0), 0.0, 1.0)
    part = u.copy()
    chosen = ways[before]
    for way in set(chosen.tolist()) - {"linear"}:
        on = chosen == way
        if way == "hold":
            part[on] = 0.0
        else:
            part[on] = u[on] ** 2 * (3 - 2 * u[on]) if way == "smooth" else ease_at(way, u[on])
    return Stretch(before, after, part)


def pose_shares(curve: AnimationCurve, path: str, frames: np.ndarray) -> tuple[tuple[str, ...], np.ndarray]:
    """The shapes of a row of poses, and the share (s, f) of each at ``frames`` (f,); at every frame they sum to 1.

    straight: the blend of the two poses beside the frame. through: the cubic spline in time through the row, natural at its
    ends, or periodic where first and last pose are one shape; a hold ends it, and another begins behind it.
    Source: de Boor, A Practical Guide to Splines, ch. IV (free-end and periodic conditions), in Hermite form.
    """
    return _shares(curve, path, stretch_at(curve, frames))


def place_shares(curve: AnimationCurve, path: str, place: float) -> dict[str, float]:
    """The share of each shape where a row of poses stands at a ``place``: 2.25 is a quarter of the way from the third pose to
    the fourth, whatever leads there in time."""
    place = min(max(place, 0.0), len(curve.keys) - 1.0)
    before = int(place)
    at = Stretch(np.array([before]), np.array([min(before + 1, len(curve.keys) - 1)]), np.array([place - before]))
    shapes, shares = _shares(curve, path, at)
    return dict(zip(shapes, shares[:, 0].tolist(), strict=True))


def _shares(curve: AnimationCurve, path: str, at: Stretch) -> tuple[tuple[str, ...], np.ndarray]:
    starts, _, shapes, place = _row(curve)
    before, after, part = _on_spline(curve, at) if path != STRAIGHT else at
    out, column = np.zeros((len(shapes), len(part))), np.arange(len(part))
    if path == STRAIGHT:
        np.add.at(out, (place[before], column), 1.0 - part)
        np.add.at(out, (place[after], column), part)
        return shapes, out
    beyond, part = np.where(part < 0, part, np.maximum(part - 1.0, 0.0)), np.clip(part, 0.0, 1.0)
    rest, span = 1.0 - part, starts[after] - starts[before]
    np.add.at(out, (place[before], column), (1 + 2 * part) * rest**2)
    np.add.at(out, (place[after], column), part**2 * (3 - 2 * part))
    slopes = _slopes(curve)
    out += slopes[:, before] * (part * rest**2 * span) - slopes[:, after] * (part**2 * rest * span)
    out += np.where(beyond < 0, slopes[:, before], slopes[:, after]) * (beyond * span)  # straight on at the row's ends
    return shapes, out


def _on_spline(curve: AnimationCurve, at: Stretch) -> Stretch:
    """Where an easing swings out of its stretch, the place in the one beside it that lies so far on in time: it stays on the
    spline. At the ends of a row, and where a hold ends a spline, it goes on straight; one that is closed goes round."""
    swings = (at.part < 0) | (at.part > 1)
    if not swings.any():
        return at
    starts, ways, _, place = _row(curve)
    holds = np.flatnonzero(ways[:-1] == "hold")
    first = np.append(0, holds + 1)[np.searchsorted(holds, at.before[swings])]
    last = np.append(holds, len(starts) - 1)[np.searchsorted(holds, at.before[swings])]
    time = starts[at.before] + at.part * (starts[at.after] - starts[at.before])
    t = time[swings]
    if not len(holds) and len(starts) > 2 and place[0] == place[-1]:
        t = starts[0] + (t - starts[0]) % (starts[-1] - starts[0])
    before = np.clip(np.searchsorted(starts, t, side="right") - 1, first, np.maximum(last - 1, first))
    after = np.minimum(before + 1, last)
    span = starts[after] - starts[before]
    out = Stretch(at.before.copy(), at.after.copy(), at.part.copy())
    out.before[swings], out.after[swings] = before, after
    out.part[swings] = np.where(span > 0, (t - starts[before]) / np.where(span > 0, span, 1.0), 0.0)
    return out


@cached_by_identity
def _slopes(curve: AnimationCurve) -> np.ndarray:
    """(s, n): how the share of each shape changes a frame at each pose of a row led through."""
    starts, ways, shapes, place = _row(curve)
    out = np.zeros((len(shapes), len(starts)))
    values = np.zeros((len(starts), len(shapes)))
    values[np.arange(len(starts)), place] = 1.0
    holds = ways[:-1] == "hold"
    ends = [*np.flatnonzero(holds).tolist(), len(starts) - 1]
    first = 0
    for last in ends:
        if last > first:
            closed = not holds.any() and last - first > 1 and place[0] == place[-1]
            out[:, first : last + 1] = _spline_slopes(np.diff(starts[first : last + 1]), values[first : last + 1], closed).T
        first = last + 1
    out[np.abs(out) < NEGLIGIBLE] = 0.0
    largest = np.abs(out).argmax(axis=0)
    out[largest, np.arange(len(starts))] -= out.sum(axis=0)
    return out


def _spline_slopes(spans: np.ndarray, values: np.ndarray, closed: bool) -> np.ndarray:
    """Slopes (n, s) at the knots of the cubic splines through ``values`` (n, s), ``spans`` (n - 1,) apart."""
    from scipy.linalg import solve_banded

    secants = np.diff(values, axis=0) / spans[:, None]
    near = 1.0 / spans
    if closed:  # the last knot is the first: rows and columns go round, the corners by Sherman and Morrison
        before = np.roll(near, 1)
        right = 3 * (np.roll(secants, 1, axis=0) * before[:, None] + secants * near[:, None])
        corner, main = near[-1], 2 * (before + near)
        if len(main) == 2:
            found = np.linalg.solve([[main[0], before.sum()], [before.sum(), main[1]]], right)
            return np.concatenate([found, found[:1]])
        main[0] -= corner
        main[-1] -= corner
        band = np.stack([np.append(0.0, near[:-1]), main, np.append(near[:-1], 0.0)])
        ones = np.zeros((len(main), 1))
        ones[[0, -1]] = 1.0
        solved = solve_banded((1, 1), band, np.concatenate([right, corner * ones], axis=1))
        found, turn = solved[:, :-1], solved[:, -1:]
        found = found - turn * (found[:1] + found[-1:]) / (1.0 + turn[0] + turn[-1])
        return np.concatenate([found, found[:1]])
    main = np.concatenate([[2.0], 2 * (near[:-1] + near[1:]), [2.0]])
    upper, lower = np.concatenate([[0.0, 1.0], near[1:]]), np.concatenate([near[:-1], [1.0, 0.0]])
    inner = 3 * (secants[:-1] * near[:-1, None] + secants[1:] * near[1:, None])
    right = np.concatenate([3 * secants[:1], inner, 3 * secants[-1:]])
    return solve_banded((1, 1), np.stack([upper, main, lower]), right)


def lead(obj: MorphObject, lanes: Mapping[str, Lane], frame: float | np.ndarray, values: dict[str, Any]) -> None:
    """Put in the weights of all shapes of an object's relays, led by ``lanes``, at a frame, or at frames (any shape), where
    they are 0 so far; and of each relay, by its id, the place in its row: 2.25 is a quarter of the way from the third pose to
    the fourth."""
    for group_id, group in relays(obj).items():
        lane = lanes.get(group_id)
        if lane is None:
            continue
        if not np.shape(frame):
            values[group_id] = _lead_now(obj, lane.curve, group.relay or STRAIGHT, float(frame), values)
            continue
        shape, at = np.shape(frame), np.asarray(frame, np.float64).ravel()
        shapes, shares = pose_shares(lane.curve, group.relay or STRAIGHT, at)
        for target_id, share in zip(shapes, shares, strict=True):
            if target_id in targets_by_id(obj) and share.any():
                values[target_id] = share.reshape(shape)
        before, after, part = stretch_at(lane.curve, at)
        values[group_id] = (before + np.where(after > before, part, 0.0)).reshape(shape)


def _lead_now(obj: MorphObject, curve: AnimationCurve, path: str, frame: float, values: dict[str, Any]) -> float:
    """One relay at one frame, at a cost that follows the shapes that show, not all there are."""
    before, after, part = _stretch_now(curve, frame)
    known = targets_by_id(obj)
    if path == STRAIGHT:
        for number, share in ((before, 1.0 - part), (after, part)):
            if curve.keys[number].shape in known:
                values[curve.keys[number].shape] += share
    else:
        shapes, shares = pose_shares(curve, path, np.array([frame]))
        for number in np.flatnonzero(shares[:, 0]).tolist():
            if shapes[number] in known:
                values[shapes[number]] = float(shares[number, 0])
    return before + (part if after > before else 0.0)


def _stretch_now(curve: AnimationCurve, frame: float) -> tuple[int, int, float]:
    """As ``stretch_at`` at one frame: found among the keys themselves where the row just stands still outside of them."""
    keys = curve.keys
    n = bisect_right(_frames(curve), frame) - 1
    if not 0 <= n < len(keys) - 1 and (curve.before, curve.after) == ("hold", "hold") or n == len(keys) - 1 == 0:
        end = min(max(n, 0), len(keys) - 1)
        return end, min(end + 1, len(keys) - 1), 0.0
    if not 0 <= n < len(keys) - 1 or keys[n].interpolation == "ease":
        before, after, part = stretch_at(curve, np.array([frame]))
        return int(before[0]), int(after[0]), float(part[0])
    u = (frame - keys[n].frame) / (keys[n + 1].frame - keys[n].frame)
    return n, n + 1, {"hold": 0.0, "linear": u, "smooth": u * u * (3 - 2 * u)}[keys[n].interpolation]


@cached_by_identity
def _frames(curve: AnimationCurve) -> list[float]:
    return [key.frame for key in curve.keys]


def relay(obj: MorphObject, group_id: str) -> Group:
    """Raises EditRefused for what is no relay of the object."""
    found = relays(obj).get(group_id)
    if found is None:
        group = obj.group(group_id)
        raise EditRefused(f"{group.name} is no relay." if group else f"{obj.name} has no relay with the id {group_id}.")
    return found


def keys_in_row(obj: MorphObject, group_id: str, least: int = 1) -> tuple[Key, ...]:
    keys, name = poses(obj, group_id), relay(obj, group_id).name
    if len(keys) < least:
        raise EditRefused(f"{name} has {len(keys)} pose{'' if len(keys) == 1 else 's'}; this needs {least}.")
    return keys


def shape_name(obj: MorphObject, shape: str) -> str:
    """The name of a pose's shape."""
    return obj.target(shape).name if shape else "Base"


def relay_points(obj: MorphObject, group_id: str, frame: float) -> np.ndarray:
    """Points (n, 3) of what a relay alone makes of the base at a frame, before mute and the slider of its group."""
    weights = dict.fromkeys((t.id for t in obj.targets), 0.0)
    lead(obj, lanes_by_channel(obj), float(frame), weights)
    shares = coefficients(obj, weight_rows(obj, {t.id: weights[t.id] for t in members(obj, group_id)}))
    out = obj.base.copy()
    for number in np.flatnonzero(shares):
        deltas = columns(obj)[number].deltas
        add_rows(out, deltas.indices, deltas.offsets, float(shares[number]))
    return out


def middle(obj: MorphObject, group_id: str, frame: float) -> float:
    """The whole frame in the middle of the stretch that ``frame`` lies in. Raises EditRefused where there is no room."""
    keys = keys_in_row(obj, group_id, 2)
    pairs = [(a.frame, b.frame) for a, b in zip(keys, keys[1:], strict=False) if a.frame <= frame + SAME_FRAME < b.frame]
    if not pairs:
        raise EditRefused(f"Frame {frame:g} lies in no stretch of {relay(obj, group_id).name}; go between two of its poses.")
    low, high = pairs[0]
    at = float(np.floor((low + high) / 2))
    if at <= low + SAME_FRAME:
        raise EditRefused(f"There is no whole frame between the poses at {low:g} and {high:g}; move one of them away first.")
    return at


def pose_at(obj: MorphObject, group_id: str, frame: float) -> Key:
    """The pose that stands at a frame, else the one before it, else the first."""
    keys = keys_in_row(obj, group_id)
    earlier = [k for k in keys if k.frame <= frame + SAME_FRAME]
    return earlier[-1] if earlier else keys[0]
