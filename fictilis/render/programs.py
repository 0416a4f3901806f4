"""Shader programs, compiled when they are first used."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any

LINES: dict[str, tuple[Any, ...]] = {"plain": ("plain.vert", "plain.frag"), "ribbon": ("line.vert", "line.frag", "line.geom")}


class Programs(dict[Hashable, Any]):
    """Shader programs, compiled when they are first used, and then told what all of a picture share."""

    def __init__(self, compiled: Callable[[Hashable], Any]) -> None:
        super().__init__()
        self._compiled = compiled
        self._share: Callable[[Any, Hashable], None] | None = None

    def __missing__(self, key: Hashable) -> Any:
        made = self[key] = self._compiled(key)
        if self._share is not None:
            self._share(made, key)
        return made

    def told(self, share: Callable[[Any, Hashable], None]) -> None:
        self._share = share
        for key, program in self.items():
            share(program, key)
