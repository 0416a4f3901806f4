"""``fictilis weights``: weights of an object as a table, out and in."""

from __future__ import annotations

import argparse
from pathlib import Path

from fictilis.core.ground.errors import FictilisError


def register(commands) -> None:
    """Add the command to a parser's subparsers."""
    parser = commands.add_parser("weights", help="weights of an object as a table, a column a target and a row a frame")
    ways = parser.add_subparsers(dest="way", required=True, metavar="in|out")
    out = ways.add_parser("out", help="write them as CSV")
    taken = ways.add_parser("in", help="lanes from CSV; columns are matched to targets by name")
    for one in (out, taken):
        one.add_argument("scene", type=Path)
        one.add_argument("table", type=Path, metavar="TABLE.csv")
        one.add_argument("--object", required=True)
    out.add_argument("--percent", action="store_true", help="as 0 to 100")
    out.add_argument("--seconds", action="store_true", help="rows by seconds, not by frames")
    out.add_argument("--range", type=float, nargs=2, metavar=("FIRST", "LAST"))
    out.set_defaults(run=_out)
    taken.add_argument("--rate", type=float, help="rows a second, where they are frames; default: the scene's")
    taken.add_argument("--start", type=float, default=0.0, help="the frame at which the table begins")
    taken.add_argument("--within", type=float, default=0.0, metavar="N", help="as few keys as are so near")
    taken.add_argument("--resample", action="store_true", help="a key at each whole frame, not at each row")
    taken.add_argument("--mirror", action="store_true", help="swap left and right by the names of columns")
    taken.add_argument(
        "--column", action="append", default=[], metavar="NAME=TARGET", help="where names differ; again for several"
    )
    taken.add_argument("-o", "--output", type=Path, help="default: the scene itself")
    taken.set_defaults(run=_in)


def _out(options: argparse.Namespace) -> None:
    from fictilis.formats.choices import Choices
    from fictilis.formats.registry import load
    from fictilis.pictures.poster import export

    scene = load(options.scene)
    first, last = options.range or (None, None)
    told = {"weights": "100" if options.percent else "1", "rows": "seconds" if options.seconds else "frames"}
    table = options.table if options.table.suffix.lower() == ".csv" else options.table.with_name(f"{options.table.name}.csv")
    export(scene, table, choices=Choices((scene.object_named(options.object).id,), None, first, last, told))


def _in(options: argparse.Namespace) -> None:
    from fictilis.formats.registry import load, save
    from fictilis.formats.weights import matched_names, read_weights, set_weights

    scene = load(options.scene)
    obj, table = scene.object_named(options.object), read_weights(options.table)
    columns = matched_names(obj, table.names, options.mirror)
    for text in options.column:
        name, sign, target = text.partition("=")
        if not sign or name not in table.names:
            raise FictilisError(f"“{text}” is not NAME=TARGET; the columns are: {', '.join(table.names[:20])}.")
        columns[name] = obj.target_named(target).id
    if not columns:
        raise FictilisError(f"No column of {options.table.name} matches a target of {obj.name}; say which with --column.")
    if options.rate is not None and not options.rate > 0:
        raise FictilisError(f"A rate must be above 0, not {options.rate:g}.")
    others = [name for name in table.names if name not in columns]
    scene = set_weights(scene, obj.id, table, columns, options.rate, options.start, options.within, options.resample)
    print(f"{len(columns)} lanes from {len(table.values):,} rows." + (f" Left out: {', '.join(others)}." if others else ""))
    save(scene, options.output or options.scene)
