"""Cues as sentences, each word that can change with what it can be instead."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial

from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.animation.ease_now import LINEAR
from fictilis.core.animation.easing import KEYWORDS, NAMED
from fictilis.core.mix.channels import channels, find_channel
from fictilis.core.mix.relay import relays
from fictilis.core.rehearsal.acts import (
    CHOOSE,
    DOINGS,
    TIMES_WORDS,
    Word,
    called,
    cue_name,
    find_object,
    motions,
    object_name,
)
from fictilis.core.rehearsal.segment import SPRING
from fictilis.core.scene.cues import (
    AFTER,
    BACK,
    CLICK,
    EVERY,
    LEAVE,
    MARKER,
    NEXT,
    OVER,
    QUEUE,
    START,
    STAY,
    Cue,
    Lead,
)
from fictilis.core.scene.cues import KEY as KEY_PRESS
from fictilis.core.scene.kept import NamedPick, StoredMix
from fictilis.core.scene.scene import Scene

WHEN_WORDS = {CLICK: "On a click on", KEY_PRESS: "On the key", START: "At the start", MARKER: "At the marker",
              AFTER: "At the end of", EVERY: "Every"}  # fmt: skip
THEN_WORDS = {STAY: "stay so", BACK: "come back", NEXT: "go on with"}
MEET_WORDS = {OVER: "start over from where it is", LEAVE: "leave it alone", QUEUE: "wait until it has ended"}
CARRY_WORDS = {False: "from a stand", True: "with its speed"}
SAME = "the same way"


class Range(Struct, frozen=True):
    """A number in a sentence."""

    value: float
    low: float
    high: float
    unit: str = ""
    decimals: int = 2
    name: str = ""


def sentence(scene: Scene, cue: Cue) -> str:
    """A cue in words."""
    text = " ".join(word.text for word in words(scene, cue) if word.text != "+")
    return text.replace(" ,", ",").replace(" ;", ";") + "."


def words(scene: Scene, cue: Cue) -> list[Word]:
    """The words of a cue, in order."""
    when, act, then, doing = cue.when, cue.act, cue.then, DOINGS[cue.act.kind]
    out = [Word(WHEN_WORDS[when.kind], "when"), *_when(scene, cue), Word(doing.word, "act"), *doing.words(scene, cue)]
    if doing.within:
        out += [Word(doing.within), Word(_seconds(act.seconds), "act.seconds")]
        out += [Word(spoken_ease(act.ease), "act.ease")] if doing.eases else []
    out += [Word(", wait"), Word(_seconds(then.wait), "then.wait"), Word(", then"), Word(THEN_WORDS[then.kind], "then")]
    if then.kind == BACK:
        out += [Word("in"), Word(_seconds(then.seconds), "then.seconds"), Word(spoken_ease(then.ease) or SAME, "then.ease")]
    elif then.kind == NEXT:
        out.append(Word(cue_name(scene, then.cue), "then.cue"))
    if doing.meets:
        out += [Word("; where it meets another,"), Word(MEET_WORDS[cue.meets], "meets")]
        if cue.meets == OVER and doing.eases and not act.ease.startswith(SPRING):
            out.append(Word(CARRY_WORDS[cue.carry], "carry"))
    return out


def _seconds(value: float) -> str:
    return f"{value:.2f} s" if value != int(value) else f"{value:g} s"


def spoken_ease(ease: str) -> str:
    """An easing as it is said."""
    return ease.replace("-", " ") if "(" not in ease else ease


def _when(scene: Scene, cue: Cue) -> list[Word]:
    when = cue.when
    if when.kind == CLICK:
        obj = find_object(scene, when.owner)
        place = [Word("at"), Word(when.pick or "any place", "when.pick")] if obj is not None and obj.picks or when.pick else []
        return [Word(object_name(scene, when.owner), "when.owner"), *place, Word(",")]
    text, part = {
        KEY_PRESS: (when.key or CHOOSE, "when.key"), MARKER: (when.marker or CHOOSE, "when.marker"),
        AFTER: (cue_name(scene, when.cue), "when.cue"), EVERY: (_seconds(when.seconds), "when.seconds"), START: ("", ""),
    }[when.kind]  # fmt: skip
    return [*([Word(text, part)] if text else []), Word(",")]


# what a word can be instead

Choice = tuple[str, Cue]  # the label, with groups before slashes, and the cue as it is then


def choices(scene: Scene, cue: Cue, part: str) -> list[Choice]:
    """What a word of a cue can be instead; nothing for numbers and keys."""
    when, act, then = cue.when, cue.act, cue.then
    at, doing, after = partial(_at, cue), partial(_doing, cue), partial(_after, cue)
    others = [c for c in scene.cues if c.id != cue.id]
    if part.startswith("lead."):
        return _lead_choices(scene, cue, part.removeprefix("lead."))
    table: dict[str, Callable[[], Iterable[Choice]]] = {
        "when": lambda: ((label, at(kind=kind)) for kind, label in WHEN_WORDS.items()),
        "when.owner": lambda: ((o.name, at(owner=o.id, pick="")) for o in scene.objects),
        "when.pick": lambda: [("any place", at(pick="")), *((p.name, at(pick=p.name)) for p in _picks(scene, when.owner))],
        "when.marker": lambda: ((name, at(marker=name)) for name in dict.fromkeys(m.name for m in scene.markers)),
        "when.cue": lambda: ((c.name, at(cue=c.id)) for c in others),
        "act": lambda: ((d.word, replace(cue, act=d.begun(scene, replace(act, kind=kind)))) for kind, d in DOINGS.items()),
        "act.owner": lambda: ((o.name, doing(owner=o.id, mix=o.mixes[0].name)) for o in scene.objects if o.mixes),
        "act.mix": lambda: ((m.name, doing(mix=m.name)) for m in _mixes(scene, act.owner)),
        "act.group": lambda: ((called(scene, o, g.name), doing(owner=o.id, group=g.id))
                              for o in scene.objects for g in relays(o).values()),
        "act.clip": lambda: ([(c.name, doing(clip=c.id)) for c in scene.clips] or [("the lanes", doing(clip=""))]),
        "act.times": lambda: ((label, doing(times=max(n, act.times) if n == 2 else n)) for n, label in TIMES_WORDS.items()),
        "act.on": lambda: [(DOINGS[act.kind].words(scene, doing(on=on))[0].text, doing(on=on)) for on in (True, False)],
        "act.motion": lambda: ((label, doing(owner=m[0], channel=m[1], modifier=m[2])) for label, m in motions(scene)),
        "act.cue": lambda: ((c.name, doing(cue=c.id)) for c in others),
        "act.ease": lambda: ((spoken_ease(e), doing(ease=e)) for e in _eases()),
        "then": lambda: ((label, after(kind=kind, cue=then.cue or (others[0].id if others else "")))
                         for kind, label in THEN_WORDS.items() if kind != NEXT or others),
        "then.ease": lambda: [(SAME, after(ease="")), *((spoken_ease(e), after(ease=e)) for e in _eases())],
        "then.cue": lambda: ((c.name, after(cue=c.id)) for c in scene.cues),
        "meets": lambda: ((label, replace(cue, meets=kind)) for kind, label in MEET_WORDS.items()),
        "carry": lambda: ((label, replace(cue, carry=carry)) for carry, label in CARRY_WORDS.items()),
    }  # fmt: skip
    return list(table[part]()) if part in table else []


def _at(cue: Cue, /, **values: object) -> Cue:
    return replace(cue, when=replace(cue.when, **values))


def _doing(cue: Cue, /, **values: object) -> Cue:
    return replace(cue, act=replace(cue.act, **values))


def _after(cue: Cue, /, **values: object) -> Cue:
    return replace(cue, then=replace(cue.then, **values))


def _eases() -> list[str]:
    return [LINEAR, *KEYWORDS, SPRING, "spring(0.25)", "spring(1)", *NAMED]


def _picks(scene: Scene, owner: str) -> Iterable[NamedPick]:
    obj = find_object(scene, owner)
    return obj.picks if obj is not None else ()


def _mixes(scene: Scene, owner: str) -> Iterable[StoredMix]:
    obj = find_object(scene, owner)
    return obj.mixes if obj is not None else ()


def _lead_choices(scene: Scene, cue: Cue, which: str) -> list[Choice]:
    """Another channel for one that is led, or one more; or one less."""
    leads, out = list(cue.act.leads), list[Choice]()
    number = len(leads) if which == "+" else int(which)
    taken = {(lead.owner, lead.channel) for n, lead in enumerate(leads) if n != number}
    for obj in scene.objects:
        for found in channels(obj):
            if not found.slides or found.part == "joint" or (obj.id, found.id) in taken:
                continue
            to = leads[number].to if number < len(leads) else found.high if found.part == "weight" else found.value
            new = (*leads[:number], Lead(obj.id, found.id, to), *leads[number + 1 :])
            group = f"{obj.name}/" if len(scene.objects) > 1 else ""
            under = "" if found.part == "weight" else "place and look/"
            out.append((f"{group}{under}{found.name}", _doing(cue, leads=new)))
    if number < len(leads):
        out.append(("lead it no longer", _doing(cue, leads=(*leads[:number], *leads[number + 1 :]))))
    return out


def number_of(scene: Scene, cue: Cue, part: str) -> Range | None:
    """A word that is a number, with its bounds; None for any other."""
    from fictilis.core.scene.cues import LEAST_EVERY, LONGEST, LONGEST_WAIT, MOST_TIMES

    if part.startswith("to."):
        lead = cue.act.leads[int(part.removeprefix("to."))]
        obj = find_object(scene, lead.owner)
        found = find_channel(obj, lead.channel) if obj is not None else None
        if found is None:
            return Range(lead.to, -1e6, 1e6, name="Leads to")
        return Range(lead.to, -1e6, 1e6, found.unit, found.decimals, f"{found.name} is led to")
    table = {
        "when.seconds": Range(cue.when.seconds, LEAST_EVERY, LONGEST_WAIT, "s", name="Every"),
        "act.seconds": Range(cue.act.seconds, 0.0, LONGEST, "s", name="Takes"),
        "act.count": Range(float(cue.act.times), 2.0, MOST_TIMES, decimals=0, name="How many times"),
        "act.place": Range(cue.act.place + 1, 1.0, 1e6, name="To the pose"),
        "then.wait": Range(cue.then.wait, 0.0, LONGEST_WAIT, "s", name="Waits"),
        "then.seconds": Range(cue.then.seconds, 0.0, LONGEST, "s", name="Comes back in"),
    }
    return table.get(part)


def with_number(cue: Cue, part: str, value: float) -> Cue:
    """The cue with another number for a word."""
    if part.startswith("to."):
        number = int(part.removeprefix("to."))
        leads = tuple(replace(x, to=value) if n == number else x for n, x in enumerate(cue.act.leads))
        return _doing(cue, leads=leads)
    home, field = part.split(".")
    if part == "act.place":
        return _doing(cue, place=value - 1)
    if part == "act.count":
        return _doing(cue, times=round(value))
    return {"when": _at, "act": _doing, "then": _after}[home](cue, **{field: value})


def with_key(cue: Cue, key: str) -> Cue:
    """The cue with another key that it waits for."""
    return _at(cue, key=key)


def strip(cue: Cue, seconds_going: float) -> list[tuple[str, float]]:
    """What a cue does in time: its stretches, ``going``, ``waiting`` and ``back``, with their seconds."""
    out = [("going", seconds_going), ("waiting", cue.then.wait)]
    return [*out, ("back", cue.then.seconds)] if cue.then.kind == BACK else out
