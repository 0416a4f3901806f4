"""Picked parts of a mesh."""

from __future__ import annotations

import numpy as np
from msgspec import Struct, field
from msgspec.structs import force_setattr

from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.topology import (
    edges,
)
from fictilis.core.ground.arrays import distinct, frozen

PICK_KINDS = ("points", "edges", "faces")


class Pick(Struct, frozen=True, eq=False, weakref=True):
    """Picked parts of a mesh: ``elements`` (k,) int64, sorted numbers of points, of edges or of faces, by ``kind``."""

    kind: str = "points"
    elements: np.ndarray = field(default_factory=lambda: np.zeros(0, np.int64))

    def __post_init__(self) -> None:
        if self.kind not in PICK_KINDS:
            raise ValueError(f"a pick is of {', '.join(PICK_KINDS)}, not of {self.kind}")
        force_setattr(self, "elements", frozen(distinct(np.asarray(self.elements, np.int64)), np.int64))

    def __len__(self) -> int:
        return len(self.elements)

    def same_as(self, other: Pick) -> bool:
        return self.kind == other.kind and np.array_equal(self.elements, other.elements)


def element_count(geometry: Geometry, kind: str) -> int:
    return {"points": geometry.point_count, "edges": len(edges(geometry)), "faces": geometry.face_count}[kind]
