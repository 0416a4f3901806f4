"""Targets whose weight follows a number that goes: they keep it, as a value or as keys."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.mix.channels import values_at
from fictilis.core.scene.scene import MorphObject
from fictilis.core.scene.timeline import Lane


def keyed(obj: MorphObject, channels: Collection[str], frames: np.ndarray, fps: float) -> MorphObject:
    """An object with channels led by a linear key at each of ``frames`` (f,), with the values they have there; targets among
    them follow nothing any more. Of a blend of two clips both get the keys, so that what is between them has the values too."""
    if not channels:
        return obj
    rows = values_at(obj, frames, fps=fps)
    first = {channel: float(np.ravel(rows[channel])[0]) for channel in channels}
    targets = (
        t if t.id not in first or t.follows is None else replace(t, follows=None, weight=first[t.id]) for t in obj.targets
    )
    obj = replace(obj, targets=tuple(targets))
    for channel in sorted(channels):
        values = np.broadcast_to(rows[channel], frames.shape)
        keys = [Key(float(f), float(v), "linear") for f, v in zip(frames, values, strict=True)]
        obj = with_lane_in_both(obj, channel, keys)
    return obj


def with_lane_in_both(obj: MorphObject, channel: str, keys: list[Key]) -> MorphObject:
    """An object with keys of a channel, also in the second clip of a blend, so that they act at any share of it."""
    obj = obj.with_lane(channel, AnimationCurve.of(keys))
    if obj.blend is None:
        return obj
    beside = AnimationCurve.of(replace(key, frame=key.frame - obj.blend.offset) for key in keys)
    rest = tuple(lane for lane in obj.blend.lanes if lane.channel != channel)
    return replace(obj, blend=replace(obj.blend, lanes=(*rest, Lane(channel, beside))))
