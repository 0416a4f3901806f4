"""Checks of lanes and of time: what creeps, is not keyed, leaves its range, lies off the frames, or jumps in a loop."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.animation.curve import SAME_FRAME, Key
from fictilis.core.at_frame.pose import Pose
from fictilis.core.checks.finding import Finding, frames_of
from fictilis.core.edits import keys as key_edits
from fictilis.core.edits import timing
from fictilis.core.ground.arrays import cached_by_identity, extent
from fictilis.core.ground.interrupt import check
from fictilis.core.mix.channels import Owner, channel, part_of
from fictilis.core.mix.driven import silent
from fictilis.core.mix.hold_guard import stands
from fictilis.core.mix.key_refs import KeyRef
from fictilis.core.scene.scene import MorphObject, Scene


def creep(scene: Scene, obj: Owner) -> Iterator[Finding]:
    """A lane that leaves its rest before its move, because no key holds it until the move before has ended.

    It rests up to a key, or has just ended a move of its own there while the others stood; it goes on from there to its next
    key, and meanwhile the other lanes of the same part (weights, object, camera) have finished moving and all stand still until
    that next key: the move was meant to begin where they stopped.
    Source: common practice, no published source.
    """
    for lane in obj.lanes:
        check()
        keys, part = lane.curve.keys, part_of(obj, lane.channel)
        moves = _moves_by_part(obj)[part]
        for n, (a, b) in enumerate(zip(keys, keys[1:], strict=False)):
            if a.interpolation == "hold" or abs(a.value - b.value) < 1e-9:
                continue
            came = lane.curve.before != "hold" if n == 0 else not stands(keys[n - 1], a)
            rested = n == 0 or not came and keys[n - 1].value == a.value
            if not rested and moves.at(a.frame) > came or moves.at(b.frame) > 1:  # this lane itself is one of them
                continue
            stop = moves.last_end(b.frame)
            if stop is None or stop <= a.frame + SAME_FRAME:
                continue
            name = channel(obj, lane.channel).name
            hold = Key(stop, a.value, a.interpolation)
            yield Finding(
                "creep",
                f"{name} creeps from frame {a.frame:g}: the move before it ends at {stop:g}, but no key holds "
                f"{a.value:.2f} until there.",
                obj.id, lane.channel, a.frame, f"Hold {a.value:.2f} until frame {stop:g}",
                lambda s, t=lane.channel, k=hold: key_edits.set_key(s, obj.id, t, k),
            )  # fmt: skip


class _Moves(Struct, frozen=True):
    """When the lanes of a part move: the starts and the ends of all their moves, each in order."""

    starts: tuple[float, ...]
    ends: tuple[float, ...]

    def at(self, frame: float) -> int:
        """How many lanes move just before a frame."""
        return bisect_left(self.starts, frame - SAME_FRAME) - bisect_left(self.ends, frame - SAME_FRAME)

    def last_end(self, frame: float) -> float | None:
        """Where the last move before a frame ended."""
        place = bisect_left(self.ends, frame - SAME_FRAME)
        return self.ends[place - 1] if place else None


@cached_by_identity
def _moves_by_part(owner: Owner) -> dict[str, _Moves]:
    out: dict[str, tuple[list[float], list[float]]] = {}
    for lane in owner.lanes:
        starts, ends = out.setdefault(part_of(owner, lane.channel), ([], []))
        keys = lane.curve.keys
        for a, b in zip(keys, keys[1:], strict=False):
            if not stands(a, b):
                starts.append(a.frame)
                ends.append(b.frame)
            elif a.value != b.value:  # the jump at the end of a hold
                starts.append(b.frame)
                ends.append(b.frame)
        if lane.curve.before != "hold":
            starts.append(-np.inf)
            ends.append(keys[0].frame)
        if lane.curve.after != "hold":
            starts.append(keys[-1].frame)
            ends.append(np.inf)
    return {part: _Moves(tuple(sorted(starts)), tuple(sorted(ends))) for part, (starts, ends) in out.items()}


def unkeyed(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """A weight that is set but not keyed, while others are."""
    if not obj.lanes:
        return
    for target in obj.targets:
        if obj.lane(target.id) is None and abs(target.weight) > 1e-9 and target.id not in silent(obj):
            yield Finding(
                "unkeyed", f"{target.name} stands at {target.weight:.2f} without a key, while other lanes are keyed.",
                obj.id, target.id, None, f"Key {target.weight:.2f} at frame {scene.start:g}",
                lambda s, t=target: key_edits.set_key(s, obj.id, t.id, Key(s.start, t.weight)),
            )  # fmt: skip


def out_of_range(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """A lane that leaves its target's soft range."""
    for lane in obj.lanes:
        check()
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
        check()
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

    start, end = scene.span
    first, then, before, last = (Pose(scene, obj, at).in_scene for at in (start, start + 1e-3, end - 1e-3, end))
    speed = ((then - first) - (last - before)) / 1e-3
    jump, kink = (float(np.sqrt((d**2).sum(1).max(initial=0.0))) for d in (last - first, speed))
    return jump, kink


def seam(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """A jump from the last frame played to the first."""
    jump, _ = loop_seam(scene, obj)
    size = float(extent(obj.base).max()) or 1.0
    if jump > 1e-4 * size:
        lanes = [(obj.id, lane.channel) for lane in obj.lanes]
        start, end = scene.span
        yield Finding(
            "seam", f"{obj.name} jumps {jump:.2f} cm from frame {end:g} back to {start:g} when it loops.", obj.id, None,
            end, "Close the loop", lambda s: timing.close_loop(s, lanes),
        )  # fmt: skip
