"""Exact changes of a pick: one table of operations, each with its numbers; forms and menus are made from it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from fictilis.core.errors import EditRefused
from fictilis.core.geometry.closest import Surface
from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.topology import border_points, edge_faces, edges
from fictilis.core.geometry.twins import twin_groups
from fictilis.core.scene import Deltas, Mesh, MorphObject
from fictilis.core.shaping.brushes import neighbour_means
from fictilis.core.shaping.mirror import NO_MIRROR, Mirror
from fictilis.core.shaping.picks import chains
from fictilis.core.shaping.reach import displacement


@dataclass(frozen=True)
class Number:
    """One number of an operation, with its unit, default and bounds."""

    name: str
    unit: str
    default: float
    low: float
    high: float
    decimals: int = 2


@dataclass(frozen=True, eq=False)
class Picked:
    """What an operation works on: the object, its shown points (n, 3), picked indices and weights (n,) with falloff."""

    obj: MorphObject
    points: np.ndarray
    picked: np.ndarray
    weights: np.ndarray

    @property
    def near(self) -> np.ndarray:
        return np.flatnonzero(self.weights > 0)

    def need(self, count: int, what: str) -> np.ndarray:
        """The picked places (k, 3). Raises EditRefused when there are fewer than ``count``."""
        if len(self.picked) < count:
            raise EditRefused(f"{what} needs at least {count} picked points; {len(self.picked)} are picked.")
        return self.points[self.picked]


@dataclass(frozen=True)
class Operation:
    """``run(picked, near, numbers)`` gives where the points ``near`` (k,) go, (k, 3), at a weight of 1."""

    id: str
    label: str
    numbers: tuple[Number, ...]
    run: Callable[[Picked, np.ndarray, dict[str, float]], np.ndarray]
    note: str


_AMOUNT = Number("Amount", "", 1.0, -1.0, 1.0)


def fit_sphere(points: np.ndarray) -> tuple[np.ndarray, float]:
    """Centre (3,) and radius of the sphere that lies nearest to points (k, 3), by algebraic least squares.

    Source: |p|² = 2 c·p + (r² - |c|²) is linear in c and r² - |c|² (Coope 1993, Circle fitting by linear least squares).
    """
    middle = points.mean(axis=0)
    p = points - middle
    system = np.concatenate([2 * p, np.ones((len(p), 1))], axis=1)
    answer = np.linalg.lstsq(system, (p**2).sum(1), rcond=None)[0]
    centre = answer[:3]
    return centre + middle, float(np.sqrt(max(answer[3] + centre @ centre, 0.0)))


def best_plane(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """A place (3,) on the plane nearest to points (k, 3) and its unit normal (3,).

    Source: total least squares; the normal is the singular vector of the least singular value.
    """
    middle = points.mean(axis=0)
    return middle, np.linalg.svd(points - middle, full_matrices=False)[2][-1]


def best_line(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """A place (3,) on the line nearest to points (k, 3) and its unit direction (3,). Source: as best_plane."""
    middle = points.mean(axis=0)
    return middle, np.linalg.svd(points - middle, full_matrices=False)[2][0]


def _sphere(p: Picked, near: np.ndarray, numbers: dict[str, float]) -> np.ndarray:
    places = p.need(4, "Toward a sphere")
    if len(p.picked) < len(p.points) and _is_flat(places):
        centre = places.mean(axis=0)
        radius = float(np.linalg.norm(places - centre, axis=1).mean())
    else:
        centre, radius = fit_sphere(places)
    arm = p.points[near] - centre
    length = np.linalg.norm(arm, axis=1, keepdims=True)
    goal = centre + arm / np.where(length > 0, length, 1.0) * radius
    return p.points[near] + numbers["Amount"] * (goal - p.points[near])


def _is_flat(points: np.ndarray) -> bool:
    spread = np.linalg.svd(points - points.mean(axis=0), compute_uv=False)
    return bool(spread[-1] < 1e-6 * max(spread[0], 1e-12))


def _plane(p: Picked, near: np.ndarray, numbers: dict[str, float]) -> np.ndarray:
    middle, normal = best_plane(p.need(3, "Flatten to the best plane"))
    above = (p.points[near] - middle) @ normal
    return p.points[near] - numbers["Amount"] * above[:, None] * normal


def _line(p: Picked, near: np.ndarray, numbers: dict[str, float]) -> np.ndarray:
    middle, along = best_line(p.need(2, "Straighten along a line"))
    arm = p.points[near] - middle
    off = arm - (arm @ along)[:, None] * along
    return p.points[near] - numbers["Amount"] * off


def _even(p: Picked, near: np.ndarray, numbers: dict[str, float]) -> np.ndarray:
    p.need(3, "Even spacing")
    rows = [row for row in chains(p.obj.mesh, p.picked) if len(row) > 2]
    if not rows:
        raise EditRefused("Even spacing needs points in a row, each joined to the next by an edge.", "Pick an edge loop.")
    goal = p.points.copy()
    for row in rows:
        line = p.points[row]
        far = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
        wanted = np.linspace(0, far[-1], len(row))
        inner = slice(1, -1)
        goal[row[inner]] = np.stack([np.interp(wanted, far, line[:, k]) for k in range(3)], axis=1)[inner]
    return p.points[near] + numbers["Amount"] * (goal[near] - p.points[near])


def _relax(p: Picked, near: np.ndarray, numbers: dict[str, float]) -> np.ndarray:
    """Points drift to the mean of their neighbours within the surface; a border only along itself.

    Source: Laplacian smoothing with its normal part removed.
    """
    mesh, points = p.obj.mesh, p.points.copy()
    rim = border_points(mesh)
    means = _border_means(mesh) if rim.any() else None
    for _ in range(round(numbers["Steps"])):
        step = neighbour_means(mesh, points.T, near).T - points[near]
        if means is not None:
            on_rim = rim[near]
            step[on_rim] = means(points, near[on_rim]) - points[near[on_rim]]
        normals = joined_normals(p.obj, points)[near]
        step -= np.einsum("ij,ij->i", step, normals)[:, None] * normals
        points[near] += 0.6 * p.weights[near, None] * step
    moved = points[near] - p.points[near]
    return p.points[near] + numbers["Amount"] * moved / np.maximum(p.weights[near, None], 1e-9)


def _border_means(mesh: Mesh) -> Any:
    """A function of points and indices of border points: the mean of each one's two neighbours along the border.

    Corners, where the border turns by more than 30°, and points with more than two neighbours on it stay.
    """
    pairs = edges(mesh)[edge_faces(mesh) == 1]
    both = np.concatenate([pairs, pairs[:, ::-1]])
    both = both[np.argsort(both[:, 0], kind="stable")]
    starts = np.searchsorted(both[:, 0], np.arange(mesh.point_count + 1))
    plain = np.diff(starts) == 2

    def means(points: np.ndarray, indices: np.ndarray) -> np.ndarray:
        out = points[indices].copy()
        on = plain[indices]
        first, second = (points[both[starts[indices[on]] + k, 1]] for k in (0, 1))
        u, v = out[on] - first, second - out[on]
        along = np.einsum("ij,ij->i", u, v) >= np.cos(np.radians(30)) * np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1)
        out[on] = np.where(along[:, None], (first + second) / 2, out[on])
        return out

    return means


def joined_normals(obj: MorphObject, points: np.ndarray) -> np.ndarray:
    """Unit normals (n, 3), twins with one and the same."""
    normals = point_normals(obj.mesh, points)
    groups = twin_groups(obj)
    sums = np.stack([np.bincount(groups, normals[:, k]) for k in range(3)], axis=1)[groups]
    length = np.linalg.norm(sums, axis=1, keepdims=True)
    return sums / np.where(length > 0, length, 1.0)


def _inflate(p: Picked, near: np.ndarray, numbers: dict[str, float]) -> np.ndarray:
    return p.points[near] + numbers["Distance"] * joined_normals(p.obj, p.points)[near]


def _noise(p: Picked, near: np.ndarray, numbers: dict[str, float]) -> np.ndarray:
    value = value_noise(p.obj.base[near] / numbers["Grain"], round(numbers["Seed"]))
    return p.points[near] + (numbers["Height"] * value)[:, None] * joined_normals(p.obj, p.points)[near]


def value_noise(places: np.ndarray, seed: int) -> np.ndarray:
    """(k,) in -1…1: smooth noise at places (k, 3) between the whole-numbered points of space; the same for a seed.

    Source: value noise: hashed lattice values, blended by smoothstep in three directions.
    """
    cell = np.floor(places).astype(np.int64)
    part = places - cell
    blend = part * part * (3 - 2 * part)
    out = np.zeros(len(places))
    for corner in np.ndindex(2, 2, 2):
        x, y, z = (cell + corner).T.astype(np.uint64)
        mixed = x * np.uint64(0x9E3779B97F4A7C15) ^ y * np.uint64(0xC2B2AE3D27D4EB4F) ^ z * np.uint64(0x165667B19E3779F9)
        mixed ^= np.uint64(seed * 0x2545F4914F6CDD1D & 0xFFFFFFFFFFFFFFFF)
        for shift in (33, 29, 32):
            mixed = (mixed ^ (mixed >> np.uint64(shift))) * np.uint64(0xFF51AFD7ED558CCD)
        value = (mixed >> np.uint64(11)).astype(np.float64) / 2**52 - 1.0
        out += value * np.prod(np.where(np.array(corner) == 1, blend, 1 - blend), axis=1)
    return out


OPERATIONS: tuple[Operation, ...] = (
    Operation("sphere", "Toward a sphere", (_AMOUNT,), _sphere, "Presses the pick toward the sphere that fits it best."),
    Operation("plane", "Flatten to best plane", (_AMOUNT,), _plane, "Lays the pick on the plane that fits it best."),
    Operation("line", "Straighten along a line", (_AMOUNT,), _line, "Draws the pick onto the line that fits it best."),
    Operation("even", "Even out spacing", (_AMOUNT,), _even, "Spaces rows of picked points evenly; their ends stay."),
    Operation("relax", "Relax", (Number("Steps", "", 10, 1, 200, 0), _AMOUNT), _relax,
              "Evens out the mesh within its surface."),
    Operation("inflate", "Inflate along normals", (Number("Distance", "cm", 1.0, -1e6, 1e6),), _inflate,
              "Moves the pick out along its normals; a minus moves it in."),
    Operation("noise", "Noise", (Number("Height", "cm", 0.5, -1e6, 1e6), Number("Grain", "cm", 5.0, 1e-3, 1e6),
              Number("Seed", "", 1, 0, 999_999, 0)), _noise,
              "Roughens the pick along its normals; a seed gives the same again."),
)  # fmt: skip
BY_ID = {operation.id: operation for operation in OPERATIONS}


def change_exactly(operation_id: str, picked: Picked, numbers: dict[str, float], mirror: Mirror = NO_MIRROR) -> Deltas:
    """The displacement of one operation, weighted by the pick's falloff.

    Raises EditRefused when nothing is picked, the pick does not suit, or a number is out of bounds.
    """
    operation = BY_ID[operation_id]
    if not len(picked.picked):
        raise EditRefused(f"{operation.label} needs a pick, and nothing is picked.")
    for number in operation.numbers:
        value = numbers[number.name]
        if not number.low <= value <= number.high:
            raise EditRefused(
                f"{operation.label}: {number.name} must be from {number.low:g} to {number.high:g}, not {value:g}."
            )
    near = picked.near
    goal = operation.run(picked, near, numbers)
    moved = picked.weights[near, None] * (goal - picked.points[near])
    return displacement(picked.obj, near, picked.weights[near], moved, mirror)


MOST_STEPS = 32


def slide(picked: Picked, surface: Surface, move: np.ndarray, mirror: Mirror = NO_MIRROR) -> Deltas:
    """The displacement that moves the pick by ``move`` (3,) along ``surface``, its shape before the slide.

    The silhouette stays, since every point ends on the old surface. The way is gone in steps of about a face, each
    laid back on the surface, so that points follow it round.
    """
    near = picked.near
    weights = picked.weights[near]
    move = np.asarray(move, np.float64)
    steps = int(np.clip(np.ceil(np.linalg.norm(move) / max(4 * surface.step, 1e-9)), 1, MOST_STEPS))
    places = picked.points[near]
    for _ in range(steps):
        places = surface.nearest(places + weights[:, None] * move / steps).places
    return displacement(picked.obj, near, weights, places - picked.points[near], mirror)
