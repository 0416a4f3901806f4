"""Tells whether a file on the disk was written anew."""

from __future__ import annotations

from pathlib import Path

Stamp = tuple[int, ...]


def stamp_of(path: Path) -> Stamp | None:
    """What tells a file on the disk from another one, or from itself written anew; None where there is none."""
    try:
        found = Path(path).stat()
    except (OSError, ValueError):
        return None
    return found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns
