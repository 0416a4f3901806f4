"""What files hold, to be looked at first and then taken in part: as new objects, as targets, as a row of shapes."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.edits.imports import laid, sized, stood
from fictilis.core.edits.objects import with_all_of
from fictilis.core.edits.timeline import set_rate
from fictilis.core.mix.shapes import full_shape
from fictilis.core.scene.scene import Scene
from fictilis.formats.files import MeshData, Progress, no_progress
from fictilis.formats.native import SUFFIX
from fictilis.formats.registry import format_for, load, scene_from_file
from fictilis.formats.rows import in_order


class Held(Struct, frozen=True):
    """All of some files as one scene. ``bare`` are ids of objects of files that say neither their unit nor what is up;
    ``stems`` the names of files that hold one object alone, by that object's id."""

    scene: Scene
    paths: tuple[Path, ...]
    bare: frozenset[str]
    stems: dict[str, str]
    said: tuple[str, ...] = ()


class Laying(Struct, frozen=True):
    """How what is taken is laid: its unit and up axis where its file does not say them, a scale, and where it stands."""

    unit: str = "cm"
    z_up: bool = False
    factor: float = 1.0
    centre: bool = False
    ground: bool = False


def read_held(paths: Sequence[str | Path], progress: Progress = no_progress) -> Held:
    """Read mesh files and scenes, in the order of their numbers. Raises BadFile for the first that cannot be read."""
    scene, bare, stems, said = Scene(), set[str](), dict[str, str](), list[str]()
    files = in_order([Path(path) for path in paths])
    for number, path in enumerate(files):
        native = path.suffix.lower() == SUFFIX
        made, warnings = (load(path), ()) if native else scene_from_file(path)
        before = {o.id for o in scene.objects}
        scene = made if len(files) == 1 else added(scene, made)
        new = [o.id for o in scene.objects if o.id not in before]
        if not native and not format_for(path, "read").unit:
            bare |= set(new)
        if len(new) == 1:
            stems[new[0]] = path.stem
        said += warnings
        progress((number + 1) / len(files))
    return Held(scene, tuple(files), frozenset(bare), stems, tuple(said))


def taken(held: Held, ids: Collection[str], laying: Laying, sound: bool = True) -> Scene:
    """A scene with only the objects and cameras of ``ids``, laid as asked."""
    scene = held.scene
    for owner in scene.owners:
        if owner.id not in ids:
            scene = scene.without(owner)
    bare = held.bare & frozenset(ids)
    scene = laid(scene, bare, laying.unit, laying.z_up, laying.factor)
    scene = sized(scene, frozenset(ids) - bare, laying.factor)
    scene = stood(scene, ids, laying.centre, laying.ground)
    return scene if sound else replace(scene, sound=None)


def added(scene: Scene, other: Scene) -> Scene:
    """A scene with all of another one beside it, whose keys keep their seconds."""
    return with_all_of(scene, other if other.fps == scene.fps else set_rate(other, scene.fps, True))


def shapes_of(scene: Scene, stems: Mapping[str, str]) -> list[MeshData]:
    """What is taken as single shapes: each object, or where it has targets of its own each of those, in full."""
    out = []
    for obj in scene.objects:
        shapes = [(t.name, full_shape(obj, t.id)) for t in obj.targets] or [(stems.get(obj.id, obj.name), obj.base)]
        out += [MeshData(name, points, obj.geometry) for name, points in shapes]
    return out
