"""Edits of single keys and of what leads from one to the next."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import SAME_FRAME, AnimationCurve, Key, among
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import channel, settable
from fictilis.core.mix.hold_guard import Hold, missing_hold
from fictilis.core.mix.key_refs import KeyRef, by_lane
from fictilis.core.scene.scene import Scene
from fictilis.core.validity.lanes import checked_keys


def set_key(scene: Scene, owner_id: str, channel_id: str, key: Key) -> Scene:
    """Write a key as it is, replacing one at the same frame. Raises EditRefused for a pose where values are keyed, the other
    way round, and for a shape that is none of the relay's."""
    owner = scene.owner(owner_id)
    checked_keys(owner, channel_id, [key])
    lane = owner.lane(channel_id)
    curve = lane.curve if lane else AnimationCurve()
    return scene.with_owner(owner.with_lane(channel_id, curve.with_key(key)))


def key_values(
    scene: Scene, owner_id: str, frame: float, values: Mapping[str, float], guard: bool = True
) -> tuple[Scene, list[Hold]]:
    """Key channels at ``frame``, by id and value. With ``guard`` the hold guard adds the hold keys that are missing for
    certain; it returns these, and those it would offer.

    A key that is there keeps its interpolation; a new one takes that of the key before it, or smooth.
    """
    before = scene.owner(owner_id)
    holds: list[Hold] = []
    curves: dict[str, AnimationCurve] = {}
    for channel_id, value in values.items():
        what, lane = settable(before, channel_id), before.lane(channel_id)
        curve, kind = lane.curve if lane else AnimationCurve(), "hold" if what.stepped else "smooth"
        if lane:
            earlier = [k for k in curve.keys if k.frame <= frame + SAME_FRAME]
            kind = earlier[-1].interpolation if earlier else curve.keys[0].interpolation
        key = Key(float(frame), float(value), kind)
        hold = missing_hold(before, channel_id, key) if guard else None
        if hold is not None:
            holds.append(hold)
            curve = curve.with_key(hold.key) if hold.certain else curve
        curves[channel_id] = curve.with_key(key)
    return scene.with_owner(before.with_lanes(curves)), holds


def move_place(scene: Scene, object_id: str, frame: float, way: Sequence[float]) -> Scene:
    """Where an object is at a frame moved by ``way`` (3,) cm: its keys there, with their tangents. A lane without a key there
    gets one; an axis without a lane stays."""
    for channel_id, cm in zip(("position.x", "position.y", "position.z"), way, strict=True):
        obj = scene.object(object_id)
        lane = obj.lane(channel_id)
        if lane is None or abs(cm) < 1e-9:
            continue
        key = lane.curve.key_at(frame)
        if key is None:
            value = float(lane.curve.evaluate(frame)) + cm
            scene = key_values(scene, object_id, frame, {channel_id: value}, guard=False)[0]
        else:
            scene = set_key(scene, object_id, channel_id, replace(key, value=key.value + cm))
    return scene


def delete_keys(scene: Scene, keys: Iterable[KeyRef]) -> Scene:
    return change_keys(scene, keys, AnimationCurve.without)


def change_keys(scene: Scene, keys: Iterable[KeyRef], change: Callable[[AnimationCurve, list[float]], AnimationCurve]) -> Scene:
    """``change(curve, frames)`` made to each lane that has some of ``keys``."""
    for ((owner_id, channel_id), *_), frames in by_lane(scene, keys):
        owner = scene.owner(owner_id)
        lane = owner.lane(channel_id)
        if lane:
            scene = scene.with_owner(owner.with_lane(channel_id, change(lane.curve, frames)))
    return scene


def set_interpolation(scene: Scene, keys: Iterable[KeyRef], interpolation: str, ease: str | None = None) -> Scene:
    """Keys lead to the next one by an interpolation; ``ease`` names the easing of ease."""
    if ease is not None:
        return change_keys(scene, keys, lambda c, f: c.changed(f, lambda k: replace(k, interpolation=interpolation, ease=ease)))
    return change_keys(scene, keys, lambda curve, frames: curve.set_interpolation(frames, interpolation))


def set_tangent(scene: Scene, keys: Iterable[KeyRef], tangent: str) -> Scene:
    """Tangents of keys: auto, flat, joined or broken. Joined and broken begin with the handles as they act now."""
    return change_keys(scene, keys, lambda c, f: c.changed(f, lambda k: _with_tangent(c, k, tangent)))


def _with_tangent(curve: AnimationCurve, key: Key, tangent: str) -> Key:
    if tangent in ("auto", "flat"):
        return replace(key, tangent=tangent, into=None, out=None)
    into, out = curve.handles(key)
    if tangent == "joined":  # both in one line: the mean of both slopes
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
            return replace(key, tangent="broken", into=into, out=out)

        return curve.changed(frames, straight)

    return change_keys(scene, keys, change)


def set_handle(scene: Scene, key: KeyRef, side: str, frames: float, value: float) -> Scene:
    """One handle of a key, ``side`` into or out, as an offset. A joined key turns its other handle along."""

    def change(curve: AnimationCurve, _frames: list[float]) -> AnimationCurve:
        def turned(k: Key) -> Key:
            into, out = curve.handles(k)
            tangent = "joined" if k.tangent in ("auto", "flat") else k.tangent
            new = (max(frames, 0.0), value)
            other = out if side == "into" else into
            if tangent == "joined" and new[0] > 1e-9:
                other = (other[0], -new[1] / new[0] * other[0])
            into, out = (new, other) if side == "into" else (other, new)
            return replace(k, tangent=tangent, into=into, out=out)

        return curve.changed([key.frame], turned)

    return change_keys(scene, [key], change)


def set_beyond(scene: Scene, owner_id: str, channel_id: str, before: str | None = None, after: str | None = None) -> Scene:
    """How a lane goes on before its first and after its last key."""
    owner = scene.owner(owner_id)
    lane = owner.lane(channel_id)
    if lane is None:
        raise EditRefused(f"{channel(owner, channel_id).name} has no keys to go on from; key it first.")
    curve = replace(lane.curve, before=before or lane.curve.before, after=after or lane.curve.after)
    return scene.with_owner(owner.with_lane(channel_id, curve))


def move_keys(
    scene: Scene, keys: Iterable[KeyRef], frames: float, value: float, snap: bool = True
) -> tuple[Scene, list[KeyRef]]:
    """Move keys by ``frames`` and ``value``; with ``snap`` each lands on a whole frame.

    A moved key that lands on one that stays replaces it. Returns the keys' new places too.
    """
    moved_refs: list[KeyRef] = []
    for lanes, chosen in by_lane(scene, keys):
        owner_id, channel_id = lanes[0]
        owner = scene.owner(owner_id)
        lane = owner.lane(channel_id)
        if lane is None:
            continue
        picked = among(chosen)
        up = 0.0 if channel(owner, channel_id).poses else value
        moving = [k for k in lane.curve.keys if picked(k.frame)]
        staying = lane.curve.without(chosen).keys
        landed = []
        for key in moving:
            frame = key.frame + frames
            landed.append(replace(key, frame=float(np.round(frame)) if snap and frames else frame, value=key.value + up))
        curve = AnimationCurve.of((*staying, *landed), lane.curve)
        scene = scene.with_owner(owner.with_lane(channel_id, curve))
        moved_refs += [KeyRef(*where, key.frame) for where in lanes for key in landed]
    return scene, moved_refs
