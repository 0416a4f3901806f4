"""Soft falloff around points: through space or along the surface, with a profile."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.topology import components, edges, face_of_corner, next_corner, ranges
from fictilis.core.ground.arrays import cached_by_identity, distinct_rows, within
from fictilis.core.scene.scene import MorphObject
from fictilis.core.scene.twins import twin_pairs


def _plateau(x: np.ndarray) -> np.ndarray:
    t = np.clip(2 - 2 * x, 0.0, 1.0)
    return t * t * (3 - 2 * t)


PROFILES: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "smooth": lambda x: (1 - x * x) ** 2,
    "linear": lambda x: 1 - x,
    "dome": lambda x: np.sqrt(1 - x * x),
    "sharp": lambda x: (1 - x) ** 2,
    "plateau": _plateau,
    "even": lambda x: (x < 1).astype(np.float64),
}


def profile(distances: np.ndarray, radius: float, kind: str = "smooth") -> np.ndarray:
    """Weights in 0…1 for ``distances`` (n,): 1 at 0, down to 0 at ``radius`` by one of PROFILES.

    Source: smooth is the quartic kernel (1 - x²)²; the others are plain functions of x = distance / radius.
    """
    if radius <= 0:
        return (distances <= 0).astype(np.float64)
    return PROFILES[kind](np.minimum(distances / radius, 1.0))


def space_distances(points: np.ndarray, sources: np.ndarray, limit: float) -> np.ndarray:
    """(n,) float64: straight distance of points (n, 3) to the nearest of sources (s, 3); inf beyond ``limit``."""
    sources = np.atleast_2d(sources)
    out = np.full(len(points), np.inf)
    if not len(sources):
        return out
    near = within(points, sources, limit)
    if len(sources) <= 8:
        square = np.full(len(near), np.inf)
        for source in sources:
            difference = points[near] - source
            np.minimum(square, np.einsum("ij,ij->i", difference, difference), out=square)
        distance = np.sqrt(square)
    else:
        from scipy.spatial import cKDTree

        distance = cKDTree(sources).query(points[near], distance_upper_bound=limit)[0]
    out[near] = np.where(distance <= limit, distance, np.inf)
    return out


class SurfaceLinks(Struct, frozen=True, eq=False, weakref=True):
    """Pairs of points a surface distance may step between, sorted by their first point.

    straight (s, 2): edges and face diagonals, the lower point first. across (a, 4): points i < j on both sides of an edge
    (k, l), whose distance is measured over the two triangles laid flat. The links of point i are rows
    starts[i]:starts[i + 1] of either.
    """

    straight: np.ndarray
    straight_starts: np.ndarray
    across: np.ndarray
    across_starts: np.ndarray


@cached_by_identity
def surface_links(geometry: Geometry) -> SurfaceLinks:
    corners, follow = geometry.corners.astype(np.int64), next_corner(geometry)
    sizes = geometry.face_sizes[face_of_corner(geometry)]
    second = follow[follow]
    diagonals = np.stack([corners, corners[second]], axis=1)[sizes >= 4]
    straight = distinct_rows(np.sort(np.concatenate([edges(geometry), diagonals]), axis=1), geometry.point_count)
    # the two corners next to an edge, one in each face: for quads both far corners of either side
    a, b = corners, corners[follow]
    prior = np.empty_like(follow)
    prior[follow] = np.arange(len(follow))
    fronts = [np.stack([np.minimum(a, b), np.maximum(a, b), corners[second]], 1)]
    fronts.append(np.stack([np.minimum(a, b), np.maximum(a, b), corners[prior]], 1)[sizes >= 4])
    rows = np.concatenate(fronts)
    rows = rows[np.lexsort((rows[:, 2], rows[:, 1], rows[:, 0]))]
    across = []
    for gap in (1, 2, 3):
        one, two = rows[:-gap], rows[gap:]
        same = (one[:, :2] == two[:, :2]).all(1) & (one[:, 2] != two[:, 2])
        across.append(np.concatenate([one[same][:, 2:], two[same][:, 2:], one[same][:, :2]], axis=1))
    crossing = np.concatenate(across)
    crossing[:, :2].sort(axis=1)
    crossing = np.unique(crossing, axis=0)
    places = np.arange(geometry.point_count + 1)
    return SurfaceLinks(straight, np.searchsorted(straight[:, 0], places), crossing, np.searchsorted(crossing[:, 0], places))


def surface_graph(obj: MorphObject, points: np.ndarray, near: np.ndarray) -> Any:
    """Sparse matrix (k, k) of step lengths over the surface between the points ``near`` (k,), sorted; twins joined."""
    from scipy.sparse import csr_array

    links = surface_links(obj.geometry)
    local = np.full(len(points), -1, np.int64)
    local[near] = np.arange(len(near))

    def among(rows: np.ndarray, starts: np.ndarray) -> np.ndarray:
        part = rows[ranges(starts[near], starts[near + 1])]
        return part[(local[part] >= 0).all(axis=1)]

    straight, across = among(links.straight, links.straight_starts), among(links.across, links.across_starts)
    lengths = np.linalg.norm(points[straight[:, 0]] - points[straight[:, 1]], axis=1)
    over, valid = _unfolded(points, across)
    twins = local[twin_pairs(obj)]
    twins = twins[(twins >= 0).all(axis=1)]
    pairs = np.concatenate([local[straight], local[across[valid][:, :2]], twins])
    weights = np.concatenate([lengths, over[valid], np.zeros(len(twins))])
    # two rows may name one pair: the shorter way counts; csr would add them up
    low, high = pairs.min(1, initial=len(near)), pairs.max(1, initial=0)
    order = np.lexsort((weights, low * len(near) + high))
    codes = (low * len(near) + high)[order]
    first = np.ones(len(order), bool)
    first[1:] = np.diff(codes) != 0
    kept = order[first]
    weights = np.maximum(weights[kept], 1e-12)  # an explicit zero would count as no edge
    return csr_array((weights, (low[kept], high[kept])), shape=(len(near), len(near)))


def _unfolded(points: np.ndarray, across: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Lengths (a,) over two triangles laid flat, and where the straight way does cross their edge."""
    i, j, k, l = (points[across[:, n]] for n in range(4))  # noqa: E741
    axis = l - k
    length = np.linalg.norm(axis, axis=1)
    ok = length > 0
    axis = axis / np.where(ok, length, 1)[:, None]

    def flat(p: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        along = np.einsum("ij,ij->i", p - k, axis)
        return along, np.linalg.norm(p - k - along[:, None] * axis, axis=1)

    (xi, yi), (xj, yj) = flat(i), flat(j)
    cross = xi + (xj - xi) * yi / np.where(yi + yj > 0, yi + yj, 1)
    return np.hypot(xi - xj, yi + yj), ok & (cross >= 0) & (cross <= length)


def surface_distances(obj: MorphObject, points: np.ndarray, sources: np.ndarray, limit: float) -> np.ndarray:
    """(n,) float64: distance along the surface to the nearest source; inf beyond ``limit``.

    ``points`` (n, 3) is the present shape; ``sources`` (s,) are point indices.
    Source: Dijkstra's shortest paths over edges, face diagonals and unfolded neighbouring triangles; a little longer
    than the true geodesic.
    """
    from scipy.sparse.csgraph import dijkstra

    sources = np.asarray(sources, np.int64)
    out = np.full(len(points), np.inf)
    if not len(sources):
        return out
    near = within(points, points[sources], limit)
    graph = surface_graph(obj, points, near)
    starts = np.searchsorted(near, sources)
    out[near] = dijkstra(graph, directed=False, indices=starts, limit=limit, min_only=True)
    return out


def connected_parts(obj: MorphObject) -> np.ndarray:
    """(n,) int: a number for each point, the same for points joined by edges or lying on one place in the base."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    parts = components(obj.geometry)
    pairs = parts[twin_pairs(obj)]
    if not len(pairs):
        return parts
    count = int(parts.max()) + 1
    graph = coo_array((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    return connected_components(graph, directed=False)[1][parts]
