"""Operations on point springs."""

from __future__ import annotations

import numpy as np

from fictilis.core.animation.modifiers import PRESETS
from fictilis.core.edits import springs as edits
from fictilis.core.ground.numbers_said import in_cm
from fictilis.core.ground.parameters import Choice, Flag, Number
from fictilis.core.operations.table import Operation, Outcome, Subject, Values
from fictilis.core.scene.point_spring import DAMPING, MASS, STIFFNESS
from fictilis.core.scene.scene import Scene
from fictilis.core.shaping import fields

EVEN = "even"
WAYS = {EVEN: "Alike everywhere", "x": "More along X", "y": "More along Y", "z": "More along Z", "line": "More along the line",
        "surface": "More the farther from the pick", "pick": "Only at the pick and its falloff"}  # fmt: skip


def field_of(s: Subject, way: str) -> np.ndarray | None:
    """How the mass is shared out."""
    if way in fields.AXES:
        return fields.along_axis(s.obj, fields.AXES.index(way))
    if way == "line":
        return fields.along_line(s.obj)
    if way == "surface":
        return fields.from_points(s.obj, s.points, True)
    return s.soft if way == "pick" else None


def _spring(s: Subject, v: Values) -> Scene:
    way = v["way"]
    field = field_of(s, way)
    if field is not None and v["reverse"]:
        field = 1.0 - field
    numbers = {name: v[name] for name in ("stiffness", "damping", "mass")}
    if v["feel"] is not None:
        numbers |= dict(zip(("stiffness", "damping"), PRESETS[v["feel"]], strict=True))
    return edits.change_spring(s.scene, s.obj.id, field=field, way=way, twice=v["twice"], mix=v["still"], on=True, **numbers)


def _bake(s: Subject, v: Values) -> Outcome:
    scene, ids, off = edits.bake_spring(s.scene, s.obj.id, v["within"])
    count = f"{len(ids)} target{'' if len(ids) == 1 else 's'}"
    said = f"{count} move {s.obj.name} as its springs did, up to {in_cm(off)} off at a frame."
    return Outcome(scene, targets=tuple(ids[-1:]), said=said)


FEELS = tuple((name, name.capitalize(), name) for name in PRESETS)
SPRINGS = (
    Operation("spring", "points", "Point spring", _spring,
              (Choice("feel", "Feel", "floaty", options=(*FEELS, ("own", "By its numbers", None))),
               Number("stiffness", "Stiffness", 180.0, unit="1/s²", low=STIFFNESS[0], high=STIFFNESS[1], decimals=1,
                      asked=False),
               Number("damping", "Damping", 12.0, unit="1/s", low=DAMPING[0], high=DAMPING[1], decimals=1, asked=False),
               Number("mass", "Mass", 1.0, low=MASS[0], high=MASS[1]),
               Choice("way", "Mass of the points", EVEN, options=tuple((w, text, w) for w, text in WAYS.items())),
               Flag("reverse", "The other way round"), Flag("twice", "Two springs in a row"),
               Flag("still", "The mix only, not the object's own motion")), ("object",),
              "Each point is a mass on a spring that follows the mix: it lags behind and overshoots.", "Put it on",
              done="Point spring on {object}"),
    Operation("spring", "rest", "Point spring on", lambda s, v: edits.change_spring(s.scene, s.obj.id, on=bool(v["off"])),
              (Flag("off", "On again", asked=False),), ("object", "point spring"),
              "Off, the points stand where the mix has them; the numbers stay.",
              done="Point spring of {object} off"),
    Operation("spring", "bake", "Targets from the point spring", _bake,
              (Number("within", "Within", edits.CLOSE, unit="cm", low=1e-6, high=1e3, decimals=4),), ("object", "point spring"),
              "Makes targets with a key at each frame that give the same motion, and removes the spring.", "Make them",
              done="Targets from the point spring of {object}"),
    Operation("spring", "none", "Remove point spring", lambda s, _v: edits.leave_spring(s.scene, s.obj.id), (),
              ("object", "point spring"), "The points follow the mix at once again.", done="Remove point spring of {object}"),
)  # fmt: skip
