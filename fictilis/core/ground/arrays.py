"""Arrays inside values are read-only; derived values are cached by the identity of the value they come from."""

from __future__ import annotations

import sys
from collections.abc import Callable
from functools import wraps
from typing import Any, Concatenate, Generic, ParamSpec, TypeVar
from weakref import WeakKeyDictionary, ref

import numpy as np
from msgspec import Struct
from msgspec.structs import force_setattr

S = TypeVar("S")
T = TypeVar("T")
U = TypeVar("U")
P = ParamSpec("P")


def frozen(values: Any, dtype: type, width: int | None = None) -> np.ndarray:
    """A read-only array of ``dtype``, shaped (n,) or, with ``width``, (n, width).

    Raises ValueError when the shape is another one. An array that is read-only already is shared, not copied.
    """
    array: np.ndarray = np.asarray(values, dtype=dtype)
    if width is not None and array.size == 0:
        array = array.reshape(0, width)
    wanted = 1 if width is None else 2
    if array.ndim != wanted or (width is not None and array.shape[1] != width):
        shape = "(n,)" if width is None else f"(n, {width})"
        raise ValueError(f"expected an array shaped {shape}, got {array.shape}")
    if array.flags.writeable or not array.flags.c_contiguous:
        array = np.array(array, dtype=dtype, order="C")
        array.flags.writeable = False
    return array


def distinct(values: np.ndarray) -> np.ndarray:
    """The different numbers of an array, sorted (k,). By sorting: np.unique's hash table takes fifty times as long for codes
    that follow a pattern, and its first call loads NumPy's masked arrays."""
    flat = np.sort(np.asarray(values).ravel())
    if not len(flat):
        return flat
    first = np.empty(len(flat), bool)
    first[0] = True
    np.not_equal(flat[1:], flat[:-1], out=first[1:])
    return flat[first]


def distinct_rows(rows: np.ndarray, count: int) -> np.ndarray:
    """The different rows (k, m) int64 of whole numbers 0 … ``count`` - 1, sorted; ``count`` ** m stays below 2 ** 63."""
    rows = np.asarray(rows, np.int64)
    count, codes = max(count, 1), np.zeros(len(rows), np.int64)
    for column in rows.T:
        codes = codes * count + column
    codes = distinct(codes)
    out = np.empty((len(codes), rows.shape[1]), np.int64)
    for place in range(rows.shape[1] - 1, -1, -1):
        codes, out[:, place] = np.divmod(codes, count)
    return out


def box(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The lowest and the highest corner (k,) of points (n, k), n ≥ 1. By columns: NumPy's own way along the first axis takes
    eighteen times as long."""
    columns = np.asarray(points).T
    return np.array([c.min() for c in columns]), np.array([c.max() for c in columns])


def extent(points: np.ndarray) -> np.ndarray:
    """How far points (n, k) reach along each axis (k,); nothing where there are none."""
    if not len(points):
        return np.zeros(np.asarray(points).shape[1])
    low, high = box(points)
    return high - low


def within(points: np.ndarray, others: np.ndarray, margin: float) -> np.ndarray:
    """The indices of points (n, k) inside the box of others (m, k), m ≥ 1, that is ``margin`` wider on all sides."""
    out = np.ones(len(points), bool)
    for column, low, high in zip(points.T, *box(others), strict=True):
        out &= (column >= low - margin) & (column <= high + margin)
    return np.flatnonzero(out)


def lengths(rows: np.ndarray) -> np.ndarray:
    """(n,): the lengths of rows (n, k). By columns, which takes a third of NumPy's norm along the last axis."""
    square = np.zeros(len(rows), rows.dtype)
    for column in rows.T:
        square += column * column
    return np.sqrt(square, out=square)


def pair_lengths(points: np.ndarray, pairs: np.ndarray) -> np.ndarray:
    """(p,): how far apart the points (n, k) of each pair (p, 2) are; by columns, as above."""
    first, second = np.ascontiguousarray(pairs.T)
    square = np.zeros(len(pairs), points.dtype)
    for column in np.ascontiguousarray(points.T):
        step = column.take(first) - column.take(second)
        square += step * step
    return np.sqrt(square, out=square)


def any_in_rows(flags: np.ndarray) -> np.ndarray:
    """(n,) bool: which rows of flags (n, k) have one that is true; by columns, as above."""
    out = np.zeros(len(flags), bool)
    for column in flags.T:
        out |= column
    return out


def loaded(module: str) -> Any:
    """A module of SciPy if it is wholly loaded already: it takes long to import, and the first picture does not wait for it.
    One that another thread is in the middle of importing lacks names still."""
    found = sys.modules.get(module)
    return None if getattr(getattr(found, "__spec__", None), "_initializing", False) else found


def add_rows(out: np.ndarray, indices: np.ndarray, rows: np.ndarray, factor: float = 1.0) -> None:
    """``out[indices] += factor * rows`` in place, for float64 rows (k, m) and sorted int32 ``indices`` (k,), each once.

    By SciPy's compiled sparse product where it is loaded, which takes a twentieth of NumPy's time."""
    sparse, count = loaded("scipy.sparse._sparsetools"), len(indices)
    if sparse is None or not out.flags.c_contiguous:
        out[indices] += factor * rows
        return
    ends = np.arange(count + 1, dtype=np.int32)
    factors = np.full(count, factor, np.float64)
    sparse.csc_matvecs(len(out), count, out.shape[1], ends, indices, factors, rows.reshape(-1), out.reshape(-1))


def put_rows(out: np.ndarray, indices: np.ndarray, rows: np.ndarray) -> None:
    """``out[indices] = rows`` for rows (k, m) of out (n, m): by columns, in a quarter of the time."""
    for column, values in zip(out.T, rows.T, strict=True):
        column[indices] = values


def spread(out: np.ndarray, places: np.ndarray, starts: np.ndarray, rows: np.ndarray) -> None:
    """Add row i of rows (k, m) float64 to rows places[starts[i]:starts[i + 1]] of ``out`` (n, m), in place; as add_rows."""
    sparse = loaded("scipy.sparse._sparsetools")
    if sparse is None:
        counts = np.diff(starts)
        for column, values in zip(out.T, rows.T, strict=True):
            column += np.bincount(places, np.repeat(values, counts), len(out))
        return
    ends, ones = starts.astype(np.int32), np.ones(len(places))
    sparse.csc_matvecs(len(out), len(rows), out.shape[1], ends, places.astype(np.int32), ones, rows.ravel(), out.ravel())


def plain_numbers(value: Struct, *names: str) -> None:
    """Fields of a frozen value, and numbers in its tuples, as Python's own floats: NumPy's are floats too, but files and
    comparisons should not have to tell them apart."""
    for name in names:
        held = getattr(value, name)
        plain = tuple(float(v) for v in held) if isinstance(held, tuple) else None if held is None else float(held)
        force_setattr(value, name, plain)


def cached_by_identity(function: Callable[[S], T]) -> Callable[[S], T]:
    """Remember ``function(value)`` for as long as ``value`` (compared by identity) lives. A result that held the value would
    keep it alive for ever."""
    known: WeakKeyDictionary[S, T] = WeakKeyDictionary()

    @wraps(function)
    def lookup(value: S) -> T:
        try:
            return known[value]
        except KeyError:
            result = known[value] = function(value)
            return result

    return lookup


class Recent(Generic[S, T]):
    """The last ``most`` results for each value, compared by identity, for as long as that lives. Keys must be hashable, and
    results must not hold the value."""

    def __init__(self, most: int) -> None:
        self._most, self._known = most, WeakKeyDictionary[S, dict[Any, T]]()

    def get(self, value: S, key: Any) -> T | None:
        return self._known.get(value, {}).get(key)

    def put(self, value: S, key: Any, result: T) -> T:
        kept = self._known.setdefault(value, {})
        while len(kept) >= self._most:  # threads may be here at once
            kept.pop(next(iter(tuple(kept))), None)
        kept[key] = result
        return result


def recent_by_identity(most: int) -> Callable[[Callable[Concatenate[S, P], T]], Callable[Concatenate[S, P], T]]:
    """Remember the last ``most`` results of ``function(value, *rest)`` of each value, as Recent does; none may be None."""

    def decorated(function: Callable[Concatenate[S, P], T]) -> Callable[Concatenate[S, P], T]:
        recent: Recent[S, T] = Recent(most)

        @wraps(function)
        def lookup(value: S, *rest: P.args, **named: P.kwargs) -> T:
            kept = recent.get(value, rest)
            return recent.put(value, rest, function(value, *rest, **named)) if kept is None else kept

        return lookup  # type: ignore[return-value]

    return decorated


def cached_by_array(function: Callable[Concatenate[np.ndarray, P], T]) -> Callable[Concatenate[np.ndarray, P], T]:
    """Remember ``function(array, *rest)`` for as long as the array (by identity) lives; ``rest`` must be hashable."""
    known: dict[int, tuple[ref[np.ndarray], dict[tuple[Any, ...], T]]] = {}

    @wraps(function)
    def lookup(array: np.ndarray, *rest: P.args, **named: P.kwargs) -> T:
        kept = known.get(id(array))
        if kept is None or kept[0]() is not array:
            place = id(array)
            kept = known[place] = (ref(array, lambda _gone: known.pop(place, None)), {})
        if rest not in kept[1]:
            kept[1][rest] = function(array, *rest, **named)
        return kept[1][rest]

    return lookup  # type: ignore[return-value]


def cached_by_both(function: Callable[Concatenate[S, U, P], T]) -> Callable[Concatenate[S, U, P], T]:
    """Remember ``function(value, other, *rest)`` for as long as the value lives and ``other`` is the same one (both by
    identity); of several others a value has only the last is kept. ``rest`` must be hashable."""
    known: WeakKeyDictionary[Any, tuple[Any, dict[tuple[Any, ...], T]]] = WeakKeyDictionary()

    @wraps(function)
    def lookup(value: S, other: U, *rest: P.args, **named: P.kwargs) -> T:
        kept = known.get(value)
        if kept is None or kept[0] is not other:
            kept = known[value] = (other, {})
        if rest not in kept[1]:
            kept[1][rest] = function(value, other, *rest, **named)
        return kept[1][rest]

    return lookup  # type: ignore[return-value]
