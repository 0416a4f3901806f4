"""What becomes of a scene in a file of another kind, told before it is written: kept, changed, or left out."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

from fictilis.core.at_frame.bending import acting
from fictilis.core.geometry.kinds import WHOLE, Line
from fictilis.core.mix.channel_kinds import LINE_IDS, OBJECT_KINDS
from fictilis.core.mix.driven import driven_by
from fictilis.core.mix.relay import relays
from fictilis.core.scene.places import Transform
from fictilis.core.scene.rigs import is_rigged
from fictilis.core.scene.scene import MorphObject, Scene, Target
from fictilis.formats.choices import Values
from fictilis.formats.fates import IN_MIX, LEFT_OUT, Fate
from fictilis.formats.gltf_rigs import plain_clip
from fictilis.formats.registry import FORMATS

MOST_NAMED = 4
Found = Callable[[Scene, list[MorphObject]], list[str]]


class Feature(Struct, frozen=True):
    """Something a scene may have. ``found`` names what has it, or nothing; what becomes of it stands in a format's fates."""

    name: str
    found: Found


class Row(Struct, frozen=True):
    """What becomes of one feature of a scene; ``owners`` are named where not all objects have it."""

    state: str
    feature: str
    owners: tuple[str, ...]
    words: str

    @property
    def sentence(self) -> str:
        more = len(self.owners) - MOST_NAMED
        named = ", ".join(self.owners[:MOST_NAMED]) + (f" and {more} more" if more > 0 else "")
        return self.feature + (f" ({named})" if named else "") + (f": {self.words}" if self.words else "")


def _objects(has: Callable[[MorphObject], bool]) -> Found:
    return lambda _scene, shown: [obj.name for obj in shown if has(obj)]


def _targets(has: Callable[[MorphObject, Target], bool]) -> Found:
    return _objects(lambda obj: any(has(obj, target) for target in obj.targets))


def _lanes(has: Callable[[str], bool]) -> Found:
    return _objects(lambda obj: any(has(lane.channel) for lane in obj.lanes))


def _is_mesh(obj: MorphObject) -> bool:
    return not isinstance(obj.geometry, Line) and bool(obj.geometry.face_count)


def _parts(obj: MorphObject) -> bool:
    """Whether a point has several corners that differ."""
    return _is_mesh(obj) and (obj.mesh.uvs is not None or not obj.appearance.smooth)


def _is_moving(channel: str) -> bool:
    return channel in OBJECT_KINDS and "." in channel


def _led(obj: MorphObject) -> bool:
    """Whether weights change over time."""
    ids = {t.id for t in obj.targets} | set(relays(obj))
    return any(lane.channel in ids for lane in obj.lanes) or obj.blend is not None


def _bent(obj: MorphObject) -> bool:
    """Whether a weight may move otherwise than its lane's curve."""
    return obj.blend is not None or any(t.path != "straight" or driven_by(obj, t) or t.sweep is not None for t in obj.targets)


def _hangs(obj: MorphObject) -> bool:
    return obj.skin is not None and obj.skin.on


def _plays(obj: MorphObject) -> bool:
    """Whether the joints of its rig are anywhere but at rest."""
    assert obj.skin is not None
    return bool(obj.skin.rig.clips or obj.skin.turns or any(is_rigged(lane.channel) for lane in obj.lanes))


def _of_owners(has: Callable[[object], bool]) -> Found:
    return lambda scene, shown: [o.name for o in (*shown, *scene.cameras) if has(o)]


def matters(scene: Scene, option: str) -> bool:
    """Whether a scene has what an option of an export is about."""
    feature = ABOUT.get(option)
    return feature is None or any(f.found(scene, list(scene.objects)) for f in FEATURES if f.name in feature)


ABOUT = {
    "springs": ("Springs",), "cameras": ("Cameras",), "textures": ("Textures",),
    "motion": ("Own motion", "Motion along a line", "Places of objects"),
    "keys": ("Weights over time", "Weights over time, bent by others"),
    "as": ("Targets",), "surface": ("Smooth surfaces",), "cues": ("Cues",),
}  # fmt: skip
FEATURES = (
    Feature("Points in their order", _objects(lambda o: not _parts(o))),
    Feature("Points in their order, with seams", _objects(_parts)),
    Feature("Polygons", _objects(lambda o: _is_mesh(o) and bool((o.mesh.face_sizes > 3).any()))),
    Feature("UVs", _objects(lambda o: _is_mesh(o) and o.mesh.uvs is not None)),
    Feature("Colours", _objects(lambda _o: True)),
    Feature("Opacity", _objects(lambda o: o.appearance.opacity < 1)),
    Feature("Textures", _objects(lambda o: o.appearance.texture is not None)),
    Feature("Places of objects", _objects(lambda o: o.transform != Transform())),
    Feature("Targets", _objects(lambda o: bool(o.targets))),
    Feature("In-betweens", _targets(lambda _o, t: bool(t.in_betweens))),
    Feature("Sweeps", _targets(lambda _o, t: t.sweep is not None)),
    Feature(
        "Masks and factors of groups",
        lambda _s, shown: [o.name
            for o in shown if any(t.mask is not None for t in o.targets) or any(g.factor != 1 for g in o.groups)],
    ),
    Feature("Weights that follow others", _targets(lambda o, t: bool(driven_by(o, t)))),
    Feature("Relays", _objects(lambda o: bool(relays(o)))),
    Feature("Weights over time", _objects(lambda o: _led(o) and not _bent(o))),
    Feature("Weights over time, bent by others", _objects(lambda o: _led(o) and _bent(o))),
    Feature(
        "Motion laid over lanes",
        _of_owners(lambda o: any(lane.modifiers for lane in o.lanes)),  # type: ignore[attr-defined]
    ),
    Feature("Own motion", _lanes(_is_moving)),
    Feature("Motion along a line", _objects(lambda o: o.along is not None)),
    Feature("Visibility and opacity over time", _lanes(lambda c: c in ("visible", "opacity"))),
    Feature("Clips", lambda scene, _shown: [c.name for c in scene.clips] if len(scene.clips) > 1 else []),
    Feature("Other clips", lambda scene, _shown: [c.name for c in scene.clips if c.id != scene.clip]),
    Feature("Lines", _objects(lambda o: isinstance(o.geometry, Line) and o.geometry.tube is None)),
    Feature("Curves", _objects(lambda o: isinstance(o.geometry, Line) and o.geometry.degree > 1)),
    Feature(
        "Widths of lines",
        _objects(lambda o: isinstance(o.geometry, Line) and o.geometry.tube is None and o.geometry.widths is not None),
    ),
    Feature("Tubes", _objects(lambda o: isinstance(o.geometry, Line) and o.geometry.tube is not None)),
    Feature("Lines drawn in part", _objects(lambda o: o.drawn != WHOLE or any(x.channel in LINE_IDS for x in o.lanes))),
    Feature("Smooth surfaces", _objects(lambda o: o.surface is not None)),
    Feature("Copies", _objects(lambda o: o.repeated is not None)),
    Feature("Springs", _objects(lambda o: o.spring is not None and o.spring.on)),
    Feature("Bend, twist and taper", _objects(lambda o: bool(acting(o)))),
    Feature("Rigs", _objects(_hangs)),
    Feature(
        "Joints retimed, or turned by hand",
        lambda scene, shown: [o.name for o in shown if _hangs(o) and plain_clip(scene, o) is None and _plays(o)],
    ),
    Feature("Dual quaternions", _objects(lambda o: _hangs(o) and o.skin.dual)),  # type: ignore[union-attr]
    Feature("Rigs that rest", _objects(lambda o: o.skin is not None and not o.skin.on)),
    Feature("Cameras", lambda scene, _shown: [c.name for c in scene.cameras]),
    Feature(
        "Motion of cameras",
        lambda scene, _shown: [c.name for c in scene.cameras if c.along or any(x.channel != "lens" for x in c.lanes)],
    ),
    Feature(
        "Field of view over time",
        lambda scene, _shown: [c.name for c in scene.cameras if any(x.channel == "lens" for x in c.lanes)],
    ),
    Feature("Sound", lambda scene, _shown: [scene.sound.name] if scene.sound is not None else []),
    Feature("Reference picture", lambda scene, _shown: [scene.reference.name] if scene.reference is not None else []),
    Feature("Cues", lambda scene, _shown: [c.name for c in scene.cues]),
    Feature("Markers", lambda scene, _shown: [m.name for m in scene.markers]),
    Feature("Measures", lambda scene, _shown: [m.name for m in scene.measures]),
    Feature("Light", lambda scene, _shown: ["that of the scene"] if scene.light is not None else []),
)  # fmt: skip


def fate(feature: Feature, key: str, values: Values) -> Fate | None:
    """What becomes of a feature in a file of a format, by its key; none where such files are not for it."""
    found = next(f for f in FORMATS if f.key == key).fates.get(feature.name)
    return found(values) if callable(found) else found


def account(whole: Scene, scene: Scene, key: str, values: Values) -> list[Row]:
    """What becomes of each feature, in the order of the table: of ``scene``, which is as it was chosen to be written from
    ``whole``; what was chosen to be left out is of that."""
    ids, clips = {obj.id for obj in scene.objects if obj.visible}, {c.id for c in scene.clips}
    shown = [obj for obj in whole.objects if obj.id in ids]
    seen = Scene(
        start=whole.start, end=whole.end, fps=whole.fps, cameras=whole.cameras, markers=whole.markers, sound=whole.sound,
        reference=whole.reference, clips=scene.clips, clip=scene.clip, cues=whole.cues,
        measures=whole.measures, light=whole.light,
    )  # fmt: skip
    rows = []
    for feature in FEATURES:
        state, words = fate(feature, key, values) or (IN_MIX, "")
        owners = feature.found(seen, shown) if state != IN_MIX else []
        if owners:
            named = () if owners == [obj.name for obj in shown] else tuple(owners)
            rows.append(Row(state, feature.name, named, words))
    hidden = tuple(obj.name for obj in whole.objects if obj.id not in ids)
    rows += [Row(LEFT_OUT, "Objects", hidden, "hidden, or not chosen")] if hidden else []
    unwanted = tuple(c.name for c in whole.clips if c.id not in clips)
    return rows + ([Row(LEFT_OUT, "Clips", unwanted, "not chosen")] if unwanted else [])
