"""Values that a scene has without what cues lead: its own, and over them the clips that cues play, one over another."""

from __future__ import annotations

from collections.abc import Mapping
from math import floor

from msgspec.structs import replace

from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import values_at
from fictilis.core.mix.relay import relays
from fictilis.core.rehearsal.segment import Segment
from fictilis.core.scene.clips import choose_clip
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.scene.timeline import Lane

ModifierRef = tuple[str, str, int]  # of which object, on which channel's lane, the how many-th


def with_active(scene: Scene, clip_id: str) -> Scene:
    """The scene with a clip active; the scene itself for the one that has no name."""
    return choose_clip(scene, clip_id) if clip_id else scene


class Layer:
    """A clip from ``begun`` s on, ``times`` times (0: until told), or a scene that ``stands`` at its ``frame``. ``amount`` says
    how far it covers what lies below it; ``run`` is the number of the run of a cue that plays it."""

    def __init__(
        self, scene: Scene, frame: float, length: float = 0.0, begun: float = 0.0, times: int = 1,
        amount: Segment | None = None, run: int = 0,
    ) -> None:  # fmt: skip
        self.objects, self.fps = {o.id: o for o in scene.objects}, scene.fps
        self.frame, self.length, self.begun, self.times = frame, length, begun, times
        self.amount, self.run = amount, run
        self.stands = amount is None
        self.stopped: float | None = None

    @property
    def ends(self) -> float:
        """When it has been played as often as it is to be."""
        return self.begun + self.times * self.length / self.fps if self.times else float("inf")

    def stop(self, t: float) -> None:
        """It stands still from ``t`` s on."""
        self.stopped = t

    def at(self, t: float) -> float:
        """The frame that it shows at ``t`` s: in its rounds the last frame stands for the first of the next."""
        if self.stands:
            return self.frame
        t = t if self.stopped is None else min(t, self.stopped)
        if t >= self.ends:
            return self.frame + self.length
        gone = max(t - self.begun, 0.0) * self.fps
        return self.frame + gone - self.length * floor(gone / self.length)

    def covers(self, t: float) -> float:
        if self.amount is None:
            return 1.0
        return (self.amount.goal or 0.0) + self.amount.left(t)

    def passes(self, marker: float, after: float) -> float | None:
        """The first time after ``after`` s at which it shows the frame ``marker``; None where it never does."""
        if self.stands or not self.frame <= marker <= self.frame + self.length:
            return None
        offset, span = (marker - self.frame) / self.fps, self.length / self.fps
        rounds = max(floor((after - self.begun - offset) / span) + 1, 0)
        while self.begun + rounds * span + offset <= after:
            rounds += 1
        if self.times and rounds >= self.times:
            return None
        return self.begun + rounds * span + offset


def clip_seconds(scene: Scene, clip_id: str) -> float:
    """How long one round of a clip takes."""
    start, end = with_active(scene, clip_id).span
    return (end - start) / scene.fps


class Layers:
    """The layers, lowest first, and which modifiers cues turned on or off, and how far."""

    def __init__(self, scene: Scene, frame: float) -> None:
        self.scene, self._clips = scene, dict[str, Scene]()
        self.stack = [Layer(scene, frame)]
        self.turned: dict[ModifierRef, Segment] = {}
        self._variants: dict[tuple[int, tuple[tuple[ModifierRef, bool], ...]], MorphObject] = {}
        self._kept: tuple[float, dict[str, Mapping[str, float]]] = (-1.0, {})

    def play(self, clip_id: str, begun: float, times: int, amount: Segment, run: int) -> Layer:
        """A clip, from ``begun`` s on over all others."""
        there = self._clips.get(clip_id)
        if there is None:
            there = self._clips[clip_id] = with_active(self.scene, clip_id)
        start, end = there.span
        layer = Layer(there, start, end - start, begun, times, amount, run)
        self.stack.append(layer)
        self.changed()
        return layer

    def changed(self) -> None:
        """What was worked out for a time holds no more."""
        self._kept = (-1.0, {})

    @property
    def on_top(self) -> Layer:
        return self.stack[-1]

    def settle(self, t: float) -> list[int]:
        """Let go what has come to an end by ``t`` s: what has faded out, and what a layer that stays covers wholly; the runs
        whose layers went."""
        gone = [x for x in self.stack[1:] if x.amount is not None and x.amount.goal == 0.0 and t >= x.amount.ends]
        self.stack = [x for x in self.stack if x not in gone]
        self.changed()
        return [x.run for x in gone if x.run]

    def cover(self, layer: Layer) -> list[int]:
        """Let go all between the ground and a layer that covers them and stays; the runs whose layers went."""
        place = self.stack.index(layer)
        gone, self.stack = self.stack[1:place], [self.stack[0], *self.stack[place:]]
        self.changed()
        return [x.run for x in gone if x.run]

    def values(self, object_id: str, t: float) -> Mapping[str, float]:
        """Every channel's value of an object at ``t`` s without what cues lead."""
        time, kept = self._kept
        if time != t:
            kept = {}
            self._kept = (t, kept)
        if object_id not in kept:
            kept[object_id] = self._values(object_id, t)
        return kept[object_id]

    def _values(self, object_id: str, t: float) -> Mapping[str, float]:
        out: dict[str, float] | Mapping[str, float] = {}
        for layer in self.stack:
            part = layer.covers(t)
            if part == 0.0:
                continue
            new = self._layer_values(layer, object_id, t)
            if part == 1.0 or not out:
                out = new
                continue
            out = {name: value + (new.get(name, value) - value) * part for name, value in out.items()}
        return out

    def _layer_values(self, layer: Layer, object_id: str, t: float) -> Mapping[str, float]:
        mine = {ref: segment for ref, segment in self.turned.items() if ref[0] == object_id}
        frame = layer.at(t)
        if not mine:
            return values_at(layer.objects[object_id], frame, None, layer.fps)
        parts = {ref: min(max((s.goal or 0.0) + s.left(t), 0.0), 1.0) for ref, s in mine.items()}
        return self._mixed(layer, object_id, frame, {ref: p == 1.0 for ref, p in parts.items()},
                           [(ref, p) for ref, p in parts.items() if 0.0 < p < 1.0])  # fmt: skip

    def _mixed(
        self,
        layer: Layer,
        object_id: str,
        frame: float,
        states: dict[ModifierRef, bool],
        between: list[tuple[ModifierRef, float]],
    ) -> Mapping[str, float]:
        """The values with modifiers on or off, and between both for those that are being turned."""
        if not between:
            return values_at(self._variant(layer, object_id, states), frame, None, layer.fps)
        (ref, part), *rest = between
        off = self._mixed(layer, object_id, frame, states | {ref: False}, rest)
        on = self._mixed(layer, object_id, frame, states | {ref: True}, rest)
        return {name: value + (on[name] - value) * part for name, value in off.items()}

    def _variant(self, layer: Layer, object_id: str, states: dict[ModifierRef, bool]) -> MorphObject:
        obj = layer.objects[object_id]
        key = (id(obj), tuple(sorted(states.items())))
        if key not in self._variants:
            self._variants[key] = replace(obj, lanes=tuple(_turned(obj.id, lane, states) for lane in obj.lanes))
        return self._variants[key]


def _turned(owner: str, lane: Lane, states: dict[ModifierRef, bool]) -> Lane:
    modifiers = tuple(replace(m, on=states.get((owner, lane.channel, number), m.on)) for number, m in enumerate(lane.modifiers))
    return lane if modifiers == lane.modifiers else replace(lane, modifiers=modifiers)


def bare(scene: Scene) -> Scene:
    """The scene with nothing that leads by itself: no lanes, relays or blends; every weight can be posed."""
    return replace(scene, objects=tuple(_bare(obj) for obj in scene.objects), clips=(), clip=None)


def _bare(obj: MorphObject) -> MorphObject:
    groups = tuple(replace(g, relay=None) for g in obj.groups) if relays(obj) else obj.groups
    return (
        obj
        if not obj.lanes and groups is obj.groups and obj.blend is None
        else replace(obj, lanes=(), groups=groups, blend=None)
    )


def is_led(obj: MorphObject) -> bool:
    """Whether an object's values differ from those that it has by itself."""
    return bool(obj.lanes) or bool(relays(obj)) or obj.blend is not None


def modifier_on(scene: Scene, ref: ModifierRef) -> bool:
    """Whether a modifier of the scene is on. Raises EditRefused where there is none such."""
    owner, channel_id, number = ref
    lane = scene.object(owner).lane(channel_id)
    if lane is None or not 0 <= number < len(lane.modifiers):
        raise EditRefused(f"{scene.object(owner).name} has no motion {number + 1} on that lane.")
    return lane.modifiers[number].on
