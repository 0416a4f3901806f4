"""What becomes of a scene in a file of another kind, told before it is written: kept, changed, or left out."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from msgspec import Struct

from fictilis.core.at_frame.bending import acting
from fictilis.core.geometry.kinds import WHOLE, Line
from fictilis.core.mix.channel_kinds import LINE_IDS, OBJECT_KINDS
from fictilis.core.mix.driven import driven_by
from fictilis.core.mix.relay import relays
from fictilis.core.scene.places import Transform
from fictilis.core.scene.rigs import is_rigged
from fictilis.core.scene.scene import MorphObject, Scene, Target
from fictilis.formats.choices import DROP, RESULT, Values
from fictilis.formats.gltf_rigs import plain_clip

KEPT, CHANGED, LEFT_OUT = "kept", "changed", "left out"
IN_MIX = "in the mix"  # which is said once, of the targets
MOST_NAMED = 4
Fate = tuple[str, str]  # one of the three, and what becomes of it
FateOf = Fate | Callable[[Values], Fate]
Found = Callable[[Scene, list[MorphObject]], list[str]]


class Feature(Struct, frozen=True):
    """Something a scene may have. ``found`` names what has it, or nothing; ``fates`` are by a format's key: where one is not
    there, such a file is not for it."""

    name: str
    found: Found
    fates: Mapping[str, FateOf]


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


def _if(name: str, kept: Fate, words: str = "") -> FateOf:
    """Left out where it was chosen so."""
    return lambda values: (LEFT_OUT, words) if values.get(name) == DROP else kept


def _at_frame(values: Values) -> Fate:
    return (CHANGED, "a file for each frame of the mix" if values.get("frames") == "range" else "the mix at one frame")


def _all(fate: FateOf, *keys: str) -> dict[str, FateOf]:
    return dict.fromkeys(keys, fate)


def _by(**fates: FateOf) -> dict[str, FateOf]:
    return fates


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
SHAPES = ("obj", "ply", "stl")
KEEP, GONE = (KEPT, ""), (LEFT_OUT, "")
MIXED_IN = (IN_MIX, "")
AS_WEIGHTS = (CHANGED, "weights that give the same mix")
SAMPLED = (CHANGED, "sampled at each frame")
BAKED = (CHANGED, "targets with weights at each frame")


def _usd(state: str, words: str) -> Callable[[Values], Fate]:
    """A fate of targets where they are written as such."""
    return lambda v: (CHANGED, "points frame by frame") if v.get("as") == "points" else (state, words)


def _usd_mix(words: str) -> Callable[[Values], Fate]:
    return lambda v: KEEP if v.get("as") == "points" else (CHANGED, words)


def _weight_keys(values: Values) -> Fate:
    return SAMPLED if values.get("keys") == "frames" else KEEP


CAGE_ALONE = (LEFT_OUT, "the cage is written")


def _surface(values: Values) -> Fate:
    return (CHANGED, "meshes with all their targets") if values.get("surface") == RESULT else CAGE_ALONE


_TIMED = _all(_at_frame, *SHAPES) | _by(
    usd=_usd(CHANGED, "straight between frames"), csv=SAMPLED, lanes=KEEP, npz=(CHANGED, "points frame by frame")
)
FEATURES = (
    Feature("Points in their order", _objects(lambda o: not _parts(o)),
            _all(KEEP, "obj", "ply", "gltf", "usd", "npz") | _by(stl=(LEFT_OUT, "triangles alone, without an order"))
            | _by(page=KEEP)),
    Feature("Points in their order, with seams", _objects(_parts),
            _all(KEEP, "obj", "ply", "usd", "npz") | _by(
                stl=(LEFT_OUT, "triangles alone, without an order"),
                gltf=(CHANGED, "more points where UVs part, or flat faces"))
            | _by(page=(CHANGED, "more points where UVs part, or flat faces"))),
    Feature("Polygons", _objects(lambda o: _is_mesh(o) and bool((o.mesh.face_sizes > 3).any())),
            _all(KEEP, "obj", "ply", "usd") | _all((CHANGED, "triangles"), "gltf", "stl") | _by(page=(CHANGED, "triangles"))),
    Feature("UVs", _objects(lambda o: _is_mesh(o) and o.mesh.uvs is not None),
            _all(KEEP, "obj", "gltf", "usd") | _all(GONE, "ply", "stl") | _by(page=KEEP)),
    Feature("Colours", _objects(lambda _o: True),
            _all(KEEP, "gltf", "usd") | _all(GONE, "obj", "stl") | _by(ply=_if("colours", KEEP)) | _by(page=KEEP)),
    Feature("Opacity", _objects(lambda o: o.appearance.opacity < 1), _all(KEEP, "gltf", "usd") | _all(GONE, *SHAPES)
            | _by(page=KEEP)),
    Feature("Textures", _objects(lambda o: o.appearance.texture is not None),
            _all(GONE, "usd", *SHAPES) | _by(gltf=_if("textures", KEEP)) | _by(page=(CHANGED, "images, no checkers"))),
    Feature("Places of objects", _objects(lambda o: o.transform != Transform()),
            _all(KEEP, "gltf", "usd") | _all(_if("motion", KEEP), *SHAPES) | _by(npz=GONE) | _by(page=KEEP)),
    Feature("Targets", _objects(lambda o: bool(o.targets)),
            _by(gltf=KEEP, usd=_usd(KEPT, ""), npz=(CHANGED, "points frame by frame")) | _all(_at_frame, *SHAPES)
            | _by(page=KEEP)),
    Feature("In-betweens", _targets(lambda _o, t: bool(t.in_betweens)),
            _by(gltf=(CHANGED, "targets of their own, with weights that give the same mix"),
             usd=_usd(KEPT, "in-betweens on straight paths, else shapes of their own"), csv=GONE) | _by(page=KEEP)),
    Feature("Sweeps", _targets(lambda _o, t: t.sweep is not None),
            _by(gltf=(CHANGED, "a target for each of twelve bands"), usd=_usd_mix("a shape for each of twelve bands"),
             csv=GONE, lanes=KEEP) | _all(MIXED_IN, "npz", *SHAPES) | _by(page=KEEP)),
    Feature("Masks and factors of groups",
            lambda _s, shown: [o.name for o in shown if any(t.mask is not None for t in o.targets)
                               or any(g.factor != 1 for g in o.groups)],
            _all((CHANGED, "worked into targets and weights"), "gltf", "usd") | _all(GONE, "csv", "lanes")
            | _all(MIXED_IN, "npz", *SHAPES) | _by(page=KEEP)),
    Feature("Weights that follow others", _targets(lambda o, t: bool(driven_by(o, t))),
            _all(AS_WEIGHTS, "gltf", "usd") | _by(csv=SAMPLED, lanes=GONE) | _all(MIXED_IN, "npz", *SHAPES) | _by(page=KEEP)),
    Feature("Relays", _objects(lambda o: bool(relays(o))),
            _all(AS_WEIGHTS, "gltf", "usd") | _by(csv=SAMPLED, lanes=KEEP) | _all(MIXED_IN, "npz", *SHAPES) | _by(page=KEEP)),
    Feature("Weights over time", _objects(lambda o: _led(o) and not _bent(o)), _TIMED | _by(gltf=_weight_keys)
            | _by(page=KEEP)),
    Feature("Weights over time, bent by others", _objects(lambda o: _led(o) and _bent(o)),
            _TIMED | _by(gltf=(CHANGED, "by their curves, sampled where the mix follows none")) | _by(page=KEEP)),
    Feature("Motion laid over lanes", _of_owners(lambda o: any(lane.modifiers for lane in o.lanes)),  # type: ignore[attr-defined]
            _all(SAMPLED, "gltf", "usd", "csv") | _by(lanes=KEEP) | _all(MIXED_IN, "npz", *SHAPES) | _by(page=KEEP)),
    Feature("Own motion", _lanes(_is_moving),
            _all(_if("motion", KEEP), "gltf") | _by(usd=_if("motion", (CHANGED, "straight between frames")), lanes=KEEP,
             npz=GONE) | _all(_if("motion", (CHANGED, "the place at each frame that is written")), *SHAPES) | _by(page=KEEP)),
    Feature("Motion along a line", _objects(lambda o: o.along is not None),
            _all(_if("motion", SAMPLED), "gltf", "usd") | _by(npz=GONE, lanes=KEEP)
            | _all(_if("motion", (CHANGED, "the place at each frame that is written")), *SHAPES) | _by(page=GONE)),
    Feature("Visibility and opacity over time", _lanes(lambda c: c in ("visible", "opacity")),
            _by(gltf=GONE, usd=KEEP, lanes=KEEP) | _all(GONE, *SHAPES) | _by(page=KEEP)),
    Feature("Clips", lambda scene, _shown: [c.name for c in scene.clips] if len(scene.clips) > 1 else [],
            _by(gltf=KEEP, page=KEEP)),
    Feature("Other clips", lambda scene, _shown: [c.name for c in scene.clips if c.id != scene.clip],
            _all((LEFT_OUT, "only the clip in hand is written"), "usd", "csv", "lanes", "npz", *SHAPES)),
    Feature("Lines", _objects(lambda o: isinstance(o.geometry, Line) and o.geometry.tube is None),
            _all(KEEP, "obj", "gltf", "usd", "npz") | _all((LEFT_OUT, "only meshes are written"), "ply", "stl")
            | _by(page=KEEP)),
    Feature("Curves", _objects(lambda o: isinstance(o.geometry, Line) and o.geometry.degree > 1),
            _all((CHANGED, "as they are drawn, of more points"), "obj", "gltf", "usd")
            | _by(page=(CHANGED, "as they are drawn, of more points"))),
    Feature("Widths of lines", _objects(lambda o: isinstance(o.geometry, Line) and o.geometry.tube is None
                                        and o.geometry.widths is not None),
            _by(usd=KEEP) | _all(GONE, "obj", "gltf") | _by(page=GONE)),
    Feature("Tubes", _objects(lambda o: isinstance(o.geometry, Line) and o.geometry.tube is not None),
            _by(gltf=(CHANGED, "meshes that are exact at their targets"), usd=(CHANGED, "points frame by frame"),
             npz=(CHANGED, "their lines")) | _all((CHANGED, "meshes"), *SHAPES)
            | _by(page=(CHANGED, "meshes that are exact at their targets"))),
    Feature("Lines drawn in part", _objects(lambda o: o.drawn != WHOLE or any(x.channel in LINE_IDS for x in o.lanes)),
            _by(gltf=(LEFT_OUT, "they are written whole"), usd=(CHANGED, "points frame by frame"), obj=MIXED_IN,
             npz=(LEFT_OUT, "they are written whole"), lanes=KEEP) | _by(page=(LEFT_OUT, "they are shown whole"))),
    Feature("Smooth surfaces", _objects(lambda o: o.surface is not None),
            _all(_surface, "gltf", "usd", *SHAPES) | _by(npz=CAGE_ALONE) | _by(page=_surface)),
    Feature("Copies", _objects(lambda o: o.repeated is not None),
            _by(gltf=(CHANGED, "a node each, over one mesh"), usd=(CHANGED, "objects"), npz=(LEFT_OUT, "the first alone"))
            | _all((CHANGED, "meshes"), *SHAPES) | _by(page=(CHANGED, "all of them move at once"))),
    Feature("Springs", _objects(lambda o: o.spring is not None and o.spring.on),
            _by(gltf=_if("springs", BAKED), usd=lambda v: GONE if v.get("springs") == DROP else _usd_mix(BAKED[1])(v))
            | _all(MIXED_IN, "npz", *SHAPES) | _all(GONE, "csv", "lanes") | _by(page=GONE)),
    Feature("Bend, twist and taper", _objects(lambda o: bool(acting(o))),
            _by(gltf=BAKED, usd=_usd_mix(BAKED[1]), lanes=(CHANGED, "their lanes alone"), csv=GONE)
            | _all(MIXED_IN, "npz", *SHAPES) | _by(page=GONE)),
    Feature("Rigs", _objects(_hangs),
            _by(gltf=KEEP, usd=_usd(KEPT, ""), lanes=(CHANGED, "their lanes alone"), csv=GONE)
            | _all(MIXED_IN, "npz", *SHAPES) | _by(page=(LEFT_OUT, "meshes as they were bound"))),
    Feature("Joints retimed, or turned by hand",
            lambda scene, shown: [o.name for o in shown if _hangs(o) and plain_clip(scene, o) is None and _plays(o)],
            _by(gltf=SAMPLED, usd=_usd(CHANGED, SAMPLED[1])) | _all(MIXED_IN, "npz", *SHAPES) | _by(page=GONE)),
    Feature("Dual quaternions", _objects(lambda o: _hangs(o) and o.skin.dual),  # type: ignore[union-attr]
            _by(gltf=(LEFT_OUT, "joints move the points linearly"), usd=_usd(KEPT, "")) | _all(MIXED_IN, "npz", *SHAPES)
            | _by(page=GONE)),
    Feature("Rigs that rest", _objects(lambda o: o.skin is not None and not o.skin.on),
            _all((LEFT_OUT, "meshes as they were bound"), "gltf", "usd") | _all(MIXED_IN, "npz", *SHAPES)
            | _all(GONE, "csv", "lanes") | _by(page=(LEFT_OUT, "meshes as they were bound"))),
    Feature("Cameras", lambda scene, _shown: [c.name for c in scene.cameras],
            _all(_if("cameras", KEEP), "gltf", "usd") | _by(lanes=(CHANGED, "their lanes alone"))
            | _all(GONE, "csv", "npz", *SHAPES) | _by(page=GONE)),
    Feature("Motion of cameras",
            lambda scene, _shown: [c.name for c in scene.cameras if c.along or any(x.channel != "lens" for x in c.lanes)],
            _by(gltf=_if("cameras", SAMPLED), usd=_if("cameras", (CHANGED, "straight between frames")), lanes=KEEP)
            | _by(page=GONE)),
    Feature("Field of view over time",
            lambda scene, _shown: [c.name for c in scene.cameras if any(x.channel == "lens" for x in c.lanes)],
            _by(gltf=GONE, usd=KEEP, lanes=KEEP) | _by(page=GONE)),
    Feature("Sound", lambda scene, _shown: [scene.sound.name] if scene.sound is not None else [],
            _all(GONE, "gltf", "usd", "csv", "lanes", "npz", *SHAPES) | _by(page=KEEP)),
    Feature("Reference picture", lambda scene, _shown: [scene.reference.name] if scene.reference is not None else [],
            _all(GONE, "gltf", "usd", "csv", "lanes", "npz", *SHAPES) | _by(page=GONE)),
    Feature("Cues", lambda scene, _shown: [c.name for c in scene.cues],
            _all(GONE, "usd", "csv", "lanes", "npz", *SHAPES)
            | _by(gltf=_if("cues", (CHANGED, "a file of JSON beside it")), page=KEEP)),
    Feature("Markers", lambda scene, _shown: [m.name for m in scene.markers],
            _all(GONE, "gltf", "usd", "csv", "lanes", "npz", *SHAPES) | _by(page=KEEP)),
)  # fmt: skip


def account(whole: Scene, scene: Scene, key: str, values: Values) -> list[Row]:
    """What becomes of each feature, in the order of the table: of ``scene``, which is as it was chosen to be written from
    ``whole``; what was chosen to be left out is of that."""
    ids, clips = {obj.id for obj in scene.objects if obj.visible}, {c.id for c in scene.clips}
    shown = [obj for obj in whole.objects if obj.id in ids]
    seen = Scene(
        start=whole.start, end=whole.end, fps=whole.fps, cameras=whole.cameras, markers=whole.markers, sound=whole.sound,
        reference=whole.reference, clips=scene.clips, clip=scene.clip, cues=whole.cues,
    )  # fmt: skip
    rows = []
    for feature in FEATURES:
        fate = feature.fates.get(key)
        owners = feature.found(seen, shown) if fate is not None else []
        if owners and fate is not None:
            state, words = fate(values) if callable(fate) else fate
            named = () if owners == [obj.name for obj in shown] else tuple(owners)
            rows += [Row(state, feature.name, named, words)] if state != IN_MIX else []
    hidden = tuple(obj.name for obj in whole.objects if obj.id not in ids)
    rows += [Row(LEFT_OUT, "Objects", hidden, "hidden, or not chosen")] if hidden else []
    unwanted = tuple(c.name for c in whole.clips if c.id not in clips)
    return rows + ([Row(LEFT_OUT, "Clips", unwanted, "not chosen")] if unwanted else [])
