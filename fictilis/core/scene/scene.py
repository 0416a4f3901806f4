"""The scene as a value: frozen structs, tuples and read-only arrays. Lengths are centimetres, Y is up."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from msgspec import Struct, field
from msgspec.structs import force_setattr, replace

from fictilis.core.geometry.kinds import MOST_POINTS, WHOLE, Geometry, Line, Match, Mesh
from fictilis.core.geometry.shown import shown_count
from fictilis.core.ground.arrays import any_in_rows, cached_by_identity, frozen, lengths, plain_numbers
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.names import number_of, with_name
from fictilis.core.scene import timeline as time
from fictilis.core.scene.appearance import LANE_COLOURS, Appearance, Surface
from fictilis.core.scene.cues import Cue
from fictilis.core.scene.deformers import Deformer, kept_to
from fictilis.core.scene.kept import FormNumbers, Measure, NamedPick, StoredMix
from fictilis.core.scene.light import Light
from fictilis.core.scene.places import ALONG, Along, Transform
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.rigs import CLIP, TIME, Skin, is_rigged, turn_ids
from fictilis.core.scene.rules import Follow, Rule
from fictilis.core.scene.sweep import Sweep, front_of
from fictilis.core.scene.timeline import Animated, Blend, Clip, Lane, Marker, SceneCamera, fitted_lanes

STRAIGHT, THROUGH = RELAY_PATHS = "straight", "through"
LANE_HOLDERS = ("targets", "groups", "along", "deformers", "skin")  # what decides which lanes an object may have
BLEND = "blend"  # the channel of an object that plays two clips


class Deltas(Struct, frozen=True, eq=False, weakref=True):
    """Sparse offsets of moved points: indices (k,) int32, sorted and unique; offsets (k, 3) float64, cm."""

    indices: np.ndarray = field(default_factory=lambda: np.zeros(0, np.int32))
    offsets: np.ndarray = field(default_factory=lambda: np.zeros((0, 3)))

    def __post_init__(self) -> None:
        force_setattr(self, "indices", frozen(self.indices, np.int32))
        force_setattr(self, "offsets", frozen(self.offsets, np.float64, 3))
        if len(self.indices) != len(self.offsets):
            raise ValueError(f"{len(self.indices)} indices but {len(self.offsets)} offsets")

    @classmethod
    def from_dense(cls, offsets: np.ndarray) -> Deltas:
        """Keep the rows of offsets (n, 3) that are not exactly zero."""
        indices = np.flatnonzero(any_in_rows(offsets != 0.0)).astype(np.int32)
        return cls(indices, offsets[indices])

    def dense(self, point_count: int) -> np.ndarray:
        """(point_count, 3) float64."""
        out = np.zeros((point_count, 3))
        out[self.indices] = self.offsets
        return out

    @property
    def largest(self) -> float:
        """Length of the longest offset, cm; 0 when nothing moves."""
        return float(lengths(self.offsets).max(initial=0.0))


class InBetween(Struct, frozen=True, eq=False, weakref=True):
    """A full shape at weight ``at`` (not 0, not 1), as deltas from the base."""

    at: float
    deltas: Deltas
    name: str = ""


class Target(Struct, frozen=True, eq=False, weakref=True):
    """A named set of deltas with a weight. ``range`` is the soft limit of its sliders, never a clamp.

    ``mask`` (n,) float64 in 0…1 multiplies the deltas of the target and of its in-betweens; None is 1 everywhere.
    ``group`` is the id of a Group of the object. A corrective has a ``rule``, a driven
    weight ``follows`` one number by a curve; neither has a weight or a lane of its own. Targets of several objects that have
    the same ``link`` have one weight and one lane. While some are ``solo``, the others do not act. A ``locked`` one keeps its
    shape; its weight and keys may change. One with a ``sweep`` comes up where its front has passed. ``match`` is the
    line it was made of, where the object is one.
    """

    id: str
    name: str
    deltas: Deltas = field(default_factory=Deltas)
    colour: str = LANE_COLOURS[0]
    weight: float = 0.0
    range: tuple[float, float] = (0.0, 1.0)
    path: str = "straight"
    in_betweens: tuple[InBetween, ...] = ()
    built_on: str | None = None
    muted: bool = False
    solo: bool = False
    locked: bool = False
    note: str = ""
    mask: np.ndarray | None = None
    group: str | None = None
    rule: Rule | None = None
    follows: Follow | None = None
    link: str | None = None
    sweep: Sweep | None = None
    match: Match | None = None

    def __post_init__(self) -> None:
        if self.mask is not None:
            force_setattr(self, "mask", frozen(self.mask, np.float64))

    def in_between(self, at: float) -> InBetween | None:
        return next((stage for stage in self.in_betweens if abs(stage.at - at) < 1e-9), None)


class Group(Struct, frozen=True):
    """Targets that stand together; ``factor`` multiplies the weights of all of them.

    One with a ``relay``, the path straight or through, is mixed by a lane of poses (see ``mix.relay``); None are layered.
    """

    id: str
    name: str
    factor: float = 1.0
    folded: bool = False
    relay: str | None = None


class MorphObject(Animated, Struct, frozen=True, eq=False, weakref=True):
    """A mesh or a line, its base points (n, 3) float64, and the targets and lanes that deform it. A line is ``drawn`` from one
    fraction of each strand's length to another."""

    id: str
    name: str
    geometry: Geometry
    base: np.ndarray
    targets: tuple[Target, ...] = ()
    lanes: tuple[Lane, ...] = ()
    transform: Transform = Transform()
    appearance: Appearance = Appearance()
    visible: bool = True
    locked: bool = False
    groups: tuple[Group, ...] = ()
    picks: tuple[NamedPick, ...] = ()
    mixes: tuple[StoredMix, ...] = ()
    form: FormNumbers | None = None
    blend: Blend | None = None
    drawn: tuple[float, float] = WHOLE
    along: Along | None = None
    repeat: Repeat | None = None
    spring: PointSpring | None = None
    surface: Surface | None = None
    deformers: tuple[Deformer, ...] = ()
    skin: Skin | None = None

    def __post_init__(self) -> None:
        plain_numbers(self, "drawn")
        force_setattr(self, "base", frozen(self.base, np.float64, 3))
        if len(self.base) != self.geometry.point_count:
            raise ValueError(f"{len(self.base)} base points, but the {self.geometry.kind} counts {self.geometry.point_count}")
        if self.skin is not None and len(self.skin.bound.weights) != len(self.base):
            raise ValueError(f"a skin of {len(self.skin.bound.weights)} points on {len(self.base)} base points")

    @property
    def repeated(self) -> Repeat | None:
        """Its copies, where they are on."""
        return self.repeat if self.repeat is not None and self.repeat.on else None

    @property
    def mesh(self) -> Mesh:
        """The geometry, for what only a mesh can do; ``geometry`` is for what any object can. Raises EditRefused."""
        if not isinstance(self.geometry, Mesh):
            raise EditRefused(f"{self.name} is a {self.geometry.kind} and has no faces; this needs a mesh.")
        return self.geometry

    @property
    def line(self) -> Line:
        """The geometry, for what only a line can do. Raises EditRefused."""
        if not isinstance(self.geometry, Line):
            raise EditRefused(f"{self.name} is a {self.geometry.kind}; this needs a line.")
        return self.geometry

    def deformer(self, kind: str) -> Deformer | None:
        """Its bend, its twist or its taper."""
        return next((d for d in self.deformers if d.kind == kind), None)

    def group(self, group_id: str | None) -> Group | None:
        return next((g for g in self.groups if g.id == group_id), None)

    def target(self, target_id: str) -> Target:
        found = targets_by_id(self).get(target_id)
        if found is None:
            raise EditRefused(f"{self.name} has no target with the id {target_id}.")
        return found

    def target_named(self, name: str) -> Target:
        return with_name(self.targets, name, f"{self.name} has no target", "targets")

    def with_target(self, target: Target) -> MorphObject:
        """The object with the target of the same id replaced."""
        return replace(self, targets=tuple(target if t.id == target.id else t for t in self.targets))

    def ancestors(self, target: Target) -> list[Target]:
        """The targets this one is built on, nearest first."""
        out: list[Target] = []
        while target.built_on is not None:
            target = self.target(target.built_on)
            out.append(target)
            if len(out) > len(self.targets):
                raise EditRefused(f"{self.name}: {target.name} is built on itself.")
        return out


class Scene(Struct, frozen=True, eq=False, weakref=True):
    """Everything a file holds. ``start`` and ``end`` are frames, both shown; ``played`` is the part played, None for all.
    The first camera is the one that is looked through. ``id_floor`` is the highest number of an id that is gone: new ids begin
    above it. ``clip`` is the id of the active one of ``clips``; without clips what there is is one without a name. ``cues`` say
    what happens when it is touched. A ``light`` of None is the program's own."""

    name: str = "Untitled"
    fps: float = 24.0
    start: float = 0.0
    end: float = 96.0
    objects: tuple[MorphObject, ...] = ()
    views: tuple[time.SavedView, ...] = ()
    cameras: tuple[SceneCamera, ...] = ()
    markers: tuple[Marker, ...] = ()
    sound: time.Sound | None = None
    played: tuple[float, float] | None = None
    id_floor: int = 0
    clips: tuple[Clip, ...] = ()
    clip: str | None = None
    reference: time.Reference | None = None
    cues: tuple[Cue, ...] = ()
    light: Light | None = None
    measures: tuple[Measure, ...] = ()

    @property
    def camera(self) -> SceneCamera | None:
        """The camera that is looked through."""
        return self.cameras[0] if self.cameras else None

    @property
    def owners(self) -> tuple[MorphObject | SceneCamera, ...]:
        """All that have lanes."""
        return (*self.objects, *self.cameras)

    def owner(self, owner_id: str) -> MorphObject | SceneCamera:
        for owner in self.owners:
            if owner.id == owner_id:
                return owner
        raise EditRefused(f"The scene has nothing with the id {owner_id}.")

    def owner_named(self, name: str) -> MorphObject | SceneCamera:
        return with_name(self.owners, name, "The scene has nothing", "objects and cameras")

    def with_owner(self, owner: MorphObject | SceneCamera) -> Scene:
        """The scene with the object or camera of the same id replaced."""
        if isinstance(owner, MorphObject):
            return self.with_object(owner)
        return replace(self, cameras=tuple(owner if c.id == owner.id else c for c in self.cameras))

    @property
    def span(self) -> tuple[float, float]:
        """The frames that are played."""
        return self.played or (self.start, self.end)

    def object(self, object_id: str) -> MorphObject:
        for obj in self.objects:
            if obj.id == object_id:
                return obj
        raise EditRefused(f"The scene has no object with the id {object_id}.")

    def unlocked(self, object_id: str) -> MorphObject:
        """An object whose shapes, targets and mesh may change; its weights and keys may in any case.

        Raises EditRefused when it is locked.
        """
        obj = self.object(object_id)
        if obj.locked:
            raise EditRefused(f"{obj.name} is locked; unlock it in the list of objects first.")
        return obj

    def object_named(self, name: str) -> MorphObject:
        return with_name(self.objects, name, "The scene has no object", "objects")

    def with_object(self, obj: MorphObject) -> Scene:
        """The scene with the object of the same id replaced."""
        was = next((o for o in self.objects if o.id == obj.id), obj)
        if obj.base is not was.base and obj.deformers:
            obj = replace(obj, deformers=kept_to(obj.deformers, was.base))  # what bends it stays where it was set
        floor = self.id_floor
        if (was.targets is not obj.targets or was.groups is not obj.groups) and highest_number(was) > highest_number(obj):
            floor = max(floor, highest_number(was))
        scene = replace(self, objects=tuple(obj if o is was else o for o in self.objects), id_floor=floor)
        if len(obj.base) != len(was.base):  # its points have other numbers
            scene = scene.without_measures(obj.id)
        if self.clips and any(getattr(was, part) is not getattr(obj, part) for part in LANE_HOLDERS):
            scene, obj = _clips_fitted(scene, obj, was)
        if obj.skin is not None:
            scene = _rigs_in_step(scene, obj, was)
        if obj.geometry is not was.geometry or obj.surface is not was.surface or obj.repeat is not was.repeat:
            scene.check_shown(obj)
        return in_step(scene, obj, was) if links_of(obj) or obj.blend is not None else scene

    def copy_count(self, obj: MorphObject) -> int:
        """How many an object is seen as."""
        if obj.repeated is None:
            return 1
        return obj.repeated.count_on(self.object(obj.repeated.other).geometry if obj.repeated.other is not None else None)

    def check_shown(self, obj: MorphObject) -> None:
        """Raises EditRefused where an object, or what is repeated on it, would be seen with more points than are drawn."""
        for o in self.objects:
            if o is not obj and (o.repeated is None or o.repeated.other != obj.id):
                continue
            levels = o.surface.levels if o.surface is not None and o.surface.on else 0
            if (count := self.copy_count(o) * shown_count(o.geometry, levels)) > MOST_POINTS and (o.repeated or not levels):
                what = f"The copies of {o.name}" if o.repeated is not None else o.name
                raise EditRefused(f"{what} would have {count:,} points; up to {MOST_POINTS:,} are drawn here.")

    def without_measures(self, object_id: str) -> Scene:
        """The scene without the measures that begin or end on an object."""
        left = tuple(m for m in self.measures if object_id not in (m.first.owner, m.second.owner))
        return self if len(left) == len(self.measures) else replace(self, measures=left)

    def without(self, owner: MorphObject | SceneCamera) -> Scene:
        """The scene without an object or a camera of it; what followed it or was repeated on it stands by itself."""
        scene = self.without_measures(owner.id)
        for follower in self.owners:
            if follower.along is not None and follower.along.line == owner.id:
                scene = scene.with_owner(follower.apart())
        for obj in scene.objects:
            if obj.repeat is not None and obj.repeat.other == owner.id:
                scene = scene.with_object(replace(scene.object(obj.id), repeat=None))
        return replace(
            scene, objects=tuple(o for o in scene.objects if o.id != owner.id),
            cameras=tuple(c for c in scene.cameras if c.id != owner.id),
            id_floor=max(self.id_floor, highest_number(owner)),
            clips=tuple(replace(c, parts=tuple(p for p in c.parts if p.owner != owner.id)) for c in scene.clips),
        )  # fmt: skip


@cached_by_identity
def targets_by_id(obj: MorphObject) -> dict[str, Target]:
    """The targets of an object by their ids."""
    return {target.id: target for target in obj.targets}


@cached_by_identity
def links_of(obj: MorphObject) -> dict[str, Target]:
    """The linked targets of an object by their links."""
    return {target.link: target for target in obj.targets if target.link is not None}


@cached_by_identity
def lane_homes(obj: MorphObject) -> dict[str, frozenset[str]]:
    """The channels of an object's targets and relays that may have a lane, each with the shapes that its poses may name."""
    led = {group.id: frozenset(t.id for t in obj.targets if t.group == group.id) for group in obj.groups if group.relay}
    plain = (t for t in obj.targets if t.rule is None and t.follows is None and t.group not in led)
    fronts = (front_of(t.id) for t in obj.targets if t.sweep is not None)
    ways = ((ALONG,) if obj.along is not None else ()) + tuple(d.kind for d in obj.deformers)
    if obj.skin is not None:
        ways += (CLIP, TIME, *turn_ids(obj.skin.rig))
    return led | dict.fromkeys((*(t.id for t in plain), *fronts, *ways), frozenset())


def in_step(scene: Scene, obj: MorphObject, was: MorphObject | None = None) -> Scene:
    """The scene with the lanes and weights of what is linked with targets of ``obj`` as those are; where ``was`` is given, of
    those that differ from it."""
    led: dict[str, Target] = {}
    for link, target in links_of(obj).items():
        before = targets_by_id(was).get(target.id) if was is not None else None
        if was is None or before is None or was.lane(target.id) is not obj.lane(target.id) or before.weight != target.weight:
            led[link] = target
    if led:
        objects = tuple(o if o is obj else _led_alike(o, obj, led) for o in scene.objects)
        scene = replace(scene, objects=objects)
    return _blends_in_step(scene, obj, was)


def _led_alike(other: MorphObject, obj: MorphObject, led: Mapping[str, Target]) -> MorphObject:
    """Another object with the weights and lanes of ``led``, targets of ``obj`` by their links."""
    mine = {target.id: led[link] for link, target in links_of(other).items() if link in led}
    if not mine:
        return other
    targets = tuple(replace(t, weight=mine[t.id].weight) if t.id in mine else t for t in other.targets)
    lanes = [lane for lane in other.lanes if lane.channel not in mine]
    for target_id, leader in mine.items():
        lane = obj.lane(leader.id)
        lanes += [] if lane is None else [replace(lane, channel=target_id)]
    return replace(other, targets=targets, lanes=tuple(lanes))


def _rigs_in_step(scene: Scene, obj: MorphObject, was: MorphObject) -> Scene:
    """All objects that hang on one rig move with it alike, as ``obj`` does, where that differs from what it ``was``."""
    skin, before = obj.skin, was.skin
    assert skin is not None
    partners = [o for o in scene.objects if o is not obj and o.skin is not None and o.skin.rig is skin.rig]
    if not partners or before is None:
        return scene
    lanes, old = (tuple(lane for lane in o.lanes if is_rigged(lane.channel)) for o in (obj, was))
    led = (skin.clip, skin.time, skin.turns)
    if led == (before.clip, before.time, before.turns) and lanes == old:
        return scene
    for other in partners:
        assert other.skin is not None
        rest = tuple(lane for lane in other.lanes if not is_rigged(lane.channel))
        hung = replace(other.skin, clip=skin.clip, time=skin.time, turns=skin.turns)
        new = replace(other, skin=hung, lanes=rest + lanes)
        scene = replace(scene, objects=tuple(new if o is other else o for o in scene.objects))
    return scene


def _clips_fitted(scene: Scene, obj: MorphObject, was: MorphObject) -> tuple[Scene, MorphObject]:
    """Every clip without lanes of what an object had and has no more; the scene, and the object as it is then."""
    now, before = lane_homes(obj), lane_homes(was)
    if now == before:
        return scene, obj
    were = frozenset(now) | frozenset(before) | frozenset(t.id for t in obj.targets)
    scene = replace(scene, clips=tuple(clip.fitted(obj.id, now, were) for clip in scene.clips))
    if obj.blend is not None:
        fitted = replace(obj, blend=replace(obj.blend, lanes=fitted_lanes(obj.blend.lanes, now, were)))
        scene = replace(scene, objects=tuple(fitted if o is obj else o for o in scene.objects))
        return scene, fitted
    return scene, obj


def _blends_in_step(scene: Scene, obj: MorphObject, was: MorphObject | None) -> Scene:
    """All objects that play two clips at once do so alike."""
    mine, lane = obj.blend, obj.lane(BLEND)
    if mine is None or was is not None and was.blend is mine and was.lane(BLEND) is lane:
        return scene
    objects = []
    for other in scene.objects:
        if other.blend is not None and other is not obj:
            rest = tuple(x for x in other.lanes if x.channel != BLEND)
            blend = replace(other.blend, offset=mine.offset, amount=mine.amount)
            other = replace(other, lanes=rest + (() if lane is None else (lane,)), blend=blend)
        objects.append(other)
    return replace(scene, objects=tuple(objects))


@cached_by_identity
def highest_number(owner: MorphObject | SceneCamera) -> int:
    """The highest number in the ids of an object, its targets and its groups, or of a camera; 0 without any."""
    ids = [owner.id]
    if isinstance(owner, MorphObject):
        ids += [t.id for t in owner.targets] + [g.id for g in owner.groups]
    return max(number_of(i) for i in ids)
