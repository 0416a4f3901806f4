"""An object at a frame, stage by stage: mixed, bent, on its springs, smooth, skinned, and placed in the scene.

Whoever wants to know where points are asks here; no other module calls the stages.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from functools import cached_property

import numpy as np
from msgspec.structs import replace

from fictilis.core.at_frame.after import After, acts
from fictilis.core.at_frame.drawn import finer_of, shown_points
from fictilis.core.at_frame.rails import Rail, angles_of
from fictilis.core.at_frame.springs import Run, run_of
from fictilis.core.geometry.finer import Finer
from fictilis.core.geometry.kinds import WHOLE
from fictilis.core.geometry.lines.measuring import Measured
from fictilis.core.geometry.lines.splines import drawn
from fictilis.core.ground.affine import placed
from fictilis.core.ground.arrays import Recent
from fictilis.core.mix.acting import shares_at
from fictilis.core.mix.channels import Placement, own_placement, values_at
from fictilis.core.mix.delta_bank import mixed_points
from fictilis.core.scene.places import ALONG
from fictilis.core.scene.scene import Deltas, MorphObject, Scene

Posed = Mapping[str, Mapping[str, float]]
_places: Recent[MorphObject, tuple[np.ndarray, np.ndarray]] = Recent(2000)  # an export asks for each frame more than once


class Pose:
    """One object at one frame. A stage is worked out when it is first asked for, and kept: arrays are read only.

    ``posed`` are values by object and channel that win over lanes; ``shares`` (c,) are the coefficients of the mix where they
    are others than those of the lanes. A point spring knows lanes only, so that it rests while values of its object are posed,
    and where no ``springs`` are wanted.
    """

    def __init__(
        self, scene: Scene, obj: MorphObject, frame: float, posed: Posed | None = None, shares: np.ndarray | None = None,
        springs: bool = True,
    ) -> None:  # fmt: skip
        self.scene, self.obj, self.frame, self.posed = scene, obj, float(frame), posed or {}
        self.late = False  # whether springs were asked for that are not worked out yet; see ``springs.in_time``
        self._springs = springs
        if shares is not None:
            self.shares = shares

    @property
    def values(self) -> Mapping[str, float]:
        """The value of each channel by its id."""
        return values_at(self.obj, self.frame, self.posed.get(self.obj.id), self.scene.fps)

    @cached_property
    def shares(self) -> np.ndarray:
        """(c,) float64: the coefficients of the mix's columns."""
        return shares_at(self.obj, self.frame, self.posed.get(self.obj.id), self.scene.fps)

    @cached_property
    def after(self) -> After | None:
        """What bends and skins the mix; None where nothing does."""
        return After(self.obj, self.values) if acts(self.obj) else None

    @cached_property
    def run(self) -> Run | None:
        """The motion of the point spring; None without one."""
        if self.obj.spring is None or not self._springs or self.posed.get(self.obj.id):
            return None
        return run_of(self.scene, self.obj, _followed)

    @cached_property
    def mixed(self) -> np.ndarray:
        """(n, 3) float64 in object space: the mix."""
        return mixed_points(self.obj, self.shares)

    @cached_property
    def bent(self) -> np.ndarray:
        """(n, 3) float64: the mix, bent, twisted and tapered."""
        return self.mixed if self.after is None else self.after.cage(self.mixed)

    @cached_property
    def sprung(self) -> np.ndarray:
        """(n, 3) float64: the bent mix on its springs."""
        found = None if self.run is None else self.run.points(self.scene, self.frame)
        self.late = self.run is not None and found is None
        return self.bent if found is None else found

    @cached_property
    def points(self) -> np.ndarray:
        """(n, 3) float64 in object space: where the object's own points are at last, skinned."""
        return self.sprung if self.after is None else self.after.posed(self.sprung)

    @cached_property
    def surface(self) -> Finer | None:
        """The smooth surface that the object is seen as, if it is."""
        return finer_of(self.obj)

    @cached_property
    def fine(self) -> np.ndarray | None:
        """(n', 3) float64 in object space: the points of the smooth surface, skinned."""
        if self.surface is None:
            return None
        return self.surface.of(self.sprung) if self.after is None else self.after.fine(self.sprung, self.surface)

    @property
    def seen(self) -> np.ndarray:
        """(m, 3) float64 in object space: the points of the smooth surface, or the object's own where there is none."""
        return self.points if self.fine is None else self.fine

    def drawn(self, part: tuple[float, float] = WHOLE) -> np.ndarray:
        """(m, 3) float64 in object space: the points of ``as_drawn``; a line is drawn in ``part``."""
        return shown_points(self.obj, self.points, part) if self.fine is None else self.fine

    @cached_property
    def placement(self) -> Placement:
        """How the object stands. One that follows a line has its pivot there, its own position counting from that place (turned
        with the line where it turns with it), and its Z axis along the line, Y up as far as that goes at the beginning."""
        own = own_placement(self.obj, self.frame, self.posed.get(self.obj.id), self.scene.fps)
        along = self.obj.along
        if along is None:
            return own
        line = Pose(self.scene, self.scene.object(along.line), self.frame, self.posed)
        where, axes = line.place_on(float(self.values[ALONG]), along.even)
        turn = axes.T if along.turn else np.eye(3)
        old = own.transform
        position = where + turn @ np.array(old.position) - np.array(old.pivot)
        rotation = angles_of(turn @ old.rotation_matrix()) if along.turn else old.rotation
        return replace(own, transform=replace(old, position=tuple(position.tolist()), rotation=rotation))

    @property
    def matrix(self) -> np.ndarray:
        """(4, 4): object space to scene space, of the object itself; see ``copies`` for those of a repeated one."""
        return self.placement.transform.matrix()

    @property
    def in_scene(self) -> np.ndarray:
        """(n, 3) float64 in scene space: the object's own points."""
        return placed(self.points, self.matrix)

    def place_on(self, value: float, even: bool = True) -> tuple[np.ndarray, np.ndarray]:
        """A place (3,) in the scene on the first strand of a line, and axes there (3, 3): across, up, along.

        ``value`` runs from 0 to 1 along it, by its length or (not ``even``) by its points; around a closed strand it goes on.
        """
        own = tuple(sorted(self.posed.get(self.obj.id, {}).items()))
        run = None if self.run is None else self.run.number
        key = (value, self.frame, own, self.scene.fps, self.matrix.tobytes(), even, run)
        known = _places.get(self.obj, key)
        if known is not None:
            return known
        fine = drawn(self.obj.line)
        strand = Measured(fine.line, placed(fine.of(self.points), self.matrix), 0)
        places, axes = Rail(strand).at(np.array([value]), even)
        found = places[0], axes[0]
        return found if self.late else _places.put(self.obj, key, found)

    def forward(self, mixed: np.ndarray, rows: np.ndarray | None = None) -> np.ndarray:
        """Points (n, 3) of a mix as they would be seen, without springs; of those numbered ``rows`` (k,), where given."""
        return mixed if self.after is None else self.after.forward(mixed, rows)

    def back(self, moved: Deltas) -> tuple[Deltas, int]:
        """What has to move in the mix so that what is seen moves by ``moved``, without springs; and how many points were left
        alone, because what they go through is near singular."""
        return (moved, 0) if self.after is None else self.after.back(self.mixed, moved)


def _followed(scene: Scene, obj: MorphObject, frame: float) -> Pose:
    return Pose(scene, obj, frame, springs=False)


def placement(scene: Scene, obj: MorphObject, frame: float, posed: Posed | None = None) -> Placement:
    """How an object stands at a frame; see ``Pose.placement``."""
    return Pose(scene, obj, frame, posed).placement


def poses_over(scene: Scene, obj: MorphObject, frames: Iterable[float]) -> Iterator[Pose]:
    """An object at each of some frames."""
    at = [float(frame) for frame in frames]
    over = shares_at(obj, np.array(at), fps=scene.fps) if at else np.zeros((0, 0))
    for frame, shares in zip(at, np.ascontiguousarray(over.T), strict=True):
        yield Pose(scene, obj, frame, shares=shares)


def evaluate(scene: Scene, frame: float) -> dict[str, np.ndarray]:
    """Final points (n, 3) float64 of each object by name, each in its own space."""
    return {obj.name: Pose(scene, obj, frame).points for obj in scene.objects}


def evaluate_frames(scene: Scene, object_id: str, frames: Iterable[float]) -> np.ndarray:
    """(f, n, 3) float64: final points of one object at each of ``frames``, in its own space; as ``evaluate`` of each."""
    obj = scene.object(object_id)
    rows = [pose.points for pose in poses_over(scene, obj, frames)]
    return np.array(rows) if rows else np.zeros((0, len(obj.base), 3))
