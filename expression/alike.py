"""Whether two lines are the same music, and which notes of one are which of the other."""

from collections.abc import Sequence

import numpy as np

from expression.arrays import Ints, looked_up
from expression.phrases import heard_rows
from expression.take import Part

ALIKE = 0.8
"""Of the shorter of two, so much is found in the other in the same order where both are the same music ..."""
FEWEST_ALIKE = 8
BEYOND_CHANCE = 0.5
"""... and of what its notes in any order would not have, so much: of a short line much is found anyhow."""
SEED = 20


def common(one: Sequence[int], other: Sequence[int]) -> tuple[Ints, Ints]:
    """The longest common subsequence: the places of its notes in both, ascending.

    Row by row as bits of whole numbers (H. Hyyrö, *Bit-parallel LCS-length computation revisited*, 2004).
    """
    rows = _rows(one, other)
    here, there = [], []
    row, column = len(rows), len(other)
    while row and column:
        if rows[row - 1] >> (column - 1) & 1:
            column -= 1
            continue
        row -= 1
        if row and not rows[row - 1] >> (column - 1) & 1:
            continue
        column -= 1
        here.append(row)
        there.append(column)
    return np.array(here[::-1], dtype=np.int64), np.array(there[::-1], dtype=np.int64)


def same_music(one: Sequence[int], other: Sequence[int]) -> tuple[Ints, Ints] | None:
    """Which notes of one line (places in it) are which of another, by their pitches; None: it is other music."""
    fewest = min(len(one), len(other))
    if fewest < FEWEST_ALIKE:
        return None
    if list(one) == list(other):
        return np.arange(fewest), np.arange(fewest)
    here, there = common(one, other)
    if len(here) < ALIKE * fewest:
        return None
    by_chance = _length(one, np.random.default_rng(SEED).permutation(np.array(other)).tolist())
    if len(here) - by_chance < BEYOND_CHANCE * (fewest - by_chance) or by_chance == fewest:
        return None
    return here, there


def _length(one: Sequence[int], other: Sequence[int]) -> int:
    rows = _rows(one, other)
    return len(other) - (rows[-1] & (1 << len(other)) - 1).bit_count()


def _rows(one: Sequence[int], other: Sequence[int]) -> list[int]:
    """For each note of one a number whose bits are 0 where, with the note, one more of the other is found."""
    everything = (1 << len(other)) - 1
    places: dict[int, int] = {}
    for at, pitch in enumerate(other):
        places[pitch] = places.get(pitch, 0) | 1 << at
    now, rows = everything, []
    for pitch in one:
        found = now & places.get(pitch, 0)
        now = (now + found | now - found) & everything
        rows.append(now)
    return rows


def matched(one: Part, other: Part, by_ids: bool) -> tuple[Ints, Ints]:
    """Rows of the heard notes of two parts that are each other's."""
    mine, theirs = heard_rows(one), heard_rows(other)
    if by_ids:
        row, is_there = looked_up(one.notes.id[mine], other.notes.id[theirs])
        return mine[is_there], theirs[row[is_there]]
    pitches = [part.notes.pitch[rows].astype(np.int64) for part, rows in ((one, mine), (other, theirs))]
    if len(mine) * len(theirs) > MOST_ALIGNED:
        here, there = _in_turn(*pitches)
    else:
        here, there = common(pitches[0].tolist(), pitches[1].tolist())
    return mine[here], theirs[there]


MOST_ALIGNED = 4 * 10**8


def _in_turn(one: Ints, other: Ints) -> tuple[Ints, Ints]:
    """Of very many notes: the first of each key is the first of that key, and so on."""
    here, there = [], []
    for pitch in np.intersect1d(one, other).tolist():
        rows = np.flatnonzero(one == pitch), np.flatnonzero(other == pitch)
        count = min(len(rows[0]), len(rows[1]))
        here.append(rows[0][:count])
        there.append(rows[1][:count])
    if not here:
        return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64)
    order = np.argsort(np.concatenate(here))
    return np.concatenate(here)[order], np.concatenate(there)[order]
