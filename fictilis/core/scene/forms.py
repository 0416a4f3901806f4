"""Which simple form an object still is."""

from __future__ import annotations

import numpy as np

from fictilis.core.geometry.forms import made, point_count
from fictilis.core.geometry.kinds import Geometry, Line
from fictilis.core.geometry.lines.line_forms import LINE_FORMS
from fictilis.core.ground.arrays import cached_by_array
from fictilis.core.ground.errors import EditRefused
from fictilis.core.scene.kept import FormNumbers
from fictilis.core.scene.scene import MorphObject


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
