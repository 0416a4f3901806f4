"""``fictilis movie``, ``turntable``, ``snapshot`` and ``sheet``: with all that the window lets one choose."""

from __future__ import annotations

import argparse
import json
import os
import sys
import time
from pathlib import Path
from typing import Any

from fictilis.core.ground.errors import EditRefused
from fictilis.core.ground.parameters import Choice, Flag, Number

SAID_EVERY = 0.25  # s between what a window is told
APART = ("width", "height", "first", "last")  # asked for as --size and --range


def register(commands) -> None:
    """Add the commands to a parser's subparsers."""
    from fictilis.core.scene.light import CLAYS
    from fictilis.pictures.orders import KINDS

    for kind in KINDS.values():
        parser = commands.add_parser(kind.key, help=kind.about)
        parser.add_argument("scene", type=Path)
        parser.add_argument("output", type=Path, nargs="?", metavar="|".join(f"OUT{suffix}" for suffix in kind.suffixes))
        parser.add_argument("-o", "--output", dest="other_output", type=Path, help="the same, by its name")
        wide, high = (next(p.default for p in kind.options if p.name == name) for name in ("width", "height"))
        parser.add_argument("--size", metavar="WxH", help=f"default: {wide}x{high}")
        names = [option.name for option in kind.options]
        if "first" in names:
            parser.add_argument("--range", type=float, nargs=2, metavar=("FIRST", "LAST"), help="default: the scene's")
        for option in kind.options:
            if option.name in APART:
                continue
            about = f"{option.label[0].lower()}{option.label[1:]}"
            if isinstance(option, Choice):
                parser.add_argument(f"--{option.name}", choices=[word for word, _, _ in option.options], help=about)
            elif isinstance(option, Flag):
                parser.add_argument(f"--{option.name}", action="store_true", default=None, help=about)
            else:
                kinds: dict[str, Any] = (
                    {"type": float, "metavar": "N"} if isinstance(option, Number) else {"metavar": "#RRGGBB"}
                )
                parser.add_argument(f"--{option.name}", help=about, **kinds)
        parser.add_argument("--camera", default="", metavar="NAME", help="a camera or a kept view; default: the scene's camera")
        parser.add_argument("--fitted", action="store_true", help="see all that moves, through no camera of the scene")
        parser.add_argument("--clip", default="", metavar="NAME", help="default: the active one")
        if kind.key == "sheet":
            parser.add_argument("--object", default="", metavar="NAME", help="default: the first with targets")
            parser.add_argument("--relay", default="", metavar="NAME", help="default: the first with poses")
        parser.add_argument(
            "--light",
            type=float,
            nargs=3,
            metavar=("RIGHT", "UP", "STRENGTH"),
            help="in degrees; default: the scene's",
        )
        parser.add_argument("--relief", type=float, metavar="N", help="0 to 1: hollows against ridges")
        parser.add_argument("--shade", type=float, metavar="N", help="0 to 1: dark between what is near")
        parser.add_argument("--clay", choices=CLAYS, help="lines: of light, which show uneven places")
        parser.add_argument("--lines", type=float, metavar="N", help="0 to 1: outlines and creases")
        parser.add_argument("--line-colour", metavar="#RRGGBB", help="of those")
        parser.add_argument("--watched", type=Path, help=argparse.SUPPRESS)
        parser.set_defaults(run=_run, kind=kind.key, options=tuple(n for n in names if n not in APART))


def _run(given: argparse.Namespace) -> None:
    from msgspec.structs import replace

    from fictilis.core.scene.light import Light
    from fictilis.core.validity.scenes import checked_light
    from fictilis.formats.registry import load
    from fictilis.pictures.making import make
    from fictilis.pictures.orders import KINDS, Order

    path = given.output or given.other_output
    if path is None:
        raise EditRefused(f"A {KINDS[given.kind].name.lower()} needs a file to be written to.")
    values = {name: value for name in given.options if (value := getattr(given, name)) is not None}
    if given.size is not None:
        wide, _, high = given.size.partition("x")
        if not (wide.isdigit() and high.isdigit()):
            raise EditRefused(f"“{given.size}” is not a size such as 1280x720.")
        values |= {"width": int(wide), "height": int(high)}
    if getattr(given, "range", None) is not None:
        values |= {"first": given.range[0], "last": given.range[1]}
    camera = None if given.fitted else given.camera
    order = Order(given.kind, path, values, camera, getattr(given, "object", ""), getattr(given, "relay", ""), given.clip)
    watch = _told(given.watched) if given.watched is not None else _counted if sys.stderr.isatty() else None
    if given.watched is not None:
        os.nice(5)  # the window that watches goes first
    scene = load(given.scene)
    told = dict(zip(("right", "up", "strength"), given.light or (), strict=False))
    asked = ("relief", "shade", "clay", "lines", "line_colour")
    told |= {name: value for name in asked if (value := getattr(given, name)) is not None}
    light = replace(scene.light or Light(), **told)
    checked_light(light)
    said = make(scene, order, watch, light)
    for sentence in said:
        print(f"fictilis: warning: {sentence}", file=sys.stderr)


def _counted(number: int, count: int, _picture: Any) -> None:
    """How far it is, for somebody at a terminal."""
    print(f"\r{number} of {count}", end="\n" if number == count else "", file=sys.stderr, flush=True)


def _told(shown: Path):
    """Tells a window, by a line of JSON and a small picture in a file, how far it is."""
    from fictilis.formats.files import write_whole
    from fictilis.pictures.movie import preview_bytes

    last = [0.0]

    def watch(number: int, count: int, picture: Any) -> None:
        now = time.monotonic()
        if now - last[0] >= SAID_EVERY or number in (1, count):
            last[0] = now
            write_whole(shown, lambda temporary: temporary.write_bytes(preview_bytes(picture)))
            print(json.dumps({"number": number, "count": count}), flush=True)

    return watch
