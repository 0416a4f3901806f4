"""Animated numbers in one table: what they are called, their unit and usual range, and how an owner keeps them.

A channel id is the id of a target, for its weight, or of one of the kinds below. What it means depends on its owner only.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from types import MappingProxyType
from typing import Any, NamedTuple

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.geometry.kinds import WHOLE, Line
from fictilis.core.ground.arrays import cached_by_identity, recent_by_identity
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.bands import swept
from fictilis.core.mix.channel_kinds import (
    ALONG_KIND,
    AXES,
    BLEND_KIND,
    CAMERA_KINDS,
    DEFORMER_KINDS,
    LEAST_DISTANCE,
    LEAST_SCALE,
    LED_CAMERA_KINDS,
    LINE_IDS,
    LINE_KINDS,
    OBJECT_KINDS,
    ChannelKind,
    fixed,
    rig_kinds,
)
from fictilis.core.mix.driven import drive, driven_by, silent
from fictilis.core.mix.lane_bank import lane_bank
from fictilis.core.mix.relay import lead, relay_of, relays
from fictilis.core.rig.posing import angle_values, own_over, pose_of
from fictilis.core.scene.places import ALONG, Transform
from fictilis.core.scene.rigs import CLIP, OTHER_CLIP, OTHER_PART, OTHER_TIME, TIME
from fictilis.core.scene.scene import BLEND, MorphObject, Scene, Target, targets_by_id
from fictilis.core.scene.sweep import front_of
from fictilis.core.scene.timeline import SceneCamera, lanes_by_channel

Owner = MorphObject | SceneCamera
FRONT = front_of("")
RECENT = 8  # evaluations kept


@lru_cache
def _kinds_of(line: bool, blent: bool, along: bool, deformers: tuple[str, ...] = ()) -> dict[str, ChannelKind]:
    first = ({BLEND: BLEND_KIND} if blent else {}) | ({ALONG: ALONG_KIND} if along else {})
    return first | {kind: DEFORMER_KINDS[kind] for kind in deformers} | OBJECT_KINDS | (LINE_KINDS if line else {})


@cached_by_identity
def _rigged_kinds(obj: MorphObject) -> dict[str, ChannelKind]:
    assert obj.skin is not None
    return _plain_kinds(obj) | rig_kinds(obj.skin.rig)


def _plain_kinds(obj: MorphObject) -> dict[str, ChannelKind]:
    deformers = tuple(d.kind for d in obj.deformers)
    return _kinds_of(isinstance(obj.geometry, Line), obj.blend is not None, obj.along is not None, deformers)


class ChannelRef(NamedTuple):
    """One animated number of the scene: whose, and which."""

    owner: str
    channel: str


class Channel:
    """A kind with its owner. ``value`` is what it has where no lane drives it; ``low`` … ``high`` the soft range of its
    slider; the rest is what the kind says."""

    __slots__ = ("kind", "owner")

    def __init__(self, owner: Owner, kind: ChannelKind) -> None:
        self.owner, self.kind = owner, kind

    @property
    def ref(self) -> ChannelRef:
        return ChannelRef(self.owner.id, self.kind.id)

    @property
    def id(self) -> str:
        return self.kind.id

    @property
    def name(self) -> str:
        return self.kind.name

    @property
    def part(self) -> str:
        return self.kind.part

    @property
    def unit(self) -> str:
        return self.kind.unit

    @property
    def rest(self) -> float:
        return self.kind.rest

    @property
    def decimals(self) -> int:
        return self.kind.decimals

    @property
    def colour(self) -> str:
        return self.kind.colour

    @property
    def stepped(self) -> bool:
        return self.kind.stepped

    @property
    def quiet(self) -> bool:
        return self.kind.quiet

    @property
    def driven(self) -> str:
        return self.kind.driven

    @property
    def poses(self) -> bool:
        return self.kind.poses

    @property
    def slides(self) -> bool:
        """Whether it has a number of its own that can be set and keyed."""
        return not (self.kind.driven or self.kind.poses)

    @property
    def seen(self) -> tuple[object, ...]:
        """Everything of it that a picture of its lane depends on."""
        kind = self.kind
        return kind.name, kind.colour, kind.quiet, self.value, *kind.bounds(self.owner)

    @property
    def value(self) -> float:
        return self.kind.get(self.owner)

    @property
    def low(self) -> float:
        return self.kind.bounds(self.owner)[0]

    @property
    def high(self) -> float:
        return self.kind.bounds(self.owner)[1]


def _weight_kind(obj: MorphObject, target: Target) -> ChannelKind:
    driven, own, quiet = driven_by(obj, target), _own_weight_kind(target), target.id in silent(obj)
    return replace(own, driven=driven, quiet=quiet) if driven or quiet else own


@cached_by_identity
def _own_weight_kind(target: Target) -> ChannelKind:
    """Of a target that is not driven; shared by all the objects that an edit leaves it in."""
    target_id = target.id
    return ChannelKind(
        target_id, target.name, "weight", lambda o: o.target(target_id).weight,
        lambda o, v: o.with_target(replace(o.target(target_id), weight=v)), lambda o: o.target(target_id).range,
        colour=target.colour,
    )  # fmt: skip


def _front_kind(obj: MorphObject, channel_id: str) -> ChannelKind:
    target_id = channel_id.removesuffix(FRONT)
    target = targets_by_id(obj)[target_id]

    def put(o: Any, value: float) -> Any:
        swept_ = o.target(target_id)
        return o.with_target(replace(swept_, sweep=replace(swept_.sweep, front=value)))

    return ChannelKind(
        channel_id, f"Front of {target.name}", "sweep", lambda o: o.target(target_id).sweep.front, put, fixed(0.0, 1.0),
        colour=target.colour, quiet=target_id in silent(obj),
    )  # fmt: skip


def _still(owner: Owner, _value: float) -> Owner:
    return owner


def _relay_kind(obj: MorphObject, group_id: str) -> ChannelKind:
    return ChannelKind(group_id, relays(obj)[group_id].name, "relay", lambda _o: 0.0, _still, fixed(0.0, 1.0), poses=True)


def settable(owner: Owner, channel_id: str) -> Channel:
    """One channel that has a value and a lane of its own. Raises EditRefused for one that is driven, or not there."""
    found = channel(owner, channel_id)
    if found.driven:
        raise EditRefused(f"{found.name} is driven by {found.driven}; it has no weight of its own to set or key.")
    if found.poses:
        raise EditRefused(f"{found.name} is a relay; its lane has poses, which are shapes, not values.")
    return found


def own_kinds(owner: Owner) -> dict[str, ChannelKind]:
    """The kinds of an owner but for weights, by id."""
    if isinstance(owner, SceneCamera):
        return CAMERA_KINDS if owner.along is None else LED_CAMERA_KINDS
    return _plain_kinds(owner) if owner.skin is None else _rigged_kinds(owner)


def find_channel(owner: Owner, channel_id: str) -> Channel | None:
    """One channel by its id, or None where the owner has none such."""
    kind = own_kinds(owner).get(channel_id)
    if kind is None and isinstance(owner, MorphObject) and (target := targets_by_id(owner).get(channel_id)) is not None:
        kind = _weight_kind(owner, target)
    elif kind is None and isinstance(owner, MorphObject) and channel_id in relays(owner):
        kind = _relay_kind(owner, channel_id)
    elif kind is None and isinstance(owner, MorphObject) and channel_id.removesuffix(FRONT) in swept(owner):
        kind = _front_kind(owner, channel_id)
    return None if kind is None else Channel(owner, kind)


def channel(owner: Owner, channel_id: str) -> Channel:
    """One channel by its id. Raises EditRefused when the owner has none such."""
    found = find_channel(owner, channel_id)
    if found is None:
        raise EditRefused(f"{owner.name} has nothing called {channel_id} to animate.")
    return found


def part_of(owner: Owner, channel_id: str) -> str:
    """What a channel is a part of: ``weight``, ``relay``, ``sweep``, ``object`` or ``camera``."""
    kind = own_kinds(owner).get(channel_id)
    if kind is not None:
        return kind.part
    if channel_id.endswith(FRONT):
        return "sweep"
    return "relay" if isinstance(owner, MorphObject) and channel_id in relays(owner) else "weight"


@cached_by_identity
def kinds(owner: Owner) -> dict[str, ChannelKind]:
    """What channels an object or a camera has, by id, in the order of its lanes."""
    if isinstance(owner, SceneCamera):
        return own_kinds(owner)
    led = {group_id: _relay_kind(owner, group_id) for group_id in relays(owner)}
    weights: dict[str, ChannelKind] = {}
    for target in owner.targets:
        weights[target.id] = _weight_kind(owner, target)
        if target.sweep is not None:
            weights[front_of(target.id)] = _front_kind(owner, front_of(target.id))
    return led | weights | own_kinds(owner)


def channels(owner: Owner) -> tuple[Channel, ...]:
    """All channels of an object or a camera, in the order of its lanes."""
    return tuple(Channel(owner, kind) for kind in kinds(owner).values())


def channel_named(owner: Owner, name: str) -> Channel:
    """One channel by its name, or by its id where that is a word of its own."""
    for found in channels(owner):
        if name == found.name or name == found.id and found.part != "weight":
            return found
    names = ", ".join(found.name for found in channels(owner))
    raise EditRefused(f"{owner.name} has nothing named {name} to animate; it has: {names}.")


def set_value(scene: Scene, owner_id: str, channel_id: str, value: float) -> Scene:
    """The value a channel has where no lane drives it. Raises EditRefused for a value it cannot have."""
    owner = scene.owner(owner_id)
    kind = settable(owner, channel_id).kind
    if not np.isfinite(value):
        raise EditRefused(f"{kind.name} must be a finite number, not {value}.")
    return scene.with_owner(kind.set(owner, float(value)))


def values_at(
    owner: Owner, frame: float | np.ndarray, posed: Mapping[str, float] | None = None, fps: float = 24.0
) -> Mapping[str, Any]:
    """Every channel's value by id: of its lane at ``frame``, else its own; ``posed`` values win over both.

    ``frame`` may be an array; then every value is one of its shape. ``fps`` matters to modifiers only, which know seconds.
    The evaluations of single frames asked for last are kept and shared.
    """
    if not np.shape(frame):
        return _values_at(owner, float(frame), tuple(posed.items()) if posed else (), float(fps))
    shape = np.shape(frame)
    out: dict[str, Any] = {name: np.full(shape, value) for name, value in _own_values(owner).items()}
    out.update(lane_bank(owner.lanes).by_channel(frame, fps))
    if isinstance(owner, MorphObject):
        _lead(owner, frame, out, fps, (posed or {}).get(BLEND))
    out.update({name: np.full(shape, value) for name, value in _free(owner, posed or {}).items()})
    if isinstance(owner, MorphObject):
        if owner.skin is not None:
            out.update(angles_over(owner, out, shape))
        drive(owner, out)
    return out


def angles_over(obj: MorphObject, values: Mapping[str, Any], shape: tuple[int, ...]) -> dict[str, Any]:
    """The angles of an object's joints by their channels, each shaped ``shape``, where its rig stands by ``values``."""
    assert obj.skin is not None
    own = own_over(obj.skin.rig, values, shape)
    return {name: rows.reshape(shape) for name, rows in angle_values(obj.skin.rig, own).items()}


@recent_by_identity(RECENT)
def _values_at(owner: Owner, frame: float, posed: tuple[tuple[str, float], ...], fps: float) -> Mapping[str, float]:
    out = _own_values(owner).copy()
    out.update(lane_bank(owner.lanes).by_channel(frame, fps))
    if isinstance(owner, MorphObject):
        _lead(owner, frame, out, fps, dict(posed).get(BLEND))
    out.update(_free(owner, dict(posed)))
    if isinstance(owner, MorphObject):
        if owner.skin is not None:
            out.update(pose_of(owner.skin, out).angles)
        drive(owner, out)
    return MappingProxyType(out)


def _lead(obj: MorphObject, frame: float | np.ndarray, values: dict[str, Any], fps: float, amount: Any) -> None:
    """Put in what relays give, and what another clip adds that is played beside the object's own lanes, in place."""
    if relays(obj):
        lead(obj, lanes_by_channel(obj), frame, values)
    if obj.blend is None:
        return
    at, shape = np.asarray(frame, np.float64) - obj.blend.offset, np.shape(frame)
    other: dict[str, Any] = _own_values(obj).copy()
    if shape:
        other = {name: np.full(shape, value) for name, value in other.items()}
    beside = at if shape else float(at)
    other.update(lane_bank(obj.blend.lanes).by_channel(beside, fps))
    lead(obj, {lane.channel: lane for lane in obj.blend.lanes}, beside, other)
    part = values[BLEND] if amount is None else amount
    if obj.skin is not None:  # poses are blended, not where clips are
        values |= {OTHER_CLIP: other.pop(CLIP), OTHER_TIME: other.pop(TIME), OTHER_PART: part}
    for name, value in other.items():
        if name != BLEND and (shape or value != values[name]):
            values[name] = values[name] + (value - values[name]) * part


def _free(owner: Owner, posed: Mapping[str, float]) -> Mapping[str, float]:
    """What can be posed: all but the shapes of relays, which are led."""
    if not (isinstance(owner, MorphObject) and relays(owner)):
        return posed
    known = targets_by_id(owner)
    return {name: value for name, value in posed.items() if name not in known or relay_of(owner, known[name]) is None}


@cached_by_identity
def _own_values(owner: Owner) -> dict[str, float]:
    """Every channel's value where no lane drives it; shared: to be copied."""
    out: dict[str, float] = {}
    if isinstance(owner, MorphObject):
        led = relays(owner)
        out.update((t.id, 0.0 if t.group in led else float(t.weight)) for t in owner.targets)
        out.update(dict.fromkeys(led, 0.0))
        out.update((front_of(target_id), sweep.front) for target_id, sweep in swept(owner).items())
    out.update((kind.id, float(kind.get(owner))) for kind in own_kinds(owner).values())
    return out


class Placement(Struct, frozen=True):
    """How an object stands at a frame; a line is ``drawn`` from one fraction of each strand's length to another."""

    transform: Transform
    opacity: float
    visible: bool
    drawn: tuple[float, float] = WHOLE


def own_placement(obj: MorphObject, frame: float, posed: Mapping[str, float] | None = None, fps: float = 24.0) -> Placement:
    """Where an object is at a frame, how opaque, and whether it is seen."""
    if not posed and obj.blend is None and all(lane.channel not in _kinds_of(True, False, False) for lane in obj.lanes):
        return Placement(obj.transform, obj.appearance.opacity, obj.visible, obj.drawn)
    at = values_at(obj, frame, posed, fps)
    rows = {part: tuple(at[f"{part}.{a}"] for a in AXES) for part in ("position", "rotation", "scale")}
    rows["scale"] = tuple(v if abs(v) >= LEAST_SCALE else LEAST_SCALE for v in rows["scale"])
    drawn = WHOLE if not isinstance(obj.geometry, Line) else (at[LINE_IDS[0]], at[LINE_IDS[1]])
    return Placement(replace(obj.transform, **rows), min(max(at["opacity"], 0.0), 1.0), at["visible"] >= 0.5, drawn)


def camera_at(camera: SceneCamera, frame: float, posed: Mapping[str, float] | None = None, fps: float = 24.0) -> SceneCamera:
    """A camera as it stands at a frame, without lanes."""
    at = values_at(camera, frame, posed, fps)
    return replace(
        camera, centre=tuple(at[f"centre.{a}"] for a in AXES), distance=max(at["distance"], LEAST_DISTANCE), yaw=at["yaw"],
        pitch=min(max(at["pitch"], -90.0), 90.0), lens=min(max(at["lens"], 1.0), 170.0), lanes=(),
    )  # fmt: skip
