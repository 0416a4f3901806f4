"""What is kept by its name: picks and mixes of an object, measures of the scene; and the simple form an object was made as."""

from __future__ import annotations

from msgspec import Struct
from msgspec.structs import force_setattr

from fictilis.core.geometry.picked import Pick


class NamedPick(Struct, frozen=True, eq=False, weakref=True):
    """A pick kept with its object."""

    name: str
    pick: Pick


class StoredMix(Struct, frozen=True):
    """Weights kept under a name, as pairs (target id, weight)."""

    name: str
    weights: tuple[tuple[str, float], ...]


class PointOf(Struct, frozen=True):
    """One point of an object, by its number; of the first one where the object stands in copies."""

    owner: str
    point: int


class Measure(Struct, frozen=True):
    """The distance between two points, as it is at each frame."""

    name: str
    first: PointOf
    second: PointOf


class FormNumbers(Struct, frozen=True):
    """The simple form that an object was made as, and its numbers by name: sizes in cm and counts."""

    kind: str
    numbers: tuple[tuple[str, float], ...]

    def __post_init__(self) -> None:
        force_setattr(self, "numbers", tuple((name, float(value)) for name, value in self.numbers))


def blended(a: StoredMix, b: StoredMix, part: float) -> dict[str, float]:
    """Weights ``part`` of the way from one mix to another; a target that one of them lacks counts as 0 there."""
    first, second = dict(a.weights), dict(b.weights)
    ids = dict.fromkeys((*first, *second))
    return {t: (1 - part) * first.get(t, 0.0) + part * second.get(t, 0.0) for t in ids}
