"""The order of messages at one tick: the one table by which new events are put among those that were recorded.

What a receiver makes of a tick depends on the order in which it is told. So a new event comes after whatever of its
tick would undo or misread it, and otherwise as early as it can:

| class | why it stands there |
|---|---|
| resets | they put back what was told before them: Reset All Controllers, exclusives (they may reset a whole module) |
| bank | says what a program change that follows means |
| programs | a new sound may begin with values of its own |
| ranges | say how the bends that follow are to be read |
| values | controllers, pressure, bend: a note that starts finds them |
| ends of notes | before a start of the same key, which they would end |
| starts of notes | they find all that was said |

The recorded order of what nobody touched stays, also where it is another.
"""

from enum import IntEnum

import numpy as np

from expression.arrays import Ints, among, frozen
from expression.lanes import BANKS, MODE_MESSAGES, PARAMETERS, RESET, LaneKind
from expression.memo import worked_out
from expression.status import CONTROL, ESCAPE, NOTE_OFF, NOTE_ON, PROGRAM, SYSEX
from expression.take import Channel, Rows, Take

CHANNELS = 64
"""Of so many channels (or lanes of them) it is kept which rows of a recording are theirs: that never changes."""


class Order(IntEnum):
    """Classes of events, in the order in which they come at one tick."""

    RESET = 0
    BANK = 1
    PROGRAM = 2
    RANGE = 3
    VALUE = 4
    END = 5
    START = 6


FOLLOWS: dict[Order, tuple[Order, ...]] = {
    Order.BANK: (Order.RESET,),
    Order.RANGE: (Order.RESET, Order.PROGRAM),
    Order.VALUE: (Order.RESET, Order.PROGRAM),
}
"""Of a new event the classes of recorded events that have to come before it. A bend also follows the ranges."""


def class_of(kind: LaneKind) -> Order:
    """The class of a lane's events."""
    return Order.BANK if kind.wire.number in BANKS else Order.VALUE


def follows(kind: LaneKind) -> tuple[Order, ...]:
    """The classes of recorded events that new ones of a lane come after."""
    return FOLLOWS[class_of(kind)] + ((Order.RANGE,) if kind.is_ranged else ())


def rows_on(take: Take, channel: Channel) -> Ints:
    """Rows of all messages on a channel, ascending."""
    return rows_of(take.rows, *place_of(take, channel))


def place_of(take: Take, channel: Channel) -> tuple[int, tuple[int, ...]]:
    """The number of a channel and the tracks that it is in: what is recorded of it is known by these."""
    return channel.number, tuple(sorted({part.track for part in take.parts_on(channel)}))


@worked_out(CHANNELS)
def rows_of(rows: Rows, number: int, tracks: tuple[int, ...]) -> Ints:
    """Rows of all messages of a channel number in some tracks, ascending."""
    voice = (rows.status >= NOTE_OFF) & (rows.status < SYSEX) & ((rows.status & 0x0F) == number)
    return frozen(np.flatnonzero(voice & np.isin(rows.track, tracks)), np.int64)


def classes(rows: Rows, which: Ints) -> Ints:
    """The class of some recorded events; `Order.VALUE` where any place will do."""
    kind, number = rows.status[which] & 0xF0, rows.data1[which]
    control = kind == CONTROL
    exclusive = (rows.status[which] == SYSEX) | (rows.status[which] == ESCAPE)
    conditions = [
        exclusive | (control & (number == RESET)),
        control & (number >= MODE_MESSAGES),
        control & among(number, BANKS),
        control & among(number, PARAMETERS),
        kind == PROGRAM,
        kind == NOTE_OFF,
        kind == NOTE_ON,
        kind == CONTROL,
    ]
    found = (Order.RESET, Order.END, Order.BANK, Order.RANGE, Order.PROGRAM, Order.END, Order.START, Order.VALUE)
    return np.select(conditions, [int(one) for one in found], int(Order.VALUE))


def last_at(rows: Rows, which: Ints, ticks: Ints) -> Ints:
    """For each of `ticks` the last of some recorded events that lies on it, in the order of telling; -1: none."""
    if not len(which):
        return np.full(len(ticks), -1)
    # Rows of one track, ascending, are in order already: a stable sort sees that at once.
    which = which[np.argsort(rows.rank[which], kind="stable")]
    at = np.searchsorted(rows.tick[which], ticks, side="right") - 1
    found = which[np.maximum(at, 0)]
    return np.where((at >= 0) & (rows.tick[found] == ticks), found, -1)


def later(rows: Rows, one: Ints, other: Ints) -> Ints:
    """Of two rows (-1: none) the one that is told later."""
    rank = np.append(rows.rank, -1)
    return np.where(rank[one] >= rank[other], one, other)
