"""Weights that follow others: which targets have a rule, in which order they are found, and what they come to."""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.ground.arrays import cached_by_identity
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.bands import swept
from fictilis.core.mix.channel_kinds import rig_kinds
from fictilis.core.mix.relay import relay_of
from fictilis.core.scene.rigs import is_rigged
from fictilis.core.scene.rules import SMALLEST, Follow, Rule
from fictilis.core.scene.scene import BLEND, MorphObject, Target, targets_by_id


@cached_by_identity
def silent(obj: MorphObject) -> frozenset[str]:
    """Ids of the targets that do not act: muted ones, and while some are solo all others."""
    solo = any(t.solo for t in obj.targets)
    return frozenset(t.id for t in obj.targets if t.muted or solo and not t.solo)


def states(obj: MorphObject, target: Target) -> list[str]:
    """What holds of a target besides its numbers, in words."""
    quiet = target.id in silent(obj) and not target.muted
    rows = (("muted", target.muted), ("solo", target.solo), ("silent while others are solo", quiet), ("locked", target.locked),
            ("linked", target.link is not None))  # fmt: skip
    return [word for word, on in rows if on]


def gain(obj: MorphObject, target: Target) -> float:
    """By what a target's weight is multiplied before it acts: 0 while it is silent, else the factor of its group."""
    if target.id in silent(obj):
        return 0.0
    group = obj.group(target.group) if target.group is not None else None
    return group.factor if group else 1.0


@cached_by_identity
def gains(obj: MorphObject) -> np.ndarray:
    """(r,) float64: the gain of each target, and 1 for each front behind them; read only."""
    factors = {group.id: group.factor for group in obj.groups}
    quiet = silent(obj)
    out = np.array([0.0 if t.id in quiet else factors.get(t.group or "", 1.0) for t in obj.targets] + [1.0] * len(swept(obj)))
    out.flags.writeable = False
    return out


@cached_by_identity
def driven_targets(obj: MorphObject) -> tuple[str, ...]:
    """Ids of the targets that have a rule or follow a number, each behind those it is driven by. Raises EditRefused where they
    go in a circle."""
    done, out, waits = set[str](), list[str](), list[str]()  # those that wait for what drives them
    for first in obj.targets:
        rows = [] if first.id in done else [(first, iter(sources_of(obj, first)))]
        waits = [first.id]
        while rows:
            one, rest = rows[-1]
            source = next(rest, None)
            if source is None:
                rows.pop()
                waits.pop()
                done.add(one.id)
                out += [one.id] if one.rule is not None or one.follows is not None else []
            elif source in waits:
                round_ = [obj.target(t).name for t in waits[waits.index(source) :]]
                raise EditRefused(f"{' drives '.join([*reversed(round_), round_[-1]])}: a weight cannot drive itself.")
            elif source not in done:
                led = obj.target(source)  # which refuses one that is not there
                rows.append((led, iter(sources_of(obj, led))))
                waits.append(source)
    return tuple(out)


def sources_of(obj: MorphObject, target: Target) -> list[str]:
    """Ids of the targets that a target is driven by."""
    found = [d.target for d in target.rule.drivers] if target.rule else []
    return found + ([target.follows.source] if target.follows and target.follows.source in targets_by_id(obj) else [])


class _Level(Struct, frozen=True, eq=False, weakref=True):
    """Correctives that are found at once: their numbers (r,) among the targets, those of their drivers (r, d), filled up with
    one behind all targets that always stands at 1, and the drivers' numbers; ``width`` is 0 where there is none."""

    targets: np.ndarray
    drivers: np.ndarray
    at: np.ndarray
    width: np.ndarray
    smallest: np.ndarray

    def weights(self, acting: np.ndarray) -> np.ndarray:
        """(r, …) for the acting weights (t + 1, …) of all targets; as Rule.weight."""
        tail = (1,) * (acting.ndim - 1)
        w, at, width = acting[self.drivers], self.at.reshape(*self.at.shape, *tail), self.width.reshape(*self.at.shape, *tail)
        passed = 1.0 - np.abs(w - at) / np.where(width > 0, width, 1.0)
        factors = np.clip(np.where(width > 0, passed, w / at), 0.0, 1.0)
        return np.where(self.smallest.reshape(-1, *tail), factors.min(axis=1), factors.prod(axis=1))


@cached_by_identity
def _levels(obj: MorphObject) -> list[tuple[_Level | None, list[tuple[int, int | None, Follow]]]]:
    """What is driven in levels, each by targets of those before it: the correctives, and the numbers of the targets that follow
    one number, with those of the targets they follow (None for a channel of the object)."""
    targets, place = targets_by_id(obj), {t.id: n for n, t in enumerate(obj.targets)}
    depth = {t.id: 0 for t in obj.targets}
    rows: dict[int, list[tuple[str, Rule]]] = {}
    followers: dict[int, list[tuple[int, int | None, Follow]]] = {}
    for target_id in driven_targets(obj):
        target = targets[target_id]
        depth[target_id] = 1 + max((depth[source] for source in sources_of(obj, target)), default=0)
        if target.rule is not None:
            rows.setdefault(depth[target_id], []).append((target_id, target.rule))
        elif target.follows is not None:
            row = (place[target_id], place.get(target.follows.source), target.follows)
            followers.setdefault(depth[target_id], []).append(row)
    out: list[tuple[_Level | None, list[tuple[int, int | None, Follow]]]] = []
    for number in sorted({*rows, *followers}):
        level = rows.get(number)
        if level is None:
            out.append((None, followers[number]))
            continue
        most = max(len(rule.drivers) for _, rule in level)
        filled = [[*rule.drivers, *[None] * (most - len(rule.drivers))] for _, rule in level]
        out.append((_Level(
            np.array([place[target_id] for target_id, _ in level]),
            np.array([[len(place) if d is None else place[d.target] for d in row] for row in filled]),
            np.array([[1.0 if d is None else d.at for d in row] for row in filled]),
            np.array([[0.0 if d is None or d.width is None else d.width for d in row] for row in filled]),
            np.array([rule.how == SMALLEST for _, rule in level]),
        ), followers.get(number, [])))  # fmt: skip
    return out


def drive(obj: MorphObject, weights: dict[str, Any]) -> None:
    """Put in the weights of all correctives of an object, and of what follows one number, in place, from its other channels
    (numbers or arrays)."""
    if not driven_targets(obj):
        return
    factors = gains(obj)[: len(obj.targets)]
    values = np.array([weights[t.id] for t in obj.targets], np.float64)
    acting = np.concatenate([values * factors.reshape(-1, *(1,) * (values.ndim - 1)), np.ones((1, *values.shape[1:]))])
    for level, followers in _levels(obj):
        for number, source, follow in followers:
            led = acting[source] if source is not None else weights[follow.source]
            found = np.broadcast_to(follow.curve.evaluate(led), values.shape[1:])
            acting[number] = found * factors[number]
            weights[obj.targets[number].id] = found if found.ndim else float(found)
        if level is None:
            continue
        found = level.weights(acting)
        acting[level.targets] = found * factors[level.targets].reshape(-1, *(1,) * (values.ndim - 1))
        for number, value in zip(level.targets.tolist(), found if found.ndim > 1 else found.tolist(), strict=True):
            weights[obj.targets[number].id] = value


def with_drivers(obj: MorphObject, target_id: str) -> MorphObject:
    """The object with a corrective, what drives it, and their lanes only: enough to follow its weight over many frames."""
    targets, wanted, open_ = targets_by_id(obj), set(), [target_id]
    while open_:
        part = targets[open_.pop()]
        if part.id not in wanted:
            wanted.add(part.id)
            open_ += sources_of(obj, part)
    channels = {t.follows.source for t in (targets[target_id] for target_id in wanted) if t.follows}
    led = {targets[target_id].group or "" for target_id in wanted}
    kept = wanted | led | channels | {BLEND}
    if any(is_rigged(channel) for channel in channels):
        kept |= {lane.channel for lane in obj.lanes if is_rigged(lane.channel)}
    lanes = tuple(lane for lane in obj.lanes if lane.channel in kept)
    blend = obj.blend and replace(obj.blend, lanes=tuple(lane for lane in obj.blend.lanes if lane.channel in kept))
    return replace(obj, targets=tuple(t for t in obj.targets if t.id in wanted), lanes=lanes, blend=blend)


def channel_word(channel_id: str) -> str:
    """A channel of the object itself in words: “Rotation Y”."""
    part, _, axis = channel_id.partition(".")
    return f"{part.capitalize()} {axis.upper()}".strip()


def drivers_of(obj: MorphObject, target: Target) -> str:
    """The names of what drives a target: “Contract and Lean left”."""
    if target.rule is None and target.follows is None:
        return ""
    known = targets_by_id(obj)
    names = [known[d.target].name for d in target.rule.drivers] if target.rule else []
    if target.follows is not None:
        source = target.follows.source
        led = rig_kinds(obj.skin.rig) if obj.skin is not None else {}
        names.append(known[source].name if source in known else led[source].name if source in led else channel_word(source))
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)


def driven_by(obj: MorphObject, target: Target) -> str:
    """What a target's weight follows, in words: the drivers of a corrective, the relay of a shape; nothing where it is its
    own."""
    relay = relay_of(obj, target)
    return relay.name if relay is not None else drivers_of(obj, target)
