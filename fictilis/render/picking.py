"""Which place of a surface or of a line, and which points, lie under a pixel. No Qt."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from fictilis.core.geometry.kinds import Geometry, Line
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.geometry.topology import edges, faces_at, ranges, triangles
from fictilis.core.ground.affine import placed
from fictilis.core.ground.arrays import box, cached_by_identity, lengths
from fictilis.render.camera import Camera
from fictilis.render.items import Many
from fictilis.render.stage import StageItem

REACH = 12.0  # pixels from a point within which a click takes it


class Hit(Struct, frozen=True, eq=False, weakref=True):
    """A place on a surface or a line: scene position (3,), distance along the ray, the face and its point indices; on a line
    the face is -1, and the points are the ends of the edge."""

    place: np.ndarray
    distance: float
    face: int
    points: np.ndarray


def hit_shape(
    geometry: Geometry, points: np.ndarray, camera: Camera, at: tuple[float, float], size: tuple[int, int]
) -> Hit | None:
    """What of an object with scene points (n, 3) lies under a pixel of a picture of some size."""
    if isinstance(geometry, Line):
        return _hit_line(geometry, points, camera, at, size)
    return hit_mesh(geometry, points, *camera.ray(*at, *size))


def hit_item(item: StageItem, camera: Camera, at: tuple[float, float], size: tuple[int, int]) -> Hit | None:
    """What of an item on the stage, or of one of its copies, lies under a pixel."""
    best = hit_shape(item.obj.geometry, item.in_scene(), camera, at, size)
    many = item.many
    for number in near_copies(many, camera.ray(*at, *size)) if many is not None else ():
        assert many is not None
        points = placed(many.points[many.poses[number]].astype(np.float64), many.matrices[number])
        hit = hit_shape(item.obj.geometry, points, camera, at, size)
        if hit is not None and (best is None or hit.distance < best.distance):
            best = hit
    return best


def near_copies(many: Many, ray: tuple[np.ndarray, np.ndarray]) -> np.ndarray:
    """(k,) the copies that a ray may meet: within a ball around all poses, a little more for what is thin."""
    low, high = box(many.points.reshape(-1, 3))
    middle, (origin, direction) = (low + high) / 2, ray
    places = many.matrices[:, :3, :3] @ middle + many.matrices[:, :3, 3]
    reach = np.linalg.norm(high - low) / 2 * np.linalg.norm(many.matrices[:, :3, :3], axis=1).max(axis=1)
    away = places - origin
    gap = lengths(away - (away @ direction)[:, None] * direction)
    return np.flatnonzero(gap <= 1.1 * reach + REACH * 1e-3 * lengths(away))


def _hit_line(line: Line, points: np.ndarray, camera: Camera, at: tuple[float, float], size: tuple[int, int]) -> Hit | None:
    """The place of a line, as it is drawn, that lies nearest to a pixel, within reach of a click."""
    curve = drawn(line)
    fine = curve.of(points)
    pixels, depth = camera.project(fine, *size)
    pairs = edges(curve.line)
    pairs = pairs[(depth[pairs] < 1).all(axis=1)]
    if not len(pairs):
        return None
    gap, part = segment_gaps(pixels[pairs[:, 0]], pixels[pairs[:, 1]], np.array(at))
    best = int(np.argmin(gap))
    a, b = pairs[best]
    place = fine[a] + part[best] * (fine[b] - fine[a])
    wide = 0.0 if curve.line.widths is None else float(curve.line.widths[[a, b]].mean())
    if gap[best] > max(REACH, _pixels(camera, place, wide, size) / 2):
        return None
    if line.degree > 1:
        low, high = np.sort(np.floor(curve.places[[a, b]]).astype(int))
        a, b = (low, min(low + 1, line.point_count - 1)) if high - low <= 1 else (low, high)
    return Hit(place, float(np.linalg.norm(place - camera.ray(*at, *size)[0])), -1, np.array([a, b]))


def _pixels(camera: Camera, place: np.ndarray, length: float, size: tuple[int, int]) -> float:
    """How many pixels a length in cm is at a place."""
    up = camera.axes()[1]
    (here, there), _ = camera.project(np.stack([place, place + length * up]), *size)
    return float(np.linalg.norm(there - here))


def segment_gaps(a: np.ndarray, b: np.ndarray, at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Distances of places ``at`` from the segments a to b, and how far along them (0…1) the nearest place is; all broadcast
    over (…, 2)."""
    along = b - a
    square = np.maximum((along**2).sum(axis=-1), 1e-12)
    part = np.clip(((at - a) * along).sum(axis=-1) / square, 0, 1)
    return np.sqrt(((at - a - part[..., None] * along) ** 2).sum(axis=-1)), part


def hit_mesh(mesh: Geometry, points: np.ndarray, origin: np.ndarray, direction: np.ndarray) -> Hit | None:
    """The nearest place where a ray meets the triangles of a mesh with points (n, 3)."""
    if not len(triangles(mesh).points):
        return None
    # only triangles whose points lie on more than one side of the ray can be met
    right = np.cross(direction, [0.0, 1.0, 0.0] if abs(direction[1]) < 0.9 else [1.0, 0.0, 0.0])
    right /= np.linalg.norm(right)
    plane = np.stack([right, np.cross(right, direction)])
    x, y = plane @ points.T - (plane @ origin)[:, None]
    sides = (x <= 0) | (x >= 0).view(np.uint8) << 1 | (y <= 0).view(np.uint8) << 2 | (y >= 0).view(np.uint8) << 3
    corners = triangles(mesh).points
    near = np.flatnonzero((sides[corners[:, 0]] | sides[corners[:, 1]] | sides[corners[:, 2]]) == 15)
    return hit_triangles(mesh, points, near, origin, direction)


def triangles_at(mesh: Geometry, points: np.ndarray) -> np.ndarray:
    """(k,) numbers of the triangles of all faces that use any of ``points`` (p,)."""
    starts = _first_triangles(mesh)
    faces = faces_at(mesh, points)
    return ranges(starts[faces], starts[faces + 1])


@cached_by_identity
def _first_triangles(mesh: Geometry) -> np.ndarray:
    return np.searchsorted(triangles(mesh).faces, np.arange(mesh.face_count + 1))


def hit_triangles(
    mesh: Geometry, points: np.ndarray, numbers: np.ndarray, origin: np.ndarray, direction: np.ndarray
) -> Hit | None:
    """The nearest place where a ray meets some of a mesh's triangles, given by their ``numbers`` (k,).

    Source: Möller and Trumbore (1997), Fast, Minimum Storage Ray/Triangle Intersection.
    """
    if not len(numbers):
        return None
    plan = triangles(mesh)
    a, b, c = (points[plan.points[numbers, k]] for k in range(3))
    e1, e2 = b - a, c - a
    p = np.cross(direction, e2)
    det = np.einsum("ij,ij->i", e1, p)
    safe = np.where(np.abs(det) < 1e-14, np.inf, det)
    s = origin - a
    u = np.einsum("ij,ij->i", s, p) / safe
    q = np.cross(s, e1)
    v = q @ direction / safe
    t = np.einsum("ij,ij->i", e2, q) / safe
    inside = (u >= -1e-9) & (v >= -1e-9) & (u + v <= 1 + 1e-9) & (t > 0) & np.isfinite(safe)
    if not inside.any():
        return None
    best = np.flatnonzero(inside)[np.argmin(t[inside])]
    face = int(plan.faces[numbers[best]])
    return Hit(origin + t[best] * direction, float(t[best]), face, mesh.face(face))


def visible_points(points: np.ndarray, camera: Camera, width: int, height: int, depth: np.ndarray) -> np.ndarray:
    """(n,) bool: scene points (n, 3) inside the picture that nothing in ``depth`` (h, w) hides."""
    pixels, distance = camera.project(points, width, height)
    rows, columns = depth.shape
    x = np.floor(pixels[:, 0] * columns / width)
    y = np.floor(pixels[:, 1] * rows / height)
    inside = (x >= 0) & (y >= 0) & (x < columns) & (y < rows) & (distance < 1)
    out = np.zeros(len(points), bool)
    # a point on an outline shares its pixel with what lies behind or before it: the deepest of its neighbours counts
    xi, yi = x[inside].astype(int), y[inside].astype(int)
    deepest = np.max(
        [depth[np.clip(yi + dy, 0, rows - 1), np.clip(xi + dx, 0, columns - 1)] for dy in (-1, 0, 1) for dx in (-1, 0, 1)],
        axis=0,
    )
    out[inside] = distance[inside] <= deepest + 2e-5
    return out


def nearest_point(pixels: np.ndarray, allowed: np.ndarray, x: float, y: float) -> int | None:
    """The allowed point whose pixel (n, 2) is nearest to x, y and within reach of a click."""
    square = (pixels[:, 0] - x) ** 2 + (pixels[:, 1] - y) ** 2
    square = np.where(allowed, square, np.inf)
    best = int(np.argmin(square)) if len(square) else -1
    return best if best >= 0 and square[best] <= REACH**2 else None
