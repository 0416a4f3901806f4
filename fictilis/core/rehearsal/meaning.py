"""What a cue means in its scene: which numbers it leads and where to, how long it takes, and what is missing."""

from __future__ import annotations

from fictilis.core.ground.errors import EditRefused
from fictilis.core.mix.channels import find_channel
from fictilis.core.mix.driven import driven_by
from fictilis.core.mix.relay import poses, relays
from fictilis.core.rehearsal.layers import clip_seconds, modifier_on
from fictilis.core.scene.cues import AFTER, CLICK, CLIP, END, LEAD, MARKER, MIX, MODIFIER, NEXT, RELAY, SOUND, Cue
from fictilis.core.scene.cues import KEY as KEY_PRESS
from fictilis.core.scene.scene import MorphObject, Scene, links_of, targets_by_id

VALUE, PLACE, TURN, PLAY, HEARD = "value", "place", "turn", "play", "heard"
Key = tuple[
    str, ...
]  # what a cue holds: VALUE or PLACE with owner and channel, TURN with the modifier's number too, PLAY, HEARD
AT_ONCE = 0.01  # s: what takes less takes no time


def cue(scene: Scene, cue_id: str) -> Cue:
    """A cue by its id. Raises EditRefused where there is none such."""
    found = find_cue(scene, cue_id)
    if found is None:
        raise EditRefused(f"The scene has no cue with the id {cue_id}.")
    return found


def find_cue(scene: Scene, cue_id: str) -> Cue | None:
    return next((c for c in scene.cues if c.id == cue_id), None)


def find_object(scene: Scene, object_id: str) -> MorphObject | None:
    return next((o for o in scene.objects if o.id == object_id), None)


def goals(scene: Scene, some: Cue) -> dict[Key, float]:
    """Each number that a cue without faults leads, and where to; linked targets all of them."""
    act, out = some.act, dict[Key, float]()
    if act.kind == LEAD:
        for lead in act.leads:
            out |= _linked(scene, lead.owner, lead.channel, lead.to)
    elif act.kind == MIX:
        obj = scene.object(act.owner)
        for target_id, weight in next(m for m in obj.mixes if m.name == act.mix).weights:
            if not driven_by(obj, obj.target(target_id)):
                out |= _linked(scene, obj.id, target_id, weight)
    elif act.kind == RELAY:
        out[PLACE, act.owner, act.group] = act.place
    elif act.kind == MODIFIER:
        out[TURN, act.owner, act.channel, str(act.modifier)] = float(act.on)
    elif act.kind == CLIP:
        out[(PLAY,)] = 1.0
    elif act.kind == SOUND:
        out[(HEARD,)] = float(act.on)
    return out


def _linked(scene: Scene, owner: str, channel: str, to: float) -> dict[Key, float]:
    out: dict[Key, float] = {(VALUE, owner, channel): to}
    target = targets_by_id(scene.object(owner)).get(channel)
    if target is not None and target.link is not None:
        for other in scene.objects:
            twin = links_of(other).get(target.link)
            if twin is not None:
                out[VALUE, other.id, twin.id] = to
    return out


def takes(scene: Scene, some: Cue) -> float:
    """How many seconds a cue without faults takes until it has ended; endless for a clip that is played until told."""
    going = some.act.seconds
    if some.act.kind == CLIP:
        going = some.act.times * clip_seconds(scene, some.act.clip) if some.act.times else float("inf")
    elif some.act.kind in (SOUND, END):
        going = 0.0
    return going + some.then.wait + (some.then.seconds if some.then.kind == "back" else 0.0)


def fault(scene: Scene, some: Cue) -> str:
    """What a cue lacks so that it cannot run, as a sentence; nothing where it can."""
    return _when_fault(scene, some) or _act_fault(scene, some) or _then_fault(scene, some)


def _when_fault(scene: Scene, some: Cue) -> str:
    when = some.when
    if when.kind == CLICK:
        obj = find_object(scene, when.owner)
        if obj is None:
            return "Choose the object that is clicked."
        if when.pick and all(p.name != when.pick for p in obj.picks):
            return f"{obj.name} has no kept pick {when.pick} any more; choose another."
    if when.kind == KEY_PRESS and not when.key:
        return "Choose the key that is pressed."
    if when.kind == MARKER and all(m.name != when.marker for m in scene.markers):
        return f"There is no marker {when.marker} any more; choose another." if when.marker else "Choose the marker."
    if when.kind == AFTER and find_cue(scene, when.cue) is None:
        return "Choose the cue whose end it waits for."
    return ""


def _act_fault(scene: Scene, some: Cue) -> str:
    act = some.act
    if act.kind == LEAD:
        return "Choose what is led." if not act.leads else next(
            (why for lead in act.leads if (why := _lead_fault(scene, lead.owner, lead.channel))), ""
        )  # fmt: skip
    if act.kind == CLIP:
        if act.clip and all(c.id != act.clip for c in scene.clips) or not act.clip and scene.clips:
            return "Choose the clip that is played."
    if act.kind == SOUND and scene.sound is None:
        return "The scene has no sound; choose one under Time first."
    if act.kind == END and find_cue(scene, act.cue) is None:
        return "Choose the cue that is told to end."
    obj = find_object(scene, act.owner)
    if act.kind in (MIX, RELAY, MODIFIER) and obj is None:
        return "Choose the object."
    assert obj is not None or act.kind not in (MIX, RELAY, MODIFIER)
    if act.kind == MIX and obj is not None and all(m.name != act.mix for m in obj.mixes):
        return f"{obj.name} has no kept mix {act.mix} any more; choose another." if act.mix else "Choose the kept mix."
    if act.kind == RELAY and obj is not None:
        return "" if act.group in relays(obj) and poses(obj, act.group) else "Choose a relay that has poses."
    if act.kind == MODIFIER:
        try:
            modifier_on(scene, (act.owner, act.channel, act.modifier))
        except EditRefused:
            return "Choose a lane that has a motion laid over it."
    return ""


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


def _then_fault(scene: Scene, some: Cue) -> str:
    gone = some.then.kind == NEXT and find_cue(scene, some.then.cue) is None
    return "Choose the cue that goes on." if gone else ""


def endless(scene: Scene) -> list[Cue]:
    """Cues that set each other off round and round in no time; none where every round takes some."""
    on = [c for c in scene.cues if c.on and not fault(scene, c)]
    ways = {c.id: [d.id for d in on if _follows_at_once(scene, c, d)] for c in on}
    path: list[str] = []
    done: set[str] = set()

    def round_from(cue_id: str) -> list[str]:
        if cue_id in path:
            return path[path.index(cue_id) :]
        if cue_id in done:
            return []
        path.append(cue_id)
        found = next((r for way in ways[cue_id] if (r := round_from(way))), [])
        path.pop()
        done.add(cue_id)
        return found

    found = next((r for c in on if (r := round_from(c.id))), [])
    return [cue(scene, cue_id) for cue_id in found]


def _follows_at_once(scene: Scene, first: Cue, second: Cue) -> bool:
    """Whether one cue that begins makes another begin in no time."""
    when, ended = second.when, takes(scene, first) < AT_ONCE
    if when.kind == AFTER and when.cue == first.id and ended:
        return True
    if first.then.kind == NEXT and first.then.cue == second.id and ended:
        return True
    if first.act.kind == END and first.act.cue == second.id:
        return False  # what it ends is no beginning; what follows that is not known before
    if when.kind == MARKER and first.act.kind == CLIP:
        from fictilis.core.rehearsal.layers import with_active

        there = with_active(scene, first.act.clip)
        late = [(m.frame - there.span[0]) / scene.fps for m in scene.markers if m.name == when.marker]
        return any(0 <= t < AT_ONCE for t in late)
    return False
