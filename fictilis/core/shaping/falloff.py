"""Soft falloff around points: through space or along the surface, with a profile."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fictilis.core.arrays import cached_by_identity
from fictilis.core.geometry.topology import edges, face_of_corner, next_corner, ranges
from fictilis.core.geometry.twins import twin_groups
from fictilis.core.scene import Mesh, MorphObject


def profile(distances: np.ndarray, radius: float) -> np.ndarray:
    """Weights in 0…1 for ``distances`` (n,): 1 at 0, smoothly down to 0 at ``radius``.

    Source: the quartic kernel (1 - x²)².
    """
    if radius <= 0:
        return (distances <= 0).astype(np.float64)
    x = np.minimum(distances / radius, 1.0)
    return (1 - x * x) ** 2


def space_distances(points: np.ndarray, sources: np.ndarray, limit: float) -> np.ndarray:
    """(n,) float64: straight distance of points (n, 3) to the nearest of sources (s, 3); inf beyond ``limit``."""
    sources = np.atleast_2d(sources)
    out = np.full(len(points), np.inf)
    if not len(sources):
        return out
    near = np.flatnonzero(((points >= sources.min(0) - limit) & (points <= sources.max(0) + limit)).all(1))
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


@dataclass(frozen=True, eq=False)
class SurfaceLinks:
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
def surface_links(mesh: Mesh) -> SurfaceLinks:
    corners, follow = mesh.corners.astype(np.int64), next_corner(mesh)
    sizes = mesh.face_sizes[face_of_corner(mesh)]
    second = follow[follow]
    diagonals = np.stack([corners, corners[second]], axis=1)[sizes >= 4]
    straight = np.unique(np.sort(np.concatenate([edges(mesh), diagonals]), axis=1), axis=0)
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
    places = np.arange(mesh.point_count + 1)
    return SurfaceLinks(straight, np.searchsorted(straight[:, 0], places), crossing, np.searchsorted(crossing[:, 0], places))


def surface_graph(obj: MorphObject, points: np.ndarray, near: np.ndarray):
    """Sparse matrix (k, k) of step lengths over the surface between the points ``near`` (k,), sorted; twins joined."""
    from scipy.sparse import csr_array

    links = surface_links(obj.mesh)
    local = np.full(len(points), -1, np.int64)
    local[near] = np.arange(len(near))

    def among(rows: np.ndarray, starts: np.ndarray) -> np.ndarray:
        part = rows[ranges(starts[near], starts[near + 1])]
        return part[(local[part] >= 0).all(axis=1)]

    straight, across = among(links.straight, links.straight_starts), among(links.across, links.across_starts)
    lengths = np.linalg.norm(points[straight[:, 0]] - points[straight[:, 1]], axis=1)
    over, valid = _unfolded(points, across)
    groups = twin_groups(obj)[near]
    order = np.argsort(groups, kind="stable")
    joined = groups[order][1:] == groups[order][:-1]
    twins = np.stack([order[:-1][joined], order[1:][joined]], axis=1)
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


def surface_distances(
    obj: MorphObject, points: np.ndarray, sources: np.ndarray, limit: float, at: np.ndarray | None = None
) -> np.ndarray:
    """(n,) float64: distance along the surface to the nearest source; inf beyond ``limit``.

    Parameters
        points : (n, 3) the present shape; sources : (s,) point indices
        at : (s,) distance already covered at each source (for a place between points); default 0
    Source: Dijkstra's shortest paths over edges, face diagonals and unfolded neighbouring triangles; a little longer
    than the true geodesic.
    """
    from scipy.sparse.csgraph import dijkstra

    sources = np.asarray(sources, np.int64)
    out = np.full(len(points), np.inf)
    if not len(sources):
        return out
    seeds = points[sources]
    near = np.flatnonzero(((points >= seeds.min(0) - limit) & (points <= seeds.max(0) + limit)).all(1))
    graph = surface_graph(obj, points, near)
    starts = np.searchsorted(near, sources)
    if at is None:
        out[near] = dijkstra(graph, directed=False, indices=starts, limit=limit, min_only=True)
        return out
    for start, covered in zip(starts, at, strict=True):
        found = dijkstra(graph, directed=False, indices=start, limit=max(limit - covered, 0.0))
        out[near] = np.minimum(out[near], found + covered)
    return out
