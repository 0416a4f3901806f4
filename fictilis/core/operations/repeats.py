"""Operations on repeats: how copies stand, how much later they move, what they differ by, and what becomes of them."""

from __future__ import annotations

from typing import Any

import numpy as np

from fictilis.core.at_frame.copies import steps_of
from fictilis.core.edits import repeats as edits
from fictilis.core.ground.arrays import extent
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Choice, Flag, Number, Parameter
from fictilis.core.operations.lines import OtherLine
from fictilis.core.operations.table import Operation, Outcome, Subject, Values
from fictilis.core.scene.repeats import ALL, FACES, GRID, LINE, MOST_COPIES, POINTS, RING, SIZES, Repeat
from fictilis.core.scene.scene import MorphObject, Scene

MEASURES = (("sizes", "Times its size", "sizes"), ("step", "cm from one to the next", "step"), ("all", "cm over all", "all"))
SHORT_MEASURES = (("Size", "sizes"), ("Step", "step"), ("All", "all"))
ORDERS = (
    ("count", "By their number", "count"), ("x", "Along X", "x"), ("y", "Along Y", "y"), ("z", "Along Z", "z"),
    ("point", "From a point", "point"), ("random", "At random", "random"),
)  # fmt: skip
PLACES = (("points", "On each point", POINTS), ("faces", "On each face", FACES))
ABOUT = (("x", "X", "x"), ("y", "Y", "y"), ("z", "Z", "z"))
COUNTS = ("across", "up", "deep")
AWAY = ("apart-x", "apart-y", "apart-z")
FROM = ("from-x", "from-y", "from-z")
COPIES = Number("copies", "Copies", 8, low=1, high=MOST_COPIES, decimals=0)
STILL = Flag("still", "Without turning")


class OtherObject(Parameter, frozen=True):
    """Another object of the scene, by id or name."""

    def options(self, subject: Subject) -> list[tuple[str, str]]:
        return [(o.name, o.id) for o in subject.scene.objects if o.id != subject.object_id]

    def checked(self, value: Any, subject: Subject) -> str:
        if value is None:
            raise EditRefused(f"{self.label} is to be named: another object of the scene.")
        known = {o.id for o in subject.scene.objects}
        return str(value) if value in known else subject.scene.object_named(str(value)).id


def _made(s: Subject, **values: Any) -> Outcome:
    scene = edits.change_repeat(s.scene, s.obj.id, **values)
    count = scene.copy_count(scene.object(s.obj.id))
    return Outcome(scene, said=f"{s.obj.name} is {count:,} {'copy' if count == 1 else 'copies'}.")


def _held(name: str, place: int | None = None, or_else: float = 0.0) -> Any:
    """What the repeat has now, as what a form begins with."""

    def begins(s: Subject) -> Any:
        held = getattr(s.obj.repeat if s.found is not None and s.obj.repeat is not None else Repeat(), name)
        return (held or or_else) if place is None else held[place]

    return begins


def spacing_in(obj: MorphObject, measure: str, counts: tuple[int, ...] | None = None) -> tuple[float, ...]:
    """The spacing that an object's grid has, else would have at first, told in a measure."""
    repeat = obj.repeat if obj.repeat is not None and obj.repeat.way == GRID else Repeat()
    steps, size = steps_of(obj.base, repeat), extent(obj.base)
    if measure == SIZES:
        return tuple(np.divide(steps, size, out=np.array(repeat.spacing), where=size > 0).tolist())
    gaps = np.maximum(np.array(counts or repeat.counts) - 1, 1)
    return tuple((steps * (gaps if measure == ALL else 1)).tolist())


def _grid(s: Subject, v: Values) -> Outcome:
    counts = tuple(int(v[name]) for name in COUNTS)
    held = spacing_in(s.obj, v["measure"], counts)
    spacing = tuple(h if v[name] is None else v[name] for name, h in zip(AWAY, held, strict=True))
    return _made(s, way=GRID, other=None, counts=counts, spacing=spacing, measure=v["measure"])


def _ring(s: Subject, v: Values) -> Outcome:
    radius = v["radius"] if v["radius"] is not None else float(f"{s.size * max(v['copies'], 3) / 5:.2g}")
    ring = {"radius": radius, "angle": v["angle"], "axis": v["axis"], "turn": not v["still"]}
    return _made(s, way=RING, other=None, counts=(int(v["copies"]), 1, 1), **ring)


def _line(s: Subject, v: Values) -> Outcome:
    return _made(s, way=LINE, other=v["other"], counts=(int(v["copies"]), 1, 1), turn=not v["still"])


def _on(s: Subject, v: Values) -> Outcome:
    return _made(s, way=v["places"], other=v["other"], turn=not v["still"])


def _later(s: Subject, v: Values) -> Scene:
    origin = tuple(v[name] for name in FROM)
    numbers = {"later": v["frames"], "order": v["order"], "origin": origin, "seed": int(v["seed"])}
    return edits.change_repeat(s.scene, s.obj.id, **numbers)


def _differ(s: Subject, v: Values) -> Scene:
    return edits.change_repeat(s.scene, s.obj.id, turns=v["turns"], sizes=v["sizes"], seed=int(v["seed"]))


def _objects(s: Subject, _v: Values) -> Outcome:
    scene, ids = edits.many_objects(s.scene, s.obj.id)
    return Outcome(scene, said=f"{s.obj.name} is {len(ids):,} objects now, each with lanes of its own.")


def _points(s: Subject, _v: Values) -> Outcome:
    scene = edits.one_object(s.scene, s.obj.id, s.frame)
    return Outcome(scene, said=f"{s.obj.name} has {len(scene.object(s.obj.id).base):,} points now.")


SEED = Number("seed", "Seed", _held("seed"), low=0, high=1e6, decimals=0)
REPEATS = (
    Operation("repeat", "grid", "Repeat in a grid", _grid,
              (*(Number(name, f"Copies on {axis}", _held("counts", k), low=1, high=MOST_COPIES, decimals=0)
                 for k, (name, axis) in enumerate(zip(COUNTS, "XYZ", strict=True))),
               Choice("measure", "Apart by", _held("measure"), options=MEASURES),
               *(Number(name, f"Apart on {axis}", None, asked=False, low=-1e6, high=1e6)
                 for name, axis in zip(AWAY, "XYZ", strict=True))), ("object",),
              "Copies in rows, a quarter of the object's size between them; the numbers can be changed beside the view.",
              "Repeat it", done="Repeat {object}"),
    Operation("repeat", "ring", "Repeat in a ring", _ring,
              (COPIES, Number("radius", "Radius", None, asked=False, unit="cm", low=-1e6, high=1e6),
               Number("angle", "Over", 360.0, unit="°", low=-36000, high=36000, decimals=1),
               Choice("axis", "Around", "y", options=ABOUT), STILL), ("object",),
              "Copies around the object's place.", "Repeat it", done="Repeat {object} in a ring"),
    Operation("repeat", "line", "Repeat along a line", _line,
              (COPIES, OtherLine("other", "Line", needed=True), STILL), ("object", "other line"),
              "Copies evenly along each strand of a line, however it morphs and moves.", "Repeat it",
              done="Repeat {object} along a line"),
    Operation("repeat", "on", "Repeat on another object", _on,
              (OtherObject("other", "Object", needed=True), Choice("places", "Copies", POINTS, options=PLACES), STILL),
              ("object", "two objects"), "A copy on each point or face of another object, however it morphs and moves.",
              "Repeat it", done="Repeat {object} on another"),
    Operation("repeat", "later", "Delay copies", _later,
              (Number("frames", "The last is later by", _held("later", or_else=24.0), unit="f", low=-1e6, high=1e6, decimals=1),
               Choice("order", "One after the other", _held("order"), options=ORDERS),
               *(Number(name, f"The point, {axis}", _held("origin", k), asked=False, decimals=1)
                 for k, (name, axis) in enumerate(zip(FROM, "XYZ", strict=True))), SEED), ("object", "repeated"),
              "Each copy plays the mix some frames later, so that a change runs through them.", "Set it",
              done="Delay copies of {object}"),
    Operation("repeat", "differ", "Vary copies", _differ,
              (Number("turns", "Random turn up to", _held("turns", or_else=8.0), unit="°", low=0, high=360, decimals=1),
               Number("sizes", "Random size up to", _held("sizes", or_else=0.1), low=0, high=0.99), SEED), ("object",
              "repeated"),
              "Turns and sizes each copy a little at random.", "Set it", done="Vary copies of {object}"),
    Operation("repeat", "objects", "Objects from the copies", _objects, (), ("object", "repeated"),
              "Each copy becomes an object with lanes of its own.", done="Objects from the copies of {object}"),
    Operation("repeat", "points", "One object from the copies", _points, (), ("object", "repeated"),
              "The copies become points of the object, with every target.", done="One object from the copies of {object}"),
    Operation("repeat", "rest", "Copies on", lambda s, v: edits.change_repeat(s.scene, s.obj.id, on=bool(v["off"])),
              (Flag("off", "On again", asked=False),), ("object", "repeated"),
              "Off, only the object itself is shown; the numbers stay.",
              done="Copies of {object} off"),
    Operation("repeat", "none", "Remove copies", lambda s, _v: edits.leave_repeat(s.scene, s.obj.id), (),
              ("object", "repeated"), "Removes all copies; the object stays.", done="Remove copies of {object}"),
)  # fmt: skip
