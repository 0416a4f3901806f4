"""Numbers, texts and counts within bounds, wherever they stand in a value."""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np
from msgspec import Struct

from fictilis.core.ground.arrays import cached_by_array
from fictilis.core.ground.errors import EditRefused

FAR = 1e12
MOST_ID, MOST_KEYS, MOST_PARTS, LONGEST_TEXT = 10**15, 1_000_000, 100_000, 1_000
BREAKS = "\n\r\v\f\x1c\x1d\x1e\x85\u2028\u2029\0"
_known: WeakKeyDictionary[Struct, bool] = WeakKeyDictionary()  # values that are in proportion


def in_proportion(value: object, what: str = "content") -> None:
    """Raises EditRefused, with the name of what it is, for a number, a text, a count or an array out of bounds. Keys are
    bounded by themselves, but for how many there are. What was looked at once is not looked at again."""
    if value is None:
        return
    if isinstance(value, (float, int)):  # a tuple, as float | int is made anew at each of a million calls
        if not abs(value) <= FAR:
            raise EditRefused(f"Its {what} is {value:g}; numbers go up to {FAR:g}.")
    elif isinstance(value, str):
        if len(value) > LONGEST_TEXT:
            raise EditRefused(f"Its {what} has {len(value):,} letters; up to {LONGEST_TEXT:,} can be.")
        if what == "name" and any(c in BREAKS for c in value):
            raise EditRefused(f"Its name “{value[:40]!r}” has a line break.")
    elif isinstance(value, (list, tuple)):
        most = MOST_KEYS if what == "keys" else MOST_PARTS
        if len(value) > most:
            raise EditRefused(f"It has {len(value):,} {what}; up to {most:,} can be.")
        for part in value if what != "keys" else ():
            in_proportion(part, what)
    elif isinstance(value, np.ndarray):
        if wrong := out_of_bounds(value):
            raise EditRefused(f"Its {what} {wrong}.")
    elif isinstance(value, Struct):
        _parts_in_proportion(value)


def _parts_in_proportion(value: Struct) -> None:
    config = value.__struct_config__
    kept = config.weakref and not config.eq
    if kept and value in _known:
        return
    for field in value.__struct_fields__:
        in_proportion(getattr(value, field), field)
    if kept:
        _known[value] = True


@cached_by_array
def out_of_bounds(array: np.ndarray) -> str:
    """What is wrong with the numbers of an array; nothing where they are in bounds."""
    if array.dtype.kind != "f" or not array.size:
        return ""
    if not np.isfinite(array).all():
        return "holds numbers that are not finite"
    most = float(max(array.max(), -array.min()))
    return f"holds {most:g}; numbers go up to {FAR:g}" if most > FAR else ""
