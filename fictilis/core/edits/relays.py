"""Relays: rows of poses on one lane, and what is done to them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import SAME_FRAME, AnimationCurve, Key
from fictilis.core.edits.clips import with_lanes_of
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.targets import append, tidy_groups
from fictilis.core.ground.arrays import add_rows
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.names import fresh_id, fresh_name
from fictilis.core.mix.relay import keys_in_row, pose_at, pose_shares, poses, relay, relay_points, shape_name
from fictilis.core.mix.shapes import full_shape, shape_parts
from fictilis.core.scene.scene import RELAY_PATHS, STRAIGHT, Deltas, Group, MorphObject, Scene, Target, targets_by_id
from fictilis.core.scene.timeline import Lane

WAYS = ("hold", "linear", "smooth")
PARTS = 16  # of a stretch, at which its length is summed
NODES = np.array([0.0, 0.25, 0.5, 0.75])  # of a stretch, from which its cubic is found
MANY = 20_000  # points, from which the way of all is told
AT_ONCE = 32  # shapes that are spread out in memory
ROUNDS = 40  # of spreading a row evenly, whose path depends on its frames


def _led(obj: MorphObject, group_id: str, keys: Sequence[Key]) -> MorphObject:
    lane = obj.lane(group_id)
    return obj.with_lane(group_id, AnimationCurve.of(keys, lane.curve if lane else None))


def make_relay(
    scene: Scene, object_id: str, target_ids: Sequence[str], name: str = "Relay", first: float | None = None,
    step: float | None = None, way: str = "smooth", path: str = STRAIGHT,
) -> tuple[Scene, str]:  # fmt: skip
    """A relay of some targets, a pose for each in the order given: from frame ``first`` on, ``step`` frames apart; by default
    spread over the frames played. Without targets it begins with the base alone. Their own weights and lanes go."""
    obj = scene.unlocked(object_id)
    start, end = scene.span
    first = start if first is None else first
    count = len(target_ids)
    if step is None:
        step = float(np.floor((end - first) / (count - 1))) if count > 1 else 1.0
    if not step >= 1:
        raise EditRefused(
            f"{count} poses do not fit between frames {first:g} and {end:g}; say how far apart they are to stand."
        )
    group = Group(
        fresh_id("g", (g.id for g in obj.groups), scene.id_floor), fresh_name(name, (g.name for g in obj.groups)), relay=path
    )
    chosen = set(target_ids)
    targets = tuple(replace(t, group=group.id) if t.id in chosen else t for t in obj.targets)
    keys = [Key(first + n * step, 0.0, way, shape=shape) for n, shape in enumerate(target_ids or ("",))]
    made = replace(obj, targets=targets, groups=(*obj.groups, group))
    return scene.with_object(tidy_groups(made.with_lane(group.id, AnimationCurve.of(keys)))), group.id


def set_pose(scene: Scene, object_id: str, group_id: str, frame: float, shape: str, way: str | None = None) -> Scene:
    """Set a pose at a frame: one of the targets, or nothing for the base. One that is there gets the shape and keeps its way to
    the next; a new one takes the way of the pose before it."""
    obj = scene.object(object_id)
    relay(obj, group_id)
    keys = poses(obj, group_id)
    known = next((k for k in keys if abs(k.frame - frame) <= SAME_FRAME), None)
    if known is None:
        earlier = [k for k in keys if k.frame < frame] or list(keys[:1])
        like = earlier[-1] if earlier else Key(frame, 0.0)
        known = replace(like, frame=float(frame))
    key = replace(known, shape=shape, interpolation=way or known.interpolation)
    return set_key(scene, object_id, group_id, key)


def new_pose(scene: Scene, object_id: str, group_id: str, frame: float, points: np.ndarray | None = None) -> tuple[Scene, str]:
    """A pose at a frame with a shape of its own: ``points`` (n, 3), or what the relay shows there."""
    obj = scene.unlocked(object_id)
    name = relay(obj, group_id).name
    points = relay_points(obj, group_id, frame) if points is None else points
    new = Target("", "", Deltas.from_dense(points - obj.base), group=group_id)
    scene, made = append(scene, obj, new, _next_name(obj, name))
    scene = scene.with_object(tidy_groups(scene.object(object_id)))
    return set_pose(scene, object_id, group_id, frame, made), made


def _next_name(obj: MorphObject, name: str) -> str:
    taken, number = {t.name for t in obj.targets}, 1
    while f"{name} {number}" in taken:
        number += 1
    return f"{name} {number}"


def pose_from_before(scene: Scene, object_id: str, group_id: str, frame: float) -> tuple[Scene, str]:
    """A pose at a frame with a copy of the shape of the pose before it."""
    obj = scene.object(object_id)
    earlier = [k for k in poses(obj, group_id) if k.frame < frame - SAME_FRAME]
    if not earlier:
        raise EditRefused(f"{relay(obj, group_id).name} has no pose before frame {frame:g}.")
    return new_pose(scene, object_id, group_id, frame, _shape_points(obj, earlier[-1].shape))


def _shape_points(obj: MorphObject, shape: str) -> np.ndarray:
    return full_shape(obj, shape) if shape else obj.base


def own_shape(scene: Scene, object_id: str, group_id: str, frame: float) -> tuple[Scene, str]:
    """The pose at a frame gets a copy of its shape, which no other pose has. Raises EditRefused where it has one already."""
    obj = scene.object(object_id)
    pose = pose_at(obj, group_id, frame)
    if pose.shape and sum(map(pose.shows, poses(obj, group_id))) < 2:
        raise EditRefused(f"{shape_name(obj, pose.shape)} stands in this pose only; shape it as it is.")
    return new_pose(scene, object_id, group_id, pose.frame, _shape_points(obj, pose.shape))


def _placed(scene: Scene, object_id: str, group_id: str, frames: np.ndarray, way: str | None = None) -> Scene:
    obj = scene.object(object_id)
    rows = zip(poses(obj, group_id), frames.tolist(), strict=True)
    keys = [replace(k, frame=f, interpolation=way or k.interpolation) for k, f in rows]
    return scene.with_object(_led(obj, group_id, keys))


def on_frames(scene: Scene, object_id: str, group_id: str, step: float) -> Scene:
    """Each pose stands ``step`` frames, on ones, twos or threes, and the next one replaces it."""
    keys = keys_in_row(scene.object(object_id), group_id)
    if not step >= 1:
        raise EditRefused(f"A pose must stand a frame or longer, not {step:g}.")
    return _placed(scene, object_id, group_id, keys[0].frame + step * np.arange(len(keys)), "hold")


def spread(scene: Scene, object_id: str, group_id: str, by_distance: bool = False, whole: bool = True) -> Scene:
    """The poses between the first and the last spread evenly: by frames, or so that the points travel at a constant speed.

    Distance is the root of the summed squares of the points' ways (of 20,000 of them in a larger mesh), along the path of the
    relay, at the ways they have (constant where those are linear). ``whole`` puts them on whole frames, a frame apart at least.
    Source: arc length by Simpson's rule; the frames of a spline and its length follow each other to a fixed point.
    """
    obj = scene.object(object_id)
    keys = keys_in_row(obj, group_id, 3)
    first, last, count = keys[0].frame, keys[-1].frame, len(keys)
    if whole and last - first < count - 1:
        raise EditRefused(f"{count} poses need {count - 1} frames; between {first:g} and {last:g} there are {last - first:g}.")
    frames = np.linspace(first, last, count) if not by_distance else _evenly(obj, group_id)
    if whole:
        frames[1:-1] = np.round(frames[1:-1])
        least, most = frames[0] + np.arange(count), frames[-1] - np.arange(count)[::-1]
        frames = np.minimum(np.maximum(np.maximum.accumulate(frames - np.arange(count)) + np.arange(count), least), most)
    return _placed(scene, object_id, group_id, frames)


def _evenly(obj: MorphObject, group_id: str) -> np.ndarray:
    """Frames (n,) at which the poses are reached at one speed."""
    keys, path = poses(obj, group_id), relay(obj, group_id).relay or STRAIGHT
    first, last = keys[0].frame, keys[-1].frame
    places = [_offsets(obj, key.shape) for key in keys[:1]]
    length = np.zeros(len(keys) - 1)
    for n, key in enumerate(keys[1:]):  # one shape after another, as all together may not fit into memory
        places = [places[-1], _offsets(obj, key.shape)]
        length[n] = np.linalg.norm(places[1] - places[0])
    if not length.sum() > 0:
        raise EditRefused(f"The poses of {relay(obj, group_id).name} are all one shape; nothing travels.")
    least = 1e-3 * length.sum() / len(length)  # two poses of one shape must not fall together
    frames = first + (last - first) * np.append(0.0, np.cumsum(np.maximum(length, least)) / np.maximum(length, least).sum())
    if path == STRAIGHT:
        return frames
    shapes = list(dict.fromkeys(k.shape for k in keys))
    gram = _gram(obj, shapes)
    for _ in range(ROUNDS):
        moved = zip(keys, frames.tolist(), strict=True)
        curve = AnimationCurve(tuple(replace(k, frame=f, interpolation="linear") for k, f in moved))
        length = np.maximum(_lengths(curve, path, shapes, gram), least)
        better = first + (last - first) * np.append(0.0, np.cumsum(length) / length.sum())
        if np.abs(better - frames).max() < 1e-9 * (last - first):
            break
        frames = (frames + better) / 2
    return frames


def _offsets(obj: MorphObject, shape: str) -> np.ndarray:
    """(k, 3): how far a shape moves the points, or of a large mesh every so manieth of them."""
    step = -(-len(obj.base) // MANY)
    out = np.zeros((-(-len(obj.base) // step), 3))
    for deltas in shape_parts(obj, shape) if shape else ():
        chosen = np.flatnonzero(deltas.indices % step == 0)
        add_rows(out, deltas.indices.take(chosen) // step, deltas.offsets.take(chosen, axis=0))
    return out


def _gram(obj: MorphObject, shapes: list[str]) -> np.ndarray:
    """(s, s): the products of the shapes' offsets, some shapes at a time, as all together may not fit into memory."""

    def offsets(some: list[str]) -> np.ndarray:
        return np.array([_offsets(obj, shape).ravel() for shape in some])

    out = np.zeros((len(shapes), len(shapes)))
    parts = [slice(n, n + AT_ONCE) for n in range(0, len(shapes), AT_ONCE)]
    for number, a in enumerate(parts):
        mine = offsets(shapes[a])
        for b in parts[: number + 1]:
            out[a, b] = mine @ (mine if b is a else offsets(shapes[b])).T
            out[b, a] = out[a, b].T
    return out


def _lengths(curve: AnimationCurve, path: str, shapes: list[str], gram: np.ndarray) -> np.ndarray:
    """(n - 1,) how far the points travel in each stretch, by Simpson's rule over chords' speeds."""
    starts = np.array([k.frame for k in curve.keys])
    spans = np.diff(starts)
    parts = (np.arange(PARTS + 1) / PARTS)[None] * spans[:, None] + starts[:-1, None]
    tiny = 1e-4 * spans[:, None]
    at = np.clip(np.stack([parts - tiny, parts + tiny]), starts[:-1, None], starts[1:, None] - 1e-9 * spans[:, None])
    found, shares = pose_shares(curve, path, at.ravel())
    order = [found.index(s) for s in shapes]
    change = shares[order].reshape(len(shapes), 2, len(spans), PARTS + 1)
    slope = (change[:, 1] - change[:, 0]) / (at[1] - at[0])
    flat = slope.reshape(len(shapes), -1)
    speed = np.sqrt(np.maximum((flat * (gram @ flat)).sum(axis=0), 0.0)).reshape(slope.shape[1:])
    weight = np.array([1, *([4, 2] * (PARTS // 2))[:-1], 1]) / (3 * PARTS)
    return (speed @ weight) * spans


def put_in_layers(scene: Scene, object_id: str, group_id: str) -> tuple[Scene, float]:
    """A relay as layered targets with keys of their own, and how far a point may be off, cm: 0 where the path is straight.

    Led through, a share is one cubic from pose to pose where the way is linear or held; elsewhere it is keyed each frame. So in
    every clip, and in both of a blend.
    """
    obj = scene.unlocked(object_id)
    path, errors = relay(obj, group_id).relay or STRAIGHT, [0.0]

    def layered(lanes: tuple[Lane, ...]) -> tuple[Lane, ...]:
        lane = next((lane for lane in lanes if lane.channel == group_id), None)
        if lane is None:
            return lanes
        curves, error = _layers(obj, lane.curve, path)
        errors.append(error)
        return (*(x for x in lanes if x is not lane), *(Lane(shape, curve) for shape, curve in curves.items()))

    plain = replace(obj, groups=tuple(replace(g, relay=None) if g.id == group_id else g for g in obj.groups))
    scene = with_lanes_of(scene, plain, layered)
    return scene.with_object(tidy_groups(scene.object(object_id))), max(errors)


def _layers(obj: MorphObject, curve: AnimationCurve, path: str) -> tuple[dict[str, AnimationCurve], float]:
    """The curves of weights of the shapes of a row of poses, and how far they may be off, cm."""
    keys = curve.keys
    if path == STRAIGHT:
        rows = {shape: _stepped(keys, shape) for shape in dict.fromkeys(k.shape for k in keys)}
    else:
        rows = _sampled(curve, path)
    ends = {"linear": "hold", "offset": "repeat"}
    before, after = (ends.get(way, way) for way in (curve.before, curve.after))
    curves = {shape: AnimationCurve(tuple(row), before, after) for shape, row in rows.items() if shape}
    at = np.linspace(keys[0].frame, keys[-1].frame, 8 * len(keys) * PARTS + 1)
    shapes, shares = pose_shares(curve, path, at)
    known = targets_by_id(obj)
    off = np.zeros(len(at))
    for shape, share in zip(shapes, shares, strict=True):
        if shape:
            off += np.abs(curves[shape].evaluate(at) - share) * known[shape].deltas.largest
    error = float(off.max(initial=0.0))
    return curves, error if error > 1e-9 else 0.0


def _stepped(keys: Sequence[Key], shape: str) -> list[Key]:
    """Keys of one shape's weight: 1 where it stands, 0 at every other pose; those that nothing needs are left out."""
    on = [float(k.shape == shape) for k in keys]
    out = []
    for n, key in enumerate(keys):
        near = on[max(n - 1, 0) : n + 2]
        if any(near) or n in (0, len(keys) - 1):
            tangent = "flat" if key.interpolation == "smooth" else "auto"
            out.append(Key(key.frame, on[n], key.interpolation, tangent, ease=key.ease))
    return out


def _sampled(curve: AnimationCurve, path: str) -> dict[str, list[Key]]:
    """Keys of the weights of all shapes of a row that is led through."""
    keys = curve.keys
    out: dict[str, list[Key]] = {shape: [] for shape in dict.fromkeys(k.shape for k in keys)}
    inner: dict[str, dict[float, tuple[float, float]]] = {shape: {} for shape in out}
    for a, b in zip(keys, keys[1:], strict=False):
        exact = a.interpolation in ("linear", "hold")
        count = 1 if exact else max(round(b.frame - a.frame), 1)
        frames = np.linspace(a.frame, b.frame, count + 1)
        span = frames[1] - frames[0]
        shapes, shares = pose_shares(curve, path, (frames[:-1] + NODES[:, None] * span).ravel())
        for shape, share in zip(shapes, shares, strict=True):
            value, first, *rest = np.linalg.solve(np.vander(NODES, increasing=True), share.reshape(4, count))
            last = first + 2 * rest[0] + 3 * rest[1]
            for n in range(count):
                way = "hold" if a.interpolation == "hold" else "smooth"
                handle = (span / 3, float(first[n]) / 3)
                out[shape].append(Key(float(frames[n]), float(value[n]), way, "broken", None, handle))
                inner[shape][float(frames[n + 1])] = (span / 3, -float(last[n]) / 3)
    for shape, row in out.items():
        row.append(Key(keys[-1].frame, float(keys[-1].shape == shape), "smooth", "broken", None, None))
        out[shape] = [replace(k, into=inner[shape].get(k.frame), tangent="broken") for k in row]
    return out


def relay_from_points(
    scene: Scene, object_id: str, rows: Sequence[tuple[str, np.ndarray]], name: str, first: float, last: float,
    way: str = "linear", path: str = STRAIGHT, frames: Sequence[float] = (),
) -> tuple[Scene, str]:  # fmt: skip
    """A relay of shapes that come by name and points (n, 3), such as from numbered files, spread from one frame to another:
    evenly, or as ``frames`` of theirs lie."""
    obj = scene.unlocked(object_id)
    if len(rows) > 1 and not last > first:
        raise EditRefused(f"A range must rise: {first:g} to {last:g}.")
    ids = []
    for label, points in rows:
        scene, made = append(scene, scene.object(object_id), Target("", "", Deltas.from_dense(points - obj.base)), label)
        ids.append(made)
    scene, group_id = make_relay(scene, object_id, ids, name, first, 1.0, way, path)
    keys = poses(scene.object(object_id), group_id)
    at = np.linspace(first, last, len(keys))
    if len(frames) > 1:
        at = first + (np.asarray(frames) - frames[0]) * ((last - first) / (frames[-1] - frames[0]))
    return _placed(scene, object_id, group_id, at), group_id


def set_relay_path(scene: Scene, object_id: str, group_id: str, path: str) -> Scene:
    """Straight from pose to pose, or through the row in one curve."""
    obj = scene.object(object_id)
    relay(obj, group_id)
    if path not in RELAY_PATHS:
        raise EditRefused(f"“{path}” is no path of a relay; use {' or '.join(RELAY_PATHS)}.")
    groups = tuple(replace(g, relay=path) if g.id == group_id else g for g in obj.groups)
    return scene.with_object(replace(obj, groups=groups))
