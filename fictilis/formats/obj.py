"""Wavefront OBJ, in and out: polygons of any size, vertex order and count, UVs with their own seams.

Source: Object Files (.obj), Wavefront Technologies, appendix B1 (the published file specification).
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from msgspec import Struct, field

from fictilis.core.geometry.kinds import Line, Mesh
from fictilis.core.ground.arrays import distinct
from fictilis.core.ground.errors import BadFile
from fictilis.formats.files import Imported, MeshData, Progress, no_progress, read_bytes, write_whole
from fictilis.formats.line_rows import line_of

IGNORED = {"vn", "vp", "g", "mg", "p", "curv", "curv2", "surf", "cstype", "deg", "bmat", "step", "parm", "trim",
           "hole", "scrv", "sp", "end", "con", "bevel", "c_interp", "d_interp", "lod", "shadow_obj", "trace_obj",
           "ctech", "stech", "maplib", "usemap", "call", "csh", "fcurv", "str"}  # fmt: skip
FAR = 1e9
LARGEST_LIBRARY = 16_000_000
LOST = {"p": "loose points", "curv": "curves", "surf": "surfaces"}


class _Part(Struct):
    name: str
    first_point: int
    corners: list[int] = field(default_factory=list)
    uv_corners: list[int] = field(default_factory=list)
    sizes: list[int] = field(default_factory=list)
    strands: list[list[int]] = field(default_factory=list)
    material: str | None = None
    smooth: bool = True


class _Reader:
    def __init__(self, path: Path) -> None:
        self.path = path
        self.points: list[tuple[float, float, float]] = []
        self.uvs: list[tuple[float, float]] = []
        self.parts = [_Part(path.stem, 0)]
        self.named = False
        self.libraries: list[str] = []
        self.lost: dict[str, int] = {}

    def fail(self, line: int, what: str) -> BadFile:
        return BadFile(f"{self.path.name}, line {line:,}: {what}")

    def read(self, data: bytes, progress: Progress) -> None:
        data = data.removeprefix(b"\xef\xbb\xbf")  # a byte order mark
        lines = data.replace(b"\\\r\n", b" ").replace(b"\\\n", b" ").splitlines()
        for number, raw in enumerate(lines, 1):
            if number % 20000 == 0:
                progress(number / len(lines))
            words = raw.split(b"#", 1)[0].split()
            if not words:
                continue
            kind = words[0]
            if kind == b"v":
                self.points.append(self.floats(number, words, 3))
            elif kind == b"f":
                self.face(number, words)
            elif kind == b"vt":
                self.uvs.append(self.floats(number, words, 2))
            elif kind not in (b"vn", b"g"):
                self.statement(number, kind.decode("ascii", "replace"), raw)

    def floats(self, line: int, words: list[bytes], count: int) -> tuple[Any, ...]:
        if len(words) == 2 and count == 2:
            words = [*words, b"0"]  # a texture coordinate may come alone
        if len(words) <= count:
            raise self.fail(line, f"{len(words) - 1} numbers where {count} are needed.")
        try:
            values = tuple(float(word) for word in words[1 : count + 1])
        except ValueError:
            raise self.fail(line, "a coordinate is not a number.") from None
        if not all(abs(value) <= FAR for value in values):
            raise self.fail(line, f"a coordinate is not a finite number up to {FAR:g}.")
        return values

    def face(self, line: int, words: list[bytes]) -> None:
        part = self.parts[-1]
        if len(words) < 4:
            raise self.fail(line, f"a face of {len(words) - 1} points; it needs at least 3.")
        for word in words[1:]:
            fields = word.split(b"/")
            part.corners.append(self.index(line, fields[0], len(self.points), "point"))
            has_uv = len(fields) > 1 and fields[1]
            part.uv_corners.append(self.index(line, fields[1], len(self.uvs), "texture coordinate") if has_uv else -1)
        part.sizes.append(len(words) - 1)

    def index(self, line: int, word: bytes, known: int, what: str) -> int:
        try:
            number = int(word)
        except ValueError:
            raise self.fail(line, f"“{word[:20].decode('utf-8', 'replace')}” is no {what} number.") from None
        index = number - 1 if number > 0 else known + number
        # a positive index may name a later line; only the end of the file can tell
        if number == 0 or index < 0 or index >= 2**31 - 1:
            raise self.fail(line, f"a face uses {what} {number}, but the file has {known:,} up to there.")
        return index

    def statement(self, line: int, kind: str, raw: bytes) -> None:
        rest = raw.decode("utf-8", "replace").split("#", 1)[0].strip()[len(kind) :].strip()
        part = self.parts[-1]
        if kind == "o":
            if not self.named and not part.sizes and not part.strands:
                self.parts[-1] = _Part(rest or part.name, 0, material=part.material, smooth=part.smooth)
            else:
                self.parts.append(_Part(rest or f"{self.path.stem} {len(self.parts) + 1}", len(self.points)))
            self.named = True
        elif kind == "usemtl":
            part.material = part.material or rest
        elif kind == "mtllib":
            self.libraries.append(rest)
        elif kind == "s":
            part.smooth = rest not in ("off", "0")
        elif kind == "l":
            words = rest.encode().split()
            if len(words) < 2:
                raise self.fail(line, f"a line of {len(words)} points; it needs at least 2.")
            part.strands.append([self.index(line, w.split(b"/")[0], len(self.points), "point") for w in words])
        elif kind in LOST:
            self.lost[LOST[kind]] = self.lost.get(LOST[kind], 0) + 1
        elif kind not in IGNORED:
            raise self.fail(line, f"“{kind[:20]}” is not a statement of an OBJ file.")


def read_obj(path: Path, progress: Progress = no_progress) -> Imported:
    """Every object of an OBJ file, with its points in file order.

    A point belongs to the object it stands under, and to every other object whose faces use it.
    Raises BadFile naming the line.
    """
    path = Path(path)
    data = read_bytes(path)
    reader = _Reader(path)
    if b"\0" in data[:4096]:
        raise BadFile(f"{path.name} is not an OBJ file: it holds binary data.")
    reader.read(data, progress)
    if not reader.points:
        raise BadFile(f"{path.name} holds no points; it is not an OBJ file with a mesh.")
    points = np.array(reader.points, np.float64)
    uvs = np.array(reader.uvs, np.float64).reshape(-1, 2)
    warnings = [f"{path.name}: {count} {what} were left out." for what, count in reader.lost.items()]
    colours = _materials(reader, warnings)
    parts = [p for p in reader.parts if p.sizes] or ([] if any(p.strands for p in reader.parts) else reader.parts[:1])
    ends = [p.first_point for p in reader.parts[1:]] + [len(points)]
    stops = {id(part): end for part, end in zip(reader.parts, ends, strict=True)}
    objects, alone = [], sum(bool(p.sizes or p.strands) for p in reader.parts) < 2
    lines_before = any(p.strands for p in reader.parts[: reader.parts.index(parts[0])]) if parts else False
    for number, part in enumerate(parts):
        own = (part.first_point if number or lines_before else 0, stops[id(part)])
        objects.append(_mesh_data(reader, part, points, uvs, own, alone, colours))
    objects += [_line_data(path, part, points, colours) for part in reader.parts if part.strands]
    return Imported(tuple(objects), tuple(warnings))


def _line_data(path: Path, part: _Part, points: np.ndarray, colours: dict[str, str]) -> MeshData:
    """The lines of an object: those that meet end to end become one strand, where no more than two meet in a point."""
    most = max(max(strand) for strand in part.strands)
    if most >= len(points):
        raise BadFile(f"{path.name}: a line of {part.name} uses point {most + 1:,}, but the file has {len(points):,}.")
    made = line_of(part.strands)
    if made is None:
        raise BadFile(f"{path.name}: the lines of {part.name} have no two points that differ.")
    order, line = made
    name = f"{part.name} lines" if part.sizes else part.name
    return MeshData(name, points[order], line, colours.get(part.material or ""))


def _mesh_data(
    reader: Any, part: _Part, points: Any, uvs: Any, own: tuple[int, int], alone: bool, colours: dict[str, Any]
) -> MeshData:
    corners = np.array(part.corners, np.int64)
    uv_corners = np.array(part.uv_corners, np.int64)
    for index, known, what in ((corners, len(points), "point"), (uv_corners, len(uvs), "texture coordinate")):
        if len(index) and index.max() >= known:
            raise BadFile(
                f"{reader.path.name}: a face of {part.name} uses {what} {index.max() + 1:,}, but the file has {known:,}."
            )
    if alone:
        local = corners
    else:
        used = np.union1d(np.arange(*own), corners)
        if own[0] == 0 and own[1] == len(points) and len(distinct(corners)) < len(points):
            used = distinct(corners)
        local, points = np.searchsorted(used, corners), points[used]
    mesh: dict[str, Any] = {"uvs": None, "uv_corners": None}
    if len(uv_corners) and (uv_corners >= 0).any():
        kept = distinct(uv_corners[uv_corners >= 0])
        whole = alone or len(kept) == len(uvs)
        mesh["uvs"] = uvs if whole else uvs[kept]
        mesh["uv_corners"] = uv_corners if whole else np.where(uv_corners >= 0, np.searchsorted(kept, uv_corners), -1)
    offsets = np.concatenate([[0], np.cumsum(part.sizes)]).astype(np.int64)
    return MeshData(part.name, points, Mesh(len(points), local, offsets, **mesh), colours.get(part.material or ""), part.smooth)


def _materials(reader: _Reader, warnings: list[str]) -> dict[str, str]:
    """Diffuse colours by material name; a library that cannot be read is a warning, not an error."""
    colours: dict[str, str] = {}
    folder = reader.path.parent.resolve()
    for library in dict.fromkeys(reader.libraries):
        try:
            place = (folder / library).resolve()
            if not place.is_relative_to(folder):
                raise BadFile("lies outside of its folder")
            text = read_bytes(place, LARGEST_LIBRARY).decode("utf-8-sig", "replace")
        except (BadFile, OSError, ValueError, RuntimeError) as error:
            why = (
                str(error)
                if str(error).startswith("lies")
                else "cannot be read"
                if (folder / library[:200]).exists()
                else "is missing"
            )
            warnings.append(f"{reader.path.name}: its material file {library[:60]} {why}; the clay colour is used.")
            continue
        name = None
        for line in text.splitlines():
            words = line.split()
            if len(words) > 1 and words[0] == "newmtl":
                name = line.split(None, 1)[1].strip()
            elif len(words) == 4 and words[0] == "Kd" and name:
                try:
                    rgb = [min(max(float(word), 0.0), 1.0) for word in words[1:]]
                    colour = "#" + "".join(f"{round(255 * value):02X}" for value in rgb)
                except ValueError:  # no number, or not a number
                    continue
                colours[name] = colour
    return colours


def _strand_lines(line: Line, first_point: int) -> list[str]:
    """An ``l`` for each strand; a closed one names its first point again."""
    out = []
    for a, b, closed in zip(line.starts.tolist(), line.starts[1:].tolist(), line.closed.tolist(), strict=False):
        points = [*range(a + first_point, b + first_point), *([a + first_point] if closed else [])]
        out.append("l " + " ".join(map(str, points)))
    return out


def obj_text(objects: list[MeshData], note: str = "") -> str:
    """The text of an OBJ file; numbers in their shortest exact form."""
    lines = ["# Fictilis" + (f": {note}" if note else "")]
    first_point, first_uv = 1, 1
    for data in objects:
        mesh = data.geometry
        lines.append(f"o {data.name}")
        lines += [f"v {x!r} {y!r} {z!r}" for x, y, z in data.points.tolist()]
        if mesh.uvs is not None:
            lines += [f"vt {u!r} {v!r}" for u, v in mesh.uvs.tolist()]
        lines.append("s 1" if data.smooth else "s off")
        corners = (mesh.corners + first_point).tolist()
        words = [str(corner) for corner in corners]
        if mesh.uvs is not None and mesh.uv_corners is not None:
            uv = mesh.uv_corners.tolist()
            words = [w if u < 0 else f"{w}/{u + first_uv}" for w, u in zip(words, uv, strict=True)]
        bounds = mesh.offsets.tolist()
        if isinstance(mesh, Line):
            lines += _strand_lines(mesh, first_point)
        lines += ["f " + " ".join(words[a:b]) for a, b in zip(bounds[:-1], bounds[1:], strict=True)]
        first_point += mesh.point_count
        first_uv += 0 if mesh.uvs is None else len(mesh.uvs)
    return "\n".join(lines) + "\n"


def write_obj(path: Path, objects: list[MeshData], note: str = "") -> None:
    """Write objects to one OBJ file, whole or not at all."""
    text = obj_text(objects, note)
    write_whole(Path(path), lambda temporary: temporary.write_text(text, "utf-8"))
