"""A scene with one feature each."""

import numpy as np

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.edits import clips, correctives, relays, sweeps, targets
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.lines import set_along, set_tube
from fictilis.core.edits.links import link_targets
from fictilis.core.edits.objects import set_locked
from fictilis.core.edits.shape import set_mask
from fictilis.core.geometry.kinds import Tube
from fictilis.core.geometry.lines.tubes import round_profile
from fictilis.core.scene.rules import Follow
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.sweep import Sweep

OBJ, ONE, TWO = "o1", "t1", "t2"


def ramp(scene):
    return np.linspace(0, 1, len(scene.object(OBJ).base))


def blended(scene):
    scene = clips.duplicate_clip(scene, "Other")[0]
    scene = set_key(scene, OBJ, TWO, Key(6.0, 1.0))
    return set_key(clips.blend_clips(scene, "p1", "p2")[0], OBJ, "blend", Key(0, 0.5))


def linked(scene):
    obj = scene.object(OBJ)
    scene, other = add_form(scene, "Globe", {"segments": 4, "rings": 2})
    scene, named = targets.target_from_points(scene, other, "One", scene.object(other).base * 1.5)
    return link_targets(scene, [(obj.id, ONE), (other, named)])


def relayed(scene):
    scene, _ = relays.make_relay(scene, OBJ, [ONE, TWO], "Row", 0.0, 6.0)
    return scene


def grouped(scene):
    scene, group = targets.group_targets(scene, OBJ, [ONE], "G")
    return targets.change_group(scene, OBJ, group, factor=0.5)


def following(scene):
    scene, wave = add_form(scene, "Wave", {"points": 5})
    return set_along(scene, OBJ, wave)


FEATURES = {
    "plain": lambda s: s,
    "mask": lambda s: set_mask(s, OBJ, ONE, ramp(s)),
    "mute": lambda s: targets.set_muted(s, OBJ, TWO, True),
    "solo": lambda s: targets.set_solo(s, OBJ, ONE, True),
    "locked target": lambda s: targets.lock_target(s, OBJ, ONE, True),
    "in-between": lambda s: targets.add_in_between(s, OBJ, ONE, 0.4),
    "curved in-between": lambda s: targets.set_path(targets.add_in_between(s, OBJ, ONE, 0.4), OBJ, ONE, "curved"),
    "built on": lambda s: targets.set_built_on(s, OBJ, TWO, ONE),
    "group": grouped,
    "corrective": lambda s: correctives.add_corrective(s, OBJ, {ONE: 1.0, TWO: 0.6}, "Both")[0],
    "driven": lambda s: correctives.set_follow(s, OBJ, TWO, Follow("rotation.y", AnimationCurve((Key(0, 0.0), Key(90, 1.0))))),
    "sweep": lambda s: sweeps.key_front(sweeps.set_sweep(s, OBJ, ONE, Sweep(ramp(s), way="x")), OBJ, ONE, 0.0, 12.0),
    "relay": relayed,
    "linked": linked,
    "two clips": blended,
    "follows a line": following,
    "moves": lambda s: set_key(set_key(s, OBJ, "rotation.y", Key(0, 0.0)), OBJ, "rotation.y", Key(12, 80.0)),
    "locked": lambda s: set_locked(s, OBJ, True),
}  # fmt: skip


def made(kind):
    form, numbers = ("Ball", {"radius": 4.0, "segments": 2}) if kind == "mesh" else ("Wave", {"points": 7})
    scene, obj = add_form(Scene(end=12.0), form, numbers)
    if kind == "tube":
        scene = set_tube(scene, obj, Tube(round_profile(5)), 3.0)
    base = scene.object(obj).base
    for name, shape in (("One", base * [1.5, 1, 1]), ("Two", base + [0, 3, 0])):
        scene, _ = targets.target_from_points(scene, obj, name, shape)
    for frame, value in ((0, 0.0), (8, 1.0), (12, 0.3)):
        scene = set_key(set_key(scene, obj, ONE, Key(frame, value, "linear")), obj, TWO, Key(frame, value / 2, "linear"))
    return scene
