"""What a rehearsal is seen to do, in every frame; and a cue to begin with."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from fictilis.core.ground.interrupt import check
from fictilis.core.mix.channels import ChannelRef, find_channel
from fictilis.core.rehearsal.acts import VALUE
from fictilis.core.rehearsal.runner import Event, Runner
from fictilis.core.scene.cues import CLICK, EVERY, MARKER, START, Act, Cue, Lead, Then, When
from fictilis.core.scene.scene import Scene

MOVES = 1e-9  # what a value must change by, for a take to key it


def cue_from(scene: Scene, object_id: str | None, selected: Sequence[ChannelRef]) -> Cue:
    """A cue to begin with: a click on the object leads what is selected of the scene, in full."""
    leads = []
    for ref in selected:
        owner = next((o for o in scene.objects if o.id == ref.owner), None)
        found = find_channel(owner, ref.channel) if owner is not None else None
        if found is not None and found.slides:
            leads.append(Lead(ref.owner, ref.channel, found.high if found.part == "weight" else found.value))
    return Cue("", "", When(CLICK, owner=object_id or ""), Act(leads=tuple(leads)), Then(1.0, "back", 0.8))


def without_waiting(scene: Scene, events: Sequence[Event], seconds: float) -> tuple[tuple[Event, ...], float]:
    """Events and seconds of a take that begins with its first event; as they are where cues run by themselves."""
    wait = min((e.time for e in events), default=0.0)
    if any(c.on and c.when.kind in (START, EVERY, MARKER) for c in scene.cues):
        return tuple(events), seconds
    return tuple(replace(e, time=e.time - wait) for e in events), seconds - wait


def watched(scene: Scene, events: Sequence[Event], seconds: float, frame: float) -> tuple[dict[ChannelRef, np.ndarray], Runner]:
    """The values in every frame of each channel that a run of the events moves."""
    runner, waiting = Runner(scene, frame), list(events)
    count = int(np.ceil(seconds * scene.fps - 1e-9)) + 1
    seen: list[dict[str, dict[str, float]]] = []
    for number in range(count):
        check()
        t = number / scene.fps
        while waiting and waiting[0].time <= t:
            runner.repeat(waiting.pop(0))
        runner.advance(t)
        seen.append(runner.values())
    first = seen[0]
    refs = dict.fromkeys((o, c) for row in seen for o, values in row.items() for c in values)
    held = {(key[1], key[2]) for key in runner.segments if key[0] == VALUE}
    out = {}
    for owner, name in refs:
        if find_channel(scene.object(owner), name) is None:
            continue
        own = first.get(owner, {}).get(name)
        begin = _own(scene, owner, name, frame) if own is None else own
        values = np.array([row.get(owner, {}).get(name, begin) for row in seen])
        if np.ptp(values) > MOVES or (owner, name) in held and abs(values[0] - begin) > MOVES:
            out[ChannelRef(owner, name)] = values
    return out, runner


def _own(scene: Scene, owner: str, name: str, frame: float) -> float:
    from fictilis.core.mix.channels import values_at

    return float(values_at(scene.object(owner), frame, None, scene.fps)[name])
