"""Registered parameters: the bend range (MIDI 1.0, RPN 0: Pitch Bend Sensitivity)."""

import math

import numpy as np

from expression.arrays import Bytes, Floats, Ints
from expression.lanes import (
    DATA_DOWN,
    DATA_LSB,
    DATA_MSB,
    DATA_UP,
    NRPN_LSB,
    NRPN_MSB,
    PARAMETERS,
    RPN_LSB,
    RPN_MSB,
)

DEFAULT_SEMITONES = 2.0
NOTHING = (127, 127)
"""The null parameter: data entry goes nowhere (MIDI 1.0)."""
MOST_CENTS = 127 * 100 + 99


def bend_ranges(controller: Bytes, value: Bytes, resets: Bytes) -> tuple[Ints, Floats]:
    """Which of a channel's messages set the bend range, and to how many semitones.

    Takes controller numbers and values of one channel in their order; `resets` is 1 where Reset All Controllers takes
    the selection back (RP-015), 2 where System On puts the range back as well, 0 for all other messages.
    """
    chosen = NOTHING
    registered = True
    start = cents = int(DEFAULT_SEMITONES * 100)
    found: list[tuple[int, float]] = []
    wanted = np.flatnonzero((np.isin(controller, PARAMETERS) & (resets == 0)) | (resets > 0))
    columns = (column[wanted].tolist() for column in (controller, value, resets))
    for row, number, amount, reset in zip(wanted.tolist(), *columns, strict=True):
        before = cents
        if reset:
            chosen, registered = NOTHING, True
            cents = start if reset == 2 else cents
            if cents != before:
                found.append((row, cents / 100))
        elif number in (RPN_MSB, RPN_LSB):
            # After a non-registered parameter the other half of the selection means nothing any longer.
            chosen = chosen if registered else NOTHING
            registered = True
            chosen = (amount, chosen[1]) if number == RPN_MSB else (chosen[0], amount)
        elif number in (NRPN_MSB, NRPN_LSB):
            registered = False
        elif registered and chosen == (0, 0):
            if number == DATA_MSB:
                cents = amount * 100
            elif number == DATA_LSB:
                cents = cents // 100 * 100 + amount
            elif number in (DATA_UP, DATA_DOWN):
                # RP-018: by one cent, whatever the message's value is.
                cents = min(max(cents + (1 if number == DATA_UP else -1), 0), MOST_CENTS)
            found.append((row, cents / 100))
    rows, sizes = np.array(found, dtype=np.float64).reshape(-1, 2).T
    return rows.astype(np.int64), sizes


def holding(furthest: float) -> int:
    """The least range in whole semitones that holds a bend."""
    return math.ceil(round(furthest, 6))
