"""Where notes stand in the bars: played times onto the divisions that notation has.

Each beat is read by itself, in halves, quarters, thirds ... of it: in the fewest parts that leave what was played near
to where it is written.
"""

from typing import NamedTuple

import numpy as np

from expression.arrays import Flags, Ints
from expression.time import Meter

QUARTER = 24
"""Divisions of a quarter: of a thirty-second as well as of a sixteenth in triplets."""
SHORTEST = 3
STEPS: dict[int, tuple[tuple[int, float], ...]] = {
    24: ((24, 0.0), (12, 0.3), (6, 0.9), (8, 1.3), (4, 2.2), (3, 2.6)),
    36: ((36, 0.0), (12, 0.3), (6, 0.9), (3, 2.4)),
}
"""Of a beat of so many divisions: its parts, and how many divisions off notes have to be for that."""
MET = 6.0
"""What it counts if notes of one key would be written at one place."""
ROUGH = 0.95
"""So many divisions from quarters or thirds of the beat on average, and there was no beat in it."""


class Measures(NamedTuple):
    """Bars to be written. One element of each array a bar."""

    number: Ints
    start: Ints
    """Ticks."""
    length: Ints
    """Divisions."""
    beats: Ints
    beat_type: Ints
    """4: quarters."""

    @classmethod
    def of(cls, meter: Meter, resolution: int, end: int, first: int, count: int) -> "Measures":
        """Those from bar `first` (from 1) on, as far as the take goes."""
        bars = meter.bars(max(end, 1))
        rows = slice(max(first - 1, 0), max(first - 1, 0) + count)
        after = np.append(bars.start[1:], bars.start[-1:] + bars.beats[-1:] * bars.beat_ticks[-1:])
        length = np.maximum(np.rint((after - bars.start) * QUARTER / resolution), 1).astype(np.int64)
        beat_type = np.rint(4 * resolution / bars.beat_ticks).astype(np.int64)
        number = np.arange(1, len(bars.start) + 1)
        return cls(*(column[rows] for column in (number, bars.start, length, bars.beats, beat_type)))

    def end(self, resolution: int) -> int:
        """The tick at which the last of them ends."""
        return int(self.start[-1]) + int(self.length[-1]) * resolution // QUARTER

    def beat(self, row: int) -> int:
        """Divisions of what is counted as one: three eighths where they go in threes, otherwise a quarter."""
        by_threes = self.beat_type[row] >= 8 and self.beats[row] % 3 == 0 and self.beats[row] > 3
        return 36 if by_threes and self.beat_type[row] == 8 else QUARTER


class Placed(NamedTuple):
    """Notes as they stand in the bars. One element of each array a note; places in divisions from the first bar on."""

    start: Ints
    end: Ints
    triplet: dict[int, bool]
    """Of beats (by where they begin) whether they go in three."""
    rough: float
    """How far what was played is from quarters or thirds of its beats, whichever is nearer, in divisions on average."""

    def earlier(self, divisions: int) -> "Placed":
        """The same, counted from so many divisions later on."""
        triplet = {at - divisions: three for at, three in self.triplet.items()}
        return Placed(self.start - divisions, self.end - divisions, triplet, self.rough)

    def only(self, which: Flags) -> "Placed":
        """Some of the notes."""
        return self._replace(start=self.start[which], end=self.end[which])


def placed(measures: Measures, resolution: int, start: Ints, end: Ints, pitch: Ints, struck: bool) -> Placed:
    """Notes (ticks, all of which begin within the bars) onto the divisions of notation.

    What is merely `struck` lasts, as it is written, until the next is, and no longer than its beat.
    """
    begins = np.cumsum(np.append(0, measures.length))
    # Divisions with their fractions: bar by bar, so that nothing adds up.
    bar = np.clip(np.searchsorted(measures.start, start, side="right") - 1, 0, len(measures.start) - 1)
    played = begins[bar] + (start - measures.start[bar]) * QUARTER / resolution
    last = np.clip(np.searchsorted(measures.start, end, side="left") - 1, 0, len(measures.start) - 1)
    until = np.minimum(begins[last] + (end - measures.start[last]) * QUARTER / resolution, float(begins[-1]))
    edges, sizes = _beats(measures)
    beat = np.clip(np.searchsorted(edges, played, side="right") - 1, 0, len(edges) - 1)
    step = _steps(played - edges[beat], beat, sizes, pitch)
    made = edges[beat] + np.minimum(np.floor((played - edges[beat]) / step[beat] + 0.5) * step[beat], sizes[beat])
    final = np.clip(np.searchsorted(edges, until, side="left") - 1, 0, len(edges) - 1)
    # What ends in a beat in which nothing begins but on it ends on its half at the finest.
    plain = (np.bincount(beat, minlength=len(edges)) == 0) | (step >= 24)
    fine = np.where(plain, np.where(sizes % 12 == 0, 12, SHORTEST), step)
    ended = edges[final] + np.minimum(np.floor((until - edges[final]) / fine[final] + 0.5) * fine[final], sizes[final])
    made = np.minimum(made, begins[-1] - SHORTEST).astype(np.int64)
    least = np.minimum(step[np.clip(np.searchsorted(edges, made, side="right") - 1, 0, len(edges) - 1)], 12)
    least = np.where(np.isin(least, (8, 4)), least, np.minimum(least, 6))
    ended = np.minimum(np.maximum(ended, made + least), begins[-1]).astype(np.int64)
    # A key is written once at a time, however near two strikes of it lie.
    order = np.lexsort((made, pitch))
    again = (pitch[order][1:] == pitch[order][:-1]) & (made[order][1:] > made[order][:-1])
    ended[order[:-1][again]] = np.minimum(ended[order[:-1]], made[order[1:]])[again]
    if struck:
        places = np.unique(made)
        following = np.append(places, begins[-1])[np.searchsorted(places, made, side="right")]
        own = np.clip(np.searchsorted(edges, made, side="right") - 1, 0, len(edges) - 1)
        ended = np.minimum(following, edges[own] + sizes[own])
    in_three = (step == 8) | (step == 4)
    triplet = {int(edge): bool(three) for edge, three in zip(edges, in_three, strict=True)}
    return Placed(made, ended, triplet, _roughness(played - edges[beat], beat, len(edges)))


def _roughness(into: np.ndarray, beat: Ints, count: int) -> float:
    if not len(into):
        return 0.0
    off = [np.bincount(beat, np.abs(into - np.floor(into / parts + 0.5) * parts), minlength=count) for parts in (6, 8)]
    return float(np.minimum(*off).sum() / len(into))


def _beats(measures: Measures) -> tuple[Ints, Ints]:
    """Where beats begin, in divisions from the first bar on, and how long each is."""
    edges, sizes = [], []
    at = 0
    for row, length in enumerate(measures.length.tolist()):
        beat = measures.beat(row)
        inner = np.arange(0, length, beat)
        edges.append(at + inner)
        sizes.append(np.minimum(beat, length - inner))
        at += length
    return np.concatenate(edges), np.concatenate(sizes)


def _steps(into: np.ndarray, beat: Ints, sizes: Ints, pitch: Ints) -> Ints:
    """Of each beat the parts in which it is read."""
    count = np.maximum(np.bincount(beat, minlength=len(sizes)), 1)
    best = np.full(len(sizes), np.inf)
    step = np.where(sizes % 12 == 0, 12, SHORTEST)
    for size, choices in STEPS.items():
        mine = (sizes == size) if size == 36 else (sizes != 36)
        for parts, worth in choices:
            fits: Flags = mine & (sizes % parts == 0)
            line = np.floor(into / parts + 0.5) * parts
            off = np.bincount(beat, np.abs(into - line), minlength=len(sizes)) / count
            place = (beat * 128 + pitch) * 64 + line.astype(np.int64)
            _, which, times = np.unique(place, return_index=True, return_counts=True)
            meets = np.bincount(beat[which], times - 1, minlength=len(sizes))
            cost = off + worth + MET * meets
            better = fits & (cost < best)
            best[better], step[better] = cost[better], parts
    return np.asarray(step)
