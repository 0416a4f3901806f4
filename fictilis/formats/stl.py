"""STL, in and out: triangles whose corners stand alone in the file, welded here where they are the same.

Source: StereoLithography Interface Specification, 3D Systems (1989), as text and binary.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.topology import triangles
from fictilis.core.ground.errors import BadFile, EditRefused
from fictilis.formats.files import Imported, MeshData, Progress, doubles, no_progress, read_bytes, write_whole

TRIANGLE = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("words", "<u2")])
HEAD = 84


def read_stl(path: Path, progress: Progress = no_progress) -> Imported:
    """The mesh of an STL file. Raises BadFile."""
    path = Path(path)
    data = read_bytes(path)
    corners = _corners(path, data)
    progress(0.5)
    if not np.isfinite(corners).all() or (np.abs(corners) > 1e12).any():
        raise BadFile(f"{path.name} cannot be read as STL: it holds numbers that are too large.")
    rows, first, where = np.unique(corners, axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first)  # points by where they are met first
    place = np.empty(len(rows), np.int64)
    place[order] = np.arange(len(rows))
    faces = place[where.ravel()].reshape(-1, 3)
    whole = (faces != np.roll(faces, 1, axis=1)).all(axis=1)
    faces = faces[whole]
    mesh = Mesh(len(rows), faces.ravel(), np.arange(len(faces) + 1) * 3)
    said = [f"{path.name}: STL has no vertex order; a target from another such file has to be put in the base's order."]
    if not whole.all():
        said.append(f"{path.name}: {int((~whole).sum()):,} triangles without an area were left out.")
    return Imported((MeshData(path.stem, doubles(rows[order]), mesh, smooth=False),), tuple(said))


def stl_corners(path: Path) -> np.ndarray:
    """(3t, 3) float64: three places a triangle, as they stand in the file. Raises BadFile."""
    return _corners(Path(path), read_bytes(path))


def _corners(path: Path, data: bytes) -> np.ndarray:
    """(3t, 3) float64: three places a triangle."""
    count = int(np.frombuffer(data[80:84], "<u4")[0]) if len(data) >= HEAD else -1
    if count >= 0 and HEAD + count * TRIANGLE.itemsize == len(data):
        if not count:
            raise BadFile(f"{path.name} cannot be read as STL: it has no triangles.")
        return doubles(np.frombuffer(data, TRIANGLE, count, HEAD)["corners"].reshape(-1, 3))
    if not data.lstrip()[:5].lower() == b"solid":
        raise BadFile(f"{path.name} cannot be read as STL: its {len(data):,} bytes do not fit {max(count, 0):,} triangles.")
    words = data.split()
    at = [n for n, word in enumerate(words) if word.lower() == b"vertex"]
    try:
        rows = np.array([words[n + 1 : n + 4] for n in at], dtype=np.float64).reshape(-1, 3)
    except ValueError:
        raise BadFile(f"{path.name} cannot be read as STL: a vertex is not three numbers.") from None
    if not len(rows) or len(rows) % 3:
        raise BadFile(f"{path.name} cannot be read as STL: it has {len(rows):,} vertices, which are no whole triangles.")
    return rows


def write_stl(path: Path, objects: list[MeshData], note: str = "") -> None:
    """All meshes as one, in binary; polygons become triangles. Raises CannotSave."""
    parts = [data.points[triangles(data.geometry).points] for data in objects if data.geometry.face_count]
    if not parts:
        raise EditRefused("There is nothing to export: STL holds meshes only, and none is visible.")
    corners = np.concatenate(parts)
    table = np.zeros(len(corners), TRIANGLE)
    table["corners"] = corners
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.linalg.norm(normal, axis=1, keepdims=True)
    table["normal"] = normal / np.where(size > 0, size, 1.0)
    head = f"Fictilis: {note}".encode("ascii", "replace")[:80].ljust(80, b" ") + np.array([len(corners)], "<u4").tobytes()
    write_whole(Path(path), lambda temporary: temporary.write_bytes(head + table.tobytes()))
