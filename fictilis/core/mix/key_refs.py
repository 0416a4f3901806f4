"""Which keys of which lanes."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct

from fictilis.core.animation.curve import SAME_FRAME
from fictilis.core.mix.channels import ChannelRef, channel, settable
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.shared_lanes import each_once, lanes_shared

SAME_VALUE = 1e-6
Lanes = Iterable[tuple[str, str]]  # pairs (owner id, channel id)


class KeyRef(Struct, frozen=True):
    """One key: of which object or camera, on which channel's lane, at which frame."""

    owner: str
    channel: str
    frame: float

    @property
    def lane(self) -> ChannelRef:
        return ChannelRef(self.owner, self.channel)


def by_lane(scene: Scene, keys: Iterable[KeyRef]) -> list[tuple[list[tuple[str, str]], list[float]]]:
    """Lanes, those together that are one, and the frames of the keys that are meant on them."""
    frames: dict[tuple[str, str], list[float]] = {}
    for key in keys:
        frames.setdefault((key.owner, key.channel), []).append(key.frame)
    return [(lanes, sorted({f for lane in lanes for f in frames[lane]})) for lanes in lanes_shared(scene, frames)]


def valued(scene: Scene, lanes: Lanes) -> list[tuple[str, str]]:
    """The lanes whose keys have values. Raises EditRefused where all there are are lanes of relays."""
    lanes = each_once(scene, lanes)
    out = [ref for ref in lanes if not channel(scene.owner(ref[0]), ref[1]).poses]
    if lanes and not out:
        settable(scene.owner(lanes[0][0]), lanes[0][1])
    return out


def jumping(scene: Scene, span: tuple[float, float] | None = None) -> list[ChannelRef]:
    """The lanes that do not end as they begin over some frames, by default those that are played."""
    first, last = span or scene.span
    out = []
    for owner in scene.owners:
        for lane in owner.lanes:
            keys, ref = lane.curve.keys, ChannelRef(owner.id, lane.channel)
            if channel(owner, lane.channel).poses:
                start, end = (next((k for k in reversed(keys) if k.frame <= at + SAME_FRAME), keys[0]) for at in (first, last))
                jumps = not end.shows(start)
            else:
                jumps = abs(float(lane.curve.evaluate(first)) - float(lane.curve.evaluate(last))) > SAME_VALUE
            out += [ref] if jumps else []
    return out


def keys_lost(before: Scene, after: Scene, lanes: Lanes) -> int:
    """How many keys went because they met another one on the same frame."""

    def count(scene: Scene) -> int:
        kept = (scene.owner(owner_id).lane(channel_id) for owner_id, channel_id in lanes)
        return sum(len(lane.curve.keys) for lane in kept if lane is not None)

    lanes = each_once(before, lanes)
    return count(before) - count(after)


def lost_words(count: int) -> str:
    """What is said of keys that met, or nothing."""
    return f"{count} key{'' if count == 1 else 's'} met another on the same frame and went." if count else ""
