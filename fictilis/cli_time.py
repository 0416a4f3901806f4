"""Time from the command line: ``fictilis lanes …`` for many keys at once, ``fictilis time …`` for what stands in time."""

from __future__ import annotations

import argparse
from pathlib import Path

from fictilis.cli_operations import Operation, add_operations, number, refuse_not_finite
from fictilis.core.errors import FictilisError


def _frames(meaning: str) -> dict:
    return {"type": float, "nargs": 2, "required": True, "metavar": ("FIRST", "LAST"), "help": meaning}


def _timing():
    from fictilis.core.edits import timing

    return timing


def _timeline():
    from fictilis.core.edits import timeline

    return timeline


def _told(made: tuple):
    scene, gone = made
    print(f"{gone} key{'' if gone == 1 else 's'} went.")
    return scene


def _hold(scene, lanes, options):
    for owner, channel in lanes:
        scene = _timing().hold_until(scene, owner, channel, options.frame)
    return scene


def _stored(scene, _lanes, options):
    from fictilis.formats.sound import read_sound

    return _timeline().set_sound(scene, read_sound(options.file, options.at))


_RANGE = {"--range": _frames("frames")}
LANES = (
    Operation("retime", "scale and shift a range of keys", {"--range": _frames("frames as they are"), "--onto": _frames("frames to be")},
              lambda s, ls, x: _timing().retime(s, ls, *x.range, *x.onto)),
    Operation("shift", "move everything from a frame on", {"--after": number(), "--by": number()},
              lambda s, ls, x: _timing().shift_after(s, ls, x.after, x.by)),
    Operation("reverse", "run a range backwards", _RANGE, lambda s, ls, x: _timing().reverse(s, ls, *x.range)),
    Operation("mirror", "mirror values about one", {"--about": number()},
              lambda s, ls, x: _timing().mirror_values(s, ls, x.about)),
    Operation("scale", "multiply values", {"--factor": number()}, lambda s, ls, x: _timing().scale_values(s, ls, x.factor)),
    Operation("stagger", "each lane later than the one before it", {"--by": number(meaning="frames")},
              lambda s, ls, x: _timing().stagger(s, ls, x.by)),
    Operation("snap", "every key to the nearest frame", {}, lambda s, ls, x: _timing().snap_to_frames(s, ls)),
    Operation("bake", "a key each so many frames, modifiers worked in", {**_RANGE, "--every": number(1.0)},
              lambda s, ls, x: _timing().bake(s, ls, *x.range, x.every)),
    Operation("reduce", "as few keys as keep within a tolerance", {"--within": number()},
              lambda s, ls, x: _told(_timing().reduce_keys(s, ls, x.within))),
    Operation("clean", "drop keys that change nothing", {}, lambda s, ls, x: _told(_timing().clean_keys(s, ls))),
    Operation("hold", "keep the earlier value until a frame", {"--frame": number()}, _hold),
    Operation("close", "close the loop", {}, lambda s, ls, x: _timing().close_loop(s, ls)),
)  # fmt: skip
TIMES = (
    Operation("rate", "another frame rate",
              {"--fps": number(), "--keep-seconds": {"action": "store_true", "help": "keys keep their times, not their frames"}},
              lambda s, _l, x: _timeline().set_rate(s, x.fps, x.keep_seconds)),
    Operation("range", "the frames of the scene", {"--frames": _frames("frames")},
              lambda s, _l, x: _timeline().set_frame_range(s, *x.frames)),
    Operation("play", "the part that is played", {"--frames": _frames("frames")},
              lambda s, _l, x: _timeline().set_played(s, *x.frames)),
    Operation("marker", "a name at a frame", {"--frame": number(), "--name": {"required": True}},
              lambda s, _l, x: _timeline().set_marker(s, x.frame, x.name)),
    Operation("sound", "the scene's sound", {"file": {"type": Path}, "--at": number(0.0, "frame at which it begins")}, _stored),
    Operation("silence", "remove the sound", {}, lambda s, _l, x: _timeline().set_sound(s, None)),
)  # fmt: skip


def register(commands) -> None:
    """Add both commands to a parser's subparsers."""
    for command, about, operations in (
        ("lanes", "change many keys at once", LANES),
        ("time", "rate, range, markers and sound", TIMES),
    ):
        parser = commands.add_parser(command, help=about)
        parser.add_argument("scene", type=Path)
        if command == "lanes":
            parser.add_argument("--object", metavar="OBJECT|CAMERA", help="default: all")
            parser.add_argument(
                "--lane", action="append", default=[], metavar="NAME", help="of the object; default: all that have keys"
            )
        add_operations(parser, operations, run)


def run(options: argparse.Namespace) -> None:
    from fictilis.formats.registry import load, save

    scene = load(options.scene)
    refuse_not_finite(options)
    lanes = _lanes_of(scene, options) if options.command == "lanes" else None
    save(options.how.run(scene, lanes, options), options.output or options.scene)


def _lanes_of(scene, options: argparse.Namespace) -> list[tuple[str, str]]:
    from fictilis.core.channels import channel_named, channels

    if options.lane and not options.object:
        raise FictilisError("--lane names lanes of one object; say which with --object.")
    owners = [scene.owner_named(options.object)] if options.object else scene.owners
    if options.lane:
        return [(owners[0].id, channel_named(owners[0], name).id) for name in options.lane]
    found = [(o.id, c.id) for o in owners for c in channels(o) if o.lane(c.id) is not None]
    if not found:
        raise FictilisError("There are no keys yet.")
    return found
