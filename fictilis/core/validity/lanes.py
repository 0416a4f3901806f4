"""Which keys may stand on which lane."""

from __future__ import annotations

from collections.abc import Iterable

from fictilis.core.animation.curve import Key
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import Owner, channel, own_kinds, settable
from fictilis.core.scene.scene import BLEND, MorphObject
from fictilis.core.scene.timeline import Lane, fitted_lanes


def checked_lanes(obj: MorphObject, lanes: tuple[Lane, ...], homes: dict[str, frozenset[str]]) -> None:
    """Raises EditRefused where lanes of a clip could not be those of an object."""
    seen = set()
    for lane in lanes:
        if lane.channel in seen or lane.channel not in homes and lane.channel not in own_kinds(obj):
            raise EditRefused(f"A clip of {obj.name} animates {lane.channel}, which cannot be.")
        if lane.channel == BLEND or fitted_lanes((lane,), homes, frozenset(homes)) != (lane,):
            raise EditRefused(f"A clip of {obj.name} has keys of {lane.channel} that cannot be.")
        seen.add(lane.channel)


def checked_keys(owner: Owner, channel_id: str, keys: Iterable[Key]) -> None:
    """Raises EditRefused where keys cannot stand on a lane."""
    what, shapes = channel(owner, channel_id), {key.shape for key in keys} - {""}
    if not what.poses:
        settable(owner, channel_id)
        if shapes:
            raise EditRefused(f"{what.name} is keyed by values; a pose cannot stand on its lane.")
    elif isinstance(owner, MorphObject):
        for target in map(owner.target, shapes):
            if target.group != channel_id:
                raise EditRefused(f"{target.name} is none of the shapes of {what.name}.")
