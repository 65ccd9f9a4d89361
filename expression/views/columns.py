"""Columns of numbers as short as they can be told."""

import numpy as np
from typing_extensions import TypedDict

from expression.arrays import Ints


class InRuns(TypedDict):
    """Numbers in their order: `value`, of which each stands for so many as `count` says; without `count`, for one."""

    count: list[int]
    value: list[int]


def in_runs(numbers: Ints) -> InRuns:
    """Numbers in runs of equal ones, where that is less than half of them."""
    bounds = np.flatnonzero(np.diff(numbers)) + 1
    if len(bounds) * 2 >= len(numbers):
        return {"count": [], "value": numbers.tolist()}
    starts = np.append(0, bounds)
    return {"count": np.diff(starts, append=len(numbers)).tolist(), "value": numbers[starts].tolist()}
