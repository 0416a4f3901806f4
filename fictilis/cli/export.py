"""``fictilis export``: a scene for other programs, with all that its formats let one choose."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from fictilis.core.ground.parameters import Choice, Number


def register(commands) -> None:
    """Add the command to a parser's subparsers."""
    from fictilis.formats.registry import FORMATS

    export = commands.add_parser("export", help="write a scene for other programs")
    export.add_argument("scene", type=Path)
    export.add_argument("output", type=Path, metavar="OUT.glb|OUT.usdc|OUT.obj|OUT.html|FOLDER")
    export.add_argument("--frame", type=float, help="of formats of one shape; default: the first")
    export.add_argument("--object", action="append", metavar="NAME", help="again for several; default: all that are visible")
    export.add_argument("--clip", action="append", metavar="NAME", help="again for several; default: all")
    export.add_argument("--range", type=float, nargs=2, metavar=("FIRST", "LAST"), help="default: the scene's")
    options: dict[str, list[str]] = {}
    for kind in FORMATS:
        for option in kind.options:
            options.setdefault(option.name, []).append(kind.key)
    said = {option.name: option for kind in FORMATS for option in kind.options}
    for name, keys in options.items():
        option, about = said[name], f"{said[name].label.lower()} ({', '.join(keys)})"
        if isinstance(option, Choice):
            export.add_argument(f"--{name}", choices=[word for word, _, _ in option.options], help=about)
        elif isinstance(option, Number):
            export.add_argument(f"--{name}", type=float, metavar="N", help=about)
    export.add_argument("--prove", type=float, metavar="CM", help="read the file again; exit 3 where a point is further off")
    export.add_argument("--account", action="store_true", help="say what is kept, changed and left out, and write nothing")
    export.add_argument("--shapes", action="store_true", help="base and each target as OBJ files in a folder")
    export.set_defaults(run=_export, options=tuple(options))


def _warn(warnings: list[str]) -> None:
    for warning in warnings:
        print(f"fictilis: warning: {warning}", file=sys.stderr)


def _export(given: argparse.Namespace) -> int:
    from fictilis.core.scene.clips import clip_named
    from fictilis.formats.choices import Choices
    from fictilis.formats.registry import as_chosen, export_shapes, format_for, load
    from fictilis.pictures.poster import export

    scene = load(given.scene)
    if given.shapes:
        _warn(export_shapes(scene, given.output)[1])
        return 0
    first, last = given.range or (None, None)
    choices = Choices(
        tuple(scene.object_named(name).id for name in given.object) if given.object else None,
        tuple(clip_named(scene, name).id for name in given.clip) if given.clip else None,
        first,
        last,
        {name: value for name in given.options if (value := getattr(given, name)) is not None},
    )
    if given.account:
        from fictilis.formats.account import account

        chosen, values = as_chosen(scene, given.output, choices)
        for row in account(scene, chosen, format_for(given.output, "write").key, values):
            print(f"{row.state}: {row.sentence}")
        return 0
    frame = scene.start if given.frame is None else given.frame
    _warn(export(scene, given.output, frame, choices=choices))
    if given.prove is None:
        return 0
    from fictilis.formats.proof import prove

    proof = prove(scene, given.output, frame, choices=choices)
    print(proof.sentence if proof is not None else f"{given.output.name} is of a kind that cannot be proven.")
    return 3 if proof is not None and not proof.cm <= given.prove else 0
