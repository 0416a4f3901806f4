"""Checks of lanes and of time: what creeps, is not keyed, leaves its range, lies off the frames, or jumps in a loop."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from fictilis.core.affine import placed
from fictilis.core.animation.curve import SAME_FRAME, Key
from fictilis.core.channels import Owner, channel, part_of, stand_at
from fictilis.core.checks.finding import Finding, frames_of
from fictilis.core.edits import keys as key_edits
from fictilis.core.edits import timing
from fictilis.core.edits.keys import KeyRef
from fictilis.core.evaluate import evaluate_object
from fictilis.core.scene import MorphObject, Scene
from fictilis.core.timeline import Lane


def creep(scene: Scene, obj: Owner) -> Iterator[Finding]:
    """A lane that leaves its rest before its move, because no key holds it until the move before has ended.

    It rests up to a key, or has just ended a move of its own there while the others stood; it goes on from there to its next
    key, and meanwhile the other lanes of the same part (weights, object, camera) have finished moving and all stand still until
    that next key: the move was meant to begin where they stopped.
    Source: common practice, no published source.
    """
    for lane in obj.lanes:
        keys = lane.curve.keys
        part = part_of(obj, lane.channel)
        others = [other for other in obj.lanes if other is not lane and part_of(obj, other.channel) == part]
        for n, (a, b) in enumerate(zip(keys, keys[1:], strict=False)):
            if a.interpolation == "hold" or abs(a.value - b.value) < 1e-9:
                continue
            if not _rests_at(lane, n) and not all(_stood_before(other, a.frame) for other in others):
                continue
            ends = [e for e in (_stop_before(other, a.frame, b.frame) for other in others) if e is not None]
            if not ends or not all(other.curve.is_still(max(ends), b.frame) for other in others):
                continue
            stop, name = max(ends), channel(obj, lane.channel).name
            hold = Key(stop, a.value, a.interpolation)
            yield Finding(
                "creep",
                f"{name} creeps from frame {a.frame:g}: the move before it ends at {stop:g}, but no key holds "
                f"{a.value:.2f} until there.",
                obj.id, lane.channel, a.frame, f"Hold {a.value:.2f} until frame {stop:g}",
                lambda s, t=lane.channel, k=hold: key_edits.set_key(s, obj.id, t, k),
            )  # fmt: skip


def _rests_at(lane: Lane, number: int) -> bool:
    """Whether the lane stands still up to a key, by its number: there is none before it, or the one before has its value."""
    if number == 0:
        return True
    before, key = lane.curve.keys[number - 1 : number + 1]
    return abs(before.value - key.value) < 1e-9 and lane.curve.is_still(before.frame, key.frame)


def _stood_before(lane: Lane, frame: float) -> bool:
    """Whether a lane stood still just before a frame."""
    earlier = [k.frame for k in lane.curve.keys if k.frame < frame - SAME_FRAME]
    return not earlier or lane.curve.is_still(earlier[-1], frame)


def _stop_before(lane: Lane, first: float, last: float) -> float | None:
    """Where a lane's motion between two frames ends, well before the second; None when it does not move or end."""
    keys = [k.frame for k in lane.curve.keys if first + SAME_FRAME < k.frame < last - SAME_FRAME]
    if not keys or not lane.curve.is_still(keys[-1], last):
        return None
    moving = [k for k in keys if not lane.curve.is_still(max([first, *[f for f in keys if f < k]]), k)]
    return moving[-1] if moving else None


def unkeyed(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """A weight that is set but not keyed, while others are."""
    if not obj.lanes:
        return
    for target in obj.targets:
        if obj.lane(target.id) is None and abs(target.weight) > 1e-9 and not target.muted:
            yield Finding(
                "unkeyed", f"{target.name} stands at {target.weight:.2f} without a key, while other lanes are keyed.",
                obj.id, target.id, None, f"Key {target.weight:.2f} at frame {scene.start:g}",
                lambda s, t=target: key_edits.set_key(s, obj.id, t.id, Key(s.start, t.weight)),
            )  # fmt: skip


def out_of_range(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """A lane that leaves its target's soft range."""
    for lane in obj.lanes:
        target = next((t for t in obj.targets if t.id == lane.channel), None)
        if target is None:
            continue
        at = frames_of(scene)
        at = np.union1d(at, [k.frame for k in lane.curve.keys])
        values = lane.values(at, scene.fps)
        low, high = target.range
        beyond = np.maximum(values - high, low - values)
        worst = int(np.argmax(beyond))
        if beyond[worst] > 1e-6:
            value = float(values[worst])
            wide = (min(low, float(values.min())), max(high, float(values.max())))
            yield Finding(
                "range", f"{target.name} reaches {value:.2f} at frame {at[worst]:g}; its range is {low:g} to {high:g}.",
                obj.id, target.id, float(at[worst]), f"Widen the range to {wide[0]:.2f} to {wide[1]:.2f}",
                lambda s, t=target.id, w=wide: s.with_object(
                    s.object(obj.id).with_target(replace(s.object(obj.id).target(t), range=w))
                ),
            )  # fmt: skip


def off_frames(scene: Scene, obj: Owner) -> Iterator[Finding]:
    """Keys between whole frames, and keys outside of the range."""
    for lane in obj.lanes:
        name = channel(obj, lane.channel).name
        between = [k.frame for k in lane.curve.keys if abs(k.frame - round(k.frame)) > SAME_FRAME]
        if between:
            yield Finding(
                "between", f"{name} has {_keys(len(between))} between frames, the first at {between[0]:g}.", obj.id,
                lane.channel,
                between[0], "Snap to whole frames",
                lambda s, t=lane.channel: timing.snap_to_frames(s, [(obj.id, t)]),
            )  # fmt: skip
        outside = [k.frame for k in lane.curve.keys if not scene.start - SAME_FRAME <= k.frame <= scene.end + SAME_FRAME]
        if outside:
            refs = [KeyRef(obj.id, lane.channel, f) for f in outside]
            yield Finding(
                "outside", f"{name} has {_keys(len(outside))} outside of the range, the first at {outside[0]:g}.", obj.id,
                lane.channel, outside[0], "Delete them", lambda s, r=refs: key_edits.delete_keys(s, r),
            )  # fmt: skip


def _keys(count: int) -> str:
    return f"{count} key{'' if count == 1 else 's'}"


def loop_seam(scene: Scene, obj: MorphObject) -> tuple[float, float]:
    """How far points jump from the last frame played to the first, cm, and how much their speed does, cm a frame: the largest.

    Seen in the scene, so that the object's own motion counts too.
    """
    if not obj.lanes:
        return 0.0, 0.0

    def seen(frame: float) -> np.ndarray:
        return placed(evaluate_object(obj, frame, scene.fps), stand_at(obj, frame, fps=scene.fps).transform.matrix())

    start, end = scene.span
    first, last = seen(start), seen(end)
    speed = ((seen(start + 1e-3) - first) - (last - seen(end - 1e-3))) / 1e-3
    jump, kink = (float(np.sqrt((d**2).sum(1).max(initial=0.0))) for d in (last - first, speed))
    return jump, kink


def seam(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """A jump from the last frame played to the first."""
    jump, _ = loop_seam(scene, obj)
    size = float(np.ptp(obj.base, axis=0).max()) if len(obj.base) else 1.0
    if jump > 1e-4 * size:
        lanes = [(obj.id, lane.channel) for lane in obj.lanes]
        start, end = scene.span
        yield Finding(
            "seam", f"{obj.name} jumps {jump:.2f} cm from frame {end:g} back to {start:g} when it loops.", obj.id, None,
            end, "Close the loop", lambda s: timing.close_loop(s, lanes),
        )  # fmt: skip
