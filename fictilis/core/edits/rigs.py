"""Edits of what hangs on a rig: how, which clip is played, joints turned by hand."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from msgspec.structs import replace

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits.correctives import set_follow
from fictilis.core.edits.targets import append
from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import set_value
from fictilis.core.rig.named import clip_curve, joint_named, rig_clip_named, skin_of
from fictilis.core.scene.rigs import CLIP, TIME, Skin, angle_id, is_rigged, joint_names, turn_id
from fictilis.core.scene.rules import Follow
from fictilis.core.scene.scene import Scene, Target
from fictilis.core.validity.objects import checked_skin


def set_skin(scene: Scene, object_id: str, skin: Skin) -> Scene:
    """Let a mesh hang on a rig. Raises EditRefused for what is none, and where the skin is that of other points."""
    obj = scene.object(object_id)
    checked_skin(obj, skin)
    return scene.with_object(replace(obj, skin=skin))


def change_skin(scene: Scene, object_id: str, **values: Any) -> Scene:
    """Set whether a skin is on, and whether it blends by dual quaternions."""
    obj = scene.object(object_id)
    return scene.with_object(replace(obj, skin=replace(skin_of(obj), **values)))


def leave_rig(scene: Scene, object_id: str) -> Scene:
    """Remove an object's rig, and the lanes that lead it. Raises EditRefused where a weight follows a
    joint."""
    obj = scene.object(object_id)
    skin_of(obj)
    followers = [t.name for t in obj.targets if t.follows is not None and is_rigged(t.follows.source)]
    if followers:
        raise EditRefused(f"{', '.join(followers)} of {obj.name} follows a joint; make it a plain target first.")
    lanes = tuple(lane for lane in obj.lanes if not is_rigged(lane.channel))
    return scene.with_object(replace(obj, skin=None, lanes=lanes))


def play_clip(scene: Scene, object_id: str, name: str, start: float = 0.0, again: bool = False) -> Scene:
    """Play a clip of the rig from a frame on, at its own speed, once or ``again`` and again."""
    obj = scene.object(object_id)
    skin = skin_of(obj)
    number, clip = rig_clip_named(skin.rig, name)
    obj = replace(obj, skin=replace(skin, clip=number)).with_lanes({CLIP: AnimationCurve(())})
    return scene.with_object(obj.with_lane(TIME, clip_curve(clip, scene.fps, start, "repeat" if again else "hold")))


def turn_joint(scene: Scene, object_id: str, joint: int, degrees: Mapping[str, float]) -> Scene:
    """A joint turned by hand about axes of its own, on top of what its clip does; by axis. Raises EditRefused where keys do
    that."""
    obj = scene.object(object_id)
    for axis, value in degrees.items():
        channel = turn_id(joint, axis)
        if obj.lane(channel) is not None:
            raise EditRefused(
                f"{joint_names(skin_of(obj).rig)[joint]} is led by keys about {axis.upper()}; set a key there instead."
            )
        scene = set_value(scene, object_id, channel, value)
    return scene


def straighten(scene: Scene, object_id: str) -> Scene:
    """Undo all turns of joints by hand, keyed ones too."""
    obj = scene.object(object_id)
    lanes = tuple(x for x in obj.lanes if not is_rigged(x.channel) or x.channel in (CLIP, TIME))
    return scene.with_object(replace(obj, skin=replace(skin_of(obj), turns=()), lanes=lanes))


def add_joint_corrective(scene: Scene, object_id: str, joint: str, angle: float) -> tuple[Scene, str]:
    """A target without a shape yet that comes up as a joint is bent: nothing at its rest, all of it at ``angle`` degrees."""
    obj = scene.unlocked(object_id)
    number = joint_named(skin_of(obj).rig, joint)
    scene, target_id = append(scene, obj, Target("", ""), f"{joint} bent")
    curve = AnimationCurve((Key(0.0, 0.0, "linear"), Key(float(angle), 1.0, "linear")))
    return set_follow(scene, object_id, target_id, Follow(angle_id(number), curve)), target_id
