"""Two takes, or two points of a history, beside each other: measures, notes and lanes that differ."""

from collections.abc import Iterator
from typing import Literal

import numpy as np
from typing_extensions import TypedDict

from expression.alike import matched
from expression.arrays import Flags, Floats, runs
from expression.lanes import LANES
from expression.phrases import heard_rows
from expression.pitch import NOTE_NAMES
from expression.portrait import MEASURES, portraits
from expression.take import Part, Take, in_force

MOST_TOLD = 400
"""Notes; of more the first are told, and how many there are."""
LEAST_LATE, LEAST_LENGTH = 0.002, 0.02
"""Seconds, and share of a length: what differs by less is the same."""
LEAST_STEPS = 0.5


class MeasureView(TypedDict):
    """A measure of a part in both; null where one lacks it."""

    key: str
    name: str
    unit: str
    part: int
    one: float | None
    other: float | None


class NoteView(TypedDict):
    """A note that differs: where (a tick of the take that has it, the first where both do), its pitch, and how."""

    part: int
    tick: int
    pitch: int
    what: Literal["gone", "new", "other"]
    says: str


class LaneView(TypedDict):
    """A lane that differs: by how much at most, on the mean, and where it does."""

    part: int
    lane: str
    says: str
    most: float
    mean: float
    spans: list[tuple[int, int]]


class Comparison(TypedDict):
    """What differs, from the first of two takes to the second. `notes_in_all`: of those that are told the first."""

    measures: list[MeasureView]
    notes: list[NoteView]
    notes_in_all: int
    lanes: list[LaneView]


def comparison(one: Take, other: Take, by_ids: bool) -> Comparison:
    """All of it. `by_ids`: both are points of one history, so that notes are known by their ids; otherwise parts go by
    their order, and their notes by pitch in the order of time.
    """
    measures, notes, lanes = [], [], []
    for number in range(max(len(one.parts), len(other.parts))):
        mine, theirs = (take.parts[number] if number < len(take.parts) else None for take in (one, other))
        if mine is theirs:
            continue
        measures += _measures(one, other, number)
        notes += list(_notes(one, other, mine, theirs, by_ids))
        if mine and theirs:
            lanes += list(_lanes(one, other, mine, theirs))
    notes.sort(key=lambda note: (note["tick"], note["part"], note["pitch"]))
    return {"measures": measures, "notes": notes[:MOST_TOLD], "notes_in_all": len(notes), "lanes": lanes}


def _measures(one: Take, other: Take, number: int) -> list[MeasureView]:
    found = [portraits(take)[number] if number < len(take.parts) else {} for take in (one, other)]
    return [
        {
            "key": measure.key,
            "name": measure.name,
            "unit": measure.unit,
            "part": number,
            "one": found[0].get(measure.key),
            "other": found[1].get(measure.key),
        }
        for measure in MEASURES
        if found[0].get(measure.key) != found[1].get(measure.key)
    ]


def _notes(one: Take, other: Take, mine: Part | None, theirs: Part | None, by_ids: bool) -> Iterator[NoteView]:
    nothing = np.zeros(0, dtype=np.int64)
    here, there = matched(mine, theirs, by_ids) if mine and theirs else (nothing, nothing)
    for part, known, what in ((mine, here, "gone"), (theirs, there, "new")):
        if part is None:
            continue
        notes = part.notes
        for row in np.setdiff1d(heard_rows(part), known).tolist():
            pitch = int(notes.pitch[row])
            says = f"{NOTE_NAMES[pitch]}, struck by {int(notes.velocity[row])}"
            yield _note(part.id, int(notes.start[row]), pitch, "gone" if what == "gone" else "new", says)
    if mine is None or theirs is None or not len(here):
        return
    a, b = mine.notes, theirs.notes
    late = other.tempo.seconds(b.start[there]) - one.tempo.seconds(a.start[here])
    lasts = one.tempo.seconds(a.end[here]) - one.tempo.seconds(a.start[here])
    lasts_now = other.tempo.seconds(b.end[there]) - other.tempo.seconds(b.start[there])
    longer = lasts_now / np.maximum(lasts, 1e-6) - 1
    harder = b.velocity[there].astype(int) - a.velocity[here].astype(int)
    higher = b.pitch[there].astype(int) - a.pitch[here].astype(int)
    differs = (np.abs(late) > LEAST_LATE) | (np.abs(longer) > LEAST_LENGTH) | (harder != 0) | (higher != 0)
    for at in np.flatnonzero(differs).tolist():
        row = int(here[at])
        told = [f"by {int(a.velocity[row])}, then {int(b.velocity[there[at]])}"] if harder[at] else []
        if abs(late[at]) > LEAST_LATE:
            told.append(f"{abs(late[at]) * 1000:.0f} ms {'later' if late[at] > 0 else 'earlier'}")
        if abs(longer[at]) > LEAST_LENGTH:
            told.append(f"{abs(longer[at]):.0%} {'longer' if longer[at] > 0 else 'shorter'}")
        if higher[at]:
            told.append(f"now {NOTE_NAMES[int(b.pitch[there[at]])]}")
        pitch = int(a.pitch[row])
        yield _note(mine.id, int(a.start[row]), pitch, "other", f"{NOTE_NAMES[pitch]}: {', '.join(told)}")


def _note(part: int, tick: int, pitch: int, what: Literal["gone", "new", "other"], says: str) -> NoteView:
    return {"part": part, "tick": tick, "pitch": pitch, "what": what, "says": says}


POINTS = 4_000
MOST_SPANS = 50


def _lanes(one: Take, other: Take, mine: Part, theirs: Part) -> Iterator[LaneView]:
    """Lanes over the seconds that both last, at even times and at every node."""
    lasts = min(float(take.tempo.seconds(take.end)) for take in (one, other))
    for key in sorted(mine.lanes.keys() | theirs.lanes.keys()):
        curves = [part.lanes[key].curve if key in part.lanes else None for part in (mine, theirs)]
        if curves[0] is curves[1]:
            continue
        seconds = np.linspace(0, lasts, POINTS)
        for take, curve in zip((one, other), curves, strict=True):
            if curve is not None and len(curve):
                at = take.tempo.seconds(curve.ticks)
                seconds = np.concatenate((seconds, at[at <= lasts]))
        seconds = np.unique(seconds)
        values = [
            in_force(curve, key, np.round(take.tempo.tick(seconds) + 1e-6))
            for take, curve in zip((one, other), curves, strict=True)
        ]
        away = np.abs(values[1] - values[0])
        step = LEAST_STEPS * LANES[key].step
        if not (away > step).any():
            continue
        spans = _spans(one, seconds, away > step)
        worst = int(away.argmax())
        bar = one.meter.position(max(round(float(one.tempo.tick(seconds[worst]))), 0)).bar
        where = "second" if key not in mine.lanes else "first" if key not in theirs.lanes else ""
        there = f" only in the {where}" if where else ""
        yield {
            "part": mine.id,
            "lane": key,
            "says": f"{LANES[key].name}{there}: {float(away[worst]):.3g} apart at most, in bar {bar}",
            "most": round(float(away[worst]), 3),
            "mean": round(float(away.mean()), 3),
            "spans": spans,
        }


def _spans(take: Take, seconds: Floats, differs: Flags) -> list[tuple[int, int]]:
    ticks = np.round(take.tempo.tick(seconds)).astype(np.int64)
    last = len(ticks) - 1
    pairs = runs(np.flatnonzero(differs))[:MOST_SPANS]
    return [(int(ticks[a]), max(int(ticks[min(b + 1, last)]), int(ticks[a]) + 1)) for a, b in pairs]
