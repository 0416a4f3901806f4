"""The simple forms, and their numbers."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Mapping

import numpy as np

from fictilis.core.geometry.kinds import Geometry
from fictilis.core.geometry.lines.line_forms import LINE_FORMS
from fictilis.core.geometry.primitives import MESH_FORMS
from fictilis.core.ground.errors import EditRefused

FORMS: Mapping[str, Callable[..., tuple[np.ndarray, Geometry]]] = {**MESH_FORMS, **LINE_FORMS}
UNITS = {"angle": "°", "turns": "", "waves": ""}  # of numbers that are no sizes
FLAT = ("Box", "Plane")  # shaded flat at first
COUNTS: dict[str, Callable[[Mapping[str, float]], float]] = {  # points of a form that are no number of it
    "Box": lambda n: 6 * n["segments"] ** 2 + 2,
    "Ball": lambda n: 6 * n["segments"] ** 2 + 2,
    "Plane": lambda n: (n["columns"] + 1) * (n["rows"] + 1),
    "Globe": lambda n: (n["rings"] - 1) * n["segments"] + 2,
    "Cylinder": lambda n: (n["rows"] + 1) * n["segments"] + 2,
    "Cone": lambda n: n["rows"] * n["segments"] + 2,
    "Ring": lambda n: n["rings"] * n["segments"],
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
