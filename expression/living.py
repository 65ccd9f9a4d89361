"""How notes live while they sound: swells, vibrato, scoops; each a mean shape and the one by which it varies most."""

from collections.abc import Sequence
from typing import Annotated, NamedTuple

import numpy as np
from pydantic import Field

from expression.arrays import Floats, Ints
from expression.lanes import BEND, NOTE_PITCH
from expression.percussion import CHANNEL
from expression.records import Record, Unit
from expression.take import Part, Take, in_force

LONG_SECONDS = 0.6
"""Notes that last so long live: they swell, and tremble."""
SHAPE = 17
"""Even times at which a curve is looked at."""
SWELLING = ("cc:11", "cc:2", "pressure", "cc:7", "cc:1")
"""Lanes that carry how loud a note goes on, the likeliest first."""
FEWEST_SHAPES, LEAST_SWELL = 4, 8.0

Shape = Annotated[tuple[Annotated[float, Field(ge=-4800, le=4800)], ...], Field(min_length=SHAPE, max_length=SHAPE)]


class Modes(Record):
    """Curves of one kind at `SHAPE` even times: their mean, and the one by which they differ most (first principal)."""

    mean: Shape
    curve: Shape
    spread: Annotated[float, Field(ge=0, le=1e4)] = Field(description="Standard deviation along that curve.")

    @classmethod
    def of(cls, shapes: Floats) -> "Modes":
        """From one row a curve, of four rows or more."""
        mean = shapes.mean(axis=0)
        _, size, curves = np.linalg.svd(shapes - mean, full_matrices=False)
        spread = round(float(size[0]) / float(np.sqrt(len(shapes))), 3)
        return cls(mean=_shape(mean), curve=_shape(curves[0]), spread=spread)

    def drawn(self, along: Floats) -> Floats:
        """One row a curve: so many deviations along the one by which they differ."""
        return np.asarray(np.array(self.mean) + self.spread * along[:, None] * np.array(self.curve))


def _shape(values: Floats) -> tuple[float, ...]:
    return tuple(np.round(values, 3).tolist())


class Swell(Modes):
    """How a lane goes over long notes, from their start to their end."""

    lane: str


class Vibrato(Record):
    """Of long notes that tremble. Numbers are medians: what to read; the shapes are what is given to others."""

    rate: Annotated[float, Field(gt=0, le=20)] = Field(description="Swings a second.")
    cents: Annotated[float, Field(ge=0, le=400)] = Field(description="To either side, where it has grown.")
    delay: Annotated[float, Field(ge=0, le=30)] = Field(description="Seconds before it begins.")
    share: Unit = Field(description="Of long notes, how many do.")
    depth: Modes = Field(description="Cents to either side, from a note's start to its end.")
    pace: Modes = Field(description="Swings a second, from a note's start to its end.")


class Scoop(Record):
    """Of notes that are come to from elsewhere. Numbers are medians: what to read; the shape is given to others."""

    semitones: Annotated[float, Field(ge=-24, le=24)] = Field(description="Away from the note where it begins.")
    seconds: Annotated[float, Field(gt=0, le=10)] = Field(description="Until it is there.")
    share: Unit = Field(description="Of all notes, how many are.")
    shape: Modes = Field(description="Semitones away, over the first 0.35 seconds.")


def long_rows(take: Take, part: Part, rows: Ints) -> Ints:
    """Rows of the notes that last."""
    notes = part.notes
    return rows[take.tempo.seconds(notes.end[rows]) - take.tempo.seconds(notes.start[rows]) >= LONG_SECONDS]


def swell_of(take: Take, part: Part, rows: Ints) -> Swell | None:
    """What the likeliest lane of loudness does over long notes; None where it does nothing."""
    notes, long = part.notes, long_rows(take, part, rows)
    for key in SWELLING:
        if key not in part.lanes or len(long) < FEWEST_SHAPES:
            continue
        curve = part.lanes[key].curve
        ticks = notes.start[long, None] + np.linspace(0, 1, SHAPE) * (notes.end[long] - 1 - notes.start[long])[:, None]
        shapes = in_force(curve, key, ticks.ravel()).reshape(ticks.shape)
        moves = np.ptp(shapes, axis=1) >= LEAST_SWELL
        if moves.sum() < max(FEWEST_SHAPES, len(long) / 4):
            continue
        return Swell(lane=key, **dict(Modes.of(shapes[moves])))
    return None


RATE_HZ = 200.0
TREMBLING = (3.5, 9.0)
LEAST_CENTS, LEAST_SCOOP, SCOOP_SECONDS = 4.0, 0.15, 0.35
FEWEST_BENT = 0.15
LONGEST_LOOKED_AT = 20.0
"""Seconds."""


class Trembling(NamedTuple):
    """One note's vibrato: swings a second, cents to either side, seconds before it begins, and both as they go on."""

    rate: float
    cents: float
    delay: float
    depth: Floats
    pace: Floats


class Come(NamedTuple):
    """How one note is come to: semitones away where it begins, seconds until it is there, and the way."""

    semitones: float
    seconds: float
    shape: Floats


def bends_of(take: Take, part: Part, rows: Ints) -> tuple[Vibrato | None, Scoop | None]:
    """What pitch does over notes: how long ones tremble, and how any are come to."""
    bent = BEND in part.lanes or NOTE_PITCH in part.curves
    if not bent or part.channel.number == CHANNEL or not len(rows):
        return None, None
    long = set(long_rows(take, part, rows).tolist())
    shaken: list[Trembling] = []
    scooped: list[Come] = []
    for row in rows.tolist():
        bend = _pitch_of(take, part, row)
        if row in long and (found := _vibrato(bend)):
            shaken.append(found)
        if come := _scoop(bend):
            scooped.append(come)
    vibrato = scoop = None
    if len(shaken) >= max(FEWEST_SHAPES, FEWEST_BENT * len(long)):
        rate, cents, delay = _medians([one[:3] for one in shaken])
        depth, pace = (Modes.of(np.array([one[column] for one in shaken])) for column in (3, 4))
        share = round(len(shaken) / len(long), 3)
        vibrato = Vibrato(rate=rate, cents=cents, delay=delay, share=share, depth=depth, pace=pace)
    if len(scooped) >= max(FEWEST_SHAPES, FEWEST_BENT * len(rows)):
        semitones, seconds = _medians([one[:2] for one in scooped])
        shape = Modes.of(np.array([one.shape for one in scooped]))
        scoop = Scoop(semitones=semitones, seconds=seconds, share=round(len(scooped) / len(rows), 3), shape=shape)
    return vibrato, scoop


def _medians(rows: Sequence[tuple[float, ...]]) -> list[float]:
    return list(np.median(np.array(rows), axis=0).round(3).tolist())


def _pitch_of(take: Take, part: Part, row: int) -> Floats:
    """How far a note is bent, its own curve and the wheel, `RATE_HZ` times a second."""
    notes = part.notes
    start = int(notes.start[row])
    first, last = (float(take.tempo.seconds(int(tick))) for tick in (start, notes.end[row]))
    ticks = np.asarray(take.tempo.tick(np.arange(first, min(last, first + LONGEST_LOOKED_AT), 1 / RATE_HZ)))
    bend = np.zeros(len(ticks))
    if BEND in part.lanes:
        bend += np.nan_to_num(part.lanes[BEND].curve.at(ticks))
    if NOTE_PITCH in part.curves:
        own = part.curves[NOTE_PITCH].curve(int(notes.id[row]))
        bend += np.nan_to_num(own.at(ticks - start)) if len(own) else 0.0
    return bend


def vibrato_of(take: Take, part: Part, row: int) -> tuple[float, float, float] | None:
    """How a note trembles: swings a second, cents to either side, seconds before it begins; None: it does not."""
    found = _vibrato(_pitch_of(take, part, row))
    return found[:3] if found else None


def _vibrato(bend: Floats) -> Trembling | None:
    if len(bend) < RATE_HZ / 2:
        return None
    # What is slower than three swings a second is no vibrato: a running mean of a third of a second is taken away.
    width = int(RATE_HZ / 3) | 1
    padded = np.pad(bend, width // 2, mode="edge")
    swings = bend - np.convolve(padded, np.ones(width) / width, mode="valid")
    strength = np.abs(np.fft.rfft(swings * np.hanning(len(swings)), 4 * len(swings)))
    rates = np.fft.rfftfreq(4 * len(swings), 1 / RATE_HZ)
    inside = (rates >= TREMBLING[0]) & (rates <= TREMBLING[1])
    at = int(np.argmax(np.where(inside, strength, 0)))
    # What moves mostly at another rate, or not at all, is no vibrato.
    if not inside[at] or strength[at] < strength.max() * 0.99 or strength[at] < 1e-9:
        return None
    rate = float(rates[at])
    steps = int(RATE_HZ / rate)
    ends = np.arange(steps, len(swings), 4)
    size = np.array([np.ptp(swings[max(end - steps, 0) : end + 1]) / 2 for end in ends.tolist()])
    cents = 100 * float(np.percentile(size, 90))
    if cents < LEAST_CENTS:
        return None
    # Where it has begun for good: what comes before, such as a scoop, is another thing.
    sure = len(size) // 2 + int(np.argmax(size[len(size) // 2 :]))
    still = np.flatnonzero(size[:sure] < cents / 200)
    begun = int(still[-1]) + 1 if len(still) else 0
    size[:begun] = 0
    times = np.linspace(0, len(bend) - 1, SHAPE)
    # A swing's size is that of its middle.
    depth = 100 * np.interp(times, ends - steps / 2, size)
    delay = begun * 4 / RATE_HZ
    return Trembling(rate, cents, delay, depth, _pace(swings, rate, round(delay * RATE_HZ), times))


def _pace(swings: Floats, rate: float, begins: int, times: Floats) -> Floats:
    """Swings a second as they go on: from each time that it passes the middle upwards to the next."""
    up = np.flatnonzero((swings[:-1] < 0) & (swings[1:] >= 0))
    up = up[up >= begins]
    if len(up) < 3:
        return np.full(SHAPE, rate)
    # Between two samples, where it passes.
    passes = up - swings[up] / (swings[up + 1] - swings[up])
    paces = np.clip(RATE_HZ / np.maximum(np.diff(passes), 1), *TREMBLING)
    return np.interp(times, (passes[:-1] + passes[1:]) / 2, paces)


def _scoop(bend: Floats) -> Come | None:
    if len(bend) < RATE_HZ * 0.1 or abs(bend[0]) < LEAST_SCOOP:
        return None
    early = bend[: int(SCOOP_SECONDS * RATE_HZ)]
    there = np.flatnonzero(np.abs(early) < LEAST_SCOOP / 3)
    if not len(there):
        return None
    way = np.append(early[: there[0]], 0.0)
    shape = np.interp(np.linspace(0, SCOOP_SECONDS * RATE_HZ, SHAPE), np.arange(len(way)), way)
    return Come(float(bend[0]), max(float(there[0]) / RATE_HZ, 0.01), shape)
