"""Lanes that several objects have as one: of linked targets, of a rig, of a blend of clips."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence

from msgspec.structs import replace

from fictilis.core.scene.rigs import is_rigged
from fictilis.core.scene.scene import BLEND, MorphObject, Scene, Target, links_of, targets_by_id
from fictilis.core.scene.timeline import Lane


def lanes_shared(scene: Scene, lanes: Iterable[tuple[str, str]]) -> list[list[tuple[str, str]]]:
    """Lanes, as (owner id, channel id), those together that are one by a link, a rig or a blend of clips: what is done to the
    first of such lanes is done to all."""
    out: dict[object, list[tuple[str, str]]] = {}
    for owner_id, channel in dict.fromkeys(lanes):
        owner, shared = scene.owner(owner_id), None
        if isinstance(owner, MorphObject):
            target = targets_by_id(owner).get(channel)
            if target is not None:
                shared = target.link
            elif channel == BLEND:
                shared = BLEND
            elif owner.skin is not None and is_rigged(channel):
                shared = f"{id(owner.skin.rig)} {channel}"
        out.setdefault(shared or (owner_id, channel), []).append((owner_id, channel))
    return list(out.values())


def each_once(scene: Scene, lanes: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Lanes, as (owner id, channel id), the first of those that are one."""
    return [shared[0] for shared in lanes_shared(scene, lanes)]


def linked_lanes(
    objects: Sequence[MorphObject], lanes: Mapping[str, tuple[Lane, ...]], links: Collection[str]
) -> dict[str, tuple[Lane, ...]]:
    """The lanes of one clip by object id, with those of ``links`` alike: as the first of ``objects`` has it that has keys."""
    out = dict(lanes)
    for link in links:
        parts = [(obj.id, links_of(obj)[link].id) for obj in objects if link in links_of(obj)]
        held = [next((x for x in out.get(owner, ()) if x.channel == channel), None) for owner, channel in parts]
        leader = next((lane for lane in held if lane is not None), None)
        for (owner, channel), mine in zip(parts, held, strict=True):
            if leader is not None and (mine is None or (mine.curve, mine.modifiers) != (leader.curve, leader.modifiers)):
                rest = tuple(lane for lane in out.get(owner, ()) if lane is not mine)
                out[owner] = (*rest, replace(leader, channel=channel))
    return out


def partners(scene: Scene, obj: MorphObject, target: Target) -> list[tuple[MorphObject, Target]]:
    """The targets of other objects that a target is linked with, each with its object."""
    if target.link is None:
        return []
    found = ((other, links_of(other).get(target.link)) for other in scene.objects if other.id != obj.id)
    return [(other, linked) for other, linked in found if linked is not None]
