"""What was made of the bytes of a sound, a picture or a movie, kept for those asked for last, and for as long as their scene is
there."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Generic, TypeVar

from fictilis.core.scene.scene import Scene

T = TypeVar("T")


class ByBytes(Generic[T]):
    """What was made of bytes, by which they are (bytes can be referred to strongly only), of the ``most`` put in last. Threads
    may be here at once."""

    every: list[ByBytes[Any]] = []

    def __init__(self, most: int) -> None:
        self._most, self._kept = most, dict[int, tuple[bytes, T]]()
        ByBytes.every.append(self)

    def get(self, data: bytes) -> T | None:
        kept = self._kept.get(id(data))
        return kept[1] if kept is not None and kept[0] is data else None

    def put(self, data: bytes, made: T) -> T:
        while len(self._kept) >= self._most:
            self._kept.pop(next(iter(tuple(self._kept)), 0), None)
        self._kept[id(data)] = (data, made)
        return made

    def keep_only(self, wanted: set[int]) -> None:
        for place in [place for place in tuple(self._kept) if place not in wanted]:
            self._kept.pop(place, None)


def keep_only_of(scene: Scene) -> None:
    """Let go of all that was made of another scene's bytes."""
    wanted = {id(data) for data in _bytes_of(scene)}
    for kept in ByBytes.every:
        kept.keep_only(wanted)


def _bytes_of(scene: Scene) -> Iterator[bytes]:
    if scene.sound is not None:
        yield scene.sound.data
    if scene.reference is not None:
        yield scene.reference.data
    for obj in scene.objects:
        texture = obj.appearance.texture
        if texture is not None and texture.image is not None:
            yield texture.image
