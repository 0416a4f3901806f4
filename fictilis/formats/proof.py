"""What a file shows, read again by another reader, against the scene that was written: the proof of an export."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.at_frame.copies import copies
from fictilis.core.at_frame.drawn import as_drawn
from fictilis.core.at_frame.fewer_bands import FORMAT_BANDS, with_bands
from fictilis.core.at_frame.pose import Pose
from fictilis.core.geometry.kinds import WHOLE, Geometry, Line
from fictilis.core.geometry.topology import triangles
from fictilis.core.ground.affine import placed
from fictilis.core.ground.arrays import lengths
from fictilis.core.ground.errors import BadFile
from fictilis.core.ground.numbers_said import in_cm
from fictilis.core.ground.numbers_said import said as number_said
from fictilis.core.mix.acting import shares_at, weights_at
from fictilis.core.mix.bands import swept
from fictilis.core.mix.channels import own_placement, values_at
from fictilis.core.scene.clips import choose_clip, clip, clip_named
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.scene.timeline import SceneCamera
from fictilis.formats.choices import DROP, Choices, Values, files_of, frames_of, linear_of
from fictilis.formats.files import Progress, no_progress, visible_objects
from fictilis.formats.gltf import column_names, file_vertices
from fictilis.formats.lanes import read_lanes, set_lanes
from fictilis.formats.points import read_points
from fictilis.formats.registry import as_chosen, format_for, read_meshes, scene_from_file
from fictilis.formats.stl import stl_corners
from fictilis.formats.weights import read_weights

LOOKED_AT = 25  # frames of a range at least, where it has as many
MOST_LOOKED_AT = 20_000_000  # points of all frames together, beyond those
MOST_FRAMES = 2000  # at which weights are compared
GLTF, LOOSE = (".glb", ".gltf"), (".stl",)


class Proof(Struct, frozen=True):
    """``cm``: how far a point is from where it should be, the largest over ``frames`` frames, at ``frame``; ``points`` were
    looked at in each. ``weight``: how far a weight is off at most, of ``weights`` that the file names as the scene does;
    ``clips`` were compared."""

    cm: float
    frame: float
    frames: int
    points: int
    weight: float = 0.0
    weights: int = 0
    clips: int = 1

    @property
    def sentence(self) -> str:
        when = f"over {self.frames:,} frames" if self.frames > 1 else f"at frame {self.frame:g}"
        when += f" in each of {self.clips} clips" if self.clips > 1 else ""
        seen = [f"its {self.points:,} points are {in_cm(self.cm)} off at most"] if self.points else []
        led = [
            f"its {self.weights:,} weights {'' if seen else 'are '}{number_said(self.weight)}{'' if seen else ' off at most'}"
        ]
        return f"Read again, {', '.join(seen + (led if self.weights else []))} {when}."


def prove(
    scene: Scene, path: Path, frame: float, progress: Progress = no_progress, choices: Choices | None = None
) -> Proof | None:
    """Read a file that a scene was exported to, and compare every vertex and weight that it shows with its own, in every clip;
    None for a file that shows neither. Raises BadFile where it cannot be read, or does not hold what it should."""
    path, kind = Path(path), format_for(path, "write")
    if not kind.told:
        return None
    scene, values = as_chosen(scene, path, choices or Choices())
    if kind.key in _TABLES:
        return _TABLES[kind.key](scene, path, values, progress)
    if not kind.over:
        return _of_shapes(scene, path, frame, values, progress)
    back = scene_from_file(path)[0]
    pairs = [(scene, back)]
    if back.clips and scene.clips and kind.clips:
        pairs = [(choose_clip(scene, c.id), choose_clip(back, clip_named(back, c.name).id)) for c in scene.clips]
    elif back.clips and scene.clips:
        pairs = [(scene, choose_clip(back, clip_named(back, clip(scene).name).id))]
    # what a file's time begins with is the scene's first frame
    found = [
        _over_time(own, its, path, kind.clips, lambda part, n=n: progress((n + part) / len(pairs)))  # type: ignore[misc]
        for n, (own, its) in enumerate(pairs)
    ]
    worst = max(found, key=lambda proof: (proof.cm, proof.weight))
    return replace(worst, weight=max(p.weight for p in found), clips=len(found))


def _over_time(scene: Scene, back: Scene, path: Path, from_zero: bool, progress: Callable[[float], None]) -> Proof:
    """The proof of one clip of a scene and of a file."""
    back, later = replace(back, fps=scene.fps), scene.start if from_zero else 0.0
    whole = np.unique(np.round(np.linspace(scene.start, scene.end, min(round(scene.end - scene.start) + 1, MOST_FRAMES))))
    weight, weights = _weights_apart(scene, back, whole, later)
    wanted, found = _rows(scene, path, True), _rows(back, path, False)
    if len(wanted) != len(found):
        raise BadFile(f"{path.name} holds {len(found):,} corners and vertices where {len(wanted):,} should be.")
    first = _seen(scene, scene.start, path)
    count = min(max(LOOKED_AT, MOST_LOOKED_AT // max(len(wanted), 1)), len(whole))
    frames = whole[np.unique(np.linspace(0, len(whole) - 1, count).astype(int))]
    apart = []
    for number, at in enumerate(frames.tolist(), 1):
        apart.append(_largest(_seen(scene, at, path)[wanted] - _seen(back, at - later, path)[found]))
        progress(number / len(frames))
    worst = int(np.argmax(apart))
    return Proof(apart[worst], float(frames[worst]), len(frames), len(first), weight, weights)


def _of_shapes(scene: Scene, path: Path, frame: float, values: Values, progress: Progress) -> Proof:
    """The proof of files that hold one shape each."""
    files = files_of(path, scene, frame, values)
    files = [files[n] for n in np.unique(np.linspace(0, len(files) - 1, min(LOOKED_AT, len(files))).astype(int))]
    back_to, apart, count = np.linalg.inv(linear_of(values)), [], 0
    rows = _rows(scene, path, True)
    for number, (place, at) in enumerate(files, 1):
        wanted = _seen(scene, at, path, values.get("motion") != DROP)
        count = len(wanted)
        if path.suffix.lower() in LOOSE:
            found = stl_corners(place)
        else:
            read = read_meshes(place).objects
            own = _joined([_corners(d.geometry) for d in read], [len(d.points) for d in read])
            found = np.concatenate([d.points for d in read])[own]
        if len(found) != len(rows):
            raise BadFile(f"{place.name} holds {len(found):,} corners and vertices where {len(rows):,} should be.")
        apart.append(_largest(wanted[rows] - found @ back_to.T))
        progress(number / len(files))
    worst = int(np.argmax(apart))
    return Proof(apart[worst], files[worst][1], len(files), count)


def _largest(apart: np.ndarray) -> float:
    return float(lengths(apart).max(initial=0.0))


def _weights_apart(scene: Scene, back: Scene, frames: np.ndarray, later: float) -> tuple[float, int]:
    """The largest difference of weights, and how many there are, of targets that both scenes have by name; those of a target
    that a file holds with stages of its own are shares of them."""
    there, worst, count = {obj.name: obj for obj in back.objects}, 0.0, 0
    for obj in scene.objects:
        its = there.get(obj.name)
        if its is None or not obj.visible or not obj.targets or obj.repeated is not None:
            continue
        written = with_bands(obj, FORMAT_BANDS) if swept(obj) else obj
        shares = dict(zip(column_names(written), shares_at(written, frames, fps=scene.fps), strict=True))
        given, own = weights_at(its, frames - later, fps=scene.fps), weights_at(obj, frames, fps=scene.fps)
        by_name = {t.name: t for t in obj.targets}
        for target in its.targets:
            if target.name not in shares:
                continue
            share = own[by_name[target.name].id] if target.in_betweens and target.name in by_name else shares[target.name]
            worst = max(worst, float(np.abs(np.asarray(given[target.id]) - share).max(initial=0.0)))
            count += 1
    return worst, count


def _shown(scene: Scene, path: Path) -> list[MorphObject]:
    """The objects that a file of a kind holds."""
    meshes = path.suffix.lower() in (".ply", ".stl")
    flat = [obj for obj in scene.objects if isinstance(obj.geometry, Line) and obj.geometry.tube is None and meshes]
    held = [obj for obj in scene.objects if obj.visible and obj not in flat]
    if path.suffix.lower() == ".obj":  # whose reader gives the lines last
        held.sort(key=lambda obj: isinstance(obj.geometry, Line) and obj.geometry.tube is None)
    return held


def _seen(scene: Scene, frame: float, path: Path, in_place: bool = True) -> np.ndarray:
    """(n, 3): all points that a file of a kind shows at a frame."""
    out = []
    for obj in _shown(scene, path):
        spread = copies(scene, obj, frame)
        inner = spread.matrices if in_place or len(spread.outer) > 1 else spread.inner
        for matrix, later in zip(inner, spread.delays.tolist(), strict=True):
            part = WHOLE if path.suffix.lower() in GLTF else own_placement(obj, frame - later, fps=scene.fps).drawn
            out.append(placed(Pose(scene, obj, frame - later).drawn(part), matrix))
    return np.concatenate(out) if out else np.zeros((0, 3))


Rows = tuple[np.ndarray, np.ndarray]  # (v,) and (c,): which points are the vertices, and the corners of the faces


def _rows(scene: Scene, path: Path, written: bool) -> np.ndarray:
    """(r,): which of ``_seen`` stand in a file one after another: all its vertices, then all corners of its faces; of the scene
    that was ``written``, or of one that was read from such a file."""
    rows, counts = [], []
    for obj in _shown(scene, path):
        drawn = as_drawn(obj)
        own = _file_rows(drawn, path.suffix.lower()) if written else _corners(drawn.geometry)
        rows += [own] * scene.copy_count(obj)
        counts += [drawn.geometry.point_count] * scene.copy_count(obj)
    return _joined(rows, counts)


def _joined(rows: Sequence[Rows], counts: Sequence[int]) -> np.ndarray:
    """(r,): the rows of several geometries whose points (k,) stand one behind the other."""
    starts = np.cumsum([0, *counts])
    parts = [start + own[k] for k in (0, 1) for own, start in zip(rows, starts, strict=False)]
    return np.concatenate(parts).astype(np.int64) if parts else np.zeros(0, np.int64)


def _file_rows(drawn: MorphObject, suffix: str) -> Rows:
    if suffix in LOOSE:
        return np.zeros(0, np.int64), triangles(drawn.geometry).points.ravel()
    if suffix in GLTF and not isinstance(drawn.geometry, Line):
        vertices = file_vertices(drawn)
        faces = vertices.index.reshape(-1, 3)
        faces = faces[(faces != np.roll(faces, 1, axis=1)).all(axis=1)]  # one that is a line is none when it is read
        return vertices.points, vertices.points[faces.ravel()]
    return _corners(drawn.geometry)


def _corners(geometry: Geometry) -> Rows:
    ends = np.concatenate(geometry.joined()) if isinstance(geometry, Line) else geometry.corners
    return np.arange(geometry.point_count), ends


def _of_table(scene: Scene, path: Path, values: Values, progress: Progress) -> Proof:
    table = read_weights(path)
    frames = np.arange(scene.start, scene.end + 1e-9)
    wanted = []
    for obj in visible_objects(scene)[0]:
        rows = values_at(obj, frames, fps=scene.fps)
        wanted += [np.broadcast_to(rows[t.id], frames.shape) for t in obj.targets]
    wanted_times = (frames - scene.start) / scene.fps if values["rows"] == "seconds" else frames
    times = table.seconds if table.seconds is not None else table.frames
    if table.values.shape != (len(frames), len(wanted)) or times is None or not np.allclose(times, wanted_times, atol=1e-6):
        held = f"{table.values.shape[0]:,} rows of {table.values.shape[1]:,} weights"
        raise BadFile(f"{path.name} holds {held} where {len(frames):,} of {len(wanted):,} should be.")
    apart = np.abs(table.values * (100.0 if table.percent else 1.0) / (100.0 if values["weights"] == "100" else 1.0)
                   - np.stack(wanted, axis=1))  # fmt: skip
    progress(1.0)
    return Proof(0.0, scene.start, len(frames), 0, float(apart.max(initial=0.0)), len(wanted))


def _of_points(scene: Scene, path: Path, values: Values, progress: Progress) -> Proof:
    objects, wanted_frames = visible_objects(scene)[0], frames_of(scene, values)
    apart = np.zeros(len(wanted_frames))
    for done, obj in enumerate(objects, 1):
        frames, points = read_points(path, obj.name, len(obj.base))
        if not np.array_equal(frames, wanted_frames):
            raise BadFile(f"{path.name} holds {len(frames):,} frames where {len(wanted_frames):,} should be.")
        for number, at in enumerate(wanted_frames):
            apart[number] = max(apart[number], _largest(points[number] - Pose(scene, obj, at).points))
        progress(done / len(objects))
    worst = int(np.argmax(apart))
    return Proof(float(apart[worst]), wanted_frames[worst], len(apart), sum(len(o.base) for o in objects))


def _of_lanes(scene: Scene, path: Path, _values: Values, progress: Progress) -> Proof:
    shown: list[MorphObject | SceneCamera] = [*visible_objects(scene)[0], *scene.cameras]
    bare = scene
    for owner in shown:
        bare = bare.with_owner(owner.with_lanes({lane.channel: AnimationCurve() for lane in owner.lanes}))
    back = set_lanes(bare, read_lanes(path))[0]
    frames = np.arange(scene.start, scene.end + 1e-9)
    worst, count = 0.0, 0
    for owner in shown:
        wanted, found = (values_at(s.owner(owner.id), frames, fps=scene.fps) for s in (scene, back))
        for lane in owner.lanes:
            worst = max(worst, float(np.abs(np.asarray(wanted[lane.channel]) - found[lane.channel]).max(initial=0.0)))
            count += 1
    progress(1.0)
    return Proof(0.0, scene.start, len(frames), 0, worst, count)


_TABLES = {"csv": _of_table, "npz": _of_points, "lanes": _of_lanes}
