"""Undo as a list of scenes of which only the present one is whole: the others keep what differs from a neighbour.

A scene's large arrays (base, deltas, masks) are packed as the rows that differ from the same array one step nearer to
the present. Everything else in a scene is small, or shared.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fictilis.core.ground.arrays import any_in_rows
from fictilis.core.scene.scene import Deltas, MorphObject, Scene, Target


def _bits(array: np.ndarray) -> np.ndarray:
    """Float64 as the bits they are made of, so that 0 and -0 differ and what is no number equals itself."""
    return np.ascontiguousarray(array).view(np.int64)


class _Rows(Struct, frozen=True, eq=False, weakref=True):
    """An array as the rows in which it differs from a reference of the same length."""

    places: np.ndarray
    rows: np.ndarray

    @classmethod
    def of(cls, array: np.ndarray, reference: np.ndarray) -> _Rows:
        differs = _bits(array) != _bits(reference)
        places = np.flatnonzero(any_in_rows(differs) if differs.ndim > 1 else differs).astype(np.int32)
        return cls(places, array[places])

    def whole(self, reference: np.ndarray) -> np.ndarray:
        out = reference.copy()
        out[self.places] = self.rows
        out.flags.writeable = False
        return out

    @property
    def nbytes(self) -> int:
        return self.places.nbytes + self.rows.nbytes


class _DeltaRows(Struct, frozen=True, eq=False, weakref=True):
    """Deltas as the points that the reference has too many, and the rows that differ or that it lacks."""

    gone: np.ndarray
    places: np.ndarray
    rows: np.ndarray

    @classmethod
    def of(cls, deltas: Deltas, reference: Deltas) -> _DeltaRows:
        gone = np.setdiff1d(reference.indices, deltas.indices, assume_unique=True)
        at = np.searchsorted(reference.indices, deltas.indices)
        clipped = np.clip(at, 0, max(len(reference.indices) - 1, 0))
        differs = np.ones(len(deltas.indices), bool)
        if len(reference.indices):
            same = reference.indices[clipped] == deltas.indices
            differs[same] = any_in_rows(_bits(reference.offsets[clipped[same]]) != _bits(deltas.offsets[same]))
        return cls(gone, deltas.indices[differs], deltas.offsets[differs])

    def whole(self, reference: Deltas) -> Deltas:
        kept = ~(np.isin(reference.indices, self.gone) | np.isin(reference.indices, self.places))
        indices = np.concatenate([reference.indices[kept], self.places])
        offsets = np.concatenate([reference.offsets[kept], self.rows])
        order = np.argsort(indices, kind="stable")
        return Deltas(indices[order], offsets[order])

    @property
    def nbytes(self) -> int:
        return self.gone.nbytes + self.places.nbytes + self.rows.nbytes


Parts = dict[tuple[Any, ...], _Rows | _DeltaRows]


class Packed(Struct, frozen=True, eq=False, weakref=True):
    """A scene without the arrays in ``parts``, which are kept by their path as rows that differ from a neighbour's."""

    scene: Scene
    parts: Parts

    @property
    def nbytes(self) -> int:
        return sum(part.nbytes for part in self.parts.values())


_NO_DELTAS = Deltas()


@lru_cache(maxsize=16)
def _blank(*shape: int) -> np.ndarray:
    """Holds the place of a packed array, so that nothing keeps its neighbour's array alive."""
    out = np.zeros(shape)
    out.flags.writeable = False
    return out


def pack(scene: Scene, reference: Scene) -> Packed | Scene:
    """``scene`` by what differs from ``reference``; the scene itself where nothing can be saved."""
    there = {obj.id: obj for obj in reference.objects}
    parts: Parts = {}
    objects = tuple(_pack_object(o, there[o.id], parts) if _fits(o, there.get(o.id)) else o for o in scene.objects)
    return Packed(replace(scene, objects=objects), parts) if parts else scene


def _fits(obj: MorphObject, other: MorphObject | None) -> bool:
    return other is not None and obj is not other and len(obj.base) == len(other.base)


def _pack_object(obj: MorphObject, other: MorphObject, parts: Parts) -> MorphObject:
    if obj.base is not other.base:
        parts[obj.id,] = _Rows.of(obj.base, other.base)
        obj = replace(obj, base=_blank(len(obj.base), 3))
    known = {t.id: t for t in other.targets}
    return replace(obj, targets=tuple(_pack_target(obj.id, t, known.get(t.id), parts) for t in obj.targets))


def _pack_target(object_id: str, target: Target, other: Target | None, parts: Parts) -> Target:
    if other is None or target is other:
        return target
    new: dict[str, Any] = {}
    if target.deltas is not other.deltas:
        parts[object_id, target.id, "deltas"] = _DeltaRows.of(target.deltas, other.deltas)
        new["deltas"] = _NO_DELTAS
    if target.mask is not None and other.mask is not None and target.mask is not other.mask:
        parts[object_id, target.id, "mask"] = _Rows.of(target.mask, other.mask)
        new["mask"] = _blank(len(target.mask))
    stages = []
    for stage in target.in_betweens:
        twin = other.in_between(stage.at)
        if twin is not None and twin.deltas is not stage.deltas:
            parts[object_id, target.id, stage.at] = _DeltaRows.of(stage.deltas, twin.deltas)
            stage = replace(stage, deltas=_NO_DELTAS)
        stages.append(stage)
    return replace(target, in_betweens=tuple(stages), **new)


def unpack(packed: Packed | Scene, reference: Scene) -> Scene:
    """The scene again; ``reference`` is the one it was packed against, or its equal."""
    if isinstance(packed, Scene):
        return packed
    scene = packed.scene
    part: Any  # rows of an array, or of deltas, by what the path leads to
    for path, part in packed.parts.items():
        obj, other = scene.object(path[0]), reference.object(path[0])
        if len(path) == 1:
            scene = scene.with_object(replace(obj, base=part.whole(other.base)))
            continue
        target, its = obj.target(path[1]), other.target(path[1])
        if path[2] == "deltas":
            target = replace(target, deltas=part.whole(its.deltas))
        elif path[2] == "mask":
            target = replace(target, mask=part.whole(its.mask))
        else:
            deltas = part.whole(next(s.deltas for s in its.in_betweens if s.at == path[2]))
            stages = tuple(replace(s, deltas=deltas) if s.at == path[2] else s for s in target.in_betweens)
            target = replace(target, in_betweens=stages)
        scene = scene.with_object(obj.with_target(target))
    return scene


class History:
    """Labelled states, of which those near the present one are whole. A state is a frozen struct with a ``scene``."""

    def __init__(self, state: Any, steps: int = 500, whole: int = 8) -> None:
        self.steps, self.whole = steps, whole
        self._entries: list[tuple[str, Any]] = [("", state)]
        self._at = 0
        self._run: tuple[object, Any] = (None, None)  # what committed last, and what it left

    @property
    def state(self) -> Any:
        return self._entries[self._at][1]

    @state.setter
    def state(self, state: Any) -> None:
        """The present state replaced without a step."""
        self._entries[self._at] = (self._entries[self._at][0], state)

    def push(self, label: str, state: Any, run: object = None) -> None:
        """A further step, or one with what the same ``run`` pushed just before; what was ahead is forgotten."""
        goes_on = run is not None and self._run[0] is run and self._run[1] is self.state
        del self._entries[self._at + (0 if goes_on else 1) :]
        self._entries.append((label, state))
        self._run = (run, state)
        if len(self._entries) > self.steps:
            del self._entries[0]
        self._at = len(self._entries) - 1
        self._pack()

    def insert(self, label: str, state: Any) -> None:
        """A step after which what was undone can still come again; the same step ahead is taken in its place."""
        ahead = self._at + 1
        if self._entries[ahead : ahead + 1] and self._entries[ahead][0] == label:
            del self._entries[ahead]
        self._entries.insert(ahead, (label, state))
        self._at = ahead
        if len(self._entries) > self.steps:
            del self._entries[0]
            self._at -= 1
        self._pack()

    def undo_label(self) -> str:
        return self._entries[self._at][0] if self._at > 0 else ""

    def redo_label(self) -> str:
        return self._entries[self._at + 1][0] if self._at + 1 < len(self._entries) else ""

    def step(self, way: int) -> bool:
        """A step back (-1) or on (1); whether there was one."""
        if not 0 <= self._at + way < len(self._entries):
            return False
        self._at += way
        self._pack()
        return True

    @property
    def nbytes(self) -> int:
        """Bytes of what is kept packed."""
        return sum(s.scene.nbytes for _, s in self._entries if isinstance(s.scene, Packed))

    def _pack(self) -> None:
        """Make whole what came near, from the present outward, and pack what is now far."""
        for way in (-1, 1):
            for far in range(1, self.whole + 2):
                place = self._at + way * far
                if not 0 <= place < len(self._entries):
                    break
                label, state = self._entries[place]
                nearer = self._entries[place - way][1].scene
                scene: Packed | Scene
                if far <= self.whole:
                    scene = unpack(state.scene, nearer)
                else:
                    scene = state.scene if isinstance(state.scene, Packed) else pack(state.scene, nearer)
                if scene is not state.scene:
                    self._entries[place] = (label, replace(state, scene=scene))
