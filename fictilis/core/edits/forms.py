"""Objects that are still the simple form they were made as: its numbers can be changed until something is reshaped."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace

from fictilis.core.edits.objects import add_object
from fictilis.core.geometry.forms import FLAT, made, point_count
from fictilis.core.geometry.kinds import Geometry, Line
from fictilis.core.geometry.lines.line_forms import LINE_FORMS
from fictilis.core.ground.arrays import cached_by_array
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.appearance import Appearance
from fictilis.core.scene.deformers import kept_to
from fictilis.core.scene.kept import FormNumbers
from fictilis.core.scene.scene import MorphObject, Scene


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
