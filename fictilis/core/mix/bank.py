"""The delta bank: mixed points at a cost that follows the deltas that are on, not the mesh."""

from __future__ import annotations

import sys

import numpy as np

from fictilis.core.mix.coefficients import columns
from fictilis.core.scene import Deltas, MorphObject

SPAN_FILL = 0.12  # below this share of moved points within its span a column is scattered instead
REFRESH_AFTER = 64  # single-weight updates before all is summed afresh, so that rounding cannot pile up


def add_scaled(out: np.ndarray, values: np.ndarray, factor: float) -> None:
    """``out += factor * values`` in place, both flat and of one float dtype; by BLAS once SciPy is loaded.

    SciPy takes long to import, and the first picture does not wait for it.
    """
    blas = sys.modules.get("scipy.linalg.blas")
    if blas is None or not hasattr(blas, "daxpy"):
        out += values * out.dtype.type(factor)
    elif out.dtype == np.float32:
        blas.saxpy(values, out, a=factor)
    else:
        blas.daxpy(values, out, a=factor)


class _Span:
    """A column whose moved points lie close together: dense between its first and last."""

    def __init__(self, deltas: Deltas, dtype: type) -> None:
        low, high = int(deltas.indices[0]), int(deltas.indices[-1]) + 1
        values = np.zeros((high - low, 3), dtype)
        values[deltas.indices - low] = deltas.offsets
        self.part, self.values = slice(3 * low, 3 * high), values.ravel()

    def add(self, out: np.ndarray, factor: float) -> None:
        add_scaled(out[self.part], self.values, factor)


class _Scatter:
    """A column whose moved points lie far apart."""

    def __init__(self, deltas: Deltas, dtype: type) -> None:
        self.places = (3 * deltas.indices.astype(np.intp)[:, None] + np.arange(3)).ravel()
        self.values = deltas.offsets.astype(dtype).ravel()

    def add(self, out: np.ndarray, factor: float) -> None:
        out[self.places] += self.values * out.dtype.type(factor)


def _compile(deltas: Deltas, dtype: type) -> _Span | _Scatter | None:
    if not len(deltas.indices):
        return None
    span = int(deltas.indices[-1]) - int(deltas.indices[0]) + 1
    return (_Span if len(deltas.indices) > SPAN_FILL * span else _Scatter)(deltas, dtype)


class DeltaBank:
    """Mixes one object. Keeps the last result, so that one changed weight costs only its own column.

    ``dtype`` is float64 for exact evaluation, float32 for pictures.
    """

    def __init__(self, obj: MorphObject, dtype: type = np.float64, earlier: DeltaBank | None = None) -> None:
        self.obj = obj
        self.dtype = np.dtype(dtype)
        self._base = obj.base.astype(dtype).ravel()
        known = dict(earlier._compiled) if earlier is not None and earlier.dtype == self.dtype else {}
        self._compiled = {}
        for column in columns(obj):
            kept = known.get(id(column.deltas))
            if kept is None or kept[0] is not column.deltas:
                kept = (column.deltas, _compile(column.deltas, dtype))
            self._compiled[id(column.deltas)] = kept
        self._columns = [self._compiled[id(column.deltas)][1] for column in columns(obj)]
        self._points = self._base.copy()
        self._coefficients = np.zeros(len(self._columns))
        self._updates = 0

    def mix(self, coefficients: np.ndarray) -> np.ndarray:
        """Points (n, 3) for coefficients (c,). The array is the bank's own: it changes with the next call.

        Raises ValueError when the number of coefficients is not the number of columns.
        """
        wanted = np.asarray(coefficients, np.float64)
        if wanted.shape != self._coefficients.shape:
            raise ValueError(f"expected {len(self._coefficients)} coefficients, got an array shaped {wanted.shape}")
        changed = np.flatnonzero(wanted != self._coefficients)
        exact = self.dtype == np.float64
        if len(changed) and (exact or len(changed) > 1 or self._updates >= REFRESH_AFTER):
            self._points[:] = self._base
            self._updates = 0
            for number in np.flatnonzero(wanted):
                self._add(int(number), float(wanted[number]))
        elif len(changed):
            number = int(changed[0])
            self._add(number, float(wanted[number] - self._coefficients[number]))
            self._updates += 1
        self._coefficients = wanted.copy()
        return self._points.reshape(-1, 3)

    def _add(self, number: int, factor: float) -> None:
        column = self._columns[number]
        if column is not None:
            column.add(self._points, factor)


def mixed_points(obj: MorphObject, coefficients: np.ndarray) -> np.ndarray:
    """Points (n, 3) float64 of one mix, an array of the caller's own."""
    out = obj.base.copy()
    for number in np.flatnonzero(coefficients):
        deltas = columns(obj)[number].deltas
        out[deltas.indices] += coefficients[number] * deltas.offsets
    return out
