"""What stands in ``scene.json``, as typed records. Described in docs/file-format.md."""

from __future__ import annotations

import msgspec
import msgspec.structs

from fictilis.core.ground.names import seen_name
from fictilis.formats.native_cues import CueRecord
from fictilis.formats.native_strict import Strict


class DeltasRecord(Strict, kw_only=True):
    indices: str
    offsets: str


class StageRecord(Strict, kw_only=True):
    at: float
    name: str = ""
    deltas: DeltasRecord


class DriverRecord(Strict, kw_only=True):
    target: str
    at: float
    width: float | None = None


class RuleRecord(Strict, kw_only=True):
    drivers: list[DriverRecord]
    how: str


class KeyRecord(Strict, kw_only=True):
    frame: float
    value: float
    interpolation: str
    tangent: str = "auto"
    into: tuple[float, float] | None = None
    out: tuple[float, float] | None = None
    ease: str = "ease-in-out"
    shape: str = ""


class FollowRecord(Strict, kw_only=True):
    source: str
    keys: list[KeyRecord]
    before: str
    after: str


class SweepRecord(Strict, kw_only=True):
    field: str
    front: float
    softness: float
    profile: str
    bands: int
    way: str
    until: str | None = None


class TubeRecord(Strict, kw_only=True):
    profile: str
    twist: float
    caps: bool
    word: str
    radius: list[KeyRecord] | None = None
    turning: list[KeyRecord] | None = None


class LineRecord(Strict, kw_only=True, tag_field="kind", tag="line"):
    """One strand after another: its number of points, and whether it is closed."""

    points: list[int]
    closed: list[bool]
    degree: int = 1
    through: bool = True
    widths: str | None = None
    tube: TubeRecord | None = None


class MatchRecord(Strict, kw_only=True):
    line: LineRecord
    points: str
    shift: float
    backwards: bool
    corners: bool


class TargetRecord(Strict, kw_only=True):
    id: str
    name: str
    colour: str
    weight: float
    range: tuple[float, float]
    path: str
    built_on: str | None = None
    muted: bool = False
    deltas: DeltasRecord
    in_betweens: list[StageRecord] = []
    mask: str | None = None
    group: str | None = None
    rule: RuleRecord | None = None
    follows: FollowRecord | None = None
    link: str | None = None
    sweep: SweepRecord | None = None
    match: MatchRecord | None = None


class GroupRecord(Strict, kw_only=True):
    id: str
    name: str
    factor: float
    folded: bool
    relay: str | None = None


class PickRecord(Strict, kw_only=True):
    name: str
    kind: str
    elements: str


class MixRecord(Strict, kw_only=True):
    name: str
    weights: list[tuple[str, float]]


class TextureRecord(Strict, kw_only=True):
    name: str
    tiles: int
    image: str | None = None
    projected: str | None = None


class ViewRecord(Strict, kw_only=True):
    name: str
    centre: tuple[float, float, float]
    distance: float
    yaw: float
    pitch: float
    parallel: bool


class ModifierRecord(Strict, kw_only=True):
    kind: str
    on: bool
    amount: float
    numbers: list[tuple[str, float]]


class LaneRecord(Strict, kw_only=True):
    channel: str
    keys: list[KeyRecord]
    before: str = "hold"
    after: str = "hold"
    modifiers: list[ModifierRecord] = []


class BlendRecord(Strict, kw_only=True):
    lanes: list[LaneRecord]
    offset: float
    amount: float


class ClipPartRecord(Strict, kw_only=True):
    owner: str
    lanes: list[LaneRecord]
    blend: BlendRecord | None = None


class ClipRecord(Strict, kw_only=True):
    id: str
    name: str
    start: float
    end: float
    played: tuple[float, float] | None = None
    loop: bool = True
    parts: list[ClipPartRecord] = []


class AlongRecord(Strict, kw_only=True):
    line: str
    place: float
    turn: bool
    even: bool


class CameraRecord(Strict, kw_only=True):
    id: str
    name: str
    centre: tuple[float, float, float]
    distance: float
    yaw: float
    pitch: float
    lens: float
    parallel: bool
    lanes: list[LaneRecord]
    along: AlongRecord | None = None


class MarkerRecord(Strict, kw_only=True):
    frame: float
    name: str


class SoundRecord(Strict, kw_only=True):
    name: str
    data: str
    start: float
    muted: bool
    volume: float


class ReferenceRecord(Strict, kw_only=True):
    name: str
    data: str
    start: float
    opacity: float
    size: float
    across: float
    up: float
    before: bool
    through: bool
    shown: bool


class MeshRecord(Strict, kw_only=True, tag_field="kind", tag="mesh"):
    points: int
    corners: str
    offsets: str
    uvs: str | None = None
    uv_corners: str | None = None


class TransformRecord(Strict, kw_only=True):
    position: tuple[float, float, float]
    rotation: tuple[float, float, float]
    scale: tuple[float, float, float]
    pivot: tuple[float, float, float]


class SurfaceRecord(Strict, kw_only=True):
    levels: int
    on: bool


class DeformerRecord(Strict, kw_only=True):
    kind: str
    axis: str
    low: float
    high: float
    still: float
    toward: float
    amount: float
    on: bool
    box: tuple[tuple[float, float, float], tuple[float, float, float]] | None = None


class RigTrackRecord(Strict, kw_only=True):
    joint: int
    path: str
    way: str
    times: str
    values: str
    into: str | None = None
    out: str | None = None


class RigClipRecord(Strict, kw_only=True):
    name: str
    tracks: list[RigTrackRecord]


class RigRecord(Strict, kw_only=True):
    name: str
    joints: list[str]
    parents: str
    matrices: str
    numbers: str
    by_matrix: list[bool]
    clips: list[RigClipRecord]


class SkinRecord(Strict, kw_only=True):
    rig: int
    joints: str
    inverse: str
    bind: str | None = None
    parts: str
    weights: str
    into: str
    out: str
    dual: bool
    on: bool
    clip: int
    time: float
    turns: list[tuple[str, float]]


class FormRecord(Strict, kw_only=True):
    kind: str
    numbers: dict[str, float]


class RepeatRecord(Strict, kw_only=True):
    way: str
    counts: tuple[int, int, int]
    spacing: tuple[float, float, float]
    measure: str
    radius: float
    angle: float
    axis: str
    other: str | None
    turn: bool
    later: float
    order: str
    origin: tuple[float, float, float]
    turns: float
    sizes: float
    seed: int
    on: bool = True


class SpringRecord(Strict, kw_only=True):
    stiffness: float
    damping: float
    mass: float
    field: str | None
    twice: bool
    mix: bool
    on: bool
    way: str


class ObjectRecord(Strict, kw_only=True):
    id: str
    name: str
    visible: bool
    colour: str
    smooth: bool
    transform: TransformRecord
    geometry: MeshRecord | LineRecord
    base: str
    targets: list[TargetRecord]
    lanes: list[LaneRecord]
    locked: bool = False
    groups: list[GroupRecord] = []
    picks: list[PickRecord] = []
    mixes: list[MixRecord] = []
    texture: TextureRecord | None = None
    opacity: float = 1.0
    form: FormRecord | None = None
    blend: BlendRecord | None = None
    drawn: tuple[float, float] = (0.0, 1.0)
    along: AlongRecord | None = None
    surface: SurfaceRecord | None = None
    deformers: list[DeformerRecord] = []
    skin: SkinRecord | None = None
    repeat: RepeatRecord | None = None
    spring: SpringRecord | None = None


class SceneRecord(Strict, kw_only=True):
    schema: int
    name: str
    fps: float
    start: float
    end: float
    objects: list[ObjectRecord]
    views: list[ViewRecord] = []
    cameras: list[CameraRecord] = []
    markers: list[MarkerRecord] = []
    sound: SoundRecord | None = None
    played: tuple[float, float] | None = None
    id_floor: int = 0
    clips: list[ClipRecord] = []
    clip: str | None = None
    reference: ReferenceRecord | None = None
    rigs: list[RigRecord] = []
    cues: list[CueRecord] = []


def with_seen_names(value: object) -> None:
    """Every text of a record with all of its letters seen, in place: names of a file may come from anywhere."""
    if isinstance(value, list | tuple):
        for part in value:
            with_seen_names(part)
    elif isinstance(value, msgspec.Struct):
        for field in value.__struct_fields__:
            held = getattr(value, field)
            if isinstance(held, str) and not (held.isascii() and held.isprintable()):
                msgspec.structs.force_setattr(value, field, seen_name(held))
            elif field != "keys":
                with_seen_names(held)


class SchemaOnly(msgspec.Struct):
    schema: int
