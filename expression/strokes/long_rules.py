"""What players do with notes that last, and between them: swells, vibrato, slides, and a looseness with a memory."""

from collections.abc import Iterator
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.arrays import Ints
from expression.living import LONG_SECONDS, SWELLING
from expression.phrases import LEAP, line_of
from expression.strokes.base import BaseStroke
from expression.strokes.bends import BendScoop, BendShake
from expression.strokes.lane import LaneKey
from expression.strokes.made_of import MadeOf, bendable, by_ids, long_notes
from expression.strokes.note_times import NotesLoosen
from expression.strokes.rules import AMOUNT, Amount, Rule, played
from expression.strokes.shapes import LaneShape
from expression.strokes.spec import ASK_ROLL, entry
from expression.take import Part, Take

Seconds = Annotated[float, Field(gt=0, le=60)]
LONG: Seconds = Field(LONG_SECONDS, description="Notes that last so long, in seconds, or longer.")
ASK_LONG = entry("seconds", "From (seconds)", 0.1)
Seed = Annotated[int, Field(ge=0, le=2**31 - 1)]
SEED: Seed = Field(1, description="Another seed is another roll of the dice.")


def level_lane(lane: str | None, name: str) -> None:
    """Whether a lane can carry how loud a note goes on. Raises ValueError."""
    if lane is not None and (lane.startswith("note") or lane == "bend"):
        raise ValueError(f"{name} must be a lane of a channel that goes with loudness, such as cc:11")


def loud_lane(part: Part) -> str:
    """The lane that carries how loud a part's notes go on: the first that it has, or expression."""
    return next((key for key in SWELLING if key in part.lanes), SWELLING[0])


LOUD, RISES, FALLS, PEAK_AT = 120.0, 36.0, 48.0, 0.4
"""Of a swell on a controller: its peak, and by how much it begins and ends below that."""


class RuleSwell(Rule, MadeOf):
    """Long notes live: they rise to a peak and fall away, on the lane that carries how loud a note goes on."""

    kind: Literal["rule.swell"] = "rule.swell"
    spec = played(
        "swell",
        "Long notes swell",
        "Long notes rise and fall away on expression, breath or what carries them",
        "messa di voce swell long held notes live breathe",
        "From 36 steps below its peak to 48 below, on the lane that the part has for it, or expression.",
        ASK_LONG,
    )
    amount: Amount = AMOUNT
    on: LaneKey | None = Field(
        None, description="The lane that carries how loud a note goes on; absent: as it has one."
    )
    seconds: Seconds = LONG

    @model_validator(mode="after")
    def _carries(self) -> Self:
        level_lane(self.on, "on")
        return self

    @override
    def made(self, take: Take) -> Iterator[BaseStroke]:
        by = self.amount
        if by >= 0:
            levels = {"start": LOUD - RISES * by, "end": LOUD - FALLS * by, "peak": LOUD}
        else:
            levels = {"start": LOUD, "end": LOUD, "peak": LOUD + RISES * by}
        form = {name: max(level, 0.0) for name, level in levels.items()} | {"peak_at": PEAK_AT, "ease": 0.5}
        for part, where in long_notes(take, self.where, self.seconds) if by else ():
            yield LaneShape.model_validate({"where": where, "lane": self.on or loud_lane(part), "notes": True, **form})


TREMBLES, TREMBLED = 6.0, 28.0
"""Cents of a vibrato where it begins, after half a beat without, and from the top of the swell on."""
SWINGS, SWUNG = 5.5, 6.5
"""Swings a second where it begins, and from the top of the swell on."""
DELAY_BEATS = 0.5


class RuleVibrato(Rule, MadeOf):
    """A vibrato that begins late, and grows deeper and faster to the top of the swell, on long notes of a line."""

    kind: Literal["rule.vibrato"] = "rule.vibrato"
    spec = played(
        "shake",
        "Late vibrato",
        "On long notes a vibrato that begins late and grows towards the top of the swell",
        "vibrato tremble singing late grows",
        "From 6 cents at 5.5 swings a second, after half a beat, to 28 at 6.5 at the swell's top, where one sounds.",
        ASK_LONG,
    )
    amount: Amount = AMOUNT
    seconds: Seconds = LONG

    @override
    def made(self, take: Take) -> Iterator[BaseStroke]:
        depth, end = TREMBLES * abs(self.amount), TREMBLED * abs(self.amount)
        told = {
            "rate": SWINGS,
            "rate_end": SWUNG,
            "depth": depth,
            "depth_end": end,
            "delay": DELAY_BEATS,
            "grown_at": PEAK_AT,
        }
        for _, where in bendable(take, self.where, self.seconds) if self.amount else ():
            yield BendShake.model_validate({"where": where, **told})


SLIDE_SEMITONES, SLIDE_BEATS = 0.5, 0.125
BOUND_SECONDS, SLID_SECONDS = 0.06, 0.2
"""Only what is bound to the note before and lasts long enough is slid into."""


class RuleSlides(Rule, MadeOf):
    """Slides into leaps, from where the line comes: on a line of single notes whose instrument bends."""

    kind: Literal["rule.slides"] = "rule.slides"
    spec = played(
        "scoop",
        "Slides into leaps",
        "Leaps of a bound line are slid into, from where it comes",
        "portamento slide scoop leap glide into",
        "Half a semitone short of its pitch, where it is bound to a note five semitones away or more.",
    )
    amount: Amount = AMOUNT

    @override
    def made(self, take: Take) -> Iterator[BaseStroke]:
        for number, ids, way in self._leaps(take) if self.amount else ():
            told = {"start": -way * SLIDE_SEMITONES * self.amount, "time": SLIDE_BEATS, "ease": 0.5}
            yield BendScoop.model_validate({"where": by_ids(number, self.where, ids), **told})

    def _leaps(self, take: Take) -> Iterator[tuple[int, list[int], int]]:
        """Of each part the notes (ids) to which a leap leads up (1), and those to which one leads down (-1)."""
        for part, where in bendable(take, self.where, SLID_SECONDS):
            line, notes = line_of(take, part.id), part.notes
            mask = where.notes_of(part)
            onset, pitch = notes.start[mask], notes.pitch[mask].astype(np.int64)
            row = np.searchsorted(line.onset, onset, side="right") - 1
            before = np.maximum(row - 1, 0)
            step = pitch - line.pitch[before]
            apart = take.tempo.seconds(onset) - take.tempo.seconds(np.minimum(line.end[before], onset))
            bound = (row > 0) & (apart <= BOUND_SECONDS) & (np.abs(step) >= LEAP)
            for way in (1, -1):
                ids: Ints = notes.id[mask][bound & (np.sign(step) == way)]
                if len(ids):
                    yield part.id, ids.tolist(), way


LOOSE_MS, LOOSE_DRIFT = 8.0, 0.6


class RuleLoose(Rule, MadeOf):
    """Looseness with a memory: most of it is a slow drift, as players have it (Gilden 1995), not white noise."""

    kind: Literal["rule.loose"] = "rule.loose"
    spec = played(
        "loosen",
        "Loose time",
        "Onsets a little off, most of it a slow drift",
        "humanise humanize drift timing random loose",
        "8 ms, three fifths of it slow.",
        ASK_ROLL,
    )
    amount: Amount = AMOUNT
    seed: Seed = SEED

    @override
    def made(self, take: Take) -> Iterator[BaseStroke]:
        if self.amount:
            told = {"amount_ms": LOOSE_MS * abs(self.amount), "drift": LOOSE_DRIFT, "seed": self.seed}
            yield NotesLoosen.model_validate({"where": self.where, **told})
