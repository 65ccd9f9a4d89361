"""Strokes that put a shape on a lane: waves, and rises and swells that follow the span or the notes."""

from collections.abc import Callable
from typing import Annotated, Literal, NamedTuple, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression import piece
from expression.arrays import Ints, frozen, whole
from expression.chords import chord_onsets
from expression.curve import Curve
from expression.errors import NothingMatched
from expression.lanes import LANES
from expression.limits import MOST_CYCLES
from expression.memo import worked_out
from expression.records import Unit
from expression.strokes.base import Lift, Reach, Where, counted
from expression.strokes.batch import Batch
from expression.strokes.grips import Grip, Place, line_grips, turning
from expression.strokes.lane import MANY, Spot, parts_of, switched
from expression.strokes.spec import (
    ASK_EACH,
    ASK_EASE,
    ASK_LIFT,
    ASK_PEAK,
    ASK_PEAK_AT,
    Ask,
    Gesture,
    Spec,
    among,
    choice,
    entry,
)
from expression.strokes.writing import Value, WritingStroke
from expression.take import Lane, Take
from expression.time import Sight, TempoMap
from expression.waves import WaveForm, wave

Beats = Annotated[float, Field(gt=0, le=1024)]


class LaneWave(WritingStroke):
    """A periodic shape over the span: in place of what is there, or added to it."""

    kind: Literal["lane.wave"] = "lane.wave"
    spec = Spec(
        "lane",
        "Wave",
        asks=(
            choice(
                "form",
                "Form",
                ("sine", "sine"),
                ("triangle", "tri."),
                ("rise", "rise"),
                ("fall", "fall"),
                ("pulse", "pulse"),
            ),
            choice("per", "Rate in", ("beats", "beats a cycle"), ("hz", "hertz")),
            entry("rate", "Rate", 0.25),
            entry("depth", "Depth"),
            entry("depth_end", "Depth at end", 1, "same"),
            entry("centre", "Centre"),
            entry("phase", "Phase", 0.05),
            entry("fade_in", "Fade in (beats)", 0.5),
            choice("mode", "Is", ("set", "set"), ("add", "added")),
            ASK_EACH,
        ),
        gestures=(
            Gesture(
                "vary",
                "Wave",
                "Sine, triangle, teeth or pulse; in beats or hertz",
                "vibrato tremolo lfo sine shake oscillate",
                "Shape",
                where="all of the lane",
                given={"rate": 1, "depth": "@depth", "centre": "@centre", "mode": "@adds"},
                on_notes=True,
            ),
        ),
        slides=True,
    )
    form: WaveForm = "sine"
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
        if self.where.span is None and not (self.of_notes or self.where.each):
            raise ValueError("a wave needs a span")
        return self

    @override
    def lanes(self, take: Take) -> list[Spot]:
        return super().lanes(take) if self.form == "pulse" else self.sliding(take)

    @override
    def felt(self, take: Take, spot: Spot, sight: Sight) -> Sight:
        return sight

    @override
    def shape(self, batch: Batch) -> Curve | None:
        adds = self.mode == "add"
        if adds and not batch.on_notes and (not len(batch.nodes) or batch.nodes.ticks[0] >= batch.ends[0]):
            return None
        if adds and self.depth == self.depth_end == 0:
            return batch.nodes
        base = batch.cut()
        # Where both move, what each is off adds up.
        error = batch.error / 2 if adds and base.ways.any() else batch.error
        made = self._waves(batch, error)
        if adds:
            made = piece.added(batch.piece(base), batch.piece(made), error).curve
        else:
            made = made.valued(made.values + self.centre)
        if batch.is_switch:
            made = Curve.of(made.ticks, switched(made.values))
        return batch.laid(made, resumes=not batch.on_notes)

    def _waves(self, batch: Batch, error: float) -> Curve:
        """The wave over each span, about 0: it begins anew with each."""
        cycle = self.rate if self.per == "hz" else 1 / (self.rate * batch.take.resolution)
        fade, adds = self.fade_in * batch.take.resolution, self.mode == "add"
        depth_end = self.depth if self.depth_end is None else self.depth_end

        def waved(start: int, end: int, clock: TempoMap | None, depths: tuple[float, float], error: float) -> Curve:
            return wave(start, end, self.form, cycle, clock, self.phase, depths, fade, error, adds, batch.sight).curve

        clock = batch.take.tempo if self.per == "hz" else None
        if not batch.on_notes:
            return waved(int(batch.starts[0]), int(batch.ends[0]), clock, (self.depth, depth_end), error)
        longest = int((batch.ends - batch.starts).max())
        deepest = max(self.depth, depth_end)
        steady = depth_end == self.depth or not deepest
        error = error if steady else error / 2
        depths = (deepest, deepest)
        if clock is None or len(clock.ticks) == 1:
            made = batch.tiled(waved(0, longest, clock, depths, error))
        else:
            made = self._by_clock(batch, clock, lambda start, end, clock: waved(start, end, clock, depths, error))
        if steady:
            return made
        ramp = batch.ramps(self.depth / deepest, depth_end / deepest)
        return piece.multiplied(batch.piece(made), batch.piece(ramp), error).curve

    def _by_clock(self, batch: Batch, clock: TempoMap, waved: Callable[[int, int, TempoMap], Curve]) -> Curve:
        """The wave over each span where the tempo changes: once for all notes that sound at one tempo."""
        begins = batch.begins + batch.starts - batch.base
        lasts = batch.ends - batch.starts
        step, until = (np.searchsorted(clock.ticks, at, side="right") - 1 for at in (begins, begins + lasts - 1))
        # Notes over which the tempo changes have their own; the others go by their tempo.
        group = np.where(step == until, clock.micros[step], -1 - np.arange(len(batch)))
        found: list[Curve] = []
        for one in np.unique(group):
            rows = np.flatnonzero(group == one)
            own = clock.since(int(begins[rows[0]]))
            made = waved(0, int(lasts[rows].max()), TempoMap.of(clock.resolution, [(0, int(one))]) if one > 0 else own)
            found.append(batch.tiled(made, rows))
        return found[0].among(*found[1:])

    @override
    def label(self) -> str:
        rate = f"{self.rate:g} Hz" if self.per == "hz" else f"every {counted(self.rate, 'beat')}"
        return f"{self.name} {self.form}, {rate}, ±{self.depth:g}"


class LaneShape(WritingStroke):
    """A rise, a fall or a swell: over the span, again and again through it, or over each note that `where` reaches."""

    kind: Literal["lane.shape"] = "lane.shape"
    spec = Spec(
        "lane",
        "Shape",
        asks=(
            Ask("peak", "Goes", "turns"),
            entry("start", "Start"),
            entry("end", "End"),
            ASK_PEAK,
            ASK_PEAK_AT,
            ASK_LIFT,
            ASK_EASE,
            entry("every", "Every (beats)", 0.5, "once").shown(among("notes", False)),
            entry("delay", "Delay (ms)", 10).shown(among("notes", True)),
            entry("over", "Over (share)", 0.05).shown(among("notes", True)),
            ASK_EACH.shown(among("notes", False)),
        ),
        gestures=(
            Gesture(
                "swell",
                "Swell",
                "There and back over the span, once or again and again",
                "rise fall dip crescendo envelope",
                "Shape",
                where="all of the lane",
                given={"start": 0, "peak": "@peak", "end": 0, "ease": 0.5},
                on_notes=True,
            ),
            Gesture(
                "swell",
                "On each note",
                "A swell on every chosen note at once, or on all of the part",
                "each note envelope swell attack",
                "Shape",
                where="notes of the part",
                given={"start": 0, "peak": "@peak", "end": 0, "ease": 0.5, "notes": True, "delay": 80},
            ),
        ),
        slides=True,
    )
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
        if self.of_notes and self.notes:
            raise ValueError("a shape of notes lies over each of them anyway; leave `notes` out")
        if self.where.span is None and not (self.notes or self.of_notes or self.where.each):
            raise ValueError("a shape needs a span, or notes to follow")
        return self

    @override
    def lanes(self, take: Take) -> list[Spot]:
        return self.sliding(take)

    @override
    def seen(self, take: Take, start: int, end: int) -> Self:
        """No shape is felt by another: of very many only those are made that are seen."""
        if self.of_notes or not self.notes or LANES[self.lane].is_ranged:
            return super().seen(take, start, end)
        return self.looking(start, end) if sum(len(part.notes) for part in take.parts) > MANY else self

    @override
    def on_spot(self, take: Take, spot: Spot) -> Lane | None:
        places = self._places(take, spot).about(self._sight)
        if not len(places.starts):
            return None
        batch = Batch(take, spot.key, spot.curve, (0, 1), spot.limits)
        batch.starts, batch.ends = places
        return spot.lane.reshaped(self._shaped(batch))

    @override
    def shape(self, batch: Batch) -> Curve:
        batch.ends = batch.starts + np.maximum(whole((batch.ends - batch.starts) * self.over), 1)
        if self.delay:
            starts = batch.begins + (batch.starts - batch.base)
            tempo = batch.take.tempo
            later = whole(tempo.tick(tempo.seconds(starts) + self.delay / 1000)) - starts
            lasting = batch.starts + later < batch.ends
            batch.starts = np.where(lasting, batch.starts + later, batch.starts)
            batch.keep(lasting)
        if not len(batch):
            raise NothingMatched(self.nothing, "delay")
        return self._shaped(batch)

    def _shaped(self, batch: Batch) -> Curve:
        made = self._all(_Places(batch.starts, batch.ends))
        return batch.laid(made.valued(np.clip(made.values, *batch.limits)))

    def _all(self, places: "_Places") -> Curve:
        """The shape in all of its places, one after another."""
        start, end = places
        turn = start + whole((end - start) * self.peak_at) if self.peak is not None else start
        turns = (turn > start) & (turn < end)
        # The way back is the way there in a mirror: what is slow then fast there is fast then slow back.
        nodes = np.stack((start, turn, end), axis=1)
        values = np.broadcast_to(np.array([self.start, self.peak or 0.0, self.end]), nodes.shape)
        lift = np.broadcast_to(np.array([self.lift, -self.lift, 0.0]), nodes.shape)
        hold = np.broadcast_to(np.array([False, False, True]), nodes.shape)
        there = np.stack((turns | True, turns, turns | True), axis=1)
        return Curve.of(nodes[there], values[there], hold[there], lift[there], self.ease)

    def _places(self, take: Take, spot: Spot) -> "_Places":
        """Where the shape goes, without overlaps."""
        if self.notes:
            return _over_notes(take, tuple(part.id for part in spot.parts), self.where, self.delay, self.over)
        start, end = self.where.span or (0, 1)
        if self.every is None:
            return _Places(np.array([start]), np.array([end]))
        edges = np.arange(start, end, max(self.every * take.resolution, 1))
        if len(edges) > MOST_CYCLES:
            raise NothingMatched(f"That would be more than {MOST_CYCLES:,} shapes; choose a longer one.", "every")
        return _Places.lasting(whole(edges), np.append(whole(edges)[1:], end))

    @override
    def lane_reach(self, take: Take) -> Reach:
        spots = self.lanes(take)
        places = [found for spot in spots if len((found := self._places(take, spot)).starts)]
        if not places:
            raise NothingMatched(self.nothing)
        start, end = min(int(one.starts[0]) for one in places), max(int(one.ends[-1]) for one in places)
        return Reach(start, end, parts_of(spots), sum(len(one.starts) for one in places))

    @override
    def lane_grips(self, take: Take) -> list[Grip]:
        """On a shape that is there once; of many, none stands for all."""
        if self.where.span is None or self.notes or self.every is not None:
            return []
        start, end = self.where.span
        peak = turning(start, end, self.peak, self.peak_at)
        return line_grips(Place(start, self.start), Place(end, self.end), None, peak)

    @property
    @override
    def nothing(self) -> str:
        return "No notes are long enough here for the shape to follow them."

    @override
    def label(self) -> str:
        levels = [self.start, self.end] if self.peak is None else [self.start, self.peak, self.end]
        way = " → ".join(f"{level:g}" for level in levels).replace("-", "−")
        place = " on each note" if self.notes else f" every {counted(self.every, 'beat')}" if self.every else ""
        return f"{self.name} {way}{place}"


class _Places(NamedTuple):
    """Ticks where shapes begin and end."""

    starts: Ints
    ends: Ints

    @classmethod
    def lasting(cls, starts: Ints, ends: Ints) -> "_Places":
        """Those that last at all."""
        rows = ends > starts
        return cls(frozen(starts[rows], np.int64), frozen(ends[rows], np.int64))

    def about(self, sight: Sight | None) -> "_Places":
        """Those that are seen, from the one before them to the one behind; all where nothing is said of that."""
        if sight is None:
            return self
        first, after = np.searchsorted(self.ends, sight[0]), np.searchsorted(self.starts, sight[1])
        rows = slice(max(int(first) - 1, 0), int(after) + 1)
        return _Places(self.starts[rows], self.ends[rows])


@worked_out(4)
def _over_notes(take: Take, parts: tuple[int, ...], where: Where, delay: float, over: float) -> _Places:
    """Where a shape goes over each note of some parts, a chord counted as one; whatever shape it is."""
    masks = [(part.notes, where.notes_of(part)) for part in (take.parts[number] for number in parts)]
    starts = np.concatenate([notes.start[mask] for notes, mask in masks])
    ends = np.concatenate([notes.end[mask] for notes, mask in masks])
    if not len(starts):
        return _Places(starts, ends)
    onsets = chord_onsets(starts, take.resolution)
    heads, which = np.unique(onsets, return_inverse=True)
    tails = np.zeros(len(heads), dtype=np.int64)
    np.maximum.at(tails, which, ends)
    begin = whole(take.tempo.tick(take.tempo.seconds(heads) + delay / 1000))
    until = heads + whole((tails - heads) * over)
    # The next note cuts short what is still going on.
    return _Places.lasting(begin, np.minimum(until, np.append(begin[1:], np.iinfo(np.int64).max)))
