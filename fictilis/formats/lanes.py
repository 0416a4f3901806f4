"""Lanes with their curves as JSON, by the names of objects and targets: the timing alone, for another scene or a program.

Source: RFC 8259 (JSON). The records of a lane are those of scene files (docs/file-format.md).
"""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any

import msgspec
from msgspec.structs import replace

from fictilis.core.ground.errors import BadFile, EditRefused, FictilisError
from fictilis.core.mix.channels import channel, channels
from fictilis.core.scene.at_rate import AtRate
from fictilis.core.scene.scene import MorphObject, Scene
from fictilis.core.scene.timeline import Lane, SceneCamera
from fictilis.core.validity.lanes import checked_keys
from fictilis.formats.files import read_bytes, write_whole
from fictilis.formats.native_records import record_of, value, written
from fictilis.formats.weights import plain_name

KIND, VERSION = "lanes of Fictilis", 1
MOST_BYTES = 500_000_000
Owner = MorphObject | SceneCamera


class _Owner(msgspec.Struct, forbid_unknown_fields=True):
    name: str
    lanes: list[Any]


class LaneFile(msgspec.Struct, forbid_unknown_fields=True):
    """Lanes by the names of what they lead; frames are of ``fps`` a second."""

    kind: str
    version: int
    fps: float
    owners: list[_Owner]


def write_lanes(path: Path, scene: Scene, owners: Iterable[Owner]) -> None:
    """The lanes of objects and cameras. Raises EditRefused where none has any, and CannotSave."""
    rows = []
    for owner in owners:
        names = {found.id: found.name for found in channels(owner)}
        names_of = {t.id: t.name for t in owner.targets} if isinstance(owner, MorphObject) else {}
        lanes = [_with_shapes(lane, names[lane.channel], names_of) for lane in owner.lanes if lane.channel in names]
        if lanes:
            rows.append(_Owner(owner.name, written(tuple(lanes))))
    if not rows:
        raise EditRefused("There is nothing to export: no object or camera that was chosen has keys.")
    data = msgspec.json.format(msgspec.json.encode(LaneFile(KIND, VERSION, scene.fps, rows)), indent=1)
    write_whole(Path(path), lambda temporary: temporary.write_bytes(data + b"\n"))


def read_lanes(path: Path) -> LaneFile:
    """A file of lanes. Raises BadFile."""
    path = Path(path)
    try:
        found = msgspec.json.decode(read_bytes(path, MOST_BYTES), type=LaneFile)
        for row in found.owners:
            row.lanes = [value(Lane, told) for told in msgspec.convert(row.lanes, list[record_of(Lane)]) if told.keys]  # type: ignore[misc]
    except (msgspec.MsgspecError, FictilisError, ValueError, RecursionError) as error:
        raise BadFile(f"{path.name} cannot be read as lanes: {str(error)[:150].rstrip('.')}.") from None
    if found.kind != KIND or found.version != VERSION:
        raise BadFile(f"{path.name} cannot be read as lanes: it is “{found.kind[:40]}”, version {found.version}.")
    if not 0.1 <= found.fps <= 1000 or not found.owners:
        raise BadFile(
            f"{path.name} cannot be read as lanes: it has {len(found.owners)} objects at {found.fps:g} frames a second."
        )
    return found


def set_lanes(scene: Scene, file: LaneFile, object_id: str | None = None) -> tuple[Scene, int, list[str]]:
    """Lanes put in the place of those there are, by the names of objects and of what they lead, alike but for case, spaces and
    marks; a file of one object goes onto ``object_id`` whatever its name. Keys keep their seconds. Returns the scene, how many
    lanes were set, and the names that fit nothing. Raises EditRefused for keys that cannot be."""
    by_name = {plain_name(owner.name): owner for owner in scene.owners}
    only = scene.owner(object_id) if object_id is not None and len(file.owners) == 1 else None
    factor, count, left_out = scene.fps / file.fps, 0, []
    for row in file.owners:
        owner = only or by_name.get(plain_name(row.name))
        if owner is None:
            left_out.append(row.name)
            continue
        owner = scene.owner(owner.id)
        names = {plain_name(found.name): found.id for found in channels(owner)}
        shapes = {t.name: t.id for t in owner.targets} if isinstance(owner, MorphObject) else {}
        try:
            lanes = AtRate(factor).lanes(tuple(row.lanes))
        except (FictilisError, ValueError, TypeError) as error:
            raise EditRefused(f"The lanes of {row.name} cannot be taken: {str(error).rstrip('.')}.") from None
        for lane in lanes:
            channel_id = names.get(plain_name(lane.channel))
            if channel_id is None:
                left_out.append(f"{row.name}: {lane.channel}")
                continue
            new = _with_shapes(lane, channel_id, shapes if channel(owner, channel_id).poses else {})
            checked_keys(owner, channel_id, new.curve.keys)
            owner = replace(owner, lanes=(*(x for x in owner.lanes if x.channel != channel_id), new))
            count += 1
        scene = scene.with_owner(owner)
    if not count:
        raise EditRefused(f"No lane of the file fits: {', '.join(left_out[:8]) or 'it holds none'}.")
    return scene, count, left_out


def _with_shapes(lane: Lane, channel_id: str, shapes: dict[str, str]) -> Lane:
    """A lane of another channel; ``shapes`` are what its poses are called there."""
    keys = tuple(replace(pose, shape=shapes.get(pose.shape, pose.shape)) for pose in lane.curve.keys)
    return Lane(channel_id, replace(lane.curve, keys=keys), lane.modifiers)
