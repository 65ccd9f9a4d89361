"""Small helpers for the read-only NumPy arrays that the model is made of."""

from typing import Any

import numpy as np
from numpy.typing import ArrayLike, DTypeLike, NDArray

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
Bytes = NDArray[np.uint8]
Flags = NDArray[np.bool_]


def frozen(values: ArrayLike, dtype: DTypeLike) -> NDArray[Any]:
    """A read-only array of `values`. A copy is made only where one is needed to own the data."""
    array = np.asarray(values, dtype=dtype)
    if array.flags.writeable:
        array = array.copy() if array is values else array
        array.flags.writeable = False
    return array


def whole(values: ArrayLike) -> Ints:
    """Nearest whole numbers, halves up (so that +0.5 is the same step at every height)."""
    return np.floor(np.asarray(values, dtype=np.float64) + 0.5).astype(np.int64)


def runs(sorted_ids: Ints) -> list[tuple[int, int]]:
    """Inclusive (first, last) ranges of consecutive numbers in an ascending array without doubles."""
    if not len(sorted_ids):
        return []
    breaks = np.flatnonzero(np.diff(sorted_ids) != 1)
    firsts = sorted_ids[np.concatenate(([0], breaks + 1))]
    lasts = sorted_ids[np.concatenate((breaks, [len(sorted_ids) - 1]))]
    return list(zip(firsts.tolist(), lasts.tolist(), strict=True))
