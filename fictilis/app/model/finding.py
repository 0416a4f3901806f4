"""What the find field finds, and how well a few words fit it."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Iterable
from functools import lru_cache

from msgspec import Struct

MOST = 12  # shown at once


class Findable(Struct, frozen=True, eq=False, weakref=True):
    """Something with a name that can be run or gone to. ``place`` says where it is found, ``keys`` its shortcut, ``why`` why
    it is not possible now; ``words`` are further ones it is found by; ``colour`` and ``icon`` stand before it."""

    title: str
    run: Callable[[], object]
    note: str = ""
    place: str = ""
    keys: str = ""
    why: str = ""
    words: str = ""
    colour: str = ""
    icon: str = ""


def plain(text: str) -> str:
    """Small letters without marks, for comparing."""
    if text.isascii():
        return text.lower()
    apart = unicodedata.normalize("NFD", text.casefold())
    return "".join(c for c in apart if not unicodedata.combining(c))


@lru_cache(maxsize=10_000)  # as many as a large scene has: they are asked for again with each letter typed
def _words_of(title: str, rest: str) -> tuple[str, tuple[str, ...], tuple[str, ...]]:
    """A title and the beginnings in it, and the other words, plain."""
    low = plain(title)
    return low, tuple(low.replace("-", " ").replace("(", " ").split()), tuple(plain(rest).split())


def fit(thing: Findable, asked: list[str]) -> tuple[int, ...] | None:
    """How well a thing fits all words asked for, the less the better; None where one of them is missing.

    A word at the start of the title is best, then at the start of a word of it, within it, and last among the other words.
    """
    title, beginnings, others = _words_of(thing.title, f"{thing.note} {thing.place} {thing.words}")
    ranks = []
    for word in asked:
        if title.startswith(word):
            ranks.append(0)
        elif any(beginning.startswith(word) for beginning in beginnings):
            ranks.append(1)
        elif word in title:
            ranks.append(2)
        elif any(other.startswith(word) for other in others):
            ranks.append(4)
        else:
            return None
    return (max(ranks), sum(ranks), bool(thing.why), len(title))


def find(things: Iterable[Findable], text: str, most: int = MOST) -> list[Findable]:
    """The things that fit a text best, the best first."""
    asked = plain(text).split()
    if not asked:
        return []
    rows = [(rank, thing) for thing in things if (rank := fit(thing, asked)) is not None]
    return [thing for _, thing in sorted(rows, key=lambda row: row[0])[:most]]


def spans(title: str, text: str) -> list[tuple[int, int]]:
    """Which letters of a title the words asked for are: pairs of first and behind the last."""
    low, out = plain(title), []
    if len(low) != len(title):
        return []
    for word in plain(text).split():
        at = low.find(word)
        if at >= 0:
            out.append((at, at + len(word)))
    return sorted(out)
