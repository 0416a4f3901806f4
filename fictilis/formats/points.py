"""Points over a range as NumPy's arrays (.npz): ``frames`` (f,), and for each object, by its name, (f, n, 3) in centimetres.

Source: NumPy Enhancement Proposal 1, the .npy format; a zip archive of them.
"""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from collections.abc import Sequence
from pathlib import Path
from typing import IO

import numpy as np

from fictilis.core.at_frame.pose import Pose
from fictilis.core.ground.errors import BadFile, EditRefused
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.formats.files import MOST_BYTES, Progress, doubles, no_progress, read_bytes, write_whole

FRAMES = "frames"
SUFFIX = ".npz"
FAR = 1e12
BROKEN = (zipfile.BadZipFile, zlib.error, struct.error, ValueError, EOFError, NotImplementedError, RuntimeError, OSError)


def write_points(
    path: Path, scene: Scene, objects: Sequence[MorphObject], frames: Sequence[float], progress: Progress = no_progress
) -> None:
    """The final points of objects at frames, frame by frame. Raises EditRefused or CannotSave."""
    if any(obj.name == FRAMES for obj in objects):
        raise EditRefused(f"An object named “{FRAMES}” would stand in the way of the list of frames; rename it first.")

    def write(temporary: Path) -> None:  # by hand, since np.savez knows some names as its own words, and holds all at once
        with zipfile.ZipFile(temporary, "w") as archive:
            with archive.open(f"{FRAMES}.npy", "w") as entry:
                np.lib.format.write_array(entry, np.array(frames, np.float64), allow_pickle=False)
            for number, obj in enumerate(objects):
                with archive.open(f"{obj.name}.npy", "w", force_zip64=True) as entry:
                    shape = (len(frames), len(obj.base), 3)
                    np.lib.format.write_array_header_1_0(entry, {"descr": "<f8", "fortran_order": False, "shape": shape})
                    for done, frame in enumerate(frames, 1):
                        entry.write(np.ascontiguousarray(Pose(scene, obj, frame).points, "<f8").tobytes())
                        progress((number + done / len(frames)) / len(objects))

    write_whole(path, write)


def read_points(path: Path, name: str, count: int) -> tuple[np.ndarray, np.ndarray]:
    """Frames (f,) and points (f, n, 3) of the object ``name`` with ``count`` points, or of the only one. Raises BadFile."""
    path = Path(path)
    data = io.BytesIO(read_bytes(path))
    try:
        with zipfile.ZipFile(data) as archive:
            names = [entry[: -len(".npy")] for entry in archive.namelist() if entry.endswith(".npy")]
            others = [n for n in names if n != FRAMES]
            if not others:
                raise BadFile(f"{path.name} holds no points.")
            if name not in others and len(others) > 1:
                raise BadFile(f"{path.name} holds {', '.join(others[:6])}, and none is called {name}.")
            points = _array(archive, path, name if name in others else others[0])
            frames = _array(archive, path, FRAMES) if FRAMES in names else np.arange(len(points), dtype=np.float64)
    except BROKEN as error:
        raise BadFile(f"{path.name} cannot be read as arrays: {str(error)[:100]}.") from None
    if points.ndim != 3 or points.shape[1:] != (count, 3):
        shape = " × ".join(map(str, points.shape)) or "one number"
        raise BadFile(f"{path.name} holds {shape} numbers where frames × {count:,} × 3 of {name} should be.")
    if frames.shape != (len(points),) or not len(frames) or not (np.diff(frames) > 0).all():
        raise BadFile(f"The frames of {path.name} do not rise, or are not one for each of its {len(points):,} rows.")
    if not np.isfinite(points).all() or (np.abs(points) > FAR).any() or not (np.abs(frames) <= 1e6).all():
        raise BadFile(f"{path.name} holds numbers that are too large.")
    return frames, points


def _array(archive: zipfile.ZipFile, path: Path, name: str) -> np.ndarray:
    """One array of real numbers; its header is checked against its bytes before any memory is taken."""
    info = archive.getinfo(f"{name}.npy")
    with archive.open(info) as entry:
        try:
            shape, fortran, kind = _header(entry)
        except Exception:  # noqa: BLE001 - NumPy reads it as an expression of Python, and raises whatever that does
            raise BadFile(f"{path.name} cannot be read as arrays: {name} has no header.") from None
        if kind.kind not in "fiu" or kind.hasobject:
            raise BadFile(f"{path.name} cannot be read as arrays: {name} holds no numbers.")
        size = int(np.prod([int(n) for n in shape], dtype=object)) * kind.itemsize
        if min(shape, default=0) < 0 or size > min(info.file_size, MOST_BYTES):
            raise BadFile(f"{path.name} ends before its {' × '.join(map(str, shape))} numbers of {name}.")
        data = entry.read(size)
    if len(data) != size:
        raise BadFile(f"{path.name} ends before its {' × '.join(map(str, shape))} numbers of {name}.")
    return doubles(np.frombuffer(data, kind).reshape(shape, order="F" if fortran else "C"))


def _header(entry: IO[bytes]) -> tuple[tuple[int, ...], bool, np.dtype]:
    version = np.lib.format.read_magic(entry)
    read = np.lib.format.read_array_header_1_0 if version == (1, 0) else np.lib.format.read_array_header_2_0
    return read(entry)
