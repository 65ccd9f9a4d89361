"""The history as the desk lists it, and where each stroke shows on the page."""

from weakref import WeakKeyDictionary

import numpy as np
from typing_extensions import TypedDict

from expression.curve import form
from expression.errors import NothingMatched
from expression.history import Entry, Folded, Shaped
from expression.strokes import AnyStroke, Stroke, select
from expression.strokes.grips import Grip
from expression.take import Take

NO_EFFECT = "It changes nothing here."
MOST_THREADS = 2000
STEPS = 12
"""Into which the way of a voice is cut where it is drawn."""


class Threads(TypedDict):
    """Voices of chord into chord, in columns: the notes (ids) they go from and to, and their pitches; ticks when they
    leave, when they are there, and when the notes that they go to were struck; their lift, and which of `ways` each
    goes: shares of its rise at even times.
    """

    one: list[int]
    other: list[int]
    leaves: list[int]
    arrives: list[int]
    pitch: list[int]
    reached: list[int]
    struck: list[int]
    lift: list[float]
    way: list[int]
    ways: list[list[float]]


class Mark(TypedDict):
    """Where a stroke shows on the page; `start` and `end` are ticks, its line is (tick, value).

    `sign` stands for it among the marks: `<` and `>` for a hairpin, otherwise words. `threads`: the voices of chord
    into chord.
    """

    label: str
    sign: str
    place: str
    start: int
    end: int
    line: list[tuple[int, float]]
    grips: list[Grip]
    parts: list[int]
    count: int
    threads: Threads | None


class DialView(TypedDict):
    """An amount of a stroke: its field, what it is called, how much there is of it, and how much is usual."""

    field: str
    name: str
    amount: float
    usual: float


class StrokeView(TypedDict):
    """A stroke of the history; `step`: how many steps had been made when it became as it stands.

    `dials`: the amounts that it is put together from, where it opens into several.
    """

    number: int
    on: bool
    step: int
    stroke: Stroke
    idle: str | None
    mark: Mark
    dials: list[DialView]


class UndoneView(TypedDict):
    """A step that redo would make again."""

    label: str
    step: int


class Strokes(TypedDict):
    """The strokes with their marks, and how many steps can be undone and redone."""

    strokes: list[StrokeView]
    undone: list[UndoneView]
    can_undo: int
    can_redo: int


class StrokesChange(TypedDict):
    """What one change of the history has made of it: as much as it changed, however long the history is.

    `changed` are strokes that have come or stand otherwise, `gone` the numbers of those that have gone. Of the steps
    that could be made again, the last `still_undone` still can, and `undone` before them.
    """

    changed: list[StrokeView]
    gone: list[int]
    undone: list[UndoneView]
    still_undone: int
    can_undo: int
    can_redo: int


def history(shaped: Shaped) -> Strokes:
    """The strokes with their marks, and how many steps can be undone and redone."""
    steps = shaped.history
    return {
        "strokes": _strokes(shaped),
        "undone": [{"label": label, "step": done} for done, label in steps.undone()],
        "can_undo": steps.done,
        "can_redo": len(steps.steps) - steps.done,
    }


def history_change(before: Shaped, after: Shaped) -> StrokesChange:
    """What differs in the history after a change of it."""
    was = {one["number"]: one for one in _strokes(before)}
    now = _strokes(after)
    old, new = before.history, after.history
    # Steps behind what both have done are the same from the end on, unless a new step has taken their place.
    behind = len(old.steps) - old.done, len(new.steps) - new.done
    still = min(behind) if old.steps is new.steps else 0
    return {
        "changed": [one for one in now if one != was.get(one["number"])],
        "gone": sorted(was.keys() - {one["number"] for one in now}),
        "undone": [{"label": new.says(done), "step": done} for done in range(new.done + 1, len(new.steps) + 1 - still)],
        "still_undone": still,
        "can_undo": new.done,
        "can_redo": behind[1],
    }


def _strokes(shaped: Shaped) -> list[StrokeView]:
    steps = shaped.history
    last = {step.number: done for done, step in enumerate(steps.steps[: steps.done], 1)}
    return [
        {
            "number": entry.number,
            "on": entry.on,
            "step": last[entry.number],
            "stroke": entry.stroke,
            "idle": _idle(shaped, entry, met, made),
            "mark": mark(met.take, entry.stroke),
            "dials": [
                {"field": field, "name": name, "amount": amount, "usual": usual}
                for field, name, amount, usual in entry.stroke.dials()
            ],
        }
        for entry, met, made in zip(shaped.entries, shaped.folds[:-1], shaped.folds[1:], strict=True)
    ]


def _idle(shaped: Shaped, entry: Entry, met: Folded, made: Folded) -> str | None:
    """Why a stroke which is on leaves everything as it was. (Looked at once: every answer carries all strokes.)"""
    if (reason := shaped.now.idle.get(entry.number)) or not entry.on:
        return reason.sentence if reason else None
    return NO_EFFECT if met.take.is_like(made.take) else None


_marks: WeakKeyDictionary[Take, dict[AnyStroke, Mark]] = WeakKeyDictionary()


def mark(take: Take, stroke: AnyStroke) -> Mark:
    """Where a stroke shows on the page.

    Remembered for as long as the take lives: every answer carries all marks of the history.
    """
    known = _marks.setdefault(take, {})
    if stroke not in known:
        known[stroke] = _mark(take, stroke)
    return known[stroke]


def _mark(take: Take, stroke: AnyStroke) -> Mark:
    try:
        start, end, parts, count = stroke.reach(take)
        # It may reach notes and still have nothing to draw: what it would go by is gone.
        # What acts over each phrase has no one line.
        line, grips = ([], []) if stroke.where.each else (stroke.line(take), stroke.grips(take))
        threads = _threads(take, stroke, parts)
    except NothingMatched:
        label, sign = stroke.title, stroke.sign()
        return Mark(
            label=label, sign=sign, place="", start=0, end=0, line=[], grips=[], parts=[], count=0, threads=None
        )
    # What comes a little before or after a bar line belongs to the bar that the hand was aiming at; a note that is
    # reached there is in its own bar.
    near = min(take.resolution // 8, max(end - start - 1, 0) // 2)
    last_tick = max(start, end - 1 - near)
    if stroke.spec.family == "velocity":
        last_tick = max(last_tick, int(select(take, stroke.target).picked.start.max()))
    first, last = take.meter.position(start + near), take.meter.position(last_tick)
    return {
        "label": stroke.title,
        "sign": stroke.sign(),
        "place": f"bar {first.bar}" if first.bar == last.bar else f"bars {first.bar}–{last.bar}",
        "start": start,
        "end": end,
        "line": line,
        "grips": grips,
        "parts": parts,
        "count": count,
        "threads": threads,
    }


def _threads(take: Take, stroke: AnyStroke, parts: list[int]) -> Threads | None:
    voices = [(take.parts[part].notes, *one) for part in parts for one in stroke.threads(take, part)[:MOST_THREADS]]
    if not voices:
        return None
    notes, one, other, leaves, arrives, lift, ease = zip(*voices, strict=True)
    forms = list(zip(lift, ease, strict=True))
    which = {each: place for place, each in enumerate(dict.fromkeys(forms))}
    shares = np.linspace(0, 1, STEPS + 1)

    def of(column: str, rows: tuple[int, ...]) -> list[int]:
        return [int(getattr(part, column)[row]) for part, row in zip(notes, rows, strict=True)]

    return {
        "one": of("id", one),
        "other": of("id", other),
        "leaves": list(leaves),
        "arrives": list(arrives),
        "pitch": of("pitch", one),
        "reached": of("pitch", other),
        "struck": of("start", other),
        "lift": list(lift),
        "way": [which[each] for each in forms],
        "ways": [np.round(form(shares, *each), 4).tolist() for each in which],
    }
