"""Shader programs, compiled when they are first used."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Any

SHADERS = Path(__file__).parent / "shaders"
LINES: dict[str, tuple[Any, ...]] = {"plain": ("plain.vert", "plain.frag"), "ribbon": ("line.vert", "line.frag", "line.geom")}


def compiled(ctx: Any, vertex: str, fragment: str, geometry: str | None = None, plain: bool = False) -> Any:
    """A program of shaders by the names of their files; ``plain`` leaves out tint and cloth."""
    texts = [None if name is None else (SHADERS / name).read_text() for name in (vertex, fragment, geometry)]
    if plain:  # a third quicker: what is handed from points to pixels counts
        texts = [text and text.replace("\n", "\n#define PLAIN\n", 1) for text in texts]
    return ctx.program(vertex_shader=texts[0], fragment_shader=texts[1], geometry_shader=texts[2])


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
