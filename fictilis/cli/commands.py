"""The commands of the command line, but for those that open the window."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from fictilis.cli import export, importing, info, operate, pictures, rehearse, weights
from fictilis.core.ground.errors import FictilisError, UsageError


def register(commands, command: str) -> None:
    """Add them to a parser's subparsers, the one that is asked for with all it understands."""
    new = commands.add_parser("new", help="make a scene from mesh files")
    new.add_argument("base", type=Path)
    new.add_argument("--target", action="append", default=[], metavar="[OBJECT/][NAME=]FILE")
    new.add_argument("--in-between", action="append", default=[], metavar="[OBJECT/]NAME@WEIGHT=FILE")
    new.add_argument("--reorder", action="store_true", help="put targets of the same topology in the base's vertex order")
    new.add_argument("--together", action="store_true", help="several lines of the file are strands of one object")
    new.add_argument("--unit", choices=("mm", "cm", "m", "inch"), help="of a file that does not say it; default: cm")
    new.add_argument("--up", choices=("y", "z"), help="of a file that does not say it; default: y")
    new.add_argument("--centre", action="store_true", help="put what is read around the origin")
    new.add_argument("--ground", action="store_true", help="stand what is read on the ground")
    new.add_argument("--path", action="append", default=[], metavar="[OBJECT/]NAME=straight|curved")
    new.add_argument("-o", "--output", type=Path, required=True)
    new.set_defaults(run=_new)

    told = commands.add_parser("info", help="say what a scene holds")
    told.add_argument("scene", type=Path)
    told.add_argument("--json", action="store_true")
    told.set_defaults(run=info.run)

    changed = commands.add_parser("changes", help="say what differs between two scenes; exit 1 where something does")
    changed.add_argument("before", type=Path)
    changed.add_argument("after", type=Path)
    changed.set_defaults(run=_changes)

    check = commands.add_parser("check", help="say what is suspicious in a scene; exit 1 where something is")
    check.add_argument("scene", type=Path)
    check.add_argument("--loop", action="store_true", help="the animation loops: its seam is looked at too")
    check.add_argument(
        "--pile", type=float, default=1.25, metavar="N", help="weights on the same points that add up to more are named"
    )
    check.set_defaults(run=_check)

    key = commands.add_parser("key", help="set keys on a target, or on what else an object or a camera can animate")
    key.add_argument("scene", type=Path)
    key.add_argument("--object", required=True, metavar="OBJECT|CAMERA")
    key.add_argument("--target", "--lane", dest="lane", required=True, metavar="NAME", help="such as Curl, or position.x")
    key.add_argument("keys", nargs="+", metavar="FRAME=VALUE")
    key.add_argument("--interpolation", default="smooth", metavar="hold|linear|smooth|ease")
    key.add_argument("--ease", default="ease-in-out", metavar="NAME|cubic-bezier(…)")
    key.add_argument("-o", "--output", type=Path, help="default: the scene itself")
    key.set_defaults(run=_key)

    operate.register(commands, command)

    _outputs(commands)


def _outputs(commands) -> None:
    """What is written from a scene: points, files of other kinds, pictures."""
    evaluate = commands.add_parser("evaluate", help="write the final points at frames as NumPy arrays (.npz)")
    evaluate.add_argument("scene", type=Path)
    evaluate.add_argument("--frames", required=True, metavar="F,F,…")
    evaluate.add_argument("--object", action="append")
    evaluate.add_argument("-o", "--output", type=Path, required=True)
    evaluate.set_defaults(run=_evaluate)

    export.register(commands)
    importing.register(commands)
    weights.register(commands)
    rehearse.register(commands)

    pictures.register(commands)

    desktop = commands.add_parser("install-desktop", help="put Fictilis and its files among the desktop's applications")
    desktop.add_argument("--remove", action="store_true", help="take it away from there again")
    desktop.set_defaults(run=_desktop)


def _split(text: str, what: str) -> tuple[str, str]:
    name, sign, value = text.partition("=")
    if not (sign and name and value):
        raise UsageError(f"“{text}” is not {what}.")
    return name, value


def _number(text: str, what: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if value != value or value in (float("inf"), float("-inf")):
        raise UsageError(f"“{text}” is not a {what}.")
    return value


def _find(scene, name: str):
    """The object and the rest of ``OBJECT/REST``; without an object's name the first one."""
    head, slash, rest = name.partition("/")
    if slash and any(obj.name == head for obj in scene.objects):
        return scene.object_named(head), rest
    return scene.objects[0], name


def _one_mesh(path: Path):
    from fictilis.formats.registry import read_meshes

    read = read_meshes(path)
    _warn(read.warnings)
    read = read.together(path.stem)
    if len(read.objects) != 1:
        names = ", ".join(data.name for data in read.objects)
        raise FictilisError(f"{path.name} holds {len(read.objects)} objects ({names}); a target is one object.")
    return read.objects[0]


def _warn(warnings) -> None:
    for warning in warnings:
        print(f"fictilis: warning: {warning}", file=sys.stderr)


def _new(options: argparse.Namespace) -> None:
    from fictilis.core.edits import targets as edits
    from fictilis.core.edits.imports import laid, stood
    from fictilis.core.edits.lines import target_from_copy
    from fictilis.formats.registry import format_for, save, scene_from_file

    scene, warnings = scene_from_file(options.base, together=options.together)
    _warn(warnings)
    lays = bool(options.unit or options.up or options.centre or options.ground)
    if lays and format_for(options.base, "read").unit:
        raise UsageError(f"{options.base.name} says its unit and its places itself; --unit and --up are not for it.")
    for text in options.target:
        name, sign, file = text.partition("=")
        if not sign or Path(text).is_file():
            name, file = "", text
        obj, name = _find(scene, name)
        data = _one_mesh(Path(file))
        name = name or Path(file).stem
        if any(t.name == name for t in obj.targets):
            raise UsageError(f"{obj.name} already has a target named {name}.")
        order = importing.order_of(obj, name, data) if options.reorder else None
        scene, _ = target_from_copy(scene, obj.id, name, data.geometry, data.points, order)
    for text in options.in_between:
        place, file = _split(text, "NAME@WEIGHT=FILE")
        name, sign, at = place.rpartition("@")
        if not sign:
            raise UsageError(f"“{text}” is not NAME@WEIGHT=FILE.")
        obj, name = _find(scene, name)
        data = _one_mesh(Path(file))
        scene = edits.in_between_from_mesh(
            scene, obj.id, obj.target_named(name).id, _number(at, "weight"), Path(file).stem, data.geometry, data.points
        )
    for text in options.path:
        name, path = _split(text, "NAME=straight or NAME=curved")
        obj, name = _find(scene, name)
        scene = edits.set_path(scene, obj.id, obj.target_named(name).id, path)
    if lays:
        every = [o.id for o in scene.objects]
        scene = stood(laid(scene, every, options.unit or "cm", options.up == "z"), every, options.centre, options.ground)
    save(scene, options.output)


def _check(options: argparse.Namespace) -> int:
    from fictilis.core.checks import run_checks
    from fictilis.formats.registry import load

    found = run_checks(load(options.scene), options.loop, options.pile)
    for finding in found:
        print(finding.sentence + (f" Remedy: {finding.remedy}." if finding.remedy else ""))
    return 1 if found else 0


def _changes(options: argparse.Namespace) -> int:
    from fictilis.core.checks.changes import changes
    from fictilis.formats.registry import load

    found = changes(load(options.before), load(options.after))
    print("\n".join(found or ["The two scenes are alike."]))
    return 1 if found else 0


def _key(options: argparse.Namespace) -> None:
    from fictilis.core.animation.curve import Key
    from fictilis.core.edits.keys import set_key
    from fictilis.core.mix.channels import channel_named
    from fictilis.formats.registry import load, save

    scene = load(options.scene)
    owner = scene.owner_named(options.object)
    lane = channel_named(owner, options.lane)
    for text in options.keys:
        frame, value = _split(text, "FRAME=VALUE")
        key = Key(_number(frame, "frame"), _number(value, "value"), options.interpolation, ease=options.ease)
        scene = set_key(scene, owner.id, lane.id, key)
    save(scene, options.output or options.scene)


def _evaluate(options: argparse.Namespace) -> None:
    from fictilis.formats.points import write_points
    from fictilis.formats.registry import load

    scene = load(options.scene)
    frames = [_number(word, "frame") for word in options.frames.split(",")]
    objects = [scene.object_named(name) for name in options.object] if options.object else scene.objects
    write_points(options.output, scene, objects, frames)


def _desktop(options: argparse.Namespace) -> None:
    from fictilis import desktop

    for path in desktop.remove() if options.remove else desktop.install():
        print(f"{'removed' if options.remove else 'written'}: {path}")
