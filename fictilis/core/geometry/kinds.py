"""What an object's points are joined by: the faces of a mesh, or the strands of a line. Points stay with the object,
since one geometry serves all its shapes."""

from __future__ import annotations

from functools import cached_property
from typing import ClassVar

import numpy as np
from msgspec import Struct
from msgspec.structs import force_setattr

from fictilis.core.animation.curve import AnimationCurve
from fictilis.core.ground.arrays import frozen

NO_CORNERS = frozen((), np.int32)
NO_FACES = frozen((0,), np.int32)
MOST_PROFILE = 4096
MOST_POINTS = 4_000_000  # that are made of one object, or drawn of its copies
WHOLE = (0.0, 1.0)  # of a line that is drawn from its beginning to its end


class Geometry(Struct, frozen=True, eq=False, weakref=True, dict=True):
    """Points joined by edges, and perhaps faces between them; see Mesh and Line.

    corners : (c,) int32, point index of each face corner, face after face; offsets : (m + 1,) int32, where each face
    starts in ``corners``. uvs : (u, 2) float64; uv_corners : (c,) int32 into ``uvs``, -1 for a corner without one.
    A geometry without faces has no corners and the one offset 0.
    """

    kind: ClassVar[str] = ""
    point_count: int = 0
    corners: np.ndarray = NO_CORNERS
    offsets: np.ndarray = NO_FACES
    uvs: np.ndarray | None = None
    uv_corners: np.ndarray | None = None

    @property
    def face_count(self) -> int:
        return len(self.offsets) - 1

    @cached_property
    def face_sizes(self) -> np.ndarray:
        """(m,) int32: corners of each face."""
        return frozen(np.diff(self.offsets), np.int32)

    def face(self, index: int) -> np.ndarray:
        """(k,) int32: point indices of one face."""
        return self.corners[self.offsets[index] : self.offsets[index + 1]]

    def next_corners(self) -> np.ndarray:
        """(c,) int64: the corner that follows within the same face."""
        following = np.arange(1, len(self.corners) + 1)
        full = self.face_sizes > 0
        following[self.offsets[1:][full] - 1] = self.offsets[:-1][full]
        return following

    def joined(self) -> tuple[np.ndarray, np.ndarray]:
        """Two (k,) int32: points that are joined, in any order and as often as they stand there."""
        raise NotImplementedError


class Mesh(Geometry, frozen=True, eq=False, weakref=True):
    """Faces as a flat corner list."""

    kind: ClassVar[str] = "mesh"

    def __post_init__(self) -> None:
        force_setattr(self, "corners", frozen(self.corners, np.int32))
        force_setattr(self, "offsets", frozen(self.offsets, np.int32))
        if (self.uvs is None) != (self.uv_corners is None):
            raise ValueError("texture coordinates and their corners come together")
        if self.uvs is not None and self.uv_corners is not None:
            force_setattr(self, "uvs", frozen(self.uvs, np.float64, 2))
            force_setattr(self, "uv_corners", frozen(self.uv_corners, np.int32))
            if len(self.uv_corners) != len(self.corners):
                raise ValueError(f"{len(self.corners)} corners, but {len(self.uv_corners)} of texture coordinates")
        if len(self.offsets) < 1 or self.offsets[0] != 0 or self.offsets[-1] != len(self.corners):
            raise ValueError("offsets must run from 0 to the number of corners")

    def joined(self) -> tuple[np.ndarray, np.ndarray]:
        return self.corners, self.corners[self.next_corners()]


class Tube(Struct, frozen=True, eq=False, weakref=True):
    """A profile led along a line: ``profile`` (k, 2) float64, counter-clockwise, about 1 across, times the line's width at each
    point; ``twist`` in degrees over each strand; ``caps`` close open ends. ``word`` says what the profile was made from.

    ``radius`` and ``turning`` are curves whose frames run from 0 to 1 along each strand, by its points: a factor of the width,
    and degrees that the profile is turned by besides the twist.
    """

    profile: np.ndarray
    twist: float = 0.0
    caps: bool = True
    word: str = "round"
    radius: AnimationCurve | None = None
    turning: AnimationCurve | None = None

    def __post_init__(self) -> None:
        force_setattr(self, "profile", frozen(self.profile, np.float64, 2))
        if not 3 <= len(self.profile) <= MOST_PROFILE or not np.isfinite(self.profile).all() or not np.isfinite(self.twist):
            raise ValueError(f"a profile of {len(self.profile):,} points; it has from 3 to {MOST_PROFILE:,}, all finite")
        for name, low in (("radius", 0.0), ("turning", -1e5)):
            for key in () if getattr(self, name) is None else getattr(self, name).keys:
                if not 0 <= key.frame <= 1:
                    raise ValueError(f"a tube's curve runs from 0 to 1 along the line; {key.frame:g} is outside")
                if not low <= key.value <= 1e5:
                    raise ValueError(f"the {name} of a tube must be from {low:g} to 100,000, not {key.value:g}")


class Line(Geometry, frozen=True, eq=False, weakref=True, kw_only=True):
    """Strands of points that follow one another, without faces.

    starts : (s + 1,) int32, where each strand starts among the points; closed : (s,) bool, whether its last point is joined
    to its first. degree : 1 to 3, of the curve that is drawn ``through`` the points or beside them, see splines. widths :
    (n,) float64, how wide it is drawn at each point, in cm, or None for a thin line; with a ``tube`` it is a surface.
    Raises ValueError unless every strand has two points, and a closed one three.
    """

    kind: ClassVar[str] = "line"
    starts: np.ndarray
    closed: np.ndarray
    degree: int = 1
    through: bool = True
    widths: np.ndarray | None = None
    tube: Tube | None = None

    def __post_init__(self) -> None:
        force_setattr(self, "starts", frozen(self.starts, np.int32))
        force_setattr(self, "closed", frozen(self.closed, np.bool_))
        if not len(self.starts) or self.starts[0] != 0:
            raise ValueError("the first strand of a line starts at its point 0")
        if len(self.starts) != len(self.closed) + 1:
            raise ValueError(f"{len(self.starts) - 1} strands, but {len(self.closed)} say whether they are closed")
        short = np.flatnonzero(self.counts < np.where(self.closed, 3, 2))
        if len(short):
            raise ValueError(f"strand {short[0] + 1} has {self.counts[short[0]]} points; 2 are needed, 3 when closed")
        force_setattr(self, "point_count", int(self.starts[-1]))
        if self.degree not in (1, 2, 3):
            raise ValueError(f"a line has degree 1, 2 or 3, not {self.degree}")
        if self.widths is not None:
            force_setattr(self, "widths", frozen(self.widths, np.float64))
            if len(self.widths) != self.point_count or not (self.widths >= 0).all():
                raise ValueError(f"{self.point_count} points need as many widths, none below 0")

    @property
    def counts(self) -> np.ndarray:
        """(s,) int32: points of each strand."""
        return np.diff(self.starts)

    @property
    def strand_count(self) -> int:
        return len(self.closed)

    def strand_of(self, points: np.ndarray) -> np.ndarray:
        """(k,) int64: the strand that each of some points is on."""
        return np.searchsorted(self.starts, points, side="right") - 1

    def joined(self) -> tuple[np.ndarray, np.ndarray]:
        onward = np.ones(self.point_count, bool)
        onward[self.starts[1:] - 1] = False
        along = np.flatnonzero(onward).astype(np.int32)
        first, last = self.starts[:-1][self.closed], self.starts[1:][self.closed] - 1
        return np.concatenate([along, last]), np.concatenate([along + 1, first])


class Match(Struct, frozen=True, eq=False, weakref=True):
    """What a target of a line was made of: another line and its points (m, 3), in cm in the object's space. ``shift`` moves
    the start along it, as a fraction of its length, from where the travel is least; ``backwards`` goes the other way round
    than is found; ``corners`` keeps corners."""

    line: Line
    points: np.ndarray
    shift: float = 0.0
    backwards: bool = False
    corners: bool = False

    def __post_init__(self) -> None:
        force_setattr(self, "points", frozen(self.points, np.float64, 3))
        if len(self.points) != self.line.point_count:
            raise ValueError(f"a line of {self.line.point_count} points with {len(self.points)} places")
