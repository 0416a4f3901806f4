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
from fictilis.core.edits.topology import shown_points
from fictilis.core.errors import BadFile
from fictilis.core.final import final_points
from fictilis.core.geometry.kinds import WHOLE
from fictilis.core.scene import Scene
from fictilis.formats.files import Progress, no_progress
from fictilis.formats.registry import format_for, read_meshes, scene_from_file

LOOKED_AT = 25  # frames of a range
ONE_SHAPE = (".obj", ".ply", ".stl")  # which hold no motion and no places


class Proof(Struct, frozen=True):
    """``cm``: how far a point is from where it should be, the largest over ``frames`` frames, at ``frame``; ``points`` were
    looked at in each."""

    cm: float
    frame: float
    frames: int
    points: int

    @property
    def sentence(self) -> str:
        when = f"over {self.frames} frames" if self.frames > 1 else f"at frame {self.frame:g}"
        return f"Read again, its {self.points:,} points are {self.cm:.2g} cm off at most {when}."


def prove(scene: Scene, path: Path, frame: float, progress: Progress = no_progress) -> Proof:
    """Read a file that a scene was exported to, and compare every point that it shows. Raises BadFile where it cannot be read,
    or shows nothing."""
    path = Path(path)
    format_for(path, "read")
    if path.suffix.lower() in ONE_SHAPE:
        found = [np.concatenate([data.points for data in read_meshes(path).objects])]
        frames = np.array([frame])
        wanted = [_seen(scene, frame, path, in_place=False)]
    else:
        back = scene_from_file(path)[0]
        if back.clips and scene.clips:
            back = choose_clip(back, clip_named(back, clip(scene).name).id)
        frames = np.unique(np.round(np.linspace(scene.start, scene.end, LOOKED_AT)))
        wanted, found = [], []
        for number, at in enumerate(frames.tolist(), 1):
            wanted.append(_seen(scene, at, path))
            found.append(_seen(replace(back, fps=scene.fps), at, path))
            progress(number / len(frames))
    apart = np.array([_apart(path, w, f) for w, f in zip(wanted, found, strict=True)])
    worst = int(np.argmax(apart))
    return Proof(float(apart[worst]), float(frames[worst]), len(frames), len(wanted[0]))


def _seen(scene: Scene, frame: float, path: Path, in_place: bool = True) -> np.ndarray:
    """(n, 3): all points that a file of a kind shows at a frame."""
    out = []
    for obj in scene.objects:
        if not obj.visible:
            continue
        spread = copies(scene, obj, frame)
        inner = spread.matrices if in_place or len(spread.outer) > 1 else spread.inner
        for matrix, later in zip(inner, spread.delays.tolist(), strict=True):
            part = WHOLE if path.suffix.lower() == ".glb" else stand_at(obj, frame - later, fps=scene.fps).drawn
            out.append(placed(shown_points(obj, final_points(scene, obj, frame - later), part), matrix))
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
