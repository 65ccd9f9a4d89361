"""A shaped lane as messages: what stays of the recording, what changes in its place, what comes."""

from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Flags, Floats, Ints, whole
from expression.lanes import AFTER_RESET, AT_SYSTEM_ON, FINE_OFFSET, LANES, LaneName, controller_of
from expression.midi.order import FOLLOWS, Order, class_of, classes, last_at, later, rows_on
from expression.midi.status import BEND, BEND_CENTRE, CONTROL, ESCAPE, PRESSURE, SYSEX
from expression.piece import cut, share_at
from expression.take import Channel, Lane, Rows, Take
from expression.time import TempoMap

FINE = 128
"""Fine steps in one of a controller."""
MOST_CROSSINGS = 2_000_000


class Messages(NamedTuple):
    """Channel messages with their ticks. One element of each array a message."""

    tick: Ints
    status: Ints | Bytes
    data1: Ints | Bytes
    data2: Ints | Bytes


class LaneMessages(NamedTuple):
    """What becomes of a lane's recorded events (by rows), and the messages that are new.

    `after` is for each new message the recorded row of its tick that it has to follow, -1 where there is none.
    """

    recorded: Ints
    kept: Ints
    changed: Ints
    new_data1: Ints
    new_data2: Ints
    added: Messages
    after: Ints


def lane_messages(take: Take, channel: Channel, key: str, tolerance: float = 0.0) -> LaneMessages:
    """Nodes that were not touched stand for their recorded events; the others, and the ways between, are made anew.

    So is what a reset, or a change of the bend's range, would make another value than is drawn. What is made and would
    say only what the receiver has already is left out.
    """
    rows, lane = take.rows, channel.lanes.get(key) or Lane.empty(key)
    curve = lane.curve
    coder = _Coder(channel, key)
    own = own_rows(take, channel, key)
    coder.is_fine = bool((rows.data1[own] == coder.fine).any())
    stands = np.isin(lane.origin, own)
    # What counts at a tick is the last node; a value of two messages, or under a range that changes, needs a new place.
    lasts = np.append(curve.ticks[1:] != curve.ticks[:-1], True)[: len(curve)]
    in_place = stands & lane.touched & (not coder.is_fine)
    if key == "bend":
        in_place &= ~np.isin(curve.ticks, rows.tick[channel.ranges])
    untouched = stands & ~lane.touched
    implied = ~stands & (lane.origin >= 0)
    fresh = ~untouched & ~in_place & ~implied & lasts
    standing = untouched | in_place
    kept, kept_values, is_new = lane.origin[standing], curve.values[standing], in_place[standing]
    kept_code = np.where(is_new, coder.code(rows.tick[kept], kept_values), coder.recorded(rows, kept, kept_values))
    overrides, override_code = _overrides(rows, channel, coder)
    again = _restated(rows, lane, kept, overrides, channel)
    way_ticks, way_values = _ways(take, lane, LANES[key], tolerance)
    ticks = np.concatenate((curve.ticks[fresh], way_ticks, again))
    values = np.concatenate((curve.values[fresh], way_values, curve.at(again)))
    order = np.argsort(ticks, kind="stable")
    ticks, values = ticks[order], values[order]
    follow = FOLLOWS[class_of(key)] + ((Order.RANGE,) if key == "bend" else ())
    before = _preceding(take, channel, follow)
    after = later(rows, last_at(rows, before, ticks), last_at(rows, kept, ticks))
    code = coder.code(ticks, values)

    # All that the receiver is told of the lane, in order: what changes nothing need not be said.
    rank = np.append(rows.rank, -1)
    place = np.concatenate((rank[kept], rank[overrides], rank[after] + 0.5))
    told = np.concatenate((rows.tick[kept], rows.tick[overrides], ticks))
    said = np.concatenate((kept_code, override_code, code))
    made = np.concatenate((is_new, np.zeros(len(overrides), bool), np.ones(len(ticks), bool)))
    sequence = np.lexsort((place, told))
    earlier = np.concatenate(([-1], said[sequence][:-1]))
    needless = np.zeros(len(said), dtype=bool)
    needless[sequence] = made[sequence] & (said[sequence] == earlier)
    keeps, adds = ~needless[: len(kept)], ~needless[len(kept) + len(overrides) :]
    if coder.is_fine:
        # A fine half that stands says what it did only where the coarse one is what it was.
        state = np.empty(len(said), dtype=np.int64)
        state[sequence] = earlier
        is_half = rows.data1[kept] == coder.fine
        astray = is_half & (state[: len(kept)] // FINE != kept_code // FINE)
        keeps &= ~astray
        ticks = np.concatenate((ticks[adds], rows.tick[kept[astray]]))
        code = np.concatenate((code[adds], kept_code[astray]))
        after = np.concatenate((after[adds], last_at(rows, before, rows.tick[kept[astray]])))
    else:
        ticks, code, after = ticks[adds], code[adds], after[adds]
    changed = keeps & is_new
    _, one, two = coder.bytes_of(kept_code[changed])
    added, after = coder.messages(ticks, code, after)
    return LaneMessages(own, kept[keeps], kept[changed], one, two, added, after)


def told(take: Take, lane: Lane, start: int, end: int) -> tuple[Ints, Floats]:
    """What is sent of a lane from `start` to before `end`: the last value at each tick where one is sent."""
    kind = LANES[lane.key]
    inner = cut(lane.curve, start, end, kind.error).curve
    ticks, values = _ways(take, Lane.recorded(lane.key, inner, np.full(len(inner), -1)), kind, 0.0)
    ticks, values = np.concatenate((inner.ticks, ticks)), np.concatenate((inner.values, values))
    order = np.argsort(ticks, kind="stable")
    ticks, values = ticks[order], values[order]
    lasts = np.append(ticks[1:] != ticks[:-1], True) & (ticks < end)
    return ticks[lasts], values[lasts]


class _Coder:
    """How the values of a lane become data bytes: the one place where they are rounded.

    A code is one whole number: 0 to 16383 for the wheel, 0 to 127 otherwise, times 128 with a fine half.
    """

    def __init__(self, channel: Channel, key: str) -> None:
        self.channel, self.key = channel, key
        self.controller = controller_of(key)
        has_half = self.controller is not None and self.controller < FINE_OFFSET
        self.fine = self.controller + FINE_OFFSET if has_half and self.controller is not None else -1
        self.is_fine = False

    def code(self, ticks: Ints, values: Floats) -> Ints:
        """Values at some ticks as codes."""
        if self.key == "bend":
            semitones = self.channel.bend_range.at(ticks)
            share = np.divide(values, semitones, out=np.zeros(len(values)), where=semitones > 0)
            return np.clip(whole(share * BEND_CENTRE) + BEND_CENTRE, 0, 2 * BEND_CENTRE - 1)
        if self.is_fine:
            return np.clip(whole(values * FINE), 0, FINE * FINE - 1)
        return np.clip(whole(values), 0, 127)

    def recorded(self, rows: Rows, which: Ints, values: Floats) -> Ints:
        """The codes that recorded events stand for."""
        if self.key == "bend":
            return rows.data1[which].astype(np.int64) | rows.data2[which].astype(np.int64) << 7
        if self.is_fine:
            return self.code(rows.tick[which], values)
        return (rows.data1 if self.key == "pressure" else rows.data2)[which].astype(np.int64)

    def bytes_of(self, code: Ints) -> tuple[int, Ints, Ints]:
        """Status and data bytes of codes that fit into one message."""
        number = self.channel.number
        if self.key == "bend":
            return BEND | number, code & 0x7F, code >> 7
        if self.key == "pressure":
            return PRESSURE | number, code, np.zeros_like(code)
        return CONTROL | number, np.full(len(code), self.controller), code

    def messages(self, ticks: Ints, code: Ints, after: Ints) -> tuple[Messages, Ints]:
        """New messages; coarse, then fine where there are halves (MIDI 1.0: the coarse one sets the fine to 0)."""
        if not self.is_fine:
            status, one, two = self.bytes_of(code)
            return Messages(ticks, np.full(len(ticks), status), one, two), after
        number = np.tile([self.controller or 0, self.fine], len(ticks))
        two = np.stack((code // FINE, code % FINE), axis=1).ravel()
        status = np.full(2 * len(ticks), CONTROL | self.channel.number)
        # A fine half of 0 is what the coarse one has set already.
        needed = (two > 0) | (number == self.controller)
        columns = (np.repeat(ticks, 2), status, number, two)
        return Messages(*(column[needed] for column in columns)), np.repeat(after, 2)[needed]


def own_rows(take: Take, channel: Channel, key: str) -> Ints:
    """Rows of the recorded events that are values of a lane."""
    rows, mine = take.rows, rows_on(take, channel)
    kind = rows.status[mine] & 0xF0
    if key == "bend":
        return mine[kind == BEND]
    if key == "pressure":
        return mine[kind == PRESSURE]
    number = controller_of(key)
    assert number is not None
    coarse = (kind == CONTROL) & (rows.data1[mine] == number)
    if number >= FINE_OFFSET or not coarse.any():
        # A fine half alone is a lane of its own.
        return mine[coarse]
    return mine[coarse | ((kind == CONTROL) & (rows.data1[mine] == number + FINE_OFFSET))]


def _preceding(take: Take, channel: Channel, follow: tuple[Order, ...]) -> Ints:
    """Rows that a new event on a channel has to follow where they lie on its tick."""
    rows = take.rows
    exclusives = np.flatnonzero((rows.status == SYSEX) | (rows.status == ESCAPE))
    mine = np.concatenate((rows_on(take, channel), exclusives))
    return mine[np.isin(classes(rows, mine), follow)]


def _overrides(rows: Rows, channel: Channel, coder: _Coder) -> tuple[Ints, Ints]:
    """Resets that put a lane back, and the codes that they put it to."""
    system = rows.status[channel.resets] == SYSEX
    again, first = AFTER_RESET.get(coder.key), AT_SYSTEM_ON.get(coder.key)
    counts = np.where(system, first is not None, again is not None)
    which = channel.resets[counts]
    values = np.where(system[counts], first or 0.0, again or 0.0)
    return which, coder.code(rows.tick[which], values)


def _restated(rows: Rows, lane: Lane, kept: Ints, overrides: Ints, channel: Channel) -> Ints:
    """Ticks at which a reset or a change of range comes after all that was recorded of the lane there."""
    if lane.key == "bend":
        audible = channel.bend_range.at(rows.tick[channel.ranges]) > 0
        overrides = np.union1d(overrides, channel.ranges[audible])
    ticks = np.unique(rows.tick[overrides])
    ticks = ticks[ticks >= (lane.curve.ticks[0] if len(lane.curve) else np.inf)]
    last = last_at(rows, overrides, ticks)
    return ticks[later(rows, last, last_at(rows, kept, ticks)) == last]


def _ways(take: Take, lane: Lane, kind: LaneName, tolerance: float) -> tuple[Ints, Floats]:
    """Events between nodes that are joined by a way: each where the curve is half a step from what was sent last.

    So what is heard is never further than half a step from what is drawn, but where two events would come closer
    together than the time step: there they come as often as it allows. With a `tolerance` (in steps) a step is twice
    that, if that is more.
    """
    curve, tempo = lane.curve, take.tempo
    grain = kind.step * max(1, int(2 * tolerance))
    way = np.flatnonzero(~curve.hold[:-1] & (curve.ticks[1:] > curve.ticks[:-1]))
    lasting = tempo.seconds(curve.ticks[way + 1]) - tempo.seconds(curve.ticks[way])
    way = way[lasting >= 2 * kind.seconds]
    a, b, first, last = curve.ticks[way], curve.ticks[way + 1], curve.values[way], curve.values[way + 1]
    # Counted from what is sent at the first node: values of controllers are whole.
    anchor = first if lane.key == "bend" else whole(first).astype(np.float64)
    sign = np.sign(last - first)
    count = np.maximum(np.ceil(np.abs(last - anchor) / grain - 0.5), 0).astype(np.int64)
    count = np.where(np.sign(last - anchor) == sign, count, 0)
    # More than can be sent anyway need not be looked for one by one.
    most = np.maximum(MOST_CROSSINGS // max(len(way), 1), 64)
    stride = np.maximum(-(-count // most), 1)
    count = count // stride
    if not count.sum():
        return np.zeros(0, dtype=np.int64), np.zeros(0)
    number = np.repeat(np.arange(len(way)), count)
    step = (np.arange(len(number)) - np.repeat(np.cumsum(count) - count, count) + 1) * stride[number]
    share = (anchor[number] + sign[number] * (step - 0.5) * grain - first[number]) / (last - first)[number]
    inside = (share > 0) & (share < 1)
    number, share = number[inside], share[inside]
    along = share_at(share, curve.lift[way[number]], curve.ease[way[number]])
    crossing = np.ceil(a[number] + along * (b - a)[number] - 1e-9).astype(np.int64)
    owner, ticks = _apart(tempo, a, b, number, crossing, kind.seconds)
    value = curve.at(ticks)
    steps = np.floor((value - anchor[owner]) * sign[owner] / grain + 0.5 + 1e-9)
    return ticks, anchor[owner] + sign[owner] * steps * grain


def _apart(tempo: TempoMap, a: Ints, b: Ints, number: Ints, crossing: Ints, seconds: float) -> tuple[Ints, Ints]:
    """Ticks within ways that are a time step apart at least, also from the ways' ends, and follow the crossings.

    Crossings that come too close together are a run: events are spread evenly over it, from its first to its last.
    """
    count = len(a)
    way = np.concatenate((np.arange(count), number, np.arange(count)))
    ticks = np.concatenate((a, crossing, b))
    edge = np.ones(len(way), dtype=bool)
    edge[count : count + len(number)] = False
    order = np.lexsort((np.repeat([0, 1, 2], [count, len(number), count]), way))
    way, ticks, edge = way[order], ticks[order], edge[order]
    clock = tempo.seconds(ticks)
    parted = np.append(True, (way[1:] != way[:-1]) | (np.diff(clock) < 0) | (np.diff(clock) >= seconds))
    heads = np.flatnonzero(parted)
    tails = np.append(heads[1:], len(way)) - 1
    lasting = clock[tails] - clock[heads]
    # Rounding to ticks may bring two events nearer by one tick.
    tick_seconds = lasting / np.maximum(ticks[tails] - ticks[heads], 1)
    pieces = np.floor(lasting / (seconds + tick_seconds) + 1e-9).astype(np.int64)
    alone = np.where(edge[heads], edge[heads], edge[tails])
    # Of a run too short for two events: none beside a node, otherwise its last, from which on all is right again.
    points = np.where(pieces > 0, pieces + 1, np.where(alone, 0, 1))
    run = np.repeat(np.arange(len(heads)), points)
    step = np.arange(len(run)) - np.repeat(np.cumsum(points) - points, points)
    share = np.where(pieces[run] > 0, step / np.maximum(pieces[run], 1), 1.0)
    at = whole(tempo.tick(clock[heads][run] + share * lasting[run]))
    at = np.where(share == 0, ticks[heads][run], np.where(share == 1, ticks[tails][run], at))
    owner = way[heads][run]
    inside: Flags = (at > a[owner]) & (at < b[owner])
    return owner[inside], at[inside]
