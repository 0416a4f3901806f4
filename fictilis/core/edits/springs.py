"""Edits of point springs: put on, changed, taken off; and what comes after a mix turned into targets that move as it did."""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import Key
from fictilis.core.at_frame.pose import Pose
from fictilis.core.edits.followers import keyed, with_lane_in_both
from fictilis.core.edits.targets import append
from fictilis.core.ground.arrays import lengths
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.following import followers
from fictilis.core.scene.deformers import DEFORMERS
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, Target
from fictilis.core.validity.objects import checked_spring

CLOSE = 0.01  # cm that targets may be off
MOST_TARGETS = 24
MOST_NUMBERS = 60_000_000  # of all frames together


def set_spring(scene: Scene, object_id: str, spring: PointSpring) -> Scene:
    """Put a point spring on an object. Raises EditRefused where its masses are those of other points."""
    obj = scene.object(object_id)
    checked_spring(obj, spring)
    return scene.with_object(replace(obj, spring=spring))


def change_spring(scene: Scene, object_id: str, **values: Any) -> Scene:
    """Change numbers of a point spring, or put one on. Raises EditRefused where they cannot be."""
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
        raise EditRefused(f"{obj.name} has no point spring; put one on it first.")
    return obj


def bake_spring(
    scene: Scene, object_id: str, within: float = CLOSE, most: int = MOST_TARGETS
) -> tuple[Scene, list[str], float]:
    """Replace a point spring by targets and lanes: as many as it takes to be ``within`` so many cm, at most ``most``, each with
    a key a frame over the range. Returns the scene, the targets' ids, and how far it is off at frames, in cm."""
    obj = _sprung(scene.with_object(scene.unlocked(object_id)), object_id)
    return _baked(scene, obj, replace(obj, spring=None), "Float", within, most)


def bake_deformers(
    scene: Scene, object_id: str, within: float = CLOSE, most: int = MOST_TARGETS
) -> tuple[Scene, list[str], float]:
    """As bake_spring, instead of bend, twist and taper. Raises EditRefused where a point spring follows them."""
    obj = scene.unlocked(object_id)
    if not obj.deformers:
        raise EditRefused(f"{obj.name} is not bent, twisted or tapered; bend, twist or taper it first.")
    if obj.spring is not None:
        raise EditRefused(f"The point spring of {obj.name} follows what bends it; make targets of the spring first.")
    scene, obj = _by_itself(scene, obj)
    return _baked(scene, obj, _straight(obj), "Bent", within, most)


def bake_all(scene: Scene, object_id: str) -> tuple[Scene, list[str], float]:
    """As bake_spring, instead of everything between the mix and the smooth surface."""
    scene, obj = _by_itself(scene, scene.unlocked(object_id))
    return _baked(scene, obj, replace(_straight(obj), spring=None), "Float", CLOSE, MOST_TARGETS)


def _by_itself(scene: Scene, obj: MorphObject) -> tuple[Scene, MorphObject]:
    """The scene and an object in which no weight follows how far it is bent: those that do get a key a frame."""
    led = followers(obj, [d.kind for d in obj.deformers])
    obj = keyed(obj, led, np.arange(scene.start, scene.end + 0.5), scene.fps)
    return scene.with_object(obj) if led else scene, obj


def _straight(obj: MorphObject) -> MorphObject:
    """Without bend, twist and taper, and their lanes."""
    blend = obj.blend and replace(obj.blend, lanes=tuple(x for x in obj.blend.lanes if x.channel not in DEFORMERS))
    return replace(obj, deformers=(), lanes=tuple(x for x in obj.lanes if x.channel not in DEFORMERS), blend=blend)


def _baked(
    scene: Scene, obj: MorphObject, plain: MorphObject, word: str, within: float, most: int
) -> tuple[Scene, list[str], float]:
    """Targets of ``plain``, which is the object without something that comes after its mix, that do as that did.

    Source: the best few directions of what it adds, by a singular value decomposition (Eckart and Young 1936).
    """
    object_id, frames = obj.id, np.arange(scene.start, scene.end + 0.5)
    if len(frames) * obj.base.size > MOST_NUMBERS:
        raise EditRefused(f"{obj.name} has {len(obj.base):,} points over {len(frames):,} frames; that is too much to be kept.")
    rows = [_added(scene, obj, plain, frame) for frame in frames.tolist()]
    added, missed = np.array([row.ravel() for row, _ in rows]), max(far for _, far in rows)
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
        scene, target_id = append(scene, scene.object(object_id), Target("", "", deltas, range=span), f"{word} {number}")
        keys = [Key(frame, float(value), "linear") for frame, value in zip(frames.tolist(), weight, strict=True)]
        scene = scene.with_object(with_lane_in_both(scene.object(object_id), target_id, keys))
        ids.append(target_id)
    return scene, ids, max(off, missed)


def _added(scene: Scene, obj: MorphObject, plain: MorphObject, frame: float) -> tuple[np.ndarray, float]:
    """(n, 3): how much more the mix would have to move at a frame for ``plain`` to be where the object is, and how far it would
    be off still, in cm: what bends does not reach every place."""
    wanted = Pose(scene, obj, frame).sprung
    bare = Pose(scene, replace(plain, skin=plain.skin and replace(plain.skin, on=False)), frame, springs=False)
    moved = Deltas(np.arange(len(wanted), dtype=np.int32), wanted - bare.points)
    added = bare.back(moved)[0].dense(len(wanted))
    return added, _largest(bare.forward(bare.mixed + added) - wanted)


def _largest(rows: np.ndarray) -> float:
    return float(lengths(rows.reshape(-1, 3)).max(initial=0.0))
