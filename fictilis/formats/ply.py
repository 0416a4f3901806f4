"""PLY, in and out: polygons of any size in vertex order, as text or binary.

Source: Greg Turk, The PLY Polygon File Format (1994).
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from msgspec import Struct

from fictilis.core.geometry.kinds import Line, Mesh
from fictilis.core.ground.affine import rgb
from fictilis.core.ground.errors import BadFile, EditRefused
from fictilis.formats.files import Imported, MeshData, Progress, doubles, no_progress, read_bytes, write_whole

TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2", "uint16": "u2",
    "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4", "double": "f8", "float64": "f8",
}  # fmt: skip
ORDERS = {"ascii": "", "binary_little_endian": "<", "binary_big_endian": ">"}
LONGEST_HEADER = 100_000
FAR = 1e12
COLOURS = ("red", "green", "blue")
_Lists = tuple[np.ndarray, np.ndarray]  # corners and offsets


class _Property(Struct):
    name: str
    kind: str
    counted_by: str = ""  # of a list


class _Element(Struct):
    name: str
    count: int
    properties: list[_Property]


class _Reader:
    def __init__(self, path: Path) -> None:
        self.path, self.data = path, read_bytes(path)
        self.elements: list[_Element] = []
        self.order = ""
        self.colour: tuple[str | None, bool] = (None, False)  # and whether it varies
        self.at = self._header()

    def fail(self, what: str) -> BadFile:
        return BadFile(f"{self.path.name} cannot be read as PLY: {what}.")

    def _header(self) -> int:
        end = self.data.find(b"end_header", 0, LONGEST_HEADER)
        if not self.data.startswith(b"ply") or end < 0:
            raise self.fail("it does not begin with a header")
        stop = self.data.find(b"\n", end) + 1 or len(self.data)
        for number, line in enumerate(self.data[:end].decode("ascii", "replace").splitlines()[1:], 2):
            words = line.split()
            if not words or words[0] in ("comment", "obj_info"):
                continue
            if words[0] == "format" and len(words) == 3 and words[1] in ORDERS:
                self.order = words[1]
            elif words[0] == "element" and len(words) == 3 and words[2].isdigit():
                self.elements.append(_Element(words[1], int(words[2]), []))
            elif words[0] == "property" and self.elements and len(words) == 3 and words[1] in TYPES:
                self.elements[-1].properties.append(_Property(words[2], TYPES[words[1]]))
            elif words[:2] == ["property", "list"] and self.elements and len(words) == 5 and {*words[2:4]} <= set(TYPES):
                counted = TYPES[words[2]]
                if counted[0] == "f":
                    raise self.fail(f"line {number}: a list is counted in {words[2]}")
                self.elements[-1].properties.append(_Property(words[4], TYPES[words[3]], counted))
            else:
                raise self.fail(f"line {number} says “{line.strip()[:60]}”")
        if not self.order:
            raise self.fail("it does not say its format")
        return stop

    def read(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Points (n, 3), corners (c,) and offsets (m + 1,)."""
        points, corners, offsets = np.zeros((0, 3)), np.zeros(0, np.int64), np.zeros(1, np.int64)
        cells = self._words() if self.order == "ascii" else None
        for element in self.elements:
            flat, rows = self._text(element, cells) if cells is not None else self._binary(element)
            if element.name == "vertex":
                points = np.stack([self._column(element, flat, axis) for axis in "xyz"], axis=1)
                self._colours(element, flat)
            elif element.name == "face" and rows is not None:
                corners, offsets = rows
        if not len(points):
            raise self.fail("it has no points")
        if not np.isfinite(points).all() or (np.abs(points) > FAR).any():
            raise self.fail("it holds numbers that are too large")
        if len(corners) and (corners.min() < 0 or corners.max() >= len(points)):
            raise self.fail(f"a face uses point {int(corners.max()):,} of {len(points):,}")
        return points, corners, offsets

    def _colours(self, element: _Element, flat: dict[str, np.ndarray]) -> None:
        """What colour the points have: whole numbers are of 255, others of 1."""
        if not element.count or any(part not in flat for part in COLOURS):
            return
        kinds = {p.name: p.kind for p in element.properties}
        most = 1.0 if kinds["red"][0] == "f" else float(np.iinfo(np.dtype(kinds["red"])).max)
        rows = np.stack([doubles(flat[part]) for part in COLOURS], axis=1) / most
        if np.isfinite(rows).all():
            mean = np.round(np.clip(rows, 0, 1).mean(axis=0) * 255).astype(int)
            self.colour = "#" + "".join(f"{part:02X}" for part in mean), bool(np.ptp(rows, axis=0).max() > 1 / 128)

    def _column(self, element: _Element, flat: dict[str, np.ndarray], name: str) -> np.ndarray:
        if name not in flat:
            raise self.fail(f"its points have no {name}")
        return doubles(flat[name])

    def _words(self) -> list[bytes]:
        return self.data[self.at :].split()

    def _text(self, element: _Element, cells: list[bytes]) -> tuple[dict[str, np.ndarray], _Lists | None]:
        """One element's numbers, taken from the front of what is left."""
        lists = [p for p in element.properties if p.counted_by]
        start = getattr(self, "_next", 0)
        wide = len(element.properties)
        try:
            if not lists:
                if element.count * wide > len(cells) - start:
                    raise self.fail(f"it ends before its {element.count:,} {element.name}")
                table = np.array(cells[start : start + element.count * wide], dtype=np.float64).reshape(element.count, wide)
                self._next = start + element.count * wide
                return {p.name: table[:, n] for n, p in enumerate(element.properties)}, None
            corners: list[int] = []
            sizes: list[int] = []
            for _ in range(element.count):
                for p in element.properties:
                    if not p.counted_by:
                        start += 1
                        continue
                    size = int(cells[start])
                    if size < 0 or start + 1 + size > len(cells):
                        raise self.fail(f"it ends before its {element.count:,} {element.name}")
                    if p is lists[0]:
                        corners += map(int, cells[start + 1 : start + 1 + size])
                        sizes.append(size)
                    start += 1 + size
            self._next = start
        except (ValueError, IndexError):
            raise self.fail(f"one of its {element.name} is no number, or it ends too early") from None
        return {}, (np.array(corners, np.int64), np.concatenate([[0], np.cumsum(np.array(sizes, np.int64))]))

    def _binary(self, element: _Element) -> tuple[dict[str, np.ndarray], _Lists | None]:
        order = ORDERS[self.order]
        lists = [p for p in element.properties if p.counted_by]
        short = self.fail(f"it ends before its {element.count:,} {element.name}")
        if not lists:
            kind = np.dtype([(f"{n}", order + p.kind) for n, p in enumerate(element.properties)])
            if kind.itemsize * element.count > len(self.data) - self.at:
                raise short
            table = np.frombuffer(self.data, kind, element.count, self.at)
            self.at += kind.itemsize * element.count
            return {p.name: table[f"{n}"] for n, p in enumerate(element.properties)}, None
        alike = self._alike(element, order)
        if alike is not None:
            return {}, alike
        corners, sizes = [], []
        for _ in range(element.count):
            for p in element.properties:
                counted = np.dtype(order + (p.counted_by or p.kind))
                if self.at + counted.itemsize > len(self.data):
                    raise short
                first = np.frombuffer(self.data, counted, 1, self.at)[0]
                self.at += counted.itemsize
                if not p.counted_by:
                    continue
                size, kind = int(first), np.dtype(order + p.kind)
                if size < 0 or self.at + size * kind.itemsize > len(self.data):
                    raise short
                if p is lists[0]:
                    corners.append(np.frombuffer(self.data, kind, size, self.at).astype(np.int64))
                    sizes.append(size)
                self.at += size * kind.itemsize
        flat = np.concatenate(corners) if corners else np.zeros(0, np.int64)
        return {}, (flat, np.concatenate([[0], np.cumsum(np.array(sizes, np.int64))]))

    def _alike(self, element: _Element, order: str) -> _Lists | None:
        """The lists of an element at once, where it has one alone and all are of one length."""
        if len(element.properties) != 1 or not element.count:
            return None
        (p,) = element.properties
        counted = np.dtype(order + p.counted_by)
        if self.at + counted.itemsize > len(self.data):
            return None
        size = int(np.frombuffer(self.data, counted, 1, self.at)[0])
        if not 0 < size < 1000:
            return None
        kind = np.dtype([("count", counted), ("rows", order + p.kind, (size,))])
        if kind.itemsize * element.count > len(self.data) - self.at:
            return None
        table = np.frombuffer(self.data, kind, element.count, self.at)
        if (table["count"] != size).any():
            return None
        self.at += kind.itemsize * element.count
        return table["rows"].astype(np.int64).ravel(), np.arange(element.count + 1) * size


def read_ply(path: Path, progress: Progress = no_progress) -> Imported:
    """The mesh of a PLY file, its points in the file's order. Raises BadFile."""
    path = Path(path)
    reader = _Reader(path)
    points, corners, offsets = reader.read()
    progress(0.9)
    sizes, said = np.diff(offsets), []
    colour, varies = reader.colour
    if varies:
        said.append(f"{path.name}: its colours vary from point to point; an object has one, their mean.")
    if (sizes < 3).any():
        said.append(f"{path.name}: {int((sizes < 3).sum()):,} faces of fewer than three points were left out.")
        corners = corners[np.repeat(sizes > 2, sizes)]
        offsets = np.concatenate([[0], np.cumsum(sizes[sizes > 2])])
    return Imported((MeshData(path.stem, points, Mesh(len(points), corners, offsets), colour),), tuple(said))


def write_ply(path: Path, objects: list[MeshData], note: str = "") -> None:
    """All meshes as one, in binary, with the colour of each at its points where one is told. Raises CannotSave."""
    meshes = [data for data in objects if not isinstance(data.geometry, Line)]
    if not meshes:
        raise EditRefused("There is nothing to export: PLY holds meshes only, and none is visible.")
    starts = np.cumsum([0, *(len(data.points) for data in meshes)])
    corners = np.concatenate([d.geometry.corners.astype(np.int64) + s for d, s in zip(meshes, starts, strict=False)])
    sizes = np.concatenate([data.geometry.face_sizes for data in meshes])
    coloured = all(data.colour for data in meshes)
    table = np.zeros(starts[-1], [("xyz", "<f8", 3), *([("rgb", "u1", 3)] if coloured else [])])
    for data, start in zip(meshes, starts, strict=False):
        table["xyz"][start : start + len(data.points)] = data.points
        if coloured:
            table["rgb"][start : start + len(data.points)] = np.round(np.array(rgb(data.colour or "")) * 255)
    head = [
        "ply", "format binary_little_endian 1.0", f"comment Fictilis: {note}", f"element vertex {len(table)}",
        *(f"property double {axis}" for axis in "xyz"),
        *((f"property uchar {part}" for part in COLOURS) if coloured else ()),
        f"element face {len(sizes)}", "property list uint int vertex_indices", "end_header",
    ]  # fmt: skip
    body = np.insert(corners.astype("<i4"), np.concatenate([[0], np.cumsum(sizes)[:-1]]).astype(int), sizes.astype("<i4"))
    whole = "\n".join(head).encode("ascii", "replace") + b"\n" + table.tobytes() + body.astype("<i4").tobytes()
    write_whole(Path(path), lambda temporary: temporary.write_bytes(whole))
