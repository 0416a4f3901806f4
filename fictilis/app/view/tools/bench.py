"""What a tool works on. Tools are generators: they start with the press, take each later event by ``yield``, and end
with the stroke. No widgets in here."""

from __future__ import annotations

from collections.abc import Callable, Generator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from fictilis.app.model.document import Document
from fictilis.core.geometry.topology import edges
from fictilis.core.ground.affine import placed
from fictilis.core.ground.arrays import extent
from fictilis.core.ground.errors import there
from fictilis.core.scene.scene import Deltas
from fictilis.core.scene.twins import twin_groups
from fictilis.core.shaping.dabs import columns_of
from fictilis.core.shaping.exact import Picked, joined_normals
from fictilis.core.shaping.reach import displacement, pick_weights
from fictilis.render.camera import Camera
from fictilis.render.picking import Hit, hit_shape, visible_points
from fictilis.render.stage import StageItem


@dataclass(frozen=True)
class Event:
    """``kind`` is press, move, release or type; type carries ``amounts`` by axis (None: the picture's own, or all), or None.

    ``pressure`` 0…1 comes from a tablet; a mouse presses with 1.
    """

    kind: str
    x: float
    y: float
    shift: bool = False
    control: bool = False
    amounts: dict[int | None, float] | None = None
    pressure: float = 1.0


@dataclass(frozen=True)
class Snap:
    """What a move snapped to: a place (3,) in the scene, and what it is."""

    place: np.ndarray
    said: str


Stroke = Generator[None, Event, None]


@dataclass(eq=False)
class Bench:
    """The shaped item as shown, the camera, and ways to show and commit a change.

    ``show`` takes a displacement in object space or None; ``show_line`` a polyline on the screen (k, 2), or None.
    ``show_mask`` takes a mask (n,) being painted, ``show_snap`` what a move snapped to, or None; ``others`` are the other items
    in sight.
    """

    doc: Document
    item: StageItem
    camera: Camera
    width: int
    height: int
    depth: Callable[[], np.ndarray]
    show: Callable[[Deltas | None], None]
    commit: Callable[[Deltas, str], None]
    show_line: Callable[[np.ndarray | None], None]
    show_mask: Callable[[np.ndarray | None], None]
    show_snap: Callable[[Snap | None], None]
    others: Callable[[], list[StageItem]]

    def __post_init__(self) -> None:
        self.tools = self.doc.tools
        self._anchors: dict[int, tuple[np.ndarray, np.ndarray, np.ndarray]] = {}

    @cached_property
    def points(self) -> np.ndarray:
        """(n, 3) float64 in object space, as shown at the start, without the rounding of pictures."""
        return self.item.exact_points()

    @cached_property
    def columns(self) -> np.ndarray:
        return columns_of(self.points)

    @cached_property
    def scene_points(self) -> np.ndarray:
        return placed(self.points, self.item.matrix)

    @cached_property
    def to_object(self) -> np.ndarray:
        return np.linalg.inv(self.item.matrix[:3, :3])

    @cached_property
    def pixels(self) -> np.ndarray:
        """(n, 2): where the points are in the picture."""
        return self.camera.project(self.scene_points, self.width, self.height)[0]

    def hit(self, x: float, y: float, points: np.ndarray | None = None) -> Hit | None:
        """What is under the pixel; on ``points`` (n, 3) in the scene where a stroke has moved them."""
        cloud = self.scene_points if points is None else points
        return hit_shape(self.item.obj.geometry, cloud, self.camera, (x, y), (self.width, self.height))

    def place(self, hit: Hit) -> np.ndarray:
        """A hit's place (3,) in object space."""
        return self.to_object @ (hit.place - self.item.matrix[:3, 3])

    @cached_property
    def reachable(self) -> np.ndarray:
        """(n,) bool: points that a pick may take."""
        if self.doc.tools.through:
            return self.camera.project(self.scene_points, self.width, self.height)[1] < 1
        return visible_points(self.scene_points, self.camera, self.width, self.height, self._depths)

    @cached_property
    def _depths(self) -> np.ndarray:
        return self.depth()

    def anchors(self, item: StageItem) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Another item's points (n, 3) in the scene, their pixels (n, 2), and (n,) which of them can be seen."""
        if id(item) not in self._anchors:
            places, size = item.in_scene(), (self.width, self.height)
            seen = visible_points(places, self.camera, *size, self._depths)
            self._anchors[id(item)] = places, self.camera.project(places, *size)[0], seen
        return self._anchors[id(item)]

    @cached_property
    def picked(self) -> np.ndarray:
        return self.doc.picks()

    @cached_property
    def weights(self) -> np.ndarray:
        """(n,) in 0…1: the pick with its falloff."""
        return pick_weights(self.item.obj, self.points, self.picked, self.doc.tools.reach)

    @property
    def protect(self) -> np.ndarray | None:
        """What brushes may change: the pick with its soft border, or everything while nothing is picked."""
        return self.weights if len(self.picked) else None

    @cached_property
    def near(self) -> np.ndarray:
        return np.flatnonzero(self.weights > 0)

    def as_picked(self) -> Picked:
        return Picked(self.item.obj, self.points, self.picked, self.weights)

    def to_deltas(self, moved: np.ndarray) -> Deltas:
        """A displacement (k, 3) in the scene of the points ``near``, mirrored and in object space."""
        return displacement(self.item.obj, self.near, self.weights[self.near], moved @ self.to_object.T, self.doc.tools.mirror)

    @cached_property
    def axes(self) -> np.ndarray:
        """(3, 3): rows are the directions of the handles in the scene; the third is the normal, where that is asked."""
        way = self.doc.tools.axes
        if way == "Object":
            linear = self.item.matrix[:3, :3]
            return (linear / np.linalg.norm(linear, axis=0)).T
        if way == "Normal" and len(self.picked):
            normal = joined_normals(self.item.obj, self.points)[self.picked].sum(axis=0) @ self.to_object
            length = np.linalg.norm(normal)
            if length > 1e-9:
                normal = normal / length
                side = np.cross([0.0, 1.0, 0.0] if abs(normal[1]) < 0.95 else [0.0, 0.0, 1.0], normal)
                side /= np.linalg.norm(side)
                return np.stack([side, np.cross(normal, side), normal])
        return np.eye(3)

    @property
    def axis_names(self) -> str:
        return "XYN" if self.doc.tools.axes == "Normal" else "XYZ"

    @cached_property
    def pivot(self) -> np.ndarray | None:
        """Where the handles stand (3,), in the scene; None without a pick."""
        tools = self.doc.tools
        if not len(self.picked):
            return None
        if tools.pivot == "Placed" and tools.pivot_place is not None:
            return np.array(tools.pivot_place)
        if tools.pivot == "Object":
            transform = self.item.obj.transform
            return self.item.matrix[:3, :3] @ np.array(transform.pivot) + self.item.matrix[:3, 3]
        return self.scene_points[self.picked].mean(axis=0)

    @cached_property
    def extents(self) -> np.ndarray:
        """(3,): how large the pick is along the axes, in the scene."""
        return extent(self.scene_points[self.picked] @ self.axes.T)

    @property
    def about(self) -> np.ndarray:
        """(3,): the pivot, where something is picked."""
        return there(self.pivot)

    @cached_property
    def pivots(self) -> np.ndarray:
        """(3,), or (k, 3) for the points ``near``: about which place each one turns and scales."""
        if self.doc.tools.pivot != "Islands":
            return self.about
        islands = self._islands()
        middles = (
            np.stack([np.bincount(islands, self.scene_points[self.picked, k]) for k in range(3)], axis=1)
            / np.bincount(islands)[:, None]
        )
        if len(middles) == 1:
            return middles[0]
        # a point in the falloff goes with the nearest picked point
        from scipy.spatial import cKDTree

        nearest = cKDTree(self.scene_points[self.picked]).query(self.scene_points[self.near])[1]
        return middles[islands[nearest]]

    def _islands(self) -> np.ndarray:
        """(k,) int: which island each picked point is in: points joined by edges among the pick."""
        from scipy.sparse import coo_array
        from scipy.sparse.csgraph import connected_components

        place = np.full(len(self.points), -1)
        place[self.picked] = np.arange(len(self.picked))
        groups = twin_groups(self.item.obj)
        order = self.picked[np.argsort(groups[self.picked], kind="stable")]
        same = groups[order][1:] == groups[order][:-1]
        pairs = np.concatenate([edges(self.item.obj.geometry), np.stack([order[:-1][same], order[1:][same]], axis=1)])
        pairs = place[pairs]
        pairs = pairs[(pairs >= 0).all(axis=1)]
        size = len(self.picked)
        graph = coo_array((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(size, size))
        return connected_components(graph, directed=False)[1]

    def drag(self, at: np.ndarray, dx: float, dy: float) -> np.ndarray:
        """A drag on the screen as a vector in object space."""
        return self.to_object @ self.camera.drag(at, dx, dy, self.height)

    def unit(self, at: np.ndarray) -> float:
        """Scene units a pixel at a place (3,) in the scene."""
        return float(np.linalg.norm(self.camera.drag(at, 1.0, 0.0, self.height)))

    def brush_size(self, at: np.ndarray) -> float:
        """The brush's radius in object units at a place (3,) in the scene."""
        tools = self.doc.tools
        return (tools.size_px * self.unit(at) if tools.in_px else tools.size) / self.scale

    @property
    def scale(self) -> float:
        """The object's mean scale: scene units for one of its own."""
        return max(float(np.cbrt(abs(np.linalg.det(self.item.matrix[:3, :3])))), 1e-12)
