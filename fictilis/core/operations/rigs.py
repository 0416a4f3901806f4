"""Operations on what hangs on a rig."""

from __future__ import annotations

from fictilis.core.edits import rigs as edits
from fictilis.core.ground.parameters import Choice, Flag, Number, Text
from fictilis.core.mix.channels import values_at
from fictilis.core.operations.table import Kept, Operation, Subject, Values, named
from fictilis.core.rig.named import joint_named, skin_of
from fictilis.core.scene.rigs import angle_id, joint_names, joint_of
from fictilis.core.scene.scene import Scene

WAYS = (("linear", "Linearly", False), ("dual", "By dual quaternions", True))


def _clips(s: Subject) -> list[str]:
    return [clip.name for clip in s.obj.skin.rig.clips] if s.obj.skin is not None else []


def _joints(s: Subject) -> list[str]:
    return list(joint_names(s.obj.skin.rig)) if s.obj.skin is not None else []


def _turn(s: Subject, v: Values) -> Scene:
    joint = joint_named(skin_of(s.obj).rig, v["joint"])
    return edits.turn_joint(s.scene, s.obj.id, joint, {axis: v[axis] for axis in "xyz"})


def _degrees(axis: str) -> Number:
    return Number(axis, f"About {axis.upper()}", 0.0, unit="°", low=-36000, high=36000, decimals=1)


def _bent(s: Subject, joint: str | None = None) -> float:
    """By how many degrees a joint, or the one that is proposed, is away from its rest as it is seen."""
    if s.found is None or s.obj.skin is None:
        return 45.0
    joint = joint or _joint(s)
    found = round(_angles(s)[_joints(s).index(joint)], 1) if joint is not None else 0.0
    return found if found >= 0.1 else 45.0


def _angles(s: Subject) -> list[float]:
    """By how many degrees each joint is away from its rest as it is seen."""
    shown = s.shown or values_at(s.obj, s.frame, None, s.scene.fps)
    return [float(shown[angle_id(number)]) for number in range(len(_joints(s)))]


def _joint(s: Subject) -> str | None:
    """The joint whose lane was selected last, else the one that is bent most."""
    names = _joints(s) if s.found is not None else []
    chosen = joint_of(s.selected[-1].channel) if s.selected and s.selected[-1].owner == s.object_id else None
    if chosen is not None and chosen < len(names):
        return names[chosen]
    angles = _angles(s) if names else []
    return names[angles.index(max(angles))] if angles and max(angles) >= 0.1 else None


def _corrective(s: Subject, v: Values) -> tuple[Scene, str]:
    angle = v["angle"] if v["angle"] is not None else _bent(s, v["joint"])
    return named(edits.add_joint_corrective(s.scene, s.obj.id, v["joint"], angle), s, v["name"])


RIGS = (
    Operation("rig", "play", "Play a clip of the rig", lambda s, v: edits.play_clip(s.scene, s.obj.id, v["clip"], v["start"],
                                                                                   v["again"]),
              (Kept("clip", "Clip", needed=True, among=_clips),
               Number("start", "From frame", lambda s: s.scene.start, low=-1e6, high=1e6), Flag("again", "Loop")),
              ("object", "rig clips"), "Plays a clip of the rig by a lane that can be retimed like any other.", "Play it",
              done="Play {clip} on {object}"),
    Operation("rig", "way", "Skinning method", lambda s, v: edits.change_skin(s.scene, s.obj.id, dual=v["by"]),
              (Choice("by", "Follows", lambda s: bool(s.obj.skin and s.obj.skin.dual), options=WAYS),), ("object", "rig"),
              "Linear skinning thins where a joint turns far; dual quaternions keep the volume.", "Set it",
              done="Skinning method of {object}"),
    Operation("rig", "rest", "Rig on", lambda s, v: edits.change_skin(s.scene, s.obj.id, on=bool(v["off"])),
              (Flag("off", "On again", asked=False),), ("object", "rig"), "Off, the object is shown as it was bound.",
              done="Rig of {object} off"),
    Operation("rig", "turn", "Turn a joint", _turn,
              (Kept("joint", "Joint", needed=True, among=_joints), *(_degrees(axis) for axis in "xyz")), ("object", "rig"),
              "Turns a joint about its own axes, in degrees, on top of its clip.", "Turn it", done="Turn {joint} of {object}"),
    Operation("rig", "straight", "Reset all joints", lambda s, _v: edits.straighten(s.scene, s.obj.id), (),
              ("object", "rig"), "Removes all turns made by hand; the clip stays.", done="Reset joints of {object}"),
    Operation("rig", "corrective", "Corrective for a joint", _corrective,
              (Kept("joint", "Joint", _joint, needed=True, among=_joints),
               Number("angle", "In full when bent by", _bent, unit="°", low=0.1, high=360.0, decimals=1),
               Text("name", "Name", asked=False)), ("object", "rig"),
              "A target that comes up as the joint bends; shape it in that pose.", "Make it", done="Corrective for {joint}"),
    Operation("rig", "none", "Remove rig", lambda s, _v: edits.leave_rig(s.scene, s.obj.id), (), ("object", "rig"),
              "The object stays as it was bound, with all its targets.", done="Remove rig of {object}"),
)  # fmt: skip
