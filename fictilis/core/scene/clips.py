"""The clips of a scene: which there are, what is in them, and making another one active."""

from __future__ import annotations

from msgspec.structs import replace

from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import Clip, ClipPart


def clip(scene: Scene, clip_id: str | None = None) -> Clip:
    """A clip by its id, or the active one. Raises EditRefused where there is none such."""
    found = next((c for c in scene.clips if c.id == (clip_id or scene.clip)), None)
    if found is None:
        raise EditRefused(f"The scene has no clip with the id {clip_id}." if clip_id else "The scene has no clips yet.")
    return found


def clip_named(scene: Scene, name: str) -> Clip:
    for found in scene.clips:
        if found.name == name:
            return found
    names = ", ".join(c.name for c in scene.clips) or "none"
    raise EditRefused(f"The scene has no clip named {name}; its clips are: {names}.")


def whole_clips(scene: Scene) -> tuple[Clip, ...]:
    """The clips of a scene, the active one with what the objects hold of it."""
    parts = parts_now(scene)
    return tuple(
        replace(c, start=scene.start, end=scene.end, played=scene.played, parts=parts) if c.id == scene.clip else c
        for c in scene.clips
    )


def parts_now(scene: Scene) -> tuple[ClipPart, ...]:
    """What the objects do in the active clip."""
    return tuple(ClipPart(o.id, o.lanes, o.blend) for o in scene.objects if o.lanes or o.blend is not None)


def whole_clip(scene: Scene, clip_id: str) -> Clip:
    """A clip with its range and its parts, active or not."""
    return next(c for c in whole_clips(scene) if c.id == clip(scene, clip_id).id)


def emptied(some: Clip) -> Clip:
    """A clip as it is kept while the scene and its objects hold what is in it."""
    return replace(some, parts=(), start=0.0, end=1.0, played=None)


def with_active(scene: Scene, clips: tuple[Clip, ...], chosen: Clip) -> Scene:
    """The scene with a whole clip's lanes in its objects; the others are whole already."""
    objects = []
    for obj in scene.objects:
        part = chosen.part(obj.id)
        same = part.lanes is obj.lanes and part.blend is obj.blend
        objects.append(obj if same else replace(obj, lanes=part.lanes, blend=part.blend))
    kept = tuple(emptied(c) if c.id == chosen.id else c for c in clips)
    return replace(
        scene, objects=tuple(objects), clips=kept, clip=chosen.id, start=chosen.start, end=chosen.end, played=chosen.played
    )


def choose_clip(scene: Scene, clip_id: str) -> Scene:
    """Another active clip: its lanes are shown, keyed and played."""
    wanted = clip(scene, clip_id)
    if wanted.id == scene.clip:
        return scene
    clips = whole_clips(scene)
    return with_active(scene, clips, next(c for c in clips if c.id == clip_id))
