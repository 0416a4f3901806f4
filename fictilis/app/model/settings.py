"""What is remembered between sessions, each value with its type."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from msgspec.structs import replace
from PyQt6.QtCore import QByteArray, QSettings

if TYPE_CHECKING:  # settings are read before anything numeric is loaded
    from fictilis.core.scene.light import Light

T = TypeVar("T")
RECENT_FILES = 10
RENAMED = {"tangent-free": "tangent-broken", "tangent-aligned": "tangent-joined"}  # actions, since version 0.3


class Settings:
    """A thin, typed layer over QSettings in one INI file. What is damaged in it counts as not set.

    ``trouble`` is a sentence where settings cannot be kept, or could not be read; nothing otherwise.
    """

    def __init__(self, path: Path) -> None:
        self.trouble, self.folder = "", path.parent
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            if not os.access(path if path.exists() else path.parent, os.W_OK):
                raise PermissionError(13, "it is write-protected")
        except OSError as error:
            why = error.strerror or str(error)
            self.trouble = f"Settings cannot be kept in {path.parent} ({why}); they last until the window closes."
        self._store = QSettings(str(path), QSettings.Format.IniFormat)
        if self._store.status() == QSettings.Status.FormatError:
            self.trouble = f"The settings in {path} are damaged; Fictilis starts as it was shipped."
            self._store.clear()

    def _kept(self, name: str, default: T, fits: Callable[[Any], bool]) -> T:
        """A value kept as JSON, or the default where there is none that fits."""
        try:
            found = json.loads(str(self._store.value(name, "")))
        except (ValueError, RecursionError):
            return default
        return found if fits(found) else default

    def theme(self) -> str:
        return str(self._store.value("theme", "Bisque"))

    def set_theme(self, name: str) -> None:
        self._store.setValue("theme", name)

    def recent(self) -> list[str]:
        return self._kept("recent", [], lambda v: isinstance(v, list) and all(isinstance(p, str) for p in v))

    def add_recent(self, path: Path) -> None:
        text = str(Path(path).absolute())
        paths = [text, *(p for p in self.recent() if p != text)][:RECENT_FILES]
        self._store.setValue("recent", json.dumps(paths))

    def folders(self) -> list[str]:
        """Those that files were chosen in last."""
        return self._kept("folders", [], lambda v: isinstance(v, list) and all(isinstance(p, str) for p in v))

    def add_folder(self, folder: str) -> None:
        self._store.setValue("folders", json.dumps([folder, *(f for f in self.folders() if f != folder)][:RECENT_FILES]))

    def import_unit(self, folder: Path) -> tuple[str, bool]:
        """The unit of files of a folder that say none, as it was told last, and whether Z was up."""
        known: dict[str, Any] = self._kept("import units", {}, lambda v: isinstance(v, dict))
        found = known.get(str(Path(folder).absolute()))
        return (str(found[0]), bool(found[1])) if isinstance(found, list) and len(found) == 2 else ("", False)

    def set_import_unit(self, folder: Path, unit: str, z_up: bool) -> None:
        known: dict[str, Any] = self._kept("import units", {}, lambda v: isinstance(v, dict))
        place = str(Path(folder).absolute())
        known.pop(place, None)
        kept = dict(list(known.items())[-RECENT_FILES * 5 :]) | {place: [unit, z_up]}
        self._store.setValue("import units", json.dumps(kept))

    def picture_of(self, path: Path) -> Path:
        """Where the small picture of a scene is kept, if there is one."""
        from hashlib import sha1

        name = sha1(str(Path(path).absolute()).encode()).hexdigest()
        return self.folder / "pictures" / f"{name}.png"

    def keep_picture(self, path: Path, save: Callable[[str], bool]) -> None:
        """Keep the picture of a scene by ``save(file)``, and no longer those of scenes that are not among the last."""
        place = self.picture_of(path)
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            kept = {self.picture_of(Path(p)) for p in self.recent()}
            for old in set(place.parent.glob("*.png")) - kept:
                old.unlink()
        except OSError:
            return  # it is only a picture
        save(str(place))

    def sizes(self, name: str) -> QByteArray | None:
        value = self._store.value(f"sizes/{name}")
        return value if isinstance(value, QByteArray) else None

    def set_sizes(self, name: str, value: QByteArray) -> None:
        self._store.setValue(f"sizes/{name}", value)

    def own_keys(self) -> dict[str, list[str]]:
        """Shortcuts a user has changed, by action id."""
        kept: dict[str, list[str]] = self._kept(
            "keys", {}, lambda v: isinstance(v, dict) and all(isinstance(row, list) for row in v.values())
        )
        return {RENAMED.get(k, k): [str(x) for x in v] for k, v in kept.items()}

    def set_own_keys(self, keys: dict[str, list[str]]) -> None:
        self._store.setValue("keys", json.dumps(keys))

    def exports(self) -> dict[str, dict[str, Any]]:
        """What was chosen last, by a format's key."""
        return self._kept("exports", {}, lambda v: isinstance(v, dict) and all(isinstance(row, dict) for row in v.values()))

    def set_exports(self, chosen: dict[str, dict[str, Any]]) -> None:
        self._store.setValue("exports", json.dumps(chosen))

    def pictures(self) -> dict[str, dict[str, Any]]:
        """What was chosen last for movies and pictures, by kind."""
        return self._kept("pictures", {}, lambda v: isinstance(v, dict) and all(isinstance(row, dict) for row in v.values()))

    def set_pictures(self, chosen: dict[str, dict[str, Any]]) -> None:
        self._store.setValue("pictures", json.dumps(chosen))

    def export_kind(self) -> str:
        """The suffix of what was exported last, or nothing."""
        return str(self._store.value("export_kind", ""))

    def set_export_kind(self, suffix: str) -> None:
        self._store.setValue("export_kind", suffix)

    def light(self) -> Light:
        """That of scenes without one of their own."""
        from fictilis.core.scene.light import CLAYS, LIGHT_BOUNDS, MATT, Light

        kept: list[float] = self._kept("light", [], _are_numbers)
        clay = str(self._store.value("clay", MATT))
        told = {name: min(max(v, low), high) for (name, (low, high)), v in zip(LIGHT_BOUNDS.items(), kept, strict=False)}
        lines = self._colour("line_colour") or Light().line_colour
        return replace(Light(clay=clay if clay in CLAYS else MATT, line_colour=lines), **told)

    def picked(self) -> str:
        """The colour of what is picked, or nothing for the theme's."""
        return self._colour("picked")

    def _colour(self, name: str) -> str:
        colour = str(self._store.value(name, ""))
        return colour if re.fullmatch("#[0-9a-fA-F]{6}", colour) else ""

    def set_picked(self, picked: str) -> None:
        self._store.setValue("picked", picked)

    def set_light(self, light: Light) -> None:
        from fictilis.core.scene.light import LIGHT_BOUNDS

        self._store.setValue("light", json.dumps([getattr(light, name) for name in LIGHT_BOUNDS]))
        self._store.setValue("clay", light.clay)
        self._store.setValue("line_colour", light.line_colour)

    def has(self, name: str) -> bool:
        """Whether a flag was ever set."""
        return self._store.contains(f"flags/{name}")

    def flag(self, name: str, default: bool) -> bool:
        return str(self._store.value(f"flags/{name}", default)).lower() == "true"

    def number(self, name: str, default: int) -> int:
        try:
            return int(self._store.value(f"numbers/{name}", default))
        except (TypeError, ValueError):
            return default

    def set_number(self, name: str, value: int) -> None:
        self._store.setValue(f"numbers/{name}", value)

    def set_flag(self, name: str, value: bool) -> None:
        self._store.setValue(f"flags/{name}", value)


def _are_numbers(found: object) -> bool:
    """Of a light; settings of before had neither relief nor shade nor lines."""
    return (
        isinstance(found, list)
        and len(found) in (3, 4, 5, 6)
        and all(isinstance(x, int | float) and abs(x) < 1e4 for x in found)
    )
