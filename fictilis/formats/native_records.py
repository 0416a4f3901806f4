"""Values as the records of ``scene.json``, and back: a record has the fields of its value, with names of stored arrays in place
of the arrays. What differs from that is in the tables here. Described in docs/file-format.md."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from operator import attrgetter
from types import UnionType
from typing import Any, Protocol, Union, get_args, get_origin

import msgspec
import numpy as np
from msgspec import NODEFAULT, Struct, field
from msgspec.structs import fields, force_setattr

from fictilis.core.animation.curve import AnimationCurve, Key
from fictilis.core.geometry.kinds import Geometry, Line, Match, Mesh, Tube
from fictilis.core.geometry.picked import Pick
from fictilis.core.ground.errors import BadFile
from fictilis.core.ground.names import seen_name
from fictilis.core.scene.appearance import Texture
from fictilis.core.scene.kept import FormNumbers, NamedPick
from fictilis.core.scene.point_spring import PointSpring
from fictilis.core.scene.rigs import Bound, Rig, RigTrack, Skin
from fictilis.core.scene.rules import Follow
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, Target
from fictilis.core.scene.sweep import Sweep
from fictilis.core.scene.timeline import Lane

ANY, MATRIX = -1, 16
NO_PARTS: Any = None  # for what holds no arrays
# type of each stored array and the width of its rows, none where it has no rows
ARRAYS: dict[tuple[type, str], tuple[str, int | None]] = {
    (Deltas, "indices"): ("<i4", None), (Deltas, "offsets"): ("<f8", 3), (Target, "mask"): ("<f8", None),
    (Sweep, "field"): ("<f8", None), (PointSpring, "field"): ("<f8", None), (Match, "points"): ("<f8", 3),
    (MorphObject, "base"): ("<f8", 3), (Pick, "elements"): ("<i8", None), (Texture, "projected"): ("<f8", 2),
    (Tube, "profile"): ("<f8", 2), (Line, "widths"): ("<f8", None), (Mesh, "corners"): ("<i4", None),
    (Mesh, "offsets"): ("<i4", None), (Mesh, "uvs"): ("<f8", 2), (Mesh, "uv_corners"): ("<i4", None),
    (RigTrack, "times"): ("<f8", None), (RigTrack, "values"): ("<f4", ANY), (RigTrack, "into"): ("<f4", ANY),
    (RigTrack, "out"): ("<f4", ANY), (Rig, "parents"): ("<i4", None), (Rig, "matrices"): ("<f8", MATRIX),
    (Rig, "numbers"): ("<f8", 10), (Bound, "joints"): ("<i4", None), (Bound, "inverse"): ("<f8", MATRIX),
    (Bound, "bind"): ("<f8", MATRIX), (Bound, "parts"): ("<i4", ANY), (Bound, "weights"): ("<f4", ANY),
    (Bound, "into"): ("<f8", 4), (Bound, "out"): ("<f8", 4),
}  # fmt: skip
# values whose fields stand among those of the value that holds them
WITHIN = {(Lane, "curve"), (Follow, "curve"), (NamedPick, "pick"), (MorphObject, "appearance"), (Skin, "bound")}

# what may be absent in a record, besides what may be none: files of earlier programs do not have them
ABSENT = {
    "after", "before", "cameras", "clips", "cues", "deformers", "degree", "drawn", "groups", "id_floor", "in_betweens",
    "line_colour", "lines", "locked", "loop", "markers", "measures", "mixes", "modifiers", "muted", "name", "note", "on",
    "opacity", "parts", "picks", "solo", "through", "views",
}  # fmt: skip


class Storing(Protocol):
    """The file that is written: its arrays get names there."""

    rigs: list[Rig]

    def store(self, array: np.ndarray) -> str: ...


class Parts(Protocol):
    """The file that is read: its arrays by name, and the rigs that were read before."""

    rigs: list[Rig]

    def array(self, name: str, dtype: str, width: int | None = None) -> np.ndarray: ...
    def fail(self, what: str) -> BadFile: ...


Read = Callable[[Any, Parts], Any]


@dataclass(frozen=True)
class Other:
    """A field that is written in another way: its name and type in the record, and how it is written and read."""

    name: str
    kind: Any
    write: Callable[[Any, Storing], Any]
    read: Read


def _rig(number: int, parts: Parts) -> Rig:
    if not 0 <= number < len(parts.rigs):
        raise parts.fail(f"a skin hangs on rig {number} of {len(parts.rigs)}")
    return parts.rigs[number]


def _whether(name: str) -> Other:
    return Other(name, list[bool], lambda held, _: held.tolist(), lambda told, _: np.array(told, bool))


OTHERS = {
    (Mesh, "point_count"): Other("points", int, lambda held, _: held, lambda told, _: told),
    (Line, "starts"): Other(
        "points", list[int], lambda held, _: np.diff(held).tolist(), lambda told, _: np.cumsum([0, *told])
    ),
    (Line, "closed"): _whether("closed"),
    (Rig, "by_matrix"): _whether("by_matrix"),
    (Bound, "rig"): Other("rig", int, lambda held, parts: [rig is held for rig in parts.rigs].index(True), _rig),
    (FormNumbers, "numbers"): Other(
        "numbers", dict[str, float], lambda held, _: dict(held), lambda told, _: tuple(sorted(told.items()))
    ),
}  # fmt: skip


def _is_union(kind: Any) -> bool:
    return get_origin(kind) in (Union, UnionType)


@cache
def _fields(kind: type[Struct]) -> list[Any]:
    """The fields of a value that are written; a line has none of what a mesh has."""
    known = {f.name for f in fields(Geometry)} if kind is Line else set()
    return [f for f in fields(kind) if f.name not in known]


def _default(part: Any) -> Any:
    return part.default if part.default_factory is NODEFAULT else field(default_factory=part.default_factory)


def _as_stored(kind: Any) -> Any:
    """The type that stands in a record for the type of a field."""
    if kind in (np.ndarray, bytes):
        return str
    if kind is AnimationCurve:
        return list[Key]
    if get_origin(kind) is tuple and get_args(kind)[-1] is ...:
        return list[_as_stored(get_args(kind)[0])]  # type: ignore[misc]
    if _is_union(kind):
        return Union[tuple(_as_stored(part) for part in get_args(kind))]  # noqa: UP007 - of types that are only known here
    return record_of(kind) if isinstance(kind, type) and issubclass(kind, Struct) else kind


@cache
def record_of(kind: type[Struct]) -> type[Struct]:
    """The record of a class of values. It refuses fields that it does not know."""
    if kind is Geometry:
        return record_of(Mesh) | record_of(Line)  # type: ignore[return-value]
    if kind is Key:  # of which there are most, read straight as values
        return kind
    rows: list[Any] = []
    if kind is Scene:
        rows = [("schema", int), ("rigs", _as_stored(tuple[Rig, ...]), field(default_factory=list))]
    for part in _fields(kind):
        other = OTHERS.get((kind, part.name))
        if (kind, part.name) in WITHIN:
            rows += [(f.name, f.type, _default(f)) for f in fields(record_of(part.type))]
        elif other is not None:
            rows.append((other.name, other.kind))
        elif part.default is None or (part.name in ABSENT and part.default is not NODEFAULT):
            rows.append((part.name, _as_stored(part.type), [] if part.default == () else part.default))
        else:
            rows.append((part.name, _as_stored(part.type)))
    tag: dict[str, Any] = {"tag_field": "kind", "tag": kind.kind} if issubclass(kind, Geometry) else {}
    return msgspec.defstruct(kind.__name__, rows, forbid_unknown_fields=True, kw_only=True, **tag)


def written(value: Any, parts: Storing = NO_PARTS) -> Any:
    """A value, or a field of one, as it stands in a record."""
    if isinstance(value, np.ndarray):
        return parts.store(value.reshape(len(value), -1) if value.ndim == 3 else value)
    if isinstance(value, bytes):
        return parts.store(np.frombuffer(value, np.uint8))
    if isinstance(value, AnimationCurve):
        return list(value.keys)
    if isinstance(value, tuple):
        return [written(part, parts) for part in value]
    return record(value, parts) if isinstance(value, Struct) and not isinstance(value, Key) else value


def record(value: Struct, parts: Storing = NO_PARTS, **more: Any) -> Struct:
    """A value as its record; ``more`` are fields that only the record has."""
    return record_of(type(value))(**more, **_told(value, parts))


def _told(value: Struct, parts: Storing) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for name, inside, other in _fields_told(type(value)):
        held = getattr(value, name)
        if inside:
            out |= _told(held, parts)
        elif other is not None:
            out[other.name] = other.write(held, parts)
        else:
            out[name] = written(held, parts)
    return out


@cache
def _fields_told(kind: type[Struct]) -> list[tuple[str, bool, Other | None]]:
    """The fields of a class: name, whether its own fields stand in its place, and how it is written if differently."""
    return [(f.name, (kind, f.name) in WITHIN, OTHERS.get((kind, f.name))) for f in _fields(kind)]


def value(kind: type[Struct], told: Any, parts: Parts = NO_PARTS) -> Any:
    """The value of a class that a record tells of. Raises BadFile, FictilisError or ValueError for what is none."""
    return kind(**{name: read(told, parts) for name, read in _fields_read(kind)})


@cache
def _fields_read(kind: type[Struct]) -> list[tuple[str, Read]]:
    """For each field of a class, what finds it in the record of such a value."""
    return [(part.name, _field_read(kind, part)) for part in _fields(kind)]


def _field_read(kind: type[Struct], part: Any) -> Read:
    if (kind, part.name) in WITHIN:
        return lambda told, parts: value(part.type, told, parts)
    if other := OTHERS.get((kind, part.name)):
        return lambda told, parts: other.read(getattr(told, other.name), parts)
    read = _read(part.type, ARRAYS.get((kind, part.name)))
    find = attrgetter(part.name)
    if read is None:
        return lambda told, _: find(told)
    return lambda told, parts: None if (held := find(told)) is None else read(held, parts)


def _read(kind: Any, stored: tuple[str, int | None] | None = None) -> Read | None:
    """What makes something of this type of what stands in a record; None where the same stands there."""
    if stored is not None:
        dtype, width = stored
        if width == MATRIX:
            return lambda told, parts: parts.array(told, dtype, MATRIX).reshape(-1, 4, 4)
        return lambda told, parts: parts.array(told, dtype, width)
    kind = next(part for part in get_args(kind) if part is not type(None)) if _is_union(kind) else kind
    if kind is bytes:
        return lambda told, parts: parts.array(told, "|u1").tobytes()
    if kind is AnimationCurve:
        return lambda told, _: AnimationCurve(tuple(told)) if told else None
    if kind is Geometry:
        return lambda told, parts: value(Line if isinstance(told, record_of(Line)) else Mesh, told, parts)
    if get_origin(kind) is tuple and get_args(kind)[-1] is ...:
        of = get_args(kind)[0]
        each = _read(of)
        if each is None:
            return lambda told, _: tuple(told)
        # a lane without keys leads nothing, and no other part of the program knows of such
        return lambda told, parts: tuple(each(part, parts) for part in told if of is not Lane or part.keys)
    if isinstance(kind, type) and issubclass(kind, Struct) and kind is not Key:
        return lambda told, parts: value(kind, told, parts)
    return None


def with_seen_names(value: object) -> None:
    """Every text of a record with all of its letters seen, in place: names of a file may come from anywhere."""
    if isinstance(value, (list, tuple)):
        for part in value:
            with_seen_names(part)
    elif isinstance(value, Struct):
        for name in value.__struct_fields__:
            held = getattr(value, name)
            if isinstance(held, str) and not (held.isascii() and held.isprintable()):
                force_setattr(value, name, seen_name(held))
            elif name != "keys":
                with_seen_names(held)
