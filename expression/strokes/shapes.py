"""Strokes that put a shape on a lane: waves, and rises and swells that follow the span or the notes."""

import itertools
from typing import Annotated, Literal

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.arrays import Flags, Floats, Ints, whole
from expression.chords import chord_onsets
from expression.curve import Curve
from expression.errors import NothingMatched
from expression.strokes.base import Lift, Reach, Unit
from expression.strokes.lane import pinned, switched
from expression.strokes.writing import Value, WritingStroke
from expression.take import Lane, Part, Take

MOST_CYCLES = 20_000
POINTS = 16
"""Points of a cycle where it is added to what is there."""

Beats = Annotated[float, Field(gt=0, le=1024)]


class LaneWave(WritingStroke):
    """A periodic shape over the span: in place of what is there, or added to it."""

    kind: Literal["lane.wave"] = "lane.wave"
    form: Literal["sine", "triangle", "rise", "fall", "pulse"] = "sine"
    rate: Annotated[float, Field(gt=0, le=200)] = Field(description="By `per`: cycles a second, or beats a cycle.")
    per: Literal["beats", "hz"] = Field(
        "beats",
        description="`beats`: in step with the beat, a cycle lasts `rate` quarters. `hz`: `rate` cycles a second.",
    )
    depth: Annotated[float, Field(ge=0, le=127)] = Field(description="From the middle to the top, in steps.")
    depth_end: Annotated[float | None, Field(ge=0, le=127)] = Field(
        None, description="The depth at the end of the span, to which it changes evenly; absent: the same."
    )
    centre: Value = Field(64.0, description="The middle, where the wave takes the place of what is there.")
    phase: Unit = Field(0.0, description="Where in its cycle it begins: 0.25 is a quarter further.")
    fade_in: Annotated[float, Field(ge=0, le=1024)] = Field(0.0, description="Beats until its full depth.")
    mode: Literal["set", "add"] = "set"

    @model_validator(mode="after")
    def _has_span(self) -> "LaneWave":
        if self.where.span is None:
            raise ValueError("a wave needs a span")
        if self.is_switch and self.form != "pulse":
            raise ValueError(f"{self.name} is on or off; only a pulse fits it")
        return self

    @override
    def shaped(self, take: Take, part: Part, lane: Lane) -> Lane | None:
        start, end = self.where.span or (0, 1)
        adds = self.mode == "add"
        if adds and (not len(lane.curve) or lane.curve.ticks[0] >= end):
            return None
        if adds:
            start = max(start, int(lane.curve.ticks[0]))
        ticks, level, hold, ease = self._cycles(take, start, end)
        u = (ticks - start) / max(end - start, 1)
        last = self.depth if self.depth_end is None else self.depth_end
        depth = self.depth + (last - self.depth) * u
        if self.fade_in:
            depth = depth * np.clip((ticks - start) / (self.fade_in * take.resolution), 0, 1)
        base = lane.curve.at(ticks) if adds else self.centre
        values = pinned(base + depth * level, part, lane.key)
        if self.is_switch:
            values = switched(values)
        return lane.between(start, end, Curve.of(ticks, values, hold, 0.0, ease))

    def _cycles(self, take: Take, start: int, end: int) -> tuple[Ints, Floats, Flags, Floats | float]:
        """Ticks, levels from -1 to 1, whether each is held, and the ease of the ways between."""
        if self.per == "hz":
            clock = take.tempo.seconds([start, end])
            first, last = float(clock[0]) * self.rate, float(clock[1]) * self.rate
            origin = first
        else:
            cycle = self.rate * take.resolution
            first, last, origin = 0.0, (end - start) / cycle, 0.0
        first, last = self.phase, self.phase + last - first
        if last - first > MOST_CYCLES:
            raise NothingMatched(f"That would be more than {MOST_CYCLES:,} cycles; choose a lower rate.", "rate")
        turns = {"sine": (0.25, 0.75), "triangle": (0.25, 0.75), "rise": (0.0,), "fall": (0.0,), "pulse": (0.0, 0.5)}
        steps = np.arange(POINTS) / POINTS if self.mode == "add" and self.form in ("sine", "triangle") else None
        marks = np.asarray(turns[self.form]) if steps is None else steps
        whole_cycles = np.arange(np.floor(first) - 1, np.ceil(last) + 1)
        at = np.unique(np.concatenate(((whole_cycles[:, None] + marks).ravel(), [first, last])))
        at = at[(at >= first) & (at <= last)]

        def tick(cycles: Floats) -> Ints:
            passed = cycles - self.phase
            if self.per == "hz":
                return whole(take.tempo.tick((origin + passed) / self.rate))
            return start + whole(passed * self.rate * take.resolution)

        if self.form in ("rise", "fall"):
            # A tooth ends where the next begins: two nodes at one tick.
            sign = 1.0 if self.form == "rise" else -1.0
            inner = at[1:-1] if len(at) > 2 else at[:0]
            cycles = np.concatenate((at[:1], np.repeat(inner, 2), at[-1:]))
            level = sign * (2 * (cycles - np.floor(cycles)) - 1)
            level[1:-1:2] = sign
            level[-1] = sign * (2 * (cycles[-1] - np.floor(np.nextafter(cycles[-1], -np.inf))) - 1)
            hold = np.zeros(len(cycles), dtype=bool)
            return tick(cycles), level, hold, 0.0
        if self.form == "pulse":
            at = at[:-1] if len(at) > 1 else at
            return tick(at), np.where(at - np.floor(at) < 0.5, 1.0, -1.0), np.ones(len(at), dtype=bool), 0.0
        if self.form == "triangle":
            return tick(at), _triangle(at - np.floor(at)), np.zeros(len(at), dtype=bool), 0.0
        # From turn to turn a sine is an eased way, to within a hundredth of its depth; the rests at the edges are not.
        turning = np.isclose(np.mod(at, 0.5), 0.25)
        whole_ways = turning[:-1] & turning[1:]
        parts = [np.linspace(a, b, POINTS // 4, endpoint=False) for a, b in itertools.pairwise(at)]
        points = np.concatenate(
            [part[:1] if way else part for part, way in zip(parts, whole_ways, strict=True)] + [at[-1:]]
        )
        ease = np.isin(points, at[:-1][whole_ways]).astype(float)
        return tick(points), np.sin(2 * np.pi * points), np.zeros(len(points), dtype=bool), ease

    @override
    def label(self) -> str:
        rate = f"{self.rate:g} Hz" if self.per == "hz" else f"every {self.rate:g} beats"
        return f"{self.name} {self.form}, {rate}, ±{self.depth:g}"


def _triangle(share: Floats) -> Floats:
    """0 at 0, 1 at a quarter, -1 at three quarters of the cycle."""
    return np.asarray(np.where(share < 0.25, 4 * share, np.where(share < 0.75, 2 - 4 * share, 4 * share - 4)))


class LaneShape(WritingStroke):
    """A rise, a fall or a swell: over the span, again and again through it, or over each note that `where` reaches."""

    kind: Literal["lane.shape"] = "lane.shape"
    start: Value
    end: Value
    peak: Value | None = Field(None, description="Where it turns back; none for a plain ramp.")
    peak_at: Unit = Field(0.5, description="When it turns back, as a share of its length.")
    lift: Lift = Field(0.0, description="-1: fast, then slow; 0: straight; 1: slow, then fast.")
    ease: Unit = Field(0.0, description="0: as `lift` forms it; 1: softened at both ends.")
    every: Beats | None = Field(None, description="Repeated every so many beats; absent: once over the span.")
    notes: bool = Field(False, description="Over each note (a chord counts as one), from its start.")
    delay: Annotated[float, Field(ge=0, le=60_000)] = Field(0.0, description="Milliseconds after each note's start.")
    over: Annotated[float, Field(gt=0, le=1)] = Field(1.0, description="Over this share of each note's length.")

    @model_validator(mode="after")
    def _has_place(self) -> "LaneShape":
        if self.where.span is None and not self.notes:
            raise ValueError("a shape needs a span, or notes to follow")
        if self.is_switch:
            raise ValueError(f"{self.name} is on or off; it cannot slide")
        return self

    @override
    def shaped(self, take: Take, part: Part, lane: Lane) -> Lane | None:
        places = self._places(take, part)
        for start, end in places:
            lane = lane.between(start, end, self._one(part, lane.key, start, end), comes_back=False)
        return lane if places else None

    def _one(self, part: Part, key: str, start: int, end: int) -> Curve:
        if self.peak is None or not start < (turn := start + round((end - start) * self.peak_at)) < end:
            values = pinned(np.array([self.start, self.end]), part, key)
            return Curve.of([start, end], values, [False, True], self.lift, self.ease)
        # The way back is the way there in a mirror: what is slow then fast there is fast then slow back.
        values = pinned(np.array([self.start, self.peak, self.end]), part, key)
        return Curve.of([start, turn, end], values, [False, False, True], [self.lift, -self.lift, 0.0], self.ease)

    def _places(self, take: Take, part: Part) -> list[tuple[int, int]]:
        """Where the shape goes, without overlaps: (start, end) in ticks."""
        if self.notes:
            return self._over_notes(take, part)
        start, end = self.where.span or (0, 1)
        if self.every is None:
            return [(start, end)]
        edges = np.arange(start, end, max(self.every * take.resolution, 1))
        if len(edges) > MOST_CYCLES:
            raise NothingMatched(f"That would be more than {MOST_CYCLES:,} shapes; choose a longer one.", "every")
        ticks = [*whole(edges).tolist(), end]
        return [(a, b) for a, b in itertools.pairwise(ticks) if b > a]

    def _over_notes(self, take: Take, part: Part) -> list[tuple[int, int]]:
        mask = self.where.notes_of(part)
        starts, ends = part.notes.start[mask], part.notes.end[mask]
        if not len(starts):
            return []
        onsets = chord_onsets(starts, take.resolution)
        heads, which = np.unique(onsets, return_inverse=True)
        tails = np.zeros(len(heads), dtype=np.int64)
        np.maximum.at(tails, which, ends)
        begin = whole(take.tempo.tick(take.tempo.seconds(heads) + self.delay / 1000))
        until = heads + whole((tails - heads) * self.over)
        # The next note cuts short what is still going on.
        until = np.minimum(until, np.append(begin[1:], np.iinfo(np.int64).max))
        return [(a, b) for a, b in zip(begin.tolist(), until.tolist(), strict=True) if b > a]

    @override
    def reach(self, take: Take) -> Reach:
        lanes = self.lanes(take)
        places = [place for part, _ in lanes for place in self._places(take, part)]
        if not places:
            raise NothingMatched(self.nothing)
        return Reach(
            min(a for a, _ in places), max(b for _, b in places), sorted({part.id for part, _ in lanes}), len(places)
        )

    @property
    @override
    def nothing(self) -> str:
        return "No notes are long enough here for the shape to follow them."

    @override
    def label(self) -> str:
        levels = [self.start, self.end] if self.peak is None else [self.start, self.peak, self.end]
        way = " → ".join(f"{level:g}" for level in levels).replace("-", "−")
        place = " on each note" if self.notes else f" every {self.every:g} beats" if self.every else ""
        return f"{self.name} {way}{place}"
