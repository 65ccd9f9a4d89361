"""What lies under notes goes with them: what the lanes of their channel hold where no other note sounds.

Where others sound the lanes stay as they are, before and after: nobody hears a note otherwise that was not touched.
"""

from typing import NamedTuple

import numpy as np

from expression import piece
from expression.arrays import Flags, Ints, contained, merged, union, whole
from expression.curve import NO_NODES, Curve
from expression.lanes import LANES
from expression.note_curves import NoteCurves
from expression.sounding import sounding
from expression.take import Channel, Lane, Take
from expression.time import Sight


class Stretches(NamedTuple):
    """Stretches of time that ascend and do not touch: ticks, the ends not included."""

    start: Ints
    end: Ints

    @classmethod
    def of(cls, start: Ints, end: Ints) -> "Stretches":
        """From any: those that touch or overlap are one."""
        return cls(*merged(start, end))

    def between(self, first: int, last: int) -> "Stretches":
        """What they leave free between two ticks."""
        start = np.maximum(np.append(first, self.end), first)
        end = np.minimum(np.append(self.start, last), last)
        return Stretches(start[start < end], end[start < end])

    def about(self, span: Sight, around: Sight) -> Sight:
        """As much of a span as decides on what becomes of the lanes between two ticks, where they leave it free."""
        free = self.between(*span)
        row = int(np.searchsorted(free.end, around[0], side="right"))
        first = max(span[0], around[0])
        if row < len(free.end) and free.end[row] < around[1]:
            # At its end comes what was in force before all of it.
            first = int(free.start[row])
        return first, min(span[1], around[1])

    def shared(self, other: "Stretches") -> "Stretches":
        """Where both are."""
        edges = union(*self, *other)
        start, end = edges[:-1], edges[1:]
        both = self.covers(start) & other.covers(start)
        return Stretches.of(start[both], end[both])

    def covers(self, ticks: Ints) -> Flags:
        """Which ticks lie in any of them."""
        if not len(self.start):
            return np.zeros(len(ticks), dtype=bool)
        row = np.searchsorted(self.start, ticks, side="right") - 1
        return np.asarray((row >= 0) & (ticks < self.end[np.maximum(row, 0)]))

    def later(self, ticks: int) -> "Stretches":
        """The same so many ticks later."""
        return Stretches(self.start + ticks, self.end + ticks)


def others(take: Take, channel: Channel, chosen: Ints) -> Stretches:
    """Where notes of a channel sound that are not chosen (ids, ascending), pedals counted in."""
    sounds = sounding(take, channel)
    rest = ~contained(sounds.id, chosen)
    return Stretches.of(sounds.start[rest], sounds.end[rest] + 1)


def carried(take: Take, channel: Channel, busy: Stretches, span: tuple[int, int], ticks: int) -> Take:
    """The take with what the lanes of a channel hold within a span so many ticks later, over what is there.

    A lane that holds no node there stays as it is: what is merely in force is no part of the notes.
    """
    span = max(span[0], -ticks), span[1]
    free = busy.between(*span)
    moved = free.shared(busy.between(span[0] + ticks, span[1] + ticks).later(-ticks))
    for key, lane in channel.lanes.items():
        if not len(lane.curve.within(*span)):
            continue
        error = LANES[key].error
        opened = piece.opened(lane.curve, union(*moved), error)
        made = piece.within(opened, *moved) if len(moved.start) else NO_NODES
        curve = _laid(lane.curve, free, NO_NODES, error)
        curve = _laid(curve, moved.later(ticks), made.timed(made.ticks + ticks), error)
        curve = _let_go(curve, lane, moved.later(ticks).end)
        take = take.with_lane(channel.id, _once(lane, curve))
    return take


def cleared(take: Take, channel: Channel, busy: Stretches, span: tuple[int, int]) -> Take:
    """The take with nothing on the lanes of a channel within a span."""
    free = busy.between(*span)
    for key, lane in channel.lanes.items():
        if len(lane.curve.within(*span)):
            curve = _laid(lane.curve, free, NO_NODES, LANES[key].error)
            take = take.with_lane(channel.id, _once(lane, curve))
    return take


class Timing(NamedTuple):
    """Notes at other times: when each began and ended, and when it does now. One element of each array a note."""

    id: Ints
    start: Ints
    end: Ints
    new_start: Ints
    new_end: Ints

    @property
    def differs(self) -> Flags:
        """Which of them begin or end elsewhere."""
        return np.asarray((self.start != self.new_start) | (self.end != self.new_end))

    def between(self, first: int, last: int) -> Flags:
        """Which of them sound between two ticks, before or after."""
        return np.asarray(
            (np.maximum(self.end, self.new_end) > first) & (np.minimum(self.start, self.new_start) < last)
        )

    def only(self, which: Flags) -> "Timing":
        """Some of them."""
        rows = np.flatnonzero(which)
        return Timing(*(column[rows] for column in self))


def warped(take: Take, channel: Channel, busy: Stretches, timing: Timing, around: Sight | None = None) -> Take:
    """The take with what lies under some notes of a channel carried along by one map of time.

    Under each group of notes that overlap, time goes from their old beginning and end to the new ones; between two
    groups, and for a beat on either side, it makes up for that; elsewhere, and where others sound, it stays. `around`:
    only groups between two ticks are looked at.
    """
    found = _anchors(timing, busy, take.resolution, around)
    if found is None:
        return take
    old, new = found
    for key, lane in channel.lanes.items():
        curve = lane.curve
        if not len(curve.within(int(old[0]), int(old[-1]) + 1)):
            continue
        moving = old[~curve.holds(old)]
        curve = piece.opened(curve, moving, LANES[key].error) if len(moving) else curve
        inside = (curve.ticks >= old[0]) & (curve.ticks <= old[-1])
        ticks = np.where(inside, whole(np.interp(curve.ticks, old, new)), curve.ticks)
        if not np.array_equal(ticks, curve.ticks):
            take = take.with_lane(channel.id, lane.reshaped(curve.timed(ticks)))
    return take


def _anchors(timing: Timing, busy: Stretches, beat: int, around: Sight | None) -> tuple[Ints, Ints] | None:
    """Ticks (ascending), and to which each goes; None where nothing under the notes goes elsewhere."""
    if not (timing.start[1:] >= timing.start[:-1]).all():
        order = np.argsort(timing.start, kind="stable")
        timing = Timing(*(column[order] for column in timing))
    _, start, end, new_start, new_end = timing
    # (Those before a group ended before it began: up to where it reaches is up to where all do.)
    reach = np.maximum.accumulate(end)
    first = np.flatnonzero(np.append(True, start[1:] >= reach[:-1]))
    if around:
        rows = np.flatnonzero(timing.between(*around))
        if not len(rows):
            return None
        head, after = np.searchsorted(first, (rows[0] + 1, rows[-1] + 1)) - (1, 0)
        near = slice(first[head], first[after] if after < len(first) else None)
        start, reach, new_start, new_end = (column[near] for column in (start, reach, new_start, new_end))
        first = first[head:after] - first[head]
    a, b = start[first], reach[np.append(first[1:], len(reach)) - 1]
    c, d = np.minimum.reduceat(new_start, first), np.maximum.reduceat(new_end, first)
    groups = np.stack((a, b, c, d, np.minimum(a, c), np.maximum(b, d)))
    low, high = groups[4:]
    # A group goes along only where nobody else sounds, from where it was to where it will be.
    if len(busy.start):
        row = np.searchsorted(busy.end, low, side="right")
        groups = groups[:, np.append(busy.start, np.iinfo(np.int64).max)[row] >= high]
    a, b, c, d, low, high = groups
    if not len(a) or (np.array_equal(a, c) and np.array_equal(b, d)):
        return None
    before, after = np.maximum(low - beat, 0), high + beat
    # A beat before and after nothing moves, unless the next group is nearer.
    early, late = low > np.append(-1, high[:-1]) + beat, np.append(low[1:], np.iinfo(np.int64).max) > high + beat
    early[0] = True
    still = np.concatenate((before[early], after[late], busy.start - 1, busy.start, busy.end - 1, busy.end))
    inside = Stretches(a, b).covers(still) | (still < 0)
    still = still[~inside]
    # The last tick under a group: what begins at its end is no longer under it.
    old = np.concatenate((a, np.maximum(b - 1, a), still))
    new = np.concatenate((c, np.maximum(d - 1, c), still))
    order = np.argsort(old, kind="stable")
    old, new = old[order], np.maximum.accumulate(new[order])
    once = np.append(True, old[1:] != old[:-1])
    return old[once], np.maximum(new[once], 0)


def stretched(curves: NoteCurves, notes: Ints, factor: np.ndarray) -> NoteCurves:
    """Curves with those of some notes (ids) so many times as long, each from its note's start."""
    order = np.argsort(notes)
    mine = curves.only(notes)
    if not len(mine):
        return curves
    rate = factor[order][np.searchsorted(notes[order], mine.owners())]
    made = NoteCurves.of(mine.owners(), mine.nodes.timed(whole(mine.nodes.ticks * rate)))
    return curves.with_curves(mine.ids, made)


def _laid(curve: Curve, where: Stretches, made: Curve, error: float) -> Curve:
    if not len(where.start):
        return curve
    return piece.laid_all(curve, *where, made, error)


def _let_go(curve: Curve, lane: Lane, ends: Ints) -> Curve:
    """A curve with what a receiver assumes by itself at those of some places where the lane had no value yet."""
    begins = lane.curve.ticks[0]
    ends = ends[(ends < begins) & ~contained(ends, curve.ticks)]
    if not len(ends):
        return curve
    return curve.among(Curve.of(ends, np.full(len(ends), LANES[lane.key].default)))


def _once(lane: Lane, curve: Curve) -> Lane:
    """The lane with a curve, without nodes of it that came to say what is held there already."""
    repeats = curve.repeats
    repeats[repeats] = ~contained(curve.ticks[repeats], lane.curve.ticks)
    return lane.reshaped(curve.rows(~repeats) if repeats.any() else curve)
