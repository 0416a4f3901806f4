"""The hold guard: a lane that was still must not start to creep because a hold key is missing."""

from __future__ import annotations

from fictilis.core.animation.curve import SAME_FRAME, Key
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
    ends = [
        k.frame
        for other in owner.lanes
        if other.channel != channel and part_of(owner, other.channel) == part_of(owner, channel)
        for k in other.curve.keys
        if last.frame + SAME_FRAME < k.frame < key.frame - SAME_FRAME
    ]
    if not ends:
        return None
    return Key(max(ends), kept, key.interpolation)
