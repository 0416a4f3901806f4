"""Exact changes of a pick: one table, each with its numbers; the side column and the operations are made from it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.geometry.closest import Surface
from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.normals import point_normals
from fictilis.core.geometry.topology import border_points, edge_faces, edges
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Number, Parameter, completed
from fictilis.core.scene.scene import Deltas, MorphObject
from fictilis.core.scene.twins import twin_groups
from fictilis.core.shaping.brushes import neighbour_means
from fictilis.core.shaping.mirror import NO_MIRROR, Mirror
from fictilis.core.shaping.picks import chains
from fictilis.core.shaping.reach import displacement


class Picked(Struct, frozen=True, eq=False, weakref=True):
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


Values = Mapping[str, Any]


class ExactChange(Struct, frozen=True):
    """``run(picked, near, values)`` gives where the points ``near`` (k,) go, (k, 3), at a weight of 1."""

    id: str
    label: str
    parameters: tuple[Parameter, ...]
    run: Callable[[Picked, np.ndarray, Values], np.ndarray]
    note: str


def _cm(name: str, label: str, default: float, low: float) -> Number:
    return Number(name, label, default, unit="cm", low=low, high=1e6)


_AMOUNT = Number("amount", "Amount", 1.0, low=-1.0, high=1.0)


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


def _sphere(p: Picked, near: np.ndarray, values: Values) -> np.ndarray:
    places = p.need(4, "Toward a sphere")
    if len(p.picked) < len(p.points) and _is_flat(places):
        centre = places.mean(axis=0)
        radius = float(np.linalg.norm(places - centre, axis=1).mean())
    else:
        centre, radius = fit_sphere(places)
    arm = p.points[near] - centre
    length = np.linalg.norm(arm, axis=1, keepdims=True)
    goal = centre + arm / np.where(length > 0, length, 1.0) * radius
    return p.points[near] + values["amount"] * (goal - p.points[near])


def _is_flat(points: np.ndarray) -> bool:
    spread = np.linalg.svd(points - points.mean(axis=0), compute_uv=False)
    return bool(spread[-1] < 1e-6 * max(spread[0], 1e-12))


def _plane(p: Picked, near: np.ndarray, values: Values) -> np.ndarray:
    middle, normal = best_plane(p.need(3, "Flatten to the best plane"))
    above = (p.points[near] - middle) @ normal
    return p.points[near] - values["amount"] * above[:, None] * normal


def _line(p: Picked, near: np.ndarray, values: Values) -> np.ndarray:
    middle, along = best_line(p.need(2, "Straighten along a line"))
    arm = p.points[near] - middle
    off = arm - (arm @ along)[:, None] * along
    return p.points[near] - values["amount"] * off


def _even(p: Picked, near: np.ndarray, values: Values) -> np.ndarray:
    p.need(3, "Even spacing")
    rows = [row for row in chains(p.obj.geometry, p.picked) if len(row) > 2]
    if not rows:
        raise EditRefused(
            "Even spacing needs points in a row, each joined to the next by an edge; pick such a row.", "Pick an edge loop."
        )
    goal = p.points.copy()
    for row in rows:
        line = p.points[row]
        far = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
        wanted = np.linspace(0, far[-1], len(row))
        inner = slice(1, -1)
        goal[row[inner]] = np.stack([np.interp(wanted, far, line[:, k]) for k in range(3)], axis=1)[inner]
    return p.points[near] + values["amount"] * (goal[near] - p.points[near])


def _relax(p: Picked, near: np.ndarray, values: Values) -> np.ndarray:
    """Points drift to the mean of their neighbours within the surface; a border only along itself.

    Source: Laplacian smoothing with its normal part removed.
    """
    geometry, points = p.obj.geometry, p.points.copy()
    rim = border_points(geometry)
    means = _border_means(geometry) if rim.any() else None
    for _ in range(values["steps"]):
        step = neighbour_means(geometry, points.T, near).T - points[near]
        if means is not None:
            on_rim = rim[near]
            step[on_rim] = means(points, near[on_rim]) - points[near[on_rim]]
        normals = joined_normals(p.obj, points)[near]
        step -= np.einsum("ij,ij->i", step, normals)[:, None] * normals
        points[near] += 0.6 * p.weights[near, None] * step
    moved = points[near] - p.points[near]
    return p.points[near] + values["amount"] * moved / np.maximum(p.weights[near, None], 1e-9)


def _border_means(geometry: Geometry) -> Any:
    """A function of points and indices of border points: the mean of each one's two neighbours along the border.

    Corners, where the border turns by more than 30°, and points with more than two neighbours on it stay.
    """
    pairs = edges(geometry)[edge_faces(geometry) == 1]
    both = np.concatenate([pairs, pairs[:, ::-1]])
    both = both[np.argsort(both[:, 0], kind="stable")]
    starts = np.searchsorted(both[:, 0], np.arange(geometry.point_count + 1))
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
    normals = point_normals(obj.geometry, points)
    groups = twin_groups(obj)
    sums = np.stack([np.bincount(groups, normals[:, k]) for k in range(3)], axis=1)[groups]
    length = np.linalg.norm(sums, axis=1, keepdims=True)
    return sums / np.where(length > 0, length, 1.0)


def _inflate(p: Picked, near: np.ndarray, values: Values) -> np.ndarray:
    return p.points[near] + values["distance"] * joined_normals(p.obj, p.points)[near]


def _noise(p: Picked, near: np.ndarray, values: Values) -> np.ndarray:
    noise = value_noise(p.obj.base[near] / values["grain"], values["seed"])
    return p.points[near] + (values["height"] * noise)[:, None] * joined_normals(p.obj, p.points)[near]


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


EXACT_CHANGES: dict[str, ExactChange] = {change.id: change for change in (
    ExactChange("sphere", "Toward a sphere", (_AMOUNT,), _sphere, "Moves the pick toward the sphere that fits it best."),
    ExactChange("plane", "Flatten to best plane", (_AMOUNT,), _plane, "Moves the pick onto the plane that fits it best."),
    ExactChange("line", "Straighten along a line", (_AMOUNT,), _line, "Moves the pick onto the line that fits it best."),
    ExactChange("even", "Even out spacing", (_AMOUNT,), _even, "Spaces rows of picked points evenly; their ends stay."),
    ExactChange("relax", "Relax", (Number("steps", "Steps", 10, low=1, high=200, decimals=0), _AMOUNT), _relax,
                "Evens out the mesh within its surface."),
    ExactChange("inflate", "Inflate along normals", (_cm("distance", "Distance", 1.0, -1e6),), _inflate,
                "Moves the pick out along its normals; a negative distance moves it in."),
    ExactChange("noise", "Noise", (_cm("height", "Height", 0.5, -1e6), _cm("grain", "Grain", 5.0, 1e-3),
                Number("seed", "Seed", 1, low=0, high=999_999, decimals=0)), _noise,
                "Roughens the pick along its normals; a seed gives the same again."),
)}  # fmt: skip


def change_exactly(change_id: str, picked: Picked, given: Values, mirror: Mirror = NO_MIRROR) -> Deltas:
    """The displacement of one exact change, weighted by the pick's falloff; what is not ``given`` is as it begins.

    Raises EditRefused when nothing is picked, the pick does not suit, or a number is out of bounds.
    """
    change = EXACT_CHANGES[change_id]
    if not len(picked.picked):
        raise EditRefused(f"{change.label} needs a pick, and nothing is picked; pick something first.")
    near = picked.near
    goal = change.run(picked, near, completed(change.label, change.parameters, given))
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
