"""What a cue can do: a class for each, with what it leads, how long that lasts, what it lacks and how it is said."""

from __future__ import annotations

from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import find_channel
from fictilis.core.mix.driven import driven_by
from fictilis.core.mix.relay import poses, relays
from fictilis.core.rehearsal.layers import clip_seconds, modifier_on
from fictilis.core.scene.cues import ACTS, CLICK, CLIP, END, LEAD, MIX, MODIFIER, RELAY, SOUND, Act, Cue
from fictilis.core.scene.scene import MorphObject, Scene, links_of, targets_by_id

VALUE, PLACE, TURN, PLAY, HEARD = "value", "place", "turn", "play", "heard"
# what a cue holds: VALUE or PLACE with owner and channel, TURN with the modifier's number too, PLAY, HEARD
Key = tuple[str, ...]
GONE, CHOOSE = "(gone)", "choose…"
TIMES_WORDS = {1: "once", 2: "times", 0: "until told"}


class Word(Struct, frozen=True):
    """A piece of a sentence. One with a ``part`` can be changed; ``colour`` is that of a target it names."""

    text: str
    part: str = ""
    colour: str = ""


class Doing:
    """One thing that a cue can do. ``word`` says it; ``within`` stands before its seconds, where it has some; ``eases``: it
    goes by an easing; ``meets``: it may find another cue that leads the same."""

    word = ""
    within = "in"
    eases = False
    meets = True

    def goals(self, scene: Scene, act: Act) -> dict[Key, float]:
        """Each number that it leads, where nothing is missing, and where to; linked targets all of them."""
        return {}

    def lasts(self, scene: Scene, act: Act) -> float:
        """Seconds until it is done."""
        return act.seconds

    def fault(self, scene: Scene, act: Act) -> str:
        """What is missing, as a sentence; nothing where it can be done."""
        return ""

    def words(self, scene: Scene, cue: Cue) -> list[Word]:
        """What is said behind its word."""
        raise NotImplementedError

    def begun(self, scene: Scene, act: Act) -> Act:
        """The act with the first thing that there is for it."""
        return act


class _Leading(Doing):
    word, eases = "lead", True

    def goals(self, scene: Scene, act: Act) -> dict[Key, float]:
        out: dict[Key, float] = {}
        for lead in act.leads:
            out |= _linked(scene, lead.owner, lead.channel, lead.to)
        return out

    def fault(self, scene: Scene, act: Act) -> str:
        if not act.leads:
            return "Choose what is led."
        return next((why for lead in act.leads if (why := _lead_fault(scene, lead.owner, lead.channel))), "")

    def words(self, scene: Scene, cue: Cue) -> list[Word]:
        return _leads(scene, cue)


class _Mixing(Doing):
    word, eases = "lead to the mix", True

    def goals(self, scene: Scene, act: Act) -> dict[Key, float]:
        obj, out = scene.object(act.owner), dict[Key, float]()
        for target_id, weight in next(m for m in obj.mixes if m.name == act.mix).weights:
            if not driven_by(obj, obj.target(target_id)):
                out |= _linked(scene, obj.id, target_id, weight)
        return out

    def fault(self, scene: Scene, act: Act) -> str:
        obj = find_object(scene, act.owner)
        if obj is None:
            return "Choose the object."
        if any(m.name == act.mix for m in obj.mixes):
            return ""
        return f"{obj.name} has no kept mix {act.mix} any more; choose another." if act.mix else "Choose the kept mix."

    def words(self, scene: Scene, cue: Cue) -> list[Word]:
        act = cue.act
        return [Word(act.mix or CHOOSE, "act.mix"), Word("of"), Word(object_name(scene, act.owner), "act.owner")]

    def begun(self, scene: Scene, act: Act) -> Act:
        first = next((o for o in scene.objects if o.mixes), None)
        return act if first is None or act.mix else replace(act, owner=first.id, mix=first.mixes[0].name)


class _Relaying(Doing):
    word, eases = "lead the relay", True

    def goals(self, scene: Scene, act: Act) -> dict[Key, float]:
        return {(PLACE, act.owner, act.group): act.place}

    def fault(self, scene: Scene, act: Act) -> str:
        obj = find_object(scene, act.owner)
        if obj is None:
            return "Choose the object."
        return "" if act.group in relays(obj) and poses(obj, act.group) else "Choose a relay that has poses."

    def words(self, scene: Scene, cue: Cue) -> list[Word]:
        act, obj = cue.act, find_object(scene, cue.act.owner)
        name = relays(obj)[act.group].name if obj is not None and act.group in relays(obj) else CHOOSE
        return [Word(name, "act.group"), Word("to pose"), Word(f"{act.place + 1:.2f}", "act.place")]

    def begun(self, scene: Scene, act: Act) -> Act:
        found = next(((o.id, g) for o in scene.objects for g in relays(o) if poses(o, g)), None)
        return act if found is None or act.group else replace(act, owner=found[0], group=found[1])


class _Playing(Doing):
    word, within = "play", "fading in over"

    def goals(self, scene: Scene, act: Act) -> dict[Key, float]:
        return {(PLAY,): 1.0}

    def lasts(self, scene: Scene, act: Act) -> float:
        """Endless where the clip is played until told."""
        return act.times * clip_seconds(scene, act.clip) if act.times else float("inf")

    def fault(self, scene: Scene, act: Act) -> str:
        there = any(c.id == act.clip for c in scene.clips) if act.clip else not scene.clips
        return "" if there else "Choose the clip that is played."

    def words(self, scene: Scene, cue: Cue) -> list[Word]:
        act = cue.act
        often = [Word(f"{act.times}", "act.count")] if act.times > 1 else []
        return [Word(clip_name(scene, act.clip), "act.clip"), *often, Word(TIMES_WORDS[min(act.times, 2)], "act.times")]

    def begun(self, scene: Scene, act: Act) -> Act:
        return replace(act, clip=scene.clip or scene.clips[0].id) if not act.clip and scene.clips else act


class _Turning(Doing):
    word = "turn"

    def goals(self, scene: Scene, act: Act) -> dict[Key, float]:
        return {(TURN, act.owner, act.channel, str(act.modifier)): float(act.on)}

    def fault(self, scene: Scene, act: Act) -> str:
        if find_object(scene, act.owner) is None:
            return "Choose the object."
        try:
            modifier_on(scene, (act.owner, act.channel, act.modifier))
        except EditRefused:
            return "Choose a lane that has a motion laid over it."
        return ""

    def words(self, scene: Scene, cue: Cue) -> list[Word]:
        return [Word("on" if cue.act.on else "off", "act.on"), Word(_motion_name(scene, cue.act), "act.motion")]

    def begun(self, scene: Scene, act: Act) -> Act:
        found = motions(scene)
        if not found or act.channel:
            return act
        owner, channel, number = found[0][1]
        return replace(act, owner=owner, channel=channel, modifier=number)


class _Sounding(Doing):
    word, within, meets = "the sound", "", False

    def goals(self, scene: Scene, act: Act) -> dict[Key, float]:
        return {(HEARD,): float(act.on)}

    def lasts(self, scene: Scene, act: Act) -> float:
        return 0.0

    def fault(self, scene: Scene, act: Act) -> str:
        return "The scene has no sound; choose one under Time first." if scene.sound is None else ""

    def words(self, scene: Scene, cue: Cue) -> list[Word]:
        return [Word("begins" if cue.act.on else "stops", "act.on")]


class _Ending(Doing):
    word, within, meets = "end the cue", "", False

    def lasts(self, scene: Scene, act: Act) -> float:
        return 0.0

    def fault(self, scene: Scene, act: Act) -> str:
        return "Choose the cue that is told to end." if find_cue(scene, act.cue) is None else ""

    def words(self, scene: Scene, cue: Cue) -> list[Word]:
        return [Word(cue_name(scene, cue.act.cue), "act.cue")]


DOINGS: dict[str, Doing] = {LEAD: _Leading(), MIX: _Mixing(), RELAY: _Relaying(), CLIP: _Playing(), MODIFIER: _Turning(),
                            SOUND: _Sounding(), END: _Ending()}  # fmt: skip
assert tuple(DOINGS) == ACTS


def find_cue(scene: Scene, cue_id: str) -> Cue | None:
    return next((c for c in scene.cues if c.id == cue_id), None)


def find_object(scene: Scene, object_id: str) -> MorphObject | None:
    return next((o for o in scene.objects if o.id == object_id), None)


def _linked(scene: Scene, owner: str, channel: str, to: float) -> dict[Key, float]:
    out: dict[Key, float] = {(VALUE, owner, channel): to}
    target = targets_by_id(scene.object(owner)).get(channel)
    if target is not None and target.link is not None:
        for other in scene.objects:
            twin = links_of(other).get(target.link)
            if twin is not None:
                out[VALUE, other.id, twin.id] = to
    return out


def _lead_fault(scene: Scene, owner: str, channel_id: str) -> str:
    obj = find_object(scene, owner)
    if obj is None:
        return "What it leads is gone; choose again."
    found = find_channel(obj, channel_id)
    if found is None:
        return f"{obj.name} has no more what it leads; choose again."
    if not found.slides:
        return f"{found.name} is led by something else and has no value of its own; choose another."
    return ""


def cue_name(scene: Scene, cue_id: str) -> str:
    found = find_cue(scene, cue_id)
    return found.name if found is not None else GONE if cue_id else CHOOSE


def object_name(scene: Scene, object_id: str) -> str:
    found = find_object(scene, object_id)
    return found.name if found is not None else GONE if object_id else CHOOSE


def clip_name(scene: Scene, clip_id: str) -> str:
    if not scene.clips and not clip_id:
        return "the lanes"
    return next((c.name for c in scene.clips if c.id == clip_id), GONE if clip_id else CHOOSE)


def _motion_name(scene: Scene, act: Act) -> str:
    return next((label for label, motion in motions(scene) if motion == (act.owner, act.channel, act.modifier)), CHOOSE)


def motions(scene: Scene) -> list[tuple[str, tuple[str, str, int]]]:
    """Each motion that is laid over a lane, by name."""
    out = []
    for obj in scene.objects:
        for lane in obj.lanes:
            found = find_channel(obj, lane.channel)
            for number, m in enumerate(lane.modifiers):
                name = found.name if found is not None else lane.channel
                which = f" {number + 1}" if sum(x.kind == m.kind for x in lane.modifiers) > 1 else ""
                out.append((f"the {m.kind}{which} of {called(scene, obj, name)}", (obj.id, lane.channel, number)))
    return out


def called(scene: Scene, obj: MorphObject, name: str) -> str:
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
