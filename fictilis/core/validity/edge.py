"""Edits as scripts call them: each gives a valid scene, or is refused."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from inspect import isfunction
from types import ModuleType
from typing import Any

from fictilis.core.scene.scene import Scene
from fictilis.core.validity.scenes import check


class CheckedModule(ModuleType):
    """What several modules hold, as one, whose functions raise EditRefused where the scene they give is none that could be
    opened again."""

    def __init__(self, *modules: ModuleType) -> None:
        super().__init__(modules[0].__name__, modules[0].__doc__)
        self._modules = modules

    def __getattr__(self, name: str) -> Any:
        home = next((module for module in self._modules if hasattr(module, name)), self._modules[0])
        found = getattr(home, name)
        if isfunction(found):
            found = _checked(found)
            setattr(self, name, found)
        return found

    def __dir__(self) -> list[str]:
        return sorted({name for module in self._modules for name in dir(module)})


def _checked(function: Callable[..., Any]) -> Callable[..., Any]:
    @wraps(function)
    def called(*given: Any, **named: Any) -> Any:
        made = function(*given, **named)
        scene = made[0] if isinstance(made, tuple) and made else made
        if isinstance(scene, Scene):
            check(scene, next((part for part in given[:1] if isinstance(part, Scene)), None))
        return made

    return called
