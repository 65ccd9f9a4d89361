"""Very many notes on one line, one after another, so that one computation serves the curves of all of them."""

from functools import cached_property
from typing import NamedTuple

import numpy as np

from expression import piece
from expression.arrays import Flags, Floats, Ints, union
from expression.curve import Curve
from expression.lanes import LANES
from expression.note_curves import NoteCurves
from expression.piece import Piece
from expression.take import Take
from expression.time import TempoMap


class Span(NamedTuple):
    """When the notes of a part sound that a stroke acts on. One element of each array a note."""

    part: int
    id: Ints
    start: Ints
    length: Ints


class Many:
    """The curves of chosen notes on one line: each note has its own stretch of it, far from the next."""

    def __init__(
        self, take: Take, chosen: Span, key: str, span: tuple[int, int] | None, makes: bool, furthest: int = 0
    ) -> None:
        self.take, self.key, self.kind = take, key, LANES[key]
        self.part, self.id, self.start, self.length = chosen
        known = take.parts[chosen.part].curves.get(key, NoteCurves.each([], [])).only(chosen.id)
        if not makes:
            has = np.isin(self.id, known.ids)
            self.id, self.start, self.length = self.id[has], self.start[has], self.length[has]
        order = np.argsort(self.id)
        self.id, self.start, self.length = self.id[order], self.start[order], self.length[order]
        longest = max(int(self.length.max(initial=1)), int(known.nodes.ticks.max(initial=0)), furthest)
        longest = max(longest, span[1] if span else 0)
        self.apart = 1 << (4 * longest).bit_length()
        self.base = np.arange(len(self.id)) * self.apart
        self.is_whole = span is None
        first, last = span or (0, 0)
        self.starts = self.base + first
        self.ends = self.base + (last if span else self.length)
        self._known = known

    def __len__(self) -> int:
        return len(self.id)

    def keep(self, rows: Flags) -> None:
        """Leave out all but some of the notes, before anything is asked about their curves."""
        starts, ends = (self.starts - self.base)[rows], (self.ends - self.base)[rows]
        self.id, self.start, self.length = self.id[rows], self.start[rows], self.length[rows]
        self.base = np.arange(len(self.id)) * self.apart
        self.starts, self.ends = self.base + starts, self.base + ends
        self._known = self._known.only(self.id)

    @property
    def tempo(self) -> TempoMap:
        """The clock of the take."""
        return self.take.tempo

    @property
    def limits(self) -> tuple[float, float]:
        """The lowest and the highest value."""
        return self.kind.low, self.kind.high

    @property
    def error(self) -> float:
        """How far straight ways may be off that stand for what has no form of ours."""
        return self.kind.error

    @cached_property
    def curve(self) -> Curve:
        """What the notes say. A note that says nothing yet at its start is at its kind's default until then."""
        known = self._known
        row = np.searchsorted(self.id, known.owners())
        ticks = known.nodes.ticks + self.base[row]
        silent = np.setdiff1d(np.arange(len(self)), row[known.nodes.ticks <= 0])
        return _sorted(known.nodes.timed(ticks), Curve.of(self.base[silent], np.full(len(silent), self.kind.default)))

    def cut(self) -> Curve:
        """What the notes say over their spans, as pieces."""
        curve = piece.opened(self.curve, union(np.sort(self.starts), np.sort(self.ends)), self.error)
        return piece.within(curve, self.starts, self.ends)

    def within(self) -> Curve:
        """The nodes that lie within their notes."""
        return self.curve.rows(self._inside)

    @cached_property
    def _inside(self) -> Flags:
        owner = self.owner(self.curve.ticks)
        return np.asarray(self.curve.ticks - self.base[owner] <= self.length[owner])

    def moved(self, made: Curve) -> NoteCurves:
        """The curves with the nodes within their notes at other values, held within their limits."""
        values = self.curve.values.copy()
        values[self._inside] = made.values
        low, high = self.limits
        clipped = piece.clipped(self.piece(self.curve.valued(values)), low, high, self.error).curve
        return self.curves(clipped)

    def piece(self, curve: Curve) -> Piece:
        """A curve over all spans together."""
        return Piece(int(self.starts[0]), int(self.ends[-1]), curve)

    def means(self, curve: Curve) -> Floats:
        """The mean of the nodes of each note; of the lowest and the highest see `extremes`."""
        owner = self.owner(curve.ticks)
        count = np.maximum(np.bincount(owner, minlength=len(self)), 1)
        return np.asarray(np.bincount(owner, curve.values, minlength=len(self)) / count)

    def extremes(self, curve: Curve, highest: bool) -> Floats:
        """The highest (or the lowest) value of the nodes of each note."""
        found = np.full(len(self), -np.inf if highest else np.inf)
        (np.maximum if highest else np.minimum).at(found, self.owner(curve.ticks), curve.values)
        return np.where(np.isfinite(found), found, 0.0)

    def owner(self, ticks: Ints) -> Ints:
        """The row of the note on whose stretch each tick lies."""
        return np.asarray(ticks // self.apart)

    def ramps(self, first: float | Floats, last: float | Floats, lift: float = 0.0, ease: float = 0.0) -> Curve:
        """A way over each span."""
        ticks = np.stack((self.starts, self.ends), axis=1)
        values = np.stack(np.broadcast_arrays(first, last, self.starts)[:2], axis=1).astype(np.float64)
        hold = np.broadcast_to(np.array([False, True]), ticks.shape)
        return Curve.of(ticks.ravel(), values.ravel(), hold.ravel(), lift, ease)

    def tiled(self, curve: Curve) -> Curve:
        """A curve from the start of each span on, as far as that goes."""
        count = len(curve)
        rows = np.tile(np.arange(count), len(self))
        ticks = np.repeat(self.starts, count) + curve.ticks[rows]
        hold = curve.hold.copy()
        hold[-1:] = True
        laid = Curve.of(ticks, curve.values[rows], hold[rows], curve.lift[rows], curve.ease[rows])
        return piece.within(piece.opened(laid, self.ends, self.error), self.starts, self.ends)

    def laid(self, made: Curve, resumes: bool = False) -> NoteCurves:
        """The curves with others over their spans, held within their limits."""
        low, high = self.limits
        clipped = piece.clipped(self.piece(made), low, high, self.error).curve
        curve = piece.laid_all(self.curve, self.starts, self.ends, clipped, self.error, resumes and not self.is_whole)
        if self.is_whole:
            # Over the whole of each note nothing comes back at its end, but what lay behind it stays.
            owner = self.owner(curve.ticks)
            local = curve.ticks - self.base[owner]
            arrives = np.append(False, ~curve.hold[:-1]) & (local == self.length[owner])
            arrives[1:] &= local[1:] > local[:-1]
            curve = curve.rows((local < self.length[owner]) | arrives | (local > self.length[owner]))
        return self.curves(curve)

    def curves(self, curve: Curve) -> NoteCurves:
        """A curve over the line as those of the notes."""
        owner = self.owner(curve.ticks)
        return NoteCurves.of(self.id[owner], curve.timed(curve.ticks - self.base[owner]))


def _sorted(one: Curve, other: Curve) -> Curve:
    """Nodes of both in the order of time; at one tick those of the other first."""
    if not len(other):
        return one
    both = other.then(one)
    return both.rows(np.argsort(both.ticks, kind="stable"))


def bows(many: Many, height: float) -> Curve:
    """A parabola over each span: 0 at both ends, `height` in the middle, in straight ways."""
    count = int(max(np.ceil(np.sqrt(abs(height) / many.error)), 1))
    share = np.linspace(0, 1, count + 1)
    ticks = many.starts[:, None] + np.floor(share * (many.ends - many.starts)[:, None] + 0.5).astype(np.int64)
    u = (ticks - many.starts[:, None]) / np.maximum(many.ends - many.starts, 1)[:, None]
    hold = np.broadcast_to(np.arange(count + 1) == count, ticks.shape)
    new = np.diff(ticks, axis=1, prepend=-1) > 0
    return Curve.of(ticks[new], (4 * height * u * (1 - u))[new], hold[new])
