"""What came back from another program: notes and lanes that were changed there, as one stroke."""

from collections.abc import Iterator
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, field_validator
from typing_extensions import override

from expression.arrays import frozen, looked_up
from expression.errors import NothingMatched
from expression.lanes import LANES
from expression.limits import LAST_TICK, MOST_COPIES, MOST_LANES
from expression.notes import Notes
from expression.records import Record
from expression.strokes.base import IDS_EACH, BaseStroke, Count, Points, Tick, counted
from expression.strokes.lane import known_lane
from expression.strokes.made_of import MadeOf, by_ids
from expression.strokes.note_edits import NewNote, NotesAdd, NotesDelete
from expression.strokes.note_stroke import FIRST_MADE, NotesStroke, Outcome, on_page, settle
from expression.strokes.spec import Ask, Spec
from expression.strokes.writing import LaneDraw, Value
from expression.take import Take

NOTES = "notes"
Length = Annotated[int, Field(ge=1, le=LAST_TICK)]
Force = Annotated[int, Field(ge=1, le=127)]
Changed = tuple[Count, Tick, Length, Force]
"""A note (its id) as it is now: its start and length in ticks, its velocity."""


class LaneBack(Record):
    """A stretch of a lane as it came back: it jumps from point to point."""

    part: Annotated[int, Field(ge=0, lt=1000)]
    lane: str
    points: Points[Value]

    @field_validator("lane")
    @classmethod
    def _known(cls, lane: str) -> str:
        if LANES[known_lane(lane)].is_of_notes:
            raise ValueError("lane must be one of a channel")
        return lane


class NotesBack(Record):
    """What became of the notes of a part: ids of those that are gone, those that are otherwise, and new ones."""

    part: Annotated[int, Field(ge=0, lt=1000)]
    gone: Annotated[tuple[Count, ...], Field(max_length=MOST_COPIES)] = ()
    changed: Annotated[tuple[Changed, ...], Field(max_length=MOST_COPIES)] = ()
    new: Annotated[tuple[NewNote, ...], Field(max_length=MOST_COPIES)] = ()


class _Changed(NotesStroke):
    """Notes at other times, with other forces."""

    spec = Spec("play", "Changed notes")
    changed: tuple[Changed, ...]

    @override
    def outcome(self, take: Take) -> Outcome:
        chosen = self.chosen(take)
        by_id = {one: told for one, *told in self.changed}
        changed: dict[int, Notes] = {}
        for number, mask in chosen.masks.items():
            notes = take.parts[number].notes
            told = np.array([by_id[one] for one in notes.id[mask].tolist()], dtype=np.int64)
            velocity = notes.velocity.copy()
            velocity[mask] = told[:, 2]
            times = on_page(notes, mask, told[:, 0], told[:, 0] + told[:, 1], page=False)
            changed[number] = notes.put(**times, velocity=frozen(velocity, np.uint8))
        said: list[str] = []
        return Outcome(settle(take, changed, chosen.ids, "cut", said), tuple(said))

    @override
    def label(self) -> str:
        return "Changed notes"


class TakeBack(MadeOf):
    """What was changed in another program: of a span or some parts only, or without its notes or some of its lanes."""

    kind: Literal["take.back"] = "take.back"
    spec = Spec(
        "play",
        "Back from elsewhere",
        says="What was changed there. A chosen span takes these bars alone.",
        asks=(Ask("leave", "Bring", "left out"),),
        evidence=("facts",),
    )
    notes: Annotated[tuple[NotesBack, ...], Field(max_length=1000)] = ()
    lanes: Annotated[tuple[LaneBack, ...], Field(max_length=MOST_COPIES)] = ()
    leave: Annotated[tuple[Annotated[str, Field(max_length=20)], ...], Field(max_length=MOST_LANES)] = Field(
        (), description="What is left as it is: `notes`, or lanes by their keys."
    )
    first: Count | None = FIRST_MADE

    @override
    def numbered(self, number: int) -> Self:
        return self.model_copy(update={"first": number * IDS_EACH})

    @override
    def strokes(self, take: Take) -> list[BaseStroke]:
        return list(self.made(take))

    @override
    def made(self, take: Take) -> Iterator[BaseStroke]:
        parts = self.where.parts
        wanted = [one for one in self.notes if NOTES not in self.leave and (parts is None or one.part in parts)]
        count = 0
        for one in wanted:
            if one.part < len(take.parts):
                yield from self._of_notes(take, one, count)
                count += len(one.new)
        for lane in self.lanes:
            if lane.lane not in self.leave and (parts is None or lane.part in parts) and lane.part < len(take.parts):
                where = {"parts": (lane.part,), "span": self.where.span}
                told = {"lane": lane.lane, "points": lane.points, "steps": True, "tolerance": 0.0}
                yield LaneDraw.model_validate({"where": where, **told})

    def _of_notes(self, take: Take, one: NotesBack, before: int) -> Iterator[BaseStroke]:
        first, after = self.where.span or (0, LAST_TICK)
        notes = take.parts[one.part].notes

        def there(ids: list[int]) -> list[int]:
            row, known = looked_up(np.array(ids, dtype=np.int64), notes.id)
            start = notes.start[row]
            return [
                at for at, (is_, tick) in enumerate(zip(known, start, strict=True)) if is_ and first <= tick < after
            ]

        gone = [one.gone[at] for at in there(list(one.gone))]
        if gone:
            yield NotesDelete.model_validate({"where": by_ids(one.part, self.where, gone), "under": False})
        changed = [one.changed[at] for at in there([note[0] for note in one.changed])]
        if changed:
            where = by_ids(one.part, self.where, [note[0] for note in changed])
            yield _Changed.model_validate({"where": where, "changed": changed})
        new = [note for note in one.new if first <= note.start < after]
        if new:
            ids = {} if self.first is None else {"first": self.first + before}
            yield NotesAdd.model_validate({"where": {"parts": (one.part,)}, "notes": new, **ids})

    @override
    def apply(self, take: Take) -> Take:
        made = super().apply(take)
        if made is take:
            raise NothingMatched("Of what came back, nothing is taken: choose other bars, or more of it.")
        return made

    @override
    def label(self) -> str:
        count = sum(len(one.gone) + len(one.changed) + len(one.new) for one in self.notes)
        lanes = len({(one.part, one.lane) for one in self.lanes})
        said = [counted(count)] * bool(count) + [counted(lanes, "lane")] * bool(lanes)
        return f"Back from elsewhere: {', '.join(said) or 'nothing'}"
