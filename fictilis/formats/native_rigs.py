"""Rigs and skins in the native format."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import numpy as np

from fictilis.core.ground.errors import BadFile
from fictilis.core.scene.rigs import PATHS, WIDTHS, Bound, Rig, RigClip, RigTrack, Skin, turn_ids
from fictilis.core.scene.scene import Scene
from fictilis.formats.native_records import RigClipRecord, RigRecord, RigTrackRecord, SkinRecord

Store = Callable[[np.ndarray], str]


class Arrays(Protocol):
    """The file that is read."""

    def array(self, name: str, dtype: str, width: int | None = None) -> np.ndarray: ...
    def rows(self, name: str, dtype: str) -> np.ndarray: ...
    def fail(self, what: str) -> BadFile: ...


class Rigs(list[Rig]):
    """The rigs of a scene, each once: one is told from another by identity."""

    def index(self, rig: Rig, *_rest: int) -> int:  # type: ignore[override]
        return next(number for number, held in enumerate(self) if held is rig)


def rigs_of(scene: Scene) -> Rigs:
    """The rigs that objects of a scene hang on, in the order of these."""
    out = Rigs()
    for obj in scene.objects:
        if obj.skin is not None and all(obj.skin.rig is not rig for rig in out):
            out.append(obj.skin.rig)
    return out


def rig_record(rig: Rig, store: Store) -> RigRecord:
    def track(t: RigTrack) -> RigTrackRecord:
        ends = {name: None if held is None else store(held) for name, held in (("into", t.into), ("out", t.out))}
        return RigTrackRecord(joint=t.joint, path=t.path, way=t.way, times=store(t.times), values=store(t.values), **ends)

    clips = [RigClipRecord(name=c.name, tracks=[track(t) for t in c.tracks]) for c in rig.clips]
    return RigRecord(
        name=rig.name, joints=list(rig.joints), parents=store(rig.parents), matrices=store(rig.matrices.reshape(-1, 16)),
        numbers=store(rig.numbers), by_matrix=rig.by_matrix.tolist(), clips=clips,
    )  # fmt: skip


def skin_record(skin: Skin, rig: int, store: Store) -> SkinRecord:
    b = skin.bound
    return SkinRecord(
        rig=rig, joints=store(b.joints), inverse=store(b.inverse.reshape(-1, 16)), parts=store(b.parts), into=store(b.into),
        weights=store(b.weights), out=store(b.out), dual=skin.dual, on=skin.on, clip=skin.clip, time=skin.time,
        turns=list(skin.turns), bind=None if b.bind is None else store(b.bind.reshape(-1, 16)),
    )  # fmt: skip


def read_rig(archive: Arrays, record: RigRecord) -> Rig:
    """Raises ValueError or BadFile for what is no rig."""

    def track(t: RigTrackRecord) -> RigTrack:
        if t.path not in PATHS:
            raise archive.fail(f"a joint of {record.name} has no {t.path[:20]}")
        wide = WIDTHS[t.path]
        ends = [None if name is None else archive.array(name, "<f4", wide) for name in (t.into, t.out)]
        return RigTrack(t.joint, t.path, t.way, archive.array(t.times, "<f8"), archive.array(t.values, "<f4", wide), *ends)

    return Rig(
        record.name, tuple(record.joints), archive.array(record.parents, "<i4"),
        archive.array(record.matrices, "<f8", 16).reshape(-1, 4, 4), archive.array(record.numbers, "<f8", 10),
        np.array(record.by_matrix, bool), tuple(RigClip(c.name, tuple(track(t) for t in c.tracks)) for c in record.clips),
    )  # fmt: skip


def read_skin(archive: Arrays, record: SkinRecord, rigs: list[Rig], count: int) -> Skin:
    """Raises ValueError or BadFile for what is no skin of ``count`` points."""
    if not 0 <= record.rig < len(rigs):
        raise archive.fail(f"a skin hangs on rig {record.rig} of {len(rigs)}")
    rig = rigs[record.rig]
    names = frozenset(turn_ids(rig))
    if any(channel not in names for channel, _ in record.turns):
        raise archive.fail("a skin turns joints that its rig does not have")
    weights = archive.rows(record.weights, "<f4")
    if len(weights) != count:
        raise archive.fail(f"a skin of {len(weights):,} points is on {count:,}")
    bind = None if record.bind is None else archive.array(record.bind, "<f8", 16).reshape(-1, 4, 4)
    bound = Bound(
        rig, archive.array(record.joints, "<i4"), archive.array(record.inverse, "<f8", 16).reshape(-1, 4, 4),
        archive.rows(record.parts, "<i4"), weights, archive.array(record.into, "<f8", 4), archive.array(record.out, "<f8", 4),
        bind,
    )  # fmt: skip
    return Skin(bound, record.dual, record.on, record.clip, record.time, tuple((c, float(v)) for c, v in record.turns))
