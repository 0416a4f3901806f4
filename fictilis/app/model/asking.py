"""What a small form can ask for: numbers, choices, switches and texts. One dialog shows any of them."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct


class NumberAsk(Struct, frozen=True):
    name: str
    label: str
    unit: str
    default: float
    low: float = -1e9
    high: float = 1e9
    decimals: int = 2


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


Ask = NumberAsk | ChoiceAsk | CheckAsk | TextAsk
