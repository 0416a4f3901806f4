"""Simple forms to start from, sizes in centimetres, centred on the origin, outward counter-clockwise faces, Y up.

Each returns (points (n, 3) float64, mesh). Source: own derivation.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from fictilis.core.geometry.kinds import Mesh
from fictilis.core.ground.errors import EditRefused

Form = tuple[np.ndarray, Mesh]
LARGEST_SEGMENTS = 1000


def _check(sizes: dict[str, float], segments: dict[str, tuple[int, int]]) -> None:
    for name, size in sizes.items():
        if not (np.isfinite(size) and size > 0):
            raise EditRefused(f"The {name} must be larger than 0 cm, not {size}.")
    for name, (count, least) in segments.items():
        if not least <= count <= LARGEST_SEGMENTS:
            raise EditRefused(f"The {name} must be from {least} to {LARGEST_SEGMENTS}, not {count}.")


def _grid_faces(rows: int, columns: int, index: Callable[[np.ndarray, np.ndarray], np.ndarray]) -> np.ndarray:
    """(rows * columns, 4): quads of a grid; ``index(r, c)`` gives point numbers."""
    r, c = (a.ravel() for a in np.meshgrid(np.arange(rows), np.arange(columns), indexing="ij"))
    return np.stack([index(r, c), index(r, c + 1), index(r + 1, c + 1), index(r + 1, c)], axis=1)


def _quad_mesh(count: int, quads: np.ndarray, uvs: np.ndarray, uv_quads: np.ndarray) -> Mesh:
    """A mesh of quads; a quad that names one point twice in a row is a triangle."""
    keep = quads != np.roll(quads, -1, axis=1)
    sizes = keep.sum(1)
    return Mesh(count, quads[keep], np.concatenate([[0], np.cumsum(sizes)]), uvs, uv_quads[keep])


def plane(width: float = 100.0, depth: float = 100.0, columns: int = 10, rows: int = 10) -> Form:
    """A flat sheet on the ground, facing up."""
    _check({"width": width, "depth": depth}, {"columns": (columns, 1), "rows": (rows, 1)})
    v, u = (a.ravel() for a in np.meshgrid(np.linspace(0, 1, rows + 1), np.linspace(0, 1, columns + 1), indexing="ij"))
    points = np.stack([(u - 0.5) * width, np.zeros_like(u), (v - 0.5) * depth], axis=1)
    quads = _grid_faces(rows, columns, lambda r, c: r * (columns + 1) + c)[:, ::-1]
    return points, _quad_mesh(len(points), quads, np.stack([u, 1 - v], axis=1), quads)


def box(width: float = 100.0, height: float = 100.0, depth: float = 100.0, segments: int = 4) -> Form:
    """A box whose sides share their edge points; each side has UVs of its own."""
    _check({"width": width, "height": height, "depth": depth}, {"segments": (segments, 1)})
    n = segments
    step = np.arange(n + 1)
    a, b = (g.ravel() for g in np.meshgrid(step, step, indexing="ij"))
    low, high = np.zeros_like(a), np.full_like(a, n)
    sides = [(high, a, b), (low, b, a), (b, high, a), (a, low, b), (a, b, high), (b, a, low)]
    lattice = np.concatenate([np.stack(side, axis=1) for side in sides])
    unique, index = np.unique(lattice, axis=0, return_inverse=True)
    index = index.reshape(-1)
    side_size = (n + 1) ** 2
    quads = np.concatenate([_grid_faces(n, n, lambda r, c, s=s: s * side_size + r * (n + 1) + c)[:, ::-1] for s in range(6)])
    uvs = np.tile(np.stack([a, b], axis=1) / n, (6, 1))
    points = (unique / n - 0.5) * [width, height, depth]
    return points, _quad_mesh(len(points), index[quads], uvs, quads)


def ball(radius: float = 50.0, segments: int = 8) -> Form:
    """A ball from a cube: quads only, without poles."""
    _check({"radius": radius}, {"segments": (segments, 1)})
    points, mesh = box(2, 2, 2, segments)
    x, y, z = np.tan(points * (np.pi / 4)).T  # even spacing over the ball
    points = np.stack([x, y, z], axis=1)
    return points / np.linalg.norm(points, axis=1, keepdims=True) * radius, mesh


def globe(radius: float = 50.0, segments: int = 32, rings: int = 16) -> Form:
    """A sphere of meridians and parallels, triangles at its two poles."""
    _check({"radius": radius}, {"segments": (segments, 3), "rings": (rings, 2)})
    return turned(
        radius * np.sin(np.linspace(0, np.pi, rings + 1)), radius * np.cos(np.linspace(0, np.pi, rings + 1)), segments
    )


def cylinder(radius: float = 50.0, height: float = 100.0, segments: int = 32, rows: int = 8) -> Form:
    """A closed cylinder; each cap is a fan of triangles."""
    _check({"radius": radius, "height": height}, {"segments": (segments, 3), "rows": (rows, 1)})
    profile = np.concatenate([[0.0], np.full(rows + 1, radius), [0.0]])
    ys = np.concatenate([[height / 2], np.linspace(height / 2, -height / 2, rows + 1), [-height / 2]])
    return turned(profile, ys, segments)


def cone(radius: float = 50.0, height: float = 100.0, segments: int = 32, rows: int = 8) -> Form:
    """A closed cone with its tip at the top; tip and base are fans of triangles."""
    _check({"radius": radius, "height": height}, {"segments": (segments, 3), "rows": (rows, 1)})
    down = np.arange(1, rows + 1) / rows
    return turned(np.array([0.0, *down * radius, 0.0]), (0.5 - np.array([0.0, *down, 1.0])) * height, segments)


def ring(radius: float = 40.0, thickness: float = 20.0, segments: int = 32, rings: int = 16) -> Form:
    """A closed ring around Y; ``radius`` to the middle of what goes round, which is as thick as ``thickness``."""
    _check({"radius": radius, "thickness": thickness}, {"segments": (segments, 3), "rings": (rings, 3)})
    if thickness > 2 * radius:
        raise EditRefused(f"A ring of radius {radius:g} cm can be up to {2 * radius:g} cm thick, not {thickness:g} cm.")
    v, u = (a.ravel() for a in np.meshgrid(np.arange(rings + 1) / rings, np.arange(segments + 1) / segments, indexing="ij"))
    keep = (v < 1) & (u < 1)
    around, about = 2 * np.pi * u[keep], 2 * np.pi * v[keep]
    away = radius + thickness / 2 * np.cos(about)
    points = np.stack([away * np.sin(around), thickness / 2 * np.sin(about), away * np.cos(around)], axis=1)
    quads = _grid_faces(rings, segments, lambda r, c: r % rings * segments + c % segments)
    uv_quads = _grid_faces(rings, segments, lambda r, c: r * (segments + 1) + c)
    return points, _quad_mesh(len(points), quads, np.stack([u, v], axis=1), uv_quads)


def turned(radii: np.ndarray, ys: np.ndarray, segments: int) -> Form:
    """A profile from top to bottom turned about Y; both its ends lie on the axis and become one point each."""
    rings = len(radii) - 1
    angle = np.arange(segments) * (2 * np.pi / segments)
    ring = np.stack([np.sin(angle), np.zeros(segments), np.cos(angle)], axis=1)
    middle = radii[1:-1, None, None] * ring + ys[1:-1, None, None] * [0.0, 1.0, 0.0]
    points = np.concatenate([[[0.0, ys[0], 0.0]], middle.reshape(-1, 3), [[0.0, ys[-1], 0.0]]])

    def index(r: np.ndarray, c: np.ndarray) -> np.ndarray:
        inner = 1 + (r - 1) * segments + c % segments
        return np.where(r == 0, 0, np.where(r == rings, len(points) - 1, inner))

    quads = _grid_faces(rings, segments, index)[:, ::-1]
    uv_quads = _grid_faces(rings, segments, lambda r, c: r * (segments + 1) + c)[:, ::-1]
    v, u = (a.ravel() for a in np.meshgrid(np.linspace(1, 0, rings + 1), np.linspace(0, 1, segments + 1), indexing="ij"))
    return points, _quad_mesh(len(points), quads, np.stack([u, v], axis=1), uv_quads)


MESH_FORMS: dict[str, Callable[..., Form]] = {
    "Box": box, "Plane": plane, "Globe": globe, "Ball": ball, "Cylinder": cylinder, "Cone": cone, "Ring": ring,
}  # fmt: skip
