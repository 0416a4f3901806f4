"""Which keys of which lanes."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct

from fictilis.core.mix.channels import ChannelRef
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.shared_lanes import lanes_shared


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
