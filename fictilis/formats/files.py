"""Small named utilities for files: plain mesh data, whole-or-nothing writes, sentences for what the system says."""

from __future__ import annotations

import fcntl
import os
import re
import shutil
import stat
import tempfile
from collections.abc import Callable, Collection, Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from fictilis.core.at_frame.bending import acting
from fictilis.core.at_frame.drawn import as_drawn
from fictilis.core.edits.springs import bake_all
from fictilis.core.geometry.kinds import Geometry, Line
from fictilis.core.ground.errors import BadFile, CannotSave, EditRefused
from fictilis.core.ground.numbers_said import in_cm
from fictilis.core.scene.scene import MorphObject, Scene

Progress = Callable[[float], None]


def no_progress(_fraction: float) -> None:
    """For work that nobody watches."""


MOST_BYTES = 16_000_000_000
PART = (".fictilis-", ".part")  # how the name of a file that is being written begins and ends
FOLDER = ".folder"  # and of a folder beside it


class MeshData(Struct, frozen=True, eq=False, weakref=True):
    """One object as read from a file: points (n, 3) float64 in the file's order, and its faces or strands."""

    name: str
    points: np.ndarray
    geometry: Geometry
    colour: str | None = None
    smooth: bool = True


class Imported(Struct, frozen=True, eq=False, weakref=True):
    objects: tuple[MeshData, ...]
    warnings: tuple[str, ...] = field(default=())

    @property
    def are_lines(self) -> bool:
        """Whether there are several objects, all of them lines, which may as well be the strands of one."""
        return len(self.objects) > 1 and all(isinstance(data.geometry, Line) for data in self.objects)

    def together(self, name: str) -> Imported:
        """All lines as one, each with strands of its own; as it is where not all are lines."""
        lines = [data.geometry for data in self.objects if isinstance(data.geometry, Line)]
        if not self.are_lines or len(lines) != len(self.objects):
            return self
        counts = np.concatenate([line.counts for line in lines])
        line = Line(starts=np.cumsum([0, *counts]), closed=np.concatenate([line.closed for line in lines]))
        points = np.concatenate([data.points for data in self.objects])
        return Imported((MeshData(name, points, line, self.objects[0].colour),), self.warnings)


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


def doubles(values: np.ndarray) -> np.ndarray:
    """Numbers as float64. Bits that are no number stay so, without a word: readers look for them all the same."""
    with np.errstate(invalid="ignore"):
        return values.astype(np.float64)


def writable(scene: Scene, objects: Iterable[MorphObject], points: bool = False) -> tuple[list[MorphObject], list[str]]:
    """Those of ``objects`` that a file for other programs can hold, lines as they are drawn, and a sentence that names all
    others of the scene; where there is nothing else, and the file holds ``points`` alone, objects without faces. Raises
    EditRefused when there is none.
    """
    objects = list(objects)
    held = [obj for obj in objects if obj.geometry.face_count or isinstance(obj.geometry, Line)]
    held = held or [obj for obj in objects if points and len(obj.base)]
    if not held:
        raise EditRefused("There is nothing to export: no visible object has faces or strands.")
    curves = [obj.name for obj in held if isinstance(obj.geometry, Line) and obj.geometry.degree > 1]
    said = others_left_out(scene, held)
    if curves:
        said.append(f"As they are drawn, of more points, are written: {', '.join(curves)}.")
    return [as_drawn(obj) for obj in held], said


def others_left_out(scene: Scene, held: Collection[MorphObject]) -> list[str]:
    """A sentence that names the objects of a scene that are not among those that are written."""
    ids = {obj.id for obj in held}
    others = [obj.name for obj in scene.objects if obj.id not in ids]
    return [f"Hidden, not chosen or without faces, and so left out: {', '.join(others)}."] if others else []


def visible_objects(scene: Scene) -> tuple[list[MorphObject], list[str]]:
    """Those that are written where it does not matter what an object is made of, and a sentence on the others."""
    shown = [obj for obj in scene.objects if obj.visible]
    if not shown:
        raise EditRefused("There is nothing to export: no object is visible.")
    return shown, others_left_out(scene, shown)


def as_targets(scene: Scene) -> tuple[Scene, list[str]]:
    """What point springs and deformers do as targets of its own, with sentences on that. A clip that is not active goes
    without."""
    said = []
    for obj in scene.objects:
        parts = [d.kind for d in acting(obj)] + (["springs"] if obj.spring is not None and obj.spring.on else [])
        if not parts or not obj.visible:
            continue
        scene, made, off = bake_all(scene.with_object(replace(obj, locked=False)), obj.id)
        what = " and ".join([", ".join(parts[:-1]), parts[-1]] if len(parts) > 1 else parts)
        verb = "are" if parts[-1] == "springs" or len(parts) > 1 else "is"
        count = f"{len(made)} target{'' if len(made) == 1 else 's'}"
        said.append(f"The {what} of {obj.name} {verb} written as {count}, up to {in_cm(off)} off at frames.")
    if said and scene.clips:
        said.append("Clips that are not active are written without them.")
    return scene, said


def write_whole(path: Path, write: Callable[[Path], object]) -> None:
    """Let ``write`` fill a new file beside ``path``, then put it in its place; on failure the old file stays whole.

    A link is followed to the real file, whose owner and mode are kept; only a regular file is ever replaced.
    Raises CannotSave with what the system said.
    """
    path = Path(path)
    temporary, handle = None, -1
    try:
        place = Path(os.path.realpath(path))
        old = place.stat() if place.exists() else None
        if old is not None and not stat.S_ISREG(old.st_mode):
            raise CannotSave(f"{path} could not be saved: it is {_what(old.st_mode)}, not a file. Nothing was changed.")
        remove_leftovers(place.parent)
        handle, temporary = _part(place.parent)
        write(temporary)
        with open(temporary, "rb") as done:
            _hold(done.fileno())  # a writer may have put a file of its own there
            os.fsync(done.fileno())
            if old is not None and not os.access(place, os.W_OK):
                raise PermissionError(13, "the file is write-protected")
            _like(temporary, old)
            os.replace(temporary, place)
    except (OSError, RuntimeError, ValueError) as error:
        kept = " The file that was there is unchanged." if path.is_file() else ""
        said = reason(error) if isinstance(error, OSError) else plain_words(error)
        raise CannotSave(f"{path} could not be saved: {said}.{kept}") from None
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
            os.close(handle)


def _part(folder: Path) -> tuple[int, Path]:
    """A new hidden file in a folder, locked as long as its handle is open: the system lets go of it when a process dies."""
    while True:
        handle, name = tempfile.mkstemp(prefix=PART[0], suffix=PART[1], dir=folder)
        _hold(handle)
        if os.fstat(handle).st_nlink:  # else another process took it for a leftover before it was locked
            return handle, Path(name)
        os.close(handle)


@contextmanager
def folder_elsewhere() -> Iterator[Path]:
    """As folder_beside, where the system keeps what is temporary."""
    with tempfile.TemporaryDirectory(prefix="fictilis-") as folder:
        yield Path(folder)


def _hold(handle: int) -> None:
    with suppress(OSError):  # some file systems have no locks; there nothing is taken for a leftover either
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)


def remove_leftovers(folder: Path) -> None:
    """Remove the hidden files in a folder that a process which was killed left while it wrote."""
    with suppress(OSError):
        for part in folder.glob("*".join(PART)):
            with suppress(OSError), open(part, "rb") as left:
                fcntl.flock(left, fcntl.LOCK_EX | fcntl.LOCK_NB)  # refused while somebody writes it
                shutil.rmtree(part.with_suffix(FOLDER), ignore_errors=True)
                part.unlink()


@contextmanager
def folder_beside(part: Path) -> Iterator[Path]:
    """A hidden folder for a library that writes files of its own names, as long as ``part`` is being written."""
    folder = part.with_suffix(FOLDER)
    folder.mkdir()
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _like(new: Path, old: os.stat_result | None) -> None:
    """Give a new file the mode and the owner of the old one, as far as that is allowed."""
    if old is None:
        mask = os.umask(0)
        os.umask(mask)
        new.chmod(0o666 & ~mask)
        return
    with suppress(OSError):
        os.chown(new, old.st_uid, old.st_gid)
    new.chmod(stat.S_IMODE(old.st_mode))


def _what(mode: int) -> str:
    kinds = ((stat.S_ISDIR, "a folder"), (stat.S_ISFIFO, "a pipe"), (stat.S_ISSOCK, "a socket"))
    return next((words for tells, words in kinds if tells(mode)), "a device")


def is_text(path: Path) -> bool:
    """Whether a path can be told to a library that knows paths as text only."""
    try:
        return bool(str(path.resolve()).encode())
    except UnicodeEncodeError:
        return False


def plain_words(error: Exception) -> str:
    """What a library says was wrong, without where in its code: the first line of its own words."""
    words = re.search(r": '(.*)", str(error), re.DOTALL)
    lines = (words[1] if words else str(error)).strip().splitlines() or [""]
    return lines[0].strip(" '").rstrip(".")[:160] or "it is broken"


def reason(error: OSError) -> str:
    text = (error.strerror or str(error)).strip()
    return text[:1].lower() + text[1:]
