"""Edits of whole objects."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TypeVar

import numpy as np
from msgspec.structs import replace

from fictilis.core.edits.cues import cues_beside
from fictilis.core.edits.measures import add_measure
from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.names import fresh_id, fresh_name, fresh_names, given_name, number_of, tidy_name
from fictilis.core.scene.appearance import Appearance
from fictilis.core.scene.cues import Cue
from fictilis.core.scene.kept import NamedPick, StoredMix
from fictilis.core.scene.places import Transform
from fictilis.core.scene.rigs import Rig
from fictilis.core.scene.scene import MorphObject, Scene, links_of
from fictilis.core.scene.timeline import SavedView

K = TypeVar("K", NamedPick, StoredMix, SavedView)


def add_object(
    scene: Scene, name: str, geometry: Geometry, points: np.ndarray, appearance: Appearance = Appearance()
) -> tuple[Scene, str]:
    """Add an object with its base; returns the scene and the object's id."""
    scene, (object_id,) = add_objects(scene, [(name, geometry, points, appearance)])
    return scene, object_id


def add_objects(scene: Scene, rows: Iterable[tuple[str, Geometry, np.ndarray, Appearance]]) -> tuple[Scene, list[str]]:
    """Many new objects at once, each a name, a geometry, its points and how it looks; returns the scene and their ids."""
    first = int(fresh_id("o", (o.id for o in scene.objects), scene.id_floor)[1:])
    rows = list(rows)
    names = fresh_names((name for name, *_ in rows), (o.name for o in scene.objects))
    made = [
        MorphObject(f"o{number}", name, geometry, points, appearance=look)
        for number, (name, (_, geometry, points, look)) in enumerate(zip(names, rows, strict=True), first)
    ]
    return replace(scene, objects=(*scene.objects, *made)), [obj.id for obj in made]


def with_all_of(scene: Scene, other: Scene) -> Scene:
    """A scene with all objects and cameras of another one, the lanes of its active clip, its cues and its measures, all under
    ids and names of their own. Raises EditRefused for more cues than a scene may have."""
    if not other.owners:
        return scene
    first = int(fresh_id("o", (o.id for o in scene.objects), scene.id_floor)[1:])
    taken, new_ids = {o.name for o in scene.owners}, {o.id: f"o{n}" for n, o in enumerate(other.objects, first)}
    links, rigs, objects = _fresh_links(scene, other), dict[int, Rig](), []
    for obj in other.objects:
        along = obj.along and replace(obj.along, line=new_ids[obj.along.line])
        repeat = obj.repeat
        if repeat is not None and repeat.other is not None:
            repeat = replace(repeat, other=new_ids[repeat.other])
        name = fresh_name(obj.name, taken)
        taken.add(name)
        targets = tuple(t if t.link is None else replace(t, link=links[t.link]) for t in obj.targets)
        new = replace(obj, id=new_ids[obj.id], name=name, targets=targets, along=along, repeat=repeat, blend=None)
        objects.append(new if obj.skin is None else _on_rig(new, rigs.setdefault(id(obj.skin.rig), replace(obj.skin.rig))))
    scene = replace(scene, objects=(*scene.objects, *objects), cues=cues_beside(scene, other, new_ids))
    for camera in other.cameras:
        along = camera.along and replace(camera.along, line=new_ids[camera.along.line])
        name = fresh_name(camera.name, {o.name for o in scene.owners})
        made = replace(camera, id=fresh_id("c", (c.id for c in scene.cameras), scene.id_floor), name=name, along=along)
        scene = replace(scene, cameras=(*scene.cameras, made))
    for measure in other.measures:
        ends = [replace(end, owner=new_ids[end.owner]) for end in (measure.first, measure.second)]
        scene = add_measure(scene, ends[0], ends[1], measure.name)
    return scene


def _fresh_links(scene: Scene, other: Scene) -> dict[str, str]:
    """New links for those of another scene, which would lead targets of this one otherwise."""
    used = [link for o in scene.objects for link in links_of(o)]
    first = number_of(fresh_id("k", used))
    return {link: f"k{n}" for n, link in enumerate(dict.fromkeys(k for o in other.objects for k in links_of(o)), first)}


def duplicate_object(scene: Scene, object_id: str) -> tuple[Scene, str]:
    """A copy of an object right behind it, with all that it has: its targets, its lanes in every clip, what it follows and
    how it is repeated. Links stay with the first, and a skin is put on a rig of its own. Returns the scene and the new id."""
    source = scene.object(object_id)
    new_id = fresh_id("o", (o.id for o in scene.objects), scene.id_floor)
    name = fresh_name(source.name, {o.name for o in scene.owners})
    targets = tuple(t if t.link is None else replace(t, link=None) for t in source.targets)
    made = on_rig_of_its_own(replace(source, id=new_id, name=name, targets=targets))
    clips = tuple(replace(c, parts=(*c.parts, *(replace(p, owner=new_id) for p in c.parts if p.owner == object_id)))
                  for c in scene.clips)  # fmt: skip
    place = scene.objects.index(source) + 1
    return replace(scene, objects=(*scene.objects[:place], made, *scene.objects[place:]), clips=clips), new_id


def on_rig_of_its_own(obj: MorphObject) -> MorphObject:
    """An object whose rig, where it has one, moves no other object."""
    return obj if obj.skin is None else _on_rig(obj, replace(obj.skin.rig))


def _on_rig(obj: MorphObject, rig: Rig) -> MorphObject:
    assert obj.skin is not None
    return replace(obj, skin=replace(obj.skin, bound=replace(obj.skin.bound, rig=rig)))


def remove_object(scene: Scene, object_id: str) -> Scene:
    return scene.without(scene.object(object_id))


def rename_object(scene: Scene, object_id: str, name: str) -> Scene:
    others = (o.name for o in scene.objects if o.id != object_id)
    name = given_name(name, "An object", others, "The scene already has an object")
    return scene.with_object(replace(scene.object(object_id), name=name))


def set_transform(scene: Scene, object_id: str, transform: Transform) -> Scene:
    if any(abs(factor) < 1e-9 for factor in transform.scale):
        raise EditRefused("An object's scale must not be 0 on any axis.")
    return scene.with_object(replace(scene.object(object_id), transform=transform))


def set_appearance(scene: Scene, object_id: str, appearance: Appearance) -> Scene:
    return scene.with_object(replace(scene.object(object_id), appearance=appearance))


def set_visible(scene: Scene, object_id: str, visible: bool) -> Scene:
    return scene.with_object(replace(scene.object(object_id), visible=visible))


def show_all(scene: Scene) -> Scene:
    return replace(scene, objects=tuple(o if o.visible else replace(o, visible=True) for o in scene.objects))


def set_locked(scene: Scene, object_id: str, locked: bool) -> Scene:
    return scene.with_object(replace(scene.object(object_id), locked=locked))


def order_objects(scene: Scene, ids: Sequence[str]) -> Scene:
    """Put the objects in another order: ``ids`` names each once."""
    if sorted(ids) != sorted(o.id for o in scene.objects):
        raise ValueError(f"expected each of the {len(scene.objects)} objects once, got {', '.join(ids)}")
    return replace(scene, objects=tuple(scene.object(i) for i in ids))


def keep_pick(scene: Scene, object_id: str, name: str, pick: Pick) -> Scene:
    """Keep a pick with its object under a name; one of the same name is replaced."""
    obj, name = scene.object(object_id), tidy_name(name)
    if not name or not len(pick):
        raise EditRefused("A kept pick needs a name, and something picked.")
    rest = tuple(p for p in obj.picks if p.name != name)
    return scene.with_object(replace(obj, picks=(*rest, NamedPick(name, pick))))


def drop_pick(scene: Scene, object_id: str, name: str) -> Scene:
    obj = scene.object(object_id)
    return scene.with_object(replace(obj, picks=tuple(p for p in obj.picks if p.name != name)))


def rename_pick(scene: Scene, object_id: str, name: str, to: str) -> Scene:
    """Rename a kept pick, also in the cues that wait for a click on it. Raises EditRefused where another has it."""
    obj = scene.object(object_id)
    picks, to = _renamed(obj.picks, name, to, f"{obj.name} has a kept pick")
    return _told(scene.with_object(replace(obj, picks=picks)), "when", object_id, "pick", name, to)


def rename_mix(scene: Scene, object_id: str, name: str, to: str) -> Scene:
    """Rename a kept mix, also in the cues that lead to it. Raises EditRefused where another has it."""
    obj = scene.object(object_id)
    mixes, to = _renamed(obj.mixes, name, to, f"{obj.name} has a kept mix")
    return _told(scene.with_object(replace(obj, mixes=mixes)), "act", object_id, "mix", name, to)


def _told(scene: Scene, part: str, object_id: str, what: str, name: str, to: str) -> Scene:
    """The scene with the new name in that part of each cue which names it of that object."""

    def told(cue: Cue) -> Cue:
        said = getattr(cue, part)
        mine = (said.owner, getattr(said, what)) == (object_id, name)
        return replace(cue, **{part: replace(said, **{what: to})}) if mine else cue

    return replace(scene, cues=tuple(map(told, scene.cues)))


def rename_view(scene: Scene, name: str, to: str) -> Scene:
    """Rename a kept view. Raises EditRefused where another has it."""
    return replace(scene, views=_renamed(scene.views, name, to, "There is a kept view")[0])


def _renamed(kept: Sequence[K], name: str, to: str, already: str) -> tuple[tuple[K, ...], str]:
    """Kept things with one of them under another name, and that name."""
    to = given_name(to, f"What was {name}", (k.name for k in kept if k.name != name), already)
    return tuple(replace(k, name=to) if k.name == name else k for k in kept), to


def keep_view(scene: Scene, view: SavedView) -> Scene:
    """Keep a view under its name; one of the same name is replaced."""
    given_name(view.name, "A kept view")
    return replace(scene, views=(*(v for v in scene.views if v.name != view.name), view))


def drop_view(scene: Scene, name: str) -> Scene:
    return replace(scene, views=tuple(v for v in scene.views if v.name != name))
