"""A shaped lane as messages: what stays of the recording, what changes in its place, what comes."""

import itertools
import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Flags, Floats, Ints, contained, ranges, whole
from expression.curve import Curve
from expression.lanes import LANES
from expression.midi.order import Order, classes, follows, last_at, later, rows_on
from expression.midi.status import BEND_CENTRE, ESCAPE, SYSEX
from expression.piece import cut, share_at
from expression.take import Channel, Lane, Pace, Rows, Take
from expression.time import TempoMap

FINE = 128
"""Fine steps in one of a controller."""
UNKNOWN = -2
MOST_CROSSINGS = 16_000_000
AT_ONCE = 500_000
ALMOST = 1 - 1e-6
"""What lies in the middle between two grains belongs to the one that was planned."""


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
    rows, lane, kind = take.rows, channel.lanes.get(key) or Lane.empty(key), LANES[key]
    curve = lane.curve
    coder = _Coder(take, channel, key)
    own = coder.own
    overrides, override_code = _overrides(rows, channel, coder)
    untouched, in_place, implied, again = _standing(take, channel, lane, coder, overrides)
    standing = untouched | in_place
    # What counts at a tick is the last node.
    fresh = ~standing & ~implied & np.append(curve.ticks[1:] != curve.ticks[:-1], True)[: len(curve)]
    kept, kept_values, is_new = lane.origin[standing], curve.values[standing], in_place[standing]
    kept_code = np.where(is_new, coder.code(rows.tick[kept], kept_values), coder.recorded(rows, kept, kept_values))
    pace = channel.pace(key)
    pace = pace._replace(grain=pace.grain * max(1, int(2 * tolerance)))
    on_way = _on_way(take.tempo, curve, pace.seconds) & ~standing
    way_ticks, way_values = _ways(take, curve, on_way, again, pace, coder.is_exact)
    fresh &= ~on_way
    ticks = np.concatenate((curve.ticks[fresh], way_ticks, again))
    values = np.concatenate((curve.values[fresh], way_values, curve.at(again)))
    order = np.argsort(ticks, kind="stable")
    ticks, values = ticks[order], values[order]
    before = preceding(take, channel, follows(kind))
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
    # Nor need what was recorded be said, where it ends a way that has come to it already.
    is_added = sequence >= len(kept) + len(overrides)
    sent_last = np.maximum.accumulate(np.where(needless[sequence], -1, np.arange(len(sequence))))
    sent_last = np.append(-1, sent_last[:-1])
    by_way = np.append(is_added, False)[sent_last] & (sequence < len(kept))
    needless[sequence] |= by_way & (said[sequence] == earlier)
    state = np.empty(len(said), dtype=np.int64)
    state[sequence] = earlier
    keeps, adds = ~needless[: len(kept)], ~needless[len(kept) + len(overrides) :]
    states = state[len(kept) + len(overrides) :][adds]
    if coder.is_fine:
        # A fine half that stands says what it did only where the coarse one is what it was.
        is_half = rows.data1[kept] == kind.wire.fine
        astray = is_half & (state[: len(kept)] // FINE != kept_code // FINE)
        keeps &= ~astray
        ticks = np.concatenate((ticks[adds], rows.tick[kept[astray]]))
        code = np.concatenate((code[adds], kept_code[astray]))
        after = np.concatenate((after[adds], last_at(rows, before, rows.tick[kept[astray]])))
        states = np.concatenate((states, state[: len(kept)][astray]))
    else:
        ticks, code, after = ticks[adds], code[adds], after[adds]
    changed = keeps & is_new
    _, one, two = coder.bytes_of(kept_code[changed])
    added, after = coder.messages(ticks, code, after, states)
    return LaneMessages(own, kept[keeps], kept[changed], one, two, added, after)


def told(take: Take, channel: Channel, lane: Lane, start: int, end: int) -> tuple[Ints, Floats]:
    """What is sent of a lane from `start` to before `end`: the last value at each tick where one is sent."""
    kind, coder = LANES[lane.key], _Coder(take, channel, lane.key)
    inner = cut(lane.curve, start, end, kind.error).curve
    overrides, _ = _overrides(take.rows, channel, coder)
    untouched, in_place, _, again = _standing(take, channel, lane, coder, overrides)
    pace = channel.pace(lane.key)
    on_way = _on_way(take.tempo, inner, pace.seconds)
    on_way &= ~contained(inner.ticks, lane.curve.ticks[untouched | in_place])
    again = again[(again >= inner.ticks[0]) & (again < end)] if len(inner) else again
    ticks, values = _ways(take, inner, on_way, again, pace, coder.is_exact)
    fixed = inner.rows(~on_way)
    ticks, values = np.concatenate((fixed.ticks, ticks)), np.concatenate((fixed.values, values))
    order = np.argsort(ticks, kind="stable")
    ticks, values = ticks[order], values[order]
    lasts = np.append(ticks[1:] != ticks[:-1], True) & (ticks < end)
    return ticks[lasts], values[lasts]


def weight(take: Take, channel: Channel, key: str) -> int:
    """How many messages a lane is sent in."""
    sent = lane_messages(take, channel, key)
    return len(sent.kept) + len(sent.added.tick)


def has_fine(take: Take, channel: Channel, key: str) -> bool:
    """Whether a lane is sent with fine halves, so that a value may take two messages."""
    return _Coder(take, channel, key).is_fine


class _Coder:
    """How the values of a lane become data bytes: the one place where they are rounded.

    A code is one whole number as the lane's wire has it, times 128 with a fine half.
    """

    def __init__(self, take: Take, channel: Channel, key: str) -> None:
        self.channel, self.kind, self.wire = channel, LANES[key], LANES[key].wire
        self.own = own_rows(take, channel, key)
        fine = self.wire.fine
        self.is_fine = fine is not None and bool((take.rows.data1[self.own] == fine).any())

    @property
    def is_exact(self) -> bool:
        """Whether what is sent is finer than a step."""
        return self.kind.is_ranged or self.is_fine

    def code(self, ticks: Ints, values: Floats) -> Ints:
        """Values at some ticks as codes."""
        if self.kind.is_ranged:
            semitones = self.channel.bend_range.at(ticks)
            share = np.divide(values, semitones, out=np.zeros(len(values)), where=semitones > 0)
            code = whole(share * BEND_CENTRE) + BEND_CENTRE
        else:
            code = whole(values * FINE if self.is_fine else values)
        return np.minimum(np.maximum(code, 0), FINE * FINE - 1 if self.is_fine else self.wire.highest)

    def recorded(self, rows: Rows, which: Ints, values: Floats) -> Ints:
        """The codes that recorded events stand for."""
        if self.is_fine:
            return self.code(rows.tick[which], values)
        return self.wire.code(rows.data1[which], rows.data2[which])

    def bytes_of(self, code: Ints) -> tuple[int, Ints, Ints]:
        """Status and data bytes of codes that fit into one message."""
        return self.wire.status | self.channel.number, *self.wire.data(code)

    def messages(self, ticks: Ints, code: Ints, after: Ints, before: Ints) -> tuple[Messages, Ints]:
        """New messages; coarse, then fine where there are halves. `before` are the codes that were in force."""
        if not self.is_fine:
            status, one, two = self.bytes_of(code)
            return Messages(ticks, np.full(len(ticks), status), one, two), after
        number = np.tile(np.array([self.wire.number, self.wire.fine]), len(ticks))
        two = np.stack((code // FINE, code % FINE), axis=1).ravel()
        channel = np.full(2 * len(ticks), self.wire.status | self.channel.number)
        # A coarse half sets the fine one to 0 (MIDI 1.0), though not every instrument keeps to that: 0 is said as well,
        # but where the fine half was 0 already.
        needed = (two > 0) | (number == self.wire.number) | np.repeat(before % FINE > 0, 2)
        columns = (np.repeat(ticks, 2), channel, number, two)
        return Messages(*(column[needed] for column in columns)), np.repeat(after, 2)[needed]


def own_rows(take: Take, channel: Channel, key: str) -> Ints:
    """Rows of the recorded events that are values of a lane."""
    rows, mine = take.rows, rows_on(take, channel)
    found: Ints = mine[LANES[key].wire.own(rows.status[mine] & 0xF0, rows.data1[mine])]
    return found


def preceding(take: Take, channel: Channel, follow: tuple[Order, ...]) -> Ints:
    """Rows that a new event on a channel has to follow where they lie on its tick."""
    rows = take.rows
    exclusives = np.flatnonzero((rows.status == SYSEX) | (rows.status == ESCAPE))
    mine: Ints = np.concatenate((rows_on(take, channel), exclusives))
    return np.asarray(mine[np.isin(classes(rows, mine), follow)])


def _overrides(rows: Rows, channel: Channel, coder: _Coder) -> tuple[Ints, Ints]:
    """Resets that put a lane back, and the codes that they put it to."""
    system = rows.status[channel.resets] == SYSEX
    again, first = coder.kind.after_reset, coder.kind.at_system_on
    counts = np.where(system, first is not None, again is not None)
    which: Ints = channel.resets[counts]
    code = coder.code(rows.tick[which], np.full(len(which), again or 0.0))
    # Not every instrument answers System On: after it nothing is taken for known.
    return which, np.where(system[counts], UNKNOWN, code)


class _Standing(NamedTuple):
    """Which nodes of a lane stand for recorded events, and where something is sent whatever the nodes say."""

    untouched: Flags
    in_place: Flags
    """They say something else where the event was."""
    implied: Flags
    """What a reset, or a change of range, makes of the lane: no event of its own."""
    again: Ints
    """Ticks."""


def _standing(take: Take, channel: Channel, lane: Lane, coder: _Coder, overrides: Ints) -> _Standing:
    rows, curve = take.rows, lane.curve
    stands = np.isin(lane.origin, coder.own)
    # A value of two messages, or under a range that changes, needs a new place.
    in_place = stands & lane.touched & (not coder.is_fine)
    if coder.kind.is_ranged:
        in_place &= ~np.isin(curve.ticks, np.append(rows.tick[channel.ranges], channel.restated))
    untouched = stands & ~lane.touched
    again = _restated(rows, lane, lane.origin[untouched | in_place], overrides, channel)
    return _Standing(untouched, in_place, ~stands & (lane.origin >= 0), again)


def _restated(rows: Rows, lane: Lane, kept: Ints, overrides: Ints, channel: Channel) -> Ints:
    """Ticks at which a reset or a change of range comes after all that was recorded of the lane there."""
    said = channel.restated if LANES[lane.key].is_ranged else channel.restated[:0]
    if LANES[lane.key].is_ranged:
        audible = channel.bend_range.at(rows.tick[channel.ranges]) > 0
        overrides = np.union1d(overrides, channel.ranges[audible])
        said = said[channel.bend_range.at(said) > 0]
    begins = lane.curve.ticks[0] if len(lane.curve) else np.inf
    ticks = np.unique(rows.tick[overrides])
    ticks = ticks[ticks >= begins]
    last = last_at(rows, overrides, ticks)
    ticks = ticks[later(rows, last, last_at(rows, kept, ticks)) == last]
    return np.union1d(ticks, said[said >= begins])


def _on_way(tempo: TempoMap, curve: Curve, seconds: float) -> Flags:
    """Nodes between two ways that lie closer to another than a time step: sent like any other place of a way.

    What is drawn by hand lies further apart; so close are those that stand for a curve that is steep.
    """
    found = np.zeros(len(curve), dtype=bool)
    if curve.hold[:-1].all():
        return found
    longer = curve.ticks[1:] > curve.ticks[:-1]
    near = np.diff(tempo.seconds(curve.ticks)) < seconds
    found[1:-1] = ~curve.hold[:-2] & ~curve.hold[1:-1] & longer[:-1] & longer[1:] & (near[:-1] | near[1:])
    return found


def _ways(take: Take, curve: Curve, on_way: Flags, again: Ints, pace: Pace, is_exact: bool) -> tuple[Ints, Floats]:
    """Events between nodes that are joined by ways: each where the curve is half a grain from what was sent last.

    So what is heard is never further than half a grain from what is drawn, but where two events would come closer
    together than the time step: there they come as often as it allows, or as the pace's worst demands. Nodes `on_way`
    are among these events; at the ticks `again` something is sent anyway.
    """
    lasts = np.append(curve.ticks[1:] != curve.ticks[:-1], True)[: len(curve)]
    again = again[~curve.holds(again) & ~np.isin(again, curve.ticks)] if len(again) else again
    marks = np.concatenate((curve.ticks[lasts], again))
    order = np.argsort(marks, kind="stable")
    marks, fixed = marks[order], np.concatenate((~on_way[lasts], np.ones(len(again), dtype=bool)))[order]
    first = curve.at(marks)
    sent = first if is_exact else whole(first).astype(np.float64)
    number, ticks, values = _crossings(take.tempo, curve, marks, sent, pace)
    if not len(ticks) and fixed.all():
        return ticks, values
    number = np.concatenate((np.arange(len(marks)), number))
    at, value = np.concatenate((marks, ticks)), np.concatenate((sent, values))
    fixed = np.concatenate((fixed, np.zeros(len(ticks), dtype=bool)))
    order = np.lexsort((at, number))
    at, value, fixed = at[order], value[order], fixed[order]
    # What says only what is in force anyway is no event, and keeps no other away; a node that does is one, though,
    # where what came before it is left to it.
    says = np.append(True, value[1:] != value[:-1]) | (fixed & np.isin(at, again))
    rows = says | fixed
    return _apart(take.tempo, curve, at[rows], value[rows], fixed[rows], says[rows], pace)


def _crossings(tempo: TempoMap, curve: Curve, marks: Ints, sent: Floats, pace: Pace) -> tuple[Ints, Ints, Floats]:
    """Where ways are half a grain from what was sent last: the mark that each comes after, the tick, what is sent.

    Counted from what is `sent` at the mark before.
    """
    grain = pace.grain
    node = curve.governing(marks)
    number = np.flatnonzero(~curve.hold[node] & (node < len(curve) - 1))
    node = node[number]
    a = marks[number]
    b = np.minimum(np.append(marks, marks[-1:])[number + 1], curve.ticks[np.minimum(node + 1, len(curve) - 1)])
    clock = tempo.seconds(np.stack((a, b))) if len(a) else np.zeros((2, 0))
    steep = np.abs(curve.values[np.minimum(node + 1, len(curve) - 1)] - curve.values[node]) > pace.worst
    lasting = (clock[1] - clock[0] >= pace.seconds) | steep
    number, node, a, b = number[lasting], node[lasting], a[lasting], b[lasting]
    start, stop = curve.ticks[node], curve.ticks[node + 1]
    low, rise = curve.values[node], curve.values[node + 1] - curve.values[node]
    last = curve.along(node, b.astype(np.float64))
    anchor, sign = sent[number], np.sign(rise)
    count = np.maximum(np.ceil((last - anchor) * sign / grain - 0.5), 0).astype(np.int64)
    # More than can be sent anyway need not be looked for one by one.
    stride = max(-(-int(count.sum()) // MOST_CROSSINGS), 1)
    found: list[tuple[Ints, Ints, Floats]] = []
    for rows in _groups(count // stride, AT_ONCE):
        which = np.repeat(rows, count[rows] // stride)
        step = (ranges(np.zeros_like(rows), count[rows] // stride)[0] + 1) * stride
        level = anchor[which] + sign[which] * (step - 0.5) * grain
        share = np.clip((level - low[which]) / rise[which], 0.0, 1.0)
        along = share_at(share, curve.lift[node[which]], curve.ease[node[which]])
        ticks = np.ceil(start[which] + along * (stop - start)[which] - 1e-9).astype(np.int64)
        ticks = np.maximum(ticks, a[which] + 1)
        # Of those at one tick the last says what the curve has come to.
        lasts = np.append((ticks[1:] != ticks[:-1]) | (which[1:] != which[:-1]), True)[: len(ticks)]
        lasts &= ticks < b[which]
        values = anchor[which] + sign[which] * step * grain
        found.append((number[which[lasts]], ticks[lasts], values[lasts]))
    if len(found) == 1:
        return found[0]
    numbers, at, values = ([group[column] for group in ((number[:0], a[:0], low[:0]), *found)] for column in range(3))
    return np.concatenate(numbers), np.concatenate(at), np.concatenate(values)


def _groups(count: Ints, most: int) -> Iterator[Ints]:
    """Rows that come to about so many together, one group after another."""
    group = (np.cumsum(count) - count) // most
    edges = np.append(np.flatnonzero(np.diff(group, prepend=-1)), len(count))
    for first, after in itertools.pairwise(edges.tolist()):
        yield np.arange(first, after)


def _apart(
    tempo: TempoMap, curve: Curve, ticks: Ints, values: Floats, fixed: Flags, says: Flags, pace: Pace
) -> tuple[Ints, Floats]:
    """Of events in the order of time those between the `fixed` ones (nodes), a time step apart at least.

    One that would come too soon after another waits until the step is over, and says what the curve has come to by
    then, in whole grains from what the others say; so none is later than a step. One too close before a node is left
    to it. But none waits for longer than what is heard may be off. What does not say anything new (`says`) is an event
    only where what it repeats has not been sent.
    """
    loose = np.flatnonzero(~fixed)
    clock = tempo.seconds(ticks)
    if (np.diff(clock[says]) >= pace.seconds).all():
        return ticks[loose], values[loose]
    # Of several that would come at one tick the last says what the curve has come to.
    last = np.append((ticks[1:] != ticks[:-1]) | fixed[1:], True) | fixed
    ticks, values, clock, fixed, says = ticks[last], values[last], clock[last], fixed[last], says[last]
    # Where it is so steep that not every grain was looked for, the nearest is said.
    there = curve.at(ticks)
    astray = np.round((there - values) / pace.grain * ALMOST)
    values = values + np.where(fixed, 0.0, astray) * pace.grain
    # Ticks are whole: one that waits may come a tick later, and the next not a tick sooner for that.
    tick = tempo.seconds(ticks + 1) - clock
    stops = np.where(fixed & says, clock, np.inf)
    stops = np.append(np.minimum.accumulate(stops[::-1])[::-1][1:], np.inf) - pace.seconds
    # How low and how high the curve is from each of them to just before the next.
    then = np.append(curve.at(ticks[1:] - 1), values[-1:])
    low, high = np.minimum(there, then), np.maximum(there, then)
    columns = (clock, tick, stops, values, low, high)
    flags = (fixed.tolist(), says.tolist())
    kept, waited = _greedily(_Events(*(column.tolist() for column in columns)), *flags, pace)
    later = np.ceil(tempo.tick(np.array(waited, dtype=np.float64)) - 1e-6).astype(np.int64)
    planned = values[np.searchsorted(ticks, later, side="right") - 1]
    come_to = planned + np.round((curve.at(later) - planned) / pace.grain * ALMOST) * pace.grain
    at = np.concatenate((ticks[kept], later))
    order = np.argsort(at, kind="stable")
    return at[order], np.concatenate((values[kept], come_to))[order]


class _Events(NamedTuple):
    """Events in columns: when, how long a tick lasts there, until when one before the next fixed one may come, what it
    says, and between what the curve is until the next."""

    clock: list[float]
    tick: list[float]
    stops: list[float]
    values: list[float]
    low: list[float]
    high: list[float]


def _greedily(events: _Events, fixed: list[bool], says: list[bool], pace: Pace) -> tuple[list[int], list[float]]:
    """Which events keep their place, and when (in seconds) those come that have to wait."""
    clock, tick, stops, values, low, high = events
    kept: list[int] = []
    waited: list[float] = []
    last, due, sent = -math.inf, math.inf, math.nan
    for row, now in enumerate(clock):
        # One that waits comes as soon as it may, unless a node comes first.
        while due <= now - 1e-9:
            if due + tick[row] <= stops[row - 1] + 1e-9:
                waited.append(due)
                # On the way up to a whole tick it may meet the next.
                last, sent = due + tick[row], values[row - (due <= now - tick[row])]
            due = math.inf
        if fixed[row]:
            if says[row] or values[row] != sent:
                last, due, sent = now, math.inf, values[row]
        elif now - last >= pace.seconds - 1e-9:
            if now <= stops[row] + 1e-9 or max(high[row] - sent, sent - low[row]) > pace.worst:
                kept.append(row)
                last, sent = now, values[row]
            due = math.inf
        elif max(high[row] - sent, sent - low[row]) > pace.worst:
            kept.append(row)
            last, due, sent = now, math.inf, values[row]
        else:
            due = last + pace.seconds
    if due < math.inf:
        waited.append(due)
    return kept, waited
