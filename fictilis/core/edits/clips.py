"""Edits of clips: lanes of all objects under a name, one of which is active at a time. Cameras have lanes of their own."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.edits.timeline import set_frame_range
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.names import fresh_id, fresh_name, given_name, number_of
from fictilis.core.scene.clips import choose_clip, clip, emptied, parts_now, whole_clip, whole_clips, with_active
from fictilis.core.scene.scene import BLEND, MorphObject, Scene, in_step, links_of
from fictilis.core.scene.shared_lanes import linked_lanes
from fictilis.core.scene.timeline import Blend, Clip, ClipPart, Lane

LETTER = "p"  # of the ids of clips


def with_lanes_of(scene: Scene, obj: MorphObject, change: Callable[[tuple[Lane, ...]], tuple[Lane, ...]]) -> Scene:
    """The scene with an object as ``obj``, and ``change`` made of its lanes in every clip, and in both of a blend."""

    def part(old: ClipPart) -> ClipPart:
        blend = old.blend and replace(old.blend, lanes=change(old.blend.lanes))
        return replace(old, lanes=change(old.lanes), blend=blend)

    clips = (replace(c, parts=tuple(part(p) if p.owner == obj.id else p for p in c.parts)) for c in scene.clips)
    now = part(ClipPart(obj.id, obj.lanes, obj.blend))
    return replace(scene, clips=tuple(clips)).with_object(replace(obj, lanes=now.lanes, blend=now.blend))


def links_in_step(scene: Scene, first: str) -> Scene:
    """The scene with linked targets led by one lane in every clip, and in both of a blend: as the object ``first`` has it, or
    where that has no keys in a clip, the next one that has."""
    objects = sorted(scene.objects, key=lambda obj: obj.id != first)
    links = {link for obj in objects for link in links_of(obj)}
    parts = {part.owner: part for part in _parts_in_step(objects, parts_now(scene), links)}
    now = {obj.id: parts.get(obj.id, ClipPart(obj.id, ())) for obj in objects}
    others = tuple(c if c.id == scene.clip else replace(c, parts=_parts_in_step(objects, c.parts, links)) for c in scene.clips)
    led = tuple(replace(obj, lanes=now[obj.id].lanes, blend=now[obj.id].blend) for obj in scene.objects)
    scene = replace(scene, objects=led, clips=others)
    return in_step(scene, scene.object(first))


def _parts_in_step(objects: Sequence[MorphObject], parts: tuple[ClipPart, ...], links: Collection[str]) -> tuple[ClipPart, ...]:
    """The parts of one clip with linked targets led alike. What a blend leads alike plays both of its clips."""
    by_owner = {part.owner: part for part in parts}
    lanes = linked_lanes(objects, {part.owner: part.lanes for part in parts}, links)
    beside = linked_lanes(objects, {part.owner: part.blend.lanes for part in parts if part.blend is not None}, links)
    both = next((part for part in parts if part.blend is not None), None)
    out = []
    for owner in dict.fromkeys([*by_owner, *lanes, *beside]):
        mine, blend = lanes.get(owner, ()), by_owner.get(owner, ClipPart(owner, ())).blend
        if both is not None and both.blend is not None and blend is None:
            blend = both.blend
            mine += tuple(lane for lane in both.lanes if lane.channel == BLEND)
        out.append(ClipPart(owner, mine, blend and replace(blend, lanes=beside.get(owner, ()))))
    return tuple(out)


def _begun(scene: Scene) -> Scene:
    """With what there is as the first clip, where the scene had none by name."""
    if scene.clips:
        return scene
    first = Clip(fresh_id(LETTER, (), scene.id_floor), "Clip 1", scene.start, scene.end)
    return replace(scene, clips=(emptied(first),), clip=first.id)


def _added(scene: Scene, name: str, change: Callable[[Clip], Clip]) -> tuple[Scene, str]:
    scene = _begun(scene)
    new_id = fresh_id(LETTER, (c.id for c in scene.clips), scene.id_floor)
    made = change(Clip(new_id, fresh_name(name, {c.name for c in scene.clips}), scene.start, scene.end))
    return with_active(scene, (*whole_clips(scene), made), made), made.id


def new_clip(scene: Scene, name: str = "Clip") -> tuple[Scene, str]:
    """A clip without keys, with the range of the active one; it is active then."""
    return _added(scene, name, lambda made: made)


def duplicate_clip(scene: Scene, name: str | None = None) -> tuple[Scene, str]:
    """A copy of the active clip, which is active then."""
    scene = _begun(scene)
    source = whole_clip(scene, clip(scene).id)

    def copy(made: Clip) -> Clip:
        return replace(source, id=made.id, name=made.name)

    return _added(scene, name or f"{source.name} copy", copy)


def rename_clip(scene: Scene, clip_id: str, name: str) -> Scene:
    name = given_name(name, "A clip", (c.name for c in scene.clips if c.id != clip_id), "The scene already has a clip")
    return _changed(scene, clip_id, name=name)


def set_loop(scene: Scene, clip_id: str, loop: bool) -> Scene:
    """Set whether a clip loops."""
    return _changed(scene, clip_id, loop=loop)


def _changed(scene: Scene, clip_id: str, **values: Any) -> Scene:
    known = clip(scene, clip_id)
    return replace(scene, clips=tuple(replace(c, **values) if c is known else c for c in scene.clips))


def set_clip_range(scene: Scene, clip_id: str, start: float, end: float) -> Scene:
    """Set the frames of a clip."""
    if clip(scene, clip_id).id == scene.clip:
        return set_frame_range(scene, start, end)
    there = choose_clip(scene, clip_id)
    return choose_clip(set_frame_range(there, start, end), scene.clip or clip_id)


def remove_clip(scene: Scene, clip_id: str) -> Scene:
    """Remove a clip and its keys; if it was active, its neighbour becomes so. The last one stays."""
    gone = clip(scene, clip_id)
    if len(scene.clips) < 2:
        raise EditRefused(f"{gone.name} is the only clip; the scene needs one.")
    place = scene.clips.index(gone)
    if gone.id == scene.clip:
        scene = choose_clip(scene, scene.clips[place - 1 if place else 1].id)
    floor = max(scene.id_floor, number_of(gone.id))
    return replace(scene, clips=tuple(c for c in scene.clips if c.id != gone.id), id_floor=floor)


def blend_clips(scene: Scene, first_id: str, second_id: str, name: str | None = None, offset: float = 0.0) -> tuple[Scene, str]:
    """A clip that plays copies of two at once, the second ``offset`` frames later; a lane, *Blend*, leads from the first (0) to
    the second (1). Relays, motion and weights are mixed alike."""
    first, second = whole_clip(scene, first_id), whole_clip(scene, second_id)
    if first.id == second.id:
        raise EditRefused("Two different clips can be blended; choose another one.")
    if not np.isfinite(offset) or abs(offset) > 1e6:
        raise EditRefused(f"A clip can be played up to a million frames later, not {offset:g}.")
    blended = [c.name for c in (first, second) if any(part.blend is not None for part in c.parts)]
    if blended:
        raise EditRefused(f"{blended[0]} plays two clips already; blend those it was made from.")

    def both(made: Clip) -> Clip:
        owners = dict.fromkeys([*(p.owner for p in first.parts), *(p.owner for p in second.parts)])
        parts = tuple(ClipPart(o, first.part(o).lanes, Blend(second.part(o).lanes, float(offset))) for o in owners)
        return replace(made, start=first.start, end=max(first.end, second.end + offset), parts=parts, loop=first.loop)

    return _added(scene, name or f"{first.name} to {second.name}", both)


def set_offset(scene: Scene, offset: float) -> Scene:
    """Set by how many frames the second of two blended clips is played later."""
    led = [o for o in scene.objects if o.blend is not None]
    if not led or led[0].blend is None:
        raise EditRefused("The active clip plays one clip only; blend two clips first.")
    if not np.isfinite(offset) or abs(offset) > 1e6:
        raise EditRefused(f"A clip can be played up to a million frames later, not {offset:g}.")
    return scene.with_object(replace(led[0], blend=replace(led[0].blend, offset=float(offset))))
