"""Operations on what hangs on a rig."""

from __future__ import annotations

from fictilis.core.edits import rigs as edits
from fictilis.core.operations.table import Kept, Operation, Subject, Values
from fictilis.core.parameters import Choice, Flag, Number
from fictilis.core.scene import Scene

WAYS = (("linear", "Linearly", False), ("dual", "By dual quaternions", True))


def _clips(s: Subject) -> list[str]:
    return [clip.name for clip in s.obj.skin.rig.clips] if s.obj.skin is not None else []


def _joints(s: Subject) -> list[str]:
    return list(s.obj.skin.rig.joints) if s.obj.skin is not None else []


def _turn(s: Subject, v: Values) -> Scene:
    joint = edits.joint_named(edits.skin_of(s.obj).rig, v["joint"])
    return edits.turn_joint(s.scene, s.obj.id, joint, {axis: v[axis] for axis in "xyz"})


def _degrees(axis: str) -> Number:
    return Number(axis, f"About {axis.upper()}", 0.0, unit="°", low=-36000, high=36000, decimals=1)


RIGS = (
    Operation("rig", "play", "Play a clip of the rig", lambda s, v: edits.play_clip(s.scene, s.obj.id, v["clip"], v["start"],
                                                                                   v["again"]),
              (Kept("clip", "Clip", needed=True, among=_clips),
               Number("start", "From frame", lambda s: s.scene.start, low=-1e6, high=1e6), Flag("again", "Again and again")),
              ("object", "rig clips"), "Its lane says what of the clip is shown when; retime it like any other.", "Play it",
              done="Play {clip} on {object}"),
    Operation("rig", "way", "How the skin follows the joints", lambda s, v: edits.change_skin(s.scene, s.obj.id, dual=v["by"]),
              (Choice("by", "Follows", lambda s: bool(s.obj.skin and s.obj.skin.dual), options=WAYS),), ("object", "rig"),
              "Linearly it thins where a joint is turned far; by dual quaternions it keeps its volume.", "Set it",
              done="How {object} follows its joints"),
    Operation("rig", "rest", "Rest the rig", lambda s, v: edits.change_skin(s.scene, s.obj.id, on=bool(v["off"])),
              (Flag("off", "Let it act again", asked=False),), ("object", "rig"), "The object is shown as it was bound.",
              done="Rest the rig of {object}"),
    Operation("rig", "turn", "Turn a joint", _turn,
              (Kept("joint", "Joint", needed=True, among=_joints), *(_degrees(axis) for axis in "xyz")), ("object", "rig"),
              "By degrees about its own axes, on top of what its clip does.", "Turn it", done="Turn {joint} of {object}"),
    Operation("rig", "straight", "Turn all joints back", lambda s, _v: edits.straighten(s.scene, s.obj.id), (),
              ("object", "rig"), "No joint is turned by hand any more; the clip goes on.", done="Turn back {object}"),
    Operation("rig", "none", "Take the rig off", lambda s, _v: edits.leave_rig(s.scene, s.obj.id), (), ("object", "rig"),
              "The object stays as it was bound, with all its targets.", done="No rig on {object}"),
)  # fmt: skip
