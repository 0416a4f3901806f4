"""Fictilis among the applications of the desktop: an entry in its menu, an icon, and the kind of its files.

Source: freedesktop.org, Desktop Entry Specification 1.5, Shared MIME-info Database 0.21, Icon Theme Specification 0.13.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

from fictilis.core.ground.errors import CannotSave

KIND = "application/x-fictilis"
ICON = Path(__file__).parent / "app" / "assets" / "fictilis.svg"
ENTRY = """[Desktop Entry]
Type=Application
Version=1.5
Name=Fictilis
GenericName=Morph targets
Comment=Shape, mix and animate morph targets
Exec={command} %f
Icon=fictilis
Terminal=false
Categories=Graphics;3DGraphics;
MimeType={kind};
StartupWMClass=fictilis
"""
KINDS = f"""<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{KIND}">
    <comment>Fictilis scene</comment>
    <icon name="fictilis"/>
    <sub-class-of type="application/zip"/>
    <glob pattern="*.fictilis"/>
  </mime-type>
</mime-info>
"""


def data_home() -> Path:
    """Where the files of a user's own applications lie."""
    given = os.environ.get("XDG_DATA_HOME", "")
    return Path(given) if given.startswith("/") else Path.home() / ".local" / "share"


def places() -> dict[Path, str]:
    """Each file of the desktop, and its text."""
    home = data_home()
    return {
        home / "applications" / "fictilis.desktop": ENTRY.format(command=command(), kind=KIND),
        home / "mime" / "packages" / "fictilis.xml": KINDS,
        home / "icons" / "hicolor" / "scalable" / "apps" / "fictilis.svg": ICON.read_text(encoding="utf-8"),
    }


def command() -> str:
    """How this very installation is started, as an Exec key says it."""
    beside = Path(sys.executable).with_name("fictilis")
    found = str(beside) if beside.is_file() else shutil.which("fictilis")
    return " ".join(map(_quoted, [found] if found else [sys.executable, "-m", "fictilis"]))


def _quoted(word: str) -> str:
    """A word of an Exec key: quoted, then escaped once more as every value is."""
    for sign in '\\"`$':
        word = word.replace(sign, "\\" + sign)
    return '"' + word.replace("\\", "\\\\").replace("%", "%%") + '"'


def install() -> list[Path]:
    """Write the files and tell the desktop; the files. Raises CannotSave."""
    files = places()
    for path, text in files.items():
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
        except OSError as error:
            raise CannotSave(f"{path} cannot be written: {error.strerror}.") from None
    _tell()
    return list(files)


def remove() -> list[Path]:
    """Take the files away again; those that were there. Raises CannotSave."""
    there = [path for path in places() if path.is_file()]
    for path in there:
        try:
            path.unlink()
        except OSError as error:
            raise CannotSave(f"{path} cannot be removed: {error.strerror}.") from None
    _tell()
    return there


def _tell() -> None:
    """Bring the desktop's own lists up to date, where it has such programs; else it does so when it starts."""
    for program, folder in (("update-mime-database", "mime"), ("update-desktop-database", "applications")):
        if shutil.which(program) and (data_home() / folder).is_dir():
            subprocess.run([program, str(data_home() / folder)], check=False, capture_output=True)
