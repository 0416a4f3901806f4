"""Scenes with colours, images and cameras, and files of each format."""

import io

import numpy as np
from msgspec.structs import replace
from PIL import Image

import fictilis
from fictilis.core.animation.curve import Key
from fictilis.core.animation.modifiers import Modifier
from fictilis.core.edits import clips, timeline
from fictilis.core.edits.cues import add_cue
from fictilis.core.edits.deformers import change_deformer
from fictilis.core.edits.forms import add_form
from fictilis.core.edits.keys import set_key
from fictilis.core.edits.measures import add_measure
from fictilis.core.edits.repeats import set_repeat
from fictilis.core.edits.rigs import turn_joint
from fictilis.core.edits.springs import set_spring
from fictilis.core.edits.topology import set_surface
from fictilis.core.scene.appearance import Appearance, Texture
from fictilis.core.scene.cues import CLICK, Act, Cue, Lead, When
from fictilis.core.scene.kept import PointOf
from fictilis.core.scene.light import Light
from fictilis.core.scene.places import Transform
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.repeats import Repeat
from fictilis.core.scene.timeline import Reference, SceneCamera, Sound
from tests import features as pairs
from tests.rigged import rigged

OBJ = "o1"


def png(size=8):
    out = io.BytesIO()
    Image.fromarray(np.arange(size * size * 3, dtype=np.uint8).reshape(size, size, 3)).save(out, "PNG")
    return out.getvalue()


def dressed(scene, texture):
    obj = scene.object(OBJ)
    projected = np.ascontiguousarray(obj.base[:, :2] / 8 + 0.5)
    look = replace(obj.appearance, texture=replace(texture, projected=projected))
    return scene.with_object(replace(obj, appearance=look))


def seen_through(scene, channel="yaw"):
    scene, camera = timeline.add_camera(scene, SceneCamera("", "Close up", (0.0, 1.0, 0.0), 60.0, 20.0, 10.0))
    for frame, value in ((0, 20.0), (12, 50.0)):
        scene = set_key(scene, camera, channel, Key(frame, value))
    return scene


def shaken(scene):
    obj = scene.object(OBJ)
    return scene.with_object(obj.with_modifiers("t1", (Modifier("wobble"),)))


def with_lanes(**values):
    def make(scene):
        for channel, (first, last) in values.items():
            for frame, value in ((0, first), (12, last)):
                scene = set_key(scene, OBJ, channel.replace("__", "."), Key(frame, value))
        return scene

    return make


ALL = "every scene has it"


MAKERS = {
    "Points in their order": (ALL, "line"), "Points in their order, with seams": (ALL, "form"), "Polygons": (ALL, "form"),
    "Weights over time, bent by others": (pairs.FEATURES["corrective"], "mesh"), "Motion of cameras": (seen_through, "mesh"),
    "UVs": (ALL, "form"), "Colours": (ALL, "mesh"),
    "Opacity": (lambda s: fictilis.objects.set_appearance(s, OBJ, Appearance(opacity=0.5)), "mesh"),
    "Textures": (lambda s: dressed(s, Texture("Skin", png())), "mesh"),
    "Places of objects": (lambda s: fictilis.objects.set_transform(s, OBJ, Transform((3, 2, 1), (10, 20, 30))), "mesh"),
    "Targets": (ALL, "mesh"), "In-betweens": (pairs.FEATURES["in-between"], "mesh"),
    "Sweeps": (pairs.FEATURES["sweep"], "mesh"),
    "Masks and factors of groups": (pairs.FEATURES["mask"], "mesh"), "Relays": (pairs.FEATURES["relay"], "mesh"),
    "Weights that follow others": (pairs.FEATURES["corrective"], "mesh"), "Weights over time": (ALL, "mesh"),
    "Motion laid over lanes": (shaken, "mesh"), "Own motion": (pairs.FEATURES["moves"], "mesh"),
    "Motion along a line": (pairs.FEATURES["follows a line"], "mesh"),
    "Visibility and opacity over time": (with_lanes(opacity=(1.0, 0.4)), "mesh"),
    "Clips": (lambda s: clips.duplicate_clip(s, "Other")[0], "mesh"),
    "Other clips": (lambda s: clips.duplicate_clip(s, "Other")[0], "mesh"), "Lines": (ALL, "line"), "Curves": (ALL, "line"),
    "Widths of lines": (lambda s: s.with_object(replace(s.object(OBJ), geometry=replace(
        s.object(OBJ).line, widths=np.linspace(1, 2, 7)))), "line"),
    "Tubes": (ALL, "tube"), "Lines drawn in part": (with_lanes(line__end=(0.5, 1.0)), "line"),
    "Smooth surfaces": (lambda s: set_surface(s, OBJ, 2), "mesh"),
    "Copies": (lambda s: set_repeat(s, OBJ, Repeat("ring", (3, 1, 1), radius=20.0, later=4.0)), "mesh"),
    "Springs": (lambda s: set_spring(s, OBJ, PointSpring(stiffness=400.0, damping=30.0)), "mesh"),
    "Bend, twist and taper": (lambda s: change_deformer(change_deformer(s, OBJ, "taper", amount=-0.4), OBJ, "bend", amount=40.0,
                                                        high=0.8), "mesh"),
    "Rigs": (lambda s: rigged(s, OBJ), "mesh"), "Dual quaternions": (lambda s: rigged(s, OBJ, dual=True), "mesh"),
    "Joints retimed, or turned by hand": (lambda s: turn_joint(rigged(s, OBJ, "Stretch"), OBJ, 1, {"x": 40.0}), "mesh"),
    "Rigs that rest": (lambda s: rigged(s, OBJ, on=False), "mesh"),
    "Cameras": (seen_through, "mesh"), "Field of view over time": (lambda s: seen_through(s, "lens"), "mesh"),
    "Reference picture": (lambda s: replace(s, reference=Reference("Tide", b"x" * 64)), "mesh"),
    "Sound": (lambda s: replace(s, sound=Sound("Tide", b"x" * 64)), "mesh"),
    "Cues": (lambda s: add_cue(s, Cue("", "Touch", When(CLICK, OBJ), Act(leads=(Lead(OBJ, "t1"),))))[0], "mesh"),
    "Markers": (lambda s: timeline.set_marker(s, 4.0, "Here"), "mesh"),
    "Measures": (lambda s: add_measure(s, PointOf(OBJ, 0), PointOf(OBJ, 1)), "mesh"),
    "Light": (lambda s: timeline.set_light(s, Light(right=30.0)), "mesh"),
}  # fmt: skip


def made(name):
    make, kind = MAKERS[name]
    if kind == "form":
        scene, obj = add_form(fictilis.Scene(end=12.0), "Box", {"segments": 2})
    else:
        scene = pairs.made(kind)
    return scene if make is ALL else make(scene)
