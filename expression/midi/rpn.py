"""Registered parameters: the bend range (MIDI 1.0, RPN 0: Pitch Bend Sensitivity)."""

from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Floats, Ints, frozen
from expression.take import BendRange

DEFAULT_SEMITONES = 2.0
DATA_MSB, DATA_LSB = 6, 38
NRPN_LSB, NRPN_MSB, RPN_LSB, RPN_MSB = 98, 99, 100, 101
CONTROLLERS = (DATA_MSB, DATA_LSB, 96, 97, NRPN_LSB, NRPN_MSB, RPN_LSB, RPN_MSB)
"""Controllers that carry parameters, not expression. They are kept in place and are no lanes."""


class InForce(NamedTuple):
    """The bend range by rows of the track: from each of `rows` on, that many `semitones`."""

    rows: Ints
    semitones: Floats


def bend_ranges(rows: Ints, ticks: Ints, controller: Bytes, value: Bytes) -> tuple[BendRange, InForce]:
    """The ranges that a channel's parameter messages set, over time and event for event.

    Takes the channel's controller messages in their order. The range before the first is the standard's 2 semitones.
    """
    steps: list[tuple[int, int, float]] = [(-1, 0, DEFAULT_SEMITONES)]
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
            steps.append((row, tick, semitones + cents / 100))
    in_force = InForce(np.array([row for row, _, _ in steps], dtype=np.int64), np.array([size for _, _, size in steps]))
    # Of several settings at one tick, the last is the one that lasts.
    lasting = {tick: size for _, tick, size in steps}
    over_time = BendRange(frozen(list(lasting), np.int64), frozen(list(lasting.values()), np.float64))
    return over_time, in_force
