"""What the find field finds, and how well a few words fit it."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Iterable
from functools import lru_cache

from msgspec import Struct

MOST = 12  # shown at once
Words = tuple[str, ...]


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


@lru_cache(maxsize=10_000)  # as many as a large scene has: they are asked for again with each letter typed
def _words_of(title: str, also: str, rest: str) -> tuple[str, Words, Words, Words, Words]:
    """A title and the words in it, the phrases it is known by elsewhere and their words, and all other words, plain."""
    low = plain(title)
    phrases = tuple(phrase.strip() for phrase in plain(also).split(","))
    elsewhere = tuple(word for phrase in phrases for word in phrase.split())
    return low, _split(low), phrases, elsewhere, _split(plain(rest))


def _split(text: str) -> tuple[str, ...]:
    return tuple(text.replace("-", " ").replace("(", " ").replace(",", " ").split())


def fit(thing: Findable, asked: list[str]) -> tuple[float, ...] | None:
    """How well a thing fits the words asked for, the less the better; None where none of them fits.

    Best is a title, or what it is called elsewhere, as it was typed; then a word at the start of the title, at the start of a
    word of it, or a word of what it is called elsewhere; then the beginning of such a one, a part of the title, a word but for
    a letter, and last a word of all else that is said of it. A word that fits nothing counts most, and leaves the others.
    """
    also, rest = f"{thing.also},{thing.note}", f"{thing.place} {thing.words}"
    title, words, phrases, elsewhere, others = _words_of(thing.title, also, rest)
    ranks = [_rank(word, title, words, elsewhere, others) for word in asked]
    if min(ranks) >= MISSED:
        return None
    whole = " ".join(asked)
    known = whole == title.rstrip("…") or whole in phrases
    near = not known and any(phrase.startswith(whole) for phrase in (title, *phrases))
    return (
        sum(rank >= MISSED for rank in ranks),
        0 if known else 1 if near else max(ranks),
        sum(ranks),
        bool(thing.why),
        len(title),
    )


MISSED = 9.0


def _rank(word: str, title: str, words: tuple[str, ...], elsewhere: tuple[str, ...], others: tuple[str, ...]) -> float:
    if title.startswith(word):
        return 0.0
    if any(w.startswith(word) for w in words):
        return 1.0
    if word in elsewhere:
        return 1.5
    if any(w.startswith(word) for w in elsewhere):
        return 2.0
    if len(word) > 1 and word in title:
        return 3.0
    if len(word) > 3 and any(_but_for_a_letter(word, w) for w in (*words, *elsewhere)):
        return 4.0
    return 5.0 if any(w.startswith(word) for w in others) else MISSED


def _but_for_a_letter(typed: str, word: str) -> bool:
    """Whether two words differ by one letter that is wrong, too many or missing, or by two that changed places."""
    if abs(len(typed) - len(word)) > 1 or typed[0] != word[0]:
        return False
    same = next((n for n, (a, b) in enumerate(zip(typed, word, strict=False)) if a != b), min(len(typed), len(word)))
    a, b = typed[same:], word[same:]
    return a[1:] == b[1:] or a[1:] == b or a == b[1:] or (a[:2] == b[1::-1] and a[2:] == b[2:])


def find(things: Iterable[Findable], text: str, most: int = MOST) -> list[Findable]:
    """The things that fit a text best, the best first. What lacks a word stands only where nothing has them all."""
    asked = list(_split(plain(text)))
    if not asked:
        return []
    rows = [(rank, thing) for thing in things if (rank := fit(thing, asked)) is not None]
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
