"""Edits of bend, twist and taper: put on, changed, taken off."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.deformers import Deformer, in_order, kept_to
from fictilis.core.scene.scene import Scene


def change_deformer(scene: Scene, object_id: str, kind: str, **values: Any) -> Scene:
    """Change numbers of a bend, a twist or a taper, or put one on. Raises EditRefused where they cannot be."""
    obj = scene.object(object_id)
    try:
        new = replace(obj.deformer(kind) or kept_to((Deformer(kind),), obj.base)[0], **values)
    except ValueError as why:
        raise EditRefused(f"{obj.name} cannot go through it: {why}.") from None
    return scene.with_object(replace(obj, deformers=in_order(obj.deformers, new)))


def fit_deformers(scene: Scene, object_id: str) -> Scene:
    """Let bend, twist and taper reach from end to end of the base as it is. Raises EditRefused for an object without any."""
    obj = scene.object(object_id)
    if not obj.deformers:
        raise EditRefused(f"{obj.name} is not bent, twisted or tapered; bend, twist or taper it first.")
    return scene.with_object(replace(obj, deformers=kept_to(obj.deformers, obj.base, anew=True)))


def leave_deformer(scene: Scene, object_id: str, kind: str) -> Scene:
    """Remove a bend, a twist or a taper, and its lane. Raises EditRefused for an object without it, and where a weight follows
    its amount."""
    obj = scene.object(object_id)
    if obj.deformer(kind) is None:
        raise EditRefused(f"{obj.name} has no {kind}.")
    followers = [t.name for t in obj.targets if t.follows is not None and t.follows.source == kind]
    if followers:
        raise EditRefused(f"{', '.join(followers)} of {obj.name} follows the {kind}; make it a plain target first.")
    lanes = tuple(lane for lane in obj.lanes if lane.channel != kind)
    return scene.with_object(replace(obj, deformers=tuple(d for d in obj.deformers if d.kind != kind), lanes=lanes))
