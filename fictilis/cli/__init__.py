"""Fictilis without a window: what the menus do, on the command line."""

from __future__ import annotations

import os

# One thread of BLAS leaves the other core to the software renderer; set before NumPy is loaded.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import argparse
import signal
import sys
from collections.abc import Collection
from io import TextIOWrapper
from pathlib import Path

from fictilis import __version__
from fictilis.core.ground.errors import FictilisError, UsageError


def main(arguments: list[str] | None = None) -> int:
    """Run one command; returns 0, 1 where a check finds something, 3 where a proof fails, 2 after an error said in one
    sentence on stderr, or 130 where it was stopped by a key."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    if arguments is None and isinstance(sys.stdout, TextIOWrapper):
        sys.stdout.reconfigure(errors="backslashreplace")  # names of files may be no text
    if words == ["--version"]:  # nothing else has to be loaded for that
        print(f"Fictilis {__version__}")
        return 0
    try:
        if not words or Path(words[0]).suffix and not words[0].startswith("-"):
            return _window(words)
        parser, known = _parser(words[0])
        if words[0] not in known and not words[0].startswith("-"):
            return _window(words)
        options = parser.parse_args(words)
        if arguments is None and options.command != "demo":
            signal.signal(signal.SIGTERM, lambda *_: sys.exit(143))  # an end like any other: nothing half written is left
        return options.run(options) or 0
    except KeyboardInterrupt:
        print("fictilis: stopped.", file=sys.stderr)
        return 130
    except FictilisError as error:
        print(f"fictilis: {error.said}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"fictilis: {error.strerror or error}.", file=sys.stderr)
        return 2


def _parser(command: str) -> tuple[argparse.ArgumentParser, Collection[str]]:
    """What understands the words, and the commands it knows; of the others than ``command`` only the names."""
    from fictilis.demo import SAMPLES

    parser = argparse.ArgumentParser("fictilis", usage="fictilis [FILE] | fictilis COMMAND …", description=__doc__)
    parser.add_argument("--version", action="version", version=f"Fictilis {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")
    demo = commands.add_parser("demo", help="open a sample scene")
    demo.add_argument("name", nargs="?", default="jelly", choices=list(SAMPLES), help="default: jelly, the Moon jelly")
    demo.add_argument("--leave", type=Path, metavar="FOLDER", help="play it, leave a screenshot and a movie there, and close")
    demo.set_defaults(run=_demo)
    if command != "demo":
        from fictilis.cli.commands import register

        register(commands, command)
    return parser, commands.choices


def _window(words: list[str]) -> int:
    if len(words) > 1:
        raise UsageError(f"One file can be opened at a time, not {len(words)}: {', '.join(words)}.")
    from fictilis.app.start import run

    return run(Path(words[0]) if words else None)


def _demo(options: argparse.Namespace) -> int:
    from fictilis.app.start import run

    return run(None, demo=options.name, leave=options.leave)
