"""Cues for engines: a small file of JSON beside a glTF file, by names. Described in docs/cues.md."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec

from fictilis.core.mix.channels import channel
from fictilis.core.rehearsal.acts import PLACE, TURN, VALUE, find_cue
from fictilis.core.rehearsal.cue_words import sentence
from fictilis.core.rehearsal.meaning import fault, goals
from fictilis.core.scene.cues import Cue
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.shaping.picks import points_of
from fictilis.formats.files import write_whole

SUFFIX, VERSION = ".cues.json", 1
Record = dict[str, Any]


def beside(path: Path) -> Path:
    """The file of cues beside a glTF file."""
    return Path(path).with_suffix(SUFFIX)


def write_cues(path: Path, scene: Scene) -> list[str]:
    """Write those cues of a scene that lack nothing; returns a sentence on the others."""
    whole = [c for c in scene.cues if not fault(scene, c)]
    record = {
        "kind": "fictilis cues", "version": VERSION, "fps": scene.fps,
        "markers": [{"name": m.name, "seconds": (m.frame - scene.start) / scene.fps} for m in scene.markers],
        "picks": [_picks(o) for o in scene.objects if o.picks],
        "in_betweens": [_stages(o) for o in scene.objects if any(t.in_betweens for t in o.targets)],
        "cues": [_cue(scene, c) for c in whole],
    }  # fmt: skip
    text = msgspec.json.format(msgspec.json.encode(record), indent=1)
    write_whole(path, lambda temporary: temporary.write_bytes(text))
    lost = [c.name for c in scene.cues if fault(scene, c)]
    return [f"Cues that lack something are not written: {', '.join(lost)}."] if lost else []


def _picks(obj: MorphObject) -> Record:
    """The points of each kept pick; they are numbered as the object's, which file vertices may part."""
    return {"object": obj.name, "picks": {p.name: points_of(obj.geometry, p.pick).tolist() for p in obj.picks}}


def _stages(obj: MorphObject) -> Record:
    """How the weight of a target becomes those of the morph targets that it was written as."""
    rows = [
        {"target": t.name, "path": t.path, "stages": [[s.at, f"{t.name} {s.at:.2f}"] for s in t.in_betweens] + [[1.0, t.name]]}
        for t in obj.targets if t.in_betweens
    ]  # fmt: skip
    return {"object": obj.name, "targets": rows}


def _cue(scene: Scene, cue: Cue) -> Record:
    when, act, then = cue.when, cue.act, cue.then
    waits: Record = {"kind": when.kind}
    if when.kind == "click":
        waits |= {"object": scene.object(when.owner).name, "pick": when.pick or None}
    elif when.kind == "after":
        waits |= {"cue": _name(scene, when.cue)}
    elif when.kind in ("key", "marker"):
        waits |= {when.kind: when.key if when.kind == "key" else when.marker}
    elif when.kind == "every":
        waits |= {"seconds": when.seconds}
    does: Record = {"kind": "lead" if act.kind == "mix" else act.kind, "seconds": act.seconds, "ease": act.ease}
    led = [_led(scene, key, goal) for key, goal in goals(scene, cue).items() if key[0] in (VALUE, PLACE, TURN)]
    does |= {"leads": led} if led else {}
    if act.kind == "clip":
        does |= {"clip": next((c.name for c in scene.clips if c.id == act.clip), scene.name), "times": act.times or None}
    elif act.kind == "sound":
        does |= {"sound": scene.sound.name if scene.sound is not None else "", "on": act.on}
    elif act.kind == "end":
        does |= {"cue": _name(scene, act.cue)}
    follows: Record = {"wait": then.wait, "kind": then.kind}
    if then.kind == "back":
        follows |= {"seconds": then.seconds, "ease": then.ease or act.ease}
    elif then.kind == "next":
        follows |= {"cue": _name(scene, then.cue)}
    return {"name": cue.name, "on": cue.on, "says": sentence(scene, cue), "when": waits, "does": does, "then": follows,
            "meets": cue.meets, "carry": cue.carry}  # fmt: skip


def _name(scene: Scene, cue_id: str) -> str:
    found = find_cue(scene, cue_id)
    return found.name if found is not None else ""


def _led(scene: Scene, key: tuple[str, ...], goal: float) -> Record:
    obj = scene.object(key[1])
    what = channel(obj, key[2])
    word = {VALUE: "target" if what.part == "weight" else "channel", PLACE: "relay", TURN: "motion"}[key[0]]
    out: Record = {"object": obj.name, word: what.name if word != "channel" else what.id, "to": goal}
    return out | ({"number": int(key[3]) + 1} if key[0] == TURN else {})
