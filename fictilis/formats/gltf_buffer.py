"""The numbers of a glTF file: arrays as bytes, each with its view and accessor, sparse where that is smaller.

Source: glTF 2.0 specification (Khronos Group), 3.6 Binary Data Storage.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from fictilis.core.ground.arrays import box
from fictilis.core.ground.errors import EditRefused

FLOAT, UINT, USHORT, UBYTE = 5126, 5125, 5123, 5121
ARRAY_BUFFER, ELEMENT_BUFFER = 34962, 34963


class Buffer:
    """Collects arrays as parts of one binary blob, each with its view and accessor."""

    def __init__(self, gltf: Any) -> None:
        self.gltf = gltf
        self.parts: list[bytes | memoryview] = []
        self.length = 0

    def add(self, array: np.ndarray, kind: str, target: int | None = None, bounds: bool = False) -> int:
        array = single(array)
        count = len(array) if kind != "SCALAR" else array.size
        low, high = (box(array) if array.ndim == 2 else (array.min(), array.max())) if bounds else (None, None)
        component = FLOAT if array.dtype.kind == "f" else UINT
        return self._accessor(count, kind, component, low, high, bufferView=self.view(array.tobytes(), target))

    def numbers(self, array: np.ndarray) -> int:
        """An accessor of small whole numbers (n, 4), below 65,536."""
        small = array.max(initial=0) < 256
        stored = np.ascontiguousarray(array, np.uint8 if small else np.uint16)
        return self._accessor(
            len(stored), "VEC4", UBYTE if small else USHORT, bufferView=self.view(stored.tobytes(), ARRAY_BUFFER)
        )

    def take(self, rows: Packed) -> int:
        """An accessor of rows that were packed."""
        from pygltflib import AccessorSparseIndices, AccessorSparseValues, Sparse

        more: dict[str, Any] = {"low": rows.low, "high": rows.high}
        if rows.rows is None:
            return self._accessor(rows.count, "VEC3", FLOAT, bufferView=self.view(rows.data, ARRAY_BUFFER), **more)
        parts = Sparse(
            count=len(rows.rows) // 4,
            indices=AccessorSparseIndices(bufferView=self.view(rows.rows), componentType=UINT),
            values=AccessorSparseValues(bufferView=self.view(rows.data)),
        )
        return self._accessor(rows.count, "VEC3", FLOAT, sparse=parts, byteOffset=None, **more)

    def view(self, data: bytes | memoryview, target: int | None = None) -> int:
        """Bytes that begin at a multiple of four, as the standard asks."""
        from pygltflib import BufferView

        self.gltf.bufferViews.append(BufferView(buffer=0, byteOffset=self.length, byteLength=len(data), target=target))
        self.parts += [data, bytes(-len(data) % 4)]
        self.length += len(data) + -len(data) % 4
        return len(self.gltf.bufferViews) - 1

    def _accessor(self, count: int, kind: str, component: int, low: Any = None, high: Any = None, **data: Any) -> int:
        from pygltflib import Accessor

        accessor = Accessor(componentType=component, count=count, type=kind, **data)
        if low is not None:
            accessor.min = np.atleast_1d(low).astype(float).tolist()
            accessor.max = np.atleast_1d(high).astype(float).tolist()
        self.gltf.accessors.append(accessor)
        return len(self.gltf.accessors) - 1


class Packed(Struct, frozen=True):
    """Rows of three numbers as bytes, with their bounds; where most are nothing ``rows`` are the numbers of the others."""

    count: int
    low: list[float]
    high: list[float]
    data: bytes | memoryview
    rows: bytes | None = None


def packed(axes: Sequence[np.ndarray]) -> Packed:
    """x, y and z (n,) float32 as rows, of those alone that are something where that is smaller."""
    for axis in axes:
        single(axis)
    count, there = len(axes[0]), np.zeros(len(axes[0]), bool)
    for axis in axes:
        there |= axis != 0
    low, high = [[float(find(axis)) for axis in axes] for find in (np.min, np.max)] if count else ([0.0] * 3, [0.0] * 3)
    if np.count_nonzero(there) * 16 >= count * 12:
        return Packed(count, low, high, _rows(axes))
    rows = np.flatnonzero(there) if there.any() else np.zeros(1, np.int64)  # one at least
    return Packed(count, low, high, _rows([axis[rows] for axis in axes]), rows.astype(np.uint32).tobytes())


def _rows(axes: Sequence[np.ndarray]) -> memoryview:
    """The bytes of x, y and z (n,) float32 as rows."""
    out = np.empty((len(axes[0]), 3), np.float32)
    for k, axis in enumerate(axes):
        out[:, k] = axis
    return out.reshape(-1).view(np.uint8).data


def single(array: np.ndarray) -> np.ndarray:
    """In single precision, or as whole numbers. Raises EditRefused for what is too large."""
    floats = array.dtype.kind == "f"
    with np.errstate(over="ignore"):
        array = np.ascontiguousarray(array, np.float32 if floats else np.uint32)
    if floats and not np.isfinite(array).all():
        raise EditRefused(f"A number of the scene is too large for glTF, which takes up to {np.finfo(np.float32).max:.1e}.")
    return array
