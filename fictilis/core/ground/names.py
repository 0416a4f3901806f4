"""Names and ids: tidied, and such as are not taken yet."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable
from typing import Protocol, TypeVar

from fictilis.core.ground.errors import EditRefused, is_hidden


def number_of(some_id: str) -> int:
    """The number of an id of one letter and digits; 0 for any other."""
    digits = some_id[1:]
    return int(digits) if digits.isascii() and digits.isdigit() and len(digits) < 18 else 0


def fresh_id(prefix: str, used: Iterable[str], floor: int = 0) -> str:
    """``prefix``, one letter, and the lowest number above all in use and above ``floor``."""
    return f"{prefix}{max((floor, *(number_of(i) for i in used if i.startswith(prefix)))) + 1}"


def by_number(name: str) -> list[tuple[int, str]]:
    """For sorting: ``fin_2`` before ``fin_10``."""
    return [(int(word), "") if word.isdecimal() else (-1, word) for word in re.split(r"(\d+)", name.casefold())]


LONGEST_NAME = 200
JOINERS = "\u200c\u200d"  # which some scripts write with


def tidy_name(name: str) -> str:
    """A name on one line, without what cannot be printed or stands at its ends, and of a bearable length."""
    return (
        "".join(c if c.isprintable() or c in JOINERS else " " for c in name[: 8 * LONGEST_NAME]).strip()[:LONGEST_NAME].rstrip()
    )


def seen_name(text: str) -> str:
    """A text in which every letter that is not seen but does something stands as a question mark in a box."""
    return "".join("\ufffd" if is_hidden(c) else c for c in text)


def given_name(name: str, what: str, others: Iterable[str] = (), already: str = "") -> str:
    """``name``, tidied. Raises EditRefused where nothing is left of it, or where one of ``others`` has it."""
    name = tidy_name(name)
    if not name:
        raise EditRefused(f"{what} needs a name of at least one letter.")
    if name in others:
        raise EditRefused(f"{already} named {name}.")
    return name


def fresh_names(wanted: Iterable[str], used: Iterable[str] = ()) -> list[str]:
    """Names, each as by ``fresh_name``; of many that are alike each looks on from the last number only."""
    taken, seen, out = set(used), Counter[str](), list[str]()
    for name in wanted:
        seen[name] += 1
        out.append(fresh_name(name, taken, max(seen[name], 2)))
        taken.add(out[-1])
    return out


def fresh_name(wanted: str, used: Iterable[str], least: int = 2) -> str:
    """``wanted``, tidied, or with a number from ``least`` on behind it when the name is taken."""
    wanted = tidy_name(wanted) or "Unnamed"
    taken = used if isinstance(used, set) else set(used)
    if wanted not in taken:
        return wanted
    number = least
    while f"{wanted} {number}" in taken:
        number += 1
    return f"{wanted} {number}"


SIDES = (("left", "right"), ("Left", "Right"), ("L", "R"))


def other_side_name(name: str) -> str:
    """The name with left and right exchanged where it says one of them, else with “mirrored” behind it."""
    words = name.replace("_", " _ ").replace(".", " . ").split(" ")
    for a, b in SIDES:
        for one, other in ((a, b), (b, a)):
            if one in words:
                swapped = [other if w == one else w for w in words]
                return " ".join(swapped).replace(" _ ", "_").replace(" . ", ".")
    return f"{name} mirrored"


class _Named(Protocol):
    @property
    def name(self) -> str: ...


N = TypeVar("N", bound=_Named)


def with_name(rows: Iterable[N], name: str, none: str, what: str) -> N:
    """The one of a name. Raises EditRefused, which names those there are."""
    rows = list(rows)
    for row in rows:
        if row.name == name:
            return row
    raise EditRefused(f"{none} named {name}; its {what} are: {', '.join(row.name for row in rows) or 'none'}.")
