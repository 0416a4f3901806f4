"""Linked targets: targets of several objects that have one weight and one lane, each with its own shape.

Each object keeps a copy of the lane, and the scene keeps the copies alike (``Scene.with_object``); so unlinking is taking the
link off, and every object evaluates as if there were none.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from fictilis.core.edits.clips import links_in_step
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.names import fresh_id, number_of
from fictilis.core.mix.driven import driven_by
from fictilis.core.scene.scene import Scene, Target, links_of
from fictilis.core.scene.shared_lanes import partners


def link_targets(scene: Scene, parts: Sequence[tuple[str, str]]) -> Scene:
    """One weight and one lane for targets of several objects, as (object id, target id): those of the first. Where that has no
    keys in a clip, the keys of the next one that has lead.

    What the first is linked with already stays with it; another one leaves what it was linked with.
    """
    if len({object_id for object_id, _ in parts}) < 2:
        raise EditRefused("Targets of at least two objects can be linked; name one of another object.")
    first, target = scene.object(parts[0][0]), scene.object(parts[0][0]).target(parts[0][1])
    used = (link for o in scene.objects for link in links_of(o))
    link = target.link or fresh_id("k", used)
    for number, (object_id, target_id) in enumerate(parts):
        obj = scene.object(object_id)
        mine = obj.target(target_id)
        led = driven_by(obj, mine)
        if led:
            raise EditRefused(f"{mine.name} of {obj.name} is driven by {led}; it has no weight to be linked.")
        held = links_of(obj).get(link)
        if number and held is not None and held.id != target_id:
            raise EditRefused(f"{target.name} of {first.name} is linked with {held.name} of {obj.name} already.")
        scene = replace(
            scene, objects=tuple(obj.with_target(replace(mine, link=link)) if o is obj else o for o in scene.objects)
        )
    return links_in_step(scene, first.id)


def link_equal_names(scene: Scene, object_id: str) -> tuple[Scene, list[str]]:
    """Every target of an object linked with those of the same name in other objects; the names that were linked."""
    obj, linked = scene.object(object_id), []
    by_name: dict[str, list[tuple[str, Target]]] = {}
    for other in (o for o in scene.objects if o.id != object_id):
        for target in other.targets:
            if not driven_by(other, target):
                by_name.setdefault(target.name, []).append((other.id, target))
    number = number_of(fresh_id("k", (link for o in scene.objects for link in links_of(o))))
    links: dict[str, dict[str, str]] = {}
    for target in obj.targets:
        others = by_name.get(target.name, ())
        if driven_by(obj, target) or all(t.link is not None and t.link == target.link for _, t in others):
            continue
        link = target.link or f"k{number}"
        number += target.link is None
        for owner_id, part in ((object_id, target), *others):
            held = links_of(scene.object(owner_id)).get(link)
            if held is None or held.id == part.id:  # an object has one target at most of a link
                links.setdefault(owner_id, {})[part.id] = link
        linked.append(target.name)
    if not linked:
        name = scene.object(object_id).name
        raise EditRefused(
            f"No other object has a target named as one of {name}, but for those that are linked; rename one of them first."
        )
    objects = []
    for owner in scene.objects:
        mine = links.get(owner.id, {})
        targets = tuple(replace(t, link=mine[t.id]) if t.id in mine else t for t in owner.targets)
        objects.append(replace(owner, targets=targets) if mine else owner)
    scene = replace(scene, objects=tuple(objects))
    return links_in_step(scene, object_id), linked


def unlink(scene: Scene, object_id: str, target_id: str) -> Scene:
    """Unlink a target, which keeps its keys; a last one that is left alone is unlinked too."""
    obj = scene.object(object_id)
    target = obj.target(target_id)
    if target.link is None:
        raise EditRefused(f"{target.name} of {obj.name} is not linked.")
    rest = partners(scene, obj, target)
    freed = [(obj, target), *(rest if len(rest) == 1 else [])]
    for owner, part in freed:
        alone = owner.with_target(replace(part, link=None))
        scene = replace(scene, objects=tuple(alone if o is owner else o for o in scene.objects))
    return scene
