"""The checks, in one table. Each looks at one object of a scene and gives its findings."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from fictilis.core.animation.curve import SAME_FRAME, Key
from fictilis.core.channels import Owner, channel, part_of, stand_at
from fictilis.core.edits import keys as key_edits
from fictilis.core.edits import timing
from fictilis.core.edits.keys import KeyRef
from fictilis.core.edits.targets import remove_target, set_muted
from fictilis.core.evaluate import evaluate_object, full_shape
from fictilis.core.geometry.topology import edges
from fictilis.core.geometry.twins import has_twins, twin_groups, twin_pairs
from fictilis.core.mix.acting import acting_weights, weights_at
from fictilis.core.mix.masks import own
from fictilis.core.scene import Deltas, MorphObject, Scene, Target
from fictilis.core.timeline import Lane

MOST_FRAMES = 400  # of a range that are looked at
PILE = 1.25  # weights that add up to more than this on the same points
OVERLAP = 0.3  # part of the smaller target's points that both move
LONG = 6.0  # an edge this many times its length in the base, against the middle of all, is torn
TORN = 0.15  # part of the edges that are torn when an order is shuffled


@dataclass(frozen=True, eq=False)
class Finding:
    """``sentence`` says where and why; ``remedy`` names what ``mend(scene)`` does, empty where nothing is offered.

    ``owner`` is the id of an object or a camera, ``channel`` that of the lane or target it is about.
    """

    check: str
    sentence: str
    owner: str
    channel: str | None = None
    frame: float | None = None
    remedy: str = ""
    mend: Callable[[Scene], Scene] | None = None


def _frames(scene: Scene) -> np.ndarray:
    """Frames of the range to look at: all, or evenly chosen ones of a long range."""
    whole = np.arange(np.ceil(scene.start), np.floor(scene.end) + 1)
    if len(whole) > MOST_FRAMES:
        whole = np.unique(np.round(np.linspace(whole[0], whole[-1], MOST_FRAMES)))
    return whole


def creep(scene: Scene, obj: Owner) -> Iterator[Finding]:
    """A lane that leaves its rest before its move, because no key holds it until the move before has ended.

    It rests up to a key, goes on from there to its next key, and meanwhile the other lanes of the same part (weights, object,
    camera) have finished moving and all stand still until that next key: the move was meant to begin where they stopped.
    Source: common practice, no published source.
    """
    for lane in obj.lanes:
        keys = lane.curve.keys
        part = part_of(obj, lane.channel)
        others = [other for other in obj.lanes if other is not lane and part_of(obj, other.channel) == part]
        for n, (a, b) in enumerate(zip(keys, keys[1:], strict=False)):
            if a.interpolation == "hold" or abs(a.value - b.value) < 1e-9 or not _rests_at(lane, n):
                continue
            ends = [e for e in (_stop_before(other, a.frame, b.frame) for other in others) if e is not None]
            if not ends or not all(other.curve.is_still(max(ends), b.frame) for other in others):
                continue
            stop, name = max(ends), channel(obj, lane.channel).name
            hold = Key(stop, a.value, a.interpolation)
            yield Finding(
                "creep",
                f"{name} creeps from frame {a.frame:g}: the move before it ends at {stop:g}, but no key holds "
                f"{a.value:.2f} until there.",
                obj.id, lane.channel, a.frame, f"Hold {a.value:.2f} until frame {stop:g}",
                lambda s, t=lane.channel, k=hold: key_edits.set_key(s, obj.id, t, k),
            )  # fmt: skip


def _rests_at(lane: Lane, number: int) -> bool:
    """Whether the lane stands still up to a key, by its number: there is none before it, or the one before has its value."""
    if number == 0:
        return True
    before, key = lane.curve.keys[number - 1 : number + 1]
    return abs(before.value - key.value) < 1e-9 and lane.curve.is_still(before.frame, key.frame)


def _stop_before(lane: Lane, first: float, last: float) -> float | None:
    """Where a lane's motion between two frames ends, well before the second; None when it does not move or end."""
    keys = [k.frame for k in lane.curve.keys if first + SAME_FRAME < k.frame < last - SAME_FRAME]
    if not keys or not lane.curve.is_still(keys[-1], last):
        return None
    moving = [k for k in keys if not lane.curve.is_still(max([first, *[f for f in keys if f < k]]), k)]
    return moving[-1] if moving else None


def unkeyed(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """A weight that is set but not keyed, while others are."""
    if not obj.lanes:
        return
    for target in obj.targets:
        if obj.lane(target.id) is None and abs(target.weight) > 1e-9 and not target.muted:
            yield Finding(
                "unkeyed", f"{target.name} stands at {target.weight:.2f} without a key, while other lanes are keyed.",
                obj.id, target.id, None, f"Key {target.weight:.2f} at frame {scene.start:g}",
                lambda s, t=target: key_edits.set_key(s, obj.id, t.id, Key(s.start, t.weight)),
            )  # fmt: skip


def out_of_range(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """A lane that leaves its target's soft range."""
    for lane in obj.lanes:
        target = next((t for t in obj.targets if t.id == lane.channel), None)
        if target is None:
            continue
        at = _frames(scene)
        at = np.union1d(at, [k.frame for k in lane.curve.keys])
        values = lane.values(at, scene.fps)
        low, high = target.range
        beyond = np.maximum(values - high, low - values)
        worst = int(np.argmax(beyond))
        if beyond[worst] > 1e-6:
            value = float(values[worst])
            wide = (min(low, float(values.min())), max(high, float(values.max())))
            yield Finding(
                "range", f"{target.name} reaches {value:.2f} at frame {at[worst]:g}; its range is {low:g} to {high:g}.",
                obj.id, target.id, float(at[worst]), f"Widen the range to {wide[0]:.2f} to {wide[1]:.2f}",
                lambda s, t=target.id, w=wide: s.with_object(
                    s.object(obj.id).with_target(replace(s.object(obj.id).target(t), range=w))
                ),
            )  # fmt: skip


def pile_up(scene: Scene, obj: MorphObject, limit: float = PILE) -> Iterator[Finding]:
    """Targets that move the same points at once by weights that add up to too much."""
    targets = [t for t in obj.targets if not t.muted and t.built_on is None and len(own(t).indices)]
    at = _frames(scene)
    weights = acting_weights(obj, weights_at(obj, at, fps=scene.fps))
    strong: dict[str, np.ndarray] = {}
    for n, a in enumerate(targets):
        for b in targets[n + 1 :]:
            one, two = weights[a.id], weights[b.id]
            sums = np.where((one > 0.1) & (two > 0.1), one + two, 0.0)
            worst = int(np.argmax(sums))
            if sums[worst] <= limit:
                continue
            for target in (a, b):
                if target.id not in strong:
                    strong[target.id] = _strong(target)
            both = np.intersect1d(strong[a.id], strong[b.id], assume_unique=True)
            if len(both) >= OVERLAP * min(len(strong[a.id]), len(strong[b.id])) and _same_way(a, b, both):
                part = limit / float(sums[worst])
                yield Finding(
                    "pile", f"{a.name} and {b.name} move {len(both):,} points the same way and add up to {sums[worst]:.2f} at "
                    f"frame {at[worst]:g}.", obj.id, a.id, float(at[worst]), f"Lower both to {part:.0%}",
                    lambda s, pair=(a.id, b.id), p=part: _lowered(s, obj.id, pair, p),
                )  # fmt: skip


def _lowered(scene: Scene, object_id: str, targets: tuple[str, ...], part: float) -> Scene:
    """The weights of targets multiplied by ``part``, all their keys with them."""
    for target_id in targets:
        obj = scene.object(object_id)
        lane = obj.lane(target_id)
        if lane is None:
            target = obj.target(target_id)
            scene = scene.with_object(obj.with_target(replace(target, weight=target.weight * part)))
        else:
            scene = timing.scale_values(scene, [(object_id, target_id)], part)
    return scene


def _strong(target: Target) -> np.ndarray:
    """Points that a target moves by at least a fifth of its largest move."""
    deltas = own(target)
    return deltas.indices[np.linalg.norm(deltas.offsets, axis=1) >= 0.2 * deltas.largest]


def _same_way(a: Target, b: Target, points: np.ndarray) -> bool:
    """Whether two targets push the points on the whole in the same direction."""
    u, v = (own(t).offsets[np.searchsorted(own(t).indices, points)] for t in (a, b))
    return float((u * v).sum()) > 0.5 * float(np.sqrt((u * u).sum() * (v * v).sum()))


def idle(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """Targets that move nothing, and such as are never used."""
    used = {t.built_on for t in obj.targets}
    for target in obj.targets:
        lane = obj.lane(target.id)
        empty = not len(target.deltas.indices) and not target.in_betweens
        still = abs(target.weight) < 1e-9 if lane is None else not np.any(lane.values(_frames(scene), scene.fps))
        remedy = ("Remove it", partial(remove_target, object_id=obj.id, target_id=target.id))
        if empty and target.built_on is None:
            yield Finding("empty", f"{target.name} moves no point.", obj.id, target.id, None, *remedy)
        elif still and target.id not in used and obj.lanes:
            yield Finding("unused", f"{target.name} is at 0 all the time.", obj.id, target.id, None, *remedy)


def twins_apart(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """Points that lie on one place in the base and come apart in a target."""
    if not has_twins(obj):
        return
    pairs = twin_pairs(obj)
    for target in obj.targets:
        dense = target.deltas.dense(len(obj.base))
        gap = np.linalg.norm(dense[pairs[:, 0]] - dense[pairs[:, 1]], axis=1)
        apart = int((gap > 1e-6).sum())
        if apart:
            yield Finding(
                "twins", f"{target.name} tears {apart:,} seams open, up to {gap.max():.2f} cm.", obj.id, target.id, None,
                "Join them at their mean", lambda s, t=target.id: _joined(s, obj.id, t),
            )  # fmt: skip


def _joined(scene: Scene, object_id: str, target_id: str) -> Scene:
    obj = scene.object(object_id)
    target, groups = obj.target(target_id), twin_groups(obj)
    dense = target.deltas.dense(len(obj.base))
    counts = np.bincount(groups)
    means = np.stack([np.bincount(groups, dense[:, k]) / counts for k in range(3)], axis=1)[groups]
    return scene.with_object(obj.with_target(replace(target, deltas=Deltas.from_dense(means))))


def off_frames(scene: Scene, obj: Owner) -> Iterator[Finding]:
    """Keys between whole frames, and keys outside of the range."""
    for lane in obj.lanes:
        name = channel(obj, lane.channel).name
        between = [k.frame for k in lane.curve.keys if abs(k.frame - round(k.frame)) > SAME_FRAME]
        if between:
            yield Finding(
                "between", f"{name} has {_keys(len(between))} between frames, the first at {between[0]:g}.", obj.id,
                lane.channel,
                between[0], "Snap to whole frames",
                lambda s, t=lane.channel: timing.snap_to_frames(s, [(obj.id, t)]),
            )  # fmt: skip
        outside = [k.frame for k in lane.curve.keys if not scene.start - SAME_FRAME <= k.frame <= scene.end + SAME_FRAME]
        if outside:
            refs = [KeyRef(obj.id, lane.channel, f) for f in outside]
            yield Finding(
                "outside", f"{name} has {_keys(len(outside))} outside of the range, the first at {outside[0]:g}.", obj.id,
                lane.channel, outside[0], "Delete them", lambda s, r=refs: key_edits.delete_keys(s, r),
            )  # fmt: skip


def _keys(count: int) -> str:
    return f"{count} key{'' if count == 1 else 's'}"


def shuffled(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """Targets whose vertex order looks shuffled: many edges suddenly many times as long."""
    pairs = edges(obj.mesh)
    if len(pairs) < 8:
        return
    then = np.linalg.norm(obj.base[pairs[:, 0]] - obj.base[pairs[:, 1]], axis=1)
    for target in obj.targets:
        shape = full_shape(obj, target.id)
        now = np.linalg.norm(shape[pairs[:, 0]] - shape[pairs[:, 1]], axis=1)
        size = max(float(np.median(then)), 1e-12)
        torn = float((now > LONG * np.maximum(then, size)).mean())
        if torn > TORN:
            yield Finding(
                "order",
                f"{target.name} stretches {torn:.0%} of all edges more than {LONG:g} times; its points may be in another "
                "order than the base's.", obj.id, target.id, None, "" if target.muted else "Mute it",
                None if target.muted else lambda s, t=target.id: set_muted(s, obj.id, t, True),
            )  # fmt: skip


def loop_seam(scene: Scene, obj: MorphObject) -> tuple[float, float]:
    """How far points jump from the last frame played to the first, cm, and how much their speed does, cm a frame: the largest.

    Seen in the scene, so that the object's own motion counts too.
    """
    if not obj.lanes:
        return 0.0, 0.0

    def seen(frame: float) -> np.ndarray:
        matrix = stand_at(obj, frame, fps=scene.fps).transform.matrix()
        return evaluate_object(obj, frame, scene.fps) @ matrix[:3, :3].T + matrix[:3, 3]

    start, end = scene.span
    first, last = seen(start), seen(end)
    speed = ((seen(start + 1e-3) - first) - (last - seen(end - 1e-3))) / 1e-3
    jump, kink = (float(np.sqrt((d**2).sum(1).max(initial=0.0))) for d in (last - first, speed))
    return jump, kink


def seam(scene: Scene, obj: MorphObject) -> Iterator[Finding]:
    """A jump from the last frame played to the first."""
    jump, _ = loop_seam(scene, obj)
    size = float(np.ptp(obj.base, axis=0).max()) if len(obj.base) else 1.0
    if jump > 1e-4 * size:
        lanes = [(obj.id, lane.channel) for lane in obj.lanes]
        start, end = scene.span
        yield Finding(
            "seam", f"{obj.name} jumps {jump:.2f} cm from frame {end:g} back to {start:g} when it loops.", obj.id, None,
            end, "Close the loop", lambda s: timing.close_loop(s, lanes),
        )  # fmt: skip


CHECKS: dict[str, Callable[..., Iterator[Finding]]] = {
    "creep": creep, "unkeyed": unkeyed, "range": out_of_range, "pile-up": pile_up, "idle": idle, "twins": twins_apart,
    "frames": off_frames, "order": shuffled, "seam": seam,
}  # fmt: skip
OF_CAMERAS = ("creep", "frames")


def run_checks(scene: Scene, loops: bool = False, pile: float = PILE) -> list[Finding]:
    """All findings of a scene; the seam of a loop only where it ``loops``. ``pile``: weights that add up to too much."""
    found: list[Finding] = []
    for obj in scene.objects:
        for name, check in CHECKS.items():
            if name != "seam" or loops:
                found += check(scene, obj, pile) if name == "pile-up" else check(scene, obj)
    for camera in scene.cameras:
        for name in OF_CAMERAS:
            found += CHECKS[name](scene, camera)
    return found
