"""Every file format in one table: what it is called, its suffixes, and what it can do."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.appearance import Appearance
from fictilis.core.channels import stand_at
from fictilis.core.edits.objects import add_objects
from fictilis.core.edits.topology import shown_points
from fictilis.core.errors import BadFile, CannotSave
from fictilis.core.evaluate import evaluate_object, full_shape
from fictilis.core.names import tidy_name
from fictilis.core.scene import MorphObject, Scene
from fictilis.formats.files import Imported, MeshData, Progress, no_progress, writable
from fictilis.formats.gltf import write_glb
from fictilis.formats.native import SUFFIX, read_native, write_native
from fictilis.formats.obj import read_obj, write_obj
from fictilis.formats.outlines import read_svg

LONGEST_STEM = 230  # bytes; a file name has 255


class Format(Struct, frozen=True):
    """``read_mesh(path, progress)`` and ``export(path, scene, frame, progress)`` are None where it cannot do that."""

    name: str
    suffixes: tuple[str, ...]
    loses: str
    read_mesh: Callable[[Path, Progress], Imported] | None = None
    export: Callable[[Path, Scene, float, Progress], list[str]] | None = None


def _export_obj(path: Path, scene: Scene, frame: float, progress: Progress = no_progress) -> list[str]:
    meshes, left_out = writable(scene, [obj for obj in scene.objects if obj.visible])
    data = []
    for obj in meshes:
        own = scene.object(obj.id)
        points = shown_points(own, evaluate_object(own, frame, scene.fps), stand_at(own, frame, fps=scene.fps).drawn)
        data.append(_data(obj, obj.name, points))
    write_obj(path, data, f"the mix at frame {frame:g}")
    return left_out


def _export_glb(path: Path, scene: Scene, _frame: float, progress: Progress = no_progress) -> list[str]:
    return write_glb(path, scene, progress)


FORMATS = (
    Format("Wavefront OBJ", (".obj",), "one shape; no weights, keys or transform", read_obj, _export_obj),
    Format("Scalable Vector Graphics", (".svg",), "only paths and shapes, as lines", read_svg, None),
    Format("glTF binary", (".glb",), "polygons become triangles", None, _export_glb),
)


def format_for(path: Path, doing: str) -> Format:
    """The format of a file by its suffix. Raises BadFile naming the suffixes that can be read or written."""
    able = [f for f in FORMATS if (f.read_mesh if doing == "read" else f.export)]
    for candidate in able:
        if Path(path).suffix.lower() in candidate.suffixes:
            return candidate
    known = ", ".join(suffix for f in able for suffix in f.suffixes)
    suffix = Path(path).suffix
    said = f"of the kind “{suffix}”" if suffix else "without a suffix"
    verb = "read as meshes" if doing == "read" else "written"
    raise BadFile(f"{Path(path).name} is a file {said}; the kinds that can be {verb} are: {known}.")


def read_meshes(path: Path, progress: Progress = no_progress) -> Imported:
    """All objects of a mesh file."""
    read = format_for(path, "read").read_mesh
    assert read is not None  # that is what was asked for
    return read(Path(path), progress)


def scene_from_file(
    path: Path, progress: Progress = no_progress, beside: Scene | None = None, together: bool = False
) -> tuple[Scene, tuple[str, ...]]:
    """A scene with the objects of a file, and warnings: a new one, or ``beside`` with them added. ``together`` makes one
    object of several lines, each a strand of it."""
    read = read_meshes(path, progress)
    read = read.together(Path(path).stem) if together else read
    scene = beside or Scene(name=Path(path).stem)
    rows = [(d.name, d.geometry, d.points, Appearance(d.colour or Appearance().colour, d.smooth)) for d in read.objects]
    return add_objects(scene, rows)[0], read.warnings


def load(path: Path, progress: Progress = no_progress) -> Scene:
    """Open a scene file. Raises BadFile."""
    return read_native(Path(path), progress)


def save(scene: Scene, path: Path, progress: Progress = no_progress) -> Scene:
    """Save a scene file; returns the scene with the file's name as its own."""
    path = Path(path)
    stem = path.name[: -len(SUFFIX)] if path.name.lower().endswith(SUFFIX) else path.name
    named = replace(scene, name=tidy_name(stem) or "Untitled")
    write_native(path, named, progress)
    return named


def export(scene: Scene, path: Path, frame: float = 0.0, progress: Progress = no_progress) -> list[str]:
    """Write a scene to a file of another kind, by its suffix; returns warnings."""
    write = format_for(path, "write").export
    assert write is not None  # that is what was asked for
    return write(Path(path), scene, frame, progress)


def export_shapes(scene: Scene, folder: Path) -> tuple[list[Path], list[str]]:
    """Base and each target of every object as OBJ files in ``folder``; returns the files written, and
    sentences on what was left out."""
    folder = Path(folder)
    meshes, left_out = writable(scene, scene.objects)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError:
        raise BadFile(f"{folder} cannot be made as a folder.") from None
    plan: dict[Path, tuple[MorphObject, str, np.ndarray]] = {}
    several = len(meshes) > 1
    for obj in meshes:
        shapes = [("base", obj.base)] + [(t.name, full_shape(obj, t.id)) for t in obj.targets]
        for name, points in shapes:
            stem = _file_name(f"{obj.name} {name}" if several else name)
            path, number = folder / f"{stem}.obj", 2
            while path in plan:
                path, number = folder / f"{stem} {number}.obj", number + 1
            plan[path] = (obj, name, points)
    new: list[Path] = []
    try:
        for path, (obj, name, points) in plan.items():
            fresh = not path.exists()
            write_obj(path, [_data(obj, name if name != "base" else obj.name, points)], f"{obj.name}, {name}")
            new += [path] if fresh else []
    except CannotSave:
        for path in new:  # all of them or none
            path.unlink(missing_ok=True)
        raise
    return list(plan), left_out


def _file_name(name: str) -> str:
    """A name that every file system takes, with room for a number and a suffix behind it."""
    safe = "".join("_" if c in '/\\:*?"<>|\0' or not c.isprintable() else c for c in name).strip(". ")
    return safe.encode("utf-8", "replace")[:LONGEST_STEM].decode("utf-8", "ignore").strip(". ") or "shape"


def _data(obj: MorphObject, name: str, points: np.ndarray) -> MeshData:
    return MeshData(name, points, obj.geometry, smooth=obj.appearance.smooth)
