"""Strokes on what all parts stand on: the tempo, and the metre."""

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression import beats as beat
from expression.arrays import Ints, whole
from expression.errors import BadStroke, NothingMatched
from expression.limits import MOST_BARS, MOST_POINTS
from expression.retimed import conducted, moved
from expression.strokes.base import BaseStroke, Reach
from expression.strokes.spec import Ask, Gesture, Option, Spec, choice, entry, silent, told
from expression.take import Take
from expression.time import Meter, TempoMap

Bpm = Annotated[float, Field(ge=4, le=1000)]
Beats = Annotated[tuple[Annotated[float, Field(ge=0, le=86_400)], ...], Field(min_length=2, max_length=MOST_POINTS)]
MINUTE = 60_000_000
"""Microseconds."""
STEPS_A_BEAT = 8
"""In so many steps a beat a tempo changes evenly."""


class GroundStroke(BaseStroke):
    """A stroke on the whole take, from the start of `where.span` to its end; without a span from start to end."""

    def span_in(self, take: Take) -> tuple[int, int | None]:
        """From where it holds, and up to where; None: to the end."""
        if self.where.span is None:
            return 0, None
        start, end = self.where.span
        # Where the span goes to the end there is nothing to come back to.
        return start, end if end <= take.end else None

    @override
    def reach(self, take: Take) -> Reach:
        start, end = self.span_in(take)
        until = max(take.end, start + 1) if end is None else end
        count = sum(int(((part.notes.start >= start) & (part.notes.start < until)).sum()) for part in take.parts)
        return Reach(start, until, [part.id for part in take.parts], count)


class TakeTempo(GroundStroke):
    """The tempo: a number, an even change, or beats that were tapped or are found in what is played.

    Notes and data keep their bars, and sound by the new tempo; or they keep their seconds, and lie elsewhere in bars.
    """

    kind: Literal["take.tempo"] = "take.tempo"
    spec = Spec(
        "ground",
        "Tempo",
        says="Quarters a minute. Over a span what was before comes back at its end; without one it holds throughout.",
        asks=(
            entry("bpm", "Quarters a minute").shown(told("bpm")),
            entry("end_bpm", "Up to", 1, "the same").shown(told("bpm")),
            Ask("bpm", "Tap", "tap"),
            choice("keeps", "All keeps", ("bars", "its bars"), ("seconds", "its seconds")).shown(told("bpm")),
            Ask("found", "Beats found in what is played", "flag").shown(silent("bpm")),
        ),
        gestures=(
            Gesture(
                "tempo",
                "Tempo",
                "Quarters a minute: typed, tapped, or changing evenly over the span",
                "bpm speed faster slower ritardando accelerando rubato tap metronome",
                "Ground",
                where="ground",
                given={"bpm": "@tempo"},
            ),
            Gesture(
                "beats",
                "Bars to the playing",
                "Bar lines to the beats that are found in what was played freely: all sounds as it did",
                "beats tempo map fit follow free rubato detect",
                "Ground",
                where="ground",
                given={"found": True, "keeps": "seconds"},
            ),
        ),
    )
    bpm: Bpm | None = Field(None, description="Quarters a minute.")
    end_bpm: Bpm | None = Field(
        None, description="At the end of the span, to which it changes evenly; absent: the same."
    )
    keeps: Literal["bars", "seconds"] = Field(
        "bars", description="What notes and data keep: their place in the bars, or the moment at which they sound."
    )
    beats: Beats | None = Field(
        None,
        description="Seconds of beats that were tapped, ascending: they become quarters, and all keeps its seconds.",
    )
    found: bool = Field(False, description="The same by beats that are found in what is played.")

    @model_validator(mode="after")
    def _one(self) -> Self:
        if (self.bpm is not None) + (self.beats is not None) + self.found != 1:
            raise ValueError("bpm, beats or found: one of them says the tempo")
        if self.end_bpm is not None and (self.bpm is None or self.where.span is None):
            raise ValueError("end_bpm needs bpm, and a span over which it changes")
        if self.bpm is None and self.keeps == "bars":
            raise ValueError("keeps must be seconds where beats say the tempo: they are where they sound")
        return self

    @override
    def span_in(self, take: Take) -> tuple[int, int | None]:
        # Beats say the tempo of all of the take, whatever the span.
        return super().span_in(take) if self.bpm is not None else (0, None)

    @override
    def apply(self, take: Take) -> Take:
        tempo = self._tempo(take)
        if self.keeps == "bars":
            return conducted(take, _through(take, tempo))
        before = take.tempo

        def move(ticks: Ints) -> Ints:
            return beat.moved(ticks, before, tempo)

        metre = take.meter.signatures(take.resolution)
        changes = [(int(tick), *one[1:]) for tick, one in zip(move(take.meter.ticks), metre, strict=True)]
        return conducted(moved(take, move), tempo, Meter.of(take.resolution, changes))

    def _tempo(self, take: Take) -> TempoMap:
        if self.bpm is None:
            return self._fitted(take)
        start, end = self.span_in(take)
        old = take.tempo
        kept = [one for one in old.steps if one[0] < start]
        made = self._steps(take.resolution, self.bpm, start, end)
        if end is None:
            return TempoMap.of(take.resolution, [*kept, *made])
        back = int(old.micros[max(int(np.searchsorted(old.ticks, end, side="right")) - 1, 0)])
        after = [one for one in old.steps if one[0] > end]
        if self.keeps == "bars":
            return TempoMap.of(take.resolution, [*kept, *made, (end, back), *after])
        # The same seconds take more or fewer beats: where the span ends, and what lies behind it, is elsewhere.
        open_ended = TempoMap.of(take.resolution, [*kept, *made])
        until = int(whole(np.array([float(open_ended.tick(float(old.seconds(end))))]))[0])
        until = max(until, start + 1)
        inside = [one for one in made if one[0] < until]
        behind = [(tick - end + until, micros) for tick, micros in after]
        return TempoMap.of(take.resolution, [*kept, *inside, (until, back), *behind])

    def _fitted(self, take: Take) -> TempoMap:
        try:
            beats = self.beats or beat.found_in(take.tempo, [part.notes for part in take.parts]).tolist()
            lead = round(float(take.tempo.tick(beats[0])) / take.resolution)
            # Something before the first beat takes one at least.
            return beat.fitted(beats, take.resolution, max(lead, 1) if beats[0] > 0 else 0)
        except BadStroke as fault:
            raise NothingMatched(str(fault), "beats" if self.beats else "found") from None

    def _steps(self, resolution: int, bpm: float, start: int, end: int | None) -> list[tuple[int, int]]:
        if self.end_bpm is None or end is None or self.end_bpm == bpm:
            return [(start, round(MINUTE / bpm))]
        count = max(min((end - start) * STEPS_A_BEAT // resolution, MOST_POINTS), 1)
        edges = start + (end - start) * np.arange(count) // count
        # Each step has the tempo of its middle.
        tempo = bpm + (self.end_bpm - bpm) * (np.arange(count) + 0.5) / count
        return list(zip(edges.tolist(), np.round(MINUTE / tempo).astype(int).tolist(), strict=True))

    @override
    def label(self) -> str:
        if self.bpm is None:
            return "Bars to the playing" if self.found else "Bars to tapped beats"
        way = f"{self.bpm:g}" if self.end_bpm is None else f"{self.bpm:g} → {self.end_bpm:g}"
        return f"Tempo {way}" + (", heard as before" if self.keeps == "seconds" else "")


class TakeMetre(GroundStroke):
    """The metre: how many beats a bar has, and of what length. Nothing moves and nothing sounds otherwise."""

    kind: Literal["take.metre"] = "take.metre"
    spec = Spec(
        "ground",
        "Metre",
        says="Over a span what was before comes back at its end; without one it holds throughout.",
        asks=(
            entry("beats", "Beats a bar"),
            Ask("unit", "Of", "choice", options=tuple(Option(one, f"1/{one}") for one in (1, 2, 4, 8, 16, 32))),
        ),
        gestures=(
            Gesture(
                "metre",
                "Metre",
                "Beats a bar, from the start of the span or throughout",
                "time signature bar lines measure 3/4 6/8 7/8 compound",
                "Ground",
                where="ground",
                given={"beats": "@beats a bar", "unit": "@beat unit"},
            ),
        ),
    )
    beats: Annotated[int, Field(ge=1, le=64)] = Field(description="Beats a bar.")
    unit: Literal[1, 2, 4, 8, 16, 32] = Field(4, description="What note a beat is: 4 is a quarter.")

    @override
    def apply(self, take: Take) -> Take:
        start, end = self.span_in(take)
        steps = take.meter.signatures(take.resolution)
        made = [*(one for one in steps if one[0] < start), (start, self.beats, self.unit)]
        if end is not None:
            last = max((one for one in steps if one[0] <= end), default=(0, 4, 4))
            made += [(end, *last[1:]), *(one for one in steps if one[0] > end)]
        meter = Meter.of(take.resolution, made)
        if meter.position(take.end).bar > MOST_BARS:
            raise NothingMatched(f"That would be more than {MOST_BARS:,} bars; choose longer ones.", "beats")
        return conducted(take, meter=meter)

    @override
    def label(self) -> str:
        return f"Metre {self.beats}/{self.unit}"


def _through(take: Take, tempo: TempoMap) -> TempoMap:
    """The tempo, if the take is not made longer by it than a recording can be."""
    if float(tempo.seconds(take.end)) > MOST_SECONDS:
        raise NothingMatched("At this tempo the take would last longer than a day; choose a faster one.", "bpm")
    return tempo


MOST_SECONDS = 86_400.0
