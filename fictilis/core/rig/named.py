"""Joints and clips of rigs by their names."""

from __future__ import annotations

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.rigs import Rig, RigClip, Skin, joint_names
from fictilis.core.scene.scene import MorphObject


def skin_of(obj: MorphObject) -> Skin:
    """Raises EditRefused for an object that hangs on no rig; rigs come with glTF and OpenUSD files."""
    if obj.skin is None:
        raise EditRefused(f"{obj.name} hangs on no rig; rigs come with glTF and OpenUSD files.")
    return obj.skin


def joint_named(rig: Rig, name: str) -> int:
    """The number of a joint. Raises EditRefused where there is none of that name."""
    names = joint_names(rig)
    if name not in names:
        raise EditRefused(f"The rig has no joint named {name}; it has: {', '.join(names)}.")
    return names.index(name)


def rig_clip_named(rig: Rig, name: str) -> tuple[int, RigClip]:
    """The number of a clip of a rig, and the clip. Raises EditRefused where there is none of that name."""
    for number, clip in enumerate(rig.clips):
        if clip.name == name:
            return number, clip
    raise EditRefused(f"The rig has no clip named {name}; it has: {', '.join(c.name for c in rig.clips) or 'none'}.")


def clip_curve(clip: RigClip, fps: float, start: float = 0.0, after: str = "hold") -> AnimationCurve:
    """The lane that plays a clip at its own speed from a frame on."""
    seconds = max(clip.seconds, 1e-3)
    first, last = Key(start, 0.0, "linear"), Key(start + seconds * fps, seconds, "linear")
    return AnimationCurve((first, last), "hold", after)
