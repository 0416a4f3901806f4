"""The hold guard: a lane that was still must not start to creep because a hold key is missing."""

from __future__ import annotations

from bisect import bisect_left

from fictilis.core.animation.curve import SAME_FRAME, Key
from fictilis.core.arrays import cached_by_identity
from fictilis.core.channels import Owner, part_of


def missing_hold(owner: Owner, channel: str, key: Key) -> Key | None:
    """The key that keeps a lane still until the move before ``key`` has ended, or None where none is missing.

    A lane creeps when its new key has another value than the lane kept so far, its last key lies further back, and
    another lane of the same part has its latest key between the two: there the previous move ended. A weight waits for
    weights, not for the object on its way.
    Source: common practice, no published source.
    """
    lane = owner.lane(channel)
    if lane is None:
        return None
    earlier = [k for k in lane.curve.keys if k.frame < key.frame - SAME_FRAME]
    if not earlier:
        return None
    last = earlier[-1]
    if last.interpolation == "hold":
        return None
    kept = lane.curve.value(key.frame)
    if abs(kept - key.value) < 1e-9 or not lane.curve.is_still(last.frame, key.frame):
        return None
    frames = _frames_by_part(owner).get(part_of(owner, channel), [])  # of its own none lies between the two
    at = bisect_left(frames, key.frame - SAME_FRAME) - 1
    if at < 0 or frames[at] <= last.frame + SAME_FRAME:
        return None
    return Key(frames[at], kept, key.interpolation)


@cached_by_identity
def _frames_by_part(owner: Owner) -> dict[str, list[float]]:
    """The frames of all keys of each part, in order."""
    out: dict[str, set[float]] = {}
    for lane in owner.lanes:
        out.setdefault(part_of(owner, lane.channel), set()).update(k.frame for k in lane.curve.keys)
    return {part: sorted(frames) for part, frames in out.items()}
