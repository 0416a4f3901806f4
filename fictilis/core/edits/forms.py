"""Objects that are still the simple form they were made as: its numbers can be changed until something is reshaped."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Mapping

import numpy as np
from msgspec.structs import replace

from fictilis.core.edits.objects import add_object
from fictilis.core.geometry.kinds import Geometry, Line
from fictilis.core.geometry.lines.forms import LINE_FORMS
from fictilis.core.geometry.primitives import MESH_FORMS
from fictilis.core.ground.arrays import cached_by_array
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.appearance import Appearance
from fictilis.core.scene.deformers import kept_to
from fictilis.core.scene.kept import FormNumbers
from fictilis.core.scene.scene import MorphObject, Scene

FORMS: Mapping[str, Callable[..., tuple[np.ndarray, Geometry]]] = {**MESH_FORMS, **LINE_FORMS}
UNITS = {"angle": "°", "turns": "", "waves": ""}  # of numbers that are no sizes
FLAT = ("Box", "Plane")  # shaded flat at first
COUNTS: dict[str, Callable[[Mapping[str, float]], float]] = {  # points of a form that are no number of it
    "Box": lambda n: 6 * n["segments"] ** 2 + 2,
    "Ball": lambda n: 6 * n["segments"] ** 2 + 2,
    "Plane": lambda n: (n["columns"] + 1) * (n["rows"] + 1),
    "Globe": lambda n: (n["rings"] - 1) * n["segments"] + 2,
    "Cylinder": lambda n: (n["rows"] + 1) * n["segments"] + 2,
    "Star": lambda n: 2 * n["spikes"],
}


def defaults(kind: str) -> dict[str, float]:
    """The numbers of a form and what they begin with: float64 are sizes in cm (but see UNITS), int are counts."""
    return {p.name: p.default for p in inspect.signature(FORMS[kind]).parameters.values()}


def unit(name: str, first: float) -> str:
    """The unit of a number of a form."""
    return UNITS.get(name, "cm") if isinstance(first, float) else ""


def made(kind: str, numbers: Mapping[str, float]) -> tuple[np.ndarray, Geometry]:
    """Points (n, 3) and geometry of a form. Raises EditRefused for numbers that it cannot have."""
    known = defaults(kind)
    odd = [name for name in numbers if name not in known]
    if odd:
        raise EditRefused(f"A {kind} has no {odd[0]}; it has {', '.join(known)}.")
    whole = {name: type(first)(numbers.get(name, first)) for name, first in known.items()}
    return FORMS[kind](**whole)


def point_count(kind: str, numbers: Mapping[str, float]) -> float:
    """How many points a form has, without making it."""
    numbers = {**defaults(kind), **numbers}
    return COUNTS[kind](numbers) if kind in COUNTS else numbers["points"]


def add_form(scene: Scene, kind: str, numbers: Mapping[str, float]) -> tuple[Scene, str]:
    """A new object of a simple form, which remembers its numbers."""
    points, geometry = made(kind, numbers)
    scene, object_id = add_object(scene, kind, geometry, points, Appearance(smooth=kind not in FLAT))
    obj = replace(scene.object(object_id), form=FormNumbers(kind, tuple(sorted(numbers.items()))))
    return scene.with_object(obj), object_id


def form_of(obj: MorphObject) -> FormNumbers | None:
    """The form an object still is: nothing was reshaped, and nothing is built on it. None otherwise."""
    if obj.form is None or obj.targets:
        return None
    return obj.form if _untouched(obj.base, obj.form) and _arranged(obj.geometry, obj.form) else None


def _arranged(geometry: Geometry, form: FormNumbers) -> bool:
    """Whether a line still has the strand that its form has."""
    if form.kind not in LINE_FORMS or not isinstance(geometry, Line):
        return True
    first = made(form.kind, dict(form.numbers))[1]
    return (
        isinstance(first, Line)
        and np.array_equal(first.starts, geometry.starts)
        and np.array_equal(first.closed, geometry.closed)
    )


@cached_by_array
def _untouched(base: np.ndarray, form: FormNumbers) -> bool:
    numbers = dict(form.numbers)
    if point_count(form.kind, numbers) != len(base):  # before anything large is made
        return False
    try:
        return bool(np.array_equal(made(form.kind, numbers)[0], base))
    except EditRefused:
        return False


def set_form(scene: Scene, object_id: str, numbers: Mapping[str, float]) -> Scene:
    """Another size or fineness of an object that is still a simple form; picks kept with it go, as its points are others."""
    obj = scene.unlocked(object_id)
    form = form_of(obj)
    if form is None:
        raise EditRefused(f"{obj.name} is no simple form any more; its numbers cannot be changed.")
    wanted = {**dict(form.numbers), **numbers}
    points, geometry = made(form.kind, wanted)
    if isinstance(geometry, Line):
        old = obj.line
        widths = None if old.widths is None else np.full(len(points), old.widths.mean())
        geometry = replace(geometry, degree=old.degree, through=old.through, widths=widths, tube=old.tube)
    spring = obj.spring
    if spring is not None and spring.field is not None and len(spring.field) != len(points):
        spring = replace(spring, field=None, way="")  # its masses were those of other points
    kept = FormNumbers(form.kind, tuple(sorted(wanted.items())))
    bent = kept_to(obj.deformers, points, anew=True)  # a longer form is bent all along
    return scene.with_object(replace(obj, spring=spring, base=points, geometry=geometry, form=kept, picks=(), deformers=bent))
