"""Objects that are still the simple form they were made as: its numbers can be changed until something is reshaped."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace

from fictilis.core.edits.objects import add_object
from fictilis.core.geometry.forms import FLAT, made
from fictilis.core.geometry.kinds import Line
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.appearance import Appearance
from fictilis.core.scene.deformers import kept_to
from fictilis.core.scene.forms import form_of
from fictilis.core.scene.kept import FormNumbers
from fictilis.core.scene.scene import Scene


def add_form(scene: Scene, kind: str, numbers: Mapping[str, float]) -> tuple[Scene, str]:
    """A new object of a simple form, which remembers its numbers."""
    points, geometry = made(kind, numbers)
    scene, object_id = add_object(scene, kind, geometry, points, Appearance(smooth=kind not in FLAT))
    obj = replace(scene.object(object_id), form=FormNumbers(kind, tuple(sorted(numbers.items()))))
    return scene.with_object(obj), object_id


def set_form(scene: Scene, object_id: str, numbers: Mapping[str, float]) -> Scene:
    """Change size or fineness of an object that is still a simple form; picks kept with it go, as its points are others."""
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
