"""The native format: a zip of ``scene.json`` and ``arrays/*.npy``. Described in docs/file-format.md."""

from __future__ import annotations

import io
import zipfile
from functools import lru_cache
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from fictilis.core.ground.errors import BadFile, CannotSave, EditRefused, FictilisError, behind_a_colon
from fictilis.core.scene.rigs import Rig
from fictilis.core.scene.scene import Scene
from fictilis.core.validity.proportion import in_proportion, out_of_bounds
from fictilis.core.validity.scenes import check
from fictilis.formats.files import Progress, no_progress, read_bytes, write_whole
from fictilis.formats.native_migrations import VERSION, migrated
from fictilis.formats.native_records import ANY, record, record_of, value, with_seen_names, written

SUFFIX = ".fictilis"
GROWTH = 20  # a file may unpack to this many times its own size, and a megabyte


class _Stored:
    """The arrays of a scene that is written, each once, and the rigs that its objects hang on, in the order of these."""

    def __init__(self, scene: Scene) -> None:
        skins = [obj.skin for obj in scene.objects if obj.skin is not None]
        self.rigs = list({id(skin.rig): skin.rig for skin in skins}.values())
        self.arrays: dict[int, tuple[str, np.ndarray]] = {}

    def store(self, array: np.ndarray) -> str:
        return self.arrays.setdefault(id(array), (f"arrays/{len(self.arrays)}.npy", array))[0]


def write_native(path: Path, scene: Scene, progress: Progress = no_progress) -> None:
    """Save a scene, whole or not at all. Raises CannotSave."""
    try:
        check(scene)
    except EditRefused as why:  # it could not be opened again
        raise CannotSave(f"{path} could not be saved: {behind_a_colon(why)}. Nothing was changed.") from None
    stored = _Stored(scene)
    told = record(scene, stored, schema=VERSION, rigs=written(tuple(stored.rigs), stored))
    text = msgspec.json.format(msgspec.json.encode(told, enc_hook=_plain), indent=1)

    def write(temporary: Path) -> None:
        with zipfile.ZipFile(temporary, "w", zipfile.ZIP_STORED) as archive:
            # a fixed date: the format has none before 1980 or after 2107, and the same scene makes the same file
            archive.writestr(zipfile.ZipInfo("scene.json"), text)
            for number, (name, array) in enumerate(stored.arrays.values()):
                with archive.open(zipfile.ZipInfo(name), "w", force_zip64=True) as entry:
                    np.lib.format.write_array(entry, array, allow_pickle=False)
                progress((number + 1) / len(stored.arrays))

    write_whole(Path(path), write)


def _plain(number: object) -> object:
    """A scalar of NumPy's as one of Python's."""
    if isinstance(number, np.generic):
        return number.item()
    raise TypeError(f"{type(number).__name__} cannot stand in a scene file")


class _Schema(msgspec.Struct):
    schema: int


class _Archive:
    """Reads entries of a scene file, every length checked before anything of that length is made."""

    def __init__(self, path: Path, progress: Progress) -> None:
        self.path, self.progress = path, progress
        self.rigs: list[Rig] = []
        data = read_bytes(path)
        if not data:
            raise self.fail("it is empty")
        try:
            self.zip = zipfile.ZipFile(io.BytesIO(data))
        except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError):
            raise self.fail("it is no scene file, or it was cut off") from None
        entries = self.zip.infolist()
        total = sum(entry.file_size for entry in entries)
        if total > GROWTH * len(data) + 1_000_000:
            raise self.fail(f"it would unpack to {total:,} bytes, from {len(data):,}")
        for entry in entries:
            name = entry.filename
            if name.startswith("/") or ".." in name.split("/") or "\\" in name or ":" in name:
                raise self.fail(f"it names a place outside of itself, “{name[:60]}”")
        self.entries = {entry.filename: entry for entry in entries}
        self.arrays: dict[tuple[str, str], np.ndarray] = {}

    def fail(self, what: str) -> BadFile:
        return BadFile(f"{self.path.name} cannot be opened: {what}.")

    def bytes(self, name: str) -> bytes:
        entry = self.entries.get(name)
        if entry is None:
            raise self.fail(f"its part {name[:60]} is missing")
        try:
            with self.zip.open(entry) as stream:
                data = stream.read(entry.file_size + 1)
        except Exception:  # noqa: BLE001 - a broken entry raises whatever its codec raises
            raise self.fail(f"its part {name} is damaged") from None
        if len(data) != entry.file_size:
            raise self.fail(f"its part {name} has another length than it says")
        return data

    def array(self, name: str, dtype: str, width: int | None = None) -> np.ndarray:
        key = (name, dtype)
        if key not in self.arrays:
            self.arrays[key] = self._read(name, dtype)
            self.progress(min(len(self.arrays) / len(self.entries), 1.0))
        array = self.arrays[key]
        if array.ndim != (1 if width is None else 2) or (width not in (None, ANY) and array.shape[1] != width):
            raise self.fail(f"its part {name} is shaped {array.shape}")
        wrong = out_of_bounds(array)
        if wrong:
            raise self.fail(f"its part {name} {wrong}")
        return array

    def _read(self, name: str, dtype: str) -> np.ndarray:
        data = self.bytes(name)
        try:
            begins, shape, fortran, found = _header(data[: data.index(b"\n") + 1])
        except Exception:  # noqa: BLE001 - and so does NumPy's reader of headers
            raise self.fail(f"its part {name} is no array") from None
        if found != np.dtype(dtype) or fortran:
            raise self.fail(f"its part {name} holds {found} where {dtype} is needed")
        count = 1
        for size in shape:
            count *= size
        if count * found.itemsize != len(data) - begins:
            raise self.fail(f"its part {name} says it is shaped {shape}, but has another length")
        return np.frombuffer(data, found, count, begins).reshape(shape)


@lru_cache(1000)  # many arrays begin alike, and to read it takes longer than all the rest
def _header(data: bytes) -> tuple[int, tuple[int, ...], bool, np.dtype]:
    """Where the numbers of an .npy begin, their shape, whether columns come first, and their type."""
    stream = io.BytesIO(data)
    version = np.lib.format.read_magic(stream)
    reader = {(1, 0): np.lib.format.read_array_header_1_0, (2, 0): np.lib.format.read_array_header_2_0}[version]
    shape, fortran, found = reader(stream)
    return stream.tell(), shape, fortran, found


def read_native(path: Path, progress: Progress = no_progress) -> Scene:
    """Open a scene. Raises BadFile with one sentence when any part of it is missing, damaged or impossible."""
    archive = _Archive(Path(path), progress)
    text = archive.bytes("scene.json")
    try:
        schema = msgspec.json.decode(text, type=_Schema).schema
        if schema > VERSION:
            raise archive.fail(f"it is of version {schema}, and this Fictilis reads up to {VERSION}")
        if schema < 1:
            raise archive.fail(f"there is no version {schema} of scene files")
        if schema == VERSION:
            told: Any = msgspec.json.decode(text, type=record_of(Scene))
        else:
            told = msgspec.convert(migrated(msgspec.json.decode(text), schema), record_of(Scene))
        in_proportion(told)
        with_seen_names(told)
        archive.rigs = [value(Rig, rig, archive) for rig in told.rigs]
        scene: Scene = value(Scene, told, archive)
        check(scene)
        return scene
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise archive.fail(f"its scene.json is wrong ({error})") from None
    except BadFile:
        raise
    except (FictilisError, ValueError) as error:
        raise archive.fail(behind_a_colon(error)) from None
