"""Whether two scenes are alike, and what a scene file holds."""

import json
import zipfile
from pathlib import Path

import numpy as np


def field_names(value):
    return getattr(value, "__struct_fields__", ()) or getattr(value, "__dataclass_fields__", ())


def same(a, b):
    """Whether two values hold the same, arrays by content."""
    if isinstance(a, np.ndarray):
        return a.dtype == b.dtype and np.array_equal(a, b)
    if parts := field_names(a):
        return type(a) is type(b) and all(same(getattr(a, f), getattr(b, f)) for f in parts)
    if isinstance(a, tuple):
        return len(a) == len(b) and all(same(x, y) for x, y in zip(a, b, strict=True))
    return a == b


def same_bits(a, b):
    """As ``same``, with 0 and -0 apart."""
    if isinstance(a, np.ndarray):
        return a.dtype == b.dtype and a.shape == b.shape and a.tobytes() == b.tobytes()
    if parts := field_names(a):
        return type(a) is type(b) and all(same_bits(getattr(a, f), getattr(b, f)) for f in parts)
    if isinstance(a, tuple):
        return len(a) == len(b) and all(same_bits(x, y) for x, y in zip(a, b, strict=True))
    return repr(a) == repr(b)


def rewrite(path: Path, change) -> None:
    """Change the entries of a scene file: ``change(entries)`` edits a dict of name → bytes."""
    with zipfile.ZipFile(path) as archive:
        entries = {i.filename: archive.read(i) for i in archive.infolist()}
    change(entries)
    with zipfile.ZipFile(path, "w") as archive:
        for name, data in entries.items():
            archive.writestr(name, data)


def edit_json(path: Path, change) -> None:
    def apply(entries):
        record = json.loads(entries["scene.json"])
        change(record)
        entries["scene.json"] = json.dumps(record).encode()

    rewrite(path, apply)
