"""Strokes that put notes in, take them elsewhere or away, and say which are cues."""

from dataclasses import replace
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, field_validator, model_validator
from typing_extensions import override

from expression.arrays import frozen
from expression.errors import NothingMatched
from expression.limits import LAST_TICK, LONGEST_NAME, MOST_COPIES
from expression.notes import Notes
from expression.pitch import NOTE_NAMES
from expression.records import Record
from expression.strokes.base import Reach, Tick, Where, Which
from expression.strokes.carried_lanes import carried, cleared
from expression.strokes.keys import Keys, PitchClasses, transposed
from expression.strokes.note_stroke import (
    CuesToo,
    MakingStroke,
    NotesStroke,
    Outcome,
    on_page,
    settle,
)
from expression.strokes.settling import Over
from expression.strokes.spec import ASK_OVER, ASK_PAGE, ASK_SCALE, ASK_UNDER, Ask, Gesture, Spec, choice, entry
from expression.take import Take

OverKey = Annotated[
    Over, Field(description="What lies under on the same key: `cut` ends it there, `refuse` leaves all as it is.")
]
UNDER = Field(True, description="What the lanes hold under the notes goes with them, where no other note sounds.")


class NewNote(Record):
    """A note to be put in."""

    start: Tick = Field(description="Ticks.")
    length: Annotated[int, Field(ge=1, le=LAST_TICK)] = Field(description="Ticks, at least 1.")
    pitch: Annotated[int, Field(ge=0, le=127)]
    velocity: Annotated[int, Field(ge=1, le=127)]


class NotesAdd(MakingStroke):
    """Notes put in where there were none."""

    kind: Literal["notes.add"] = "notes.add"
    spec = Spec(
        "notes",
        "New note",
        asks=(
            ASK_OVER,
            Ask("notes", "Note", "note"),
        ),
        gestures=(
            Gesture(
                "put",
                "Put in a note",
                "At the playhead, by its numbers (n); by hand: Ctrl and drag on the ribbons",
                "add insert new note create write pencil",
                "Notes",
                begins="note",
            ),
        ),
        evidence=("counts",),
    )
    travels = ("notes.*.start",)
    notes: Annotated[tuple[NewNote, ...], Field(min_length=1, max_length=MOST_COPIES)]
    cue: bool = Field(False, description="They are cues: heard by the instrument, but no part of the music.")
    over: OverKey = "cut"

    @model_validator(mode="after")
    def _in_one_part(self) -> Self:
        if self.where.parts is None or len(self.where.parts) != 1:
            raise ValueError("notes are put into one part; name it in where")
        return self

    @property
    def _part(self) -> int:
        return (self.where.parts or (0,))[0]

    @override
    def outcome(self, take: Take) -> Outcome:
        if self._part >= len(take.parts):
            raise NothingMatched(f"There is no part {self._part}; this take has {len(take.parts)}.", "where")
        columns = ([getattr(one, name) for one in self.notes] for name in ("start", "length", "pitch", "velocity"))
        start, length, pitch, velocity = (np.array(column, dtype=np.int64) for column in columns)
        ids = self.first_id(take, len(start)) + np.arange(len(start))
        made = Notes.made(ids, start, start + length, pitch, velocity, cue=self.cue)
        told: list[str] = []
        changed = {self._part: take.parts[self._part].notes.merged(made)}
        return Outcome(settle(take, changed, ids, self.over, told), tuple(told))

    @override
    def reach(self, take: Take) -> Reach:
        ends = max(one.start + one.length for one in self.notes)
        return Reach(min(one.start for one in self.notes), ends, [self._part], len(self.notes))

    @override
    def label(self) -> str:
        if len(self.notes) == 1:
            return f"{'Cue' if self.cue else 'Note'} {NOTE_NAMES[self.notes[0].pitch]} put in"
        return f"{len(self.notes):,} {'cues' if self.cue else 'notes'} put in"


class NotesMove(CuesToo):
    """Notes to another time, or to other keys."""

    kind: Literal["notes.move"] = "notes.move"
    spec = Spec(
        "notes",
        "Moved",
        says="A place is told in ticks: 960 are a quarter in most takes.",
        asks=(
            entry("ticks", "Ticks", 60),
            entry("keys", "Keys"),
            ASK_UNDER,
            ASK_PAGE,
            ASK_OVER,
            ASK_SCALE,
        ),
        gestures=(
            Gesture(
                "move",
                "Move",
                "Later or sooner, up or down (by hand: drag what is chosen; Ctrl and the arrow keys)",
                "shift nudge drag time pitch earlier later",
                "Time",
                where="chosen notes",
                given={"ticks": "@grid line"},
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    ticks: Annotated[int, Field(ge=-LAST_TICK, le=LAST_TICK)] = Field(0, description="Later; negative: sooner.")
    keys: Keys = Field(0, description="Up; negative: down. With a scale so many steps of that.")
    scale: PitchClasses | None = Field(
        None, description="Pitch classes of a scale; a note beside it keeps its distance to the step below."
    )
    under: bool = UNDER
    page: bool = Field(True, description="The written page follows.")
    over: OverKey = "cut"

    @override
    def seen(self, take: Take, start: int, end: int) -> Self:
        return self.near(take, (start, end), self.over)

    @override
    def outcome(self, take: Take) -> Outcome:
        chosen = self.chosen(take)
        first, last = self.where.span or (chosen.start, chosen.end)
        if chosen.start + self.ticks < 0:
            raise NothingMatched(
                f"That would be before the take begins; go back by at most {chosen.start:,} ticks.",
                "ticks",
                {"ticks": -chosen.start},
            )
        if around := self.around(take):
            # Also what comes into sight.
            around = around[0] - max(self.ticks, 0), around[1] - min(self.ticks, 0)
            chosen = chosen.near(take, around)
        changed = {}
        for part, mask in chosen.masks.items():
            notes = take.parts[part].notes
            columns = on_page(notes, mask, notes.start[mask] + self.ticks, notes.end[mask] + self.ticks, self.page)
            changed[part] = notes.put(**columns, pitch=transposed(notes, mask, self.keys, self.scale))
        told: list[str] = []
        made = take
        for channel in chosen.channels if self.under and self.ticks else ():
            busy = self.busy(take, channel)
            span = busy.about((first, last), around) if around else (first, last)
            made = carried(made, channel, busy, span, self.ticks)
        return Outcome(settle(made, changed, chosen.ids, self.over, told), tuple(told))

    @override
    def reach(self, take: Take) -> Reach:
        start, end, parts, count = super().reach(take)
        return Reach(max(min(start, start + self.ticks), 0), max(end, end + self.ticks), parts, count)

    @override
    def label(self) -> str:
        steps = "step" if self.scale else "key"
        return f"Notes moved{_moved(self.keys, steps)}" + (" in time" if self.ticks else "")


class NotesTranspose(NotesStroke):
    """Notes to other keys. The written page follows."""

    kind: Literal["notes.transpose"] = "notes.transpose"
    spec = Spec(
        "notes",
        "Transposed",
        asks=(
            entry("keys", "Up by"),
            ASK_OVER,
            ASK_SCALE,
        ),
        gestures=(
            Gesture(
                "transpose",
                "Transpose",
                "By keys, or by steps of a scale",
                "octave semitone scale diatonic pitch up down",
                "Notes",
                where="chosen notes",
                given={"keys": 12},
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    keys: Keys = Field(description="Up; negative: down. With a scale so many steps of that.")
    scale: PitchClasses | None = Field(
        None,
        description="Pitch classes of a scale; a note beside it keeps its distance to the step below. Absent: keys.",
    )
    over: OverKey = "cut"

    @override
    def seen(self, take: Take, start: int, end: int) -> Self:
        return self.near(take, (start, end), self.over)

    @override
    def outcome(self, take: Take) -> Outcome:
        chosen = self.chosen(take)
        if around := self.around(take):
            chosen = chosen.near(take, around)
        changed = {}
        for part, mask in chosen.masks.items():
            notes = take.parts[part].notes
            changed[part] = notes.put(pitch=transposed(notes, mask, self.keys, self.scale))
        told: list[str] = []
        return Outcome(settle(take, changed, chosen.ids, self.over, told), tuple(told))

    @override
    def label(self) -> str:
        return f"Transposed{_moved(self.keys, 'step' if self.scale else 'key')}"


def _moved(keys: int, unit: str) -> str:
    if not keys:
        return ""
    return f" {'up' if keys > 0 else 'down'} {abs(keys)} {unit}{'' if abs(keys) == 1 else 's'}"


class NotesMute(CuesToo):
    """Notes that are not sent, and stay where they are; or that are sent again."""

    kind: Literal["notes.mute"] = "notes.mute"
    spec = Spec(
        "notes",
        "Muted",
        asks=(choice("on", "They are", (True, "muted"), (False, "heard")),),
        gestures=(
            Gesture(
                "mute",
                "Mute",
                "Not sent, and left where they are; or heard again (m)",
                "silent off unmute",
                "Notes",
                where="chosen notes",
                given={"on": "@heard"},
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    on: bool = Field(True, description="Muted, or heard again.")
    over: OverKey = "cut"

    @override
    def outcome(self, take: Take) -> Outcome:
        chosen = self.chosen(take)
        changed = {}
        for part, mask in chosen.masks.items():
            notes = take.parts[part].notes
            if (notes.muted[mask] != self.on).any():
                changed[part] = replace(notes, muted=frozen(np.where(mask, self.on, notes.muted), bool))
        if not changed:
            raise NothingMatched("These notes are muted already." if self.on else "None of these notes is muted.")
        told: list[str] = []
        return Outcome(settle(take, changed, chosen.ids, self.over, told), tuple(told))

    @override
    def label(self) -> str:
        return "Notes muted" if self.on else "Notes heard again"


class NotesDelete(CuesToo):
    """Notes taken away."""

    kind: Literal["notes.delete"] = "notes.delete"
    spec = Spec(
        "notes",
        "Deleted",
        asks=(ASK_UNDER,),
        gestures=(
            Gesture(
                "away",
                "Delete",
                "The chosen notes away (Del)",
                "remove erase notes",
                "Notes",
                where="chosen notes",
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    under: bool = UNDER

    @override
    def outcome(self, take: Take) -> Outcome:
        if self.where == Where.model_validate({}):
            raise NothingMatched(
                'That would empty the take; say in where what is to go, such as {"parts": [0]}.', "where"
            )
        masks, _, first, last, channels = self.chosen(take)
        made = take
        for channel in channels if self.under and not self.cues else ():
            span = self.where.span or (first, max(last, first + 1))
            made = cleared(made, channel, self.busy(take, channel), span)
        return Outcome(made.with_notes({part: take.parts[part].notes.only(~mask) for part, mask in masks.items()}))

    @override
    def label(self) -> str:
        return "Cues deleted" if self.cues else "Notes deleted"


class NotesCue(NotesStroke):
    """Notes that the instrument hears and that are no part of the music; `pitches` of `where` are keys of a part."""

    kind: Literal["notes.cue"] = "notes.cue"
    spec = Spec(
        "notes",
        "Cues",
        says="Heard by the instrument, and no part of the music: they lie in a strip of their own.",
        asks=(
            Ask("where", "Keys", "pitches"),
            Ask("name", "What the keys call up", "text"),
        ),
        gestures=(
            Gesture(
                "cue",
                "As cues",
                "The chosen notes tell the instrument what to do: apart from the music, with a name",
                "keyswitch key switch articulation command cue",
                "Notes",
                where="chosen notes",
                given={"name": ""},
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    on: bool = Field(True, description="They are cues, or music again.")
    name: Annotated[str, Field(max_length=LONGEST_NAME)] | None = Field(
        None, description="What these keys call up; absent: as they were called."
    )

    @field_validator("name")
    @classmethod
    def _plain(cls, name: str | None) -> str | None:
        if name is not None and not name.isprintable():
            raise ValueError("name must be plain letters in one line")
        return name.strip() if name is not None else None

    @property
    @override
    def which(self) -> Which:
        return "all"

    @override
    def outcome(self, take: Take) -> Outcome:
        masks = self.chosen(take).masks
        parts = []
        for part in take.parts:
            if part.id not in masks:
                parts.append(part)
                continue
            notes, mask = part.notes, masks[part.id]
            cue = np.where(mask, self.on, notes.cue)
            named = dict(part.cue_names)
            for key in np.unique(notes.pitch[mask]).tolist():
                if self.name is not None:
                    named[key] = self.name
            differs = not np.array_equal(cue, notes.cue)
            notes = replace(notes, cue=frozen(cue, bool)) if differs else notes
            parts.append(replace(part, notes=notes, cue_names=named) if differs or named != part.cue_names else part)
        if all(one is other for one, other in zip(parts, take.parts, strict=True)):
            raise NothingMatched("These notes are cues already, and called that." if self.on else "These are no cues.")
        return Outcome(replace(take, parts=tuple(parts)))

    @override
    def label(self) -> str:
        called = f" called {self.name}" if self.name else ""
        return f"Notes as cues{called}" if self.on else "Cues as notes"
