"""Smoothing: each value becomes the mean over time around it, and what was steady is steady again.

The mean is taken evenly to both sides, so nothing comes late, and over no more than the width, so nothing beyond it is
felt. Near an edge (of the stretch, or a jump that is kept) less is looked at, to both sides alike: at the edge itself
the value is what it was.
"""

import numpy as np

from expression import piece
from expression.arrays import Flags, Floats, Ints, contained, ranges, union
from expression.curve import Curve
from expression.piece import Piece, Segments, Values
from expression.time import TempoMap


def smoothed(before: Piece, tempo: TempoMap, width: float, jump: float, error: float) -> Piece:
    """A piece smoothed over `width` seconds; jumps of more than `jump` stay."""
    if len(before.curve) < 2:
        return before
    mean = _Mean(_straight(before, tempo, error), before.end, tempo, width, jump)
    a = mean.nodes()
    b = np.append(a[1:], before.end)
    # Only what lasts longer than the width has room for a rest: between the moments at which a transition is first and
    # last felt the mean of held values is straight.
    resting = tempo.seconds(b) - tempo.seconds(a) > width
    if resting.any():
        a = union(a, mean.felt(a[resting], b[resting]))
        b = np.append(a[1:], before.end)
    told = []
    while len(a):
        first, last, broken = mean.told(a, b, error)
        broken &= b > a + 1
        told.append([column[~broken] for column in (a, b, first, last)])
        # What is not straight is halved, until it is straight enough.
        a, b = a[broken], b[broken]
        middle = (a + b) // 2
        a, b = (np.stack(edges, axis=1).ravel() for edges in ((a, middle), (middle, b)))
    a, b, first, last = (np.concatenate(column) for column in zip(*told, strict=True))
    if len(told) > 1:
        order = np.argsort(a, kind="stable")
        a, b, first, last = (column[order] for column in (a, b, first, last))
    none = np.zeros(len(a))
    moves = np.abs(last - first) > 1e-9
    return before._replace(curve=piece.assembled(Segments(a, b, first, last, moves, none, none, none > 0), piece.unbroken, 1.0))


def _straight(before: Piece, tempo: TempoMap, error: float) -> Curve:
    """The curve of the piece in held values and ways that are straight by the clock."""
    curve = before.curve
    ways = np.flatnonzero(~curve.hold[:-1])
    if not len(ways):
        return curve
    bent = ways[(curve.lift[ways] != 0) | (curve.ease[ways] != 0)]
    _, inner = piece.refined(curve.ticks[bent], curve.ticks[bent + 1], lambda _, ticks: curve.at(ticks), error)
    curve = piece.opened(curve, np.concatenate((inner, tempo.ticks)), error)
    straight = np.zeros(len(curve))
    return Curve.of(curve.ticks, curve.values, curve.hold, straight, straight)


class _Mean:
    """The mean of held and straight values around any moment."""

    def __init__(self, curve: Curve, end: int, tempo: TempoMap, width: float, jump: float) -> None:
        self.curve, self.tempo, self.half, self.end = curve, tempo, width / 2, end
        self.clock = np.append(tempo.seconds(curve.ticks), float(tempo.seconds(end)))
        arrives = np.where(curve.hold, curve.values, np.append(curve.values[1:], curve.values[-1:]))
        self.arrives = arrives
        lasting = np.diff(self.clock)
        self.area = np.concatenate(([0.0], np.cumsum(lasting * (curve.values + arrives) / 2)))
        self.slope = np.divide(arrives - curve.values, lasting, out=np.zeros_like(lasting), where=lasting > 0)
        self.is_held = not self.slope.any()
        # Of several nodes at one tick only the last goes on; what comes in before them is what the others jump from.
        self.jumps = np.abs(curve.values[1:] - arrives[:-1])
        edges = np.flatnonzero(self.jumps > jump) + 1
        self.edges = np.unique(np.concatenate(([self.clock[0]], self.clock[edges], [self.clock[-1]])))
        self.edge_ticks = np.unique(np.concatenate((curve.ticks[:1], curve.ticks[edges])))

    def nodes(self) -> Ints:
        """Ticks of the nodes."""
        return union(self.curve.ticks[self.curve.ticks < self.end])

    def felt(self, a: Ints, b: Ints) -> Ints:
        """Ticks within any of the stretches at which a transition begins or ceases to be felt."""
        begins, ends = self.tempo.seconds(a), self.tempo.seconds(b)
        found = []
        # Not within a tick before it begins, nor after it ceases: what is held is held up to there.
        for away, outwards in ((-self.half, np.floor), (self.half, np.ceil)):
            nodes, _ = ranges(*(np.searchsorted(self.clock, edges - away) for edges in (begins, ends)))
            moments = self.tempo.tick(self.clock[nodes] + away)
            found.append(outwards(np.round(moments, 6)).astype(np.int64))
        ticks = union(np.sort(np.concatenate(found)))
        inside = (ticks >= self.curve.ticks[0]) & (ticks < self.end)
        return np.asarray(ticks[inside])

    def told(self, a: Ints, b: Ints, error: float) -> tuple[Floats, Floats, Flags]:
        """Of segments from `a` to `b`: what each begins with and comes to, and whether it is far from straight."""
        value = self.inside(a, b)
        number = np.arange(len(a))
        first = value(number, a.astype(np.float64))
        last = np.append(first[1:], first[-1:])
        # Otherwise it comes to what the next begins with; not at a jump that is kept, nor where another is next.
        other = np.append((b[:-1] != a[1:]) | contained(a[1:], self.edge_ticks), True)
        last[other] = value(number[other], b[other].astype(np.float64))
        off = np.abs(value(number, (a + b) / 2) - (first + last) / 2)
        # Over a longer stretch its middle may lie on the line by chance.
        longer = np.flatnonzero((self.tempo.seconds(b) - self.tempo.seconds(a) > self.half) & (off <= error))
        for share in (0.25, 0.75) if len(longer) else ():
            at = a[longer] + share * (b - a)[longer]
            line = first[longer] + share * (last - first)[longer]
            off[longer] = np.maximum(off[longer], np.abs(value(longer, at) - line))
        # What is as good as the same is the same: held, not on its way.
        return np.round(first, 6), np.round(last, 6), off > error

    def inside(self, a: Ints, b: Ints) -> Values:
        """Means at ticks that belong to segments from `a` to `b`: at the end of one, what it comes to."""
        # The stretch between edges that a segment lies in, not the one that its end begins.
        stretch = np.searchsorted(self.edge_ticks, a, side="right") - 1

        single = len(self.edges) == 2

        def value(number: Ints, ticks: Floats) -> Floats:
            seconds = self.tempo.seconds(ticks)
            low, high = (
                (self.edges[0], self.edges[1])
                if single
                else (self.edges[stretch[number]], self.edges[stretch[number] + 1])
            )
            half = np.minimum(self.half, np.minimum(seconds - low, high - seconds))
            return self._around(seconds, np.maximum(half, 0.0), ticks, b, number)

        return value

    def _around(self, seconds: Floats, half: Floats, ticks: Floats, b: Ints, number: Ints) -> Floats:
        near = half <= 1e-6
        mean = (self._under(seconds + half) - self._under(seconds - half)) / np.where(near, 1.0, 2 * half)
        if near.any():
            # With no room to either side it is the value itself.
            at = seconds[near]
            arriving = (ticks >= b[number])[near]
            row = np.where(
                arriving,
                np.searchsorted(self.clock, at - 1e-9, side="left") - 1,
                np.searchsorted(self.clock[:-1], at + 1e-9, side="right") - 1,
            )
            row = np.clip(row, 0, len(self.slope) - 1)
            mean[near] = self.curve.values[row] + self.slope[row] * (at - self.clock[row])
        return mean

    def _under(self, seconds: Floats) -> Floats:
        """The area under the values up to a moment."""
        if self.is_held:
            return np.interp(seconds, self.clock, self.area)
        row = np.clip(np.searchsorted(self.clock, seconds, side="right") - 1, 0, len(self.slope) - 1)
        passed = seconds - self.clock[row]
        return np.asarray(self.area[row] + passed * (self.curve.values[row] + self.slope[row] * passed / 2))
