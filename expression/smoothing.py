"""Smoothing: each value becomes the mean over time around it, and what was steady is steady again.

The mean is taken evenly to both sides, so nothing comes late, and over no more than the width, so nothing beyond it is
felt. Near an edge (of the stretch, or a jump that is kept) less is looked at, to both sides alike: at the edge itself
the value is what it was.
"""

import numpy as np

from expression import piece
from expression.arrays import Floats, Ints, whole
from expression.curve import Curve
from expression.piece import Piece, Segments
from expression.time import TempoMap

COARSE = 2.0
"""A transition of so many steps gets nodes of its own where the mean begins and ends to feel it."""


def smoothed(before: Piece, tempo: TempoMap, width: float, jump: float, error: float) -> Piece:
    """A piece smoothed over `width` seconds; jumps of more than `jump` stay."""
    if len(before.curve) < 2:
        return before
    mean = _Mean(_straight(before, tempo, error), before.end, tempo, width, jump)
    a = mean.breaks()
    b = np.append(a[1:], before.end)
    numbers = np.arange(len(a))
    first, last = mean.inside(a, b, numbers, a.astype(float)), mean.inside(a, b, numbers, b.astype(float))
    # Where the middle lies on the straight way, one way is enough.
    middle = mean.inside(a, b, numbers, (a + b) / 2)
    broken = np.abs(middle - (first + last) / 2) > error / 2
    moves = (np.abs(last - first) > 1e-9) | broken
    none = np.zeros(len(a))
    segments = Segments(a, b, first, last, moves, none, none, broken)
    return before._replace(
        curve=piece.assembled(segments, lambda number, ticks: mean.inside(a, b, number, ticks), error)
    )


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
        # Of several nodes at one tick only the last goes on; what comes in before them is what the others jump from.
        self.jumps = np.abs(curve.values[1:] - arrives[:-1])
        edges = np.flatnonzero(self.jumps > jump) + 1
        self.edges = np.unique(np.concatenate(([self.clock[0]], self.clock[edges], [self.clock[-1]])))
        self.edge_ticks = np.unique(np.concatenate((curve.ticks[:1], curve.ticks[edges])))

    def breaks(self) -> Ints:
        """Ticks between which the mean is smooth: where a node is, and for coarse transitions where it is first felt."""
        curve = self.curve
        gaps = np.diff(self.clock)
        near = np.minimum(gaps[:-1], gaps[1:])
        coarse = np.flatnonzero((self.jumps > 0) & ((self.jumps > COARSE) | (near > self.half / 2))) + 1
        moments = self.clock[coarse]
        felt = np.concatenate((moments - self.half, moments + self.half))
        felt = np.concatenate((felt, self.edges[:-1] + self.half, self.edges[1:] - self.half))
        felt = whole(self.tempo.tick(felt[(felt > self.clock[0]) & (felt < self.clock[-1])]))
        return np.unique(np.concatenate((curve.ticks[curve.ticks < self.end], felt)))

    def inside(self, a: Ints, b: Ints, number: Ints, ticks: Floats) -> Floats:
        """Means at ticks that belong to segments from `a` to `b`: at the end of one, what it comes to."""
        seconds = self.tempo.seconds(ticks)
        # The stretch between edges that the segment lies in, not the one that its end begins.
        stretch = np.searchsorted(self.edge_ticks, a[number], side="right") - 1
        low, high = self.edges[stretch], self.edges[stretch + 1]
        half = np.minimum(self.half, np.minimum(seconds - low, high - seconds))
        return self._around(seconds, np.maximum(half, 0.0), ticks >= b[number])

    def _around(self, seconds: Floats, half: Floats, arriving: np.ndarray) -> Floats:
        spread = 2 * half
        mean = np.divide(
            self._under(seconds + half) - self._under(seconds - half),
            spread,
            out=np.zeros_like(seconds),
            where=spread > 1e-6,
        )
        # With no room to either side it is the value itself.
        row = np.where(
            arriving,
            np.searchsorted(self.clock, seconds - 1e-9, side="left") - 1,
            np.searchsorted(self.clock[:-1], seconds + 1e-9, side="right") - 1,
        )
        row = np.clip(row, 0, len(self.slope) - 1)
        own = self.curve.values[row] + self.slope[row] * (seconds - self.clock[row])
        return np.where(spread > 1e-6, mean, own)

    def _under(self, seconds: Floats) -> Floats:
        """The area under the values up to a moment."""
        row = np.clip(np.searchsorted(self.clock, seconds, side="right") - 1, 0, len(self.slope) - 1)
        passed = seconds - self.clock[row]
        return self.area[row] + passed * (self.curve.values[row] + self.slope[row] * passed / 2)
