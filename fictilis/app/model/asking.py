"""What a small form can ask for: numbers, choices, switches and texts. One dialog shows any of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec import Struct

from fictilis.core.ground.parameters import Choice, Flag, Number, Parameter


class NumberAsk(Struct, frozen=True):
    name: str
    label: str
    unit: str
    default: float
    low: float = -1e9
    high: float = 1e9
    decimals: int = 2
    none: str = ""


class ChoiceAsk(Struct, frozen=True):
    """``choices`` are pairs of a text and its value; few texts stand side by side, many in a list."""

    name: str
    label: str
    choices: Sequence[tuple[str, object]]
    default: object = None


class CheckAsk(Struct, frozen=True):
    name: str
    label: str
    default: bool = False


class TextAsk(Struct, frozen=True):
    name: str
    label: str
    default: str = ""
    needed: bool = False


Ask = NumberAsk | ChoiceAsk | CheckAsk | TextAsk


def ask_for(parameter: Parameter, start: Any) -> Ask:
    """How a form asks for a parameter of a known value."""
    name, label = parameter.name, parameter.label
    if isinstance(parameter, Number):
        return NumberAsk(name, label, parameter.unit, start or 0.0, parameter.low, parameter.high, parameter.decimals)
    if isinstance(parameter, Flag):
        return CheckAsk(name, label, bool(start))
    if isinstance(parameter, Choice):
        return ChoiceAsk(name, label, [(text, value) for _, text, value in parameter.options], start)
    return TextAsk(name, label, str(start or ""), parameter.needed)
