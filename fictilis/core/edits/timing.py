"""Edits of many keys at once. ``lanes`` are pairs (owner id, channel id), in the order that matters to a stagger."""

from __future__ import annotations

import operator
from collections.abc import Callable, Iterable, Mapping
from decimal import Decimal
from functools import partial
from heapq import heapify, heappop, heappush

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import SAME_FRAME, AnimationCurve, Key
from fictilis.core.animation.easing import handles_of
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.edits.keys import set_key
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import channel, settable
from fictilis.core.mix.key_refs import KeyRef, Lanes, valued
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.shared_lanes import each_once

NODES = (1 - np.cos((2 * np.arange(24) + 1) * np.pi / 48)) / 2  # of an interval, at which two curves are compared
BETWEEN = 1.02  # how much more the difference of two cubics can be between: 1 / cos(3 π / 48), Ehlich and Zeller (1964)
MOST_WHOLE = 100_000  # whole frames that are looked at too
SAME_SLOPE = 1e-9  # a frame; a straight way on outside would leave any tolerance in the end


def _stretched(handle: tuple[float, float] | None, frames: float, value: float = 1.0) -> tuple[float, float] | None:
    """A handle stretched in time and in value."""
    return None if handle is None else (handle[0] * frames, handle[1] * value)


def map_frames(
    scene: Scene, lanes: Lanes, place: Callable[[float], float], first: float = -np.inf, last: float = np.inf, step: float = 1.0
) -> Scene:
    """Keys from frame ``first`` to ``last`` put where ``place(frame)`` says; handles become ``step`` times as long."""

    def moved(key: Key) -> Key:
        if not first - SAME_FRAME <= key.frame <= last + SAME_FRAME:
            return key
        frame = float(place(key.frame))
        return key if frame == key.frame and step == 1 else replace(
            key, frame=frame, into=_stretched(key.into, step), out=_stretched(key.out, step)
        )  # fmt: skip

    return _map_lanes(scene, lanes, lambda curve: AnimationCurve.of(map(moved, curve.keys), curve))


def _map_lanes(scene: Scene, lanes: Lanes, change: Callable[[AnimationCurve], AnimationCurve]) -> Scene:
    for owner_id, channel_id in each_once(scene, lanes):
        owner = scene.owner(owner_id)
        lane = owner.lane(channel_id)
        if lane is not None:
            scene = scene.with_owner(owner.with_lane(channel_id, change(lane.curve)))
    return scene


def retime(scene: Scene, lanes: Lanes, first: float, last: float, to_first: float, to_last: float, snap: bool = True) -> Scene:
    """The range ``first`` … ``last`` scaled and shifted to ``to_first`` … ``to_last``; keys elsewhere stay.

    Raises EditRefused for a range that does not rise.
    """
    if not (first < last and to_first < to_last):
        raise EditRefused(f"A range must rise: {first:g}…{last:g} to {to_first:g}…{to_last:g}.")
    factor = (to_last - to_first) / (last - first)

    def place(frame: float) -> float:
        there = to_first + (frame - first) * factor
        return float(np.round(there)) if snap and frame == np.floor(frame) else there

    return map_frames(scene, lanes, place, first, last, factor)


def shift_after(scene: Scene, lanes: Lanes, frame: float, by: float) -> Scene:
    """Everything from ``frame`` on moved by ``by`` frames. Back, it may not run into what stays."""
    lanes = list(lanes)
    for owner_id, channel_id in lanes:
        lane = scene.owner(owner_id).lane(channel_id)
        earlier = [k.frame for k in lane.curve.keys if k.frame < frame - SAME_FRAME] if lane else []
        later = [k.frame for k in lane.curve.keys if k.frame >= frame - SAME_FRAME] if lane else []
        if earlier and later and later[0] + by <= earlier[-1] + SAME_FRAME:
            name = channel(scene.owner(owner_id), channel_id).name
            raise EditRefused(f"{name} has a key at frame {earlier[-1]:g}; what follows cannot be moved back over it.")
    return map_frames(scene, lanes, lambda f: f + by, first=frame)


def reverse(scene: Scene, lanes: Lanes, first: float, last: float) -> Scene:
    """The keys of a range run backwards, each easing and handle turned round with them.

    A hold shows the value it began with, up to the frame before the next key; backwards it begins one frame later, so that
    every whole frame shows what its mirror image showed.
    """

    def change(curve: AnimationCurve) -> AnimationCurve:
        inside = [k for k in curve.keys if first - SAME_FRAME <= k.frame <= last + SAME_FRAME]
        rest = [k for k in curve.keys if k not in inside]
        turned: list[Key] = []
        for n, key in enumerate(inside):
            before = inside[n - 1]  # what led to it now leads away from it; what led out of the range still does
            there = first + last - key.frame
            turned.append(
                replace(key, frame=there, into=key.out, out=key.into, interpolation=before.interpolation,
                        ease=_turned_ease(before.ease) if n else before.ease)
            )  # fmt: skip
            changes = not before.shows(key)
            if n and before.interpolation == "hold" and changes and key.frame - before.frame > 1 + SAME_FRAME:
                turned.append(replace(before, frame=there + 1, into=None, out=None, tangent="auto"))
        return AnimationCurve.of((*rest, *turned), curve)

    return _map_lanes(scene, lanes, change)


def _turned_ease(ease: str) -> str:
    """The easing that runs the same way backwards."""
    inner = handles_of(ease)
    if inner is None:
        name, _, way = ease.partition("-")
        return f"{name}-{ {'in': 'out', 'out': 'in'}.get(way, way) }"
    x1, y1, x2, y2 = (f"{1 - Decimal(repr(v)):f}" for v in inner)  # 1 - 0.42 is 0.58, and comes back
    return f"cubic-bezier({x2}, {y2}, {x1}, {y1})"


def mirror_values(scene: Scene, lanes: Lanes, about: float) -> Scene:
    """Values mirrored about one: twice ``about`` minus the value, handles too."""

    def mirrored(key: Key) -> Key:
        return replace(
            key, value=2 * about - key.value, into=_stretched(key.into, 1.0, -1.0), out=_stretched(key.out, 1.0, -1.0)
        )

    return _map_lanes(scene, valued(scene, lanes), lambda c: replace(c, keys=tuple(map(mirrored, c.keys))))


def scale_values(scene: Scene, lanes: Lanes, factor: float) -> Scene:
    """Values multiplied by ``factor``, handles too."""

    def scaled(key: Key) -> Key:
        into, out = _stretched(key.into, 1.0, factor), _stretched(key.out, 1.0, factor)
        return replace(key, value=key.value * factor, into=into, out=out)

    return _map_lanes(scene, valued(scene, lanes), lambda c: replace(c, keys=tuple(map(scaled, c.keys))))


def stagger(scene: Scene, lanes: Lanes, frames: float) -> Scene:
    """Each lane ``frames`` later than the one before it, in the order given."""
    for number, lane in enumerate(each_once(scene, lanes)):
        later = number * frames
        scene = map_frames(scene, [lane], partial(operator.add, later))
    return scene


def snap_to_frames(scene: Scene, lanes: Lanes) -> Scene:
    """Every key on the nearest whole frame; of two that meet there the later one stays."""
    return map_frames(scene, lanes, lambda f: float(np.round(f)))


def bake(scene: Scene, lanes: Lanes, first: float, last: float, every: float = 1.0) -> Scene:
    """A linear key each ``every`` frames from ``first`` to ``last``, on the motion as it was; modifiers are gone then.

    Raises EditRefused where keys outside of that range would move without the modifiers.
    """
    if not every > 0:
        raise EditRefused(f"Keys can be baked every 1 frame or so, not every {every:g}.")
    frames = np.append(np.arange(first, last - 1e-9, every), last)
    for owner_id, channel_id in valued(scene, lanes):
        owner = scene.owner(owner_id)
        lane = owner.lane(channel_id)
        if lane is None:
            continue
        outside = [k for k in lane.curve.keys if not first - SAME_FRAME <= k.frame <= last + SAME_FRAME]
        if outside and lane.modifiers:
            name = channel(owner, channel_id).name
            raise EditRefused(
                f"{name} has a key at frame {outside[0].frame:g}, outside of {first:g} to {last:g}, and modifiers that act "
                "there too; bake the whole lane."
            )
        values = lane.values(frames, scene.fps)
        keys = [Key(float(f), float(v), "linear") for f, v in zip(frames, values, strict=True)]
        owner = owner.with_lane(channel_id, AnimationCurve.of((*outside, *keys), lane.curve))
        scene = scene.with_owner(owner.with_modifiers(channel_id, ()))
    return scene


def set_modifiers(scene: Scene, owner_id: str, channel_id: str, modifiers: tuple[Modifier, ...]) -> Scene:
    """Set the modifiers of a lane, in the order in which they act."""
    owner = scene.owner(owner_id)
    settable(owner, channel_id)
    if owner.lane(channel_id) is None:
        raise EditRefused(f"{channel(owner, channel_id).name} has no keys yet for a modifier to act on; key it first.")
    return scene.with_owner(owner.with_modifiers(channel_id, modifiers))


def clean_keys(scene: Scene, lanes: Lanes) -> tuple[Scene, int]:
    """Remove keys that change nothing; returns how many."""
    return _thinned(scene, lanes, 1e-9)


def reduce_keys(scene: Scene, lanes: Lanes, tolerance: float) -> tuple[Scene, int]:
    """As few keys as keep every value within ``tolerance``: one after another goes that is missed least.

    Source: greedy removal, own derivation; the remaining keys keep their interpolation and tangents.
    """
    if not tolerance >= 0:
        raise EditRefused(f"A tolerance must be 0 or more, not {tolerance:g}.")
    return _thinned(scene, lanes, tolerance)


def _thinned(scene: Scene, lanes: Lanes, tolerance: float) -> tuple[Scene, int]:
    gone = 0

    def change(curve: AnimationCurve) -> AnimationCurve:
        nonlocal gone
        thin = _Thinning(curve, tolerance).done()
        gone += len(curve.keys) - len(thin.keys)
        return thin

    scene = _map_lanes(scene, valued(scene, lanes), change)
    return scene, gone


class _Thinning:
    """Takes keys off a curve. A key bends the curve no further than to the second key on each side, by way of the tangents
    of its neighbours, so that little is looked at again after each one."""

    REACH = 2

    def __init__(self, curve: AnimationCurve, tolerance: float) -> None:
        self.curve, self.tolerance = curve, tolerance
        self.keys = list(curve.keys)
        at = curve.knots(curve.keys[0].frame, curve.keys[-1].frame)
        between = at[:-1, None] + np.diff(at)[:, None] * NODES
        whole = np.arange(np.ceil(at[0]), min(at[-1], at[0] + MOST_WHOLE) + 1) if len(at) else at
        before = at - 16 * np.spacing(np.maximum(np.abs(at), 1.0))  # where it may jump at a key
        self.frames = np.unique(np.concatenate([at, before[1:], between.ravel(), whole[whole <= at[-1]]]))
        self.wanted = curve.evaluate(self.frames)
        self.outside = [(at, float(curve.slope(at))) for at in (self.frames[0] - 1.0, self.frames[-1] + 1.0)]

    def done(self) -> AnimationCurve:
        keys = self.keys
        before, after = list(range(-1, len(keys) - 1)), [*range(1, len(keys)), -1]
        turn = [0] * len(keys)
        heap = [(self._miss(n, before, after), n, 0) for n in range(len(keys))]
        heapify(heap)
        left = len(keys)
        while heap and left > 1:
            miss, n, asked = heappop(heap)
            if asked != turn[n]:
                continue  # it was looked at again since
            if miss > self.tolerance:
                break
            left, turn[n] = left - 1, -1
            if before[n] >= 0:
                after[before[n]] = after[n]
            if after[n] >= 0:
                before[after[n]] = before[n]
            for near in (*self._walk(before[n], before, self.REACH + 1), *self._walk(after[n], after, self.REACH + 1)):
                turn[near] += 1
                heappush(heap, (self._miss(near, before, after), near, turn[near]))
        return self._within(replace(self.curve, keys=tuple(k for n, k in enumerate(keys) if turn[n] >= 0)))

    def _within(self, thin: AnimationCurve) -> AnimationCurve:
        """A thinned curve with the keys back that it misses most: an easing that has become longer turns where none was
        looked at."""
        while len(thin.keys) < len(self.keys):
            edges = np.union1d(self.frames, thin.knots(self.frames[0], self.frames[-1]))
            at = np.union1d(edges, (edges[:-1, None] + np.diff(edges)[:, None] * [0.25, 0.5, 0.75]).ravel())
            off = np.abs(thin.evaluate(at) - self.curve.evaluate(at))
            if off.max(initial=0.0) <= self.tolerance:
                break
            kept = {key.frame for key in thin.keys}
            gone = [key for key in self.keys if key.frame not in kept]
            thin = thin.with_key(min(gone, key=lambda key: abs(key.frame - at[off.argmax()])))
        return thin

    @staticmethod
    def _walk(start: int, way: list[int], most: int) -> list[int]:
        out: list[int] = []
        while start >= 0 and len(out) < most:
            out.append(start)
            start = way[start]
        return out

    def _miss(self, n: int, before: list[int], after: list[int]) -> float:
        """How far the curve would be off without key ``n``."""
        reach, curve = self.REACH, self.curve
        left, right = self._walk(before[n], before, reach + 1)[::-1], self._walk(after[n], after, reach + 1)
        repeats = not {curve.before, curve.after} <= {"hold", "linear"}
        if not left and not right or repeats and not (left and right):
            return np.inf  # the last key there is, or an end of what is repeated
        around = tuple(self.keys[k] for k in (*left, *right))
        less = replace(curve, keys=around, **({"before": "hold", "after": "hold"} if repeats else {}))
        # the first and the last key also say how the curve goes on outside, where others may have gone already
        at_first, at_last = len(left) <= reach, len(right) <= reach
        if any(
            way == "linear" and near and abs(less.slope(at) - slope) > SAME_SLOPE
            for way, near, (at, slope) in zip((curve.before, curve.after), (at_first, at_last), self.outside, strict=True)
        ):
            return np.inf
        low = self.frames[0] if at_first else around[len(left) - reach].frame
        high = self.frames[-1] if at_last else around[len(left) + reach - 1].frame
        part = slice(np.searchsorted(self.frames, low), np.searchsorted(self.frames, high, side="right"))
        return BETWEEN * float(np.abs(less.evaluate(self.frames[part]) - self.wanted[part]).max(initial=0.0))


def hold_until(scene: Scene, owner_id: str, channel_id: str, frame: float) -> Scene:
    """A key at ``frame`` that keeps the value of the key before it, so that the lane stands still until there."""
    owner = scene.owner(owner_id)
    lane, name = owner.lane(channel_id), channel(owner, channel_id).name
    earlier = [k for k in lane.curve.keys if k.frame < frame - SAME_FRAME] if lane else []
    if not earlier:
        raise EditRefused(
            f"{name} has no key before frame {frame:g} whose value could be held; go to a frame after its first key."
        )
    return set_key(scene, owner_id, channel_id, replace(earlier[-1], frame=float(frame), into=None, out=None, tangent="auto"))


def close_loop(scene: Scene, lanes: Lanes) -> Scene:
    """The last frame played gets the value of the first, and both the same slope, so that the loop has no seam. A relay gets
    its first pose once more: on the last frame, or behind its poses where another shape stands there."""
    first, last = scene.span
    lanes = list(lanes)
    for owner_id, channel_id in lanes:
        owner = scene.owner(owner_id)
        lane = owner.lane(channel_id)
        if lane is not None and channel(owner, channel_id).poses:
            keys, at = lane.curve.keys, last
            start = next((k for k in keys if k.frame >= first - SAME_FRAME), keys[-1])
            there = lane.curve.key_at(last)
            if there is not None and not there.shows(start):
                at = keys[-1].frame + (keys[-1].frame - keys[-2].frame if len(keys) > 1 else 1.0)
            scene = scene.with_owner(owner.with_lane(channel_id, lane.curve.with_key(replace(start, frame=at))))
    lanes = [ref for ref in lanes if not channel(scene.owner(ref[0]), ref[1]).poses]

    def change(curve: AnimationCurve) -> AnimationCurve:
        value = float(curve.evaluate(first))
        inner = [k for k in curve.keys if first + SAME_FRAME < k.frame < last - SAME_FRAME]
        if not inner:
            return AnimationCurve.of((Key(first, value), Key(last, value)), curve)
        # the slope across the seam, from the neighbours on both sides of it, limited so that nothing overshoots
        back, on = inner[-1], inner[0]
        left, right = (value - back.value) / (last - back.frame), (on.value - value) / (on.frame - first)
        slope = 0.0 if left * right <= 0 else 2 * left * right / (left + right)
        a, b = (on.frame - first) / 3, (last - back.frame) / 3
        start = replace(curve.key_at(first) or Key(first, value), interpolation="smooth")
        end = curve.key_at(last) or Key(last, value)
        if back.interpolation != "hold":  # a straight or eased way would meet the seam with a slope of its own
            curve = curve.changed([back.frame], lambda k: replace(k, interpolation="smooth"))
        start = replace(start, value=value, tangent="joined", into=(b, -slope * b), out=(a, slope * a))
        end = replace(end, value=value, tangent="joined", into=(b, -slope * b), out=(a, slope * a))
        return AnimationCurve.of((*curve.keys, start, end), curve)

    return _map_lanes(scene, lanes, change)


def paste_keys(scene: Scene, owner_id: str, keys: Mapping[str, Iterable[Key]], at: float) -> tuple[Scene, list[KeyRef]]:
    """Copied keys by channel id, their earliest one at frame ``at``."""
    rows = {name: list(row) for name, row in keys.items()}
    first = min((k.frame for row in rows.values() for k in row), default=0.0)
    refs = []
    for channel_id, row in rows.items():
        for key in row:
            placed = replace(key, frame=key.frame - first + at)
            scene = set_key(scene, owner_id, channel_id, placed)
            refs.append(KeyRef(owner_id, channel_id, placed.frame))
    return scene, refs
