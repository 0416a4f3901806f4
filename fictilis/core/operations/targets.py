"""Operations on whole targets, their masks, groups and kept mixes."""

from __future__ import annotations

import re

import numpy as np

from fictilis.core.edits import links
from fictilis.core.edits import targets as edits
from fictilis.core.edits import whole_shapes as whole
from fictilis.core.edits.objects import rename_mix
from fictilis.core.edits.shape import FOLLOW, STAY, set_mask
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Choice, Flag, Number, Text
from fictilis.core.mix.driven import driven_by
from fictilis.core.mix.relay import poses, relays
from fictilis.core.operations.table import (
    ForeignTarget,
    Kept,
    Operation,
    OtherTarget,
    Outcome,
    Subject,
    Values,
    named,
    with_targets,
)
from fictilis.core.scene.kept import StoredMix, blended
from fictilis.core.scene.scene import Scene, targets_by_id

NAME = Text("name", "Name of the new target", asked=False)
WEIGHT = (-1000.0, 1000.0)


def _tenth_across(s: Subject) -> float:
    """A tenth of the object's extent across its sides, cm."""
    across = float(np.ptp(s.obj.base[:, s.axis])) if len(s.obj.base) else 1.0
    return float(f"{max(across, 1e-3) / 10:.2g}")


def _split(s: Subject, v: Values) -> Outcome:
    scene, halves = whole.split_sides(s.scene, s.obj.id, s.target_id, v["seam"], s.axis)
    return Outcome(scene, targets=tuple(halves))


def _clean(s: Subject, v: Values) -> Outcome:
    scene, gone = whole.clean(s.scene, s.obj.id, s.target_id, v["below"])
    said = f"{gone:,} point{'' if gone == 1 else 's'} of {s.target.name} moved less than {v['below']:g} cm."
    return Outcome(scene if gone else s.scene, said=said)


def _rebuild(s: Subject, v: Values) -> Outcome:
    scene = whole.rebuild_on(s.scene, s.obj.id, s.target_id, v["on"])
    below = "the base" if v["on"] is None else s.obj.target(v["on"]).name
    return Outcome(scene, said=f"{s.target.name} is built on {below} already." if scene is s.scene else "")


def _transfer(s: Subject, v: Values) -> tuple[Scene, str]:
    other, target = v["from"]
    return named(whole.transfer(s.scene, s.obj.id, other, target, v["near"], v["far"]), s, v["name"])


def _group(s: Subject, v: Values) -> Outcome:
    chosen = [t.id for t in s.obj.targets if t.id in s.targets]
    return Outcome(edits.group_targets(s.scene, s.obj.id, chosen, v["name"])[0])


def _link_names(s: Subject, _v: Values) -> Outcome:
    scene, names = links.link_equal_names(s.scene, s.obj.id)
    return Outcome(scene, said=f"Linked: {', '.join(names)}.")


def _led(s: Subject, scene: Scene) -> Outcome:
    """What came of removing targets or taking them from relays: poses that went, targets that lost what led them."""
    obj = scene.object(s.obj.id)
    gone = {g.name: len(poses(s.obj, g.id)) - len(poses(obj, g.id)) for g in relays(s.obj).values()}
    said = [f"{count} pose{'' if count == 1 else 's'} of {name} went too." for name, count in gone.items() if count]
    left = targets_by_id(obj)
    for before in s.obj.targets:
        after = left.get(before.id, before)
        if after.rule != before.rule or (after.follows is None) != (before.follows is None):
            own = f"follows nothing now; its weight stays at {after.weight:.2f}"
            said.append(f"{before.name} {'has fewer drivers now' if after.rule else own}.")
    return Outcome(scene, said=" ".join(said))


def _ordered(s: Subject) -> list[str]:
    return [t.id for t in s.obj.targets if t.id in s.targets]


def _mixes(s: Subject) -> list[str]:
    return [m.name for m in s.obj.mixes]


def _put_back(s: Subject, weights: dict[str, float]) -> Scene:
    scene = s.scene
    for target_id, weight in weights.items():
        if driven_by(s.obj, s.obj.target(target_id)):
            continue  # it became a corrective, or a shape of a relay, since
        scene = edits.set_weight(scene, s.obj.id, target_id, weight)
    return scene


def _mix(s: Subject, name: str) -> StoredMix:
    return next(m for m in s.obj.mixes if m.name == name)


def _in_between(s: Subject, v: Values) -> Scene:
    at = s.weights.get(s.target_id, s.target.weight) if v["at"] is None else v["at"]
    return edits.add_in_between(s.scene, s.obj.id, s.target_id, at)


TARGETS = (
    Operation("target", "duplicate", "Duplicate", lambda s, v: named(whole.duplicate(s.scene, s.obj.id, s.target_id), s,
        v["name"]),
              (NAME,), ("target",), "A copy of the target, with its in-betweens.", done="Duplicate {target}"),
    Operation("target", "mirror", "Mirror into a new target",
              lambda s, v: named(whole.mirror_into_new(s.scene, s.obj.id, s.target_id, s.axis, s.mirror), s, v["name"]),
              (NAME,), ("target",), "A new target that is its mirror image.", done="Mirror {target}"),
    Operation("target", "swap", "Swap sides", lambda s, _v: whole.swap_sides(s.scene, s.obj.id, s.target_id, s.axis, s.mirror),
              (), ("target",), "Exchanges the two sides of the target.", done="Swap sides of {target}"),
    Operation("target", "split", "Split into left and right", _split,
              (Number("seam", "Seam",
                      _tenth_across,
                      unit="cm", low=0, high=1e6),), ("target",),
              "Two new targets, one a side, that add up to it exactly. Across the seam one fades into the other.", "Split it",
              "Split {target} into left and right", "Split {target}"),
    Operation("target", "join", "Join selected targets",
              lambda s, v: named(whole.join(s.scene, s.obj.id, _ordered(s)), s, v["name"]), (NAME,), ("targets",),
              "A new target that adds the selected ones up.", done="Join {targets}"),
    Operation("target", "scale", "Scale its offsets", lambda s,
              v: whole.scale_deltas(s.scene, s.obj.id, s.target_id, v["factor"]),
              (Number("factor", "Factor", 1.0, True, unit="×", low=-1000, high=1000),), ("target",),
              "Every offset times a factor.",
              "Scale it", "Scale {target}", "Scale {target}"),
    Operation("target", "clean", "Clean away small motion", _clean,
              (Number("below", "Shorter than", 0.01, True, unit="cm", low=0, high=1e6, decimals=4),), ("target",),
              "Points that move less than this return to the base.", "Clean it", "Clean {target}", "Clean {target}"),
    Operation("target", "add", "Add or subtract another",
              lambda s, v: whole.combine(s.scene, s.obj.id, s.target_id, v["other"], v["factor"]),
              (OtherTarget("other", "Target", needed=True), Number("factor", "Times", 1.0, low=-1000, high=1000)),
              ("other target",), "Adds another target's offsets to this one; a factor of -1 subtracts them.", "Add it",
              "Add to {target}", "Add to {target}"),
    Operation("target", "copy", "Copy its shape onto another",
              lambda s, v: whole.copy_deltas(s.scene, s.obj.id, s.target_id, v["onto"]),
              (OtherTarget("onto", "Onto", needed=True),), ("other target",),
              "Copies its shape and in-betweens onto another target, which keeps its name, weight and lane.", "Copy it",
              "Copy the shape of {target}", "Copy the shape of {target}"),
    Operation("target", "to-base", "Apply to the base",
              lambda s, v: whole.apply_to_base(s.scene, s.obj.id, s.target_id, v["weight"], v["targets"]),
              (Number("weight", "At weight", 1.0, low=WEIGHT[0], high=WEIGHT[1]),
               Choice("targets", "Targets", FOLLOW, options=((FOLLOW, "Follow", FOLLOW), (STAY, "Stay", STAY)))), ("target",),
              "Makes its shape the new base. Other targets keep their offsets, or keep their shape.", "Apply it",
              "Apply {target} to the base", "Apply to the base: {target}"),
    Operation("target", "keep-region", "Keep only the picked region",
              lambda s, _v: whole.keep_region(s.scene, s.obj.id, s.target_id, s.soft), (), ("target", "pick"),
              "Removes the target's motion outside the pick and its falloff.",
              done="Keep the picked region of {target}"),
    Operation("target", "rebuild", "Make relative to another target",
              _rebuild,
              (OtherTarget("on", "Build on", lambda s: s.target.built_on, needed=True, base=True),), ("target",),
              "Its offsets count from the other target; its shape at full weight stays.", "Rebuild it", "Rebuild {target}",
              "Rebuild {target}"),
    Operation("target", "mask-pick", "Mask all but the pick",
              lambda s, _v: set_mask(s.scene, s.obj.id, s.target_id, np.clip(s.soft, 0, 1)), (), ("target", "pick"),
              "Masks the target to what is picked, with its falloff.", done="Mask of {target}"),
    Operation("target", "bake-mask", "Bake the mask into the shape",
              lambda s, _v: whole.bake_mask(s.scene, s.obj.id, s.target_id), (), ("mask",),
              "Multiplies the mask into the offsets.", done="Bake the mask of {target}"),
    Operation("target", "clear-mask", "Remove mask", lambda s, _v: set_mask(s.scene, s.obj.id, s.target_id, None), (),
              ("mask",),
              "The target moves all its points again.", done="Mask of {target}"),
    Operation("target", "mute", "Mute",
              lambda s, v: with_targets(s, lambda scene, t: edits.set_muted(scene, s.obj.id, t, not v["off"])),
              (Flag("off", "On again", asked=False),), ("target",), "A muted target does not act.",
              done="Mute {targets}"),
    Operation("target", "solo", "Solo",
              lambda s, v: with_targets(s, lambda scene, t: edits.set_solo(scene, s.obj.id, t, not v["off"])),
              (Flag("off", "Off again", asked=False),), ("target",), "While some targets are solo, the others do not act.",
              done="Solo {targets}"),
    Operation("target", "lock", "Lock",
              lambda s, v: with_targets(s, lambda scene, t: edits.lock_target(scene, s.obj.id, t, not v["off"])),
              (Flag("off", "Unlock", asked=False),), ("target",),
              "The shape of a locked target stays as it is; its weight and keys may change.", done="Lock {targets}"),
    Operation("target", "note", "Note", lambda s, v: edits.set_note(s.scene, s.obj.id, s.target_id, v["note"]),
              (Text("note", "Note", lambda s: s.target.note),), ("target",), "A few words about the target.",
              done="Note of {target}"),
    Operation("target", "remove", "Remove targets",
              lambda s, _v: _led(s, with_targets(s, lambda scene, t: edits.remove_target(scene, s.obj.id, t, s.frame))), (),
              ("target",),
              "Removes targets with their lanes; what was built on them keeps its shape.", done="Remove {targets}"),
    Operation("target", "rename", "Rename", lambda s, v: edits.rename_target(s.scene, s.obj.id, s.target_id, v["name"]),
              (Text("name", "Name", needed=True),), ("target",), "Another name for the target.", done="Rename {target}"),
    Operation("target", "rename-several", "Rename several",
              lambda s, v: edits.rename_targets(s.scene, s.obj.id, s.targets, v["find"], v["put"]),
              (Text("find", "Find in the names", ""), Text("put", "Put in its place", "Target")), ("target",),
              "Changes a part of the names; with nothing to find the targets get this name and a number.", "Rename them",
              done="Rename {targets}"),
    Operation("target", "in-between", "In-between", _in_between,
              (Number("at", "At weight", low=WEIGHT[0], high=WEIGHT[1], needed=True),), ("target",),
              "Stores the shape the target has at a weight, so that it can be shaped there.", done="In-between of {target}"),
    Operation("target", "no-in-between", "Remove an in-between",
              lambda s, v: edits.remove_in_between(s.scene, s.obj.id, s.target_id, v["at"]),
              (Number("at", "At weight", low=WEIGHT[0], high=WEIGHT[1], needed=True),), ("target",),
              "Removes the in-between at a weight.", done="Remove in-between of {target}"),
    Operation("target", "path", "Path", lambda s, v: edits.set_path(s.scene, s.obj.id, s.target_id, v["way"]),
              (Choice("way", "Path", "straight", True, options=(("straight", "Straight", "straight"),
                  ("curved", "Curved", "curved"))),),
              ("target",), "How it goes through its in-betweens.", done="Path of {target}"),
    Operation("target", "range", "Range", lambda s, v: edits.set_range(s.scene, s.obj.id, s.target_id, v["low"], v["high"]),
              (Number("low", "From", lambda s: s.target.range[0], low=WEIGHT[0], high=WEIGHT[1]),
               Number("high", "To", lambda s: s.target.range[1], low=WEIGHT[0], high=WEIGHT[1])), ("target",),
              "The soft limits of its slider.", done="Range of {target}"),
    Operation("target", "group", "Group selected targets", _group, (Text("name", "Name", "Group"),), ("target",),
              "A group of targets, with a slider that multiplies their weights.", "Group them",
              "Group the selected targets",
              "Group {targets}"),
    Operation("target", "ungroup", "Remove from group",
              lambda s, _v: _led(s, edits.put_in_group(s.scene, s.obj.id, s.targets, None)), (), ("group",),
              "The targets are in no group any more.", done="Remove {targets} from the group"),
    Operation("target", "group-factor", "Slider of its group",
              lambda s, v: edits.change_group(s.scene, s.obj.id, s.target.group or "", factor=v["factor"]),
              (Number("factor", "Factor", 1.0, True, low=-100, high=100),), ("group",),
              "What the weights of the group's targets are multiplied by.", done="Slider of the group of {target}"),
)  # fmt: skip
LINKS = (
    Operation("target", "link-names", "Link equal names", _link_names, (), ("other objects",),
              "Targets of the same name in other objects share one weight and one lane with these.",
              done="Link equal names"),
    Operation("target", "link", "Link with another object's target",
              lambda s, v: links.link_targets(s.scene, [(s.obj.id, s.target_id), v["with"]]),
              (ForeignTarget("with", "With", needed=True),), ("target", "other objects"),
              "Both targets share one slider, one lane and their keys; each object keeps its own shape.", "Link them",
              "Link {target}",
              "Link {target}"),
    Operation("target", "unlink", "Unlink", lambda s, _v: links.unlink(s.scene, s.obj.id, s.target_id), (), ("linked",),
              "Gives the target its own weight and keys again, as they are now.", done="Unlink {target}"),
)  # fmt: skip
TRANSFER = (
    Operation("mesh", "transfer", "Transfer from another object", _transfer,
              (ForeignTarget("from", "From", needed=True),
               Number("near", "In full up to", lambda s: float(f"{s.size / 50:.2g}"), unit="cm", low=0, high=1e6),
               Number("far", "Not beyond", lambda s: float(f"{s.size / 5:.2g}"), unit="cm", low=0, high=1e6), NAME),
              ("object",), "Each point takes the offset of the nearest place on the other surface, where both are now.",
              "Transfer it", "Transfer a target", "Transfer a target"),
)  # fmt: skip


def _blend(s: Subject, v: Values) -> Scene:
    return _put_back(s, blended(_mix(s, v["first"]), _mix(s, v["second"]), v["part"]))


def _from_names(s: Subject, v: Values) -> Outcome:
    lines = v["names"].splitlines()
    scene, made = edits.new_targets(s.scene, s.obj.id, lines if len(lines) > 1 else re.split("[,;\t]", v["names"]))
    return Outcome(scene, targets=tuple(made))


def _keep(s: Subject, v: Values) -> Scene:
    if not v["name"]:
        raise EditRefused("A kept mix needs a name.")
    return edits.keep_mix(s.scene, s.obj.id, v["name"], s.weights)


MIXES = (
    Operation("object", "keep-mix", "Keep this mix", _keep,
              (Text("name", "Name", lambda s: f"Mix {len(s.obj.mixes) + 1}"),), ("any target",),
              "Stores the present weights under a name.", "Keep it", done="Keep the mix {name}"),
    Operation("object", "rename-mix", "Rename a kept mix",
              lambda s, v: rename_mix(s.scene, s.obj.id, v["name"], v["to"]),
              (Kept("name", "Mix", needed=True, among=_mixes), Text("to", "New name", needed=True)), ("mix",),
              "Cues that lead to it know the new name.", "Rename it", done="Rename the mix {name}"),
    Operation("object", "drop-mix", "Delete a kept mix", lambda s, v: edits.drop_mix(s.scene, s.obj.id, v["name"]),
              (Kept("name", "Mix", needed=True, among=_mixes),), ("mix",), "", "Delete", done="Delete the mix {name}"),
    Operation("object", "put-back", "Apply a kept mix", lambda s, v: _put_back(s, dict(_mix(s, v["name"]).weights)),
              (Kept("name", "Mix", needed=True, among=_mixes),), ("mix",), "Sets the weights of a kept mix.", "Apply it",
              done="Apply the mix {name}"),
    Operation("object", "zero-mix", "All weights to zero", lambda s, _v: _put_back(s, {t.id: 0.0 for t in s.obj.targets}), (),
              ("any target",), "Sets every weight that nothing drives to 0.", done="All weights to zero"),
    Operation("object", "sort-targets", "Sort by name", lambda s, _v: edits.sort_targets(s.scene, s.obj.id), (),
              ("any target",), "Puts the targets in the order of their names, groups by theirs; a relay keeps its row.",
              done="Sort targets by name"),
    Operation("object", "new-targets", "New targets from a list of names", _from_names,
              (Text("names", "Names, apart by commas", needed=True),), ("object",),
              "A new target for each name: a copy of the base.", "Make them", done="New targets"),
    Operation("object", "blend-mixes", "Blend two kept mixes", _blend,
              (Kept("first", "From", needed=True, among=_mixes), Kept("second", "To", needed=True, among=_mixes),
               Number("part", "Part of the way", 0.5, low=-1, high=2)), ("two mixes",),
              "Sets the weights between two kept mixes.", "Blend them", done="Blend {first} and {second}"),
)  # fmt: skip
