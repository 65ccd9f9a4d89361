"""Chords: notes struck as one, though never quite together."""

import numpy as np

from expression.arrays import Ints

CHORD_SPREAD = 16
"""Notes that begin within this fraction of a quarter of the first one are one chord (about 30 ms)."""


def chord_onsets(starts: Ints, resolution: int) -> Ints:
    """For each of `starts` (ticks, in any order) the onset of its chord: that of the chord's first note."""
    spread = resolution // CHORD_SPREAD
    if not len(starts):
        return starts
    order = np.argsort(starts, kind="stable")
    ascending = starts[order]
    # A gap wider than the spread always parts chords; what lies between two such gaps is nearly always one chord.
    parted = np.concatenate(([True], np.diff(ascending) > spread))
    heads = np.flatnonzero(parted)
    tails = np.append(heads[1:], len(ascending))
    wide = ascending[tails - 1] - ascending[heads] > spread
    for head, tail in zip(heads[wide].tolist(), tails[wide].tolist(), strict=True):
        while ascending[tail - 1] - ascending[head] > spread:
            head += int(np.searchsorted(ascending[head:tail], ascending[head] + spread, side="right"))
            parted[head] = True
    onsets = np.empty_like(starts)
    onsets[order] = ascending[np.flatnonzero(parted)][np.cumsum(parted) - 1]
    return onsets
