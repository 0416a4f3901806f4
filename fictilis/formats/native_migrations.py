"""Older scene files brought to the present version, one step at a time, on the decoded ``scene.json`` before it is checked.

A step gets what is in the file, which may be anything: it changes what it knows and leaves the rest for the records to refuse.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

VERSION = 13
Record = dict[str, Any]


def migrated(data: Record, schema: int) -> Record:
    """The data of a file of version ``schema`` (1 … VERSION) as this version writes it; changed in place."""
    for version in range(schema, VERSION):
        MIGRATIONS[version](data)
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


def _from_1(data: Record) -> None:
    """What version 1 does not know (masks, groups, picks, textures, locks, views) is absent, and stays so."""


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


def _from_5(data: Record) -> None:
    """Numbers of ids that are gone were not kept; absent is none."""


def _from_6(data: Record) -> None:
    """No target had a rule; absent is none."""


def _from_7(data: Record) -> None:
    """No group was a relay, no weight followed one number, no target was linked or
    swept, and there were no clips by name; absent is none."""


def _from_8(data: Record) -> None:
    """Lines were of degree 1 and thin, and no target was matched; absent is that."""


def _from_9(data: Record) -> None:
    """No object was repeated or had a point spring, and no camera followed a line; absent is none."""


def _from_10(data: Record) -> None:
    """What version 10 does not know (a reference picture, smooth surfaces) is absent, and stays so."""


def _from_11(data: Record) -> None:
    """Nothing was bent or hung on a rig; absent is that."""


def _from_12(data: Record) -> None:
    """No scene had cues; absent is none."""


MIGRATIONS: dict[int, Callable[[Record], None]] = {
    1: _from_1, 2: _from_2, 3: _from_3, 4: _from_4, 5: _from_5, 6: _from_6, 7: _from_7, 8: _from_8, 9: _from_9, 10: _from_10,
    11: _from_11, 12: _from_12,
}  # fmt: skip
