"""Cues: what a scene does when it is touched, as values. What runs them is in ``rehearsal``."""

from __future__ import annotations

from msgspec import Struct

from fictilis.core.ground.arrays import plain_numbers

CLICK, KEY, START, MARKER, AFTER, EVERY = WHENS = ("click", "key", "start", "marker", "after", "every")
LEAD, MIX, RELAY, CLIP, MODIFIER, SOUND, END = ACTS = ("lead", "mix", "relay", "clip", "modifier", "sound", "end")
STAY, BACK, NEXT = THENS = ("stay", "back", "next")
OVER, LEAVE, QUEUE = MEETINGS = ("over", "leave", "queue")
LETTER = "q"  # of the ids of cues


class When(Struct, frozen=True):
    """What a cue waits for: a click on the object ``owner``, anywhere or on its kept ``pick``; a ``key`` by its name; the
    start; a ``marker``, by its name, that a clip passes; the end of another ``cue``, by id; or every so many ``seconds``."""

    kind: str = CLICK
    owner: str = ""
    pick: str = ""
    key: str = ""
    marker: str = ""
    cue: str = ""
    seconds: float = 1.0

    def __post_init__(self) -> None:
        plain_numbers(self, "seconds")


class Lead(Struct, frozen=True):
    """One channel of an object, and the value to which it is led."""

    owner: str
    channel: str
    to: float = 1.0

    def __post_init__(self) -> None:
        plain_numbers(self, "to")


class Act(Struct, frozen=True):
    """What a cue does, within ``seconds`` by an easing: ``lead`` channels; all targets of an object to a kept ``mix``; the
    relay ``group`` of an object to a ``place`` in its row; ``play`` a clip ``times`` times, or until told (0); turn the
    modifier with the number ``modifier`` of a ``channel`` on or off; play the sound, or stop it; or end another ``cue``."""

    kind: str = LEAD
    leads: tuple[Lead, ...] = ()
    owner: str = ""
    mix: str = ""
    group: str = ""
    place: float = 0.0
    clip: str = ""
    times: int = 1
    channel: str = ""
    modifier: int = 0
    on: bool = True
    cue: str = ""
    seconds: float = 0.4
    ease: str = "ease-out"

    def __post_init__(self) -> None:
        plain_numbers(self, "place", "seconds")


class Then(Struct, frozen=True):
    """What follows ``wait`` s after it is done: it stays so; it comes back, in ``seconds`` and by ``ease`` (empty: the same as
    it went); or the next ``cue`` begins."""

    wait: float = 0.0
    kind: str = STAY
    seconds: float = 0.4
    ease: str = ""
    cue: str = ""

    def __post_init__(self) -> None:
        plain_numbers(self, "wait", "seconds")


class Cue(Struct, frozen=True, weakref=True):
    """``meets`` says what happens where it meets itself or another that leads the same: it starts ``over`` from where that is,
    it is left alone (``leave``), or it waits in a ``queue``. ``carry`` carries the speed on, so that no motion breaks off."""

    id: str
    name: str
    when: When = When()
    act: Act = Act()
    then: Then = Then()
    meets: str = OVER
    carry: bool = False
    on: bool = True


LONGEST, LONGEST_WAIT, MOST_TIMES, MOST_CUES = 3600.0, 86400.0, 10_000, 1000


LEAST_EVERY = 0.01
