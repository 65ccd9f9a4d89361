"""Smoothing: each value becomes the mean over time around it, and what was steady is steady again.

The mean is taken evenly to both sides, so nothing comes late, and over no more than the width, so nothing beyond it is
felt. Near an edge (of the stretch, or a jump that is kept) less is looked at, to both sides alike: at the edge itself
the value is what it was.
"""

from typing import NamedTuple

import numpy as np

from expression import piece
from expression.arrays import Flags, Floats, Ints, constant, union
from expression.curve import Curve
from expression.memo import worked_out
from expression.piece import Piece
from expression.segments import Segments, Values, assembled, refined
from expression.time import TempoMap


def smoothed(
    before: Piece, tempo: TempoMap, width: float, jump: float, error: float, walls: Ints | None = None
) -> Piece:
    """A piece smoothed over `width` seconds; jumps of more than `jump` stay. Nothing is felt across `walls` (ticks)."""
    if len(before.curve) < 2:
        return before
    mean = _Mean(_straight(before, tempo, error), before.end, tempo, width, jump, walls)
    a = mean.places(error)
    b = np.append(a[1:], before.end)
    told = []
    while len(a):
        first, last, strays = mean.told(a, b, error)
        strays &= b > a + 1
        straight = np.flatnonzero(~strays)
        told.append([a[straight], b[straight], first[straight], last[straight]])
        # What is not straight is halved, until it is straight enough.
        a, b = a[strays], b[strays]
        middle = (a + b) // 2
        a, b = (np.stack(edges, axis=1).ravel() for edges in ((a, middle), (middle, b)))
    columns = told[0] if len(told) == 1 else [np.concatenate(column) for column in zip(*told, strict=True)]
    order = np.argsort(columns[0], kind="stable") if len(told) > 1 else slice(None)
    a, b, first, last = (column[order] for column in columns)
    none = np.zeros(len(a))
    segments = Segments(a, b, first, last, np.abs(last - first) > 1e-9, none, none, none > 0)
    return before._replace(curve=assembled(segments, piece.unbroken, 1.0))


def _straight(before: Piece, tempo: TempoMap, error: float) -> Curve:
    """The curve of the piece in held values and ways that are straight by the clock."""
    curve = before.curve
    ways = np.flatnonzero(curve.ways)
    if not len(ways):
        return curve
    bent = ways[(curve.lift[ways] != 0) | (curve.ease[ways] != 0)]
    _, inner = refined(curve.ticks[bent], curve.ticks[bent + 1], lambda _, ticks: curve.at(ticks), error)
    curve = piece.opened(curve, np.concatenate((inner, tempo.ticks)), error)
    straight = np.zeros(len(curve))
    return Curve.of(curve.ticks, curve.values, curve.hold, straight, straight)


class _Measured(NamedTuple):
    """What does not depend on the width: a hand that tries one after another does not ask for it each time."""

    clock: Floats
    """Seconds of the nodes, and of the end."""
    is_held: bool
    slope: Floats
    area: Floats
    """Under the values, up to each node."""
    turns: Floats
    """How far the values jump at each node, where nothing is on its way to it."""


@worked_out(4)
def _measured(curve: Curve, end: int, tempo: TempoMap) -> _Measured:
    clock = np.append(tempo.seconds(curve.ticks), float(tempo.seconds(end)))
    is_held = bool(curve.hold.all())
    lasting = np.diff(clock)
    arrives, slope = curve.values, constant(0.0, len(lasting), np.float64)
    if not is_held:
        arrives = np.where(curve.hold, curve.values, np.append(curve.values[1:], curve.values[-1:]))
        slope = np.divide(arrives - curve.values, lasting, out=np.zeros_like(lasting), where=lasting > 0)
    middle = curve.values if is_held else (curve.values + arrives) / 2
    area = np.concatenate(([0.0], np.cumsum(lasting * middle)))
    # Of several nodes at one tick only the last goes on; what comes in before them is what the others jump from.
    return _Measured(clock, is_held, slope, area, np.append(0.0, curve.values[1:] - arrives[:-1]))


class _Mean:
    """The mean of held and straight values around any moment."""

    def __init__(
        self, curve: Curve, end: int, tempo: TempoMap, width: float, jump: float, walls: Ints | None = None
    ) -> None:
        self.curve, self.tempo, self.half, self.end = curve, tempo, width / 2, end
        self.clock, self.is_held, self.slope, self.area, self.turns = _measured(curve, end, tempo)
        edges = np.flatnonzero(np.abs(self.turns) > jump)
        self.edge_ticks = np.unique(
            np.concatenate((curve.ticks[:1], curve.ticks[edges], walls if walls is not None else []))
        )
        self.edges = np.append(tempo.seconds(self.edge_ticks), self.clock[-1])

    def places(self, error: float) -> Ints:
        """Where the mean has to be told: at the moments at which a transition begins or ceases to be felt.

        Between these the mean of held values is straight, but for what is near an edge. That, and what moves, is looked
        at more closely (see `told`).
        """
        ticks = self.curve.ticks
        nodes = np.flatnonzero(self.turns != 0)
        turns, bends = self.clock[nodes], np.abs(self.turns[nodes]) / (2 * self.half)
        found = [ticks[:1], self.edge_ticks, self.tempo.ticks, *self._felt(turns, bends, error)]
        if not self.is_held:
            found.append(ticks)
        # Near an edge as much is looked at as lies between, so that it is felt from half of the way on.
        borders = np.concatenate((self.edges - self.half, self.edges + self.half))
        before, after = self._edges_about(turns)
        halfway = [(turns + edge)[np.abs(turns - edge) < 2 * self.half] / 2 for edge in (before, after)]
        near = np.floor(self.tempo.tick(np.concatenate((borders, *halfway)))).astype(np.int64)
        places = union(*found, np.sort(near), np.sort(near) + 1)
        return np.asarray(places[(places >= ticks[0]) & (places < self.end)])

    def _felt(self, turns: Floats, bends: Floats, error: float) -> list[Ints]:
        """Ticks at which transitions begin and cease to be felt: there the mean bends, by so much a second.

        Of those that are close together, one between two that stay is left out where the mean hardly bends: between
        them a straight way is off by bend l r / (l + r). What lasts is bounded by both of its ends.
        """
        moments = np.concatenate((turns - self.half, turns + self.half))
        order = np.argsort(moments, kind="stable")
        gaps = np.diff(moments[order])
        left, right, inner = gaps[:-1], gaps[1:], order[1:-1]
        bend = bends[inner - len(turns) * (inner >= len(turns))]
        spared = (bend * left * right <= error * (left + right)) & (left <= self.half) & (right <= self.half)
        # One whose neighbours stay: of every second, those beside another that is left out stay after all.
        spared[1::2] &= ~(spared[:-1:2] | np.append(spared[2::2], False)[: len(spared) // 2])
        kept = order[np.flatnonzero(np.concatenate(([True], ~spared, [True])))] if len(order) else order
        ceases = kept >= len(turns)
        bends = bends[kept - len(turns) * ceases]
        at = np.round(self.tempo.tick(moments[kept]), 6)
        # Not within a tick before it begins, nor after it ceases: what is held is held up to there.
        whole = np.floor(at)
        outer = (whole + (ceases & (at > whole))).astype(np.int64)
        strong = bends > error / self.tempo.longest_tick
        return [outer, np.where(ceases[strong], np.floor(at[strong]), np.ceil(at[strong])).astype(np.int64)]

    def _edges_about(self, moments: Floats) -> tuple[Floats, Floats]:
        """The last edge that is not after, and the first that is after each moment."""
        if len(self.edges) == 2:
            return self.edges[0], self.edges[1]
        edge = np.searchsorted(self.edges, moments, side="right")
        return self.edges[np.maximum(edge - 1, 0)], self.edges[np.minimum(edge, len(self.edges) - 1)]

    def _is_curved(self, a: Ints, b: Ints) -> Flags:
        """Of stretches from `a` to `b`: whether the mean is anything but straight there, since less is looked at."""
        if not self.is_held:
            return np.ones(len(a), dtype=bool)
        begins, ends = self.tempo.seconds(a), self.tempo.seconds(b)
        before, after = self._edges_about(begins)
        return np.asarray((begins - before < self.half) | (after - ends < self.half))

    def told(self, a: Ints, b: Ints, error: float) -> tuple[Floats, Floats, Flags]:
        """Of segments from `a` to `b`: what each begins with and comes to, and whether it is far from straight."""
        value = self.inside(a, b)
        number = np.arange(len(a))
        # What is as good as the same is the same: held, not on its way.
        first = np.round(value(number, a.astype(np.float64)), 6)
        last = np.append(first[1:], first[-1:])
        # Otherwise it comes to what the next begins with; not at a jump that is kept, nor where another is next.
        other = np.append(b[:-1] != a[1:], True)
        begins = np.searchsorted(a, self.edge_ticks)
        other[begins[(begins > 0) & (a[np.minimum(begins, len(a) - 1)] == self.edge_ticks)] - 1] = True
        last[other] = np.round(value(number[other], b[other].astype(np.float64)), 6)
        strays = self._is_curved(a, b)
        rows = np.flatnonzero(strays)
        offs = np.zeros(len(rows))
        for share in (0.25, 0.5, 0.75) if len(rows) else ():
            line = first[rows] + share * (last - first)[rows]
            offs = np.maximum(offs, np.abs(value(rows, a[rows] + share * (b - a)[rows]) - line))
        strays[rows] = offs > error
        return first, last, strays

    def inside(self, a: Ints, b: Ints) -> Values:
        """Means at ticks that belong to segments from `a` to `b`: at the end of one, what it comes to."""
        if len(self.edges) == 2:
            stretch = np.zeros((), dtype=np.int64)
        else:
            # The stretch between edges that a segment lies in, not the one that its end begins.
            stretch = np.searchsorted(self.edge_ticks, a, side="right") - 1

        def value(number: Ints, ticks: Floats) -> Floats:
            seconds = self.tempo.seconds(ticks)
            own = stretch[number] if stretch.ndim else stretch
            half = np.minimum(self.half, np.minimum(seconds - self.edges[own], self.edges[own + 1] - seconds))
            return self._around(seconds, np.maximum(half, 0.0), ticks, b, number)

        return value

    def _around(self, seconds: Floats, half: Floats, ticks: Floats, b: Ints, number: Ints) -> Floats:
        near = half <= 1e-6
        is_near = bool(near.any())
        width = np.where(near, 1.0, 2 * half) if is_near else 2 * half
        mean = (self._under(seconds + half) - self._under(seconds - half)) / width
        if is_near:
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
            return np.asarray(np.interp(seconds, self.clock, self.area))
        row = np.clip(np.searchsorted(self.clock, seconds, side="right") - 1, 0, len(self.slope) - 1)
        passed = seconds - self.clock[row]
        return np.asarray(self.area[row] + passed * (self.curve.values[row] + self.slope[row] * passed / 2))
