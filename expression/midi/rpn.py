"""Registered parameters: the bend range (MIDI 1.0, RPN 0: Pitch Bend Sensitivity)."""

import numpy as np

from expression.arrays import Bytes, Ints, frozen
from expression.take import BendRange

DEFAULT_SEMITONES = 2.0
DATA_MSB, DATA_LSB = 6, 38
NRPN_LSB, NRPN_MSB, RPN_LSB, RPN_MSB = 98, 99, 100, 101
CONTROLLERS = (DATA_MSB, DATA_LSB, 96, 97, NRPN_LSB, NRPN_MSB, RPN_LSB, RPN_MSB)
"""Controllers that carry parameters, not expression. They are kept in place and are no lanes."""


def bend_ranges(rows: Ints, ticks: Ints, controller: Bytes, value: Bytes) -> tuple[BendRange, Ints]:
    """The ranges that a channel's parameter messages set, and from which row of the track each is in force.

    Takes the channel's controller messages in their order. The range before the first is the standard's 2 semitones.
    """
    steps: list[tuple[int, float, int]] = [(0, DEFAULT_SEMITONES, -1)]
    chosen: tuple[int, int] = (127, 127)
    semitones, cents = int(DEFAULT_SEMITONES), 0
    parameters = np.isin(controller, CONTROLLERS)
    columns = (column[parameters].tolist() for column in (rows, ticks, controller, value))
    for row, tick, number, amount in zip(*columns, strict=True):
        if number == RPN_MSB:
            chosen = (amount, chosen[1])
        elif number == RPN_LSB:
            chosen = (chosen[0], amount)
        elif number in (NRPN_MSB, NRPN_LSB):
            chosen = (127, 127)
        elif chosen == (0, 0) and number in (DATA_MSB, DATA_LSB):
            semitones, cents = (amount, 0) if number == DATA_MSB else (semitones, amount)
            if tick == steps[-1][0]:
                steps.pop()
            steps.append((tick, semitones + cents / 100, row))
    at, size, since = zip(*steps, strict=True)
    return BendRange(frozen(at, np.int64), frozen(size, np.float64)), np.array(since, dtype=np.int64)
