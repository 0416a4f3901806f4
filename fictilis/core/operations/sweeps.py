"""Operations on sweeps."""

from __future__ import annotations

import numpy as np

from fictilis.core.edits import sweeps as edits
from fictilis.core.ground.arrays import extent
from fictilis.core.ground.parameters import Choice, Flag, Number, Span
from fictilis.core.operations.table import Operation, OtherTarget, Outcome, Subject, Values
from fictilis.core.scene.scene import Scene
from fictilis.core.scene.sweep import PROFILES, Sweep
from fictilis.core.shaping import fields

WAYS = {"x": "Along X", "y": "Along Y", "z": "Along Z", "pick": "From the pick, straight",
        "surface": "From the pick, over the surface", "line": "Along the line", "mask": "By the painted mask",
        "image": "By the image's brightness"}  # fmt: skip
SOFT = Number("softness", "Softness", 0.25, low=0, high=100)
PROFILE = Choice("profile", "Profile", PROFILES[0], options=tuple((p, p.capitalize(), p) for p in PROFILES))


def _longest(s: Subject) -> str:
    return fields.AXES[int(np.argmax(extent(s.obj.base)))] if s.found is not None and len(s.obj.base) else fields.AXES[0]


def _field(s: Subject, way: str) -> np.ndarray:
    if way in fields.AXES:
        return fields.along_axis(s.obj, fields.AXES.index(way))
    if way in ("pick", "surface"):
        return fields.from_points(s.obj, s.points, way == "surface")
    if way == "line":
        return fields.along_line(s.obj)
    if way == "mask":
        return fields.from_mask(s.obj, s.target.mask)
    return fields.from_image(s.obj, s.pixels())


def _sweep(s: Subject, v: Values) -> Scene:
    field = fields.with_noise(s.obj, _field(s, v["way"]), v["noise"])
    field = 1.0 - field if v["reverse"] else field
    known = s.target.sweep
    new = Sweep(field, known.front if known else 0.0, v["softness"], v["profile"], way=v["way"])
    scene = edits.set_sweep(s.scene, s.obj.id, s.target_id, new)
    first, last = v["range"] if v["range"] is not None else s.scene.span
    return scene if v["still"] else edits.key_front(scene, s.obj.id, s.target_id, first, last)


def _after(s: Subject, v: Values) -> Outcome:
    scene = edits.sweep_after(s.scene, s.obj.id, s.target_id, v["earlier"], v["frames"])
    return Outcome(scene, said=f"{s.target.name} takes over from {s.obj.target(v['earlier']).name}.")


SWEEPS = (
    Operation("target", "sweep", "Sweep over the object", _sweep,
              (Choice("way", "Runs", _longest, options=tuple((w, text, w) for w, text in WAYS.items())),
               Flag("reverse", "The other way round"), SOFT, PROFILE,
               Number("noise", "Noise", 0.0, low=0, high=10),
               Span("range", "Frames of the front", asked=False), Flag("still", "Without keys for the front", asked=False)),
              ("target",), "A front runs over the object, and the target comes up behind it.", "Sweep it", "Sweep of {target}",
              "Sweep of {target}"),
    Operation("target", "sweep-after", "Take over from a swept target", _after,
              (OtherTarget("earlier", "From", needed=True), Number("frames", "Frames later", 12.0, low=-1e6, high=1e6)),
              ("other target",), "A second front follows the first: behind it the other target fades and this one comes up.",
              "Take over", "{target} takes over", "{target} takes over"),
    Operation("target", "no-sweep", "Remove sweep",
              lambda s, _v: edits.set_sweep(s.scene, s.obj.id, s.target_id, None), (), ("swept",),
              "The target comes up everywhere at once again.", done="Remove sweep of {target}"),
)  # fmt: skip
