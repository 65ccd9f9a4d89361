"""What the rules of performance did to one note: the sum, rule by rule."""

from collections.abc import Iterator

import numpy as np
from typing_extensions import TypedDict

from expression.errors import NothingMatched
from expression.history import Shaped
from expression.memo import worked_out
from expression.strokes.base import BaseStroke
from expression.take import Take


class Reason(TypedDict):
    """What one rule did to a note: steps of velocity, milliseconds later that it begins and that it ends; `moves`: it
    gives it something that goes on while it sounds, which has no one number.
    """

    rule: str
    velocity: int
    begins_ms: float
    ends_ms: float
    moves: bool


def reasons(shaped: Shaped, note: int) -> list[Reason]:
    """What each rule of the history did to the note with that id, in the order in which they act."""
    found: list[Reason] = []
    for entry, met in zip(shaped.entries, shaped.folds[:-1], strict=True):
        if entry.on and entry.number not in shaped.now.idle and entry.stroke.spec.family == "play":
            found += _of(met.take, entry.stroke, note)
    return [one for one in found if one["moves"] or one["velocity"] or one["begins_ms"] or one["ends_ms"]]


def _of(take: Take, stroke: BaseStroke, note: int) -> Iterator[Reason]:
    for rule, made in _steps(take, stroke):
        yield _between(take, made, rule, note)
        take = made


@worked_out(2)
def _steps(take: Take, stroke: BaseStroke) -> tuple[tuple[str, Take], ...]:
    """What a stroke comes to, each with the take that it leaves: kept while a pointer goes from note to note."""
    found: list[tuple[str, Take]] = []
    made = take
    for one in stroke.pieces(take) or [stroke]:
        try:
            made = one.apply(made)
        except NothingMatched:
            continue
        found.append((one.spec.name, made))
    return tuple(found)


def _between(was: Take, now: Take, rule: str, note: int) -> Reason:
    old, new = _note(was, note), _note(now, note)
    same = Reason(rule=rule, velocity=0, begins_ms=0.0, ends_ms=0.0, moves=False)
    if old is None or new is None:
        return same
    (part, one), (_, other) = old, new
    mine, theirs = was.parts[part].notes, now.parts[part].notes
    late = (
        1000 * (float(now.tempo.seconds(int(after[other]))) - float(was.tempo.seconds(int(before[one]))))
        for before, after in ((mine.start, theirs.start), (mine.end, theirs.end))
    )
    begins, ends = (round(one, 1) for one in late)
    velocity = int(theirs.velocity[other]) - int(mine.velocity[one])
    return {**same, "velocity": velocity, "begins_ms": begins, "ends_ms": ends, "moves": _moves(was, now, part, one)}


def _note(take: Take, note: int) -> tuple[int, int] | None:
    """The part and the row of a note."""
    for part in take.parts:
        rows = np.flatnonzero(part.notes.id == note)
        if len(rows):
            return part.id, int(rows[0])
    return None


def _moves(was: Take, now: Take, part: int, row: int) -> bool:
    """Whether any lane of the part goes otherwise while the note sounds."""
    old, new = was.parts[part].lanes, now.parts[part].lanes
    notes = now.parts[part].notes
    ticks = np.linspace(int(notes.start[row]), int(notes.end[row]) - 1, 33).astype(np.int64)
    for key in new.keys() | old.keys():
        mine, theirs = old.get(key), new.get(key)
        if mine is theirs:
            continue
        if mine is None or theirs is None:
            return True
        if not np.array_equal(mine.curve.at(ticks), theirs.curve.at(ticks), equal_nan=True):
            return True
    return False
