"""What all records of ``scene.json`` are made from."""

from __future__ import annotations

from typing import Any

import msgspec


class Strict(msgspec.Struct, forbid_unknown_fields=True):
    """A record that refuses fields it does not know."""


def fields_of(value: object, record: type[msgspec.Struct]) -> dict[str, Any]:
    """The fields of a value that a record has too."""
    return {f: getattr(value, f) for f in record.__struct_fields__}
