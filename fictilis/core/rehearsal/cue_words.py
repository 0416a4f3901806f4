"""Cues as sentences, each word that can change with what it can be instead."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial

from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.animation.ease_now import LINEAR
from fictilis.core.animation.easing import KEYWORDS, NAMED
from fictilis.core.mix.channels import channels, find_channel
from fictilis.core.mix.relay import poses, relays
from fictilis.core.rehearsal.meaning import find_cue, find_object
from fictilis.core.rehearsal.segment import SPRING
from fictilis.core.scene.cues import (
    AFTER,
    BACK,
    CLICK,
    CLIP,
    END,
    EVERY,
    LEAD,
    LEAVE,
    MARKER,
    MIX,
    MODIFIER,
    NEXT,
    OVER,
    QUEUE,
    RELAY,
    SOUND,
    START,
    STAY,
    Act,
    Cue,
    Lead,
)
from fictilis.core.scene.cues import KEY as KEY_PRESS
from fictilis.core.scene.kept import NamedPick, StoredMix
from fictilis.core.scene.scene import MorphObject, Scene

GONE, CHOOSE = "(gone)", "choose…"
WHEN_WORDS = {CLICK: "On a click on", KEY_PRESS: "On the key", START: "At the start", MARKER: "At the marker",
              AFTER: "At the end of", EVERY: "Every"}  # fmt: skip
ACT_WORDS = {LEAD: "lead", MIX: "lead to the mix", RELAY: "lead the relay", CLIP: "play", MODIFIER: "turn", SOUND: "the sound",
             END: "end the cue"}  # fmt: skip
THEN_WORDS = {STAY: "stay so", BACK: "come back", NEXT: "go on with"}
MEET_WORDS = {OVER: "start over from where it is", LEAVE: "leave it alone", QUEUE: "wait until it has ended"}
CARRY_WORDS = {False: "from a stand", True: "with its speed"}
TIMES_WORDS = {1: "once", 2: "times", 0: "until told"}
SAME = "the same way"


class Word(Struct, frozen=True):
    """A piece of a sentence. One with a ``part`` can be changed; ``colour`` is that of a target it names."""

    text: str
    part: str = ""
    colour: str = ""


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
    when, act, then = cue.when, cue.act, cue.then
    out = [Word(WHEN_WORDS[when.kind], "when"), *_when(scene, cue), Word(ACT_WORDS[act.kind], "act"), *_act(scene, cue)]
    if act.kind in (LEAD, MIX, RELAY, MODIFIER):
        out += [Word("in"), Word(_seconds(act.seconds), "act.seconds")]
        out += [Word(spoken_ease(act.ease), "act.ease")] if act.kind != MODIFIER else []
    if act.kind == CLIP:
        out += [Word("fading in over"), Word(_seconds(act.seconds), "act.seconds")]
    out += [Word(", wait"), Word(_seconds(then.wait), "then.wait"), Word(", then"), Word(THEN_WORDS[then.kind], "then")]
    if then.kind == BACK:
        out += [Word("in"), Word(_seconds(then.seconds), "then.seconds"), Word(spoken_ease(then.ease) or SAME, "then.ease")]
    elif then.kind == NEXT:
        out.append(Word(_cue_name(scene, then.cue), "then.cue"))
    if act.kind not in (SOUND, END):
        out += [Word("; where it meets another,"), Word(MEET_WORDS[cue.meets], "meets")]
        if cue.meets == OVER and act.kind in (LEAD, MIX, RELAY) and not act.ease.startswith(SPRING):
            out.append(Word(CARRY_WORDS[cue.carry], "carry"))
    return out


def _seconds(value: float) -> str:
    return f"{value:.2f} s" if value != int(value) else f"{value:g} s"


def spoken_ease(ease: str) -> str:
    """An easing as it is said."""
    return ease.replace("-", " ") if "(" not in ease else ease


def _cue_name(scene: Scene, cue_id: str) -> str:
    found = find_cue(scene, cue_id)
    return found.name if found is not None else GONE if cue_id else CHOOSE


def _object_name(scene: Scene, object_id: str) -> str:
    found = find_object(scene, object_id)
    return found.name if found is not None else GONE if object_id else CHOOSE


def _when(scene: Scene, cue: Cue) -> list[Word]:
    when = cue.when
    if when.kind == CLICK:
        obj = find_object(scene, when.owner)
        place = [Word("at"), Word(when.pick or "any place", "when.pick")] if obj is not None and obj.picks or when.pick else []
        return [Word(_object_name(scene, when.owner), "when.owner"), *place, Word(",")]
    text, part = {
        KEY_PRESS: (when.key or CHOOSE, "when.key"), MARKER: (when.marker or CHOOSE, "when.marker"),
        AFTER: (_cue_name(scene, when.cue), "when.cue"), EVERY: (_seconds(when.seconds), "when.seconds"), START: ("", ""),
    }[when.kind]  # fmt: skip
    return [*([Word(text, part)] if text else []), Word(",")]


def _act(scene: Scene, cue: Cue) -> list[Word]:
    act = cue.act
    if act.kind == LEAD:
        return _leads(scene, cue)
    if act.kind == MIX:
        return [Word(act.mix or CHOOSE, "act.mix"), Word("of"), Word(_object_name(scene, act.owner), "act.owner")]
    if act.kind == RELAY:
        obj = find_object(scene, act.owner)
        name = relays(obj)[act.group].name if obj is not None and act.group in relays(obj) else CHOOSE
        return [Word(name, "act.group"), Word("to pose"), Word(f"{act.place + 1:.2f}", "act.place")]
    if act.kind == CLIP:
        often = [Word(f"{act.times}", "act.count")] if act.times > 1 else []
        return [Word(clip_name(scene, act.clip), "act.clip"), *often, Word(TIMES_WORDS[min(act.times, 2)], "act.times")]
    if act.kind == MODIFIER:
        return [Word("on" if act.on else "off", "act.on"), Word(_motion_name(scene, act), "act.motion")]
    if act.kind == SOUND:
        return [Word("begins" if act.on else "stops", "act.on")]
    return [Word(_cue_name(scene, act.cue), "act.cue")]


def clip_name(scene: Scene, clip_id: str) -> str:
    if not scene.clips and not clip_id:
        return "the lanes"
    return next((c.name for c in scene.clips if c.id == clip_id), GONE if clip_id else CHOOSE)


def _motion_name(scene: Scene, act: Act) -> str:
    return next((label for label, motion in _motions(scene) if motion == (act.owner, act.channel, act.modifier)), CHOOSE)


def _motions(scene: Scene) -> list[tuple[str, tuple[str, str, int]]]:
    """Each motion that is laid over a lane, by name."""
    out = []
    for obj in scene.objects:
        for lane in obj.lanes:
            found = find_channel(obj, lane.channel)
            for number, m in enumerate(lane.modifiers):
                name = found.name if found is not None else lane.channel
                which = f" {number + 1}" if sum(x.kind == m.kind for x in lane.modifiers) > 1 else ""
                out.append((f"the {m.kind}{which} of {_called(scene, obj, name)}", (obj.id, lane.channel, number)))
    return out


def _called(scene: Scene, obj: MorphObject, name: str) -> str:
    return name if len(scene.objects) == 1 else f"{obj.name}’s {name}"


def _leads(scene: Scene, cue: Cue) -> list[Word]:
    out: list[Word] = []
    home = cue.when.owner if cue.when.kind == CLICK else ""
    for number, lead in enumerate(cue.act.leads):
        obj = find_object(scene, lead.owner)
        found = find_channel(obj, lead.channel) if obj is not None else None
        if obj is None or found is None:
            name, colour, text = GONE, "", f"{lead.to:.2f}"
        else:
            name = found.name if lead.owner == home or len(scene.objects) == 1 else f"{obj.name}: {found.name}"
            text, colour = f"{lead.to:.{found.decimals}f}{found.unit and ' ' + found.unit}", found.colour
        out += [Word("and")] if number else []
        out += [Word(name, f"lead.{number}", colour), Word("to"), Word(text, f"to.{number}")]
    return [*out, Word("+" if out else CHOOSE, "lead.+")]


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
        "act": lambda: ((label, _begun(scene, cue, kind)) for kind, label in ACT_WORDS.items()),
        "act.owner": lambda: ((o.name, doing(owner=o.id, mix=o.mixes[0].name)) for o in scene.objects if o.mixes),
        "act.mix": lambda: ((m.name, doing(mix=m.name)) for m in _mixes(scene, act.owner)),
        "act.group": lambda: ((_called(scene, o, g.name), doing(owner=o.id, group=g.id))
                              for o in scene.objects for g in relays(o).values()),
        "act.clip": lambda: ([(c.name, doing(clip=c.id)) for c in scene.clips] or [("the lanes", doing(clip=""))]),
        "act.times": lambda: ((label, doing(times=max(n, act.times) if n == 2 else n)) for n, label in TIMES_WORDS.items()),
        "act.on": lambda: [(_act(scene, doing(on=on))[0].text, doing(on=on)) for on in (True, False)],
        "act.motion": lambda: ((label, doing(owner=m[0], channel=m[1], modifier=m[2])) for label, m in _motions(scene)),
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


def _begun(scene: Scene, cue: Cue, kind: str) -> Cue:
    """The cue doing something else, with the first thing that there is for that."""
    act = replace(cue.act, kind=kind)
    if kind == MIX:
        first = next((o for o in scene.objects if o.mixes), None)
        act = act if first is None or act.mix else replace(act, owner=first.id, mix=first.mixes[0].name)
    elif kind == RELAY:
        found = next(((o.id, g) for o in scene.objects for g in relays(o) if poses(o, g)), None)
        act = act if found is None or act.group else replace(act, owner=found[0], group=found[1])
    elif kind == CLIP and not act.clip and scene.clips:
        act = replace(act, clip=scene.clip or scene.clips[0].id)
    elif kind == MODIFIER:
        motions = _motions(scene)
        if motions and not act.channel:
            owner, channel, number = motions[0][1]
            act = replace(act, owner=owner, channel=channel, modifier=number)
    return replace(cue, act=act)


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
