"""The hold guard: a lane that was still must not start to creep because a hold key is missing."""

from __future__ import annotations

from bisect import bisect_left

from msgspec import Struct

from fictilis.core.animation.curve import SAME_FRAME, AnimationCurve, Key
from fictilis.core.ground.arrays import cached_by_identity
from fictilis.core.mix.channels import Owner, channel, part_of

LEAST = 1e-9  # values nearer than this are one


class Hold(Struct, frozen=True):
    """The hold key of a lane, by channel id. ``certain`` where the lane still stands at its neutral value; elsewhere a slow
    move may be meant, and the key is only offered."""

    channel: str
    key: Key
    certain: bool


def missing_hold(owner: Owner, channel_id: str, key: Key) -> Hold | None:
    """The key that keeps a lane still until the move before ``key`` has ended, or None where none is missing.

    A lane creeps when its new key has another value than the lane kept so far, its last key lies further back, and
    another lane of the same part comes to rest or turns back between the two: there the previous move ended. A weight waits for
    weights, not for the object on its way.
    Source: common practice, no published source.
    """
    lane = owner.lane(channel_id)
    if lane is None:
        return None
    keys = lane.curve.keys
    place = bisect_left(keys, key.frame - SAME_FRAME, key=lambda k: k.frame)
    if place == 0 or keys[place - 1].interpolation == "hold":
        return None
    last = keys[place - 1]
    if not _keeps(lane.curve, place, key.frame) or abs(last.value - key.value) < LEAST:
        return None
    frames = _stops_by_part(owner).get(part_of(owner, channel_id), [])  # of its own none lies between the two
    at = bisect_left(frames, key.frame - SAME_FRAME) - 1
    if at < 0 or frames[at] <= last.frame + SAME_FRAME:
        return None
    return Hold(
        channel_id, Key(frames[at], last.value, key.interpolation), abs(last.value - channel(owner, channel_id).rest) < LEAST
    )


def _keeps(curve: AnimationCurve, place: int, frame: float) -> bool:
    """Whether a curve keeps its value from the key before ``place`` to a frame that is not beyond the next one; told by the
    keys where they tell, as a thousand lanes may be keyed at once."""
    last = curve.keys[place - 1]
    if place == len(curve.keys):
        return curve.after == "hold" or curve.is_still(last.frame, frame)
    following = curve.keys[place]
    return stands(last, following) or abs(following.value - last.value) < LEAST and curve.is_still(last.frame, frame)


@cached_by_identity
def stops(curve: AnimationCurve) -> tuple[float, ...]:
    """Frames of keys at which a motion ends: the curve moves up to the key, and stands still from it on or turns back."""
    keys = curve.keys
    still = [stands(a, b) for a, b in zip(keys, keys[1:], strict=False)]
    out = []
    for n, key in enumerate(keys[1:], 1):
        goes_on = n < len(keys) - 1 and not still[n] or n == len(keys) - 1 and curve.after != "hold"
        jumps = still[n - 1] and not keys[n - 1].shows(key)  # the end of a hold
        turns = goes_on and n < len(keys) - 1 and (key.value - keys[n - 1].value) * (key.value - keys[n + 1].value) > 0
        if (not still[n - 1] or jumps) and (turns or not goes_on):
            out.append(key.frame)
    return tuple(out)


def stands(a: Key, b: Key) -> bool:
    """Whether a curve keeps one value from a key to just before the next."""
    if a.interpolation == "hold":
        return True
    if not a.shows(b):
        return False
    handles = (a.out if a.tangent in ("joined", "broken") else None, b.into if b.tangent in ("joined", "broken") else None)
    return a.interpolation != "smooth" or all(h is None or h[1] == 0 for h in handles)


@cached_by_identity
def _stops_by_part(owner: Owner) -> dict[str, list[float]]:
    """The frames at which a lane of each part comes to rest, in order."""
    out: dict[str, set[float]] = {}
    for lane in owner.lanes:
        out.setdefault(part_of(owner, lane.channel), set()).update(stops(lane.curve))
    return {part: sorted(frames) for part, frames in out.items()}
