"""Choosing notes by rule: each rule is a small model that says which notes of a part it means."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.arrays import Flags, Ints, runs
from expression.chords import chord_onsets
from expression.errors import NothingMatched
from expression.records import Record
from expression.strokes.base import Where
from expression.take import Part, Take

Beats = Annotated[float, Field(ge=0, le=1024)]


class Rule(Record):
    """A rule. `within` is what is chosen already (or everything): most rules narrow it."""

    def pick(self, take: Take, part: Part, within: Flags) -> Flags:
        """Which notes of the part the rule means."""
        raise NotImplementedError


class SamePitch(Rule):
    """Notes of the same pitch as any chosen, all through the part."""

    kind: Literal["same pitch"] = "same pitch"

    @override
    def pick(self, take: Take, part: Part, within: Flags) -> Flags:
        return np.asarray(np.isin(part.notes.pitch, part.notes.pitch[within]) & part.notes.music)


class Beat(Rule):
    """Notes on the beat, or off it."""

    kind: Literal["beat"] = "beat"
    on: bool = Field(True, description="On the beat, or off it.")
    tolerance: Beats = Field(0.125, description="How far from the beat still counts as on it, in beats.")

    @override
    def pick(self, take: Take, part: Part, within: Flags) -> Flags:
        into, length = _into_beat(take, part.notes.start)
        near = np.minimum(into, length - into) <= self.tolerance * length
        return np.asarray(within & (near if self.on else ~near))


class BarPlace(Rule):
    """Notes at one place of every bar."""

    kind: Literal["bar place"] = "bar place"
    beat: Annotated[float, Field(ge=1, le=64)] = Field(
        description="The place, in beats from 1; 2.5 is between 2 and 3."
    )
    tolerance: Beats = Field(0.125, description="How far from it still counts, in beats.")

    @override
    def pick(self, take: Take, part: Part, within: Flags) -> Flags:
        start, beat_ticks, bar_ticks = take.meter.bar_of(part.notes.start)
        away = np.abs(part.notes.start - start - (self.beat - 1) * beat_ticks)
        # A note played early at the first beat lies at the end of the bar before.
        away = np.minimum(away, np.abs(away - bar_ticks))
        return within & (away <= self.tolerance * beat_ticks)


class Between(Rule):
    """Notes whose velocity or length lies between two values, both included."""

    low: float
    high: float

    @model_validator(mode="after")
    def _forwards(self) -> "Between":
        if self.low > self.high:
            raise ValueError(f"low must not be above high ({self.low:g} is above {self.high:g})")
        return self


class VelocityBetween(Between):
    """Notes of a velocity from low to high."""

    kind: Literal["velocity"] = "velocity"
    low: Annotated[float, Field(ge=1, le=127)] = 1
    high: Annotated[float, Field(ge=1, le=127)] = 127

    @override
    def pick(self, take: Take, part: Part, within: Flags) -> Flags:
        return within & (part.notes.velocity >= self.low) & (part.notes.velocity <= self.high)


class LengthBetween(Between):
    """Notes of a length from low to high, in quarter notes."""

    kind: Literal["length"] = "length"
    low: Beats = 0
    high: Beats = 1024

    @override
    def pick(self, take: Take, part: Part, within: Flags) -> Flags:
        length = (part.notes.end - part.notes.start) / take.resolution
        return within & (length >= self.low) & (length <= self.high)


class ChordEdge(Rule):
    """The top or the bottom note of each chord; a note alone is both."""

    kind: Literal["chord"] = "chord"
    edge: Literal["top", "bottom"] = "top"

    @override
    def pick(self, take: Take, part: Part, within: Flags) -> Flags:
        rows = np.flatnonzero(within)
        chord = chord_onsets(part.notes.start[rows], take.resolution)
        pitch = part.notes.pitch[rows].astype(np.int64)
        height = pitch if self.edge == "top" else -pitch
        order = np.lexsort((-height, chord))
        first = np.concatenate(([True], np.diff(chord[order]) > 0)) if len(order) else np.zeros(0, dtype=bool)
        mask = np.zeros(len(within), dtype=bool)
        mask[rows[order[first]]] = True
        return mask


class EveryNth(Rule):
    """Every n-th note, beginning with the `first` (from 1)."""

    kind: Literal["every"] = "every"
    n: Annotated[int, Field(ge=1, le=1000)] = 2
    first: Annotated[int, Field(ge=1, le=1000)] = 1

    @override
    def pick(self, take: Take, part: Part, within: Flags) -> Flags:
        mask = np.zeros(len(within), dtype=bool)
        mask[np.flatnonzero(within)[self.first - 1 :: self.n]] = True
        return mask


class Pitches(Rule):
    """Notes of some pitches: the voices of a drum part."""

    kind: Literal["pitches"] = "pitches"
    pitches: tuple[Annotated[int, Field(ge=0, le=127)], ...]

    @override
    def pick(self, take: Take, part: Part, within: Flags) -> Flags:
        return within & np.isin(part.notes.pitch, self.pitches)


class Begins(Rule):
    """Notes that begin within a span of ticks (the loop, say)."""

    kind: Literal["span"] = "span"
    span: tuple[Annotated[int, Field(ge=0)], Annotated[int, Field(ge=0, le=2**53)]]

    @override
    def pick(self, take: Take, part: Part, within: Flags) -> Flags:
        return within & (part.notes.start >= self.span[0]) & (part.notes.start < self.span[1])


AnyRule = SamePitch | Beat | BarPlace | VelocityBetween | LengthBetween | ChordEdge | EveryNth | Pitches | Begins
SelectionRule = Annotated[AnyRule, Field(discriminator="kind")]


def select_by(take: Take, where: Where, rule: AnyRule) -> list[tuple[int, int]]:
    """Ids of the notes that a rule picks from what `where` reaches, as inclusive ranges. Raises NothingMatched."""
    found = [part.notes.id[rule.pick(take, part, where.notes_of(part))] for part in take.parts]
    ids = np.sort(np.concatenate(found)) if found else np.zeros(0, dtype=np.int64)
    if not len(ids):
        raise NothingMatched("No note fits this rule.")
    return runs(ids)


def _into_beat(take: Take, ticks: Ints) -> tuple[Ints, Ints]:
    start, beat_ticks, _ = take.meter.bar_of(ticks)
    return (ticks - start) % beat_ticks, beat_ticks
