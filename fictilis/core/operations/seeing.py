"""Operations on what helps to see: the scene's light, and distances that are measured."""

from __future__ import annotations

from msgspec.structs import asdict

from fictilis.core.edits import measures
from fictilis.core.edits.timeline import set_light
from fictilis.core.ground.parameters import Choice, Number, Text
from fictilis.core.operations.table import Kept, Operation, Subject, Values
from fictilis.core.scene.kept import PointOf
from fictilis.core.scene.light import CLAYS, LIGHT_BOUNDS, Light
from fictilis.core.scene.scene import Scene

UNITS = {"right": "°", "up": "°"}
LARGEST = 1e9  # number of a point


def _light(s: Subject, v: Values) -> Scene:
    now = asdict(s.scene.light or Light())
    given = {name.replace("-", "_"): value for name, value in v.items() if value is not None}
    return set_light(s.scene, Light(**now | given))


def _measure(s: Subject, v: Values) -> Scene:
    first, second = (PointOf(s.scene.object_named(v[end]).id, int(v[f"{end}-point"])) for end in ("first", "second"))
    return measures.add_measure(s.scene, first, second, v["name"])


def _point(name: str, label: str) -> Number:
    return Number(name, label, needed=True, asked=False, low=0, high=LARGEST, decimals=0)


def _names(s: Subject) -> list[str]:
    return [m.name for m in s.scene.measures]


LIGHTS = (
    Operation("light", "set", "Set the light", _light,
              (*(Number(name, name.capitalize(), unit=UNITS.get(name, ""), low=low, high=high, asked=False)
                 for name, (low, high) in LIGHT_BOUNDS.items()),
               Choice("clay", "Clay", asked=False, options=tuple((c, c.capitalize(), c) for c in CLAYS)),
               Text("line-colour", "Colour of the lines", asked=False)), (),
              "Sets numbers of the scene's light; what is not given stays.", done="Light"),
)  # fmt: skip
MEASURES = (
    Operation("measure", "add", "Measure between two points", _measure,
              (Text("first", "Object of the first point", needed=True, asked=False), _point("first-point", "First point"),
               Text("second", "Object of the second point", needed=True, asked=False), _point("second-point", "Second point"),
               Text("name", "Name", "Distance", asked=False)), (),
              "Keeps the distance between two points with the scene.", done="Measure"),
    Operation("measure", "rename", "Rename a measure", lambda s, v: measures.rename_measure(s.scene, v["name"], v["to"]),
              (Kept("name", "Measure", needed=True, among=_names), Text("to", "New name", needed=True)), ("measure",), "",
              done="Rename the measure {name}"),
    Operation("measure", "remove", "Remove a measure", lambda s, v: measures.remove_measure(s.scene, v["name"]),
              (Kept("name", "Measure", needed=True, among=_names),), ("measure",), "", "Remove",
              done="Remove the measure {name}"),
)  # fmt: skip
