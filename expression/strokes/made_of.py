"""Strokes that are several others at once, made for the take that they meet."""

from abc import abstractmethod
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from typing_extensions import override

from expression.chords import chord_onsets
from expression.errors import NothingMatched
from expression.memo import worked_out
from expression.percussion import CHANNEL
from expression.strokes.base import BaseStroke, Where, masks_of, select
from expression.take import Part, Take


class MadeOf(BaseStroke):
    """A stroke that comes to others, one after another; of those that reach nothing it goes without."""

    @abstractmethod
    def made(self, take: Take) -> Iterator[BaseStroke]:
        """What it comes to where it reaches notes."""

    def strokes(self, take: Take) -> list[BaseStroke]:
        """What it comes to, stroke by stroke. Raises NothingMatched where it reaches no notes."""
        select(take, self.where)
        return list(self.made(take))

    @override
    def apply(self, take: Take) -> Take:
        steps = _steps(self, take)
        return steps[-1].after if steps else take

    @override
    def also(self, take: Take) -> str:
        told = [step.stroke.also(step.before) for step in _steps(self, take)]
        return " ".join(dict.fromkeys(one for one in told if one))


class Step(NamedTuple):
    """One of what a stroke comes to, and the take before and after it."""

    stroke: BaseStroke
    before: Take
    after: Take


@worked_out(4)
def _steps(stroke: MadeOf, take: Take) -> list[Step]:
    """Known while a hand tries it: what it says besides is asked for after it has been applied."""
    steps: list[Step] = []
    made = take
    for one in stroke.strokes(take):
        before = made
        try:
            made = one.apply(before)
        except NothingMatched:
            # A chord that is not there has no upper voice: the others still act.
            continue
        steps.append(Step(one, before, made))
    return steps


def long_notes(take: Take, where: Where, seconds: float) -> Iterator[tuple[Part, Where]]:
    """Of each part the notes that last so long."""
    for number, mask in masks_of(take, where).items():
        part = take.parts[number]
        notes = part.notes
        length = take.tempo.seconds(notes.end) - take.tempo.seconds(notes.start)
        ids = notes.id[mask & ~notes.muted & (length >= seconds)]
        if len(ids):
            yield part, by_ids(number, where, ids.tolist())


def bendable(take: Take, where: Where, seconds: float) -> Iterator[tuple[Part, Where]]:
    """The same of parts whose wheel moves one note alone: a line where `where` reaches it, and no kit."""
    for part, notes in long_notes(take, where, seconds):
        onsets = chord_onsets(part.notes.start[where.notes_of(part)], take.resolution)
        if part.channel.number != CHANNEL and len(np.unique(onsets)) == len(onsets):
            yield part, notes


def by_ids(part: int, where: Where, ids: list[int]) -> Where:
    """Some notes of a part, within the span of a place."""
    ascending = np.sort(ids)
    pieces = np.split(ascending, np.flatnonzero(np.diff(ascending) > 1) + 1)
    ranges = tuple((int(one[0]), int(one[-1])) for one in pieces)
    return Where.model_validate({"parts": (part,), "notes": ranges, "span": where.span})
