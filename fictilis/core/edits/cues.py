"""Edits of cues, and what a rehearsal leaves on the lanes."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits.timing import bake, reduce_keys
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.names import fresh_id, fresh_name, given_name, number_of
from fictilis.core.mix.channels import ChannelRef, channel
from fictilis.core.mix.relay import relays
from fictilis.core.rehearsal.acts import PLACE
from fictilis.core.rehearsal.meaning import cue, endless
from fictilis.core.rehearsal.runner import Event
from fictilis.core.rehearsal.takes import watched
from fictilis.core.scene.cues import (
    CLIP,
    LETTER,
    MARKER,
    MOST_CUES,
    SOUND,
    Cue,
)
from fictilis.core.scene.scene import Scene
from fictilis.core.validity.cue_bounds import checked_cue

LONGEST_TAKE = 3600.0  # s


def add_cue(scene: Scene, made: Cue, place: int | None = None) -> tuple[Scene, str]:
    """Add a cue with an id and a name of its own, last or at a place in the order."""
    _check_room(len(scene.cues) + 1)
    new_id = fresh_id(LETTER, (c.id for c in scene.cues), scene.id_floor)
    new = checked_cue(replace(made, id=new_id, name=fresh_name(made.name or "Cue", {c.name for c in scene.cues})))
    at = len(scene.cues) if place is None else place
    return _coming_to_an_end(replace(scene, cues=(*scene.cues[:at], new, *scene.cues[at:])), new_id), new_id


def _check_room(count: int) -> None:
    if count > MOST_CUES:
        raise EditRefused(f"A scene has up to {MOST_CUES:,} cues, and these would be {count:,}; delete some first.")


def cues_beside(scene: Scene, other: Scene, owners: Mapping[str, str]) -> tuple[Cue, ...]:
    """The cues of a scene, and behind them those of another one whose objects come to it as ``owners`` says, under ids and
    names of their own. One that waits for a marker or plays a clip or the sound stays where those are; so does one about an
    object that does not come. Raises EditRefused for more than there may be."""
    here = {"": "", **owners}
    coming = [
        c for c in other.cues
        if c.when.kind != MARKER and c.act.kind not in (CLIP, SOUND)
        and all(o in here for o in (c.when.owner, c.act.owner, *(lead.owner for lead in c.act.leads)))
    ]  # fmt: skip
    _check_room(len(scene.cues) + len(coming))
    first, names = number_of(fresh_id(LETTER, (c.id for c in scene.cues), scene.id_floor)), {c.name for c in scene.cues}
    ids = {c.id: f"{LETTER}{n}" for n, c in enumerate(coming, first)}
    made = []
    for c in coming:
        when = replace(c.when, owner=here[c.when.owner], cue=ids.get(c.when.cue, ""))
        leads = tuple(replace(lead, owner=here[lead.owner]) for lead in c.act.leads)
        act = replace(c.act, owner=here[c.act.owner], leads=leads, cue=ids.get(c.act.cue, ""))
        then = replace(c.then, cue=ids.get(c.then.cue, ""))
        made.append(replace(c, id=ids[c.id], name=fresh_name(c.name, names), when=when, act=act, then=then))
        names.add(made[-1].name)
    return (*scene.cues, *made)


def change_cue(scene: Scene, cue_id: str, **values: Any) -> Scene:
    """Change fields of a cue, by their names; ``when``, ``act`` and ``then`` as wholes."""
    return _put(scene, cue_id, replace(cue(scene, cue_id), **values))


def rename_cue(scene: Scene, cue_id: str, name: str) -> Scene:
    others = (c.name for c in scene.cues if c.id != cue_id)
    return change_cue(scene, cue_id, name=given_name(name, "A cue", others, "The scene already has a cue"))


def duplicate_cue(scene: Scene, cue_id: str) -> tuple[Scene, str]:
    """A copy right after it."""
    source = cue(scene, cue_id)
    return add_cue(scene, source, scene.cues.index(source) + 1)


def move_cue(scene: Scene, cue_id: str, place: int) -> Scene:
    """Move a cue to a place in the order, from 0."""
    moved = cue(scene, cue_id)
    rest = [c for c in scene.cues if c is not moved]
    at = min(max(place, 0), len(rest))
    return replace(scene, cues=(*rest[:at], moved, *rest[at:]))


def remove_cue(scene: Scene, cue_id: str) -> Scene:
    """Remove a cue; those that name it stay, and say what they lack."""
    gone = cue(scene, cue_id)
    floor = max(scene.id_floor, number_of(gone.id))
    return replace(scene, cues=tuple(c for c in scene.cues if c is not gone), id_floor=floor)


def _put(scene: Scene, cue_id: str, new: Cue) -> Scene:
    checked_cue(new)
    return _coming_to_an_end(replace(scene, cues=tuple(new if c.id == cue_id else c for c in scene.cues)), cue_id)


def _coming_to_an_end(scene: Scene, cue_id: str) -> Scene:
    """The scene, where a cue that is new or changed is no part of a round without end. Raises EditRefused."""
    found = endless(scene)
    if any(c.id == cue_id for c in found):
        names = " → ".join(c.name for c in (*found, found[0]))
        raise EditRefused(f"These cues would set each other off without end, in no time: {names}.", "Give one of them a wait.")
    return scene


# a take


def take(
    scene: Scene, events: Iterable[Event], seconds: float, at: float, tolerance: float
) -> tuple[Scene, list[ChannelRef], list[str]]:
    """What a rehearsal showed as keys, from frame ``at`` on: the events are run again, each number that they moved is looked at
    in every frame, and as few keys as keep it within ``tolerance`` are written over those that lie in that time.

    Returns the scene, the lanes that were written, and what is left out, in sentences. Raises EditRefused where nothing moved.
    """
    if not 0 < seconds <= LONGEST_TAKE:
        raise EditRefused(f"A take lasts up to {LONGEST_TAKE:g} s, and more than 0; this one {seconds:g}.")
    if not 0 <= tolerance <= 1:
        raise EditRefused(f"The tolerance must be from 0 to 1, not {tolerance:g}.")
    rows, runner = watched(scene, sorted(events, key=lambda e: e.time), seconds, at)
    frames = at + np.arange(len(rows[next(iter(rows))])) if rows else np.zeros(0)
    written, said = list[ChannelRef](), list[str]()
    led = {(key[1], key[2]) for key in runner.segments if key[0] == PLACE}
    for ref, values in rows.items():
        obj = scene.object(ref.owner)
        what = channel(obj, ref.channel)
        if what.slides:  # and so none of a relay's shapes
            scene, baked = _keyed(scene, ref, frames, values)
            said += [f"The motion over {what.name} became keys."] if baked else []
            written.append(ref)
    for owner, group in sorted(led):
        name = relays(scene.object(owner))[group].name
        said.append(f"The relay {name} is left as it was: its lane has poses, not places between them.")
    if not written:
        raise EditRefused("Nothing moved in this take that has a lane.", "Click what a cue waits for, then take it again.")
    scene, _ = reduce_keys(scene, [(ref.owner, ref.channel) for ref in written], tolerance)
    last = float(frames[-1])
    return (replace(scene, end=last) if last > scene.end else scene), written, said


def _keyed(scene: Scene, ref: ChannelRef, frames: np.ndarray, values: np.ndarray) -> tuple[Scene, bool]:
    """Values written as keys; and whether motion was laid over the lane, which then is made into keys all along it."""
    lane = scene.object(ref.owner).lane(ref.channel)
    baked = lane is not None and any(m.on and m.amount for m in lane.modifiers)
    if lane is not None and lane.modifiers:
        first, last = lane.curve.keys[0].frame, lane.curve.keys[-1].frame
        scene = bake(scene, [(ref.owner, ref.channel)], min(first, scene.start), max(last, scene.end))
    obj = scene.object(ref.owner)
    lane = obj.lane(ref.channel)
    curve = lane.curve if lane is not None else AnimationCurve()
    rest = [k for k in curve.keys if not frames[0] - 1e-6 <= k.frame <= frames[-1] + 1e-6]
    stepped = channel(obj, ref.channel).stepped
    way = "hold" if stepped else "linear"
    new = [Key(float(f), float(v), way) for f, v in zip(frames, values, strict=True)]
    keys = tuple(sorted((*rest, *new), key=lambda k: k.frame))
    return scene.with_object(obj.with_lane(ref.channel, replace(curve, keys=keys))), baked
