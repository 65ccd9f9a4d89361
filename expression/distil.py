"""Distil: a dense recording in few nodes, so that what is heard stays within a tolerance of what was heard.

A recorded value is held until the next, so a fit is held against it at both ends of that time: at the event, and at
the last tick before the next. A way is sent as one event for each step of its rise; where that would be more than the
events that it replaces, it is no way to send fewer, and the recorded values stay held.

Each segment runs from one recorded event to another, as a held value or as a way. Seen from its start, a way of the
form of `curve` is c (exp(p t) - 1): with p fixed, every event on the way allows an interval of c, and what all of them
allow is their intersection. So one running maximum and one running minimum tell of every later event whether a segment
can end there.

Of the last few places where a segment can end, that one is taken from which the next segment comes furthest. Long
recordings are worked on in several stretches side by side, so that whole arrays do the work.
"""

import numpy as np

from expression.arrays import Flags, Floats, Ints, union
from expression.curve import STEEPNESS, Curve, form

SMALL = 1000
"""Recordings of no more events are fitted with care; larger ones with less, so that they too are done at once."""
STRETCH = 600
"""Events of a stretch that is worked on by itself; shorter recordings are worked on as one."""
MOST_STRETCHES = 64
BETWEEN = 8
"""Between two points of a line it is looked in so many parts of the way, where that comes to no more places than ..."""
FEW = 400
WINDOW = 24
"""Witnesses looked at from a start; four times as many, again and again, where a segment may come further."""


class _Recording:
    """Events to be fitted, and the witnesses that a fit is held against: the events, and the ends of what they hold.

    Of a line that was drawn (`step` None) the witnesses are its points, and places between them; it never jumps.
    """

    def __init__(
        self, ticks: Ints, values: Floats, tolerance: float, step: float | None, firsts: Ints | None = None
    ) -> None:
        held = np.flatnonzero(np.diff(ticks) > 1) if step is not None else np.zeros(0, dtype=np.int64)
        self.step, self.is_line = step or 0.0, step is None
        self.ticks, self.values, self.tolerance = ticks, values, tolerance
        at = np.concatenate((ticks.astype(np.float64), ticks[held + 1] - 1.0))
        value = np.concatenate((values, values[held]))
        parts = min(BETWEEN, FEW // len(ticks))
        if step is None and parts > 1:
            between = (np.arange(1, parts) / parts)[:, None]
            at = np.append(at, ticks[:-1] + between * np.diff(ticks))
            value = np.append(value, values[:-1] + between * np.diff(values))
        order = np.argsort(at, kind="stable")
        self.at, self.value = at[order], value[order]
        self.is_event = order < len(ticks)
        self.own = np.flatnonzero(self.is_event)
        """The witness that each event is itself."""
        self.event = np.cumsum(self.is_event) - 1
        self.firsts = np.zeros(1, dtype=np.int64) if firsts is None else firsts
        gaps = np.delete(np.diff(ticks), self.firsts[1:] - 1)
        gap = float(np.median(gaps)) if len(gaps) else 1.0
        # Steep ways are for short segments, flat ones for long ones; where there is time for it, with many between.
        small = len(ticks) <= SMALL
        self.steep = STEEPNESS / (gap * 2.0 ** (np.arange(1, 9, 0.0625) if small else np.array([2.0, 4.0, 6.0])))
        self.ahead = 12 if small else 2

    def ends(self, start: Ints, end: Ints, window: int) -> Flags:
        """Which of the next `window` witnesses a segment can end at, from witnesses `start`; none is after `end`."""
        index = start[:, None] + np.arange(1, window + 1)
        inside = index <= end[:, None]
        index = np.minimum(index, len(self.at) - 1)
        time = self.at[index] - self.at[start][:, None]
        rise = self.value[index] - self.value[start][:, None]
        slack = self.tolerance + 1e-9
        found = np.ones_like(inside)
        found[:, 1:] = np.logical_and.accumulate(np.abs(rise) <= slack, axis=1)[:, :-1] & (not self.is_line)
        ways = _allowed(1 / time, rise, slack)
        reach = self.steep[:, None, None] * time
        share = 1 / np.expm1(np.minimum(reach, STEEPNESS))
        fits = _allowed(share, rise, slack)
        fits |= _allowed(share + 1, rise, slack)  # 1 - exp(-p t) is exp(p t) - 1 over exp(p t).
        fits &= reach <= STEEPNESS
        ways |= fits.any(axis=0)
        if not self.is_line:
            ways &= np.abs(rise) <= self.step * (self.event[index] - self.event[start][:, None]) + 1e-9
        found |= ways
        return np.asarray(found & inside & self.is_event[index])

    def furthest(self, start: Ints, end: Ints) -> Ints:
        """For each of the witnesses `start` its last possible ends, the last first: a row for each."""
        best = np.repeat(start[:, None], self.ahead, axis=1)
        open_, window = np.arange(len(start)), WINDOW
        while len(open_):
            ends = self.ends(start[open_], end[open_], window)
            # The last ones first; where there are fewer, the first of them stands for the rest.
            place = np.where(ends, np.arange(1, window + 1), 0)
            last = _largest(place, self.ahead)
            last = np.where(last > 0, last, last[:, :1])
            best[open_] = start[open_][:, None] + last
            further = (last[:, 0] > window * 3 // 4) & (best[open_, 0] < end[open_])
            open_, window = open_[further], window * 4
        return best

    def joined(self, events: Ints) -> Curve:
        """The curve through chosen events, each segment as held or with the lift that fits best."""
        first, last = self.own[events[:-1]], self.own[events[1:]]
        between = last - first - 1
        segment = np.repeat(np.arange(len(first)), between)
        witness = first[segment] + 1 + np.arange(len(segment)) - np.repeat(np.cumsum(between) - between, between)
        time, rise = self.at[last] - self.at[first], self.value[last] - self.value[first]
        u = (self.at[witness] - self.at[first][segment]) / time[segment]
        value = self.value[witness] - self.value[first][segment]

        def off(made: Floats | float) -> Floats:
            worst = np.zeros(len(first))
            np.maximum.at(worst, segment, np.abs(made - value))
            return worst

        lift, error = np.zeros(len(first)), off(rise[segment] * u)
        for power in np.concatenate((self.steep, -self.steep)):
            tried = power * time / STEEPNESS
            fitting = (np.abs(tried) <= 1) & (error > 0)
            rows = np.flatnonzero(fitting[segment])
            here = segment[rows]
            worse = np.zeros(len(first))
            np.maximum.at(worse, here, np.abs(rise[here] * form(u[rows], tried[here]) - value[rows]))
            better = fitting & (worse < error)
            lift, error = np.where(better, tried, lift), np.where(better, worse, error)
        if self.is_line:
            return self._along(events, np.append(lift, 0.0))
        slack = self.tolerance + 1e-9
        sent = np.abs(rise) <= self.step * np.diff(events) + 1e-9
        way = (error <= slack) & sent & (rise != 0) & (np.diff(events) > 1)
        opens = np.isin(events, self.firsts)
        way &= ~opens[1:]
        hold = np.append(~way, True)
        keep = np.ones(len(events), dtype=bool)
        # The last node of a recording says nothing where it is what is held before it.
        closes = np.append(opens[1:], True)[1:] & ~opens[1:]
        keep[1:] = ~closes | way | (rise != 0)
        lift = np.where(hold, 0.0, np.append(lift, 0.0))
        return Curve.of(self.ticks[events][keep], self.values[events][keep], hold[keep], lift[keep])

    def _along(self, events: Ints, lift: Floats) -> Curve:
        """The line through chosen points, and through all others of a segment that would leave it between two."""
        off = _furthest(self.ticks, self.values, events, lift)
        segment = np.searchsorted(events, np.arange(len(self.ticks)), side="right") - 1
        astray = np.append(off > self.tolerance + 1e-9, False)[np.minimum(segment, len(events) - 1)]
        nodes = np.union1d(events, np.flatnonzero(astray))
        forms = np.zeros(len(nodes))
        kept = np.append(off <= self.tolerance + 1e-9, True)
        forms[np.searchsorted(nodes, events[kept])] = lift[kept]
        return Curve.of(self.ticks[nodes], self.values[nodes], np.arange(len(nodes)) == len(nodes) - 1, forms)


def _furthest(ticks: Ints, values: Floats, nodes: Ints, lift: Floats) -> Floats:
    """How far each way between chosen points (`nodes`, of those `lift`s) comes from the straight lines through all.

    Between two points the way bends to one side alone. So it is furthest at one of them, or where it is as steep as
    the line: expm1(p u) / expm1(p) has the slope p exp(p u) / expm1(p).
    """
    way = np.searchsorted(nodes, np.arange(len(ticks) - 1), side="right") - 1
    begin, width = ticks[nodes[way]], (ticks[nodes[way + 1]] - ticks[nodes[way]]).astype(np.float64)
    low, rise = values[nodes[way]], values[nodes[way + 1]] - values[nodes[way]]
    slope = np.diff(values) / np.diff(ticks)
    power = STEEPNESS * lift[way]
    bent = (np.abs(power) > 1e-9) & (rise != 0)
    safe = np.where(bent, power, 1.0)
    with np.errstate(all="ignore"):
        steep = np.log(slope * width * np.expm1(safe) / (np.where(bent, rise, 1.0) * safe)) / safe
    here, then = (ticks[:-1] - begin) / width, (ticks[1:] - begin) / width
    at = np.clip(np.where(bent & np.isfinite(steep), steep, here), here, then)
    worst = np.zeros(len(nodes) - 1)
    for u in (here, at, then):
        line = values[:-1] + slope * (u * width + begin - ticks[:-1])
        np.maximum.at(worst, way, np.abs(low + rise * form(u, lift[way]) - line))
    return worst


def _allowed(share: Floats, rise: Floats, slack: float) -> Flags:
    """Where c = rise times `share` lies within what all events so far allow (along the last axis)."""
    own, wide = rise * share, slack * share
    low, high = own - wide, own + wide
    np.maximum.accumulate(low, axis=-1, out=low)
    np.minimum.accumulate(high, axis=-1, out=high)
    return np.asarray((own >= low) & (own <= high))


def _largest(place: Ints, count: int) -> Ints:
    """The largest of each row, largest first."""
    found = np.partition(place, -count, axis=1)[:, -count:]
    return -np.sort(-found, axis=1)


def distil(ticks: Ints, values: Floats, tolerance: float, step: float, firsts: Ints | None = None) -> Curve:
    """Few nodes for recorded events of ascending `ticks`, each holding its value until the next.

    `firsts`: the rows with which recordings begin that have nothing to do with each other, where there are several one
    after another; no two of their events are at one tick.
    At every tick the curve, and what is sent of it in events of one `step` each, is within `tolerance` of the value
    that was held there; and no more events are sent than there were.
    """
    whole_steps = step == 1 and not (np.asarray(values) % 1).any()
    # What is sent is rounded, which must not carry it over the bound.
    inner = int(tolerance) + 0.5 - 1e-6 if whole_steps else max(tolerance - step / 2, 0.0)
    return _fitted(ticks, values, min(tolerance, inner), step, firsts)


def line_through(ticks: Ints, values: Floats, tolerance: float) -> Curve:
    """Few nodes for a line drawn by hand: never further than `tolerance` from the straight lines between its points."""
    return _fitted(ticks, values, tolerance, None)


def _fitted(ticks: Ints, values: Floats, tolerance: float, step: float | None, firsts: Ints | None = None) -> Curve:
    ticks, last = np.unique(np.asarray(ticks, dtype=np.int64)[::-1], return_index=True)
    values = np.asarray(values, dtype=np.float64)[::-1][last]  # Of several events at one tick the last holds.
    if len(ticks) < 2:
        return Curve.of(ticks, values)
    recording = _Recording(ticks, values, tolerance, step, firsts)
    ahead = recording.ahead
    stretches = min(max(len(ticks) // STRETCH, 1), MOST_STRETCHES)
    parted = np.linspace(0, len(ticks) - 1, stretches + 1).astype(np.int64)
    edges = recording.own[union(parted, recording.firsts, recording.firsts[1:] - 1)]
    at, end = edges[:-1].copy(), edges[1:]
    nodes = [at.copy(), end[-1:]]
    ends = recording.furthest(at, end)
    while (open_ := np.flatnonzero(at < end)).size:
        tried = ends[open_]
        comes = np.repeat(tried[:, :, None], ahead, axis=2)
        going = tried[:, 0] < end[open_]
        if going.any():
            starts = tried[going].ravel()
            found = recording.furthest(starts, np.repeat(end[open_][going], ahead))
            comes[going] = found.reshape(-1, ahead, ahead)
        best = comes[:, :, 0].argmax(axis=1)
        row = np.arange(len(open_))
        at[open_], ends[open_] = tried[row, best], comes[row, best]
        nodes.append(at[open_].copy())
    return recording.joined(recording.event[np.unique(np.concatenate(nodes))])
