"""Older scene files brought to the present version, one step at a time, on the decoded ``scene.json`` before it is checked.

A step gets what is in the file, which may be anything: it changes what it knows and leaves the rest for the records to refuse.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

VERSION = 16
Record = dict[str, Any]


def migrated(data: Record, schema: int) -> Record:
    """The data of a file of version ``schema`` (1 … VERSION) as this version writes it; changed in place."""
    for version in range(schema, VERSION):
        MIGRATIONS.get(version, _nothing)(data)
    data["schema"] = VERSION
    return data


def _parts(data: Record, name: str) -> Iterator[Record]:
    """The records in a list of records."""
    rows = data.get(name)
    yield from (row for row in (rows if isinstance(rows, list) else ()) if isinstance(row, dict))


def _lanes(data: Record) -> Iterator[Record]:
    for owner in (*_parts(data, "objects"), *_parts(data, "cameras")):
        yield from _parts(owner, "lanes")


def _renamed(record: Record, was: str, now: str) -> None:
    if was in record and now not in record:
        record[now] = record.pop(was)


def _nothing(_data: Record) -> None:
    """What came with the next version is absent in the file, and its absence is allowed: masks, groups, picks, textures, locks
    and views (after 1), numbers of ids that are gone (5), rules (6), relays, links, sweeps and clips (7), degrees and widths of
    lines (8), copies and point springs (9), a reference and smooth surfaces (10), bends and rigs (11), cues (12), solo, locks
    and notes of targets (13), a light (14), measures and surface lines (15)."""


def _from_2(data: Record) -> None:
    """Lanes were of weights only, and called their channel a target."""
    for lane in _lanes(data):
        _renamed(lane, "target", "channel")


def _from_3(data: Record) -> None:
    """Where an object is was its location; tangents were aligned or free."""
    for obj in _parts(data, "objects"):
        if isinstance(obj.get("transform"), dict):
            _renamed(obj["transform"], "location", "position")
        for lane in _parts(obj, "lanes"):
            channel = lane.get("channel")
            if isinstance(channel, str) and channel.startswith("location."):
                lane["channel"] = channel.replace("location.", "position.", 1)
    tangents = {"aligned": "joined", "free": "broken"}
    for lane in _lanes(data):
        if lane.get("target") == "":  # written beside the channel
            del lane["target"]
        for key in _parts(lane, "keys"):
            if isinstance(key.get("tangent"), str):
                key["tangent"] = tangents.get(key["tangent"], key["tangent"])


def _from_4(data: Record) -> None:
    """Every object was a mesh."""
    for obj in _parts(data, "objects"):
        if isinstance(obj.get("mesh"), dict):
            obj["mesh"]["kind"] = "mesh"
        _renamed(obj, "mesh", "geometry")


MIGRATIONS: dict[int, Callable[[Record], None]] = {2: _from_2, 3: _from_3, 4: _from_4}
