"""Topology operations that carry every shape through: each returns a Carry."""

from fictilis.core.geometry.carry.carry import Carry
from fictilis.core.geometry.carry.joining import (
    delete_faces,
    delete_points,
    ears,
    labels_within,
    mirror_weld,
    triangulate,
    weld,
)
from fictilis.core.geometry.carry.lifting import extrude, inset
from fictilis.core.geometry.carry.loop_cut import loop_cut
from fictilis.core.geometry.carry.subdivision import subdivide, subdivide_faces

__all__ = [
    "Carry", "delete_faces", "delete_points", "ears", "extrude", "inset", "labels_within", "loop_cut", "mirror_weld",
    "subdivide", "subdivide_faces", "triangulate", "weld",
]  # fmt: skip
