"""Operations on cues: new ones, changed ones, their order."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from fictilis.core.edits import cues as edits
from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Choice, Flag, Number, Parameter, Text
from fictilis.core.mix.channels import ChannelRef, channel_named
from fictilis.core.mix.relay import relays
from fictilis.core.operations.table import Operation, Outcome, Subject, Values
from fictilis.core.rehearsal.cue_words import sentence
from fictilis.core.rehearsal.meaning import cue
from fictilis.core.rehearsal.takes import cue_from
from fictilis.core.scene.clips import clip_named
from fictilis.core.scene.cues import (
    AFTER,
    BACK,
    CLICK,
    CLIP,
    END,
    EVERY,
    KEY,
    LEAD,
    LEAST_EVERY,
    LONGEST,
    LONGEST_WAIT,
    MARKER,
    MEETINGS,
    MIX,
    MODIFIER,
    MOST_CUES,
    MOST_TIMES,
    NEXT,
    RELAY,
    SOUND,
    START,
    THENS,
    Act,
    Cue,
    Lead,
)
from fictilis.core.scene.scene import MorphObject, Scene


def _word(name: str, label: str) -> Text:
    return Text(name, label, None, asked=False)


def _choice(name: str, label: str, words: tuple[str, ...]) -> Choice:
    return Choice(name, label, None, options=tuple((word, word, word) for word in words), asked=False)


def _number(name: str, label: str, unit: str, low: float, high: float, decimals: int = 2) -> Number:
    return Number(name, label, None, unit=unit, low=low, high=high, decimals=decimals, asked=False)


PARTS: tuple[Parameter, ...] = (
    _word("click", "Object that is clicked"), _word("pick", "Kept pick of it"), _word("key", "Key that is pressed"),
    Flag("start", "Begins at the start", asked=False), _word("marker", "Marker that a clip passes"),
    _word("after", "Cue whose end it waits for"),
    _number("every", "Every", "s", LEAST_EVERY, LONGEST_WAIT),
    _word("lead", "OBJECT/NAME=VALUE,… that are led"), _word("mix", "OBJECT/NAME of a kept mix"),
    _word("relay", "OBJECT/NAME=POSE of a relay"), _word("play", "Clip that is played"),
    _number("times", "Times it is played, 0 until told", "", 0, MOST_TIMES, 0),
    _word("motion", "OBJECT/LANE=NUMBER of a motion over a lane"), _choice("state", "On or off", ("on", "off")),
    Flag("sound", "The sound begins, or is off", asked=False), _word("end", "Cue that is told to end"),
    _number("seconds", "In", "s", 0, LONGEST), _word("ease", "Easing, or spring"),
    _number("wait", "Then waits", "s", 0, LONGEST_WAIT), _choice("then", "Then", THENS),
    _number("back", "Comes back in", "s", 0, LONGEST), _word("back-ease", "Easing of the way back"),
    _word("next", "Cue that goes on"), _choice("meets", "Where it meets another", MEETINGS),
    _choice("carry", "Carries its speed on", ("on", "off")),
)  # fmt: skip


def _split(scene: Scene, text: str) -> tuple[MorphObject, str]:
    """An object and the rest of OBJECT/REST; without an object's name the only one."""
    head, sign, rest = text.partition("/")
    if sign and any(o.name == head for o in scene.objects):
        return scene.object_named(head), rest
    if len(scene.objects) != 1:
        raise EditRefused(f"“{text}” must say of which object, such as OBJECT/{text}.")
    return scene.objects[0], text


def _numbered(text: str, what: str) -> tuple[str, float]:
    name, sign, number = text.rpartition("=")
    try:
        return name, float(number) if sign else float("nan")
    except ValueError:
        raise EditRefused(f"“{text}” is no {what}, such as NAME=1.") from None


def _named(scene: Scene, name: str) -> str:
    """The id of a cue by its name."""
    for found in scene.cues:
        if found.name == name:
            return found.id
    raise EditRefused(f"The scene has no cue named {name}; its cues are: {', '.join(c.name for c in scene.cues) or 'none'}.")


def _leads(scene: Scene, text: str) -> tuple[Lead, ...]:
    out = []
    for word in text.split(","):
        name, to = _numbered(word.strip(), "value that is led to")
        obj, rest = _split(scene, name)
        out.append(Lead(obj.id, channel_named(obj, rest).id, to))
    return tuple(out)


def given(scene: Scene, some: Cue, v: Values) -> Cue:
    """A cue with what the parameters say. Raises EditRefused for names that the scene does not have."""
    return replace(some, when=_when(scene, some, v), act=_act(scene, some.act, v), then=_then(scene, some, v),
                   meets=v["meets"] or some.meets, carry=some.carry if v["carry"] is None else v["carry"] == "on")  # fmt: skip


def _when(scene: Scene, some: Cue, v: Values) -> Any:
    out = some.when
    if v["click"] is not None:
        out = replace(out, kind=CLICK, owner=scene.object_named(v["click"]).id)
    for kind, name in ((KEY, "key"), (MARKER, "marker")):
        if v[name] is not None:
            out = replace(out, kind=kind, **{name: v[name]})
    if v["start"]:
        out = replace(out, kind=START)
    if v["after"] is not None:
        out = replace(out, kind=AFTER, cue=_named(scene, v["after"]))
    if v["every"] is not None:
        out = replace(out, kind=EVERY, seconds=v["every"])
    return out if v["pick"] is None else replace(out, pick=v["pick"])


def _act(scene: Scene, act: Act, v: Values) -> Act:
    on = act.on if v["state"] is None else v["state"] == "on"
    out = replace(act, on=on)
    if v["lead"] is not None:
        out = replace(out, kind=LEAD, leads=_leads(scene, v["lead"]))
    if v["mix"] is not None:
        obj, name = _split(scene, v["mix"])
        out = replace(out, kind=MIX, owner=obj.id, mix=name)
    if v["relay"] is not None:
        name, pose = _numbered(v["relay"], "pose of a relay")
        obj, name = _split(scene, name)
        group = next((g.id for g in relays(obj).values() if g.name == name), None)
        if group is None:
            raise EditRefused(f"{obj.name} has no relay named {name}.")
        out = replace(out, kind=RELAY, owner=obj.id, group=group, place=pose - 1)
    if v["play"] is not None:
        out = replace(out, kind=CLIP, clip=clip_named(scene, v["play"]).id if scene.clips else "")
    if v["motion"] is not None:
        name, number = _numbered(v["motion"] if "=" in v["motion"] else f"{v['motion']}=1", "motion")
        obj, name = _split(scene, name)
        out = replace(out, kind=MODIFIER, owner=obj.id, channel=channel_named(obj, name).id, modifier=int(number) - 1)
    if v["sound"]:
        out = replace(out, kind=SOUND)
    if v["end"] is not None:
        out = replace(out, kind=END, cue=_named(scene, v["end"]))
    for name in ("times", "seconds", "ease"):
        if v[name] is not None:
            out = replace(out, **{name: v[name]})
    return out


def _then(scene: Scene, some: Cue, v: Values) -> Any:
    out = some.then if v["then"] is None else replace(some.then, kind=v["then"])
    if v["wait"] is not None:
        out = replace(out, wait=v["wait"])
    if v["back"] is not None:
        out = replace(out, kind=BACK, seconds=v["back"])
    if v["back-ease"] is not None:
        out = replace(out, ease=v["back-ease"])
    return out if v["next"] is None else replace(out, kind=NEXT, cue=_named(scene, v["next"]))


def _new(s: Subject, v: Values) -> Outcome:
    selected = s.selected or tuple(ChannelRef(s.object_id or "", t) for t in s.targets)
    begun = cue_from(s.scene, s.object_id, selected)
    scene, new_id = edits.add_cue(s.scene, given(s.scene, replace(begun, name=v["name"] or ""), v))
    return Outcome(scene, said=sentence(scene, cue(scene, new_id)), cue=new_id)


def _change(s: Subject, v: Values) -> Outcome:
    new = given(s.scene, s.cue, v)
    scene = edits.change_cue(s.scene, s.cue.id, when=new.when, act=new.act, then=new.then, meets=new.meets, carry=new.carry)
    return Outcome(scene, said=sentence(scene, cue(scene, s.cue.id)))


def _duplicate(s: Subject, _v: Values) -> Outcome:
    scene, new_id = edits.duplicate_cue(s.scene, s.cue.id)
    return Outcome(scene, cue=new_id)


def _move(s: Subject, v: Values) -> Scene:
    return edits.move_cue(s.scene, s.cue.id, int(v["place"]) - 1)


HAS = ("cue",)
CUES = (
    Operation("cue", "new", "New cue", _new, (_word("name", "Name"), *PARTS), (),
              "When something happens, targets move, or something else is done, and then they return.", done="New cue"),
    Operation("cue", "change", "Change the cue", _change, PARTS, HAS, "Other words of its sentence.", done="Change the cue"),
    Operation("cue", "rename", "Rename the cue", lambda s, v: edits.rename_cue(s.scene, s.cue.id, v["name"]),
              (Text("name", "Name", lambda s: s.cue.name, True),), HAS, "Another name for the cue.", "Rename it",
              done="Rename the cue"),
    Operation("cue", "duplicate", "Duplicate the cue", _duplicate, (), HAS, "A copy right after it.",
              done="Duplicate the cue"),
    Operation("cue", "place", "Move the cue", _move,
              (Number("place", "To the place", 1.0, needed=True, low=1, high=MOST_CUES, decimals=0),), HAS,
              "Another place in the order.", "Move it", done="Move the cue"),
    Operation("cue", "switch", "Cue on", lambda s, v: edits.change_cue(s.scene, s.cue.id, on=not v["off"]),
              (Flag("off", "Off", asked=False),), HAS, "Whether the cue listens.", done="Cue on"),
    Operation("cue", "remove", "Delete the cue", lambda s, _v: edits.remove_cue(s.scene, s.cue.id), (), HAS,
              "Deletes the cue; cues that name it say what they lack.", done="Delete the cue"),
)  # fmt: skip
