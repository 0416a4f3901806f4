"""Timing by medians, candidates interleaved with a rest, so that one's helper threads do not spoil the next."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass

REST = 0.04


@dataclass(frozen=True)
class Row:
    """One line of the table: a measured ratio and its goal, ``at most`` or ``at least``."""

    what: str
    ratio: float
    goal: float | None
    at_most: bool
    detail: str

    def text(self) -> str:
        sign = "≤" if self.at_most else "≥"
        goal = f"{sign} {self.goal:g}" if self.goal is not None else "–"
        met = (
            ""
            if self.goal is None
            else "yes"
            if (self.ratio <= self.goal if self.at_most else self.ratio >= self.goal)
            else "NO"
        )
        return f"{self.what:<62}{self.ratio:>8.2f}  {goal:>8}  {met:>4}   {self.detail}"


def medians(candidates: dict[str, Callable[[], object]], rounds: int = 15) -> dict[str, float]:
    """Median seconds of each candidate: all take turns, each after a rest and one call that is not timed."""
    for function in candidates.values():
        function()
    times: dict[str, list[float]] = {name: [] for name in candidates}
    for _ in range(rounds):
        for name, function in candidates.items():
            time.sleep(REST)
            function()
            for _ in range(3):
                start = time.perf_counter()
                function()
                times[name].append(time.perf_counter() - start)
    return {name: sorted(values)[len(values) // 2] for name, values in times.items()}


def ms(seconds: float) -> str:
    return f"{1000 * seconds:.2f} ms"
