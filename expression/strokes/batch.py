"""Curves in batches: as many as a stroke acts on, one after another on one line, so that one computation serves all.

A channel's lane is a batch of one; the curves of chosen notes are one of as many as there are notes. Each has a stretch
of the line to itself, far from the next, which begins at its `base`; over its span (from `starts` to before `ends`) the
stroke acts. All is counted in ticks of the line.
"""

from copy import copy
from functools import cached_property
from typing import NamedTuple, Self

import numpy as np

from expression import piece
from expression.arrays import Flags, Floats, Ints, frozen, looked_up, union
from expression.cable import BendRange
from expression.curve import NO_NODES, Curve
from expression.lanes import LANES
from expression.note_curves import NO_CURVES, NoteCurves
from expression.piece import Piece
from expression.take import Channel, Events, Lane, Part, Rows, Take
from expression.time import Sight, TempoMap

_NO_ROWS = Rows.of([Events.of([], b"", b"", b"", [], [])])
_NONE = frozen([], np.int64)
_RANGE = BendRange(frozen([0], np.int64), frozen([2.0], np.float64))
_ALL = 62
"""The room of a curve that has the line to itself."""


class Chosen(NamedTuple):
    """The notes of a part that a stroke acts on. One element of each array a note; `length` is 1 tick at least."""

    part: int
    id: Ints
    start: Ints
    length: Ints


class Batch:
    """The curves that a stroke acts on."""

    def __init__(self, take: Take, key: str, curve: Curve, span: tuple[int, int], limits: tuple[float, float]) -> None:
        """Of one curve that lies on the take's own line; see `of_notes` for the others."""
        self.take, self.key, self.kind = take, key, LANES[key]
        self.part, self.id, self.begins, self.length = 0, np.zeros(1, np.int64), np.zeros(1, np.int64), _NONE
        self.nodes, self.limits = curve, limits
        self.room, self.base = _ALL, np.zeros(1, np.int64)
        self.starts, self.ends = np.array([span[0]], dtype=np.int64), np.array([span[1]], dtype=np.int64)
        self.bounds = limits
        self.on_notes, self.is_whole, self.is_switch, self.resumes = False, False, False, True
        self.touched: Flags | None = None
        self.sight: Sight | None = None

    @classmethod
    def of_notes(
        cls,
        take: Take,
        chosen: Chosen,
        key: str,
        span: tuple[int, int] | None,
        makes: bool,
        furthest: int = 0,
        longer: float = 1.0,
    ) -> Self:
        """Of notes of a part: over `span`, counted from each note's start, or over all of each.

        `makes`: also those that have no curve yet. So far behind a note's start (`furthest`), and so many times as long
        (`longer`), may become what is laid there.
        """
        kind = LANES[key]
        batch = cls(take, key, NO_NODES, span or (0, 1), (kind.low, kind.high))
        known = take.parts[chosen.part].curves.get(key, NO_CURVES).only(chosen.id)
        rows = np.argsort(chosen.id)
        if not makes:
            rows = rows[np.isin(chosen.id[rows], known.ids)]
        batch.part, batch.id, batch.begins, batch.length = (
            chosen.part,
            *(column[rows] for column in (chosen.id, chosen.start, chosen.length)),
        )
        last = max((int(one.nodes.ticks.max(initial=0)) for one in take.parts[chosen.part].curves.values()), default=0)
        longest = max(int(batch.length.max(initial=1)), last, span[1] if span else 0)
        batch.room = (4 * max(round(longest * max(longer, 1.0)), furthest)).bit_length()
        batch.on_notes, batch.is_whole, batch.resumes = True, span is None, span is not None
        first, last = span or (0, 0)
        batch._place(known, np.full(len(rows), first), np.full(len(rows), last) if span else batch.length)
        return batch

    def beside(self, key: str) -> "Batch":
        """The curves of the same notes of another kind, on a line of the same places."""
        other = copy(self)
        other.key, other.kind = key, LANES[key]
        other.limits = other.bounds = other.kind.low, other.kind.high
        known = self.take.parts[self.part].curves.get(key, NO_CURVES).only(self.id)
        other._place(known, self.starts - self.base, self.ends - self.base)
        return other

    def _place(self, known: NoteCurves, starts: Ints, ends: Ints) -> None:
        """Give each of the curves its stretch; its span is counted from there."""
        self.base = np.arange(len(self.id)) * self.apart
        self.starts, self.ends = self.base + starts, self.base + ends
        row = np.searchsorted(self.id, known.owners())
        self.nodes, self._known = known.nodes.timed(known.nodes.ticks + self.base[row]), known
        for worked_out in ("curve", "_within"):
            vars(self).pop(worked_out, None)

    @property
    def apart(self) -> int:
        """Ticks of the line from the beginning of one stretch to that of the next: two to the power of `room`."""
        return 1 << self.room

    def __len__(self) -> int:
        return len(self.id)

    def keep(self, rows: Flags) -> None:
        """Leave out all but some of the curves."""
        if rows.all():
            return
        starts, ends = (self.starts - self.base)[rows], (self.ends - self.base)[rows]
        self.id, self.begins = self.id[rows], self.begins[rows]
        if not self.on_notes:
            self.base, self.starts, self.ends = self.base[rows], self.starts[rows], self.ends[rows]
            return
        self.length = self.length[rows]
        self._place(self._known.only(self.id), starts, ends)

    def speaking(self, least: int = 1) -> Curve:
        """What they say over their spans; those that say it in fewer nodes than that are left out."""
        pieces = self.cut(self.nodes)
        rows = self.counts(pieces) >= least
        if rows.all():
            return pieces
        self.keep(rows)
        return self.cut(self.nodes) if len(self) else NO_NODES

    def over(self, start: int, end: int) -> None:
        """Act from one tick to before another of each curve, and on nothing else."""
        self.starts, self.ends, self.is_whole = self.base + start, self.base + end, False

    @property
    def error(self) -> float:
        """How far straight ways may be off that stand for what has no form of ours."""
        return self.kind.error

    @cached_property
    def curve(self) -> Curve:
        """What they say. A note that says nothing yet at its start is at its kind's default until then."""
        if not self.on_notes:
            return self.nodes
        local = self.nodes.ticks - self.base[self.owner(self.nodes.ticks)]
        silent = np.setdiff1d(np.arange(len(self)), self.owner(self.nodes.ticks[local <= 0]))
        return _sorted(self.nodes, Curve.of(self.base[silent], np.full(len(silent), self.kind.default)))

    @cached_property
    def clock(self) -> TempoMap:
        """The clock of the line: over each stretch that of the take while the note sounds."""
        tempo = self.take.tempo
        if not self.on_notes or len(tempo.ticks) == 1:
            return tempo
        first = np.searchsorted(tempo.ticks, self.begins, side="right") - 1
        after = np.searchsorted(tempo.ticks, self.begins + self.apart)
        count = after - first
        row = np.repeat(np.arange(len(self)), count)
        step = np.arange(len(row)) - np.repeat(np.cumsum(count) - count, count) + first[row]
        ticks = self.base[row] + np.maximum(tempo.ticks[step] - self.begins[row], 0)
        return TempoMap.stepping(tempo.resolution, ticks, tempo.micros[step])

    def laid_out(self, curve: Curve) -> Take:
        """A take in which a curve of the line is a lane by itself."""
        lane = Lane.recorded(self.key, curve, np.full(len(curve), -1))
        take = self.take
        number = take.parts[self.part].channel.number
        channel = Channel(0, 0, number, {self.key: lane} if len(curve) else {}, _RANGE, _NONE, _NONE)
        rows, _ = looked_up(self.id, take.parts[self.part].notes.id)
        notes = take.parts[self.part].notes.only(rows).moved(self.base, self.base + self.length)
        part = Part(0, take.parts[self.part].name, 0, channel, notes, _NONE, _NONE, None)
        return Take(b"", take.header, take.resolution, (), _NO_ROWS, self.clock, take.meter, (part,), ())

    def owner(self, ticks: Ints) -> Ints:
        """The row of the curve on whose stretch each tick lies."""
        return np.asarray(ticks >> self.room)

    def at(self, ticks: Ints) -> Floats:
        """What each says at a tick of its own stretch; its default where it says nothing yet."""
        own = self.has(self.curve, ticks)
        return np.where(own, self.curve.at(ticks), self.kind.default)

    def before(self, curve: Curve, ticks: Ints) -> Floats:
        """What each comes to just before a tick of its own stretch; NaN where it says nothing yet."""
        own = self.has(curve, ticks, np.searchsorted(curve.ticks, ticks) - 1)
        return np.where(own, curve.arriving(ticks), np.nan)

    def has(self, curve: Curve, ticks: Ints, node: Ints | None = None) -> Flags:
        """Whether what a curve says at each tick (by its `node`) is said on the tick's own stretch."""
        node = curve.governing(ticks) if node is None else node
        own = node >= 0
        own[own] = self.owner(curve.ticks[node[own]]) == self.owner(ticks[own])
        return own

    def cut(self, curve: Curve | None = None, error: float | None = None) -> Curve:
        """What they say over their spans, as pieces (see `piece.cut`)."""
        curve = self.curve if curve is None else curve
        error = self.error if error is None else error
        if not self.on_notes:
            return piece.cut(curve, int(self.starts[0]), int(self.ends[0]), error).curve
        edges = union(np.sort(self.starts), np.sort(self.ends))
        # Where a note says nothing yet, what the one before it on the line came to is none of its own.
        opened = piece.opened(curve, edges[self.has(curve, edges)], error)
        return piece.within(opened, self.starts, self.ends)

    def within(self) -> Curve:
        """The nodes that lie within their notes."""
        return self.curve.rows(self._within)

    @cached_property
    def _within(self) -> Flags:
        owner = self.owner(self.curve.ticks)
        return np.asarray(self.curve.ticks - self.base[owner] <= self.length[owner])

    def moved(self, made: Curve) -> Curve:
        """The curves with the nodes within their notes at other values, held within their limits."""
        values = self.curve.values.copy()
        values[self._within] = made.values
        return piece.clipped(self.piece(self.curve.valued(values)), *self.limits, self.error).curve

    def piece(self, curve: Curve) -> Piece:
        """A curve over all spans together."""
        return Piece(int(self.starts[0]), int(self.ends[-1]), curve)

    def walls(self, pieces: Curve) -> Ints:
        """Where one ends, or another begins: nothing is felt across."""
        if len(self) == 1:
            return _NONE
        first = np.append(True, np.diff(self.owner(pieces.ticks)) > 0)
        return union(pieces.ticks[first], self.ends[:-1])

    def parted(self, curve: Curve, pieces: Curve) -> Curve:
        """A curve along all of the line, only where pieces are that it was made of."""
        owner = self.owner(pieces.ticks)
        firsts = pieces.ticks[np.searchsorted(owner, np.arange(len(self)))]
        inside = piece.within(curve, self.starts, self.ends)
        return inside.rows(inside.ticks >= firsts[self.owner(inside.ticks)])

    @property
    def behind(self) -> Curve:
        """What lies behind the ends of the spans."""
        return self.nodes.rows(self.nodes.ticks > self.ends[self.owner(self.nodes.ticks)])

    def counts(self, curve: Curve) -> Ints:
        """How many nodes each has."""
        return self.counted(curve.ticks)

    def counted(self, ticks: Ints) -> Ints:
        """How many of some ticks lie on the stretch of each."""
        return np.bincount(self.owner(ticks), minlength=len(self))

    def inner(self, curve: Curve) -> Flags:
        """Which nodes lie before the ends of their spans."""
        return np.asarray(curve.ticks < self.ends[self.owner(curve.ticks)])

    def means(self, curve: Curve) -> Floats:
        """The mean of the nodes of each; of the lowest and the highest see `extremes`."""
        if len(self) == 1:
            return np.array([curve.values.mean()])
        count = np.maximum(self.counts(curve), 1)
        return np.asarray(np.bincount(self.owner(curve.ticks), curve.values, minlength=len(self)) / count)

    def extremes(self, ticks: Ints, values: Floats, highest: bool) -> Floats:
        """The highest (or the lowest) value of each, of nodes at some ticks."""
        found = np.full(len(self), -np.inf if highest else np.inf)
        (np.maximum if highest else np.minimum).at(found, self.owner(ticks), values)
        return np.where(np.isfinite(found), found, 0.0)

    def ramps(self, first: float | Floats, last: float | Floats, lift: float = 0.0, ease: float = 0.0) -> Curve:
        """A way over each span."""
        ticks = np.stack((self.starts, self.ends), axis=1)
        values = np.stack(np.broadcast_arrays(first, last, self.starts)[:2], axis=1).astype(np.float64)
        hold = np.broadcast_to(np.array([False, True]), ticks.shape)
        return Curve.of(ticks.ravel(), values.ravel(), hold.ravel(), lift, ease)

    def tiled(self, curve: Curve, which: Ints | None = None) -> Curve:
        """A curve from the start of each span (of all, or of some) on, as far as that goes."""
        starts, ends = (self.starts, self.ends) if which is None else (self.starts[which], self.ends[which])
        count = len(curve)
        rows = np.tile(np.arange(count), len(starts))
        hold = curve.hold.copy()
        hold[-1:] = True
        ticks = np.repeat(starts, count) + curve.ticks[rows]
        laid = Curve.of(ticks, curve.values[rows], hold[rows], curve.lift[rows], curve.ease[rows])
        return piece.within(piece.opened(laid, ends, self.error), starts, ends)

    def laid(self, made: Curve, resumes: bool = False, onto: Curve | None = None) -> Curve:
        """The curves with pieces over their spans, held within their limits.

        Or others (`onto`), where what says nothing stays silent.
        """
        made = piece.clipped(self.piece(made), *self.limits, self.error).curve
        curve = self.curve if onto is None else onto
        resumes = resumes and not self.is_whole
        if not self.on_notes:
            return piece.laid_all(curve, self.starts, self.ends, made, self.error, resumes)
        comes_back = self.has(curve, self.ends) if resumes else np.zeros(len(self), dtype=bool)
        for rows in (comes_back, ~comes_back):
            if rows.any():
                laid = made if rows.all() else made.rows(rows[self.owner(made.ticks)])
                curve = piece.laid_all(
                    curve, self.starts[rows], self.ends[rows], laid, self.error, resumes=rows is comes_back
                )
        if not self.is_whole:
            return curve
        # Over the whole of each note nothing comes back at its end, but what lay behind it stays.
        owner = self.owner(curve.ticks)
        local = curve.ticks - self.base[owner]
        arrives = np.append(False, ~curve.hold[:-1]) & (local == self.length[owner])
        arrives[1:] &= local[1:] > local[:-1]
        return curve.rows((local < self.length[owner]) | arrives | (local > self.length[owner]))

    def curves(self, curve: Curve) -> NoteCurves:
        """A curve over the line as those of the notes; of those that are touched, where that was told."""
        owner = self.owner(curve.ticks)
        if self.touched is not None:
            curve, owner = curve.rows(self.touched[owner]), owner[self.touched[owner]]
        return NoteCurves.of(self.id[owner], curve.timed(curve.ticks - self.base[owner]))

    @property
    def changed(self) -> Ints:
        """The notes that it changes, by their ids."""
        return self.id if self.touched is None else self.id[self.touched]


def _sorted(one: Curve, other: Curve) -> Curve:
    """Nodes of both in the order of time; at one tick those of the other first."""
    return other.among(one) if len(other) else one


def bows(batch: Batch, height: float) -> Curve:
    """A parabola over each span: 0 at both ends, `height` in the middle, in straight ways."""
    count = int(max(np.ceil(np.sqrt(abs(height) / batch.error)), 1))
    share = np.linspace(0, 1, count + 1)
    ticks = batch.starts[:, None] + np.floor(share * (batch.ends - batch.starts)[:, None] + 0.5).astype(np.int64)
    u = (ticks - batch.starts[:, None]) / np.maximum(batch.ends - batch.starts, 1)[:, None]
    hold = np.broadcast_to(np.arange(count + 1) == count, ticks.shape)
    new = np.diff(ticks, axis=1, prepend=-1) > 0
    return Curve.of(ticks[new], (4 * height * u * (1 - u))[new], hold[new])
