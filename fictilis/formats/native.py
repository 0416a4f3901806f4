"""The native format: a zip of ``scene.json`` and ``arrays/*.npy``. Described in docs/file-format.md."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from pathlib import Path

import msgspec
import numpy as np

from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.geometry.kinds import Geometry, Line, Match
from fictilis.core.ground.errors import CannotSave, EditRefused, behind_a_colon
from fictilis.core.scene.appearance import Texture
from fictilis.core.scene.places import Along
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.rules import Follow
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, Target
from fictilis.core.scene.sweep import Sweep
from fictilis.core.scene.timeline import Blend, Clip, Lane, SceneCamera
from fictilis.core.validity.scenes import check
from fictilis.formats.files import Progress, no_progress, write_whole
from fictilis.formats.native_cues import cue_record
from fictilis.formats.native_migrations import VERSION
from fictilis.formats.native_reading import read_native
from fictilis.formats.native_records import (
    AlongRecord,
    BlendRecord,
    CameraRecord,
    ClipPartRecord,
    ClipRecord,
    DeformerRecord,
    DeltasRecord,
    DriverRecord,
    FollowRecord,
    FormRecord,
    GroupRecord,
    KeyRecord,
    LaneRecord,
    LineRecord,
    MarkerRecord,
    MatchRecord,
    MeshRecord,
    MixRecord,
    ModifierRecord,
    ObjectRecord,
    PickRecord,
    ReferenceRecord,
    RepeatRecord,
    RuleRecord,
    SceneRecord,
    SoundRecord,
    SpringRecord,
    StageRecord,
    SurfaceRecord,
    SweepRecord,
    TargetRecord,
    TextureRecord,
    TransformRecord,
    TubeRecord,
    ViewRecord,
)
from fictilis.formats.native_rigs import rig_record, rigs_of, skin_record
from fictilis.formats.native_strict import fields_of

SUFFIX = ".fictilis"


def write_native(path: Path, scene: Scene, progress: Progress = no_progress) -> None:
    """Save a scene, whole or not at all. Raises CannotSave."""
    arrays: dict[int, tuple[str, np.ndarray]] = {}

    def store(array: np.ndarray) -> str:
        if id(array) not in arrays:
            arrays[id(array)] = (f"arrays/{len(arrays)}.npy", array)
        return arrays[id(array)][0]

    try:
        check(scene)
    except EditRefused as why:  # it could not be opened again
        raise CannotSave(f"{path} could not be saved: {behind_a_colon(why)}. Nothing was changed.") from None
    record = _record(scene, store)
    text = msgspec.json.format(msgspec.json.encode(record, enc_hook=_plain), indent=1)

    def write(temporary: Path) -> None:
        with zipfile.ZipFile(temporary, "w", zipfile.ZIP_STORED) as archive:
            # a fixed date: the format has none before 1980 or after 2107, and the same scene makes the same file
            archive.writestr(zipfile.ZipInfo("scene.json"), text)
            for number, (name, array) in enumerate(arrays.values()):
                with archive.open(zipfile.ZipInfo(name), "w", force_zip64=True) as entry:
                    np.lib.format.write_array(entry, array, allow_pickle=False)
                progress((number + 1) / len(arrays))

    write_whole(Path(path), write)


def _plain(number: object) -> object:
    """A scalar of NumPy's as one of Python's."""
    if isinstance(number, np.generic):
        return number.item()
    raise TypeError(f"{type(number).__name__} cannot stand in a scene file")


def _keys(curve: AnimationCurve) -> list[KeyRecord]:
    return [KeyRecord(**fields_of(k, KeyRecord)) for k in curve.keys]


def _follow(follow: Follow | None) -> FollowRecord | None:
    if follow is None:
        return None
    curve = follow.curve
    return FollowRecord(source=follow.source, keys=_keys(curve), before=curve.before, after=curve.after)


def lane_records(lanes: tuple[Lane, ...]) -> list[LaneRecord]:
    """Lanes as they are written."""
    return [
        LaneRecord(
            channel=lane.channel, keys=_keys(lane.curve),
            before=lane.curve.before, after=lane.curve.after,
            modifiers=[
                ModifierRecord(kind=m.kind, on=m.on, amount=m.amount, numbers=list(m.numbers)) for m in lane.modifiers
            ],
        )
        for lane in lanes
    ]  # fmt: skip


def _spring(value: PointSpring | None, store: Callable[[np.ndarray], str]) -> SpringRecord | None:
    if value is None:
        return None
    field = None if value.field is None else store(value.field)
    return SpringRecord(**fields_of(value, SpringRecord) | {"field": field})


def _camera(c: SceneCamera) -> CameraRecord:
    return CameraRecord(**fields_of(c, CameraRecord) | {"lanes": lane_records(c.lanes), "along": _along(c.along)})


def _along(value: Along | None) -> AlongRecord | None:
    return None if value is None else AlongRecord(**fields_of(value, AlongRecord))


def _blend(blend: Blend | None) -> BlendRecord | None:
    return None if blend is None else BlendRecord(lanes=lane_records(blend.lanes), offset=blend.offset, amount=blend.amount)


def _clip(clip: Clip) -> ClipRecord:
    parts = [ClipPartRecord(owner=p.owner, lanes=lane_records(p.lanes), blend=_blend(p.blend)) for p in clip.parts]
    return ClipRecord(**fields_of(clip, ClipRecord) | {"parts": parts})


def _line(g: Line, store: Callable[[np.ndarray], str]) -> LineRecord:
    widths = None if g.widths is None else store(g.widths)
    tube = None
    if g.tube is not None:
        curves = {"radius": g.tube.radius, "turning": g.tube.turning}
        kept = {name: None if curve is None else _keys(curve) for name, curve in curves.items()}
        tube = TubeRecord(**fields_of(g.tube, TubeRecord) | kept | {"profile": store(g.tube.profile)})
    return LineRecord(
        points=g.counts.tolist(), closed=g.closed.tolist(), degree=g.degree, through=g.through, widths=widths, tube=tube
    )


def _geometry(g: Geometry, store: Callable[[np.ndarray], str]) -> MeshRecord | LineRecord:
    if isinstance(g, Line):
        return _line(g, store)
    mesh = MeshRecord(points=g.point_count, corners=store(g.corners), offsets=store(g.offsets))
    if g.uvs is not None and g.uv_corners is not None:
        mesh.uvs, mesh.uv_corners = store(g.uvs), store(g.uv_corners)
    return mesh


def _texture(x: Texture | None, store: Callable[[np.ndarray], str]) -> TextureRecord | None:
    if x is None:
        return None
    image = None if x.image is None else store(np.frombuffer(x.image, np.uint8))
    return TextureRecord(name=x.name, tiles=x.tiles, image=image, projected=None if x.projected is None else store(x.projected))


def _target(t: Target, store: Callable[[np.ndarray], str]) -> TargetRecord:
    def deltas(value: Deltas) -> DeltasRecord:
        return DeltasRecord(indices=store(value.indices), offsets=store(value.offsets))

    def sweep(value: Sweep) -> SweepRecord:
        return SweepRecord(**fields_of(value, SweepRecord) | {"field": store(value.field)})

    def match(m: Match) -> MatchRecord:
        return MatchRecord(
            line=_line(m.line, store), points=store(m.points), shift=m.shift, backwards=m.backwards, corners=m.corners
        )

    stages = [StageRecord(at=s.at, name=s.name, deltas=deltas(s.deltas)) for s in t.in_betweens]
    drivers = [DriverRecord(target=d.target, at=d.at, width=d.width) for d in (t.rule.drivers if t.rule else ())]
    return TargetRecord(
        id=t.id, name=t.name, colour=t.colour, weight=t.weight, range=t.range, path=t.path, built_on=t.built_on,
        muted=t.muted, deltas=deltas(t.deltas), in_betweens=stages, group=t.group,
        mask=None if t.mask is None else store(t.mask),
        rule=RuleRecord(drivers=drivers, how=t.rule.how) if t.rule else None, follows=_follow(t.follows),
        link=t.link, sweep=None if t.sweep is None else sweep(t.sweep), match=None if t.match is None else match(t.match),
    )  # fmt: skip


def _record(scene: Scene, store: Callable[[np.ndarray], str]) -> SceneRecord:
    rigs = rigs_of(scene)

    def obj(o: MorphObject) -> ObjectRecord:
        t = o.transform
        return ObjectRecord(
            id=o.id, name=o.name, visible=o.visible, colour=o.appearance.colour, smooth=o.appearance.smooth,
            transform=TransformRecord(position=t.position, rotation=t.rotation, scale=t.scale, pivot=t.pivot),
            geometry=_geometry(o.geometry, store), base=store(o.base), targets=[_target(x, store) for x in o.targets],
            lanes=lane_records(o.lanes), locked=o.locked, drawn=o.drawn,
            along=_along(o.along),
            surface=None if o.surface is None else SurfaceRecord(levels=o.surface.levels, on=o.surface.on),
            deformers=[DeformerRecord(**fields_of(d, DeformerRecord)) for d in o.deformers],
            skin=None if o.skin is None else skin_record(o.skin, rigs.index(o.skin.rig), store),
            repeat=None if o.repeat is None else RepeatRecord(**fields_of(o.repeat, RepeatRecord)),
            spring=_spring(o.spring, store),
            groups=[GroupRecord(**fields_of(g, GroupRecord)) for g in o.groups],
            picks=[PickRecord(name=p.name, kind=p.pick.kind, elements=store(p.pick.elements)) for p in o.picks],
            texture=_texture(o.appearance.texture, store), opacity=o.appearance.opacity,
            form=None if o.form is None else FormRecord(kind=o.form.kind, numbers=dict(o.form.numbers)),
            mixes=[MixRecord(name=m.name, weights=list(m.weights)) for m in o.mixes], blend=_blend(o.blend),
        )  # fmt: skip

    x = scene.sound
    sound = None
    if x is not None:
        data = store(np.frombuffer(x.data, np.uint8))
        sound = SoundRecord(name=x.name, data=data, start=x.start, muted=x.muted, volume=x.volume)
    r = scene.reference
    reference = None
    if r is not None:
        data = store(np.frombuffer(r.data, np.uint8))
        reference = ReferenceRecord(**fields_of(r, ReferenceRecord) | {"data": data})
    return SceneRecord(
        schema=VERSION, name=scene.name, fps=scene.fps, start=scene.start, end=scene.end,
        objects=[obj(o) for o in scene.objects],
        views=[ViewRecord(**fields_of(v, ViewRecord)) for v in scene.views],
        cameras=[_camera(c) for c in scene.cameras],
        markers=[MarkerRecord(frame=m.frame, name=m.name) for m in scene.markers], sound=sound, played=scene.played,
        id_floor=scene.id_floor, clips=[_clip(c) for c in scene.clips], clip=scene.clip,
        reference=reference, rigs=[rig_record(rig, store) for rig in rigs],
        cues=[cue_record(c) for c in scene.cues],
    )  # fmt: skip


__all__ = ["SUFFIX", "read_native", "write_native"]
