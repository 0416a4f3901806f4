"""``fictilis rehearse``: run a scene's cues without a window, and take what they do as keys."""

from __future__ import annotations

import argparse
from pathlib import Path

from fictilis.core.ground.errors import FictilisError

MOST_SECONDS = 3600.0


def register(commands) -> None:
    """Add the command to a parser's subparsers."""
    parser = commands.add_parser("rehearse", help="run the cues of a scene, and say what they do")
    parser.add_argument("scene", type=Path)
    parser.add_argument(
        "--event", action="append", default=[], metavar="'SECONDS click OBJECT|key KEY|cue NAME'",
        help="what somebody does, and when; again for several",
    )  # fmt: skip
    parser.add_argument("--seconds", type=float, default=10.0, metavar="N", help="how long; default: 10")
    parser.add_argument("--frame", type=float, help="at which the scene stands; default: the first")
    parser.add_argument("--weights", type=Path, metavar="TABLE.csv", help="write what is led, a row a frame")
    parser.add_argument("--take", action="store_true", help="keys on the lanes, from the frame on, in one step")
    parser.add_argument("--within", type=float, default=0.002, metavar="N", help="as few keys as are so near; default: 0.002")
    parser.add_argument("-o", "--output", type=Path, help="of --take; default: the scene itself")
    parser.set_defaults(run=_run)


def _run(options: argparse.Namespace) -> None:
    from fictilis.core.edits.cues import take
    from fictilis.core.rehearsal.meaning import cue
    from fictilis.core.rehearsal.runner import Runner
    from fictilis.formats.registry import load, save

    scene = load(options.scene)
    if not 0 < options.seconds <= MOST_SECONDS:
        raise FictilisError(f"A rehearsal lasts more than 0 and up to {MOST_SECONDS:g} s, not {options.seconds:g}.")
    events = sorted((_event(scene, text) for text in options.event), key=lambda e: e.time)
    frame = scene.start if options.frame is None else options.frame
    runner = Runner(scene, frame)
    for event in events:
        if event.time <= options.seconds and not runner.repeat(event):
            print(f"{event.time:.2f} s: no cue listens to that.")
    runner.advance(options.seconds)
    for t, cue_id, what in runner.log:
        print(f"{t:.2f} s: {cue(scene, cue_id).name} {what}")
    if options.weights is not None:
        _write(scene, events, options.seconds, frame, options.weights)
    if options.take:
        made, lanes, said = take(scene, events, options.seconds, frame, options.within)
        print("\n".join([f"Keys on {len(lanes)} lane{'' if len(lanes) == 1 else 's'}.", *said]))
        save(made, options.output or options.scene)


def _event(scene, text: str):
    from fictilis.core.rehearsal.runner import Event

    words = text.split(None, 2)
    try:
        time = float(words[0])
    except (ValueError, IndexError):
        time = -1.0
    if len(words) != 3 or not 0 <= time <= MOST_SECONDS or words[1] not in ("click", "key", "cue"):
        raise FictilisError(f"“{text}” is no event, such as '0.5 click Bell', '1 key Space' or '2 cue Touch'.")
    kind, name = words[1:]
    if kind == "click":
        obj = scene.object_named(name.partition("/")[0])
        if "/" in name:
            return _at_pick(obj, name.partition("/")[2], time)
        return Event(time, kind, obj.id)
    if kind == "cue":
        found = next((c for c in scene.cues if c.name == name), None)
        if found is None:
            raise FictilisError(f"The scene has no cue named {name}; its cues are: {', '.join(c.name for c in scene.cues)}.")
        return Event(time, kind, found.id)
    return Event(time, kind, name)


def _at_pick(obj, name: str, time: float):
    """A click in the middle of a kept pick of an object."""
    from fictilis.core.rehearsal.runner import Event
    from fictilis.core.shaping.picks import faces_of, points_of

    pick = next((p.pick for p in obj.picks if p.name == name), None)
    if pick is None:
        raise FictilisError(f"{obj.name} has no kept pick {name}; it has: {', '.join(p.name for p in obj.picks) or 'none'}.")
    faces, points = faces_of(obj.geometry, pick), points_of(obj.geometry, pick)
    return Event(time, "click", obj.id, int(faces[0]) if len(faces) else -1, tuple(points[:1].tolist()))


def _write(scene, events, seconds: float, frame: float, path: Path) -> None:
    """A table of all that the cues move: seconds, and a column a channel."""
    import csv

    from fictilis.core.mix.channels import channel
    from fictilis.core.rehearsal.takes import watched

    rows, _ = watched(scene, events, seconds, frame)
    names = [f"{scene.object(ref.owner).name}/{channel(scene.object(ref.owner), ref.channel).name}" for ref in rows]
    with path.open("w", newline="", encoding="utf-8") as file:
        table = csv.writer(file)
        table.writerow(["seconds", *names])
        for number, row in enumerate(zip(*rows.values(), strict=True)):
            table.writerow([f"{number / scene.fps:.6g}", *(f"{value:.9g}" for value in row)])
