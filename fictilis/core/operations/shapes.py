"""Exact changes of what is picked as operations: on a target, an in-between of it, or the base."""

from __future__ import annotations

from collections.abc import Callable

from fictilis.core.edits.shape import move_shape
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.shapes import ShapeRef, shape_points
from fictilis.core.operations.table import Operation, Subject, Values
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping.exact import EXACT_CHANGES, Picked, change_exactly
from fictilis.core.shaping.reach import pick_weights


def _changing(change_id: str) -> Callable[[Subject, Values], Scene]:
    def run(s: Subject, v: Values) -> Scene:
        obj = s.scene.unlocked(s.obj.id)
        ref = ShapeRef(s.target_id if s.targets else None, s.at if s.targets else 1.0)
        if not ref.exists_in(obj):
            raise EditRefused(f"{s.target.name} has no in-between at {s.at:g}.")
        points = shape_points(obj, ref)
        picked = Picked(obj, points, s.points, pick_weights(obj, points, s.points, s.reach))
        return move_shape(s.scene, obj.id, ref, change_exactly(change_id, picked, v, s.mirror))

    return run


SHAPES = tuple(
    Operation("shape", change.id, change.label, _changing(change.id), change.parameters, ("pick",), change.note)
    for change in EXACT_CHANGES.values()
)
