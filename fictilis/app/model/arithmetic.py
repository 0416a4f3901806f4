"""Numbers as they are typed: plain, with a comma, or as simple arithmetic such as ``12/5``."""

from __future__ import annotations

import math
import re

LONGEST = 80
_TOKEN = re.compile(r"\s*(?:(\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+(?:[eE][+-]?\d+)?)|([-+*/()]))")


def number_from(text: str) -> float:
    """The number that ``text`` stands for. Raises ValueError where it stands for none, or for none that is finite."""
    return _Sum(text).value()


class _Sum:
    """Sums of products of numbers, signs and brackets."""

    def __init__(self, text: str) -> None:
        if len(text) > LONGEST:
            raise ValueError("too long to be a number")
        text = text.replace(",", ".").replace("−", "-").replace("×", "*").rstrip()
        self.tokens: list[str] = []
        at = 0
        while at < len(text):
            found = _TOKEN.match(text, at)
            if found is None:
                raise ValueError(f"{text[at:]} is no number")
            self.tokens.append(found.group(1) or found.group(2))
            at = found.end()
        self.tokens.reverse()

    def value(self) -> float:
        out = self._sum()
        if self.tokens or not math.isfinite(out):
            raise ValueError("no finite number")
        return out

    def _next(self, among: str) -> str:
        return self.tokens.pop() if self.tokens and self.tokens[-1] in among else ""

    def _sum(self) -> float:
        out = self._product()
        while sign := self._next("+-"):
            term = self._product()
            out += term if sign == "+" else -term
        return out

    def _product(self) -> float:
        out = self._signed()
        while sign := self._next("*/"):
            factor = self._signed()
            if sign == "/" and factor == 0:
                raise ValueError("divided by 0")
            out = out * factor if sign == "*" else out / factor
        return out

    def _signed(self) -> float:
        if sign := self._next("+-"):
            return self._signed() * (-1.0 if sign == "-" else 1.0)
        if self._next("("):
            out = self._sum()
            if not self._next(")"):
                raise ValueError("a bracket is open")
            return out
        if not self.tokens:
            raise ValueError("a number is missing")
        return float(self.tokens.pop())
