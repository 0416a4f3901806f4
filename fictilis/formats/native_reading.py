"""Reading the native format: every length, index and number is checked before anything is made of it."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import msgspec
import numpy as np

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.geometry.kinds import Geometry, Line, Match, Mesh, Tube
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.errors import BadFile, FictilisError, behind_a_colon
from fictilis.core.scene.appearance import Appearance, Surface, Texture
from fictilis.core.scene.deformers import Deformer
from fictilis.core.scene.kept import FormNumbers, NamedPick, StoredMix
from fictilis.core.scene.places import Along, Transform
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.rigs import Rig
from fictilis.core.scene.rules import Driver, Follow, Rule
from fictilis.core.scene.scene import Deltas, Group, InBetween, MorphObject, Scene, Target
from fictilis.core.scene.sweep import Sweep
from fictilis.core.scene.timeline import Blend, Clip, ClipPart, Lane, Marker, Reference, SavedView, SceneCamera, Sound
from fictilis.core.validity.proportion import in_proportion, out_of_bounds
from fictilis.core.validity.scenes import check
from fictilis.formats.files import Progress, no_progress, read_bytes
from fictilis.formats.native_cues import read_cue
from fictilis.formats.native_migrations import VERSION, migrated
from fictilis.formats.native_records import (
    AlongRecord,
    BlendRecord,
    CameraRecord,
    ClipRecord,
    DeformerRecord,
    DeltasRecord,
    FollowRecord,
    GroupRecord,
    KeyRecord,
    LaneRecord,
    LineRecord,
    MatchRecord,
    MeshRecord,
    ObjectRecord,
    ReferenceRecord,
    RepeatRecord,
    SceneRecord,
    SchemaOnly,
    SpringRecord,
    SweepRecord,
    TargetRecord,
    TextureRecord,
    TubeRecord,
    ViewRecord,
    with_seen_names,
)
from fictilis.formats.native_rigs import read_rig, read_skin
from fictilis.formats.native_strict import fields_of

GROWTH = 20  # a file may unpack to this many times its own size, and a megabyte


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
        wrong = out_of_bounds(array)
        if wrong:
            raise self.fail(f"its part {name} {wrong}")
        return array

    def rows(self, name: str, dtype: str) -> np.ndarray:
        """As array, of rows of any width."""
        key = (name, dtype)
        if key not in self.arrays:
            self.arrays[key] = self._read(name, dtype)
        found = self.arrays[key]
        return self.array(name, dtype, found.shape[1] if found.ndim == 2 else 0)

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
        in_proportion(record)
        with_seen_names(record)
        objects, rigs = [], [read_rig(archive, rig) for rig in record.rigs]
        for number, item in enumerate(record.objects):
            objects.append(_ObjectReader(archive, item, rigs).read())
            progress((number + 1) / len(record.objects))
        cameras = tuple(
            SceneCamera(**fields_of(c, CameraRecord) | {"lanes": lanes_of(c.lanes), "along": _along(c.along)})
            for c in record.cameras
        )
        sound = None
        if record.sound is not None:
            x = record.sound
            sound = Sound(x.name, archive.array(x.data, "|u1").tobytes(), x.start, x.muted, x.volume)
        reference = None
        if record.reference is not None:
            held = archive.array(record.reference.data, "|u1").tobytes()
            reference = Reference(**fields_of(record.reference, ReferenceRecord) | {"data": held})
        scene = Scene(
            record.name,
            record.fps,
            record.start,
            record.end,
            tuple(objects),
            tuple(SavedView(**fields_of(v, ViewRecord)) for v in record.views),
            cameras,
            tuple(Marker(m.frame, m.name) for m in record.markers),
            sound,
            record.played,
            record.id_floor,
            tuple(_clip(c) for c in record.clips),
            record.clip,
            reference,
            tuple(read_cue(c) for c in record.cues),
        )
        check(scene)
        return scene
    except BadFile:
        raise
    except (FictilisError, ValueError) as error:
        raise archive.fail(behind_a_colon(error)) from None


def _curve(record: LaneRecord | FollowRecord) -> AnimationCurve:
    return AnimationCurve(_read_keys(record.keys), record.before, record.after)


def _read_keys(keys: list[KeyRecord]) -> tuple[Key, ...]:
    return tuple(Key(**fields_of(k, KeyRecord)) for k in keys)


def lanes_of(records: list[LaneRecord]) -> tuple[Lane, ...]:
    """The lanes that have keys: one without leads nothing, and no other part of the program knows of such."""

    def lane(record: LaneRecord) -> Lane:
        modifiers = tuple(Modifier(m.kind, m.on, m.amount, tuple(m.numbers)) for m in record.modifiers)
        return Lane(record.channel, _curve(record), modifiers)

    return tuple(lane(record) for record in records if record.keys)


def _along(value: AlongRecord | None) -> Along | None:
    return None if value is None else Along(**fields_of(value, AlongRecord))


def _blend(record: BlendRecord | None) -> Blend | None:
    return None if record is None else Blend(lanes_of(record.lanes), record.offset, record.amount)


def _clip(record: ClipRecord) -> Clip:
    parts = tuple(ClipPart(p.owner, lanes_of(p.lanes), _blend(p.blend)) for p in record.parts)
    return Clip(**fields_of(record, ClipRecord) | {"parts": parts})


class _ObjectReader:
    """Reads one object, every index checked against its number of points."""

    def __init__(self, archive: _Archive, item: ObjectRecord, rigs: list[Rig]) -> None:
        self.archive, self.item, self.rigs = archive, item, rigs
        self.base = archive.array(item.base, "<f8", 3)
        self.count = len(self.base)

    def fail(self, what: str) -> BadFile:
        return self.archive.fail(f"{self.item.name} {what}")

    def read(self) -> MorphObject:
        item, geometry = self.item, self._geometry()
        t = item.transform
        texture = self._texture(item.texture) if item.texture else None
        return MorphObject(
            item.id, item.name, geometry, self.base, tuple(self._target(t) for t in item.targets), lanes_of(item.lanes),
            Transform(t.position, t.rotation, t.scale, t.pivot), Appearance(item.colour, item.smooth, texture, item.opacity),
            item.visible, item.locked, tuple(Group(**fields_of(g, GroupRecord)) for g in item.groups),
            tuple(NamedPick(p.name, Pick(p.kind, self.archive.array(p.elements, "<i8"))) for p in item.picks),
            tuple(StoredMix(m.name, tuple(m.weights)) for m in item.mixes),
            None if item.form is None else FormNumbers(item.form.kind, tuple(sorted(item.form.numbers.items()))),
            _blend(item.blend), item.drawn, _along(item.along),
            None if item.repeat is None else Repeat(**fields_of(item.repeat, RepeatRecord)), self._spring(item.spring),
            None if item.surface is None else Surface(item.surface.levels, item.surface.on),
            tuple(Deformer(**fields_of(d, DeformerRecord)) for d in item.deformers),
            None if item.skin is None else read_skin(self.archive, item.skin, self.rigs, self.count),
        )  # fmt: skip

    def _spring(self, record: SpringRecord | None) -> PointSpring | None:
        if record is None:
            return None
        field = None if record.field is None else self.archive.array(record.field, "<f8")
        return PointSpring(**fields_of(record, SpringRecord) | {"field": field})

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
            through=record.through, widths=widths, tube=None if record.tube is None else self._tube(record.tube),
        )  # fmt: skip

    def _tube(self, record: TubeRecord) -> Tube:
        rows = {"radius": record.radius, "turning": record.turning}
        curves = {name: None if not keys else AnimationCurve(_read_keys(keys)) for name, keys in rows.items()}
        return Tube(**fields_of(record, TubeRecord) | curves | {"profile": self.archive.array(record.profile, "<f8", 2)})

    def _match(self, record: MatchRecord) -> Match:
        points = self.archive.array(record.points, "<f8", 3)
        return Match(self._line(record.line, len(points)), points, record.shift, record.backwards, record.corners)

    def _mesh(self, m: MeshRecord) -> Mesh:
        if m.points != self.count:
            raise self.fail(f"says it has {m.points} points, but {self.count} are stored")
        corners, offsets = self.archive.array(m.corners, "<i4"), self.archive.array(m.offsets, "<i4")
        if m.uvs is None or m.uv_corners is None:
            if m.uvs is not m.uv_corners:
                raise self.fail("has texture coordinates without their corners, or the other way round")
            return Mesh(self.count, corners, offsets)
        uvs = self.archive.array(m.uvs, "<f8", 2)
        return Mesh(self.count, corners, offsets, uvs, self.archive.array(m.uv_corners, "<i4"))

    def _deltas(self, record: DeltasRecord) -> Deltas:
        return Deltas(self.archive.array(record.indices, "<i4"), self.archive.array(record.offsets, "<f8", 3))

    def _target(self, t: TargetRecord) -> Target:
        stages = tuple(InBetween(s.at, self._deltas(s.deltas), s.name) for s in t.in_betweens)
        mask = None if t.mask is None else self.archive.array(t.mask, "<f8")
        rule = Rule(tuple(Driver(d.target, d.at, d.width) for d in t.rule.drivers), t.rule.how) if t.rule else None
        return Target(
            t.id, t.name, self._deltas(t.deltas), t.colour, t.weight, t.range, t.path, stages, t.built_on, t.muted,
            mask, t.group, rule, Follow(t.follows.source, _curve(t.follows)) if t.follows else None, t.link,
            None if t.sweep is None else self._sweep(t.sweep),
            None if t.match is None else self._match(t.match),
        )  # fmt: skip

    def _sweep(self, record: SweepRecord) -> Sweep:
        return Sweep(**fields_of(record, SweepRecord) | {"field": self.archive.array(record.field, "<f8")})

    def _texture(self, record: TextureRecord) -> Texture:
        projected = None if record.projected is None else self.archive.array(record.projected, "<f8", 2)
        image = None if record.image is None else self.archive.array(record.image, "|u1").tobytes()
        return Texture(record.name, image, projected, record.tiles)
