"""The delta bank: mixed points at a cost that follows the deltas that are on, not the mesh."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np

from fictilis.core.ground.arrays import add_rows, distinct, loaded
from fictilis.core.mix.coefficients import columns
from fictilis.core.scene.scene import Deltas, MorphObject

if TYPE_CHECKING:
    from concurrent.futures import ThreadPoolExecutor

SPAN_FILL = 0.5  # below this share of moved points within its span a column is scattered instead
WHOLE = 0.8  # columns that move more of the mesh than this are stacked, for one matrix product
REFRESH_AFTER = 64  # updates before all is summed afresh, so that rounding cannot pile up
FOLLOWED = 8  # columns that may be others before a bank is better made anew


class _Span:
    """A column whose moved points lie close together: dense between its first and last."""

    def __init__(self, deltas: Deltas, dtype: np.dtype) -> None:
        low, high = int(deltas.indices[0]), int(deltas.indices[-1]) + 1
        values = np.zeros((high - low, 3), dtype)
        values[deltas.indices - low] = deltas.offsets
        self.part, self.values = slice(3 * low, 3 * high), values.ravel()

    def add(self, out: np.ndarray, factor: float) -> None:
        """``out += factor * values`` in place, by BLAS where it is loaded."""
        blas = loaded("scipy.linalg.blas")
        if blas is None:
            out[self.part] += self.values * out.dtype.type(factor)
        else:
            (blas.saxpy if out.dtype == np.float32 else blas.daxpy)(self.values, out[self.part], a=factor)


class _Scatter:
    """A column whose moved points lie far apart."""

    def __init__(self, deltas: Deltas, dtype: np.dtype) -> None:
        self.places = (3 * deltas.indices[:, None] + np.arange(3, dtype=np.int32)).ravel()
        self.values = deltas.offsets.astype(dtype).ravel()
        self._ends = np.array([0, len(self.places)], np.int32)

    def add(self, out: np.ndarray, factor: float) -> None:
        """``out[places] += factor * values`` in place, by SciPy's compiled sparse product where it is loaded."""
        sparse = loaded("scipy.sparse._sparsetools")
        if sparse is None or not hasattr(sparse, "csc_matvec"):
            out[self.places] += self.values * out.dtype.type(factor)
        else:
            factors = np.array([factor], out.dtype)
            sparse.csc_matvec(len(out), 1, self._ends, self.places, self.values, factors, out)


def _compile(deltas: Deltas, dtype: np.dtype) -> _Span | _Scatter | None:
    if not len(deltas.indices):
        return None
    span = int(deltas.indices[-1]) - int(deltas.indices[0]) + 1
    return (_Span if len(deltas.indices) > SPAN_FILL * span else _Scatter)(deltas, dtype)


class _Product:
    """Many columns of one kind as one matrix product, its points in two halves that run side by side.

    The halves are threads of our own: BLAS's helper threads keep spinning and slow the drawing that follows.
    """

    def __init__(self, parts: list[Any], size: int, dtype: np.dtype) -> None:
        middle = size // 6 * 3
        self.halves = [slice(0, middle), slice(middle, size)]
        self.large = size * len(parts) > 500_000
        self.scattered = isinstance(parts[0], _Scatter)
        self.matrices = [(self._csc if self.scattered else self._rows)(parts, half, dtype) for half in self.halves]
        self.buffers = [np.empty(half.stop - half.start, dtype) for half in self.halves]

    @staticmethod
    def _rows(parts: list[_Span], half: slice, dtype: np.dtype) -> np.ndarray:
        out = np.zeros((len(parts), half.stop - half.start), dtype)
        for row, part in zip(out, parts, strict=True):
            low, high = max(part.part.start, half.start), min(part.part.stop, half.stop)
            row[low - half.start : high - half.start] = part.values[low - part.part.start : high - part.part.start]
        return out

    @staticmethod
    def _csc(parts: list[_Scatter], half: slice, _dtype: np.dtype) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        bounds = [np.searchsorted(part.places, [half.start, half.stop]) for part in parts]
        places = np.concatenate([p.places[a:b] for p, (a, b) in zip(parts, bounds, strict=True)]) - half.start
        values = np.concatenate([p.values[a:b] for p, (a, b) in zip(parts, bounds, strict=True)])
        ends = np.concatenate([[0], np.cumsum([b - a for a, b in bounds])])
        return ends.astype(np.int32), places.astype(np.int32), values

    def add(self, out: np.ndarray, factors: np.ndarray) -> None:
        """``out += factors @ columns`` in place."""
        factors = factors.astype(out.dtype)
        if not self.large:
            self._add_half(0, out, factors)
            self._add_half(1, out, factors)
            return
        other = _pool().submit(self._add_half, 1, out, factors)
        self._add_half(0, out, factors)
        other.result()

    def _add_half(self, number: int, out: np.ndarray, factors: np.ndarray) -> None:
        part, matrix = out[self.halves[number]], self.matrices[number]
        if not self.scattered:
            part += np.dot(factors, matrix, out=self.buffers[number])
            return
        sparse = loaded("scipy.sparse._sparsetools")
        if sparse is not None and hasattr(sparse, "csc_matvec"):
            sparse.csc_matvec(len(part), len(factors), *matrix, factors, part)
            return
        ends, places, values = matrix
        part += np.bincount(places, values * np.repeat(factors, np.diff(ends)), len(part)).astype(out.dtype)


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    from concurrent.futures import ThreadPoolExecutor

    return ThreadPoolExecutor(1, thread_name_prefix="mix")


class DeltaBank:
    """Mixes one object. Keeps the last result, so that a changed weight costs only its own column.

    ``dtype`` is float64 for exact evaluation, where every mix is summed afresh, or float32 for pictures.
    """

    def __init__(self, obj: MorphObject, dtype: type = np.float64) -> None:
        self.dtype = np.dtype(dtype)
        self._base: np.ndarray = obj.base.astype(dtype).ravel()
        self._compiled: dict[int, tuple[Deltas, Any]] = {}
        self._products: dict[str, tuple[_Product, np.ndarray]] = {}  # with the columns' numbers, -1 for those that went
        self._points: np.ndarray = self._base.copy()
        self._coefficients = np.zeros(len(columns(obj)))
        self._updates = 0
        self._went: list[np.ndarray] = []  # points moved by columns that went since the last mix
        self.touched: np.ndarray | None = None
        self._take(obj)

    def _take(self, obj: MorphObject) -> None:
        """Make the columns of ``obj`` ready that are not known yet."""
        known, self._compiled = self._compiled, {}
        for column in columns(obj):
            kept = known.get(id(column.deltas))
            if kept is None or kept[0] is not column.deltas:
                kept = (column.deltas, _compile(column.deltas, self.dtype))
            self._compiled[id(column.deltas)] = kept
        self.obj, self.state = obj, object()  # the state is another one whenever the columns are
        self._columns = [self._compiled[id(column.deltas)][1] for column in columns(obj)]
        whole = [n for n, c in enumerate(self._columns) if isinstance(c, _Span) and len(c.values) > WHOLE * len(self._base)]
        self._whole = np.array(whole, np.intp)
        self._scattered = np.array([n for n, c in enumerate(self._columns) if isinstance(c, _Scatter)], np.intp)

    def follow(self, obj: MorphObject) -> bool:
        """Mix ``obj`` from now on, of the same base and mostly the same deltas; False where a bank of its own is better."""
        if self.obj.base is not obj.base or self.dtype == np.float64:
            return False
        old, new = columns(self.obj), columns(obj)
        free: dict[int, list[int]] = {}
        for number, column in enumerate(old):
            free.setdefault(id(column.deltas), []).append(number)
        before = np.array([places.pop(0) if (places := free.get(id(column.deltas))) else -1 for column in new], np.intp)
        gone = [number for places in free.values() for number in places]
        stays = before >= 0
        if max(len(gone), int(np.count_nonzero(~stays))) > FOLLOWED:
            return False
        for number in gone:
            if self._coefficients[number] and self._columns[number] is not None:
                self._columns[number].add(self._points, -float(self._coefficients[number]))
                self._went.append(old[number].deltas.indices)
        self._coefficients = np.where(stays, self._coefficients[before], 0.0) if len(old) else np.zeros(len(new))
        now = np.full(len(old) + 1, -1, np.intp)  # the last one for those that went before
        now[before[stays]] = np.flatnonzero(stays)
        self._products = {kind: (product, now[slots]) for kind, (product, slots) in self._products.items()}
        self._updates += 1
        self._take(obj)
        return True

    def fits(self, obj: MorphObject) -> bool:
        """Whether this bank can mix ``obj``: the same base and the very same deltas, whatever the weights."""
        mine, its = columns(self.obj), columns(obj)
        return (
            self.obj.base is obj.base
            and len(mine) == len(its)
            and all(a.deltas is b.deltas for a, b in zip(mine, its, strict=True))
        )

    def mix(self, coefficients: np.ndarray) -> np.ndarray:
        """Points (n, 3) for coefficients (c,). The array is the bank's own: it changes with the next call.

        ``touched`` then holds the points that changed where a single column did, else None.
        Raises ValueError when the number of coefficients is not the number of columns.
        """
        wanted = np.asarray(coefficients, np.float64)
        if wanted.shape != self._coefficients.shape:
            raise ValueError(f"expected {len(self._coefficients)} coefficients, got an array shaped {wanted.shape}")
        change = wanted - self._coefficients
        went, self._went = self._went, []
        alone = np.flatnonzero(change)
        if len(alone) > 1:
            self.touched = None
        else:
            moved = [*went, *(columns(self.obj)[number].deltas.indices for number in alone)]
            self.touched = distinct(np.concatenate(moved)) if len(moved) > 1 else moved[0] if moved else np.zeros(0, np.int32)
        if not len(alone):
            return self._points.reshape(-1, 3)
        fewer = np.count_nonzero(wanted) < np.count_nonzero(change) / 2
        if self.dtype == np.float64 or fewer or self._updates >= REFRESH_AFTER:
            self._points[:] = self._base
            change, self._updates, self.touched = wanted, 0, None
        self._add(change)
        self._updates += 1
        self._coefficients = wanted.copy()
        return self._points.reshape(-1, 3)

    def _add(self, factors: np.ndarray) -> None:
        factors = factors.copy()
        for kind, numbers in (("whole", self._whole), ("scattered", self._scattered)):
            if np.count_nonzero(factors[numbers]) > max(2, len(numbers) / 2):
                product, slots = self._product(kind, numbers)
                there = slots >= 0
                product.add(self._points, np.where(there, factors[slots], 0.0))
                factors[slots[there]] = 0.0
        for number in np.flatnonzero(factors):
            column = self._columns[number]
            if column is not None:
                column.add(self._points, float(factors[number]))

    def _product(self, kind: str, numbers: np.ndarray) -> tuple[_Product, np.ndarray]:
        """All columns of a kind but a few as one product, and their numbers."""
        made = self._products.get(kind)
        if made is None or len(numbers) - np.count_nonzero(made[1] >= 0) > FOLLOWED:
            made = _Product([self._columns[n] for n in numbers], len(self._base), self.dtype), numbers
            self._products[kind] = made
        return made


def mixed_points(obj: MorphObject, coefficients: np.ndarray) -> np.ndarray:
    """Points (n, 3) float64 of one mix, an array of the caller's own."""
    out = obj.base.copy()
    for number in np.flatnonzero(coefficients):
        deltas = columns(obj)[number].deltas
        add_rows(out, deltas.indices, deltas.offsets, float(coefficients[number]))
    return out
