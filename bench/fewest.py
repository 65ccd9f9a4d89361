"""The fewest nodes that exhaustive dynamic programming finds for a small recording: what distil is held against."""

import numpy as np

from expression.arrays import Floats, Ints
from expression.curve import form

LIFTS = np.linspace(-1, 1, 401)


def fewest(ticks: Ints, values: Floats, tolerance: float) -> int:
    """How many nodes at recorded events are needed; every pair of events and 401 lifts are tried.

    What is held is a witness at both of its ends, and a way may send no more events (of one step) than it replaces.
    """
    count = len(ticks)
    rests = [k for k in range(count - 1) if ticks[k + 1] - ticks[k] > 1]
    witnesses = sorted(
        [(ticks[k], float(k), values[k]) for k in range(count)]
        + [(ticks[k + 1] - 1, k + 0.5, values[k]) for k in rests]
    )
    at, place, value = (np.array(column, dtype=float) for column in zip(*witnesses, strict=True))
    slack = tolerance + 1e-9

    def fits(i: int, j: int) -> bool:
        between = (place > i) & (place < j)
        if not between.any() or (np.abs(value[between] - values[i]) <= slack).all():
            return True
        if values[i] == values[j] or abs(values[j] - values[i]) > j - i:
            return False
        u = (at[between] - ticks[i]) / (ticks[j] - ticks[i])
        way = values[i] + (values[j] - values[i]) * form(u[None, :], LIFTS[:, None])
        return bool((np.abs(way - value[between]) <= slack).all(axis=1).any())

    best = [1] + [count] * (count - 1)
    for j in range(1, count):
        for i in range(j):
            if best[i] + 1 < best[j] and fits(i, j):
                best[j] = best[i] + 1
    # Where the last value is that of the node before it, nothing needs to say it again.
    held = [
        best[i] for i in range(count) if values[i] == values[-1] and (np.abs(values[i:] - values[i]) <= slack).all()
    ]
    return min([best[-1], *held])


def made_up(seed: int) -> tuple[Ints, Floats]:
    """A small recording of a wheel: wandering, waving or going through a few points, by turns."""
    dice = np.random.default_rng(seed)
    count = int(dice.integers(30, 70))
    ticks = np.cumsum(dice.integers(8, 40, count))
    if seed % 3 == 0:
        values = 64 + np.cumsum(dice.normal(0, 2, count))
    elif seed % 3 == 1:
        values = 64 + 50 * np.sin(np.arange(count) / count * dice.uniform(5, 25)) + dice.normal(0, 0.6, count)
    else:
        values = np.interp(np.arange(count), np.sort(dice.uniform(0, count, 6)), dice.uniform(0, 127, 6))
    return ticks, np.clip(np.round(values), 0, 127).astype(float)
