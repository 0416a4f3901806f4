"""What is remembered between sessions, typed."""

from __future__ import annotations

import json
from pathlib import Path

from PyQt6.QtCore import QByteArray, QSettings

from fictilis.render.renderer import Light

RECENT_FILES = 10
RENAMED = {"tangent-free": "tangent-broken", "tangent-aligned": "tangent-joined"}  # actions, since version 0.3


class Settings:
    """A thin, typed layer over QSettings in one INI file."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self._store = QSettings(str(path), QSettings.Format.IniFormat)

    def theme(self) -> str:
        return str(self._store.value("theme", "Bisque"))

    def set_theme(self, name: str) -> None:
        self._store.setValue("theme", name)

    def recent(self) -> list[str]:
        return [str(p) for p in json.loads(str(self._store.value("recent", "[]")))]

    def add_recent(self, path: Path) -> None:
        text = str(Path(path).absolute())
        paths = [text, *(p for p in self.recent() if p != text)][:RECENT_FILES]
        self._store.setValue("recent", json.dumps(paths))

    def sizes(self, name: str) -> QByteArray | None:
        value = self._store.value(f"sizes/{name}")
        return value if isinstance(value, QByteArray) else None

    def set_sizes(self, name: str, value: QByteArray) -> None:
        self._store.setValue(f"sizes/{name}", value)

    def own_keys(self) -> dict[str, list[str]]:
        """Shortcuts a user has changed, by action id."""
        kept = json.loads(str(self._store.value("keys", "{}")))
        return {RENAMED.get(str(k), str(k)): [str(x) for x in v] for k, v in kept.items()}

    def set_own_keys(self, keys: dict[str, list[str]]) -> None:
        self._store.setValue("keys", json.dumps(keys))

    def light(self) -> Light:
        kept = json.loads(str(self._store.value("light", "[]")))
        return Light(*(float(v) for v in kept)) if len(kept) == 3 else Light()

    def picked(self) -> str:
        """The colour of what is picked, or nothing for the theme's."""
        return str(self._store.value("picked", ""))

    def set_light(self, light: Light, picked: str) -> None:
        self._store.setValue("light", json.dumps([light.right, light.up, light.strength]))
        self._store.setValue("picked", picked)

    def flag(self, name: str, default: bool) -> bool:
        return str(self._store.value(f"flags/{name}", default)).lower() == "true"

    def set_flag(self, name: str, value: bool) -> None:
        self._store.setValue(f"flags/{name}", value)
