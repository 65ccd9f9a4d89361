"""A hand: how somebody plays, measured from a part, as a record that can be read, kept and given on.

Force, time and length of notes are each a sum of what goes with their place (`FEATURES`), fitted by ridge regression
(A. Hoerl, R. Kennard, 1970), and of what remains: its spread, and its memory from note to note.
"""

from collections.abc import Iterator
from typing import Annotated, Literal, NamedTuple, Self

import numpy as np
from pydantic import Field, model_validator

from expression.arrays import Floats, Ints
from expression.errors import NothingMatched
from expression.lanes import BEND
from expression.percussion import CHANNEL
from expression.phrases import LEAP, Line, heard_rows, line_of, metre_levels, onsets_of, phrases_of
from expression.records import Record, Unit
from expression.take import Part, Take

FEWEST_NOTES = 24
"""Fewer say nothing about a hand."""
MOST_NOTES = 2_000
"""Of a longer part so many are kept one by one, for who plays the same music."""
MOST_CURVES = 300
"""Of a lane: notes whose curve is kept."""
RIDGE = 0.05
"""How much a weight has to be worth, as a share of what each note says."""
LONG_SECONDS = 0.6
"""Notes that last so long live: they swell, and tremble."""
SHAPE = 17
"""Even times from the start of a note to its end at which a curve is looked at."""
SWELLING = ("cc:11", "cc:2", "pressure", "cc:7", "cc:1")
"""Lanes that carry how loud a note goes on, the likeliest first."""
FEWEST_SHAPES, LEAST_SWELL = 4, 8.0

Number = Annotated[float, Field(ge=-1e6, le=1e6)]
Shape = Annotated[tuple[Annotated[float, Field(ge=-127, le=127)], ...], Field(min_length=SHAPE, max_length=SHAPE)]


class Weights(Record):
    """What is worth how much. What a note's place says is a number of about the size of 1, or 0 (see `features`)."""

    bar: Number = 0.0
    half_bar: Number = 0.0
    beat: Number = 0.0
    half_beat: Number = 0.0
    phrase: Number = 0.0
    phrase_bow: Number = 0.0
    phrase_begins: Number = 0.0
    phrase_ends: Number = 0.0
    group: Number = 0.0
    group_bow: Number = 0.0
    height: Number = 0.0
    top: Number = 0.0
    inner: Number = 0.0
    step: Number = 0.0
    leap: Number = 0.0
    again: Number = 0.0
    longer: Number = 0.0


FEATURES = tuple(Weights.model_fields)


class Sum(Record):
    """What goes with a note's place, and what remains."""

    weights: Weights
    spread: Annotated[float, Field(ge=0, le=1e4)] = Field(description="Standard deviation of what remains.")
    memory: Unit = Field(description="How much of what remains goes on from note to note.")


class Swell(Record):
    """How a lane goes over long notes: its mean, and the one curve by which they differ most (first principal)."""

    lane: str
    mean: Shape
    curve: Shape
    spread: Annotated[float, Field(ge=0, le=1e3)] = Field(description="Standard deviation along that curve.")


class Vibrato(Record):
    """Of long notes that tremble: swings a second, cents where it has grown, seconds before it begins."""

    rate: Annotated[float, Field(gt=0, le=20)]
    cents: Annotated[float, Field(ge=0, le=400)]
    delay: Annotated[float, Field(ge=0, le=30)]
    share: Unit = Field(description="Of long notes, how many do.")


class Scoop(Record):
    """Of notes that are come to from elsewhere: semitones away at the start, seconds until they are there."""

    semitones: Annotated[float, Field(ge=-24, le=24)]
    seconds: Annotated[float, Field(gt=0, le=10)]
    share: Unit = Field(description="Of all notes, how many are.")


class Carried(Record):
    """What a lane does over some of the notes: which they are, counted in their order, and the shape of each."""

    lane: str
    of: Annotated[tuple[Annotated[int, Field(ge=0, lt=MOST_NOTES)], ...], Field(max_length=MOST_CURVES)]
    shapes: Annotated[tuple[Shape, ...], Field(max_length=MOST_CURVES)]

    @model_validator(mode="after")
    def _of_each(self) -> Self:
        if len(self.of) != len(self.shapes):
            raise ValueError("of and shapes must say something of each note")
        return self


Column = Annotated[tuple[Number, ...], Field(max_length=MOST_NOTES)]


class Played(Record):
    """The notes one by one in their order, for who plays the same music: pitch, force, milliseconds late, log2 of how
    long they were held against what is written.
    """

    pitch: Annotated[tuple[Annotated[int, Field(ge=0, le=127)], ...], Field(max_length=MOST_NOTES)]
    force: Column
    late: Column
    held: Column
    curves: Annotated[tuple[Carried, ...], Field(max_length=8)] = ()

    @model_validator(mode="after")
    def _of_the_same_notes(self) -> Self:
        if len({len(self.pitch), len(self.force), len(self.late), len(self.held)}) > 1:
            raise ValueError("pitch, force, late and held must say something of each note")
        return self


class Hand(Record):
    """How somebody plays."""

    lull_hand: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=80)]
    notes: Annotated[int, Field(ge=FEWEST_NOTES, le=10_000_000)] = Field(description="From so many it was measured.")
    force: Sum = Field(description="Steps of velocity.")
    time: Sum | None = Field(None, description="Milliseconds late; none where no grid was played to.")
    length: Sum = Field(description="log2 of how long a note is held against what is written.")
    swell: Swell | None = None
    vibrato: Vibrato | None = None
    scoop: Scoop | None = None
    played: Played
    lacks: tuple[Annotated[str, Field(max_length=200)], ...] = Field(
        (), description="What could not be measured, and why."
    )


class Notes(NamedTuple):
    """The heard music of a part in the order of time: rows of its notes, and what is measured of each."""

    rows: Ints
    pitch: Ints
    force: Floats
    late: Floats | None
    """Milliseconds after the written onset; none where there is no grid."""
    held: Floats
    """log2 of the length against what is written."""


def features(take: Take, part: Part, rows: Ints) -> Floats:
    """What the place of each note says: one row a note, one column for each of `FEATURES`."""
    notes, line = part.notes, line_of(take, part.id)
    onsets = onsets_of(take, part.id)[rows]
    pitch = notes.pitch[rows].astype(np.float64)
    found = phrases_of(take, part.id)
    phrase, in_phrase = _share(line, onsets, found.phrases)
    group, _ = _share(line, onsets, found.groups)
    row = np.clip(np.searchsorted(line.onset, onsets, side="right") - 1, 0, len(line.onset) - 1)
    step = np.where(row > 0, pitch - line.pitch[np.maximum(row - 1, 0)], 0.0)
    is_drum = part.channel.number == CHANNEL
    if is_drum:
        pitch, step = np.zeros(len(rows)), np.zeros(len(rows))
    _, chord, sizes = np.unique(onsets, return_inverse=True, return_counts=True)
    size = sizes[chord]
    is_top = pitch == line.pitch[row]
    following = np.append(line.begins, line.ends[-1:])[row + 1]
    longer = np.log2(np.maximum(following - line.begins[row], 1) / take.resolution)
    columns = (
        *metre_levels(take, line.begins[row]),
        phrase, phrase * (1 - phrase) * 4, in_phrase == 0, in_phrase == 1,
        group, group * (1 - group) * 4,
        (pitch - pitch.mean()) / 12,
        is_top & (size > 1) & (not is_drum), ~is_top & (size > 1),
        np.clip(step / 12, -1, 1), np.abs(step) >= LEAP, (step == 0) & (row > 0),
        np.clip(longer, -4, 4),
    )  # fmt: skip
    return np.stack([np.asarray(column, dtype=np.float64) for column in columns], axis=1)


def _share(line: Line, onsets: Ints, begins: Ints) -> tuple[Floats, Floats]:
    """Where each lies in its phrase, from 0 to 1; and -1, but 0 for its first onset and 1 for its last."""
    level = np.maximum(np.searchsorted(begins, onsets, side="right") - 1, 0)
    first = begins[level]
    count = np.bincount(np.maximum(np.searchsorted(begins, line.onset, side="right") - 1, 0), minlength=len(begins))
    last = line.onset[np.cumsum(count) - 1][level]
    share = np.clip((onsets - first) / np.maximum(last - first, 1), 0, 1)
    return share, np.where(onsets == first, 0.0, np.where(onsets == last, 1.0, -1.0))


def heard_of(take: Take, part: Part) -> Notes:
    """The heard music of a part, and what was played of each note."""
    notes = part.notes
    rows = heard_rows(part)
    start, end = notes.start[rows], notes.end[rows]
    written = np.where(notes.page_start[rows] >= 0, notes.page_start[rows], start)
    lasts = np.where(notes.page_start[rows] >= 0, notes.page_end[rows], end) - written
    is_told = bool((written != start).any())
    grid = written if is_told else _on_grid(start, take.resolution)
    late = None if grid is None else 1000 * (take.tempo.seconds(start) - take.tempo.seconds(grid))
    if not is_told:
        # What is written is not known: a note is held against the time until the next of its line begins.
        line = line_of(take, part.id)
        row = np.searchsorted(line.onset, onsets_of(take, part.id)[rows], side="right")
        lasts = np.append(line.onset, end.max(initial=1))[np.minimum(row, len(line.onset))] - start
    held = np.log2(np.maximum(end - start, 1) / np.maximum(lasts, 1))
    return Notes(rows, notes.pitch[rows].astype(np.int64), notes.velocity[rows].astype(np.float64), late,
                 np.clip(held, -6, 6))  # fmt: skip


GRIDS = (4, 3, 6, 8)
"""Steps a quarter."""
LEAST_CONCENTRATION = 0.6
"""Of deviations on a circle of one step: beneath that nobody played to this grid."""


def _on_grid(start: Ints, resolution: int) -> Ints | None:
    """The nearest lines of the coarsest grid that was played to; none where none was."""
    for steps in GRIDS if len(start) else ():
        step = resolution / steps
        turn = np.exp(2j * np.pi * (start / step))
        if abs(turn.mean()) >= LEAST_CONCENTRATION:
            return np.asarray(np.floor(start / step + 0.5) * step).astype(np.int64)
    return None


def fitted(found: Floats, wanted: Floats) -> Sum:
    """The weights with which features come nearest to what was played, and what remains."""
    centred, level = found - found.mean(axis=0), wanted - wanted.mean()
    spread = centred.std(axis=0)
    told = spread > 1e-9
    scaled = centred[:, told] / spread[told]
    weighed = scaled.T @ scaled + RIDGE * len(scaled) * np.eye(scaled.shape[1])
    solved = np.linalg.solve(weighed, scaled.T @ level)
    rest = level - scaled @ solved
    memory = 0.0
    if len(rest) > 2 and rest.std() > 1e-9:
        memory = float(np.clip(np.corrcoef(rest[:-1], rest[1:])[0, 1], 0, 0.95))
    weights = np.zeros(len(FEATURES))
    weights[told] = solved / spread[told]
    by_name = {name: round(float(one), 4) for name, one in zip(FEATURES, weights, strict=True)}
    return Sum(weights=Weights(**by_name), spread=round(float(rest.std()), 4), memory=round(memory, 3))


def predicted(told: Sum, found: Floats) -> Floats:
    """What a sum says of notes by their features, about 0."""
    weights = np.array([getattr(told.weights, name) for name in FEATURES])
    made = found @ weights
    return np.asarray(made - made.mean()) if len(made) else made


def measure(take: Take, part: Part, name: str) -> Hand:
    """The hand of who played a part. Raises NothingMatched where it says too little, with what it lacks."""
    heard = heard_of(take, part)
    if len(heard.rows) < FEWEST_NOTES:
        raise NothingMatched(f"A hand needs {FEWEST_NOTES} notes at least; this part has {len(heard.rows)}.")
    place = features(take, part, heard.rows)
    lacks = []
    if float(heard.force.std()) < 0.5:
        lacks.append("All notes are struck alike: it says nothing of force.")
    if heard.late is None:
        lacks.append("It was not played to the grid of its bars: it says nothing of time.")
    shapes, vibrato, scoop = _swell(take, part, heard.rows), *_bends(take, part, heard.rows)
    if shapes is None:
        lacks.append("No lane swells over its long notes.")
    if vibrato is None:
        lacks.append("Its long notes do not tremble.")
    few = slice(0, MOST_NOTES)
    late = np.zeros(len(heard.rows)) if heard.late is None else heard.late
    return Hand(
        name=name,
        notes=len(heard.rows),
        force=fitted(place, heard.force),
        time=None if heard.late is None else fitted(place, np.clip(heard.late, -250, 250)),
        length=fitted(place, heard.held),
        swell=shapes,
        vibrato=vibrato,
        scoop=scoop,
        played=Played(
            pitch=tuple(heard.pitch[few].tolist()),
            force=tuple(heard.force[few].tolist()),
            late=tuple(np.round(late[few], 1).tolist()),
            held=tuple(np.round(heard.held[few], 3).tolist()),
            curves=tuple(_carried(take, part, heard.rows[few])),
        ),
        lacks=tuple(lacks),
    )


def long_rows(take: Take, part: Part, rows: Ints) -> Ints:
    """Rows of the notes that last."""
    notes = part.notes
    return rows[take.tempo.seconds(notes.end[rows]) - take.tempo.seconds(notes.start[rows]) >= LONG_SECONDS]


def _sampled(take: Take, part: Part, key: str, rows: Ints) -> Floats:
    """A lane at even times over notes: one row a note; where it says nothing yet, its first value."""
    notes, curve = part.notes, part.lanes[key].curve
    share = np.linspace(0, 1, SHAPE)
    ticks = notes.start[rows, None] + share * (notes.end[rows] - 1 - notes.start[rows])[:, None]
    return np.asarray(curve.at(np.maximum(ticks, curve.ticks[0]).ravel()).reshape(len(rows), SHAPE))


def _swell(take: Take, part: Part, rows: Ints) -> Swell | None:
    long = long_rows(take, part, rows)
    for key in SWELLING:
        if key not in part.lanes or len(long) < FEWEST_SHAPES:
            continue
        shapes = _sampled(take, part, key, long)
        moves = np.ptp(shapes, axis=1) >= LEAST_SWELL
        if moves.sum() < max(FEWEST_SHAPES, len(long) / 4):
            continue
        mean = shapes[moves].mean(axis=0)
        _, size, curves = np.linalg.svd(shapes[moves] - mean, full_matrices=False)
        spread = float(size[0]) / max(np.sqrt(moves.sum()), 1)
        return Swell(lane=key, mean=_shape(mean), curve=_shape(curves[0]), spread=round(spread, 3))
    return None


def _carried(take: Take, part: Part, rows: Ints) -> Iterator[Carried]:
    """Of each lane of loudness the curves over notes that last and on which it moves."""
    lasting = np.flatnonzero(np.isin(rows, long_rows(take, part, rows)))
    for key in SWELLING:
        if key not in part.lanes or not len(lasting):
            continue
        shapes = _sampled(take, part, key, rows[lasting])
        moving = np.flatnonzero(np.ptp(shapes, axis=1) >= LEAST_SWELL)[:MOST_CURVES]
        if len(moving):
            yield Carried(
                lane=key, of=tuple(lasting[moving].tolist()), shapes=tuple(_shape(shapes[at]) for at in moving)
            )


def _shape(values: Floats) -> tuple[float, ...]:
    return tuple(np.round(values, 3).tolist())


RATE_HZ = 200.0
TREMBLING = (3.5, 9.0)
LEAST_CENTS, LEAST_SCOOP, SCOOP_SECONDS = 4.0, 0.15, 0.35
FEWEST_BENT = 0.15


def _bends(take: Take, part: Part, rows: Ints) -> tuple[Vibrato | None, Scoop | None]:
    """What the wheel does over notes of a line: how long ones tremble, and how any are come to."""
    if BEND not in part.lanes or part.channel.number == CHANNEL or not len(rows):
        return None, None
    long = set(long_rows(take, part, rows).tolist())
    shaken, scooped = [], []
    for row in rows.tolist():
        bend = _bend_of(take, part, row)
        if row in long and (found := _vibrato(bend)):
            shaken.append(found)
        if found_ := _scoop(bend):
            scooped.append(found_)
    vibrato = scoop = None
    if len(shaken) >= max(FEWEST_SHAPES, FEWEST_BENT * len(long)):
        rate, cents, delay = np.median(np.array(shaken), axis=0).round(3).tolist()
        vibrato = Vibrato(rate=rate, cents=cents, delay=delay, share=round(len(shaken) / len(long), 3))
    if len(scooped) >= max(FEWEST_SHAPES, FEWEST_BENT * len(rows)):
        semitones, seconds = np.median(np.array(scooped), axis=0).round(3).tolist()
        scoop = Scoop(semitones=semitones, seconds=seconds, share=round(len(scooped) / len(rows), 3))
    return vibrato, scoop


def _bend_of(take: Take, part: Part, row: int) -> Floats:
    """The bend of a note, `RATE_HZ` times a second."""
    notes, curve = part.notes, part.lanes[BEND].curve
    first, last = (float(take.tempo.seconds(int(tick))) for tick in (notes.start[row], notes.end[row]))
    ticks = take.tempo.tick(np.arange(first, min(last, first + 20), 1 / RATE_HZ))
    return np.nan_to_num(curve.at(np.asarray(ticks)))


def vibrato_of(take: Take, part: Part, row: int) -> tuple[float, float, float] | None:
    """How a note trembles: swings a second, cents to either side, seconds before it begins; None: it does not."""
    return _vibrato(_bend_of(take, part, row))


def _vibrato(bend: Floats) -> tuple[float, float, float] | None:
    """Swings a second, cents to either side, and seconds before it begins."""
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
    steps = int(RATE_HZ / rates[at])
    size = np.array([np.ptp(swings[max(at_ - steps, 0) : at_ + 1]) / 2 for at_ in range(steps, len(swings), 4)])
    cents = 100 * float(np.percentile(size, 90))
    if cents < LEAST_CENTS:
        return None
    # Where it has begun for good: what comes before, such as a scoop, is another thing.
    sure = len(size) // 2 + int(np.argmax(size[len(size) // 2 :]))
    still = np.flatnonzero(size[:sure] < cents / 200)
    begins = float(still[-1] + 1) * 4 / RATE_HZ if len(still) else 0.0
    return float(rates[at]), cents, begins


def _scoop(bend: Floats) -> tuple[float, float] | None:
    """Semitones away where it begins, and seconds until it is there."""
    if len(bend) < RATE_HZ * 0.1 or abs(bend[0]) < LEAST_SCOOP:
        return None
    early = bend[: int(SCOOP_SECONDS * RATE_HZ)]
    there = np.flatnonzero(np.abs(early) < LEAST_SCOOP / 3)
    return (float(bend[0]), max(float(there[0]) / RATE_HZ, 0.01)) if len(there) else None
