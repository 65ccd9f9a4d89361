"""The ways between nodes as events: so few that what is heard is no further from them than it may be."""

import itertools
import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from expression.arrays import Flags, Floats, Ints, ranges, whole
from expression.cable import Pace
from expression.curve import Curve
from expression.piece import share_at
from expression.time import TempoMap

MOST_CROSSINGS = 16_000_000
AT_ONCE = 500_000
ALMOST = 1 - 1e-6
"""What lies in the middle between two grains belongs to the one that was planned."""


def on_way_of(tempo: TempoMap, curve: Curve, seconds: float) -> Flags:
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


def segment_events(
    tempo: TempoMap, curve: Curve, on_way: Flags, again: Ints, pace: Pace, is_exact: bool
) -> tuple[Ints, Floats]:
    """Events between nodes that are joined by ways: each where the curve is half a grain from what was sent last.

    So what is heard is never further than half a grain from what is drawn, but where two events would come closer
    together than the time step: there they come as often as it allows, or as the pace's worst demands. Nodes `on_way`
    are among these events; at the ticks `again` something is sent anyway.
    """
    if not curve.ways.any():
        # (None of the nodes is between two ways, either.)
        return curve.ticks[:0], curve.values[:0]
    lasts = np.append(curve.ticks[1:] != curve.ticks[:-1], True)[: len(curve)]
    again = again[~curve.holds(again) & ~np.isin(again, curve.ticks)] if len(again) else again
    marks = np.concatenate((curve.ticks[lasts], again))
    order = np.argsort(marks, kind="stable")
    marks, fixed = marks[order], np.concatenate((~on_way[lasts], np.ones(len(again), dtype=bool)))[order]
    first = curve.at(marks)
    sent = first if is_exact else whole(first).astype(np.float64)
    number, ticks, values = _crossings(tempo, curve, marks, sent, pace)
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
    return _apart(tempo, curve, at[rows], value[rows], fixed[rows], says[rows], pace)


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
