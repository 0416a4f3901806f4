"""What operations and brushes ask for: typed, with a unit, bounds and a default; forms, fields, command-line options and
documents are made from it."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.ground.errors import EditRefused


class Parameter(Struct, frozen=True):
    """One thing an operation asks for. ``default`` is a value or made from the subject; a ``needed`` one must be given on the
    command line. Those that are not ``asked`` are for the command line only: a window knows them already."""

    name: str
    label: str
    default: Any = None
    needed: bool = False
    asked: bool = True

    def begins_at(self, subject: Any) -> Any:
        return self.default(subject) if callable(self.default) else self.default

    def checked(self, value: Any, _subject: Any) -> Any:
        return value


class Number(Parameter, frozen=True):
    unit: str = ""
    low: float = -1e9
    high: float = 1e9
    decimals: int = 2

    def checked(self, value: Any, _subject: Any) -> float:
        try:
            number = float(value)
        except (TypeError, ValueError):
            number = np.nan
        unit = f" {self.unit}" if self.unit else ""
        if not np.isfinite(number):
            raise EditRefused(f"{self.label} must be a finite number from {self.low:g} to {self.high:g}{unit}, not {value}.")
        if not self.low <= number <= self.high:
            raise EditRefused(f"{self.label} must be from {self.low:g} to {self.high:g}{unit}, not {number:g}.")
        return round(number) if self.decimals == 0 else number


class Choice(Parameter, frozen=True):
    """``options`` are (word, label, value): the word is for the command line."""

    options: tuple[tuple[str, str, object], ...] = ()

    def checked(self, value: Any, _subject: Any) -> Any:
        for word, _label, meant in self.options:
            if value == meant or value == word:
                return meant
        words = ", ".join(word for word, _, _ in self.options)
        raise EditRefused(f"{self.label} must be one of {words}, not {value}.")


class Flag(Parameter, frozen=True):
    default: Any = False

    def checked(self, value: Any, _subject: Any) -> bool:
        return bool(value)


class Text(Parameter, frozen=True):
    """A name."""

    def checked(self, value: Any, _subject: Any) -> str | None:
        return None if value is None else str(value)


class Span(Parameter, frozen=True):
    """Two frames, rising."""

    def checked(self, value: Any, _subject: Any) -> tuple[float, float]:
        first, last = (Number("frame", self.label).checked(part, _subject) for part in value)
        return first, last


def completed(what: str, parameters: Collection[Parameter], given: Mapping[str, Any], subject: Any = None) -> dict[str, Any]:
    """Every parameter's value: given, or as it begins; each checked. Raises EditRefused with the reason, where ``what`` is
    told nonsense."""
    unknown = set(given) - {p.name for p in parameters}
    if unknown:
        raise EditRefused(f"{what} takes no {', '.join(sorted(unknown))}.")
    out = {}
    for p in parameters:
        value = given[p.name] if p.name in given else p.begins_at(subject)
        if value is None and p.needed and isinstance(p, Text):
            raise EditRefused(f"{what} needs its {p.label.lower()}.")
        optional = value is None and not p.needed and isinstance(p, Text | Number | Span | Choice)
        out[p.name] = None if optional else p.checked(value, subject)
    return out
