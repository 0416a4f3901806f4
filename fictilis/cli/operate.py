"""Every operation of the core as a word on the command line: ``fictilis target …``, ``mesh``, ``lanes`` and the rest."""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np

from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.errors import FictilisError
from fictilis.core.ground.parameters import Choice, Flag, Number, Parameter, Span, Text
from fictilis.core.operations import OPERATIONS
from fictilis.core.operations.lanes import keys_at
from fictilis.core.operations.relays import PATH, WAY
from fictilis.core.operations.table import Operation, Subject
from fictilis.core.scene.scene import STRAIGHT, Scene
from fictilis.core.scene.waveform import Waveform

PARTS = {
    "target": "change whole targets",
    "relay": "rows of poses on one lane",
    "mesh": "change an object's mesh, its targets carried through",
    "line": "lines: how they are drawn, their points and strands, targets of other lines",
    "repeat": "copies of an object, and how much later each of them moves",
    "deform": "bend, twist and taper after the mix",
    "rig": "what hangs on a rig: its clips, how it follows, joints turned by hand",
    "spring": "springs that lead an object's points after the mix",
    "object": "change an object, its kept picks and mixes",
    "form": "simple forms, and their numbers until something is reshaped",
    "lanes": "change many keys at once",
    "modifier": "lay motion over a lane's curve",
    "keys": "change single keys",
    "time": "rate, range, markers, sound and reference picture",
    "camera": "cameras of the scene",
    "cue": "what a scene does when it is touched: cues as sentences",
    "clip": "lanes of all objects under a name, one clip active at a time",
    "light": "the light that the scene is seen in",
    "measure": "distances between two points, kept with the scene",
    "shape": "exact changes of what is picked, in a target or in the base",
}
OF_OBJECTS = ("target", "relay", "mesh", "line", "repeat", "spring", "deform", "rig", "object", "shape")
OF_TARGETS = ("target", "relay", "line", "shape")
OF_PICKS = ("target", "mesh", "line", "spring", "object", "shape")
OF_LANES = ("lanes", "modifier", "keys")
RADIUS = Number("radius", "The radius", 0.0, unit="cm", low=0, high=1e6)
AXES = {"x": "X", "y": "Y", "z": "Z"}


def register(commands, command: str) -> None:
    """Add a command for each part of the table to a parser's subparsers, the one that is asked for with its operations."""
    for part, about in PARTS.items():
        parser = commands.add_parser(part, help=about)
        if part != command:  # to make all of them takes a third of the time of a short command
            continue
        parser.add_argument("scene", type=Path)
        _subject_options(parser, part)
        verbs = parser.add_subparsers(dest="operation", required=True, metavar="OPERATION")
        for operation in OPERATIONS.values():
            if operation.part == part:
                _check_names(parser, operation)
                _add(verbs, operation.verb, operation.sentence or operation.label, operation.parameters).set_defaults(
                    row=operation
                )
        if part == "relay":
            numbers = (Text("name", "name of the relay"), Span("range", "frames of the first and last pose"), WAY, PATH)
            files = _add(verbs, "files", "a relay of numbered mesh files", numbers)
            files.add_argument("files", type=Path, nargs="+")
            files.add_argument("--skip", action="store_true", help="leave out what does not fit, and say so")
            files.set_defaults(run=_files)
        if part == "line":
            text = _add(verbs, "text", "letters as a line object", (Number("size", "height of capitals", 20.0, unit="cm"),))
            text.add_argument("text")
            text.add_argument("--font", type=Path, help="a font file; default: the one that is shipped")
            text.set_defaults(run=_text)
        if part == "time":
            sound = _add(verbs, "sound", "the scene's sound, from a file", (Number("at", "frame at which it begins", 0.0),))
            sound.add_argument("file", type=Path)
            sound.set_defaults(run=_sound)
            begins = (Number("at", "frame at which a movie begins", 0.0),)
            reference = _add(verbs, "reference", "a picture or a movie to be matched, from a file", begins)
            reference.add_argument("file", type=Path)
            reference.set_defaults(run=_reference)


def _subject_options(parser: argparse.ArgumentParser, part: str) -> None:
    """What an operation is made on."""
    if part in OF_OBJECTS:
        parser.add_argument("--object", required=True)
    if part in OF_PICKS:
        parser.add_argument("--pick", metavar="NAME", help="a pick that is kept with the object")
        for kind in ("points", "edges", "faces"):
            parser.add_argument(f"--{kind}", metavar="N,N,…", help=f"{kind} picked by their numbers")
        parser.add_argument("--radius", type=float, default=0.0, metavar="CM", help="falloff around the pick")
        parser.add_argument("--space", action="store_true", help="falloff through space, not along the surface")
    if part in OF_TARGETS:
        parser.add_argument("--target", action="append", required=part == "target", default=[], help="again for several")
    if part in ("target", "shape"):
        parser.add_argument("--mirror", choices=list(AXES), default="x", help="across which axis sides are told apart")
        parser.add_argument("--by-topology", action="store_true", help="find partners by the faces, not by position")
    if part == "relay":
        parser.add_argument("--relay", metavar="NAME", help="default: the only one of the object")
    if part == "shape":
        parser.add_argument("--at", type=float, default=1.0, metavar="WEIGHT", help="of the in-between that is changed")
    if part in OF_LANES:
        parser.add_argument("--object", metavar="OBJECT|CAMERA", help="default: all", required=part != "lanes")
        parser.add_argument(
            "--lane", action="append", default=[], metavar="NAME", help="of the object; default: all that have keys"
        )
    if part == "form":
        parser.add_argument("--object", help="the one whose numbers are set")
    if part == "keys":
        parser.add_argument("--at", metavar="F,F,…", help="frames of the keys; default: all")
    if part == "cue":
        parser.add_argument("--cue", metavar="NAME", help="the one that is changed")
    if part == "camera":
        parser.add_argument("--camera", metavar="NAME", help="default: the one that is looked through")


def _check_names(parser: argparse.ArgumentParser, operation: Operation) -> None:
    """An operation's number must not take the name of what it is made on."""
    taken = {action.dest for action in parser._actions} | {"row", "run", "parameters", "output"}
    for p in operation.parameters:
        if p.name.replace("-", "_") in taken:
            raise ValueError(f"{operation.id} calls a number {p.name}, as {operation.part} calls an option")


def _add(verbs, verb: str, about: str, parameters: tuple[Parameter, ...]) -> argparse.ArgumentParser:
    parser = verbs.add_parser(verb, help=about)
    for p in parameters:
        flag, said = f"--{p.name}", p.label.lower()
        if isinstance(p, Flag):
            parser.add_argument(flag, action="store_true", help=said)
        elif isinstance(p, Span):
            parser.add_argument(flag, type=float, nargs=2, required=p.needed, metavar=("FIRST", "LAST"), help=said)
        elif isinstance(p, Choice):
            words = [word for word, _, _ in p.options]
            parser.add_argument(flag, choices=words, required=p.needed, help=said)
        elif isinstance(p, Number):
            unit = f", {p.unit}" if p.unit else ""
            bounds = f", {p.low:g} to {p.high:g}" if abs(p.low) < 1e5 or abs(p.high) < 1e5 else ""
            parser.add_argument(flag, type=float, required=p.needed, metavar="N", help=said + unit + bounds)
        else:
            parser.add_argument(flag, required=p.needed, metavar=p.label.upper().split()[0], help=said)
    parser.add_argument("-o", "--output", type=Path, help="default: the scene itself")
    parser.set_defaults(run=_run, parameters=parameters)
    return parser


def _run(options: argparse.Namespace) -> None:
    from fictilis.formats.registry import load, save

    operation: Operation = options.row
    made = operation.make(_subject(load(options.scene), options), _given(options))
    if made.said:
        print(made.said)
    save(made.scene, options.output or options.scene)


def _given(options: argparse.Namespace) -> dict:
    """The values that were given, by the names of the parameters."""
    given = {p.name: getattr(options, p.name.replace("-", "_")) for p in options.parameters}
    return {name: value for name, value in given.items() if value is not None and value is not False}


def _numbers(text: str, what: str) -> list[float]:
    try:
        return [float(word) for word in text.split(",")]
    except ValueError:
        raise FictilisError(f"“{text}” is no list of {what}, such as 0,12.") from None


def _subject(scene: Scene, options: argparse.Namespace) -> Subject:
    from fictilis.core.mix.acting import weights_at
    from fictilis.core.shaping.mirror import Mirror
    from fictilis.core.shaping.reach import Reach
    from fictilis.render.dress import pixels_of

    part = options.command
    span = (scene.start, scene.end)
    if part in OF_LANES:
        lanes, chosen = _lanes(scene, options)
        frames = _numbers(options.at, "frames") if part == "keys" and options.at else None
        keys = keys_at(scene, chosen, frames) if part == "keys" else frozenset()
        if part == "keys" and not keys:
            raise FictilisError(f"There are no keys at {options.at}." if options.at else "There are no keys yet.")
        return Subject(scene, lanes=lanes, selected=chosen, keys=keys, frame=scene.start, span=span)
    if part == "camera" and options.camera:
        return Subject(scene, frame=scene.start, camera_id=_camera(scene, options.camera).id)
    if part == "cue":
        return Subject(scene, frame=scene.start, span=span, cue_id=_cue(scene, options.cue))
    if part not in OF_OBJECTS:
        named = scene.object_named(options.object).id if part == "form" and options.object else None
        return Subject(scene, named, frame=scene.start, span=span, wave=lambda: _wave(scene))
    obj = scene.object_named(options.object)
    picks = part in OF_PICKS
    pick = _pick(obj, options) if picks else Pick()
    mirror = Mirror(AXES[options.mirror], options.by_topology) if part in ("target", "shape") else Mirror()
    targets = tuple(obj.target_named(name).id for name in options.target) if part in OF_TARGETS else ()
    group = next((g.id for g in obj.groups if g.name == getattr(options, "relay", None)), None)
    if getattr(options, "relay", None) and group is None:
        raise FictilisError(f"{obj.name} has no relay named {options.relay}.")
    return Subject(
        scene, obj.id, targets, pick, pick.kind, frame=scene.start, span=span,
        weights=weights_at(obj, scene.start, fps=scene.fps),
        mirror=mirror, reach=Reach(RADIUS.checked(options.radius, Subject(scene)), not options.space) if picks else Reach(),
        at=getattr(options, "at", 1.0) if part == "shape" else 1.0, group_id=group,
        pixels=lambda: pixels_of(obj),
    )  # fmt: skip


def _wave(scene: Scene) -> Waveform | None:
    from fictilis.formats.sound import decoded

    return decoded(scene.sound) if scene.sound is not None else None


def _cue(scene: Scene, name: str | None) -> str | None:
    if name is None:
        return None
    for cue in scene.cues:
        if cue.name == name:
            return cue.id
    raise FictilisError(f"The scene has no cue named {name}; its cues are: {', '.join(c.name for c in scene.cues) or 'none'}.")


def _camera(scene: Scene, name: str):
    for camera in scene.cameras:
        if camera.name == name:
            return camera
    raise FictilisError(
        f"The scene has no camera named {name}; its cameras are: {', '.join(c.name for c in scene.cameras) or 'none'}."
    )


def _pick(obj, options: argparse.Namespace) -> Pick:
    """The pick named, or given by numbers."""
    from fictilis.core.geometry.picked import element_count

    if options.pick:
        for kept in obj.picks:
            if kept.name == options.pick:
                return kept.pick
        names = ", ".join(p.name for p in obj.picks) or "none"
        raise FictilisError(f"{obj.name} has no pick named {options.pick}; its kept picks are: {names}.")
    for kind in ("points", "edges", "faces"):
        text = getattr(options, kind)
        if text:
            numbers = _numbers(text, kind)
            most = element_count(obj.geometry, kind)
            wrong = [n for n in numbers if not (0 <= n < most and n == int(n))]
            if wrong:
                raise FictilisError(f"{obj.name} has no {kind[:-1]} {wrong[0]:g}; they are numbered from 0 to {most - 1}.")
            return Pick(kind, np.array(numbers, np.int64))
    return Pick()


def _lanes(scene: Scene, options: argparse.Namespace) -> tuple[tuple, tuple]:
    """The lanes with keys that are meant, and the channels that were named, or else those lanes."""
    from fictilis.core.mix.channels import channel_named, channels

    if options.lane and not options.object:
        raise FictilisError("--lane names lanes of one object; say which with --object.")
    owners = [scene.owner_named(options.object)] if options.object else scene.owners
    if options.lane:
        named = tuple(channel_named(owners[0], name).ref for name in options.lane)
        return tuple(ref for ref in named if owners[0].lane(ref.channel) is not None), named
    found = tuple(c.ref for o in owners for c in channels(o) if o.lane(c.id) is not None)
    if not found:
        raise FictilisError("There are no keys yet.")
    return found, found


def _text(options: argparse.Namespace) -> None:
    from fictilis.core.edits.objects import add_object
    from fictilis.formats.outlines import text_outline
    from fictilis.formats.registry import load, save

    points, line = text_outline(options.text, 20.0 if options.size is None else options.size, options.font)
    scene, _ = add_object(load(options.scene), options.object, line, points)
    save(scene, options.output or options.scene)


def _files(options: argparse.Namespace) -> None:
    from fictilis.core.edits.relays import relay_from_points
    from fictilis.formats.registry import load, save
    from fictilis.formats.rows import read_row, row_name

    scene = load(options.scene)
    obj = scene.object_named(options.object)
    row = read_row(obj, options.files)
    unfit = [reason for _, reason in row.others]
    if unfit and not options.skip:
        raise FictilisError(f"{unfit[0]} {len(unfit)} of {len(options.files)} files do not fit; --skip leaves them out.")
    if not row.shapes:
        raise FictilisError("None of the files fits.")
    for sentence in (*row.warnings, *unfit):
        print(sentence)
    first, last = options.range or row.frames[:1] + row.frames[-1:] or scene.span
    name, way, path = options.name or row_name(options.files), options.way or "linear", options.path or STRAIGHT
    made, _ = relay_from_points(scene, obj.id, row.shapes, name, first, last, way, path, row.frames)
    save(made, options.output or options.scene)


def _sound(options: argparse.Namespace) -> None:
    from fictilis.core.edits.timeline import set_sound
    from fictilis.formats.registry import load, save
    from fictilis.formats.sound import read_sound

    scene = load(options.scene)
    at = Number("at", "The frame", low=-1e6, high=1e6).checked(options.at or 0.0, Subject(scene))
    save(set_sound(scene, read_sound(options.file, at)), options.output or options.scene)


def _reference(options: argparse.Namespace) -> None:
    from fictilis.core.edits.timeline import set_reference
    from fictilis.formats.reference import read_reference
    from fictilis.formats.registry import load, save

    scene = load(options.scene)
    at = Number("at", "The frame", low=-1e6, high=1e6).checked(options.at or 0.0, Subject(scene))
    save(set_reference(scene, read_reference(options.file, at)), options.output or options.scene)
