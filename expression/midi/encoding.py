"""A shaped lane as messages: what stays of the recording, what changes in its place, what comes."""

from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Flags, Floats, Ints, contained, frozen, union, whole
from expression.lanes import LANES, LaneKind
from expression.memo import worked_out
from expression.midi.order import CHANNELS, Order, classes, follows, last_at, later, place_of, rows_of
from expression.midi.segment_events import on_way_of, segment_events
from expression.piece import cut
from expression.status import BEND_CENTRE, ESCAPE, SYSEX
from expression.take import Channel, Lane, Rows, Standing, Take

FINE = 128
"""Fine steps in one of a controller."""
UNKNOWN = -2


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


def lane_messages(
    take: Take, channel: Channel, key: str, tolerance: float = 0.0, until: int | None = None
) -> LaneMessages:
    """Nodes that were not touched stand for their recorded events; the others, and the ways between, are made anew.

    So is what a reset, or a change of the bend's range, would make another value than is drawn. What is made and would
    say only what the receiver has already is left out. `until`: what is sent from that tick on is not asked for.
    """
    rows, lane, kind = take.rows, channel.lanes.get(key) or Lane.empty(key), LANES[key]
    lane = lane if until is None else _beginning(lane, until)
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
    on_way = on_way_of(take.tempo, curve, pace.seconds) & ~standing
    way_ticks, way_values = segment_events(take.tempo, curve, on_way, again, pace, coder.is_exact)
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
    at = np.concatenate((rows.tick[kept], rows.tick[overrides], ticks))
    codes = np.concatenate((kept_code, override_code, code))
    made = np.concatenate((is_new, np.zeros(len(overrides), bool), np.ones(len(ticks), bool)))
    is_added = np.arange(len(codes)) >= len(kept) + len(overrides)
    ends_way = np.zeros(len(codes), dtype=bool)
    ends_way[: len(kept)] = np.append(False, curve.ways[:-1])[: len(curve)][standing]
    needless, state = _needless(np.lexsort((place, at)), codes, made, is_added, ends_way)
    keeps, adds = ~needless[: len(kept)], ~needless[is_added]
    states = state[is_added][adds]
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


def _beginning(lane: Lane, tick: int) -> Lane:
    """The nodes of a lane before a tick, and those that they are on their way to."""
    ticks = lane.curve.ticks
    after = int(np.searchsorted(ticks, tick))
    if after == len(ticks):
        return lane
    rows = slice(int(np.searchsorted(ticks, ticks[after], side="right")))
    return Lane.on(lane.key, lane.curve.rows(rows), Standing(lane.origin[rows], lane.touched[rows]))


def _needless(sequence: Ints, codes: Ints, made: Flags, is_added: Flags, ends_way: Flags) -> tuple[Flags, Ints]:
    """Which of a lane's messages need not be sent, since the receiver has their value; and what it has before each.

    `sequence` is the order in which they are sent. What is `made` may be left out; so may what was recorded, where it
    `ends_way`s and what was added for the way has come to it already.
    """
    ordered = codes[sequence]
    earlier = np.concatenate(([-1], ordered[:-1]))
    needless = made[sequence] & (ordered == earlier)
    sent_last = np.maximum.accumulate(np.where(needless, -1, np.arange(len(sequence))))
    sent_last = np.append(-1, sent_last[:-1])
    needless |= np.append(is_added[sequence], False)[sent_last] & ends_way[sequence] & (ordered == earlier)
    dropped, state = np.empty(len(codes), dtype=bool), np.empty(len(codes), dtype=np.int64)
    dropped[sequence], state[sequence] = needless, earlier
    return dropped, state


def lane_events(take: Take, channel: Channel, lane: Lane, start: int, end: int) -> tuple[Ints, Floats]:
    """What is sent of a lane from `start` to before `end`: the last value at each tick where one is sent."""
    kind, coder = LANES[lane.key], _Coder(take, channel, lane.key)
    inner = cut(lane.curve, start, end, kind.error).curve
    overrides, _ = _overrides(take.rows, channel, coder)
    untouched, in_place, _, again = _standing(take, channel, lane, coder, overrides)
    pace = channel.pace(lane.key)
    on_way = on_way_of(take.tempo, inner, pace.seconds)
    on_way &= ~contained(inner.ticks, lane.curve.ticks[untouched | in_place])
    again = again[(again >= inner.ticks[0]) & (again < end)] if len(inner) else again
    ticks, values = segment_events(take.tempo, inner, on_way, again, pace, coder.is_exact)
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
    """Rows of the recorded events that are values of a lane, ascending."""
    return _own_rows(take.rows, *place_of(take, channel), key)


@worked_out(CHANNELS)
def _own_rows(rows: Rows, number: int, tracks: tuple[int, ...], key: str) -> Ints:
    mine = rows_of(rows, number, tracks)
    return frozen(mine[LANES[key].wire.own(rows.status[mine] & 0xF0, rows.data1[mine])], np.int64)


def preceding(take: Take, channel: Channel, follow: tuple[Order, ...]) -> Ints:
    """Rows that a new event on a channel has to follow where they lie on its tick."""
    return _preceding(take.rows, *place_of(take, channel), follow)


@worked_out(CHANNELS)
def _preceding(rows: Rows, number: int, tracks: tuple[int, ...], follow: tuple[Order, ...]) -> Ints:
    exclusives = np.flatnonzero((rows.status == SYSEX) | (rows.status == ESCAPE))
    mine = np.concatenate((rows_of(rows, number, tracks), exclusives))
    return frozen(mine[np.isin(classes(rows, mine), follow)], np.int64)


def _overrides(rows: Rows, channel: Channel, coder: _Coder) -> tuple[Ints, Ints]:
    """Resets that put a lane back, and the codes that they put it to."""
    which = putting_back(rows, channel, coder.kind)
    code = coder.code(rows.tick[which], np.full(len(which), coder.kind.after_reset or 0.0))
    # Not every instrument answers System On: after it nothing is taken for known.
    return which, np.where(rows.status[which] == SYSEX, UNKNOWN, code)


def putting_back(rows: Rows, channel: Channel, kind: LaneKind) -> Ints:
    """Rows of the resets of a channel that put a lane of a kind back."""
    puts_back = np.where(channel.is_system_on(rows), kind.at_system_on is not None, kind.after_reset is not None)
    return np.asarray(channel.resets[puts_back])


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
    stands = contained(lane.origin, coder.own)
    # A value of two messages, or under a range that changes, needs a new place.
    in_place = stands & lane.touched & (not coder.is_fine)
    if coder.kind.is_ranged:
        in_place &= ~contained(curve.ticks, union(rows.tick[channel.ranges], channel.restated))
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
