"""Reading the native format: every length, index and number is checked before anything is made of it."""

from __future__ import annotations

import io
import re
import zipfile
from collections import Counter
from collections.abc import Iterable
from pathlib import Path

import msgspec
import numpy as np

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.appearance import Appearance, Texture
from fictilis.core.channel_kinds import OWN_IDS
from fictilis.core.edits.clips import checked_lanes
from fictilis.core.edits.correctives import checked_rule
from fictilis.core.edits.forms import FORMS, defaults
from fictilis.core.edits.keys import checked_keys
from fictilis.core.edits.sweeps import checked_sweep
from fictilis.core.edits.timeline import LONGEST_RANGE, set_sound
from fictilis.core.errors import BadFile, EditRefused, FictilisError
from fictilis.core.geometry.kinds import Geometry, Line, Match, Mesh
from fictilis.core.mix.relay import relay_of
from fictilis.core.rules import Driver, Follow, Rule
from fictilis.core.scene import (
    BLEND,
    PICK_KINDS,
    RELAY_PATHS,
    Deltas,
    FormNumbers,
    Group,
    InBetween,
    MorphObject,
    NamedPick,
    Pick,
    Scene,
    StoredMix,
    Target,
    Transform,
    lane_homes,
)
from fictilis.core.shaping.picks import element_count
from fictilis.core.sweep import Sweep
from fictilis.core.timeline import Blend, Clip, ClipPart, Lane, Marker, SavedView, SceneCamera, Sound
from fictilis.formats.files import Progress, no_progress, read_bytes
from fictilis.formats.native_migrations import VERSION, migrated
from fictilis.formats.native_records import (
    MOST_ID,
    MOST_KEYS,
    BlendRecord,
    CameraRecord,
    ClipRecord,
    DeltasRecord,
    FollowRecord,
    GroupRecord,
    KeyRecord,
    LaneRecord,
    LineRecord,
    MatchRecord,
    MeshRecord,
    ObjectRecord,
    PickRecord,
    SceneRecord,
    SchemaOnly,
    SweepRecord,
    TargetRecord,
    TextureRecord,
    ViewRecord,
    array_out_of_proportion,
    fields_of,
    out_of_proportion,
)

GROWTH = 20  # a file may unpack to this many times its own size, and a megabyte
COLOUR = re.compile("#[0-9a-fA-F]{6}")


class _Archive:
    """Reads entries of a scene file, every length checked before anything of that length is made."""

    def __init__(self, path: Path) -> None:
        self.path = path
        data = read_bytes(path)
        if not data:
            raise self.fail("it is empty")
        try:
            self.zip = zipfile.ZipFile(io.BytesIO(data))
        except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError):
            raise self.fail("it is no scene file, or it was cut off") from None
        entries = self.zip.infolist()
        total = sum(entry.file_size for entry in entries)
        if total > GROWTH * len(data) + 1_000_000:
            raise self.fail(f"it would unpack to {total:,} bytes, from {len(data):,}")
        for entry in entries:
            name = entry.filename
            if name.startswith("/") or ".." in name.split("/") or "\\" in name or ":" in name:
                raise self.fail(f"it names a place outside of itself, “{name[:60]}”")
        self.entries = {entry.filename: entry for entry in entries}
        self.arrays: dict[tuple[str, str], np.ndarray] = {}

    def fail(self, what: str) -> BadFile:
        return BadFile(f"{self.path.name} cannot be opened: {what}.")

    def bytes(self, name: str) -> bytes:
        entry = self.entries.get(name)
        if entry is None:
            raise self.fail(f"its part {name[:60]} is missing")
        try:
            with self.zip.open(entry) as stream:
                data = stream.read(entry.file_size + 1)
        except Exception:  # noqa: BLE001 - a broken entry raises whatever its codec raises
            raise self.fail(f"its part {name} is damaged") from None
        if len(data) != entry.file_size:
            raise self.fail(f"its part {name} has another length than it says")
        return data

    def array(self, name: str, dtype: str, width: int | None = None) -> np.ndarray:
        key = (name, dtype)
        if key not in self.arrays:
            self.arrays[key] = self._read(name, dtype)
        array = self.arrays[key]
        if array.ndim != (1 if width is None else 2) or (width is not None and array.shape[1] != width):
            raise self.fail(f"its part {name} is shaped {array.shape}")
        wrong = array_out_of_proportion(array)
        if wrong:
            raise self.fail(f"its part {name} {wrong}")
        return array

    def _read(self, name: str, dtype: str) -> np.ndarray:
        data = self.bytes(name)
        stream = io.BytesIO(data)
        try:
            version = np.lib.format.read_magic(stream)
            reader = {(1, 0): np.lib.format.read_array_header_1_0, (2, 0): np.lib.format.read_array_header_2_0}[version]
            shape, fortran, found = reader(stream)
        except Exception:  # noqa: BLE001 - and so does NumPy's reader of headers
            raise self.fail(f"its part {name} is no array") from None
        if found != np.dtype(dtype) or fortran:
            raise self.fail(f"its part {name} holds {found} where {dtype} is needed")
        count = 1
        for size in shape:
            count *= size
        if count * found.itemsize != len(data) - stream.tell():
            raise self.fail(f"its part {name} says it is shaped {shape}, but has another length")
        return np.frombuffer(data, found, count, stream.tell()).reshape(shape)


def read_native(path: Path, progress: Progress = no_progress) -> Scene:
    """Open a scene. Raises BadFile with one sentence when any part of it is missing, damaged or impossible."""
    archive = _Archive(Path(path))
    text = archive.bytes("scene.json")
    try:
        schema = msgspec.json.decode(text, type=SchemaOnly).schema
        if schema > VERSION:
            raise archive.fail(f"it is of version {schema}, and this Fictilis reads up to {VERSION}")
        if schema < 1:
            raise archive.fail(f"there is no version {schema} of scene files")
        if schema == VERSION:
            record = msgspec.json.decode(text, type=SceneRecord)
        else:
            record = msgspec.convert(migrated(msgspec.json.decode(text), schema), SceneRecord)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise archive.fail(f"its scene.json is wrong ({error})") from None
    try:
        wrong = out_of_proportion(record)
        if wrong:
            raise archive.fail(wrong)
        objects = []
        for number, item in enumerate(record.objects):
            objects.append(_ObjectReader(archive, item).read())
            progress((number + 1) / len(record.objects))
        views = tuple(SavedView(**fields_of(v, ViewRecord)) for v in record.views)
        cameras = tuple(SceneCamera(**fields_of(c, CameraRecord) | {"lanes": _lanes(c.lanes)}) for c in record.cameras)
        markers = tuple(Marker(m.frame, m.name) for m in record.markers)
        sound = None
        if record.sound is not None:
            x = record.sound
            sound = Sound(x.name, archive.array(x.data, "|u1").tobytes(), x.start, x.muted, x.volume)
        scene = Scene(
            record.name,
            record.fps,
            record.start,
            record.end,
            tuple(objects),
            views,
            cameras,
            markers,
            sound,
            record.played,
            record.id_floor,
            tuple(_clip(c) for c in record.clips),
            record.clip,
        )
        _check(archive, scene)
        return scene
    except BadFile:
        raise
    except (FictilisError, ValueError) as error:
        raise archive.fail(str(error).rstrip(".")) from None


def _curve(record: LaneRecord | FollowRecord) -> AnimationCurve:
    if len(record.keys) > MOST_KEYS:
        raise EditRefused(f"a lane has {len(record.keys):,} keys; up to {MOST_KEYS:,} are read")
    return AnimationCurve(tuple(Key(**fields_of(k, KeyRecord)) for k in record.keys), record.before, record.after)


def _lanes(records: list[LaneRecord]) -> tuple[Lane, ...]:
    """The lanes that have keys: one without leads nothing, and no other part of the program knows of such."""

    def lane(record: LaneRecord) -> Lane:
        modifiers = tuple(Modifier(m.kind, m.on, m.amount, tuple(m.numbers)) for m in record.modifiers)
        return Lane(record.channel, _curve(record), modifiers)

    return tuple(lane(record) for record in records if record.keys)


def _blend(record: BlendRecord | None) -> Blend | None:
    return None if record is None else Blend(_lanes(record.lanes), record.offset, record.amount)


def _clip(record: ClipRecord) -> Clip:
    parts = tuple(ClipPart(p.owner, _lanes(p.lanes), _blend(p.blend)) for p in record.parts)
    return Clip(**fields_of(record, ClipRecord) | {"parts": parts})


class _ObjectReader:
    """Reads one object, every index checked against its number of points."""

    def __init__(self, archive: _Archive, item: ObjectRecord) -> None:
        self.archive, self.item = archive, item
        self.base = archive.array(item.base, "<f8", 3)
        self.count = len(self.base)

    def fail(self, what: str) -> BadFile:
        return self.archive.fail(f"{self.item.name} {what}")

    def read(self) -> MorphObject:
        item, geometry = self.item, self._geometry()
        if any(abs(factor) < 1e-9 for factor in item.transform.scale):
            raise self.fail("has a scale of 0")
        t = item.transform
        texture = self._texture(item.texture) if item.texture else None
        return MorphObject(
            item.id, item.name, geometry, self.base, tuple(self._target(t) for t in item.targets), _lanes(item.lanes),
            Transform(t.position, t.rotation, t.scale, t.pivot), Appearance(item.colour, item.smooth, texture, item.opacity),
            item.visible, item.locked, tuple(Group(**fields_of(g, GroupRecord)) for g in item.groups),
            tuple(self._pick(p, geometry) for p in item.picks), tuple(StoredMix(m.name, tuple(m.weights)) for m in item.mixes),
            None if item.form is None else FormNumbers(item.form.kind, tuple(sorted(item.form.numbers.items()))),
            _blend(item.blend),
        )  # fmt: skip

    def _indices(self, name: str, what: str, low: int, high: int) -> np.ndarray:
        array = self.archive.array(name, "<i4")
        if len(array) and (array.min() < low or array.max() >= high):
            raise self.archive.fail(f"{self.item.name}: a {what} runs from {array.min()} to {array.max()}, beyond {high - 1}")
        return array

    def _geometry(self) -> Geometry:
        record = self.item.geometry
        return self._line(record, self.count) if isinstance(record, LineRecord) else self._mesh(record)

    def _line(self, record: LineRecord, count: int) -> Line:
        if len(record.points) != len(record.closed):
            raise self.fail(f"has {len(record.points)} strands, but says of {len(record.closed)} whether they are closed")
        if sum(record.points) != count:
            raise self.fail(f"says it has {sum(record.points)} points, but {count} are stored")
        widths = None if record.widths is None else self.archive.array(record.widths, "<f8")
        return Line(
            starts=np.cumsum([0, *record.points]), closed=np.array(record.closed, bool), degree=record.degree,
            through=record.through, widths=widths,
        )  # fmt: skip

    def _match(self, record: MatchRecord) -> Match:
        points = self.archive.array(record.points, "<f8", 3)
        return Match(self._line(record.line, len(points)), points, record.shift, record.backwards, record.corners)

    def _mesh(self, m: MeshRecord) -> Mesh:
        if m.points != self.count:
            raise self.fail(f"says it has {m.points} points, but {self.count} are stored")
        corners = self._indices(m.corners, "face corner", 0, self.count)
        offsets = self.archive.array(m.offsets, "<i4")
        if (np.diff(offsets) < 1).any():
            raise self.fail("has a face without points")
        if m.uvs is None or m.uv_corners is None:
            if m.uvs is not m.uv_corners:
                raise self.fail("has texture coordinates without their corners, or the other way round")
            return Mesh(self.count, corners, offsets)
        uvs = self.archive.array(m.uvs, "<f8", 2)
        return Mesh(self.count, corners, offsets, uvs, self._indices(m.uv_corners, "texture coordinate", -1, len(uvs)))

    def _deltas(self, record: DeltasRecord, what: str) -> Deltas:
        index = self._indices(record.indices, f"point of {what}", 0, self.count)
        if (np.diff(index) <= 0).any():
            raise self.archive.fail(f"{self.item.name}: the points of {what} are out of order")
        return Deltas(index, self.archive.array(record.offsets, "<f8", 3))

    def _target(self, t: TargetRecord) -> Target:
        fail = self.archive.fail
        if t.path not in ("straight", "curved"):
            raise fail(f"{t.name} has the unknown path “{t.path}”")
        stages = tuple(InBetween(s.at, self._deltas(s.deltas, t.name), s.name) for s in t.in_betweens)
        places = [s.at for s in stages]
        if any(b - a < 1e-3 for a, b in zip(places, places[1:], strict=False)) or any(p in (0.0, 1.0) for p in places):
            raise fail(f"{t.name} has in-betweens at impossible weights")
        if not t.range[0] < t.range[1]:
            raise fail(f"{t.name} has the range {t.range[0]:g} to {t.range[1]:g}")
        mask = None if t.mask is None else self.archive.array(t.mask, "<f8")
        if mask is not None and (len(mask) != self.count or len(mask) and (mask.min() < 0 or mask.max() > 1)):
            raise fail(f"the mask of {t.name} is not one number from 0 to 1 for each of {self.count} points")
        rule = Rule(tuple(Driver(d.target, d.at, d.width) for d in t.rule.drivers), t.rule.how) if t.rule else None
        return Target(
            t.id, t.name, self._deltas(t.deltas, t.name), t.colour, t.weight, t.range, t.path, stages, t.built_on, t.muted,
            mask, t.group, rule, Follow(t.follows.source, _curve(t.follows)) if t.follows else None, t.link,
            None if t.sweep is None else self._sweep(t.sweep),
            None if t.match is None else self._match(t.match),
        )  # fmt: skip

    def _sweep(self, record: SweepRecord) -> Sweep:
        return Sweep(**fields_of(record, SweepRecord) | {"field": self.archive.array(record.field, "<f8")})

    def _pick(self, record: PickRecord, geometry: Geometry) -> NamedPick:
        if record.kind not in PICK_KINDS:
            raise self.fail(f"has a pick of the unknown kind “{record.kind}”")
        elements = self.archive.array(record.elements, "<i8")
        most = element_count(geometry, record.kind)
        if len(elements) and (elements.min() < 0 or elements.max() >= most):
            raise self.archive.fail(f"{self.item.name}: the pick “{record.name}” names {record.kind} beyond {most - 1}")
        return NamedPick(record.name, Pick(record.kind, elements))

    def _texture(self, record: TextureRecord) -> Texture:
        fail, name = self.archive.fail, self.item.name
        projected = None if record.projected is None else self.archive.array(record.projected, "<f8", 2)
        if projected is not None and len(projected) != self.count:
            raise fail(f"{name}: the texture “{record.name}” is laid on {len(projected)} points, not {self.count}")
        if not 1 <= record.tiles <= 4096:
            raise fail(f"{name}: the texture “{record.name}” has {record.tiles} fields")
        image = None if record.image is None else self.archive.array(record.image, "|u1").tobytes()
        return Texture(record.name, image, projected, record.tiles)


def _once(archive: _Archive, values: Iterable[str], what: str) -> None:
    twice = [value for value, count in Counter(values).items() if count > 1]
    if twice:
        raise archive.fail(f"{what} “{min(twice)}” stands twice")


def _check(archive: _Archive, scene: Scene) -> None:
    """What the parts cannot see of each other."""
    _check_time(archive, scene)
    _once(archive, (o.id for o in scene.objects), "the object id")
    _once(archive, (o.name for o in scene.objects), "the object name")
    _once(archive, (v.name for v in scene.views), "the view")
    _once(archive, (owner.id for owner in scene.owners), "the id")
    _once(archive, (c.name for c in scene.cameras), "the camera")
    for obj in scene.objects:
        _once(archive, (t.link for t in obj.targets if t.link is not None), f"in {obj.name} the link")
    for view in scene.views:
        if not 0 < view.distance < 1e9:
            raise archive.fail(f"the view “{view.name}” looks from {view.distance:g} cm away")
    for obj in scene.objects:
        _check_object(archive, obj)
    for camera in scene.cameras:
        if not 0 < camera.distance < 1e9 or not 1 <= camera.lens <= 170:
            raise archive.fail(f"{camera.name} stands {camera.distance:g} cm away and sees {camera.lens:g} degrees")
    for owner in scene.owners:
        _once(archive, (lane.channel for lane in owner.lanes), f"in {owner.name} the lane of")
        for lane in owner.lanes:
            checked_keys(owner, lane.channel, lane.curve.keys)
    _check_clips(archive, scene)


def _check_clips(archive: _Archive, scene: Scene) -> None:
    _once(archive, (c.id for c in scene.clips), "the clip id")
    _once(archive, (c.name for c in scene.clips), "the clip")
    if (scene.clip is None) is bool(scene.clips) or scene.clips and scene.clip not in {c.id for c in scene.clips}:
        raise archive.fail(f"it has {len(scene.clips)} clips, and “{scene.clip}” in hand")
    objects = {o.id: o for o in scene.objects}
    for obj in scene.objects:
        if obj.blend is not None:
            checked_lanes(obj, obj.blend.lanes, lane_homes(obj))
    for clip in scene.clips:
        _once(archive, (p.owner for p in clip.parts), f"in {clip.name} the object")
        longest = LONGEST_RANGE
        if not -longest <= clip.start < clip.end <= longest or clip.id == scene.clip and clip.parts:
            raise archive.fail(f"its clip {clip.name} runs from {clip.start:g} to {clip.end:g}")
        if clip.played is not None and not clip.start <= clip.played[0] < clip.played[1] <= clip.end:
            raise archive.fail(f"its clip {clip.name} plays {clip.played[0]:g} to {clip.played[1]:g}")
        for part in clip.parts:
            if part.owner not in objects:
                raise archive.fail(f"its clip {clip.name} moves {part.owner}, which is not there")
            obj = objects[part.owner]
            checked_lanes(obj, tuple(x for x in part.lanes if part.blend is None or x.channel != BLEND), lane_homes(obj))
            if part.blend is not None:
                checked_lanes(obj, part.blend.lanes, lane_homes(obj))


def _check_time(archive: _Archive, scene: Scene) -> None:
    longest = LONGEST_RANGE
    if not 0.1 <= scene.fps <= 1000 or not -longest <= scene.start < scene.end <= longest:
        raise archive.fail(f"its rate is {scene.fps:g} and its range {scene.start:g} to {scene.end:g}")
    set_sound(scene, scene.sound)
    frames = [m.frame for m in scene.markers]
    if any(b - a <= 1e-6 for a, b in zip(frames, frames[1:], strict=False)):
        raise archive.fail("its markers are out of order")
    if not 0 <= scene.id_floor < MOST_ID:
        raise archive.fail(f"it says that ids up to {scene.id_floor} are gone; that is from 0 to {MOST_ID:,}")
    if scene.played is not None and not scene.start <= scene.played[0] < scene.played[1] <= scene.end:
        raise archive.fail(f"it plays {scene.played[0]:g} to {scene.played[1]:g}, out of {scene.start:g} to {scene.end:g}")


def _check_object(archive: _Archive, obj: MorphObject) -> None:
    for values, what in (
        ((t.id for t in obj.targets), "target id"), ((t.name for t in obj.targets), "target name"),
        ((g.id for g in obj.groups), "group id"), ((p.name for p in obj.picks), "pick"), ((m.name for m in obj.mixes), "mix"),
    ):  # fmt: skip
        _once(archive, values, f"in {obj.name} the {what}")
    if not 0 <= obj.appearance.opacity <= 1:
        raise archive.fail(f"{obj.name} has the opacity {obj.appearance.opacity:g}")
    if obj.form is not None and (obj.form.kind not in FORMS or {n for n, _ in obj.form.numbers} - set(defaults(obj.form.kind))):
        raise archive.fail(f"{obj.name} was made as “{obj.form.kind[:20]}” with numbers that no form has")
    for colour in (obj.appearance.colour, *(t.colour for t in obj.targets)):
        if not COLOUR.fullmatch(colour):
            raise archive.fail(f"“{colour[:20]}” is no colour")
    known = {t.id for t in obj.targets} | OWN_IDS
    for group in obj.groups:
        if group.relay is None:
            continue
        if group.relay not in RELAY_PATHS or group.id in known:
            raise archive.fail(f"{group.name} is a relay with the id {group.id} and the path “{group.relay}”")
        lane = obj.lane(group.id)
        if lane is not None and lane.modifiers:
            raise archive.fail(f"the relay {group.name} has modifiers on its lane")
    for target in obj.targets:
        if target.id in OWN_IDS:
            raise archive.fail(f"{target.name} has the id {target.id}, which is kept for the object's own lanes")
        obj.ancestors(target)
        checked_rule(obj, target)
        checked_sweep(obj, target)
        if target.group is not None and obj.group(target.group) is None:
            raise archive.fail(f"{target.name} stands in the group {target.group}, which is not there")
        relay = relay_of(obj, target)
        if relay is not None and target.in_betweens:
            raise archive.fail(f"{target.name} has in-betweens, but is a shape of the relay {relay.name}")
    for target_id in (t for m in obj.mixes for t, _ in m.weights):
        obj.target(target_id)
