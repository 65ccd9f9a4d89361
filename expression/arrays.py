"""Small helpers for the read-only NumPy arrays that the model is made of."""

from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, DTypeLike, NDArray

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
Bytes = NDArray[np.uint8]
Flags = NDArray[np.bool_]
Column = NDArray[Any]
"""Of whatever type: who passes it on does not look."""
TABLE_EACH = 4
"""So many places of a table for each number that is looked up in it are still soon made."""


def frozen(values: ArrayLike, dtype: DTypeLike) -> Column:
    """A read-only array of `values`. An array that owns its data is itself made read-only; a view of one is copied."""
    array = np.asarray(values, dtype=dtype)
    if array.flags.writeable:
        array = array if array.flags.owndata else array.copy()
        array.flags.writeable = False
    return array


def constant(value: object, count: int, dtype: DTypeLike) -> Column:
    """A read-only column of one value, which takes no room of its own."""
    # A third of what `broadcast_to` takes: each curve that is cut or laid has three of these.
    column: Column = np.ndarray((count,), dtype, np.array(value, dtype=dtype), 0, (0,))
    column.flags.writeable = False
    return column


def is_constant(column: Column) -> bool:
    """Whether a column is known to hold one value only (some that do are not known to)."""
    return column.strides == (0,) and len(column) > 0


def are_constant(one: Column, other: Column) -> bool:
    """Whether two columns are known to hold one and the same value."""
    return is_constant(one) and is_constant(other) and bool(one[0] == other[0])


def taken(column: Column, rows: slice | Ints | Flags) -> Column:
    """Some rows of a read-only column, read-only."""
    if is_constant(column):
        return column[rows] if isinstance(rows, slice) else constant(column[0], _count(rows), column.dtype)
    return frozen(column[rows], column.dtype)


def _count(rows: Ints | Flags) -> int:
    return int(np.count_nonzero(rows)) if rows.dtype == bool else len(rows)


def joined(*pieces: Column) -> Column:
    """Read-only pieces of one kind, one after another; where all but one are empty, that one itself."""
    full = [piece for piece in pieces if len(piece)] or [pieces[0]]
    if len(full) == 1 and not full[0].flags.writeable:
        return full[0]
    if all(map(is_constant, full)) and all(piece[0] == full[0][0] for piece in full):
        return constant(full[0][0], sum(map(len, full)), full[0].dtype)
    array = np.concatenate(full)
    array.flags.writeable = False
    return array


def whole(values: ArrayLike) -> Ints:
    """Nearest whole numbers, halves up (so that +0.5 is the same step at every height)."""
    return np.floor(np.asarray(values, dtype=np.float64) + 0.5).astype(np.int64)


def union(*pieces: Ints) -> Ints:
    """Every number of some ascending arrays once, ascending. (Faster than by hashing, since they are in order.)"""
    numbers = np.concatenate(pieces)
    numbers.sort(kind="stable")
    return numbers[np.append(True, numbers[1:] != numbers[:-1])] if len(numbers) else numbers


def contained(values: Ints, ascending: Ints) -> Flags:
    """Which values stand in an ascending array."""
    if not len(ascending):
        return np.zeros(len(values), dtype=bool)
    if _follow(ascending):
        return np.asarray((values >= ascending[0]) & (values <= ascending[-1]))
    if ascending[0] < 0:
        return _found(values, ascending)
    # Most ids lie close to each other, but for those that strokes have given: a table with a place for each is read
    # sooner than they are searched.
    bound = TABLE_EACH * (len(ascending) + len(values))
    near = int(np.searchsorted(ascending, bound))
    stands = np.zeros((ascending[near - 1] if near else -1) + 2, dtype=bool)
    stands[ascending[:near]] = True
    found = stands[np.clip(values.astype(np.int64, copy=False), -1, len(stands) - 1)]
    if near < len(ascending):
        far = np.flatnonzero(values >= bound)
        found[far] = _found(values[far], ascending[near:])
    return np.asarray(found)


def _follow(numbers: Ints) -> bool:
    """Whether each is one more than the one before, as ids mostly are."""
    return bool(int(numbers[-1]) - int(numbers[0]) == len(numbers) - 1 and (numbers[1:] > numbers[:-1]).all())


def _found(values: Ints, ascending: Ints) -> Flags:
    at = np.minimum(np.searchsorted(ascending, values), len(ascending) - 1)
    return np.asarray(ascending[at] == values)


def among(column: Bytes, numbers: Iterable[int]) -> Flags:
    """Which bytes are one of some numbers: read off a table, sooner than each is compared."""
    table = np.zeros(256, dtype=bool)
    table[list(numbers)] = True
    return np.asarray(table[column])


def looked_up(wanted: Ints, ids: Ints) -> tuple[Ints, Flags]:
    """The row of each wanted number among `ids` (each there once, in any order), and whether it stands there."""
    if not len(ids):
        return np.zeros(len(wanted), dtype=np.int64), np.zeros(len(wanted), dtype=bool)
    if _follow(ids):
        stands = (wanted >= ids[0]) & (wanted <= ids[-1])
        return np.where(stands, wanted - ids[0], 0), stands
    if ids.min() < 0:
        return _row_of(wanted, ids)
    bound = TABLE_EACH * (len(ids) + len(wanted))
    are_near = bool(ids.max() < bound)
    near = np.arange(len(ids)) if are_near else np.flatnonzero(ids < bound)
    known = ids if are_near else ids[near]
    rows = np.full(int(known.max(initial=-1)) + 2, -1)
    rows[known] = near
    row = rows[np.clip(wanted.astype(np.int64, copy=False), -1, len(rows) - 1)]
    stands = row >= 0
    if len(near) < len(ids):
        far, others = np.flatnonzero(wanted >= bound), np.flatnonzero(ids >= bound)
        found, stands[far] = _row_of(wanted[far], ids[others])
        row[far] = others[found]
    return row, stands


def _row_of(wanted: Ints, ids: Ints) -> tuple[Ints, Flags]:
    order = np.argsort(ids, kind="stable")
    row = order[np.minimum(np.searchsorted(ids[order], wanted), len(order) - 1)]
    return row, ids[row] == wanted


def merged(start: Ints, end: Ints) -> tuple[Ints, Ints]:
    """Spans as few as they can be: those that touch or overlap are one."""
    if not len(start):
        return start, end
    order = np.argsort(start, kind="stable")
    start, reach = start[order], np.maximum.accumulate(end[order])
    first = np.append(True, start[1:] > reach[:-1])
    return start[first], reach[np.append(np.flatnonzero(first)[1:] - 1, -1)]


def ranges(starts: Ints, ends: Ints) -> tuple[Ints, Ints]:
    """The numbers from each start to before its end, one range after another; and for each number its range."""
    count = np.maximum(ends - starts, 0)
    which = np.repeat(np.arange(len(starts)), count)
    return np.arange(len(which)) - np.repeat(np.cumsum(count) - count, count) + starts[which], which


def runs(ids: Ints) -> list[tuple[int, int]]:
    """Inclusive (first, last) ranges of numbers that follow one another, in the order of the array."""
    if not len(ids):
        return []
    breaks = np.flatnonzero(np.diff(ids) != 1)
    firsts = ids[np.concatenate(([0], breaks + 1))]
    lasts = ids[np.concatenate((breaks, [len(ids) - 1]))]
    return list(zip(firsts.tolist(), lasts.tolist(), strict=True))
