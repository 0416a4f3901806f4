"""Every file format in one table: what it is called, its suffixes, and what it can do."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.at_frame.copies import copies
from fictilis.core.at_frame.pose import Pose
from fictilis.core.edits.objects import add_objects, with_all_of
from fictilis.core.geometry.kinds import Line
from fictilis.core.ground.affine import placed
from fictilis.core.ground.errors import BadFile, CannotSave
from fictilis.core.ground.names import tidy_name
from fictilis.core.ground.parameters import Parameter, completed
from fictilis.core.mix.channels import own_placement
from fictilis.core.mix.shapes import full_shape
from fictilis.core.scene.appearance import Appearance
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.formats import fates
from fictilis.formats.choices import (
    CAGES,
    CAMERAS,
    COLOURS,
    CUES,
    DROP,
    FRAMES,
    KEEP,
    KEYS,
    MOTION,
    PERCENT,
    PLACES,
    ROWS,
    SHAPES,
    SLIDERS,
    SPRINGS,
    STEP,
    SUBDIVISION,
    SURFACE,
    TEXTURES,
    UNIT,
    UP,
    Choices,
    Values,
    files_of,
    frames_of,
    linear_of,
    prepared,
)  # fmt: skip
from fictilis.formats.cues_json import beside, write_cues
from fictilis.formats.files import Imported, MeshData, Progress, no_progress, visible_objects, writable
from fictilis.formats.gltf import write_gltf
from fictilis.formats.gltf_scene import read_gltf, read_gltf_meshes
from fictilis.formats.lanes import write_lanes
from fictilis.formats.native import SUFFIX, read_native, write_native
from fictilis.formats.obj import read_obj, write_obj
from fictilis.formats.outlines import read_svg
from fictilis.formats.ply import read_ply, write_ply
from fictilis.formats.points import write_points
from fictilis.formats.stl import read_stl, write_stl
from fictilis.formats.weights import write_weights

LONGEST_STEM = 230  # bytes; a file name has 255


Export = Callable[[Path, Scene, float, Values, Progress], list[str]]


class Format(Struct, frozen=True):
    """``read_mesh(path, progress)``, ``export(path, scene, frame, values, progress)`` and ``read_scene(path, progress)``, which
    reads targets and lanes too, are None where it cannot do that. ``key`` is its short name. ``reads`` and ``writes`` say what
    is kept each way, ``loses`` what is not; ``unit`` is whether the file says how long its numbers are and what is up.
    ``options`` are what one may choose of how it is written; ``over`` whether it holds a range of frames, ``clips`` whether
    several clips, ``told`` whether what it shows can be read again as a proof, and ``fates`` what becomes of each feature of a
    scene."""

    key: str
    name: str
    suffixes: tuple[str, ...]
    reads: str
    writes: str
    loses: str
    unit: bool = True
    read_mesh: Callable[[Path, Progress], Imported] | None = None
    export: Export | None = None
    read_scene: Callable[[Path, Progress], tuple[Scene, tuple[str, ...]]] | None = None
    options: tuple[Parameter, ...] = ()
    over: bool = True
    clips: bool = False
    told: bool = True
    fates: fates.Fates = {}


def _at_frame(scene: Scene, frame: float, values: Values) -> tuple[list[MeshData], list[str]]:
    """All that a scene shows at a frame, copies too, as it is written by formats of one shape; and what is left out."""
    meshes, left_out = writable(scene, [obj for obj in scene.objects if obj.visible], points=True)
    data, linear = [], linear_of(values)
    for obj in meshes:
        own = scene.object(obj.id)
        spread = copies(scene, own, frame)
        inner = spread.inner if len(spread.outer) == 1 and values.get("motion") == DROP else spread.matrices
        for number, (matrix, later) in enumerate(zip(inner, spread.delays.tolist(), strict=True), 1):
            at = frame - later
            points = Pose(scene, own, at).drawn(own_placement(own, at, fps=scene.fps).drawn)
            name = obj.name if len(spread) == 1 else f"{obj.name} {number}"
            colour = obj.appearance.colour if values.get("colours") == KEEP else None
            data.append(MeshData(name, placed(points, matrix) @ linear.T, obj.geometry, colour, obj.appearance.smooth))
    return data, left_out


def _one_shape(write: Callable[[Path, list[MeshData], str], None], lines: bool) -> Export:
    """An export of one shape, at the frame shown or a file for each of the range: all of them or none."""

    def export(path: Path, scene: Scene, frame: float, values: Values, progress: Progress) -> list[str]:
        files, said, new = files_of(path, scene, frame, values), list[str](), list[Path]()
        axes = f"{values['unit']}, {str(values['up']).upper()} up"
        try:
            for number, (place, at) in enumerate(files, 1):
                data, said = _at_frame(scene, at, values)
                fresh = not place.exists()
                write(place, data, f"the mix at frame {at:g}, {axes}")
                new += [place] if fresh else []
                progress(number / len(files))
        except BaseException:  # cancelled too
            for place in new if len(files) > 1 else []:
                place.unlink(missing_ok=True)
            raise
        flat = [d.name for d in data if isinstance(d.geometry, Line)]
        return said if lines or not flat else [*said, f"Lines are not written: {', '.join(flat[:8])}."]

    return export


def _export_gltf(path: Path, scene: Scene, _frame: float, values: Values, progress: Progress) -> list[str]:
    said = write_gltf(path, scene, progress, values["keys"] == "frames")
    return said + (write_cues(beside(path), scene) if scene.cues and values["cues"] == KEEP else [])


def _export_page(path: Path, scene: Scene, _frame: float, values: Values, progress: Progress) -> list[str]:
    from fictilis.formats.page import write_page

    return write_page(path, scene, progress, values["poster"](scene), values["sliders"])


def _export_usd(path: Path, scene: Scene, _frame: float, values: Values, progress: Progress) -> list[str]:
    from fictilis.formats.usd_writing import write_usd

    return write_usd(path, scene, progress, values)


def _export_weights(path: Path, scene: Scene, _frame: float, values: Values, progress: Progress) -> list[str]:
    shown, left_out = visible_objects(scene)
    objects = [obj for obj in shown if obj.targets]
    write_weights(path, scene, objects, values["weights"] == "100", values["rows"] == "seconds", progress)
    return left_out


def _export_points(path: Path, scene: Scene, _frame: float, values: Values, progress: Progress) -> list[str]:
    shown, left_out = visible_objects(scene)
    write_points(path, scene, shown, frames_of(scene, values), progress)
    return left_out


def _export_lanes(path: Path, scene: Scene, _frame: float, _values: Values, progress: Progress) -> list[str]:
    shown, left_out = visible_objects(scene)
    write_lanes(path, scene, [*shown, *scene.cameras])
    progress(1.0)
    return left_out


def _read_usd(path: Path, progress: Progress = no_progress) -> tuple[Scene, tuple[str, ...]]:
    from fictilis.formats.usd_process import read_usd

    return read_usd(path, progress)


def _usd_meshes(path: Path, progress: Progress = no_progress) -> Imported:
    from fictilis.formats.usd_process import read_usd_meshes

    return read_usd_meshes(path, progress)


GLTF_READS = (
    "meshes and lines with targets by name, default weights, keys with the same curve at every instant, clips, motion, "
    "colours, opacity, UVs, images, cameras, skins with their joints and clips"
)
GLTF_WRITES = (
    "the same, polygons as triangles; a node for each copy; springs, bends and tubes as targets, with the error said; joints "
    "and their clips as they came, where they were not retimed or turned"
)
USD_READS = (
    "meshes with blend shapes and in-betweens, weights, motion, UVs, colours, opacity, curves, points that move as a relay, "
    "cameras, skeletons with their skins and animations; unit, up axis and rate"
)
USD_WRITES = (
    "the same; in-betweens where their paths are straight, else a shape each; lines and tubes point by point at each frame; "
    "copies as objects; visibility and opacity over time; springs and bends as blend shapes"
)
ONE_SHAPE = (UNIT, UP, PLACES, FRAMES, STEP, SURFACE)
FORMATS = (
    Format(
        "obj", "Wavefront OBJ", (".obj",),
        "polygons of any size, vertex order, UVs with their seams, lines, colours of materials",
        "the mix at a frame, or a file for each, lines and copies too; vertex order, polygons, UVs",
        "targets, weights, keys", False, read_obj, _one_shape(write_obj, True), options=ONE_SHAPE, over=False, fates=fates.OBJ,
    ),
    Format(
        "ply", "Polygon File Format", (".ply",), "polygons of any size, vertex order, colours, as text or binary",
        "the mix at a frame, or a file for each, as one mesh, copies too; vertex order, polygons, colours",
        "targets, weights, keys, UVs, lines", False, read_ply, _one_shape(write_ply, False),
        options=(*ONE_SHAPE, COLOURS), over=False, fates=fates.PLY,
    ),
    Format(
        "stl", "Stereolithography", (".stl",), "triangles, welded where they meet, as text or binary",
        "the mix at a frame, or a file for each, as triangles, copies too", "vertex order, all but the surface", False,
        read_stl, _one_shape(write_stl, False), options=ONE_SHAPE, over=False, fates=fates.STL,
    ),
    Format(
        "svg", "Scalable Vector Graphics", (".svg",), "paths and shapes as lines, transforms, colours", "", "all else", False,
        read_svg,
    ),
    Format(
        "gltf", "glTF", (".glb", ".gltf"), GLTF_READS, GLTF_WRITES, "lights, visibility, dual quaternions", True,
        read_gltf_meshes, _export_gltf, read_gltf, options=(KEYS, MOTION, SPRINGS, CAMERAS, TEXTURES, CAGES, CUES), clips=True,
        fates=fates.GLTF,
    ),
    Format(
        "usd", "OpenUSD", (".usdc", ".usda", ".usdz", ".usd"), USD_READS, USD_WRITES,
        "textures, clips that are not active", True, _usd_meshes, _export_usd, _read_usd,
        options=(UNIT, UP, SHAPES, KEYS, MOTION, SPRINGS, CAMERAS, CAGES, SUBDIVISION), fates=fates.USD,
    ),
    Format(
        "page", "Page for the browser", (".html",), "nothing",
        "one file that plays without a network: targets with sliders, in-betweens, sweeps, relays, clips, cues, sound",
        "springs, bends, rigs, cameras", export=_export_page, options=(SLIDERS, SURFACE), clips=True, told=False,
        fates=fates.PAGE,
    ),
    Format(
        "csv", "Table of weights", (".csv",), "weights a row a frame or a second, matched to targets by name",
        "weights of all targets, a column each", "all but weights", export=_export_weights, options=(PERCENT, ROWS),
        fates=fates.CSV,
    ),
    Format(
        "lanes", "Lanes with their curves", (".json",), "keys, interpolations, handles, and motion laid over, by names",
        "the same, of objects and cameras", "all but lanes", export=_export_lanes, fates=fates.LANES,
    ),
    Format(
        "npz", "Points as NumPy arrays", (".npz",), "points of a range, as a relay", "points of a range, in cm",
        "all but points", export=_export_points, options=(STEP,), fates=fates.NPZ,
    ),
)  # fmt: skip


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
    whole = format_for(path, "read").read_scene
    if whole is not None:
        made, said = whole(Path(path), progress)
        return (made, said) if beside is None else (with_all_of(beside, made), said)
    read = read_meshes(path, progress)
    read = read.together(Path(path).stem) if together else read
    scene = beside or Scene(name=Path(path).stem)
    return with_meshes(scene, read.objects), read.warnings


def with_meshes(scene: Scene, meshes: Sequence[MeshData]) -> Scene:
    """A scene with an object for each mesh or line."""
    plain = Appearance().colour
    return add_objects(scene, [(d.name, d.geometry, d.points, Appearance(d.colour or plain, d.smooth)) for d in meshes])[0]


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


def as_chosen(scene: Scene, path: Path, choices: Choices) -> tuple[Scene, dict[str, Any]]:
    """The scene as it is written to a file, and the value of each of its format's options. Raises EditRefused where something
    else was chosen than it has."""
    kind = format_for(path, "write")
    values = completed(kind.name, kind.options, choices.options)
    return prepared(scene, choices, values), values


def export(
    scene: Scene, path: Path, frame: float = 0.0, progress: Progress = no_progress, choices: Choices | None = None,
    poster: Callable[[Scene], bytes | None] = lambda _scene: None,
) -> list[str]:  # fmt: skip
    """Write a scene to a file of another kind, by its suffix; returns warnings. ``poster`` makes the PNG that stands on a page
    until it runs."""
    write = format_for(path, "write").export
    assert write is not None  # that is what was asked for
    chosen, values = as_chosen(scene, path, choices or Choices())
    return write(Path(path), chosen, frame, values | {"poster": poster}, progress)


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
            data = MeshData(name if name != "base" else obj.name, points, obj.geometry, smooth=obj.appearance.smooth)
            write_obj(path, [data], f"{obj.name}, {name}")
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
