"""What the tables of operations on the command line share."""

from __future__ import annotations

import argparse
import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

from fictilis.core.errors import FictilisError


@dataclass(frozen=True)
class Operation:
    """``options`` are arguments of add_argument by flag or name; ``run`` gives the new scene, from what its table says."""

    name: str
    help: str
    options: dict[str, dict]
    run: Callable


def number(default: float | None = None, meaning: str = "") -> dict:
    """A number as an argument; one without a default must be given."""
    return {"type": float, "default": default, "required": default is None, "help": meaning, "metavar": "N"}


def add_operations(parser: argparse.ArgumentParser, operations: Iterable[Operation], run: Callable) -> None:
    """Each operation as a word of its own, with its options and ``-o``; ``options.how`` is the one chosen."""
    kinds = parser.add_subparsers(dest="operation", required=True, metavar="OPERATION")
    for operation in operations:
        part = kinds.add_parser(operation.name, help=operation.help)
        for flag, arguments in operation.options.items():
            part.add_argument(flag, **arguments)
        part.add_argument("-o", "--output", type=Path, help="default: the scene itself")
        part.set_defaults(run=run, how=operation)


def refuse_not_finite(options: argparse.Namespace) -> None:
    for name, value in vars(options).items():
        for one in value if isinstance(value, list) else [value]:
            if isinstance(one, float) and not math.isfinite(one):
                raise FictilisError(f"--{name} must be a finite number, not {one}.")
