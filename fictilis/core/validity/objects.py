"""What an object may be by itself: its points, its look, its targets, and what leads them."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable

import numpy as np

from fictilis.core.geometry.finer import MOST_LEVELS
from fictilis.core.geometry.forms import FORMS, defaults
from fictilis.core.geometry.kinds import Geometry, Mesh
from fictilis.core.geometry.picked import element_count
from fictilis.core.ground.arrays import cached_by_identity, recent_by_identity
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channel_kinds import OWN_IDS
from fictilis.core.mix.relay import relay_of, relays
from fictilis.core.scene.deformers import DEFORMERS
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.rigs import Skin, is_rigged
from fictilis.core.scene.scene import LANE_HOLDERS, RELAY_PATHS, Deltas, MorphObject, Target, lane_homes, targets_by_id
from fictilis.core.validity.lanes import checked_keys
from fictilis.core.validity.targets import check_locks, checked_rule, checked_sweep

COLOUR = re.compile("#[0-9a-fA-F]{6}")
ID = re.compile(r"[A-Za-z][\w.-]{0,59}", re.ASCII)  # also a key of a page's script, and a part of longer keys
DEEPEST = 1000  # targets, each built on the next
MOST_TILES = 4096
RELATING = ("id", "name", "link", "group", "rule", "follows", "built_on", "sweep", "in_betweens")


def once(values: Iterable[str], what: str) -> None:
    """Raises EditRefused where two of some names or ids are the same."""
    twice = [value for value, count in Counter(values).items() if count > 1]
    if twice:
        raise EditRefused(f"{what} “{min(twice)}” stands twice.")


def check_object(obj: MorphObject, was: MorphObject | None = None) -> None:
    """Raises EditRefused, in a sentence with names and numbers, for what an object cannot be. Of what ``was`` valid only what
    differs is looked at."""
    if obj is was:
        return
    if was is not None:
        check_locks(obj, was)
    _geometry(obj.geometry, obj.name)
    if len(obj.base) != obj.geometry.point_count:
        raise EditRefused(f"{obj.name} has {obj.geometry.point_count} points, but {len(obj.base)} places.")
    _look(obj)
    for target in obj.targets:
        _target_alone(target, len(obj.base), obj.name)
    if was is None or not _related_alike(obj, was):
        _targets(obj)
    _belongings(obj)
    once((lane.channel for lane in obj.lanes), f"In {obj.name} the lane of")
    same = (
        was is not None and was.skin is obj.skin and lane_homes(was) == lane_homes(obj)
        and type(was.geometry) is type(obj.geometry)
    )  # fmt: skip
    known = {id(lane) for lane in was.lanes} if was is not None and same else set()
    for lane in obj.lanes:
        if id(lane) not in known:
            checked_keys(obj, lane.channel, lane.curve.keys)
            if lane.modifiers and lane.channel in relays(obj):
                raise EditRefused(f"The relay {relays(obj)[lane.channel].name} has modifiers on its lane.")


@recent_by_identity(2)
def _geometry(geometry: Geometry, name: str) -> bool:
    if isinstance(geometry, Mesh):
        for numbers, low, high, what in (
            (geometry.corners, 0, geometry.point_count, "face corner"),
            (geometry.uv_corners, -1, 0 if geometry.uvs is None else len(geometry.uvs), "texture coordinate"),
        ):
            if numbers is not None and len(numbers) and (numbers.min() < low or numbers.max() >= high):
                raise EditRefused(f"{name}: a {what} runs from {numbers.min()} to {numbers.max()}, beyond {high - 1}.")
        if (np.diff(geometry.offsets) < 1).any():
            raise EditRefused(f"{name} has a face without points.")
    return True


def _look(obj: MorphObject) -> None:
    look, texture = obj.appearance, obj.appearance.texture
    if any(abs(factor) < 1e-9 for factor in obj.transform.scale):
        raise EditRefused(f"{obj.name} has a scale of 0.")
    if not 0 <= look.opacity <= 1:
        raise EditRefused(f"{obj.name} has the opacity {look.opacity:g}.")
    checked_colour(look.colour)
    if texture is not None:
        if texture.projected is not None and len(texture.projected) != len(obj.base):
            laid = f"{len(texture.projected)} points, not {len(obj.base)}"
            raise EditRefused(f"{obj.name}: the texture “{texture.name}” is laid on {laid}.")
        if not 1 <= texture.tiles <= MOST_TILES:
            raise EditRefused(f"{obj.name}: the texture “{texture.name}” has {texture.tiles} fields.")


def checked_colour(colour: str) -> None:
    """Raises EditRefused for what is none."""
    if not COLOUR.fullmatch(colour):
        raise EditRefused(f"“{colour[:20]}” is no colour.")


def check_id(part: str) -> None:
    """Raises EditRefused for an id that is no plain word."""
    if not ID.fullmatch(part):
        raise EditRefused(f"“{part[:40]}” is no id; it has up to 60 letters, digits, points and lines.")


def _belongings(obj: MorphObject) -> None:
    """Its form, picks, mixes, smooth surface, and what comes after its mix."""
    once((p.name for p in obj.picks), f"In {obj.name} the pick")
    once((m.name for m in obj.mixes), f"In {obj.name} the mix")
    for target_id in (t for m in obj.mixes for t, _ in m.weights):
        obj.target(target_id)
    form = obj.form
    if form is not None and (form.kind not in FORMS or {n for n, _ in form.numbers} - set(defaults(form.kind))):
        raise EditRefused(f"{obj.name} was made as “{form.kind[:20]}” with numbers that no form has.")
    for named in obj.picks:
        most, elements = element_count(obj.geometry, named.pick.kind), named.pick.elements
        if len(elements) and (elements.min() < 0 or elements.max() >= most):
            raise EditRefused(f"{obj.name}: the pick “{named.name}” names {named.pick.kind} beyond {most - 1}.")
    if obj.surface is not None and not 1 <= obj.surface.levels <= MOST_LEVELS:
        raise EditRefused(f"{obj.name} has a smooth surface of {obj.surface.levels} levels.")
    kinds = [d.kind for d in obj.deformers]
    if kinds != [kind for kind in DEFORMERS if kind in kinds]:
        raise EditRefused(f"What bends {obj.name} is out of order.")
    if obj.skin is not None:
        checked_skin(obj, obj.skin)
    if obj.spring is not None:
        checked_spring(obj, obj.spring)


def checked_skin(obj: MorphObject, skin: Skin) -> None:
    """Raises EditRefused for what is no mesh, and where a skin is that of other points."""
    obj.mesh  # noqa: B018 - which refuses what is none
    if len(skin.bound.weights) != len(obj.base):
        raise EditRefused(f"The skin is of {len(skin.bound.weights):,} points; {obj.name} has {len(obj.base):,}.")


def checked_spring(obj: MorphObject, spring: PointSpring) -> None:
    """Raises EditRefused where the masses of a point spring are those of other points."""
    if spring.field is not None and len(spring.field) != len(obj.base):
        raise EditRefused(f"The point spring has {len(spring.field):,} masses; {obj.name} has {len(obj.base):,} points.")


def _related_alike(obj: MorphObject, was: MorphObject) -> bool:
    """Whether the targets are to each other, and to what leads them, what they were, as while one is reshaped."""
    return (
        all(getattr(was, part) is getattr(obj, part) for part in LANE_HOLDERS if part != "targets")
        and len(was.base) == len(obj.base)
        and len(was.targets) == len(obj.targets)
        and all(
            a is b or all(getattr(a, part) is getattr(b, part) for part in RELATING)
            for a, b in zip(was.targets, obj.targets, strict=True)
        )
    )


def _targets(obj: MorphObject) -> None:
    """The targets and groups among each other."""
    for values, what in (
        ((t.id for t in obj.targets), "target id"), ((t.name for t in obj.targets), "target name"),
        ((g.id for g in obj.groups), "group id"),
    ):  # fmt: skip
        once(values, f"In {obj.name} the {what}")
    once((t.link for t in obj.targets if t.link is not None), f"In {obj.name} the link")
    known = targets_by_id(obj).keys() | OWN_IDS
    for group in obj.groups:
        check_id(group.id)
        if group.relay is not None and (group.relay not in RELAY_PATHS or group.id in known):
            raise EditRefused(f"{group.name} is a relay with the id {group.id} and the path “{group.relay}”.")
    deep = dict[str, int]()
    for target in obj.targets:
        _built_on(obj, target, deep)
        checked_rule(obj, target)
        checked_sweep(obj, target)
        if target.group is not None and obj.group(target.group) is None:
            raise EditRefused(f"{target.name} stands in the group {target.group}, which is not there.")
        relay = relay_of(obj, target)
        if relay is not None and target.in_betweens:
            raise EditRefused(f"{target.name} has in-betweens, but is a shape of the relay {relay.name}.")


def _built_on(obj: MorphObject, target: Target, deep: dict[str, int]) -> None:
    """How deep a target is built on others, put into ``deep`` with that of all below it."""
    way: list[str] = []
    step: Target | None = target
    while step is not None and step.id not in deep:
        if step.id in way:
            raise EditRefused(f"{obj.name}: {target.name} is built on itself.")
        way.append(step.id)
        step = obj.target(step.built_on) if step.built_on is not None else None
    below = deep[step.id] if step is not None else 0
    for above, target_id in enumerate(reversed(way), 1):
        deep[target_id] = below + above
    if below + len(way) > DEEPEST:
        raise EditRefused(f"{obj.name}: {target.name} stands on {below + len(way) - 1:,} targets; up to {DEEPEST:,} can be.")


@recent_by_identity(2)
def _target_alone(target: Target, count: int, name: str) -> bool:
    """Of an object of so many points."""
    check_id(target.id)
    checked_colour(target.colour)
    if target.id in OWN_IDS or is_rigged(target.id):
        raise EditRefused(f"{target.name} has the id {target.id}, which is kept for the object's own lanes.")
    if target.path not in ("straight", "curved"):
        raise EditRefused(f"{target.name} has the unknown path “{target.path}”.")
    places = [s.at for s in target.in_betweens]
    if any(b - a < 1e-3 for a, b in zip(places, places[1:], strict=False)) or any(p in (0.0, 1.0) for p in places):
        raise EditRefused(f"{target.name} has in-betweens at impossible weights.")
    if not target.range[0] < target.range[1]:
        raise EditRefused(f"{target.name} has the range {target.range[0]:g} to {target.range[1]:g}.")
    mask = target.mask
    if mask is not None and (len(mask) != count or len(mask) and (mask.min() < 0 or mask.max() > 1)):
        raise EditRefused(f"The mask of {target.name} is not one number from 0 to 1 for each of {count} points.")
    for deltas in (target.deltas, *(s.deltas for s in target.in_betweens)):
        _in_order(deltas)
        at = deltas.indices
        if len(at) and (at[0] < 0 or at[-1] >= count):
            raise EditRefused(f"{name}: a point of {target.name} runs from {at[0]} to {at[-1]}, beyond {count - 1}.")
    return True


@cached_by_identity
def _in_order(deltas: Deltas) -> bool:
    if (np.diff(deltas.indices) <= 0).any():
        raise EditRefused("The points of a target are out of order.")
    return True
