"""Where notes stand in the bars: played times onto the divisions that notation has.

Each beat is read by itself, in halves, quarters, thirds ... of it: in the fewest parts that leave what was played near
to where it is written.
"""

from typing import NamedTuple

import numpy as np

from expression.arrays import Flags, Floats, Ints
from expression.time import Meter

QUARTER = 120
"""Divisions of a quarter: of a thirty-second as well as of a sixteenth in triplets, or in fives."""
HALF = QUARTER // 2
SHORTEST = QUARTER // 8
TUPLETS = (QUARTER // 3, QUARTER // 6, QUARTER // 5)
"""Parts of a beat that are no halves of halves of it."""
PARTS_OF_BEAT: dict[int, tuple[tuple[int, float], ...]] = {
    1: ((1, 0.0), (2, 1.5), (4, 4.5), (3, 6.5), (6, 11.0), (8, 13.0), (5, 7.5)),
    3: ((1, 0.0), (3, 1.5), (6, 4.5), (12, 12.0)),
}
"""Of a beat of a quarter, and of three eighths: into how many parts it may go, and how many divisions off notes have to
be on average for that."""
FIVE = 4
"""So many notes of a beat at different places at least, and it may go in fives."""
MET = 30.0
"""What it counts if notes of one key would be written at one place."""
ROUGH = 4.75
"""So many divisions from quarters or thirds of the beat on average, and there was no beat in it."""
SWUNG, STRAIGHT, THIRD = (0.58, 0.76), (0.42, 0.58), (0.2, 0.42)
"""Where in a beat a note lies that is swung, or even, or the second of three."""
SWINGS = 8
"""So many beats at least, and three times as many as are even, and what is played is swung."""


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
        by_threes = self.beat_type[row] == 8 and self.beats[row] % 3 == 0 and self.beats[row] > 3
        return 3 * QUARTER // 2 if by_threes else QUARTER


class Placed(NamedTuple):
    """Notes as they stand in the bars. One element of each array a note; places in divisions from the first bar on."""

    start: Ints
    end: Ints
    tuplets: dict[int, int]
    """Of beats (by where they begin) whether they go in three or in five; otherwise 0."""
    rough: float
    """How far what was played is from quarters or thirds of its beats, whichever is nearer, in divisions on average."""

    def earlier(self, divisions: int) -> "Placed":
        """The same, counted from so many divisions later on."""
        tuplets = {at - divisions: many for at, many in self.tuplets.items()}
        return Placed(self.start - divisions, self.end - divisions, tuplets, self.rough)

    def only(self, which: Flags) -> "Placed":
        """Some of the notes."""
        return self._replace(start=self.start[which], end=self.end[which])


def swings(measures: Measures, resolution: int, start: Ints) -> bool:
    """Whether notes that begin at some ticks are swung: of two in a beat the second comes at two thirds."""
    edges, sizes = _beats(measures)
    place, beat = _into_beats(measures, resolution, start, edges)
    share = (place - edges[beat]) / np.maximum(sizes[beat], 1)
    even = sizes[beat] == QUARTER
    among = [np.unique(beat[even & (share >= low) & (share < high)]) for low, high in (SWUNG, STRAIGHT, THIRD)]
    swung = np.setdiff1d(among[0], np.concatenate(among[1:]))
    return len(swung) >= SWINGS and len(swung) > 3 * len(among[1]) and len(swung) > 2 * len(among[2])


def _into_beats(measures: Measures, resolution: int, ticks: Ints, edges: Ints) -> tuple[Floats, Ints]:
    """Where ticks lie in divisions, with their fractions (bar by bar, so that nothing adds up), and in which beats."""
    begins = np.cumsum(np.append(0, measures.length))
    bar = np.clip(np.searchsorted(measures.start, ticks, side="right") - 1, 0, len(measures.start) - 1)
    place = begins[bar] + (ticks - measures.start[bar]) * QUARTER / resolution
    return place, np.clip(np.searchsorted(edges, place, side="right") - 1, 0, len(edges) - 1)


def _evened(place: Floats, beat: Ints, edges: Ints, swung: Flags) -> Floats:
    """Swung places as they are written: two thirds of a beat are its half."""
    share = (place - edges[beat]) / QUARTER
    even = np.where(share <= 2 / 3, share * 3 / 4, 1 / 2 + (share - 2 / 3) * 3 / 2)
    return np.where(swung[beat], edges[beat] + even * QUARTER, place)


def placed(
    measures: Measures, resolution: int, start: Ints, end: Ints, pitch: Ints, struck: bool, swing: bool = False
) -> Placed:
    """Notes (ticks, all of which begin within the bars) onto the divisions of notation.

    What is merely `struck` lasts, as it is written, until the next is, and no longer than its beat. Where it is to be
    played with a `swing`, pairs are written even.
    """
    begins = np.cumsum(np.append(0, measures.length))
    edges, sizes = _beats(measures)
    played, beat = _into_beats(measures, resolution, start, edges)
    last = np.clip(np.searchsorted(measures.start, end, side="left") - 1, 0, len(measures.start) - 1)
    until = np.minimum(begins[last] + (end - measures.start[last]) * QUARTER / resolution, float(begins[-1]))
    final = np.clip(np.searchsorted(edges, until, side="left") - 1, 0, len(edges) - 1)
    if swing:
        share = (played - edges[beat]) / QUARTER
        in_three = np.bincount(beat, (share >= THIRD[0]) & (share < THIRD[1]), minlength=len(edges)) > 0
        swung = (sizes == QUARTER) & ~in_three
        played, until = _evened(played, beat, edges, swung), _evened(until, final, edges, swung)
    step = _steps(played - edges[beat], beat, sizes, pitch)
    made = edges[beat] + np.minimum(np.floor((played - edges[beat]) / step[beat] + 0.5) * step[beat], sizes[beat])
    # What ends in a beat in which nothing begins but on it ends on its half at the finest.
    plain = (np.bincount(beat, minlength=len(edges)) == 0) | (step >= QUARTER)
    fine = np.where(plain, np.where(sizes % HALF == 0, HALF, SHORTEST), step)
    ended = edges[final] + np.minimum(np.floor((until - edges[final]) / fine[final] + 0.5) * fine[final], sizes[final])
    made = np.minimum(made, begins[-1] - SHORTEST).astype(np.int64)
    least = np.minimum(step[np.clip(np.searchsorted(edges, made, side="right") - 1, 0, len(edges) - 1)], HALF)
    least = np.where(np.isin(least, TUPLETS), least, np.minimum(least, QUARTER // 4))
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
    many = np.where(sizes == QUARTER, np.where(step == QUARTER // 5, 5, np.where(np.isin(step, TUPLETS), 3, 0)), 0)
    tuplets = dict(zip(edges.tolist(), many.tolist(), strict=True))
    return Placed(made, ended, tuplets, _roughness(played - edges[beat], beat, len(edges)))


def _roughness(into: np.ndarray, beat: Ints, count: int) -> float:
    if not len(into):
        return 0.0
    off = [
        np.bincount(beat, np.abs(into - np.floor(into / parts + 0.5) * parts), minlength=count)
        for parts in (QUARTER // 4, QUARTER // 3)
    ]
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
    step = np.where(sizes % HALF == 0, HALF, SHORTEST)
    in_threes = sizes == 3 * HALF
    for eighths, choices in PARTS_OF_BEAT.items():
        mine = in_threes == (eighths == 3)
        whole = 3 * HALF if eighths == 3 else QUARTER
        for many, worth in choices:
            parts = whole // many
            fits: Flags = mine & (sizes % parts == 0)
            line = np.floor(into / parts + 0.5) * parts
            off = np.bincount(beat, np.abs(into - line), minlength=len(sizes)) / count
            if many == 5:
                places, owner = np.unique(beat * (2 * QUARTER) + line.astype(np.int64)), len(sizes)
                fits &= np.bincount(places // (2 * QUARTER), minlength=owner) >= FIVE
            place = (beat * 128 + pitch) * (2 * QUARTER) + line.astype(np.int64)
            _, which, times = np.unique(place, return_index=True, return_counts=True)
            meets = np.bincount(beat[which], times - 1, minlength=len(sizes))
            cost = off + worth + MET * meets
            better = fits & (cost < best)
            best[better], step[better] = cost[better], parts
    return np.asarray(step)
