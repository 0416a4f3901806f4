"""What stands in time, at another frame rate."""

from __future__ import annotations

from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.scene.scene import MorphObject
from fictilis.core.scene.timeline import Blend, Clip, Lane


class AtRate:
    """Keeps times at a rate ``factor`` times as high. Curves that several lanes share are shared afterwards too."""

    def __init__(self, factor: float) -> None:
        self.factor = factor
        self._curves: dict[AnimationCurve, AnimationCurve] = {}

    def key(self, key: Key) -> Key:
        into, out = (h and (h[0] * self.factor, h[1]) for h in (key.into, key.out))
        return replace(key, frame=key.frame * self.factor, into=into, out=out)

    def lanes(self, lanes: tuple[Lane, ...]) -> tuple[Lane, ...]:
        """Lanes with their keys, handles and modifiers."""
        for lane in lanes:
            if lane.curve not in self._curves:
                self._curves[lane.curve] = replace(lane.curve, keys=tuple(map(self.key, lane.curve.keys)))
        return tuple(
            replace(x, curve=self._curves[x.curve], modifiers=tuple(m.with_frames_scaled(self.factor) for m in x.modifiers))
            for x in lanes
        )

    def blend(self, blend: Blend | None) -> Blend | None:
        return blend and replace(blend, lanes=self.lanes(blend.lanes), offset=blend.offset * self.factor)

    def object(self, obj: MorphObject) -> MorphObject:
        repeat = obj.repeat and replace(obj.repeat, later=obj.repeat.later * self.factor)
        return replace(obj, lanes=self.lanes(obj.lanes), blend=self.blend(obj.blend), repeat=repeat)

    def clip(self, clip: Clip) -> Clip:
        parts = tuple(replace(p, lanes=self.lanes(p.lanes), blend=self.blend(p.blend)) for p in clip.parts)
        played = clip.played and (clip.played[0] * self.factor, clip.played[1] * self.factor)
        return replace(clip, start=clip.start * self.factor, end=clip.end * self.factor, played=played, parts=parts)
