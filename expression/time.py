"""Musical and clock time: ticks to seconds, ticks to bars and beats."""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from expression.arrays import Floats, Ints, frozen

DEFAULT_TEMPO = 500_000
"""Microseconds a quarter note where the file says nothing (SMF 1.0, Set Tempo: 120 a minute)."""
Sight = tuple[int, int]
"""Ticks between which something is seen: the start is included, the end is not."""


@dataclass(frozen=True, eq=False)
class TempoMap:
    """Steps of tempo. Ascending `ticks` (the first is 0), and for each its `micros` a quarter note."""

    resolution: int
    ticks: Ints
    micros: Ints
    at_step: Floats
    """Seconds at each step."""

    @classmethod
    def of(cls, resolution: int, changes: list[tuple[int, int]]) -> "TempoMap":
        """From (tick, microseconds a quarter note); of several at one tick the last holds."""
        steps = {0: DEFAULT_TEMPO} | dict(sorted(changes, key=lambda change: change[0]))
        ticks = np.array(sorted(steps), dtype=np.int64)
        micros = np.array([steps[tick] for tick in ticks.tolist()], dtype=np.int64)
        return cls.stepping(resolution, ticks, micros)

    @classmethod
    def stepping(cls, resolution: int, ticks: Ints, micros: Ints) -> "TempoMap":
        """From ascending ticks, the first 0, and microseconds a quarter note from each on."""
        passed = np.diff(ticks) * micros[:-1] / (1e6 * resolution)
        at_step = np.concatenate(([0.0], np.cumsum(passed)))
        return cls(resolution, frozen(ticks, np.int64), frozen(micros, np.int64), frozen(at_step, np.float64))

    def since(self, tick: int) -> "TempoMap":
        """The same clock, counted from a tick on."""
        step = max(int(np.searchsorted(self.ticks, tick, side="right")) - 1, 0)
        ticks = np.append(0, self.ticks[step + 1 :] - tick)
        at_step = np.append(0.0, self.at_step[step + 1 :] - float(self.seconds(tick)))
        columns = frozen(ticks, np.int64), frozen(self.micros[step:], np.int64), frozen(at_step, np.float64)
        return TempoMap(self.resolution, *columns)

    @property
    def steps(self) -> list[tuple[int, int]]:
        """Its steps as (tick, microseconds a quarter note)."""
        return list(zip(self.ticks.tolist(), self.micros.tolist(), strict=True))

    @property
    def longest_tick(self) -> float:
        """Seconds a tick lasts where the tempo is slowest."""
        return float(self.micros.max()) / (1e6 * self.resolution)

    def seconds(self, ticks: ArrayLike) -> Floats:
        """Seconds from the take's start, for ticks of any shape."""
        ticks = np.asarray(ticks, dtype=np.float64)
        if len(self.ticks) == 1:
            return np.asarray(ticks * (int(self.micros[0]) / (1e6 * self.resolution)))
        step = np.maximum(np.searchsorted(self.ticks, ticks, side="right") - 1, 0)
        return self.at_step[step] + (ticks - self.ticks[step]) * self.micros[step] / (1e6 * self.resolution)

    def tick(self, seconds: ArrayLike) -> Floats:
        """The inverse of `seconds`; fractions of a tick are kept."""
        seconds = np.asarray(seconds, dtype=np.float64)
        if len(self.ticks) == 1:
            return np.asarray(seconds * ((1e6 * self.resolution) / int(self.micros[0])))
        step = np.maximum(np.searchsorted(self.at_step, seconds, side="right") - 1, 0)
        return self.ticks[step] + (seconds - self.at_step[step]) * (1e6 * self.resolution) / self.micros[step]


class Position(NamedTuple):
    """A place in the music: bar and beat count from 1, `tick` is what is left within the beat."""

    bar: int
    beat: int
    tick: int


class Bars(NamedTuple):
    """Bar lines. Bar n+1 starts at `start[n]`, holds `beats[n]` beats of `beat_ticks[n]` ticks each."""

    start: Ints
    beats: Ints
    beat_ticks: Ints


@dataclass(frozen=True, eq=False)
class Meter:
    """Steps of time signature: ascending `ticks` (the first is 0), beats a bar, ticks a beat.

    A change in mid-bar begins a new bar there, so every change is on a bar line.
    """

    ticks: Ints
    beats: Ints
    beat_ticks: Ints
    first_bar: Ints
    """How many bars lie before each step."""

    @classmethod
    def of(cls, resolution: int, changes: list[tuple[int, int, int]]) -> "Meter":
        """From (tick, numerator, denominator); 4/4 until the first (SMF 1.0, Time Signature)."""
        steps = {0: (4, 4)} | {tick: (top, bottom) for tick, top, bottom in sorted(changes, key=lambda c: c[0])}
        ticks = np.array(sorted(steps), dtype=np.int64)
        beats = np.array([steps[tick][0] for tick in ticks.tolist()], dtype=np.int64)
        beat = np.array([max(1, resolution * 4 // steps[tick][1]) for tick in ticks.tolist()], dtype=np.int64)
        bars = -(-np.diff(ticks) // (beats * beat)[:-1])
        first = np.concatenate(([0], np.cumsum(bars)))
        return cls(frozen(ticks, np.int64), frozen(beats, np.int64), frozen(beat, np.int64), frozen(first, np.int64))

    def signatures(self, resolution: int) -> list[tuple[int, int, int]]:
        """Its steps as (tick, numerator, denominator)."""
        columns = (one.tolist() for one in (self.ticks, self.beats, self.beat_ticks))
        return [(tick, beats, max(4 * resolution // length, 1)) for tick, beats, length in zip(*columns, strict=True)]

    def position(self, tick: int) -> Position:
        """Bar and beat of a tick (0 or later)."""
        step = int(np.searchsorted(self.ticks, tick, side="right")) - 1
        beat_ticks, beats = int(self.beat_ticks[step]), int(self.beats[step])
        beat, rest = divmod(tick - int(self.ticks[step]), beat_ticks)
        return Position(int(self.first_bar[step]) + beat // beats + 1, beat % beats + 1, rest)

    def bar_of(self, ticks: Ints) -> tuple[Ints, Ints, Ints]:
        """Of the bar that each tick lies in: its start, ticks a beat, ticks a bar."""
        step = np.searchsorted(self.ticks, ticks, side="right") - 1
        bar_ticks = self.beat_ticks[step] * self.beats[step]
        start = self.ticks[step] + (ticks - self.ticks[step]) // bar_ticks * bar_ticks
        return start, self.beat_ticks[step], bar_ticks

    def bars(self, end: int) -> Bars:
        """Every bar from the start to the one that holds tick `end`."""
        until = np.append(self.ticks[1:], end + 1)
        length = self.beats * self.beat_ticks
        count = np.maximum(-(-(until - self.ticks) // length), 0)
        within = np.arange(int(count.sum())) - np.repeat(np.cumsum(count) - count, count)
        start = np.repeat(self.ticks, count) + within * np.repeat(length, count)
        keep = start <= end
        return Bars(start[keep], np.repeat(self.beats, count)[keep], np.repeat(self.beat_ticks, count)[keep])
