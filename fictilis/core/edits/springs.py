"""Edits of point springs: put on, changed, taken off, and turned into targets that move as they did."""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.arrays import lengths
from fictilis.core.edits.targets import append
from fictilis.core.errors import EditRefused
from fictilis.core.evaluate import evaluate_object
from fictilis.core.final import final_points
from fictilis.core.point_spring import PointSpring
from fictilis.core.scene import Deltas, MorphObject, Scene, Target
from fictilis.core.timeline import Lane

CLOSE = 0.01  # cm that targets may be off
MOST_TARGETS = 24
MOST_NUMBERS = 60_000_000  # of all frames together


def set_spring(scene: Scene, object_id: str, spring: PointSpring) -> Scene:
    """A point spring on an object. Raises EditRefused where its masses are those of other points."""
    obj = scene.object(object_id)
    if spring.field is not None and len(spring.field) != len(obj.base):
        raise EditRefused(f"The point spring has {len(spring.field):,} masses; {obj.name} has {len(obj.base):,} points.")
    return scene.with_object(replace(obj, spring=spring))


def change_spring(scene: Scene, object_id: str, **values: Any) -> Scene:
    """Other numbers of a point spring, or a first one. Raises EditRefused where they cannot be."""
    try:
        spring = replace(scene.object(object_id).spring or PointSpring(), **values)
    except ValueError as why:
        raise EditRefused(f"{str(why).capitalize()}.") from None
    return set_spring(scene, object_id, spring)


def leave_spring(scene: Scene, object_id: str) -> Scene:
    return scene.with_object(replace(_sprung(scene, object_id), spring=None))


def _sprung(scene: Scene, object_id: str) -> MorphObject:
    obj = scene.object(object_id)
    if obj.spring is None:
        raise EditRefused(f"{obj.name} has no point spring.")
    return obj


def bake_spring(
    scene: Scene, object_id: str, within: float = CLOSE, most: int = MOST_TARGETS
) -> tuple[Scene, list[str], float]:
    """Targets and lanes instead of a point spring: as many as it takes to be ``within`` so many cm, at most ``most``, each with
    a key a frame over the range. Returns the scene, the targets' ids, and how far it is off at frames, in cm.

    Source: the best few directions of what the spring adds, by a singular value decomposition (Eckart and Young 1936).
    """
    obj = _sprung(scene.with_object(scene.unlocked(object_id)), object_id)
    frames = np.arange(scene.start, scene.end + 0.5)
    if len(frames) * obj.base.size > MOST_NUMBERS:
        raise EditRefused(f"{obj.name} has {len(obj.base):,} points over {len(frames):,} frames; that is too much to be kept.")
    plain = replace(obj, spring=None)
    added = np.array([(final_points(scene, obj, f) - evaluate_object(plain, f, scene.fps)).ravel() for f in frames.tolist()])
    values, ways = np.linalg.eigh(added @ added.T)
    weights = ways[:, ::-1][:, : int((values > 0).sum())]
    scene, made = scene.with_object(plain), []
    rest = added.copy()
    off = _largest(rest)
    for column in weights.T[:most] if off > within else ():
        shape = column @ rest
        rest -= np.outer(column, shape)
        top = float(column[np.argmax(np.abs(column))])
        made.append((column / top, Deltas.from_dense((shape * top).reshape(-1, 3))))
        off = _largest(rest)
        if off <= within:
            break
    ids = []
    for number, (weight, deltas) in enumerate(made, 1):
        span = (min(float(weight.min()), 0.0), max(float(weight.max()), 0.0))
        scene, target_id = append(scene, scene.object(object_id), Target("", "", deltas, range=span), f"Float {number}")
        keys = [Key(frame, float(value), "linear") for frame, value in zip(frames.tolist(), weight, strict=True)]
        now = scene.object(object_id).with_lane(target_id, AnimationCurve.of(keys))
        if now.blend is not None:  # the other clip moves alike, so that what is between both does
            beside = AnimationCurve.of(replace(key, frame=key.frame - now.blend.offset) for key in keys)
            now = replace(now, blend=replace(now.blend, lanes=(*now.blend.lanes, Lane(target_id, beside))))
        scene = scene.with_object(now)
        ids.append(target_id)
    return scene, ids, off


def _largest(rows: np.ndarray) -> float:
    return float(lengths(rows.reshape(-1, 3)).max(initial=0.0))
