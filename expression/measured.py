"""A hand: how somebody plays, measured from a part, as a record that can be read, kept and given on.

Force, time and length of notes are each a sum of what goes with their place (`FEATURES`), fitted by ridge regression
(A. Hoerl, R. Kennard, 1970), and of what remains: its spread, and its memory from note to note.
"""

from typing import Annotated, Any, Literal, NamedTuple, Self

import numpy as np
from pydantic import Field, model_validator

from expression.arrays import Floats, Ints
from expression.carried import MOST_NOTES, Carried, carried_of
from expression.errors import NothingMatched
from expression.living import SCOOP_SECONDS, SHAPE, Scoop, Swell, Vibrato, bends_of, swell_of
from expression.percussion import CHANNEL
from expression.phrases import LEAP, Line, heard_rows, line_of, metre_levels, onsets_of, phrases_of
from expression.records import Record, Unit
from expression.take import Part, Take

FEWEST_NOTES = 24
"""Fewer say nothing about a hand."""
RIDGE = 0.05
"""How much a weight has to be worth, as a share of what each note says."""

Number = Annotated[float, Field(ge=-1e6, le=1e6)]


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


Column = Annotated[tuple[Number, ...], Field(max_length=MOST_NOTES)]


class Played(Record):
    """The notes one by one in their order, for who plays the same music: pitch, force, milliseconds late, log2 of how
    long they were held against what is written.
    """

    pitch: Annotated[tuple[Annotated[int, Field(ge=0, le=127)], ...], Field(max_length=MOST_NOTES)]
    force: Column
    late: Column
    held: Column
    curves: Annotated[tuple[Carried, ...], Field(max_length=16)] = ()

    @model_validator(mode="after")
    def _of_the_same_notes(self) -> Self:
        if len({len(self.pitch), len(self.force), len(self.late), len(self.held)}) > 1:
            raise ValueError("pitch, force, late and held must say something of each note")
        return self


class Hand(Record):
    """How somebody plays."""

    lull_hand: Literal[2] = 2
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

    @model_validator(mode="before")
    @classmethod
    def _of_before(cls, told: Any) -> Any:
        """As the first form of the record said it: without shapes of vibrato and scoops."""
        if not isinstance(told, dict) or told.get("lull_hand") != 1:
            return told
        now = {**told, "lull_hand": 2}
        if isinstance(vibrato := told.get("vibrato"), dict):
            begins = float(vibrato.get("delay", 0)) / FORMERLY_SECONDS
            depth = np.where(np.linspace(0, 1, SHAPE) >= begins, float(vibrato.get("cents", 0)), 0.0)
            pace = np.full(SHAPE, float(vibrato.get("rate", 0)))
            now["vibrato"] = {**vibrato, "depth": _alike(depth), "pace": _alike(pace)}
        if isinstance(scoop := told.get("scoop"), dict):
            passed = np.linspace(0, SCOOP_SECONDS, SHAPE) / max(float(scoop.get("seconds", 0)), 0.01)
            now["scoop"] = {**scoop, "shape": _alike(float(scoop.get("semitones", 0)) * np.maximum(1 - passed, 0))}
        if isinstance(played := told.get("played"), dict):
            curves = [{**one, "curves": one["shapes"]} for one in played.get("curves", ())]
            now["played"] = {**played, "curves": [{k: v for k, v in one.items() if k != "shapes"} for one in curves]}
        return now


FORMERLY_SECONDS = 1.5
"""A long note, of which only the seconds before its vibrato were known."""


def _alike(shape: Floats) -> dict[str, Any]:
    """Curves that do not differ."""
    return {"mean": tuple(shape.round(3).tolist()), "curve": (0.0,) * SHAPE, "spread": 0.0}


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
    shapes, vibrato, scoop = swell_of(take, part, heard.rows), *bends_of(take, part, heard.rows)
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
            curves=tuple(carried_of(take, part, heard.rows[few])),
        ),
        lacks=tuple(lacks),
    )
