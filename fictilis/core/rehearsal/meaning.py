"""What a cue means in its scene: which numbers it leads and where to, how long it takes, and what is missing."""

from __future__ import annotations

from fictilis.core.ground.errors import EditRefused
from fictilis.core.rehearsal.acts import DOINGS, Key, find_cue, find_object
from fictilis.core.scene.cues import AFTER, BACK, CLICK, CLIP, END, MARKER, NEXT, Cue
from fictilis.core.scene.cues import KEY as KEY_PRESS
from fictilis.core.scene.scene import Scene

AT_ONCE = 0.01  # s: what takes less takes no time


def cue(scene: Scene, cue_id: str) -> Cue:
    """A cue by its id. Raises EditRefused where there is none such."""
    found = find_cue(scene, cue_id)
    if found is None:
        raise EditRefused(f"The scene has no cue with the id {cue_id}.")
    return found


def goals(scene: Scene, some: Cue) -> dict[Key, float]:
    """Each number that a cue without faults leads, and where to; linked targets all of them."""
    return DOINGS[some.act.kind].goals(scene, some.act)


def takes(scene: Scene, some: Cue) -> float:
    """How many seconds a cue without faults takes until it has ended; endless for a clip that is played until told."""
    going = DOINGS[some.act.kind].lasts(scene, some.act)
    return going + some.then.wait + (some.then.seconds if some.then.kind == BACK else 0.0)


def fault(scene: Scene, some: Cue) -> str:
    """What a cue lacks so that it cannot run, as a sentence; nothing where it can."""
    return _when_fault(scene, some) or DOINGS[some.act.kind].fault(scene, some.act) or _then_fault(scene, some)


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
