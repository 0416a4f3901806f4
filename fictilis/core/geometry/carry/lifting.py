"""Faces pushed out or drawn in, with new faces around them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from fictilis.core.geometry.carry.carry import Builder, Carry, Shares, need_faces
from fictilis.core.geometry.kinds import Mesh
from fictilis.core.geometry.normals import face_normals
from fictilis.core.geometry.picked import Pick
from fictilis.core.geometry.topology import corners_of, edge_of_corner, edges, face_of_corner, next_corner
from fictilis.core.ground.errors import EditRefused


def extrude(mesh: Mesh, points: np.ndarray, faces: np.ndarray, offset: float, region: bool = True) -> Carry:
    """Push ``faces`` (k,) out by ``offset`` cm (also 0), as one region or each on its own, with walls around."""
    need_faces(faces, "Extrude")
    normals = face_normals(mesh, points)
    build, lifted = (_region if region else _singles)(mesh, faces, None)
    offsets = np.zeros((len(build.points), 3))
    for new, around in lifted.items():
        normal = normals[list(around)].sum(axis=0)
        length = float(np.linalg.norm(normal))
        offsets[new] = offset * normal / length if length else 0.0
    return _placed(build, mesh, faces, region, offsets)


def inset(mesh: Mesh, faces: np.ndarray, part: float, region: bool = True) -> Carry:
    """A rim of new faces inside ``faces`` (k,): their border moves by ``part`` (0…1) toward the faces' middles."""
    need_faces(faces, "Inset")
    if not 0 <= part < 1:
        raise EditRefused(f"An inset goes a part of the way from 0 to below 1, not {part:g}.")
    build, _ = (_region if region else _singles)(mesh, faces, part)
    return _placed(build, mesh, faces, region, None)


def _placed(build: Builder, mesh: Mesh, faces: np.ndarray, region: bool, offsets: np.ndarray | None) -> Carry:
    rest = mesh.face_count - len(faces)
    return build.done(offsets=offsets, pick=Pick("faces", np.arange(rest, rest + len(faces))))


def _toward_middles(mesh: Mesh, point: int, around: Iterable[int], part: float | None) -> Shares:
    """Shares of a point moved by ``part`` toward the mean of the middles of the faces ``around``."""
    if not part:
        return ((point, 1.0),)
    around = list(around)
    shares = {point: 1.0 - part}
    for f in around:
        row = mesh.face(f).tolist()
        for p in row:
            shares[p] = shares.get(p, 0.0) + part / len(around) / len(row)
    return tuple(shares.items())


def _region(mesh: Mesh, faces: np.ndarray, part: float | None) -> tuple[Builder, dict[int, set[int]]]:
    """The faces lifted off together: new points along their border, walls on it; the faces come after all others.

    Returns the builder and, for each point of the lifted faces, the faces of the region around it.
    """
    build, chosen = Builder(mesh), set(faces.tolist())
    build.keep_points()
    place, corner_faces, following = edge_of_corner(mesh), face_of_corner(mesh), next_corner(mesh)
    inside = np.bincount(place[corners_of(mesh, faces)], minlength=len(edges(mesh)))
    walls = [int(c) for c in corners_of(mesh, faces) if inside[place[c]] != 2]
    around: dict[int, set[int]] = {}
    for c in corners_of(mesh, faces):
        around.setdefault(int(mesh.corners[c]), set()).add(int(corner_faces[c]))
    rim = sorted({int(mesh.corners[c]) for c in walls} | {int(mesh.corners[following[c]]) for c in walls})
    to = list(range(mesh.point_count))
    for p in rim:
        to[p] = build.point(_toward_middles(mesh, p, around[p], part))
    for f in range(mesh.face_count):
        if f not in chosen:
            build.keep_face(f)
    for f in faces.tolist():
        build.keep_face(f, to)
    for c in walls:
        _wall(build, mesh, c, int(following[c]), to)
    return build, {to[p]: fs for p, fs in around.items()}


def _wall(build: Builder, mesh: Mesh, c: int, d: int, to: Any) -> None:
    a, b = int(mesh.corners[c]), int(mesh.corners[d])
    low, high = ((c, 1.0),), ((d, 1.0),)
    build.face([(a, low), (b, high), (to[b], high), (to[a], low)], -1)


def _singles(mesh: Mesh, faces: np.ndarray, part: float | None) -> tuple[Builder, dict[int, set[int]]]:
    """Each face lifted off on its own."""
    build, chosen = Builder(mesh), set(faces.tolist())
    build.keep_points()
    lifted: dict[int, set[int]] = {}
    maps = []
    for f in faces.tolist():
        to = {p: build.point(_toward_middles(mesh, p, (f,), part)) for p in mesh.face(f).tolist()}
        lifted.update({new: {f} for new in to.values()})
        maps.append(to)
    for f in range(mesh.face_count):
        if f not in chosen:
            build.keep_face(f)
    for f, to in zip(faces.tolist(), maps, strict=True):
        build.keep_face(f, to)
    following = next_corner(mesh)
    for f, to in zip(faces.tolist(), maps, strict=True):
        for c in range(int(mesh.offsets[f]), int(mesh.offsets[f + 1])):
            _wall(build, mesh, c, int(following[c]), to)
    return build, lifted
