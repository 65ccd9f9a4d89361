"""The history of a take: what was done, step by step, and the take that it makes.

A step says how one stroke reads from then on: that it was added, switched, changed or taken away are the same thing. So
undo is nothing but looking at fewer steps, and there is no end to it.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from expression.errors import BadStep, NothingMatched
from expression.limits import FARTHEST, MOST_STEPS
from expression.phrases import stretches
from expression.strokes import AnyStroke
from expression.strokes.bend_range import ranges_kept
from expression.take import Take


@dataclass(frozen=True)
class Entry:
    """A stroke in the history: its number (1, 2 ... in the order of adding), and whether it is switched on."""

    number: int
    stroke: AnyStroke
    on: bool = True
    gone: bool = False
    """Deleted by the player. It keeps its number, and undo brings it back."""


@dataclass(frozen=True)
class History:
    """All steps, of which the first `done` count; those after it were undone and can be done again."""

    steps: tuple[Entry, ...] = ()
    done: int = 0

    def entries(self) -> list[Entry]:
        """The strokes as they stand, in the order in which they act."""
        latest = {step.number: step for step in self.steps[: self.done]}
        return [latest[number] for number in sorted(latest) if not latest[number].gone]

    def entry(self, number: int) -> Entry:
        """One stroke as it stands. Raises BadStep."""
        for entry in self.entries():
            if entry.number == number:
                return entry
        raise BadStep(f"There is no stroke {number} in the history; it may have been undone.")

    def undone(self) -> list[tuple[int, str]]:
        """Steps that redo would make again: how many there are then, and what each did."""
        return [(done, self.says(done)) for done in range(self.done + 1, len(self.steps) + 1)]

    def says(self, done: int) -> str:
        """What the step of that place (1, 2 ...) did: a stroke that came, or what became of one."""
        step = self.steps[done - 1]
        earlier = [one for one in self.steps[: done - 1] if one.number == step.number]
        label = step.stroke.title
        if not earlier:
            return label
        before = earlier[-1]
        if step.gone:
            return f"Deleted: {label}"
        if step.on != before.on:
            return f"Switched {'on' if step.on else 'off'}: {label}"
        if step.stroke.called != before.stroke.called:
            return f"Named: {step.stroke.title}"
        told = [_told(name, getattr(before.stroke, name, None), new) for name, new in step.stroke if name != "where"]
        changed = [words for words in told if words]
        if not changed:
            return f"{label}: another place"
        return f"{label}: {', '.join(changed[:MOST_TOLD])}{' …' if len(changed) > MOST_TOLD else ''}"

    def add(self, stroke: AnyStroke, on: bool = True) -> "History":
        """A new stroke after all others; one that stands takes the place of the same one made before."""
        for entry in self.entries() if stroke.stands else []:
            if (entry.stroke.kind, entry.stroke.where) == (stroke.kind, stroke.where):
                return self.change(entry.number, stroke, on=True)
        number = max((step.number for step in self.steps[: self.done]), default=0) + 1
        return self._then(Entry(number, stroke.numbered(number), on))

    def change(self, number: int, stroke: AnyStroke | None = None, on: bool | None = None) -> "History":
        """Other numbers for a stroke, or on or off. Raises BadStep."""
        entry = self.entry(number)
        stroke = stroke.numbered(number) if stroke else entry.stroke
        return self._then(replace(entry, stroke=stroke, on=entry.on if on is None else on))

    def delete(self, number: int) -> "History":
        """A stroke out of the history (undo brings it back). Raises BadStep."""
        return self._then(replace(self.entry(number), gone=True))

    def undo(self) -> "History":
        """One step back. Raises BadStep."""
        if not self.done:
            raise BadStep("There is nothing to undo: the take is as it was recorded.")
        return replace(self, done=self.done - 1)

    def redo(self) -> "History":
        """One step forward again. Raises BadStep."""
        if self.done == len(self.steps):
            raise BadStep("There is nothing to redo.")
        return replace(self, done=self.done + 1)

    def jump(self, done: int) -> "History":
        """To any point: after the first `done` steps. Raises BadStep."""
        if not 0 <= done <= len(self.steps):
            raise BadStep(f"The history has {len(self.steps)} steps; there is no step {done}.")
        return replace(self, done=done)

    def _then(self, step: Entry) -> "History":
        """Raises BadStep where there are too many."""
        if self.done >= MOST_STEPS:
            raise BadStep(
                f"The history has {MOST_STEPS:,} steps, which is the most; undo some, or go on with the file exported."
            )
        return History((*self.steps[: self.done], step), self.done + 1)


MOST_TOLD = 3
"""Of more numbers that a step has changed so many are told."""


def _told(name: str, old: object, new: object) -> str:
    """That a number of a stroke has changed, and from what; nothing where it has not."""
    if old == new:
        return ""
    called = name.replace("_", " ")
    shown = [_short(value) for value in (old, new)]
    return f"{called} {shown[0]} → {shown[1]}" if all(shown) else f"other {called}"


def _short(value: object) -> str:
    """A value in few signs; nothing where it takes more."""
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, (int, float)):
        return f"{value:g}".replace("-", "−")
    return value if isinstance(value, str) else ""


class Reason(NamedTuple):
    """Why a stroke reaches nothing: a sentence, the number that is wrong, where one is, and numbers that would do."""

    sentence: str
    field: str | None
    offer: Mapping[str, float]


@dataclass(frozen=True)
class Folded:
    """A take after some strokes, and why any of them lay idle (by number)."""

    take: Take
    idle: dict[int, Reason]

    def then(self, entry: Entry) -> "Folded":
        """One stroke further. A stroke that is off changes nothing; one that matches nothing is left idle."""
        if not entry.on:
            return self
        try:
            return Folded(applied(entry.stroke, self.take), self.idle)
        except NothingMatched as reason:
            return Folded(self.take, self.idle | {entry.number: Reason(str(reason), reason.field, reason.offer)})


@dataclass(frozen=True)
class Shaped:
    """A recording with its history and every take along the way: `takes[k]` is after the first k strokes.

    Takes share what a stroke leaves alone, so all of them together weigh little more than what was changed.
    """

    history: History
    entries: tuple[Entry, ...]
    folds: tuple[Folded, ...]

    @classmethod
    def of(cls, recorded: Take, history: History | None = None) -> "Shaped":
        """The recording through a history."""
        return cls(History(), (), (Folded(recorded, {}),)).with_history(history or History())

    def with_history(self, history: History) -> "Shaped":
        """The same recording through another history; what both have in common is not computed again."""
        entries = tuple(history.entries())
        common = 0
        while common < min(len(entries), len(self.entries)) and entries[common] == self.entries[common]:
            common += 1
        folds = list(self.folds[: common + 1])
        for entry in entries[common:]:
            folds.append(folds[-1].then(entry))
        return Shaped(history, entries, tuple(folds))

    @property
    def recorded(self) -> Take:
        """The take as it came."""
        return self.folds[0].take

    @property
    def now(self) -> Folded:
        """The take through all its strokes."""
        return self.folds[-1]

    @property
    def before(self) -> Take:
        """The take as it was before the newest stroke; the recording where there is none."""
        return self.folds[max(len(self.folds) - 2, 0)].take

    def met_by(self, number: int | None = None) -> Take:
        """The take that a stroke (the next, where none is named) meets: on it the stroke is measured and marked."""
        numbers = [entry.number for entry in self.entries]
        return self.folds[numbers.index(number) if number in numbers else len(numbers)].take

    def before_stroke(self, number: int) -> Take:
        """The take as it was before a stroke. Raises BadStep."""
        return self.folds[self.entries.index(self.history.entry(number))].take


def shape(take: Take, strokes: Sequence[AnyStroke]) -> Take:
    """The take through strokes that all have to match. Raises NothingMatched."""
    for stroke in strokes:
        take = applied(stroke, take)
    return take


def over_each(stroke: AnyStroke, take: Take) -> Take:
    """The take as a stroke leaves it that acts over each phrase. Raises NothingMatched where it reaches none."""
    where = stroke.where
    first, last = where.span or (0, take.end + 1)
    made, reason = take, NothingMatched("No phrase begins there.")
    for part in take.parts if where.parts is None else [one for one in take.parts if one.id in where.parts]:
        begins, ends = stretches(take, part.id, where.each or "phrases")
        for start, end in zip(begins.tolist(), ends.tolist(), strict=True):
            if max(start, first) >= min(end, last):
                continue
            span = max(start, first), min(end, last)
            place = where.model_copy(update={"each": None, "parts": (part.id,), "span": span})
            try:
                made = stroke.model_copy(update={"where": place}).apply(made)
            except NothingMatched as nothing:
                reason = nothing
    if made is take:
        raise reason
    return made


def applied(stroke: AnyStroke, take: Take) -> Take:
    """The take as a stroke leaves it. Raises NothingMatched, also where the stroke lies outside the take."""
    made = ranges_kept(take, over_each(stroke, take) if stroke.where.each else stroke.apply(take))
    span = stroke.where.span
    if span and span[0] > take.end and not stroke.is_beyond:
        begins, ends = (take.meter.position(tick).bar for tick in (span[0], take.end))
        raise NothingMatched(f"The span begins in bar {begins}, after the take has ended in bar {ends}.", "where")
    if made.end > take.end + FARTHEST:
        last = take.meter.position(take.end + FARTHEST).bar
        raise NothingMatched(f"That would go on far past the end of the take; put it before bar {last}.")
    return made
