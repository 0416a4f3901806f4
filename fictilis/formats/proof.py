"""What a file shows, read again by another reader, against the scene that was written: the proof of an export."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.affine import placed
from fictilis.core.arrays import lengths
from fictilis.core.channels import stand_at
from fictilis.core.copies import copies
from fictilis.core.edits.clips import choose_clip, clip, clip_named
from fictilis.core.errors import BadFile
from fictilis.core.fewer_bands import FORMAT_BANDS, with_bands
from fictilis.core.final import drawn_points
from fictilis.core.geometry.kinds import WHOLE, Line
from fictilis.core.mix.acting import shares_at, weights_at
from fictilis.core.mix.bands import swept
from fictilis.core.scene import Scene
from fictilis.formats.choices import DROP, Choices, files_of, linear_of
from fictilis.formats.files import Progress, no_progress
from fictilis.formats.gltf import column_names
from fictilis.formats.registry import as_chosen, format_for, read_meshes, scene_from_file

LOOKED_AT = 25  # frames of a range


class Proof(Struct, frozen=True):
    """``cm``: how far a point is from where it should be, the largest over ``frames`` frames, at ``frame``; ``points`` were
    looked at in each. ``weight``: how far a weight is off at most, of ``weights`` that the file names as the scene does."""

    cm: float
    frame: float
    frames: int
    points: int
    weight: float = 0.0
    weights: int = 0

    @property
    def sentence(self) -> str:
        when = f"over {self.frames} frames" if self.frames > 1 else f"at frame {self.frame:g}"
        led = f", its {self.weights:,} weights {self.weight:.2g}" if self.weights else ""
        return f"Read again, its {self.points:,} points are {self.cm:.2g} cm off at most{led} {when}."


def prove(
    scene: Scene, path: Path, frame: float, progress: Progress = no_progress, choices: Choices | None = None
) -> Proof | None:
    """Read a file that a scene was exported to, and compare every point and weight that it shows; None for a file that shows
    neither. Raises BadFile where it cannot be read, or shows nothing."""
    path, kind = Path(path), format_for(path, "write")
    if not kind.told:
        return None
    scene, values = as_chosen(scene, path, choices or Choices())
    weight, weights = 0.0, 0
    wanted, found = [], []
    if not kind.over:
        files = files_of(path, scene, frame, values)
        files = [files[n] for n in np.unique(np.linspace(0, len(files) - 1, min(LOOKED_AT, len(files))).astype(int))]
        frames = np.array([at for _, at in files])
        back_to = np.linalg.inv(linear_of(values))
        for number, (place, at) in enumerate(files, 1):
            points = np.concatenate([data.points for data in read_meshes(place).objects])
            found.append(points @ back_to.T)
            wanted.append(_seen(scene, at, path, values.get("motion") != DROP))
            progress(number / len(files))
    else:
        back = scene_from_file(path)[0]
        if back.clips and scene.clips:
            back = choose_clip(back, clip_named(back, clip(scene).name).id)
        frames = np.unique(np.round(np.linspace(scene.start, scene.end, LOOKED_AT)))
        # what a file's time begins with is the scene's first frame
        back, later = replace(back, fps=scene.fps), (scene.start if kind.clips else 0.0)
        weight, weights = _weights_apart(scene, back, frames, later)
        for number, at in enumerate(frames.tolist(), 1):
            wanted.append(_seen(scene, at, path))
            found.append(_seen(back, at - later, path))
            progress(number / len(frames))
    apart = np.array([_apart(path, w, f) for w, f in zip(wanted, found, strict=True)])
    worst = int(np.argmax(apart))
    return Proof(float(apart[worst]), float(frames[worst]), len(frames), len(wanted[0]), weight, weights)


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


def _seen(scene: Scene, frame: float, path: Path, in_place: bool = True) -> np.ndarray:
    """(n, 3): all points that a file of a kind shows at a frame."""
    out = []
    for obj in scene.objects:
        flat = isinstance(obj.geometry, Line) and obj.geometry.tube is None and path.suffix.lower() in (".ply", ".stl")
        if not obj.visible or flat:
            continue
        spread = copies(scene, obj, frame)
        inner = spread.matrices if in_place or len(spread.outer) > 1 else spread.inner
        for matrix, later in zip(inner, spread.delays.tolist(), strict=True):
            whole = path.suffix.lower() in (".glb", ".gltf")
            part = WHOLE if whole else stand_at(obj, frame - later, fps=scene.fps).drawn
            out.append(placed(drawn_points(scene, obj, frame - later, part), matrix))
    return np.concatenate(out) if out else np.zeros((0, 3))


def _apart(path: Path, wanted: np.ndarray, found: np.ndarray) -> float:
    """The largest distance of points that should be the same; where seams part them, or a format has no order, to the
    nearest one."""
    if not len(found):
        raise BadFile(f"{path.name} shows nothing where {len(wanted):,} points should be.")
    if len(found) == len(wanted) and path.suffix.lower() != ".stl":
        return float(lengths(found - wanted).max(initial=0.0))
    from scipy.spatial import cKDTree

    return float(cKDTree(found).query(wanted)[0].max(initial=0.0))
