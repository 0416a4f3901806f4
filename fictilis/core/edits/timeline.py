"""Edits of what stands in time: rate, range, what is played, markers, sound, cameras."""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec.structs import replace

from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.names import fresh_id, fresh_name, given_name
from fictilis.core.scene.at_rate import AtRate
from fictilis.core.scene.light import Light
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.timeline import LONGEST_RANGE, NEAR, Marker, Reference, SceneCamera, Sound
from fictilis.core.validity.scenes import checked_light, checked_reference, checked_sound


def set_rate(scene: Scene, fps: float, keep_seconds: bool = False) -> Scene:
    """Set the frame rate: keys and markers keep their frames, or with ``keep_seconds`` their times, and the range too.

    A sound begins at the same frame, or at the same time, as they do.
    """
    if not (np.isfinite(fps) and 0.1 <= fps <= 1000):
        raise EditRefused(f"The frame rate must be from 0.1 to 1000 frames a second, not {fps:g}.")
    if not keep_seconds:
        return replace(scene, fps=float(fps))
    factor = fps / scene.fps
    at = AtRate(factor)
    return replace(
        scene, fps=float(fps), start=scene.start * factor, end=scene.end * factor, objects=tuple(map(at.object, scene.objects)),
        cameras=tuple(replace(c, lanes=at.lanes(c.lanes)) for c in scene.cameras),
        clips=tuple(c if c.id == scene.clip else at.clip(c) for c in scene.clips),
        played=None if scene.played is None else (scene.played[0] * factor, scene.played[1] * factor),
        markers=tuple(replace(m, frame=m.frame * factor) for m in scene.markers),
        sound=None if scene.sound is None else replace(scene.sound, start=scene.sound.start * factor),
        reference=None if scene.reference is None else replace(scene.reference, start=scene.reference.start * factor),
    )  # fmt: skip


def set_frame_range(scene: Scene, start: float, end: float) -> Scene:
    """Set the range, from frame ``start`` to ``end``; what is played is kept within them."""
    _rising(start, end, "range")
    played = scene.played
    if played is not None:
        first, last = max(played[0], start), min(played[1], end)
        played = (first, last) if first < last and (first, last) != (start, end) else None
    return replace(scene, start=float(start), end=float(end), played=played)


def set_played(scene: Scene, first: float | None = None, last: float | None = None) -> Scene:
    """Only the frames from ``first`` to ``last`` are played; an end that is None stays. All of the range is no limit."""
    begin = scene.span[0] if first is None else max(float(first), scene.start)
    stop = scene.span[1] if last is None else min(float(last), scene.end)
    _rising(begin, stop, "part that is played")
    return replace(scene, played=None if (begin, stop) == (scene.start, scene.end) else (begin, stop))


def play_all(scene: Scene) -> Scene:
    return replace(scene, played=None)


def _rising(start: float, end: float, what: str) -> None:
    if not (np.isfinite(start) and np.isfinite(end) and start < end):
        raise EditRefused(f"The {what} must rise: frame {start:g} is not before frame {end:g}.")
    if max(abs(start), abs(end)) > LONGEST_RANGE:
        raise EditRefused(f"The {what} must stay within ±{LONGEST_RANGE:,.0f} frames.")


def set_marker(scene: Scene, frame: float, name: str) -> Scene:
    """Set a marker at a frame; one that is there gets the new name."""
    if not np.isfinite(frame) or abs(frame) > LONGEST_RANGE:
        raise EditRefused(f"A marker cannot stand at frame {frame:g}.")
    name = given_name(name, "A marker")
    rest = [m for m in scene.markers if abs(m.frame - frame) > NEAR]
    renamed = {m.name for m in scene.markers if abs(m.frame - frame) <= NEAR} - {m.name for m in rest}
    cues = tuple(replace(c, when=replace(c.when, marker=name)) if c.when.marker in renamed else c for c in scene.cues)
    markers = tuple(sorted((*rest, Marker(float(frame), name)), key=lambda m: m.frame))
    return replace(scene, markers=markers, cues=cues if renamed else scene.cues)


def move_marker(scene: Scene, frame: float, to: float) -> Scene:
    """Move the marker at ``frame`` to ``to``; one that is there gives way."""
    marker = _marker_at(scene, frame)
    return set_marker(drop_marker(scene, frame), to, marker.name)


def _marker_at(scene: Scene, frame: float) -> Marker:
    for marker in scene.markers:
        if abs(marker.frame - frame) <= NEAR:
            return marker
    raise EditRefused(f"There is no marker at frame {frame:g}.")


def drop_marker(scene: Scene, frame: float) -> Scene:
    gone = _marker_at(scene, frame)
    return replace(scene, markers=tuple(m for m in scene.markers if m is not gone))


def set_sound(scene: Scene, sound: Sound | None) -> Scene:
    """Set the sound, or none. Raises EditRefused for numbers out of bounds."""
    checked_sound(sound)
    return replace(scene, sound=sound)


def set_light(scene: Scene, light: Light | None) -> Scene:
    """Set the light, or none for that of whoever looks. Raises EditRefused for numbers out of bounds."""
    checked_light(light)
    return replace(scene, light=light)


def set_reference(scene: Scene, reference: Reference | None) -> Scene:
    """Set the reference picture, or none. Raises EditRefused for numbers out of bounds."""
    checked_reference(reference)
    return replace(scene, reference=reference)


def change_reference(scene: Scene, **values: Any) -> Scene:
    """Change numbers of the reference picture. Raises EditRefused where there is none, and as set_reference."""
    if scene.reference is None:
        raise EditRefused("The scene has no reference picture; choose one first.")
    return set_reference(scene, replace(scene.reference, **values))


def change_sound(scene: Scene, **values: Any) -> Scene:
    """Change ``start``, ``muted`` or ``volume`` of the sound."""
    if scene.sound is None:
        raise EditRefused("The scene has no sound; choose one first.")
    return set_sound(scene, replace(scene.sound, **values))


def add_camera(scene: Scene, camera: SceneCamera) -> tuple[Scene, str]:
    """A camera that stands where ``camera`` does, with a name and id of its own; it is the one looked through."""
    name = fresh_name(camera.name.strip() or "Camera", (o.name for o in scene.owners))
    made = replace(camera, id=fresh_id("c", (c.id for c in scene.cameras), scene.id_floor), name=name)
    return replace(scene, cameras=(made, *scene.cameras)), made.id


def rename_camera(scene: Scene, camera_id: str, name: str) -> Scene:
    camera = scene.owner(camera_id)
    others = (owner.name for owner in scene.owners if owner is not camera)
    name = given_name(name, "A camera", others, "The scene already has something")
    return scene.with_owner(replace(camera, name=name))


def first_camera(scene: Scene, camera_id: str) -> Scene:
    """Choose the camera that is looked through."""
    chosen = next((c for c in scene.cameras if c.id == camera_id), None)
    if chosen is None:
        raise EditRefused(f"The scene has no camera with the id {camera_id}.")
    return replace(scene, cameras=(chosen, *(c for c in scene.cameras if c is not chosen)))


def remove_camera(scene: Scene, camera_id: str) -> Scene:
    return scene.without(scene.owner(camera_id))
