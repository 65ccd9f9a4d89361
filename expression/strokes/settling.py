"""One key sounds one note at a time: what becomes of notes that lie over others of their key."""

from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import Literal, NamedTuple

import numpy as np

from expression.arrays import Flags, Ints, contained, looked_up
from expression.errors import NothingMatched
from expression.notes import Notes
from expression.take import Part, Take

Over = Literal["cut", "refuse"]
NEVER = np.iinfo(np.int64).max


class Settled(NamedTuple):
    """A take in which no note that was touched overlaps another of its key, but for what it overlapped before."""

    take: Take
    ended: int
    """Other notes that end sooner than they did."""
    short: int
    """Notes of the stroke's own that end sooner than it would have them."""
    gone: int
    """Notes that gave way, since another is struck on their key at the same tick."""


def settled(take: Take, changed: Mapping[int, Notes], touched: Ints, over: Over = "cut") -> Settled:
    """The take with the notes of some parts (by id) replaced, of which some (ids, ascending) have been touched.

    A note ends at the latest where its key is struck next, whoever plays it on the channel. Of two that are struck at
    once the one that was touched stays, of several of these the longest. What nobody touched and nothing touched meets
    is left as it is; and so are touched notes to each other, where they lay over each other before. Raises
    NothingMatched where that is to be refused.
    """
    made = take.with_notes(changed)
    ended = short = gone = 0
    for channel in {take.parts[part].channel.id: take.parts[part].channel for part in changed}.values():
        parts = made.parts_on(channel)
        keys = _Keys(parts, touched, take.parts_on(channel))
        ended += int((keys.cut & ~keys.mine).sum())
        short += int((keys.cut & keys.mine).sum())
        gone += int(keys.gives_way.sum())
        if over == "refuse" and (keys.cut.any() or keys.gives_way.any()):
            count = int((keys.cut | keys.gives_way).sum())
            raise NothingMatched(
                f"{'1 note' if count == 1 else f'{count:,} notes'} would lie over another of the same key; "
                "move it elsewhere, or let what is there be cut.",
                "over",
            )
        if keys.cut.any() or keys.gives_way.any():
            made = made.with_notes(dict(zip([part.id for part in parts], keys.settled(parts), strict=True)))
    return Settled(made, ended, short, gone)


class _Keys:
    """The notes of a channel, part after part. One element of each array a note."""

    def __init__(self, parts: list[Part], touched: Ints, before: list[Part]) -> None:
        notes = [part.notes for part in parts]
        start, self.until, pitch, id_, muted = (
            np.concatenate([getattr(one, name) for one in notes]) for name in ("start", "end", "pitch", "id", "muted")
        )
        self.count = [len(one) for one in notes]
        tracks = np.repeat([part.track for part in parts], self.count)
        self.mine: Flags = contained(id_, touched) & ~muted
        self.gives_way: Flags = np.zeros(len(id_), dtype=bool)
        self.cut: Flags = np.zeros(len(id_), dtype=bool)
        order = np.flatnonzero(self._met(start) & ~muted)
        if len(parts) > 1:
            order = order[np.argsort(start[order], kind="stable")]
        # One number for key and tick: the notes of a key lie together, in the order of time.
        order = order[np.argsort(pitch[order], kind="stable")]
        span = int(max(start.max(initial=0), self.until.max(initial=0))) + 2
        at = pitch[order].astype(np.int64) * span + start[order]
        was = _Was(id_[order], before)
        loses = _same_tick(at, self.until[order], self.mine[order], was)
        self.gives_way[order[loses]] = True
        if loses.any():
            order, at, was = order[~loses], at[~loses], was.rows(~loses)
        mine, end = self.mine[order], self.until[order]
        until = _until(at, mine, tracks[order]) - at
        astray = np.flatnonzero(mine & (end - start[order] > until))
        until[astray] = _apart(astray, at, end - start[order], mine, tracks[order], was)
        # Struck in another track a tick later, nothing would be left of it.
        length = end - start[order]
        self.gives_way[order[until < 1]] = True
        cut = (length > until) & (until >= 1)
        self.cut[order[cut]] = True
        self.until[order[cut]] = (start[order] + until)[cut]

    def _met(self, start: Ints) -> Flags:
        """Which notes sound while any of those that were touched do: with others nothing happens."""
        if not self.mine.any():
            return np.zeros(len(start), dtype=bool)
        first, last = start[self.mine].min(), self.until[self.mine].max()
        return np.asarray((self.until >= first) & (start <= last))

    def settled(self, parts: list[Part]) -> list[Notes]:
        """The notes of each part as they are to be."""
        edges = np.cumsum([0, *self.count])
        found = []
        for part, first, last in zip(parts, edges[:-1].tolist(), edges[1:].tolist(), strict=True):
            keep = ~self.gives_way[first:last]
            notes = part.notes.until(self.until[first:last]) if self.cut[first:last].any() else part.notes
            found.append(notes if keep.all() else notes.only(keep))
        return found


class _Was:
    """Where notes were before a stroke. Mostly nobody asks: only of notes that meet now it is looked up."""

    def __init__(self, ids: Ints, parts: list[Part]) -> None:
        """Of notes by their ids, on the channel of some parts."""
        self._ids, self._parts = ids, parts

    def _known(self, name: str) -> list[Ints]:
        return [getattr(part.notes, name) for part in self._parts]

    @cached_property
    def _columns(self) -> list[Ints]:
        """Pitch, start and end of all that were there; behind them -1, of what is new and was nowhere."""
        return [np.concatenate([*self._known(name), np.array([-1])]) for name in ("pitch", "start", "end")]

    @cached_property
    def _row(self) -> Ints:
        """Of each note its row among these."""
        row, there = looked_up(self._ids, np.concatenate(self._known("id")))
        return np.where(there, row, -1)

    def _both(self, one: Ints, other: Ints) -> Iterator[tuple[Ints, Ints]]:
        """Pitch, start and end of pairs of notes."""
        return ((column[self._row[one]], column[self._row[other]]) for column in self._columns)

    def rows(self, which: Flags) -> "_Was":
        """Of some of them."""
        return _Was(self._ids[which], self._parts)

    def struck_with(self, one: Ints, other: Ints) -> Flags:
        """Which notes began with others on the same key."""
        pitch, start, _ = self._both(one, other)
        return np.asarray((start[0] >= 0) & (start[0] == start[1]) & (pitch[0] == pitch[1]))

    def lay_over(self, one: Ints, other: Ints) -> Flags:
        """Which notes began while earlier ones (or such as began with them) were down on their keys."""
        pitch, start, end = self._both(one, other)
        begins = (start[0] <= start[1]) & (start[1] < end[0])
        return np.asarray(begins & (start[1] >= 0) & (pitch[0] == pitch[1]))


def _apart(astray: Ints, at: Ints, length: Ints, mine: Flags, track: Ints, was: _Was) -> Ints:
    """How long touched notes may last (those `astray` would be too long) that lay over others which were touched too:
    these do not end them, as long as they end no sooner.
    """
    lasts = length[astray]
    # All at once: each beside the next after it, then those that go on beside the one after that.
    going, beside = np.arange(len(astray)), 0
    while len(going):
        beside += 1
        going = going[astray[going] + beside < len(at)]
        row, other = astray[going], astray[going] + beside
        reached = at[other] < at[row] + lasts[going]
        going, row, other = going[reached], row[reached], other[reached]
        gap = at[other] - at[row]
        kept = mine[other] & (gap + length[other] >= lasts[going])
        kept[kept] = was.lay_over(row[kept], other[kept])
        ends = (gap > 0) & ~kept
        lasts[going[ends]] = (gap - (track[other] < track[row]))[ends]
        going = going[~ends]
    return lasts


def _until(at: Ints, mine: Flags, track: Ints) -> Ints:
    """Until when each note (at ascending places) may last: to the next strike of its key, or of those that are mine.

    At one tick the tracks are told in their order: what is struck in an earlier one is struck before a note has ended.
    """
    if not len(at):
        return at
    # Of each place where the next one begins.
    heads = np.append(np.flatnonzero(at[1:] != at[:-1]) + 1, len(at))
    behind = heads[np.searchsorted(heads, np.arange(len(at)), side="right")] if len(heads) < len(at) else heads
    any_, theirs = _following(at, behind, track), None
    if not mine.all():
        theirs = _following(np.where(mine, at, NEVER), behind, track)
    return any_ if theirs is None else np.where(mine, any_, theirs)


def _following(strikes: Ints, behind: Ints, track: Ints) -> Ints:
    """The first of some strikes from a row on (`NEVER` where none is); a tick before where it is told earlier."""
    ahead = np.append(np.minimum.accumulate(strikes[::-1])[::-1], NEVER)
    found = ahead[behind]
    if (track == track[0]).all():
        return found
    # Of strikes at one place the first track that has one.
    places, which = np.unique(strikes, return_inverse=True)
    first = np.full(len(places) + 1, NEVER)
    np.minimum.at(first, which, track)
    earlier = first[np.searchsorted(places, found)] < track
    return np.where((found < NEVER) & earlier, found - 1, found)


def _same_tick(at: Ints, end: Ints, mine: Flags, was: _Was) -> Flags:
    """Which notes (at ascending places) give way to one of `mine` that is struck on their key at their tick; not those
    of `mine` that were struck together before.
    """
    same = at[1:] == at[:-1]
    loses = np.zeros(len(at), dtype=bool)
    if not same.any():
        return loses
    rows = np.flatnonzero(np.append(False, same) | np.append(same, False))
    rows = rows[np.lexsort((end[rows], mine[rows], at[rows]))]
    last = np.append(at[rows][1:] != at[rows][:-1], True)
    group = np.cumsum(last) - last
    winner = rows[last][group]
    loses[rows] = (winner != rows) & mine[winner] & ~(mine[rows] & was.struck_with(rows, winner))
    return loses
