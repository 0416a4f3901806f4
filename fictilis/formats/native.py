"""The native format: a zip of ``scene.json`` and ``arrays/*.npy``. Described in docs/file-format.md."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import msgspec
import numpy as np

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.channels import OWN_IDS, channel
from fictilis.core.edits.timeline import set_sound
from fictilis.core.errors import BadFile, FictilisError
from fictilis.core.scene import (
    PICK_KINDS,
    Appearance,
    Deltas,
    Group,
    InBetween,
    Mesh,
    MorphObject,
    NamedPick,
    Pick,
    SavedView,
    Scene,
    StoredMix,
    Target,
    Texture,
    Transform,
)
from fictilis.core.shaping.picks import element_count
from fictilis.core.timeline import Lane, Marker, SceneCamera, Sound
from fictilis.formats.files import Progress, no_progress, read_bytes, write_whole
from fictilis.formats.native_migrations import VERSION, migrated
from fictilis.formats.native_records import (
    CameraRecord,
    DeltasRecord,
    GroupRecord,
    KeyRecord,
    LaneRecord,
    MarkerRecord,
    MeshRecord,
    MixRecord,
    ModifierRecord,
    ObjectRecord,
    PickRecord,
    SceneRecord,
    SchemaOnly,
    SoundRecord,
    StageRecord,
    TargetRecord,
    TextureRecord,
    TransformRecord,
    ViewRecord,
)

SUFFIX = ".fictilis"
GROWTH = 20  # a file may unpack to this many times its own size, and a megabyte
MAGIC = b"PK\x03\x04"


def write_native(path: Path, scene: Scene, progress: Progress = no_progress) -> None:
    """Save a scene, whole or not at all. Raises CannotSave."""
    arrays: dict[int, tuple[str, np.ndarray]] = {}

    def store(array: np.ndarray) -> str:
        if id(array) not in arrays:
            arrays[id(array)] = (f"arrays/{len(arrays)}.npy", array)
        return arrays[id(array)][0]

    text = msgspec.json.format(msgspec.json.encode(_record(scene, store), enc_hook=_plain), indent=1)

    def write(temporary: Path) -> None:
        with zipfile.ZipFile(temporary, "w", zipfile.ZIP_STORED) as archive:
            archive.writestr("scene.json", text)
            for number, (name, array) in enumerate(arrays.values()):
                with archive.open(name, "w", force_zip64=True) as entry:
                    np.lib.format.write_array(entry, array, allow_pickle=False)
                progress((number + 1) / len(arrays))

    write_whole(Path(path), write)


def _plain(number: object) -> object:
    """A scalar of NumPy's as one of Python's."""
    if isinstance(number, np.generic):
        return number.item()
    raise TypeError(f"{type(number).__name__} cannot stand in a scene file")


def _record(scene: Scene, store) -> SceneRecord:
    def deltas(value: Deltas) -> DeltasRecord:
        return DeltasRecord(indices=store(value.indices), offsets=store(value.offsets))

    def target(t: Target) -> TargetRecord:
        stages = [StageRecord(at=s.at, name=s.name, deltas=deltas(s.deltas)) for s in t.in_betweens]
        return TargetRecord(
            id=t.id, name=t.name, colour=t.colour, weight=t.weight, range=t.range, path=t.path, built_on=t.built_on,
            muted=t.muted, deltas=deltas(t.deltas), in_betweens=stages, group=t.group,
            mask=None if t.mask is None else store(t.mask),
        )  # fmt: skip

    def texture(x: Texture | None) -> TextureRecord | None:
        if x is None:
            return None
        image = None if x.image is None else store(np.frombuffer(x.image, np.uint8))
        return TextureRecord(
            name=x.name, tiles=x.tiles, image=image, projected=None if x.projected is None else store(x.projected)
        )

    def lanes_of(lanes: tuple[Lane, ...]) -> list[LaneRecord]:
        return [
            LaneRecord(
                channel=lane.channel, keys=[KeyRecord(**_fields(k, KeyRecord)) for k in lane.curve.keys],
                before=lane.curve.before, after=lane.curve.after,
                modifiers=[
                    ModifierRecord(kind=m.kind, on=m.on, amount=m.amount, numbers=list(m.numbers)) for m in lane.modifiers
                ],
            )
            for lane in lanes
        ]  # fmt: skip

    def obj(o: MorphObject) -> ObjectRecord:
        m = o.mesh
        mesh = MeshRecord(points=m.point_count, corners=store(m.corners), offsets=store(m.offsets))
        if m.uvs is not None:
            mesh.uvs, mesh.uv_corners = store(m.uvs), store(m.uv_corners)
        t = o.transform
        return ObjectRecord(
            id=o.id, name=o.name, visible=o.visible, colour=o.appearance.colour, smooth=o.appearance.smooth,
            transform=TransformRecord(position=t.position, rotation=t.rotation, scale=t.scale, pivot=t.pivot),
            mesh=mesh, base=store(o.base), targets=[target(x) for x in o.targets], lanes=lanes_of(o.lanes), locked=o.locked,
            groups=[GroupRecord(id=g.id, name=g.name, factor=g.factor, folded=g.folded) for g in o.groups],
            picks=[PickRecord(name=p.name, kind=p.pick.kind, elements=store(p.pick.elements)) for p in o.picks],
            texture=texture(o.appearance.texture), opacity=o.appearance.opacity, mixes=[MixRecord(name=m.name, weights=list(m.weights)) for m in o.mixes],
        )  # fmt: skip

    x = scene.sound
    sound = None
    if x is not None:
        data = store(np.frombuffer(x.data, np.uint8))
        sound = SoundRecord(name=x.name, data=data, start=x.start, muted=x.muted, volume=x.volume)
    return SceneRecord(
        schema=VERSION, name=scene.name, fps=scene.fps, start=scene.start, end=scene.end,
        objects=[obj(o) for o in scene.objects],
        views=[ViewRecord(**_fields(v, ViewRecord)) for v in scene.views],
        cameras=[CameraRecord(**_fields(c, CameraRecord) | {"lanes": lanes_of(c.lanes)}) for c in scene.cameras],
        markers=[MarkerRecord(frame=m.frame, name=m.name) for m in scene.markers], sound=sound, played=scene.played,
    )  # fmt: skip


def _fields(value: object, record: type) -> dict:
    """The fields of a value that a record has too."""
    return {f: getattr(value, f) for f in record.__struct_fields__}


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
        except Exception:  # a broken entry raises whatever its codec raises
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
        if array.dtype.kind == "f" and not np.isfinite(array).all():
            raise self.fail(f"its part {name} holds numbers that are not finite")
        return array

    def _read(self, name: str, dtype: str) -> np.ndarray:
        data = self.bytes(name)
        stream = io.BytesIO(data)
        try:
            version = np.lib.format.read_magic(stream)
            reader = {(1, 0): np.lib.format.read_array_header_1_0, (2, 0): np.lib.format.read_array_header_2_0}[version]
            shape, fortran, found = reader(stream)
        except Exception:
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
        objects = []
        for number, item in enumerate(record.objects):
            objects.append(_object(archive, item))
            progress((number + 1) / len(record.objects))
        views = tuple(SavedView(**_fields(v, ViewRecord)) for v in record.views)
        cameras = tuple(SceneCamera(**_fields(c, CameraRecord) | {"lanes": _lanes(c.lanes)}) for c in record.cameras)
        markers = tuple(Marker(m.frame, m.name) for m in record.markers)
        sound = None
        if record.sound is not None:
            x = record.sound
            sound = Sound(x.name, archive.array(x.data, "|u1").tobytes(), x.start, x.muted, x.volume)
        scene = Scene(
            record.name, record.fps, record.start, record.end, tuple(objects), views, cameras, markers, sound, record.played
        )
        _check(archive, scene)
        return scene
    except BadFile:
        raise
    except (FictilisError, ValueError) as error:
        raise archive.fail(str(error).rstrip(".")) from None


def _lanes(records: list[LaneRecord]) -> tuple[Lane, ...]:
    def lane(record: LaneRecord) -> Lane:
        keys = tuple(Key(**_fields(k, KeyRecord)) for k in record.keys)
        modifiers = tuple(Modifier(m.kind, m.on, m.amount, tuple(m.numbers)) for m in record.modifiers)
        return Lane(record.channel, AnimationCurve(keys, record.before, record.after), modifiers)

    return tuple(lane(record) for record in records)


def _object(archive: _Archive, item: ObjectRecord) -> MorphObject:
    base = archive.array(item.base, "<f8", 3)
    count = len(base)

    def indices(name: str, what: str, low: int, high: int) -> np.ndarray:
        array = archive.array(name, "<i4")
        if len(array) and (array.min() < low or array.max() >= high):
            raise archive.fail(f"{item.name}: a {what} runs from {array.min()} to {array.max()}, beyond {high - 1}")
        return array

    def deltas(record: DeltasRecord, what: str) -> Deltas:
        index = indices(record.indices, f"point of {what}", 0, count)
        if (np.diff(index) <= 0).any():
            raise archive.fail(f"{item.name}: the points of {what} are out of order")
        return Deltas(index, archive.array(record.offsets, "<f8", 3))

    def target(t: TargetRecord) -> Target:
        if t.path not in ("straight", "curved"):
            raise archive.fail(f"{t.name} has the unknown path “{t.path}”")
        stages = tuple(InBetween(s.at, deltas(s.deltas, t.name), s.name) for s in t.in_betweens)
        places = [s.at for s in stages]
        if any(b - a < 1e-3 for a, b in zip(places, places[1:], strict=False)) or any(p in (0.0, 1.0) for p in places):
            raise archive.fail(f"{t.name} has in-betweens at impossible weights")
        if not t.range[0] < t.range[1]:
            raise archive.fail(f"{t.name} has the range {t.range[0]:g} to {t.range[1]:g}")
        mask = None if t.mask is None else archive.array(t.mask, "<f8")
        if mask is not None and (len(mask) != count or len(mask) and (mask.min() < 0 or mask.max() > 1)):
            raise archive.fail(f"the mask of {t.name} is not one number from 0 to 1 for each of {count} points")
        return Target(
            t.id, t.name, deltas(t.deltas, t.name), t.colour, t.weight, t.range, t.path, stages, t.built_on, t.muted, mask,
            t.group,
        )  # fmt: skip

    def pick(record: PickRecord, mesh: Mesh) -> NamedPick:
        if record.kind not in PICK_KINDS:
            raise archive.fail(f"{item.name} has a pick of the unknown kind “{record.kind}”")
        elements = archive.array(record.elements, "<i8")
        most = element_count(mesh, record.kind)
        if len(elements) and (elements.min() < 0 or elements.max() >= most):
            raise archive.fail(f"{item.name}: the pick “{record.name}” names {record.kind} beyond {most - 1}")
        return NamedPick(record.name, Pick(record.kind, elements))

    def texture(record: TextureRecord) -> Texture:
        projected = None if record.projected is None else archive.array(record.projected, "<f8", 2)
        if projected is not None and len(projected) != count:
            raise archive.fail(f"{item.name}: the texture “{record.name}” is laid on {len(projected)} points, not {count}")
        if not 1 <= record.tiles <= 4096:
            raise archive.fail(f"{item.name}: the texture “{record.name}” has {record.tiles} fields")
        image = None if record.image is None else archive.array(record.image, "|u1").tobytes()
        return Texture(record.name, image, projected, record.tiles)

    m = item.mesh
    if m.points != count:
        raise archive.fail(f"{item.name} says it has {m.points} points, but {count} are stored")
    corners = indices(m.corners, "face corner", 0, count)
    offsets = archive.array(m.offsets, "<i4")
    if (np.diff(offsets) < 1).any():
        raise archive.fail(f"{item.name} has a face without points")
    uv: dict = {}
    if m.uvs is not None and m.uv_corners is not None:
        uvs = archive.array(m.uvs, "<f8", 2)
        uv = {"uvs": uvs, "uv_corners": indices(m.uv_corners, "texture coordinate", -1, len(uvs))}
    if (m.uvs is None) != (m.uv_corners is None):
        raise archive.fail(f"{item.name} has texture coordinates without their corners, or the other way round")
    if any(abs(factor) < 1e-9 for factor in item.transform.scale):
        raise archive.fail(f"{item.name} has a scale of 0")
    transform = Transform(*(getattr(item.transform, f) for f in ("position", "rotation", "scale", "pivot")))

    mesh = Mesh(count, corners, offsets, **uv)
    look = Appearance(item.colour, item.smooth, texture(item.texture) if item.texture else None, item.opacity)
    return MorphObject(
        item.id, item.name, mesh, base, tuple(target(t) for t in item.targets), _lanes(item.lanes), transform, look, item.visible,
        item.locked, tuple(Group(g.id, g.name, g.factor, g.folded) for g in item.groups),
        tuple(pick(p, mesh) for p in item.picks), tuple(StoredMix(m.name, tuple(m.weights)) for m in item.mixes),
    )  # fmt: skip


def _check(archive: _Archive, scene: Scene) -> None:
    """What the parts cannot see of each other."""

    def once(values: list[str], what: str) -> None:
        twice = {v for v in values if values.count(v) > 1}
        if twice:
            raise archive.fail(f"{what} “{sorted(twice)[0]}” stands twice")

    if not 0.1 <= scene.fps <= 1000 or not scene.start < scene.end:
        raise archive.fail(f"its rate is {scene.fps:g} and its range {scene.start:g} to {scene.end:g}")
    once([o.id for o in scene.objects], "the object id")
    once([o.name for o in scene.objects], "the object name")
    once([v.name for v in scene.views], "the view")
    for view in scene.views:
        if not 0 < view.distance < 1e9:
            raise archive.fail(f"the view “{view.name}” looks from {view.distance:g} cm away")
    for obj in scene.objects:
        once([t.id for t in obj.targets], f"in {obj.name} the target id")
        once([t.name for t in obj.targets], f"in {obj.name} the target name")
        if not 0 <= obj.appearance.opacity <= 1:
            raise archive.fail(f"{obj.name} has the opacity {obj.appearance.opacity:g}")
        for target in obj.targets:
            if target.id in OWN_IDS:
                raise archive.fail(f"{target.name} has the id {target.id}, which is kept for the object's own lanes")
        for colour in (obj.appearance.colour, *(t.colour for t in obj.targets)):
            digits = colour[1:]
            if colour[:1] != "#" or len(digits) != 6 or any(c not in "0123456789abcdefABCDEF" for c in digits):
                raise archive.fail(f"“{colour[:20]}” is no colour")
        once([g.id for g in obj.groups], f"in {obj.name} the group id")
        once([p.name for p in obj.picks], f"in {obj.name} the pick")
        once([m.name for m in obj.mixes], f"in {obj.name} the mix")
        for target_id in (t for m in obj.mixes for t, _ in m.weights):
            obj.target(target_id)
        for target in obj.targets:
            obj.ancestors(target)
            if target.group is not None and obj.group(target.group) is None:
                raise archive.fail(f"{target.name} stands in the group {target.group}, which is not there")
    once([owner.id for owner in scene.owners], "the id")
    once([c.name for c in scene.cameras], "the camera")
    for camera in scene.cameras:
        if not 0 < camera.distance < 1e9 or not 1 <= camera.lens <= 170:
            raise archive.fail(f"{camera.name} stands {camera.distance:g} cm away and sees {camera.lens:g} degrees")
    for owner in scene.owners:
        once([lane.channel for lane in owner.lanes], f"in {owner.name} the lane of")
        for lane in owner.lanes:
            channel(owner, lane.channel)
    set_sound(scene, scene.sound)
    frames = [m.frame for m in scene.markers]
    if any(b - a <= 1e-6 for a, b in zip(frames, frames[1:], strict=False)):
        raise archive.fail("its markers are out of order")
    if scene.played is not None and not scene.start <= scene.played[0] < scene.played[1] <= scene.end:
        raise archive.fail(f"it plays {scene.played[0]:g} to {scene.played[1]:g}, out of {scene.start:g} to {scene.end:g}")
