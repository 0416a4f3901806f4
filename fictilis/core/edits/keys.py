"""Edits of keys, lanes, rate and range."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from fictilis.core.animation.curve import SAME_FRAME, AnimationCurve, Key
from fictilis.core.animation.easing import handles_of
from fictilis.core.animation.hold_guard import missing_hold
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.errors import EditRefused
from fictilis.core.scene import MorphObject, Scene

LONGEST_RANGE = 1_000_000.0


@dataclass(frozen=True)
class KeyRef:
    """One key: of which object, which target's lane, at which frame."""

    object: str
    target: str
    frame: float


@dataclass(frozen=True)
class HoldAdded:
    """What the hold guard did: the lane's target, and the key it added."""

    target: str
    key: Key


def set_key(scene: Scene, object_id: str, target_id: str, key: Key) -> Scene:
    """A key written as it is, replacing one at the same frame."""
    obj = scene.object(object_id)
    obj.target(target_id)
    lane = obj.lane(target_id)
    curve = lane.curve if lane else AnimationCurve()
    return scene.with_object(obj.with_lane(target_id, curve.with_key(key)))


def key_weights(
    scene: Scene, object_id: str, frame: float, weights: Mapping[str, float], guard: bool = True
) -> tuple[Scene, list[HoldAdded]]:
    """Key targets at ``frame``, by id and value. With ``guard`` the hold guard adds the hold keys that are missing.

    A key that is there keeps its interpolation; a new one takes that of the key before it, or smooth.
    """
    before = scene.object(object_id)
    added: list[HoldAdded] = []
    for target_id, value in weights.items():
        lane = before.lane(target_id)
        kind = "smooth"
        if lane:
            earlier = [k for k in lane.curve.keys if k.frame <= frame + SAME_FRAME]
            kind = earlier[-1].interpolation if earlier else lane.curve.keys[0].interpolation
        key = Key(float(frame), float(value), kind)
        hold = missing_hold(before, target_id, key) if guard else None
        if hold is not None:
            scene = set_key(scene, object_id, target_id, hold)
            added.append(HoldAdded(target_id, hold))
        scene = set_key(scene, object_id, target_id, key)
    return scene, added


def delete_keys(scene: Scene, keys: Iterable[KeyRef]) -> Scene:
    for (object_id, target_id), frames in _by_lane(keys).items():
        obj = scene.object(object_id)
        lane = obj.lane(target_id)
        if lane:
            scene = scene.with_object(obj.with_lane(target_id, lane.curve.without(frames)))
    return scene


def change_keys(scene: Scene, keys: Iterable[KeyRef], change: Callable[[AnimationCurve, list[float]], AnimationCurve]) -> Scene:
    """``change(curve, frames)`` made to each lane that has some of ``keys``."""
    for (object_id, target_id), frames in _by_lane(keys).items():
        obj = scene.object(object_id)
        lane = obj.lane(target_id)
        if lane:
            scene = scene.with_object(obj.with_lane(target_id, change(lane.curve, frames)))
    return scene


def set_interpolation(scene: Scene, keys: Iterable[KeyRef], interpolation: str, ease: str | None = None) -> Scene:
    """Keys lead to the next one by an interpolation; ``ease`` names the easing of ease."""
    if ease is not None:
        return change_keys(scene, keys, lambda c, f: c.changed(f, lambda k: replace(k, interpolation=interpolation, ease=ease)))
    return change_keys(scene, keys, lambda curve, frames: curve.set_interpolation(frames, interpolation))


def set_tangent(scene: Scene, keys: Iterable[KeyRef], tangent: str) -> Scene:
    """Tangents of keys: auto, flat, aligned or free. Aligned and free begin with the handles as they act now."""
    return change_keys(scene, keys, lambda c, f: c.changed(f, lambda k: _with_tangent(c, k, tangent)))


def _with_tangent(curve: AnimationCurve, key: Key, tangent: str) -> Key:
    if tangent in ("auto", "flat"):
        return replace(key, tangent=tangent, into=None, out=None)
    into, out = curve.handles(key)
    if tangent == "aligned":  # both in one line: the mean of both slopes
        slopes = [-into[1] / into[0] if into[0] else 0.0, out[1] / out[0] if out[0] else 0.0]
        slope = sum(slopes) / 2
        into, out = (into[0], -slope * into[0]), (out[0], slope * out[0])
    return replace(key, tangent=tangent, into=into, out=out)


def straighten(scene: Scene, keys: Iterable[KeyRef]) -> Scene:
    """Handles of keys point at the neighbouring keys, so that the curve goes straight on both sides."""

    def change(curve: AnimationCurve, frames: list[float]) -> AnimationCurve:
        places = {k.frame: n for n, k in enumerate(curve.keys)}

        def straight(key: Key) -> Key:
            n = places[key.frame]
            before, after = curve.keys[max(n - 1, 0)], curve.keys[min(n + 1, len(curve.keys) - 1)]
            into = ((key.frame - before.frame) / 3, (before.value - key.value) / 3)
            out = ((after.frame - key.frame) / 3, (after.value - key.value) / 3)
            return replace(key, tangent="free", into=into, out=out)

        return curve.changed(frames, straight)

    return change_keys(scene, keys, change)


def set_handle(scene: Scene, key: KeyRef, side: str, frames: float, value: float) -> Scene:
    """One handle of a key, ``side`` into or out, as an offset. An aligned key turns its other handle along."""

    def change(curve: AnimationCurve, _frames: list[float]) -> AnimationCurve:
        def turned(k: Key) -> Key:
            into, out = curve.handles(k)
            tangent = "aligned" if k.tangent in ("auto", "flat") else k.tangent
            new = (max(frames, 0.0), value)
            other = out if side == "into" else into
            if tangent == "aligned" and new[0] > 1e-9:
                other = (other[0], -new[1] / new[0] * other[0])
            both = {"into": new, "out": other} if side == "into" else {"into": other, "out": new}
            return replace(k, tangent=tangent, interpolation=k.interpolation, **both)

        return curve.changed([key.frame], turned)

    return change_keys(scene, [key], change)


def set_beyond(scene: Scene, object_id: str, target_id: str, before: str | None = None, after: str | None = None) -> Scene:
    """How a lane goes on before its first and after its last key."""
    obj = scene.object(object_id)
    lane = obj.lane(target_id)
    if lane is None:
        raise EditRefused(f"{obj.target(target_id).name} has no keys to go on from.")
    curve = replace(lane.curve, before=before or lane.curve.before, after=after or lane.curve.after)
    return scene.with_object(obj.with_lane(target_id, curve))


def move_keys(
    scene: Scene, keys: Iterable[KeyRef], frames: float, value: float, snap: bool = True
) -> tuple[Scene, list[KeyRef]]:
    """Move keys by ``frames`` and ``value``; with ``snap`` each lands on a whole frame.

    A moved key that lands on one that stays replaces it. Returns the keys' new places too.
    """
    moved_refs: list[KeyRef] = []
    for (object_id, target_id), chosen in _by_lane(keys).items():
        obj = scene.object(object_id)
        lane = obj.lane(target_id)
        if lane is None:
            continue
        moving = [k for k in lane.curve.keys if any(abs(k.frame - f) <= SAME_FRAME for f in chosen)]
        staying = lane.curve.without(chosen).keys
        landed = []
        for key in moving:
            frame = key.frame + frames
            landed.append(replace(key, frame=float(np.round(frame)) if snap and frames else frame, value=key.value + value))
        curve = AnimationCurve.of((*staying, *landed), lane.curve)
        scene = scene.with_object(obj.with_lane(target_id, curve))
        moved_refs += [KeyRef(object_id, target_id, key.frame) for key in landed]
    return scene, moved_refs


def _by_lane(keys: Iterable[KeyRef]) -> dict[tuple[str, str], list[float]]:
    out: dict[tuple[str, str], list[float]] = {}
    for key in keys:
        out.setdefault((key.object, key.target), []).append(key.frame)
    return out


def set_rate(scene: Scene, fps: float, keep_seconds: bool = False) -> Scene:
    """Another frame rate: keys keep their frames, or with ``keep_seconds`` their times, and the range too."""
    if not (np.isfinite(fps) and 0.1 <= fps <= 1000):
        raise EditRefused(f"The frame rate must be from 0.1 to 1000 frames a second, not {fps:g}.")
    if not keep_seconds:
        return replace(scene, fps=float(fps))
    factor = fps / scene.fps
    every = [(o.id, lane.target) for o in scene.objects for lane in o.lanes]
    scene = map_frames(scene, every, lambda f: f * factor)
    return replace(scene, fps=float(fps), start=scene.start * factor, end=scene.end * factor)


def set_frame_range(scene: Scene, start: float, end: float) -> Scene:
    if not (np.isfinite(start) and np.isfinite(end) and start < end):
        raise EditRefused(f"The range must rise: frame {start:g} is not before frame {end:g}.")
    if max(abs(start), abs(end)) > LONGEST_RANGE:
        raise EditRefused(f"The range must stay within ±{LONGEST_RANGE:,.0f} frames.")
    return replace(scene, start=float(start), end=float(end))


# many keys at once; lanes are pairs (object id, target id)

Lanes = Iterable[tuple[str, str]]


def map_frames(
    scene: Scene, lanes: Lanes, place: Callable[[float], float], first: float = -np.inf, last: float = np.inf
) -> Scene:
    """Keys from frame ``first`` to ``last`` put where ``place(frame)`` says; handles stretch with them."""

    def moved(key: Key) -> Key:
        if not first - SAME_FRAME <= key.frame <= last + SAME_FRAME:
            return key
        here, step = place(key.frame), abs(place(key.frame + 1.0) - place(key.frame))
        stretched = {side: None if h is None else (h[0] * step, h[1]) for side, h in (("into", key.into), ("out", key.out))}
        return replace(key, frame=float(here), **stretched)

    return _map_lanes(scene, lanes, lambda curve: AnimationCurve.of(map(moved, curve.keys), curve))


def _map_lanes(scene: Scene, lanes: Lanes, change: Callable[[AnimationCurve], AnimationCurve]) -> Scene:
    for object_id, target_id in lanes:
        obj = scene.object(object_id)
        lane = obj.lane(target_id)
        if lane is not None:
            scene = scene.with_object(obj.with_lane(target_id, change(lane.curve)))
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

    return map_frames(scene, lanes, place, first, last)


def shift_after(scene: Scene, lanes: Lanes, frame: float, by: float) -> Scene:
    """Everything from ``frame`` on moved by ``by`` frames. Back, it may not run into what stays."""
    lanes = list(lanes)
    for object_id, target_id in lanes:
        lane = scene.object(object_id).lane(target_id)
        earlier = [k.frame for k in lane.curve.keys if k.frame < frame - SAME_FRAME] if lane else []
        later = [k.frame for k in lane.curve.keys if k.frame >= frame - SAME_FRAME] if lane else []
        if earlier and later and later[0] + by <= earlier[-1] + SAME_FRAME:
            name = scene.object(object_id).target(target_id).name
            raise EditRefused(f"{name} has a key at frame {earlier[-1]:g}; what follows cannot be moved back over it.")
    return map_frames(scene, lanes, lambda f: f + by, first=frame)


def reverse(scene: Scene, lanes: Lanes, first: float, last: float) -> Scene:
    """The keys of a range run backwards, each easing and handle turned round with them."""

    def change(curve: AnimationCurve) -> AnimationCurve:
        inside = [k for k in curve.keys if first - SAME_FRAME <= k.frame <= last + SAME_FRAME]
        rest = [k for k in curve.keys if k not in inside]
        turned = []
        for n, key in enumerate(inside):
            before = inside[n - 1] if n > 0 else key  # what led to it now leads away from it
            turned.append(
                replace(key, frame=first + last - key.frame, into=key.out, out=key.into,
                        interpolation=before.interpolation, ease=_turned_ease(before.ease))
            )  # fmt: skip
        return AnimationCurve.of((*rest, *turned), curve)

    return _map_lanes(scene, lanes, change)


def _turned_ease(ease: str) -> str:
    """The easing that runs the same way backwards."""
    inner = handles_of(ease)
    if inner is None:
        name, _, way = ease.partition("-")
        return f"{name}-{ {'in': 'out', 'out': 'in'}.get(way, way) }"
    x1, y1, x2, y2 = inner
    return f"cubic-bezier({1 - x2:g}, {1 - y2:g}, {1 - x1:g}, {1 - y1:g})"


def mirror_values(scene: Scene, lanes: Lanes, about: float) -> Scene:
    """Values mirrored about one: twice ``about`` minus the value, handles too."""

    def mirrored(key: Key) -> Key:
        flipped = {side: None if h is None else (h[0], -h[1]) for side, h in (("into", key.into), ("out", key.out))}
        return replace(key, value=2 * about - key.value, **flipped)

    return _map_lanes(scene, lanes, lambda c: replace(c, keys=tuple(map(mirrored, c.keys))))


def stagger(scene: Scene, lanes: Lanes, frames: float) -> Scene:
    """Each lane ``frames`` later than the one before it, in the order given."""
    for number, lane in enumerate(lanes):
        scene = map_frames(scene, [lane], lambda f, n=number: f + n * frames)
    return scene


def snap_to_frames(scene: Scene, lanes: Lanes) -> Scene:
    """Every key on the nearest whole frame; of two that meet there the later one stays."""
    return map_frames(scene, lanes, lambda f: float(np.round(f)) if abs(f - np.round(f)) > 0 else f)


def bake(scene: Scene, lanes: Lanes, first: float, last: float, every: float = 1.0) -> Scene:
    """A linear key each ``every`` frames from ``first`` to ``last``, on the motion as it was; modifiers are gone then.

    Raises EditRefused where keys outside of that range would move without the modifiers.
    """
    if not every > 0:
        raise EditRefused(f"Keys can be baked every 1 frame or so, not every {every:g}.")
    frames = np.append(np.arange(first, last - 1e-9, every), last)
    for object_id, target_id in lanes:
        obj = scene.object(object_id)
        lane = obj.lane(target_id)
        if lane is None:
            continue
        outside = [k for k in lane.curve.keys if not first - SAME_FRAME <= k.frame <= last + SAME_FRAME]
        if outside and lane.modifiers:
            name = obj.target(target_id).name
            raise EditRefused(
                f"{name} has a key at frame {outside[0].frame:g}, outside of {first:g} to {last:g}, and modifiers that act "
                "there too; bake the whole lane."
            )
        values = lane.values(frames, scene.fps)
        keys = [Key(float(f), float(v), "linear") for f, v in zip(frames, values, strict=True)]
        obj = obj.with_lane(target_id, AnimationCurve.of((*outside, *keys), lane.curve))
        scene = scene.with_object(_with_modifiers(obj, target_id, ()))
    return scene


def set_modifiers(scene: Scene, object_id: str, target_id: str, modifiers: tuple[Modifier, ...]) -> Scene:
    """The modifiers of a lane, in the order in which they act."""
    obj = scene.object(object_id)
    if obj.lane(target_id) is None:
        raise EditRefused(f"{obj.target(target_id).name} has no keys yet for a modifier to act on.")
    return scene.with_object(_with_modifiers(obj, target_id, modifiers))


def _with_modifiers(obj: MorphObject, target_id: str, modifiers: tuple[Modifier, ...]) -> MorphObject:
    lanes = tuple(replace(lane, modifiers=modifiers) if lane.target == target_id else lane for lane in obj.lanes)
    return replace(obj, lanes=lanes)


def clean_keys(scene: Scene, lanes: Lanes) -> tuple[Scene, int]:
    """Without keys that change nothing; returns how many went."""
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
        if len(curve.keys) < 2:
            return curve
        frames = np.unique(np.concatenate(
            [np.linspace(a.frame, b.frame, 17) for a, b in zip(curve.keys, curve.keys[1:], strict=False)]
        ))  # fmt: skip
        wanted = curve.evaluate(frames)
        while len(curve.keys) > 1:
            tries = []
            for n, key in enumerate(curve.keys):
                less = replace(curve, keys=curve.keys[:n] + curve.keys[n + 1 :])
                tries.append((float(np.abs(less.evaluate(frames) - wanted).max()), n, less, key))
            miss, _, less, _ = min(tries, key=lambda t: t[:2])
            if miss > tolerance:
                break
            curve, gone = less, gone + 1
        return curve

    scene = _map_lanes(scene, lanes, change)
    return scene, gone


def hold_until(scene: Scene, object_id: str, target_id: str, frame: float) -> Scene:
    """A key at ``frame`` that keeps the value of the key before it, so that the lane stands still until there."""
    obj = scene.object(object_id)
    lane, name = obj.lane(target_id), obj.target(target_id).name
    earlier = [k for k in lane.curve.keys if k.frame < frame - SAME_FRAME] if lane else []
    if not earlier:
        raise EditRefused(f"{name} has no key before frame {frame:g} whose value could be held.")
    return set_key(scene, object_id, target_id, replace(earlier[-1], frame=float(frame), into=None, out=None, tangent="auto"))


def close_loop(scene: Scene, lanes: Lanes) -> Scene:
    """The last frame of the range gets the value of the first, and both the same slope, so that the loop has no seam."""
    first, last = scene.start, scene.end

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
        start = replace(start, value=value, tangent="aligned", into=(b, -slope * b), out=(a, slope * a))
        end = replace(end, value=value, tangent="aligned", into=(b, -slope * b), out=(a, slope * a))
        return AnimationCurve.of((*curve.keys, start, end), curve)

    return _map_lanes(scene, lanes, change)


def paste_keys(scene: Scene, object_id: str, keys: Mapping[str, Iterable[Key]], at: float) -> tuple[Scene, list[KeyRef]]:
    """Copied keys by target id, their earliest one at frame ``at``."""
    rows = {target: list(row) for target, row in keys.items()}
    first = min((k.frame for row in rows.values() for k in row), default=0.0)
    refs = []
    for target_id, row in rows.items():
        for key in row:
            placed = replace(key, frame=key.frame - first + at)
            scene = set_key(scene, object_id, target_id, placed)
            refs.append(KeyRef(object_id, target_id, placed.frame))
    return scene, refs
