"""What lanes and notes' own curves do over each note of a part, for who plays the same music."""

from collections.abc import Iterator
from typing import Annotated, Self

import numpy as np
from pydantic import Field, model_validator

from expression.arrays import Floats, Ints, ranges
from expression.lanes import BEND, NOTE_LANES, is_pitch
from expression.living import LEAST_SWELL, SWELLING
from expression.records import Record
from expression.take import Part, Take, in_force

MOST_NOTES = 2_000
"""Of a longer part so many are kept one by one, for who plays the same music."""
MOST_SAMPLES, MOST_EACH = 24_000, 256
"""Of all curves of a lane, and of one."""
PITCH_HZ, LEVEL_HZ = 64.0, 16.0
"""Samples a second of pitch, which trembles, and of what goes slower."""
LEAST_BEND = 0.03
"""Semitones: what moves no farther stays."""
DARK = "cc:74"

Curve = Annotated[
    tuple[Annotated[float, Field(ge=-4800, le=4800)], ...], Field(min_length=1, max_length=MOST_EACH)
]  # fmt: skip


class Carried(Record):
    """What a lane does over notes: which they are, counted in their order, and the curve of each, at even times from
    its start to its end; of what does not move one value.
    """

    lane: str
    of: Annotated[tuple[Annotated[int, Field(ge=0, lt=MOST_NOTES)], ...], Field(max_length=MOST_NOTES)]
    curves: Annotated[tuple[Curve, ...], Field(max_length=MOST_NOTES)]

    @model_validator(mode="after")
    def _of_each(self) -> Self:
        if len(self.of) != len(self.curves):
            raise ValueError("of and curves must say something of each note")
        if self.lane not in (*SWELLING, BEND, DARK) and self.lane not in NOTE_LANES:
            raise ValueError(f"lane must be one that a hand can have, not {self.lane[:40]!r}")
        return self


def least(lane: str) -> float:
    """What moves by less stays."""
    return LEAST_BEND if is_pitch(lane) else LEAST_SWELL / 4


def carried_of(take: Take, part: Part, rows: Ints) -> Iterator[Carried]:
    """Of each lane that says how a note goes on, and of each kind of own curves, what it does over notes (rows)."""
    lanes = [key for key in (BEND, *SWELLING, DARK) if key in part.lanes and len(part.lanes[key].curve)]
    for key in (*lanes, *sorted(key for key in part.curves if key in NOTE_LANES)):
        counts = _samples(take, part, rows, PITCH_HZ if is_pitch(key) else LEVEL_HZ)
        values = _sampled(part, key, rows, counts)
        if not len(values) or np.nanmax(values, initial=0) - np.nanmin(values, initial=0) < least(key):
            continue
        pieces = np.split(values, np.cumsum(counts)[:-1])
        said = [(at, _told(piece, key)) for at, piece in enumerate(pieces) if not np.isnan(piece).any()]
        yield Carried(lane=key, of=tuple(at for at, _ in said), curves=tuple(curve for _, curve in said))


def _told(values: Floats, key: str) -> tuple[float, ...]:
    rounded = np.round(values, 3 if is_pitch(key) else 1)
    return tuple(rounded.tolist() if np.ptp(rounded) >= least(key) else rounded[:1].tolist())


def _samples(take: Take, part: Part, rows: Ints, rate: float) -> Ints:
    """How often each note is looked at: by how long it lasts; all of them no more often than is kept."""
    lasts = take.tempo.seconds(part.notes.end[rows]) - take.tempo.seconds(part.notes.start[rows])
    rate *= min(1.0, MOST_SAMPLES / max(float(lasts.sum()) * rate + 3 * len(rows), 1.0))
    return np.clip(np.ceil(lasts * rate).astype(np.int64) + 1, 3, MOST_EACH)


def _sampled(part: Part, key: str, rows: Ints, counts: Ints) -> Floats:
    """A lane, or curves of notes, at even times over notes, one after another."""
    notes = part.notes
    step, note = ranges(np.zeros(len(rows), dtype=np.int64), counts)
    since = np.round(step / (counts[note] - 1) * (notes.end[rows] - 1 - notes.start[rows])[note]).astype(np.int64)
    if key in part.curves:
        return part.curves[key].at(notes.id[rows][note], since)
    return in_force(part.lanes[key].curve, key, notes.start[rows][note] + since)
