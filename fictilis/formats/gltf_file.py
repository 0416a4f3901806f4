"""The container of glTF 2.0: a file's JSON and its numbers, every count and index checked before it is believed.

Source: glTF 2.0 specification (Khronos Group), 3.6 (binary data), 4 (GLB).
"""

from __future__ import annotations

import base64
import binascii
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import msgspec
import numpy as np

from fictilis.core.ground.errors import BadFile
from fictilis.formats.files import doubles, read_bytes

COMPONENTS = {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
KNOWN = {"KHR_mesh_quantization", "KHR_materials_unlit", "KHR_texture_transform", "KHR_lights_punctual",
         "KHR_node_visibility"}  # fmt: skip
COMPRESSED = {"KHR_draco_mesh_compression": "Draco", "EXT_meshopt_compression": "meshopt"}
JSON_CHUNK, BIN_CHUNK = 0x4E4F534A, 0x004E4942
Record = dict[str, Any]


Bytes = bytes | memoryview


class Sparse:
    """An accessor's numbers: dense (n, w) float64 or integers, or None where all but some rows are 0; those rows ``at`` (k,)
    have ``rows`` (k, w)."""

    def __init__(self, count: int, dense: np.ndarray | None, at: np.ndarray, rows: np.ndarray) -> None:
        self.count, self.dense, self.at, self.rows = count, dense, at, rows


class GltfFile:
    """A file that was read. Raises BadFile, with what is wrong and where, as soon as anything is asked that is."""

    def __init__(self, path: Path) -> None:
        self.path, self.name = Path(path), Path(path).name
        data = read_bytes(self.path)
        self.size = len(data)
        text, self._bin = self._chunks(data) if data[:4] == b"glTF" else (data, None)
        try:
            self.json = msgspec.json.decode(text)
        except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
            raise self.fail(f"its JSON is wrong ({error})") from None
        if not isinstance(self.json, dict):
            raise self.fail("its JSON is no object")
        version = self.part(self.json, "asset", dict, {}).get("version")
        if version not in ("2.0", "2"):
            raise self.fail(f"it is of version {str(version)[:10]}; 2.0 is read")
        for extension in self.part(self.json, "extensionsRequired", list, []):
            if extension in COMPRESSED:
                raise self.fail(f"its meshes are packed by {COMPRESSED[extension]} ({extension}), which is not read here")
            if extension not in KNOWN:
                raise self.fail(f"it cannot be understood without {str(extension)[:40]}, which is not known here")
        self._buffers: dict[int, Bytes] = {}
        self._read: dict[int, Sparse] = {}

    def fail(self, what: str) -> BadFile:
        return BadFile(f"{self.name} cannot be read: {what}.")

    def _chunks(self, data: bytes) -> tuple[Bytes, Bytes | None]:
        numbers = np.frombuffer(data[:12], "<u4") if len(data) >= 12 else np.zeros(3, np.uint32)
        if numbers[1] != 2:
            raise self.fail(f"it is of version {numbers[1]} of GLB; 2 is read")
        found: dict[int, Bytes] = {}
        at = 12
        while at + 8 <= min(len(data), int(numbers[2])):
            length, kind = (int(v) for v in np.frombuffer(data[at : at + 8], "<u4"))
            if at + 8 + length > len(data):
                raise self.fail(f"it ends after {len(data):,} bytes; a part of {length:,} begins at {at:,}")
            found.setdefault(kind, memoryview(data)[at + 8 : at + 8 + length])
            at += 8 + length
        if JSON_CHUNK not in found:
            raise self.fail("it has no JSON part")
        return found[JSON_CHUNK], found.get(BIN_CHUNK)

    # records

    def listed_texts(self, name: str) -> list[str]:
        """The texts of a list in the file itself."""
        return [text[:60] for text in self.part(self.json, name, list, []) if isinstance(text, str)]

    def part(self, record: Record, name: str, kind: type, otherwise: Any) -> Any:
        value = record.get(name, otherwise)
        if value is not otherwise and (not isinstance(value, kind) or kind is int and isinstance(value, bool)):
            raise self.fail(f"its “{name}” is no {kind.__name__}")
        return value

    def records(self, kind: str) -> list[Record]:
        """All of one kind: nodes, meshes, animations …"""
        found = self.part(self.json, kind, list, [])
        if not all(isinstance(record, dict) for record in found):
            raise self.fail(f"one of its {kind} is no object")
        return found

    def record(self, kind: str, number: Any) -> Record:
        known = self.records(kind)
        if not isinstance(number, int) or isinstance(number, bool) or not 0 <= number < len(known):
            raise self.fail(f"it names number {str(number)[:12]} of its {len(known)} {kind}")
        return known[number]

    def text(self, record: Record, name: str = "name") -> str:
        value = record.get(name)
        return value if isinstance(value, str) else ""

    def listed(self, record: Record, name: str) -> list[Record]:
        """A list of objects within a record."""
        found = self.part(record, name, list, [])
        if not all(isinstance(part, dict) for part in found):
            raise self.fail(f"its “{name}” holds what is no object")
        return found

    def numbers(self, record: Record, name: str, count: int | None, otherwise: list[float]) -> np.ndarray:
        """A short list of finite numbers."""
        value = record.get(name, otherwise)
        good = isinstance(value, list) and all(isinstance(v, int | float) and not isinstance(v, bool) for v in value)
        if not good or count is not None and len(value) != count:
            raise self.fail(f"its “{name}” is no list of {count if count is not None else ''} numbers".replace("  ", " "))
        out = np.array(value, np.float64)
        if not np.isfinite(out).all() or (np.abs(out) > 1e12).any():
            raise self.fail(f"its “{name}” holds numbers that are too large")
        return out

    def whole(self, record: Record, name: str, otherwise: int = 0, most: int = 2**40) -> int:
        value = self.part(record, name, int, otherwise)
        if not 0 <= value <= most:
            raise self.fail(f"its “{name}” is {value}")
        return int(value)

    # bytes

    def _buffer(self, number: Any) -> Bytes:
        record = self.record("buffers", number)
        if number not in self._buffers:
            uri, length = record.get("uri"), self.whole(record, "byteLength")
            if uri is None:
                data = self._bin if number == 0 and self._bin is not None else b""
            else:
                data = self.resource(uri)
            if len(data) < length:
                raise self.fail(f"buffer {number} has {len(data):,} bytes; {length:,} are needed")
            self._buffers[number] = data
        return self._buffers[number]

    def resource(self, uri: Any) -> bytes:
        """What a URI names: data within, or a file beside this one."""
        if not isinstance(uri, str):
            raise self.fail("a URI is no text")
        if uri.startswith("data:"):
            head, _, body = uri.partition(",")
            if not head.endswith(";base64"):
                raise self.fail("data within it is not in base64")
            try:
                return base64.b64decode(body, validate=True)
            except (binascii.Error, ValueError):
                raise self.fail("data within it is not in base64") from None
        folder = self.path.parent.resolve()
        try:
            place = (folder / unquote(uri)).resolve()
            inside = place.is_relative_to(folder)
        except (OSError, ValueError):
            inside = False
        if not inside or ":" in uri.split("/")[0]:
            raise self.fail(f"it asks for “{uri[:60]}”, which is not in its folder")
        return read_bytes(place)

    def view(self, number: Any) -> tuple[Bytes, int, int, int]:
        """A buffer, where a view of it begins, its length and its stride (0 where it has none)."""
        record = self.record("bufferViews", number)
        data = self._buffer(record.get("buffer"))
        start, length = self.whole(record, "byteOffset"), self.whole(record, "byteLength")
        if start + length > len(data):
            raise self.fail(f"a view of {length:,} bytes begins at {start:,} of {len(data):,}")
        return data, start, length, self.whole(record, "byteStride", most=252)

    def _array(self, view: Any, offset: int, count: int, kind: int, width: int) -> np.ndarray:
        """(count, width): numbers of a view as they are stored."""
        data, start, length, stride = self.view(view)
        if kind not in COMPONENTS:
            raise self.fail(f"it stores numbers of the kind {str(kind)[:12]}")
        dtype = np.dtype(COMPONENTS[kind])
        row = dtype.itemsize * width
        stride = max(stride, row) if stride else row
        if count and offset + stride * (count - 1) + row > length:
            raise self.fail(f"{count:,} rows of {row} bytes do not fit into a view of {length:,}")
        if not count:
            return np.zeros((0, width), dtype)
        return np.ndarray((count, width), dtype, data, start + offset, (stride, dtype.itemsize))

    def accessor(self, number: Any, kinds: tuple[str, ...], raw: bool = False) -> Sparse:
        """The numbers of an accessor of one of some types as float64, those that are normalized brought to -1…1 or 0…1.
        ``raw`` leaves floats in the precision that they are stored in; what is read once need not be kept then."""
        record = self.record("accessors", number)
        kind = self.text(record, "type")
        if kind not in kinds or kind not in WIDTHS:
            raise self.fail(f"accessor {number} is a {kind[:12] or 'nothing'}, not a {' or '.join(kinds)}")
        if number in self._read:
            return self._read[number]
        count, width = self.whole(record, "count"), WIDTHS[kind]
        component = record.get("componentType", 0)
        dense = None
        if "bufferView" in record:
            stored = self._array(record["bufferView"], self.whole(record, "byteOffset"), count, component, width)
            dense = self._values(stored, record, number, raw)
        at, rows = np.zeros(0, np.int64), np.zeros((0, width))
        if "sparse" in record:
            sparse = self.part(record, "sparse", dict, {})
            some = self.whole(sparse, "count", most=count)
            where, values = (self.part(sparse, name, dict, {}) for name in ("indices", "values"))
            places = self._array(
                where.get("bufferView"), self.whole(where, "byteOffset"), some, where.get("componentType", 0), 1
            )
            at = places[:, 0].astype(np.int64)
            if len(at) and (at.min() < 0 or at.max() >= count or (np.diff(at) <= 0).any()):
                raise self.fail(f"the sparse rows of accessor {number} are not rising, or beyond {count:,}")
            stored = self._array(values.get("bufferView"), self.whole(values, "byteOffset"), some, component, width)
            rows = self._values(stored, record, number, raw)
            if dense is not None:
                dense = dense.copy()
                dense[at] = rows
                at, rows = np.zeros(0, np.int64), np.zeros((0, width))
        found = Sparse(count, dense, at, rows)
        return found if raw else self._read.setdefault(number, found)

    def _values(self, stored: np.ndarray, record: Record, number: Any, raw: bool) -> np.ndarray:
        """Stored numbers as float64. Source: glTF 2.0, 3.11 and KHR_mesh_quantization, the equations of normalized integers."""
        out = stored if raw and stored.dtype.kind == "f" else doubles(stored)
        if record.get("normalized") is True and stored.dtype.kind in "iu":
            out = np.maximum(out / np.iinfo(stored.dtype).max, -1.0)
        if stored.dtype.kind == "f" and not np.isfinite(out).all():
            raise self.fail(f"accessor {number} holds numbers that are not finite")
        return out

    def dense(self, number: Any, *kinds: str) -> np.ndarray:
        """(n, w) float64, of an accessor that must be backed by bytes, wholly or in a few rows of a short one."""
        found = self.accessor(number, kinds)
        if found.dense is not None:
            return found.dense
        if found.count * found.rows.shape[1] * 8 > 10 * self.size:
            raise self.fail(f"accessor {number} has {found.count:,} rows, and no bytes for them")
        out = np.zeros((found.count, found.rows.shape[1]))
        out[found.at] = found.rows
        return out
