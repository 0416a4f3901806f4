"""Small named utilities for files: plain mesh data, whole-or-nothing writes, sentences for what the system says."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from fictilis.core.errors import BadFile, CannotSave, EditRefused
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.scene import MorphObject, Scene

Progress = Callable[[float], None]


def no_progress(_fraction: float) -> None:
    """For work that nobody watches."""


MOST_BYTES = 16_000_000_000


@dataclass(frozen=True, eq=False)
class MeshData:
    """One object as read from a file: points (n, 3) float64 in the file's order, and its faces."""

    name: str
    points: np.ndarray
    mesh: Mesh
    colour: str | None = None
    smooth: bool = True


@dataclass(frozen=True, eq=False)
class Imported:
    objects: tuple[MeshData, ...]
    warnings: tuple[str, ...] = field(default=())


def read_bytes(path: Path, most: int = MOST_BYTES) -> bytes:
    """A file's bytes. Raises BadFile with a sentence when there is none, it is larger than ``most``, or cannot be read."""
    try:
        if Path(path).exists() and not Path(path).is_file() and not Path(path).is_dir():
            raise BadFile(f"{path} is not a regular file.")
        size = Path(path).stat().st_size
        if size > most:
            raise BadFile(f"{Path(path).name} has {size:,} bytes; up to {most:,} are read.")
        return Path(path).read_bytes()
    except FileNotFoundError:
        raise BadFile(f"There is no file {path}.") from None
    except IsADirectoryError:
        raise BadFile(f"{path} is a folder, not a file.") from None
    except OSError as error:
        raise BadFile(f"{path} cannot be read: {reason(error)}.") from None


def with_faces(scene: Scene, objects: Iterable[MorphObject]) -> tuple[list[MorphObject], list[str]]:
    """Those of ``objects`` that a mesh file can hold, and a sentence that names all others of the scene.

    Raises EditRefused when there is none.
    """
    held = [obj for obj in objects if obj.geometry.face_count]
    if not held:
        raise EditRefused("There is nothing to export: no visible object has faces.")
    others = [obj.name for obj in scene.objects if obj not in held]
    return held, [f"Hidden or without faces, and so left out: {', '.join(others)}."] if others else []


def write_whole(path: Path, write: Callable[[Path], object]) -> None:
    """Let ``write`` fill a new file beside ``path``, then put it in its place; on failure the old file stays whole.

    Raises CannotSave with what the system said.
    """
    path = Path(path)
    temporary = None
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
        os.close(handle)
        temporary = Path(name)
        write(temporary)
        with open(temporary, "rb") as done:
            os.fsync(done.fileno())
        mask = os.umask(0)
        os.umask(mask)
        temporary.chmod(path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~mask)
        if path.exists() and not os.access(path, os.W_OK):
            raise PermissionError(13, "the file is write-protected")
        os.replace(temporary, path)
    except OSError as error:
        kept = " The file that was there is unchanged." if path.is_file() else ""
        raise CannotSave(f"{path} could not be saved: {reason(error)}.{kept}") from None
    finally:
        if temporary is not None and temporary.exists():
            temporary.unlink()


def reason(error: OSError) -> str:
    text = (error.strerror or str(error)).strip()
    return text[:1].lower() + text[1:]
