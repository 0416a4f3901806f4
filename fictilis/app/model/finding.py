"""What the find field finds, and how well a few words fit it."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import NamedTuple

from msgspec import Struct

MOST = 12  # shown at once


class Findable(Struct, frozen=True, eq=False, weakref=True):
    """Something with a name that can be run or gone to. ``place`` says where it is found, ``keys`` its shortcut, ``why`` why
    it is not possible now; ``words`` are further ones it is found by, ``also`` phrases by which it is known elsewhere, apart
    by commas; ``colour`` and ``icon`` stand before it."""

    title: str
    run: Callable[[], object]
    note: str = ""
    place: str = ""
    keys: str = ""
    why: str = ""
    words: str = ""
    also: str = ""
    colour: str = ""
    icon: str = ""


def plain(text: str) -> str:
    """Small letters without marks, for comparing."""
    if text.isascii():
        return text.lower()
    apart = unicodedata.normalize("NFD", text.casefold())
    return "".join(c for c in apart if not unicodedata.combining(c))


class Known(NamedTuple):
    """What a thing is found by, plain: its title, the phrases it is known by elsewhere, and words between spaces:
    of the title, of the phrases, and of all else; ``every`` are those of title and phrases."""

    title: str
    phrases: tuple[str, ...]
    words: str
    elsewhere: str
    others: str
    every: frozenset[str]


@lru_cache(maxsize=10_000)  # as many as a large scene has: they are asked for again with each letter typed
def _known(title: str, also: str, rest: str) -> Known:
    low = plain(title)
    phrases = tuple(phrase.strip() for phrase in plain(also).split(","))
    words, elsewhere = _split(low), [word for phrase in phrases for word in phrase.split()]
    return Known(low, phrases, _apart(words), _apart(elsewhere), _apart(_split(plain(rest))), frozenset((*words, *elsewhere)))


def _known_of(thing: Findable) -> Known:
    return _known(thing.title, f"{thing.also},{thing.note}", f"{thing.place} {thing.words}")


def _split(text: str) -> list[str]:
    return text.replace("-", " ").replace("(", " ").replace(",", " ").split()


def _apart(words: Sequence[str]) -> str:
    return f" {' '.join(words)} "


def fit(thing: Findable, asked: list[str], near: Sequence[frozenset[str]]) -> tuple[float, ...] | None:
    """How well a thing fits the words asked for, the less the better; None where none of them fits. ``near`` are the words that
    differ from each of them by a letter.

    Best is a title, or what it is called elsewhere, as it was typed; then a word at the start of the title, at the start of a
    word of it, or a word of what it is called elsewhere; then the beginning of such a one, a part of the title, a word but for
    a letter, and last a word of all else that is said of it. A word that fits nothing counts most, and leaves the others.
    """
    known = _known_of(thing)
    ranks = [_rank(word, known, close) for word, close in zip(asked, near, strict=True)]
    if min(ranks) >= MISSED:
        return None
    whole = " ".join(asked)
    same = whole == known.title.rstrip("…") or whole in known.phrases
    begins = not same and any(phrase.startswith(whole) for phrase in (known.title, *known.phrases))
    return (
        sum(rank >= MISSED for rank in ranks),
        0 if same else 1 if begins else max(ranks),
        sum(ranks),
        bool(thing.why),
        len(known.title),
    )


MISSED = 9.0


def _rank(word: str, known: Known, near: frozenset[str]) -> float:
    if known.title.startswith(word):
        return 0.0
    if f" {word}" in known.words:
        return 1.0
    if f" {word}" in known.elsewhere:
        return 1.5 if f" {word} " in known.elsewhere else 2.0
    if len(word) > 1 and word in known.title:
        return 3.0
    if not near.isdisjoint(known.every):
        return 4.0
    return 5.0 if f" {word}" in known.others else MISSED


def _near(word: str, things: Sequence[Findable]) -> frozenset[str]:
    """Words of titles and phrases that differ from a word by a letter; none for a short one."""
    if len(word) <= 3:
        return frozenset()
    return frozenset(other for other in set().union(*(_known_of(t).every for t in things)) if _but_for_a_letter(word, other))


def _but_for_a_letter(typed: str, word: str) -> bool:
    """Whether two words differ by one letter that is wrong, too many or missing, or by two that changed places."""
    if abs(len(typed) - len(word)) > 1 or typed[0] != word[0]:
        return False
    same = next((n for n, (a, b) in enumerate(zip(typed, word, strict=False)) if a != b), min(len(typed), len(word)))
    a, b = typed[same:], word[same:]
    return a[1:] == b[1:] or a[1:] == b or a == b[1:] or (a[:2] == b[1::-1] and a[2:] == b[2:])


def find(things: Sequence[Findable], text: str, most: int = MOST) -> list[Findable]:
    """The things that fit a text best, the best first. What lacks a word stands only where nothing has them all."""
    asked = _split(plain(text))
    if not asked:
        return []
    near = [_near(word, things) for word in asked]
    rows = [(rank, thing) for thing in things if (rank := fit(thing, asked, near)) is not None]
    least = min((rank[0] for rank, _ in rows), default=0)
    best = sorted((row for row in rows if row[0][0] == least), key=lambda row: row[0])
    return [thing for _, thing in best[:most]]


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
