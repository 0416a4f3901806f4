"""Edits of repeats: copies of an object, and what they become when they are to be objects or points of their own."""

from __future__ import annotations

from functools import partial
from operator import add
from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.at_frame.copies import copies
from fictilis.core.at_frame.rails import angles_of
from fictilis.core.edits.followers import keyed
from fictilis.core.edits.objects import add_objects, on_rig_of_its_own
from fictilis.core.edits.timing import bake, map_frames
from fictilis.core.geometry.tiled import tiled
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channel_kinds import AXES, OBJECT_KINDS
from fictilis.core.mix.following import followers
from fictilis.core.mix.relay import relays
from fictilis.core.scene.appearance import Texture
from fictilis.core.scene.places import ALONG, Transform
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.scene import BLEND, Deltas, MorphObject, Scene, Target
from fictilis.core.validity.scenes import checked_repeat

MOST_OBJECTS = 1_000
MOTION = tuple(i for i in OBJECT_KINDS if "." in i)


def set_repeat(scene: Scene, object_id: str, repeat: Repeat) -> Scene:
    """Repeat an object. Raises EditRefused where there would be none, or more points than are drawn here."""
    obj = scene.object(object_id)
    checked_repeat(scene, obj, repeat)
    return scene.with_object(replace(obj, repeat=repeat))


def change_repeat(scene: Scene, object_id: str, **values: Any) -> Scene:
    """Change numbers of a repeat, or make one. Raises EditRefused where they cannot be."""
    obj = scene.object(object_id)
    try:
        repeat = replace(obj.repeat or Repeat(), **values)
    except ValueError as why:
        raise EditRefused(f"{obj.name} cannot be repeated so: {why}.") from None
    return set_repeat(scene, object_id, repeat)


def leave_repeat(scene: Scene, object_id: str) -> Scene:
    """Remove the copies of an object."""
    return scene.with_object(replace(_repeated(scene, object_id), repeat=None))


def _repeated(scene: Scene, object_id: str) -> MorphObject:
    obj = scene.object(object_id)
    if obj.repeat is None:
        raise EditRefused(f"{obj.name} is not repeated; repeat it first.")
    return obj


def one_object(scene: Scene, object_id: str, frame: float) -> Scene:
    """The copies as points of the object itself, with every target, as they stand at a frame. Raises EditRefused where copies
    move at different times, or each is bent or moved by a rig where it stands, which one object cannot."""
    obj = _repeated(scene.with_object(scene.unlocked(object_id)), object_id)
    if obj.skin is not None:
        raise EditRefused(
            f"{obj.name} hangs on a rig, which would move its copies as one; make objects of them, or take it off the rig."
        )
    bent = [d.kind for d in obj.deformers if d.on]
    if bent:
        raise EditRefused(
            f"The {bent[0]} of {obj.name} would go through its copies as one; make objects of them, or let it rest."
        )
    spread = copies(scene, obj, frame)
    if spread.delays.any():
        raise EditRefused(f"The copies of {obj.name} move at different times; make objects of them, or let none be later.")
    single = replace(obj, repeat=None)
    home = np.linalg.inv(copies(scene, single, frame).matrices[0])
    return scene.with_object(_tiled(single, home @ spread.matrices))


def _tiled(obj: MorphObject, matrices: np.ndarray) -> MorphObject:
    """An object with its points as often as there are matrices (k, 4, 4), each through one of them."""
    linear, count = matrices[:, :3, :3], len(obj.base)

    def through(rows: np.ndarray) -> np.ndarray:
        return np.einsum("kij,nj->kni", linear, rows).reshape(-1, 3)

    def deltas(old: Deltas) -> Deltas:
        indices = (np.arange(len(matrices))[:, None] * count + old.indices).ravel()
        return Deltas(indices, through(old.offsets))

    def target(old: Target) -> Target:
        stages = tuple(replace(s, deltas=deltas(s.deltas)) for s in old.in_betweens)
        mask = None if old.mask is None else np.tile(old.mask, len(matrices))
        sweep = None if old.sweep is None else replace(old.sweep, field=np.tile(old.sweep.field, len(matrices)))
        return replace(old, deltas=deltas(old.deltas), in_betweens=stages, mask=mask, sweep=sweep, match=None)

    base = (through(obj.base).reshape(len(matrices), -1, 3) + matrices[:, None, :3, 3]).reshape(-1, 3)
    look, texture = obj.appearance, obj.appearance.texture
    if isinstance(texture, Texture) and texture.projected is not None:
        look = replace(look, texture=replace(texture, projected=np.tile(texture.projected, (len(matrices), 1))))
    sprung = obj.spring
    if sprung is not None and sprung.field is not None:
        sprung = replace(sprung, field=np.tile(sprung.field, len(matrices)))
    return replace(
        obj, base=base, geometry=tiled(obj.geometry, len(matrices)), targets=tuple(map(target, obj.targets)), form=None,
        picks=(), appearance=look, spring=sprung,
    )  # fmt: skip


def many_objects(scene: Scene, object_id: str) -> tuple[Scene, list[str]]:
    """Each copy as an object of its own with lanes of its own, later where it is later; the object becomes the first. What
    moves as a whole gets a key a frame. Returns the scene and the ids, the object's first.

    Raises EditRefused for more than MOST_OBJECTS, and where a copy is turned in a space that is scaled unevenly.
    """
    obj = _repeated(scene, object_id)
    count = scene.copy_count(obj)
    if count > MOST_OBJECTS:
        raise EditRefused(f"{obj.name} is {count:,} copies; up to {MOST_OBJECTS:,} become objects.")
    scene = scene.with_object(_led_by_keys(scene, obj))
    obj = scene.object(object_id)
    frames = _frames(scene, obj)
    spread = [copies(scene, obj, frame) for frame in frames]
    stands = [[_apart(obj, matrix) for matrix in c.matrices] for c in spread]
    rest = tuple(lane for lane in obj.lanes if lane.channel not in (*MOTION, ALONG))
    rows = [(obj.name, obj.geometry, obj.base, obj.appearance)] * (count - 1)
    scene, made = add_objects(scene, rows)
    ids = [object_id, *made]
    for number, new_id in enumerate(ids):
        new = scene.object(new_id)
        later = float(spread[0].delays[number])
        single = replace(
            obj, id=new.id, name=new.name, repeat=None, along=None, lanes=rest, transform=stands[0][number],
            targets=tuple(replace(t, link=None) for t in obj.targets) if number or later else obj.targets,
        )  # fmt: skip
        if number:  # it moves at its own time
            single = on_rig_of_its_own(single)
        scene = _later(scene.with_object(single), new_id, later)
        if len(frames) > 1:
            scene = _moving(scene, new_id, frames, [row[number] for row in stands])
    return scene, ids


def _led_by_keys(scene: Scene, obj: MorphObject) -> MorphObject:
    """An object whose weights follow no number of where it stands, since its copies stand elsewhere, and that plays one clip,
    since two are played alike by all objects: a key a frame with the values that it has. Raises EditRefused for a relay between
    two clips, which has no values."""
    led = set(followers(obj, OBJECT_KINDS))
    if obj.blend is not None:
        if relays(obj):
            raise EditRefused(f"{obj.name} is a relay that plays two clips; make one of them active first.")
        led |= {lane.channel for lane in (*obj.lanes, *obj.blend.lanes) if lane.channel != BLEND}
    if not led:
        return obj
    frames = np.arange(scene.start - max(abs(obj.repeat.later) if obj.repeat is not None else 0.0, 1.0), scene.end + 0.5)
    obj = keyed(obj, led, frames, scene.fps)
    return replace(obj, blend=None, lanes=tuple(x for x in obj.lanes if x.channel != BLEND))


def _frames(scene: Scene, obj: MorphObject) -> list[float]:
    """The frames at which copies have to be looked at to know where they are."""
    other = scene.object(obj.repeat.other) if obj.repeat is not None and obj.repeat.other is not None else None
    moving = obj.along is not None or any(lane.channel in MOTION for lane in obj.lanes)
    if other is not None and (other.lanes or other.along is not None) or moving:
        return np.arange(scene.start, scene.end + 0.5).tolist()
    return [scene.start]


def _apart(obj: MorphObject, matrix: np.ndarray) -> Transform:
    """The transform with the object's pivot that a matrix is."""
    scale = np.linalg.norm(matrix[:3, :3], axis=0)
    turn = matrix[:3, :3] / np.maximum(scale, 1e-300)
    if np.linalg.det(turn) < 0:
        turn[:, 0], scale[0] = -turn[:, 0], -scale[0]
    if np.abs(turn.T @ turn - np.eye(3)).max() > 1e-6:
        raise EditRefused(f"Copies of {obj.name} are turned in a space that is scaled unevenly; freeze its transform first.")
    pivot = np.array(obj.transform.pivot)
    position = matrix[:3, :3] @ pivot + matrix[:3, 3] - pivot
    return Transform(tuple(position.tolist()), angles_of(turn), tuple(scale.tolist()), obj.transform.pivot)


def _later(scene: Scene, object_id: str, frames: float) -> Scene:
    """All lanes of an object later; one with modifiers, which know the time, as keys."""
    if not frames:
        return scene
    for lane in scene.object(object_id).lanes:
        ref = [(object_id, lane.channel)]
        if lane.modifiers:
            known = [key.frame for key in lane.curve.keys]
            scene = bake(scene, ref, min(scene.start - max(frames, 0.0), *known), max(scene.end - min(frames, 0.0), *known))
        scene = map_frames(scene, ref, partial(add, frames))
    return scene


def _moving(scene: Scene, object_id: str, frames: list[float], stands: list[Transform]) -> Scene:
    for part in ("position", "rotation", "scale"):
        values = np.array([getattr(stand, part) for stand in stands])
        if part == "rotation":
            values = np.degrees(np.unwrap(np.radians(values), axis=0))
        for k, axis in enumerate(AXES):
            if np.ptp(values[:, k]) > 1e-9:
                keys = [Key(frame, float(value), "linear") for frame, value in zip(frames, values[:, k], strict=True)]
                scene = scene.with_object(scene.object(object_id).with_lane(f"{part}.{axis}", AnimationCurve.of(keys)))
    return scene
